"""The simulated device of the family hollin-e3."""
