"""The link budget of a wireless bridge: how well its ends should hear each other over the planned distance."""

from __future__ import annotations

import math

from zinger.plan.subjects.wireless.models import Bridge

ANTENNA = 14.0
"""Gain of each end's antenna in dBi, as small bridge units have; larger ones hear better than is asked for."""
NOISE = -95.0
"""Noise of a receiver in dBm: thermal noise in 20 MHz, and 6 dB of its own."""
MARGIN = 15.0
"""Decibels that weather, masts and aim may cost."""
ENOUGH, LEAST = 35, 15
"""Decibels: no more is asked for, however close they are; with less no bridge is of use, however far."""


def least_signal_to_noise(bridge: Bridge) -> int | None:
    """Decibels that either end should read at least; None where distance or power is not planned.

    Free-space loss is that of ITU-R P.525 (4).
    """
    if bridge.distance is None or bridge.power is None:
        return None
    gigahertz = frequency(bridge.channel or 36) / 1000
    loss = 92.45 + 20 * math.log10(gigahertz) + 20 * math.log10(bridge.distance / 1000)
    expected = bridge.power + 2 * ANTENNA - loss - NOISE
    return max(LEAST, min(ENOUGH, math.floor(expected - MARGIN)))


def frequency(channel: int) -> int:
    """The centre of a channel in MHz (IEEE 802.11, annex E)."""
    return 2407 + 5 * channel if channel <= 14 else 5000 + 5 * channel
