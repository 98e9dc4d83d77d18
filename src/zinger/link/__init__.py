"""The link room: the ways to a device. Bytes in and out, foreign errors translated once."""
