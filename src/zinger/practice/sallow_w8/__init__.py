"""The simulated device of the family sallow-w8."""
