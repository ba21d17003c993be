"""Simulated arrays of a fictional observatory network, spoken to only over their protocols."""
