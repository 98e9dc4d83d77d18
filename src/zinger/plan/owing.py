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


def _of_families(look: Look, lacks: Lacks) -> Iterator[tuple[FamilyRules, list[str], list[Device]]]:
    """For each family that is spoken to: the planned settings that it lacks, and the devices that plan any of them."""
    devices: dict[str, list[Device]] = defaultdict(list)
    settings: dict[str, dict[str, None]] = defaultdict(dict)
    for device in look.plan.devices:
        rules = look.rules(device)
        if rules is None or not rules.speaks:
            continue
        leased = device.address is not None and device.address.method == "dhcp"
        found = [n for n in device.values if lacks(rules, n) and not (leased and n == GATEWAY.name)]
        if found:
            devices[rules.name].append(device)
            settings[rules.name].update(dict.fromkeys(found))
    for name, of_family in devices.items():
        rules = look.rules(of_family[0])
        assert rules is not None
        yield rules, [SETTINGS[setting].title for setting in settings[name]], of_family


@plan_check("not-for-this-kind", WARNING)
def not_for_this_kind(look: Look) -> Iterator[Found]:
    """Devices of this kind do not have a planned setting, such as a VLAN on a port that is untagged; it is left out."""
    for rules, titles, devices in _of_families(look, lambda rules, name: name in rules.lacks):
        names = tuple(device.name for device in devices)
        what = f"{rules.title} does not have {', '.join(titles)}: left out, and nothing is owed for it"
        yield Found(what, "Nothing need be done", None, names, devices[0].spot)


@plan_check("owed-not-sent", WARNING)
def owed_not_sent(look: Look) -> Iterator[Found]:
    """A family's phrasebook has no step for a planned setting: its devices will be configured and owe it."""
    for rules, titles, devices in _of_families(look, lambda rules, name: name not in rules.tells | rules.lacks):
        names = tuple(device.name for device in devices)
        what = f"{rules.title} can't be told {', '.join(titles)}: it will be owed"
        yield Found(
            what, "Add steps to the phrasebook, or accept it afterwards with a reason", None, names, devices[0].spot
        )


@plan_check("owed-not-shown", WARNING)
def owed_not_shown(look: Look) -> Iterator[Found]:
    """A family's phrasebook sends a planned setting and reads nothing back: its devices will owe the proof of it."""
    for rules, titles, devices in _of_families(look, lambda rules, name: name in rules.tells - rules.shows):
        names = tuple(device.name for device in devices)
        what = f"nothing of {rules.title} shows {', '.join(titles)}: the proof will be owed"
        yield Found(what, "Take it from a reading in the phrasebook: read", None, names, devices[0].spot)
