"""A pause for the collector of cycles while a plan is built.

A plan of 10,000 devices is a million objects without a cycle; looking through them again and again while they are
made would make each device dearer the more there are.
"""

from __future__ import annotations

import functools
import gc
from collections.abc import Callable
from typing import ParamSpec, TypeVar

_P = ParamSpec("_P")
_R = TypeVar("_R")


def builds_much(function: Callable[_P, _R]) -> Callable[_P, _R]:
    """Let a function that builds many objects run without the collector; it goes on afterwards."""

    @functools.wraps(function)
    def run(*args: _P.args, **kwargs: _P.kwargs) -> _R:
        if not gc.isenabled():
            return function(*args, **kwargs)
        gc.disable()
        try:
            return function(*args, **kwargs)
        finally:
            gc.enable()

    return run
