"""Who is who: names, serial numbers, MACs, labels; families; what is missing."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Callable, Iterator

from zinger.plan.checks.registry import MEND, THINK, Found, Look, device_check, in_row, plan_check, repair, spot_of
from zinger.plan.families import COUNTED
from zinger.plan.model import Device, Layer
from zinger.plan.problems import did_you_mean
from zinger.plan.settings import SECTIONS, SETTINGS

_ROLE_SETTINGS = {name: section for section, names in SECTIONS.items() for name in names}


@plan_check("setting-missing", MEND)
def setting_missing(look: Look) -> Iterator[Found]:
    """A setting without which nothing can be proved is not planned: hostname, administrator, management address."""
    for setting in SETTINGS.values():
        if setting.required:
            lacking = [d for d in look.plan.devices if setting.name not in d.values]
            if lacking:
                yield Found(
                    f"no {setting.title} is planned",
                    f"Give {setting.name} in the sheet or in job.yaml",
                    setting.name,
                    tuple(d.name for d in lacking),
                    lacking[0].spot,
                )


def _duplicates(look: Look, word: str, setting: str | None, key: Callable[[Device], str]) -> Iterator[Found]:
    owners: dict[str, list[Device]] = defaultdict(list)
    for device in look.plan.devices:
        if found := key(device):
            owners[found].append(device)
    for value, devices in owners.items():
        if len(devices) > 1:
            rows = " and ".join(str(d.spot.line) for d in devices)
            yield Found(
                f"{word} {value} stands in rows {rows}",
                "Give each device its own",
                setting,
                tuple(dict.fromkeys(d.name for d in devices)),
                spot_of(devices[-1], setting),
            )


@plan_check("duplicate-hostname", MEND, source="RFC 1123")
def duplicate_hostname(look: Look) -> Iterator[Found]:
    """Two devices have one hostname; case does not tell them apart."""
    yield from _duplicates(look, "hostname", "hostname", lambda d: d.name.lower())


@plan_check("duplicate-serial", MEND)
def duplicate_serial(look: Look) -> Iterator[Found]:
    """Two devices have one serial number, so the right box could not be told."""
    yield from _duplicates(look, "serial", None, lambda d: d.serial.lower())


@plan_check("duplicate-mac", MEND, source="IEEE 802")
def duplicate_mac(look: Look) -> Iterator[Found]:
    """Two devices have one MAC address."""
    yield from _duplicates(look, "mac", None, lambda d: d.mac)


@plan_check("duplicate-label", MEND)
def duplicate_label(look: Look) -> Iterator[Found]:
    """Two devices have one asset label."""
    yield from _duplicates(look, "label", None, lambda d: d.label.lower())


@device_check("mac-of-a-group", MEND, source="IEEE 802")
def mac_of_a_group(device: Device, look: Look) -> Iterator[Found]:
    """The MAC is a multicast address, which no device has: a digit is wrong."""
    if device.mac and device.mac[1] in "13579bdf":
        yield Found(f"{device.mac} is a group address", "Read the label again")


@device_check("too-many", MEND, *COUNTED)
def too_many(device: Device, look: Look) -> Iterator[Found]:
    """More of something is planned than the family takes."""
    rules = look.rules(device)
    for setting, most in rules.most if rules else ():
        planned = device.value(setting)
        if isinstance(planned, tuple) and len(planned) > most:
            title = rules.title if rules else ""
            yield Found(
                f"{len(planned)} {SETTINGS[setting].title} are planned; {title} takes {most}",
                f"Leave out {len(planned) - most}",
                setting,
            )


@device_check("hostname-too-long", MEND, "hostname")
def hostname_too_long(device: Device, look: Look) -> Iterator[Found]:
    """The hostname is longer than its family takes."""
    name, rules = device.value("hostname"), look.rules(device)
    if name and rules and len(name) > rules.hostname_longest:
        yield Found(
            f"{name} has {len(name)} characters; {rules.title} takes {rules.hostname_longest}", "Shorten it", "hostname"
        )


@device_check("hostname-characters", MEND, "hostname")
def hostname_characters(device: Device, look: Look) -> Iterator[Found]:
    """The hostname has characters that its family refuses."""
    name, rules = device.value("hostname"), look.rules(device)
    if not name or not rules or re.fullmatch(f"(?:{rules.hostname_of})*", name):
        return
    wrong = sorted(set(re.sub(rules.hostname_of, "", name)))
    small = name.lower()
    fix = None
    if (
        device.values["hostname"].origin.layer is Layer.SHEET
        and not re.sub(rules.hostname_of, "", small)
        and small not in look.by_name
    ):
        fix = repair(f"write it small, {small}", in_row(device, "hostname", small))
    yield Found(
        f"{rules.title} takes no {' '.join(wrong)} in a hostname",
        f"Use only {rules.hostname_of.strip('[]')}",
        "hostname",
        repair=fix,
    )


@plan_check("family-not-spoken", THINK)
def family_not_spoken(look: Look) -> Iterator[Found]:
    """Zinger has no phrasebook for a family yet: its devices are planned and checked, but not configured."""
    waiting = [(d, rules) for d in look.plan.devices if (rules := look.rules(d)) is not None and not rules.speaks]
    if waiting:
        devices = [device for device, _ in waiting]
        titles = list(dict.fromkeys(rules.title for _, rules in waiting))
        has = "has" if len(titles) == 1 else "have"
        yield Found(
            f"{', '.join(titles)} {has} no phrasebook yet: planned and checked, not configured",
            "Configure them by hand, or write phrasebooks/NAME.yaml",
            None,
            tuple(d.name for d in devices),
            devices[0].spot,
        )


@device_check(
    "not-for-family",
    THINK,
    *(name for name, section in _ROLE_SETTINGS.items() if section in ("switching", "wireless", "edge", "voice")),
)
def not_for_family(device: Device, look: Look) -> Iterator[Found]:
    """The sheet plans something for a device that its family does not have, such as SSIDs for a switch."""
    rules = look.rules(device)
    if rules is None:
        return
    for name, value in device.values.items():
        if value.origin.layer is Layer.SHEET and not rules.has(_ROLE_SETTINGS[name]):
            yield Found(
                f"{rules.title} has no {SETTINGS[name].title}",
                "Leave the cell empty, or look at the family",
                name,
                repair=repair("empty the cell", in_row(device, name, None)),
            )


def name_hint(name: str, look: Look) -> str:
    """Did you mean this other device?"""
    return did_you_mean(name, look.by_name)
