"""Schedule: what limits a bench as claims, who goes first, and when it is done. Pure: no clock, no device."""
