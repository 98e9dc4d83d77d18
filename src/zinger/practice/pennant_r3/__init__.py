"""The Pennant R3, a dual-band router."""
