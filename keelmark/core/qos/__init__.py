"""What limits do to reads and writes."""

from keelmark.core.qos.demand import Demand, demand_of
from keelmark.core.qos.replay import Limits, Places, Replayed, Shared, curve, replayed
from keelmark.core.qos.states import STATE_STEPS, IoState, io_states, io_states_at
from keelmark.core.qos.tiers import Tier, effective, faults_of, offer

__all__ = [
    "STATE_STEPS", "Demand", "IoState", "Limits", "Places", "Replayed", "Shared", "Tier", "curve",
    "demand_of", "effective", "faults_of", "io_states", "io_states_at", "offer", "replayed",
]  # fmt: skip
