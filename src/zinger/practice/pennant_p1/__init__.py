"""The simulated device of the family pennant-p1."""
