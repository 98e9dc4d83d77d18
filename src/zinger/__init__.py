"""Zinger carries new network devices from factory state to a proved baseline.

The rooms and the direction of imports are described in ARCHITECTURE.md.
"""

__version__ = "0.1.0"
