"""A simulated Quern T1."""
