"""The simulated device of the family hollin-g4."""
