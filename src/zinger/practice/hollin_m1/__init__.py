"""The simulated device of the family hollin-m1."""
