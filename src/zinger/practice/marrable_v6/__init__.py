"""The simulated device of the family marrable-v6."""
