"""Histories of what happens to storage, put together at random to train the forecast on."""

from bench.forecast.simulate.world import History, history

__all__ = ["History", "history"]
