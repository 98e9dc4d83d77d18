"""The simulated device of the family quern-s9."""
