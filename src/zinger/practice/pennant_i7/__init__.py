"""The Pennant I7, an industrial switch."""
