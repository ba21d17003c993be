"""Computation only: no Django, no input or output, no clock."""
