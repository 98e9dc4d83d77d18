"""How patient a conversation is; every wait has one of these as its end."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Timing:
    """Times in seconds of the pump's clock.

    `settle`: how long what stands there must hold still unless it was expected; `drawn`: how long a screen must that
    shows what was expected, since other rows of it may still be drawn. `leftover`: how long a place must hold still
    where keys that were pressed before may still answer it. `nudge`: the first silence
    after which Enter may be pressed; it doubles up to `longest_nudge`. `strange`: how long something that
    looks like an unknown question is stared at. `echo`: how long an echo may take to be complete.
    `boots_in`: what this family, or this very device before, took to boot. `blind_pace`: characters a second at which
    is typed what does not come back, since a line may lose what comes faster than it takes, and nothing would tell;
    half of it where the line has lost something; 0 on a link that loses nothing.
    """

    settle: float = 0.25
    leftover: float = 3.0
    drawn: float = 0.1
    nudge: float = 0.5
    longest_nudge: float = 5.0
    strange: float = 5.0
    echo: float = 1.0
    longest_answer: float = 900.0
    boots_in: float = 90.0
    blind_pace: float = 30.0
    echo_check: bool = True
