"""The scripts of a job's devices, each compiled when it is first looked at.

A plan of 10,000 devices is opened to look at some of them; compiling all would take longer than everything else.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from zinger.phrasebook.book import Phrasebook
from zinger.plan.model import Device
from zinger.script.compile import Known, Script, compile_script


class Scripts(Mapping[str, Script]):
    """By hostname; a device whose family has no phrasebook is not among them."""

    def __init__(self, devices: Mapping[str, tuple[Device, Phrasebook]]) -> None:
        self._devices = devices
        self._compiled: dict[str, Script] = {}
        self._known: Known = {}

    def __getitem__(self, name: str) -> Script:
        if name not in self._compiled:
            self._compiled[name] = compile_script(*self._devices[name], self._known)
        return self._compiled[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._devices)

    def __len__(self) -> int:
        return len(self._devices)

    def __contains__(self, name: object) -> bool:
        return name in self._devices
