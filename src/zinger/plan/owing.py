"""Checks of what a family can't be told: what will be owed is said before a cable is touched."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator

from zinger.plan.checking import WARNING, Found, Look, plan_check
from zinger.plan.families import FamilyRules
from zinger.plan.model import Device
from zinger.plan.settings import SETTINGS
from zinger.plan.subjects.management.settings import GATEWAY

Lacks = Callable[[FamilyRules, str], bool]


def _of_families(look: Look, lacks: Lacks, what: str, do: str) -> Iterator[Found]:
    """For each family that is spoken to, one finding of all planned settings that it lacks.

    `what` is the sentence, with `{family}` and `{settings}` in it.
    """
    devices: dict[str, list[Device]] = defaultdict(list)
    settings: dict[str, dict[str, None]] = defaultdict(dict)
    titles: dict[str, str] = {}
    for device in look.plan.devices:
        rules = look.rules(device)
        if rules is None or not rules.speaks:
            continue
        leased = device.address is not None and device.address.method == "dhcp"
        found = [n for n in device.values if lacks(rules, n) and not (leased and n == GATEWAY.name)]
        if found:
            titles[rules.name] = rules.title
            devices[rules.name].append(device)
            settings[rules.name].update(dict.fromkeys(found))
    for name, of_family in devices.items():
        words = what.format(family=titles[name], settings=", ".join(SETTINGS[n].title for n in settings[name]))
        yield Found(words, do, None, tuple(device.name for device in of_family), of_family[0].spot)


@plan_check("not-for-this-kind", WARNING)
def not_for_this_kind(look: Look) -> Iterator[Found]:
    """Devices of this kind do not have a planned setting, such as a VLAN on a port that is untagged; it is left out."""
    what = "{family} does not have {settings}: left out, and nothing is owed for it"
    yield from _of_families(look, lambda rules, name: name in rules.lacks, what, "Nothing need be done")


@plan_check("owed-not-sent", WARNING)
def owed_not_sent(look: Look) -> Iterator[Found]:
    """A family's phrasebook has no step for a planned setting: its devices will be configured and owe it."""
    what, do = (
        "{family} can't be told {settings}: it will be owed",
        "Add steps to the phrasebook, or accept it afterwards",
    )
    yield from _of_families(look, lambda rules, name: name not in rules.tells | rules.lacks, what, do)


@plan_check("owed-not-shown", WARNING)
def owed_not_shown(look: Look) -> Iterator[Found]:
    """A family's phrasebook sends a planned setting and reads nothing back: its devices will owe the proof of it."""
    what, do = (
        "nothing of {family} shows {settings}: the proof will be owed",
        "Take it from a reading in the phrasebook",
    )
    yield from _of_families(look, lambda rules, name: name in rules.tells - rules.shows, what, do)
