"""Placement of workloads: where they can go, what stops them, which place keeps most."""
