"""Computation only: NumPy arrays in, frozen results out. Knows nothing of servers or screens."""
