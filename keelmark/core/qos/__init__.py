"""What limits do to reads and writes."""

from keelmark.core.qos.states import STATE_STEPS, IoState, io_states

__all__ = ["STATE_STEPS", "IoState", "io_states"]
