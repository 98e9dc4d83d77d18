"""What is left to do at a bench, as the schedule sees it: claims, and each device's phases that need them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property


@dataclass(frozen=True)
class Claim:
    """Something of which there are only so many (`room`): a console cable, a factory address, a person."""

    key: str
    title: str
    room: int = 1


@dataclass(frozen=True)
class Phase:
    """A stretch of a device's way: how many seconds it takes, and the keys of the claims that it holds meanwhile.

    What two phases in a row need is held between them too, even while the second waits for something else. A phase that
    is done `once` (the laptop's address in a subnet) is left out by everybody who comes to it later.
    """

    what: str
    seconds: float
    needs: frozenset[str] = frozenset()
    once: str = ""

    @cached_property
    def in_order(self) -> tuple[str, ...]:
        """What it needs, in the one order in which everybody takes things, so that nobody waits in a circle."""
        return tuple(sorted(self.needs))


@dataclass(frozen=True)
class Work:
    """What is left to do for one device, in order.

    `holds` is what it has already. A device that is `under_way` is in its first phase now. Devices in `after` must have
    come past their phase `set_up` first.
    """

    device: str
    phases: tuple[Phase, ...]
    holds: frozenset[str] = frozenset()
    under_way: bool = False
    after: frozenset[str] = frozenset()
    set_up: int = 0

    @cached_property
    def seconds(self) -> float:
        """How long it takes if it never waits."""
        return sum(phase.seconds for phase in self.phases)


@dataclass(frozen=True)
class Bench:
    """All that is left to do, and what there is to do it with."""

    works: tuple[Work, ...]
    claims: Mapping[str, Claim] = field(default_factory=dict)

    @classmethod
    def of(cls, works: Iterable[Work], claims: Iterable[Claim]) -> Bench:
        """A bench; a claim that some phase needs and nobody names is one of its kind."""
        works = tuple(works)
        known = {claim.key: claim for claim in claims}
        needed = {key for work in works for phase in work.phases for key in phase.needs}
        return cls(works, {key: known.get(key) or Claim(key, key) for key in sorted(needed)})

    def with_one_more(self, key: str) -> Bench:
        """The same bench with one more of something."""
        more = replace(self.claims[key], room=self.claims[key].room + 1)
        return replace(self, claims={**self.claims, key: more})

    @cached_property
    def loads(self) -> Mapping[str, float]:
        """The seconds for which each claim is held at least, all devices together, shared by as many as there are."""
        phases = [phase for work in self.works for phase in work.phases]
        once: dict[str, Phase] = {}
        for phase in (phase for phase in phases if phase.once):
            known = once.get(phase.once, phase)  # whoever comes first does it: at best, the one who needs least
            once[phase.once] = replace(
                known, seconds=min(known.seconds, phase.seconds), needs=known.needs & phase.needs
            )
        total = dict.fromkeys(self.claims, 0.0)
        for phase in (*(phase for phase in phases if not phase.once), *once.values()):
            for key in phase.needs:
                total[key] += phase.seconds / self.claims[key].room
        return total

    @cached_property
    def at_least(self) -> float:
        """The seconds that it takes whatever the order: the slowest device, or the claim that is wanted most."""
        slowest = max((sum(p.seconds for p in w.phases if not p.once) for w in self.works), default=0.0)
        return max([slowest, *self.loads.values()])
