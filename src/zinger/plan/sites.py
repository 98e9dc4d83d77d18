"""The sites of a job: their subnets, and the rules by which their addresses are given out."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from ipaddress import ip_network
from typing import TypeVar

from zinger.plan.model import Site
from zinger.plan.problems import Problem, error_at
from zinger.plan.raw import Raw, RawJob, RawSite
from zinger.plan.subnets import hosts
from zinger.plan.values.addresses import Address, Network
from zinger.plan.values.bad import BadValue
from zinger.plan.values.text import one_of, parse_flag, whole

T = TypeVar("T")
_PLACE = one_of("first", "last")


def sites_of(job: RawJob, problems: list[Problem]) -> dict[str, Site]:
    """Every site of a job by its key; what can't be read is added to the problems."""
    return {key: _site(raw, {**job.addresses, **raw.addresses}, problems) for key, raw in job.sites.items()}


def _site(raw: RawSite, rules: Mapping[str, Raw], problems: list[Problem]) -> Site:
    subnet: Network | None = None
    if raw.subnet is not None:
        try:
            subnet = ip_network(str(raw.subnet.value).strip())
        except ValueError as error:
            what = f"{raw.subnet.value!r} is not a valid subnet: {error}"
            do = "Write the network address and its length, like 10.44.8.0/24"
            problems.append(error_at("subnet-form", raw.subnet.spot, what, do))
    head, tail = (_rule(rules, key, whole(0, 65535), problems) or 0 for key in ("head", "tail"))
    allocates = bool(_rule(rules, "allocate", parse_flag, problems)) if "allocate" in rules else bool(rules)
    place = _rule(rules, "gateway", _PLACE, problems) or "first"
    spot = raw.subnet.spot if raw.subnet else raw.spot
    gateway = _gateway(place, subnet) if subnet is not None else None
    return Site(raw.key, raw.name, subnet, spot, head, tail, allocates, gateway)


def _rule(rules: Mapping[str, Raw], key: str, parse: Callable[[object], T], problems: list[Problem]) -> T | None:
    if key not in rules:
        return None
    try:
        return parse(rules[key].value)
    except BadValue as error:
        problems.append(error_at("addresses-form", rules[key].spot, f"{key}: {error.what}", error.repair))
        return None


def _gateway(place: str, subnet: Network) -> Address:
    first, last = hosts(subnet)
    address: Address = type(subnet.network_address)(last if place == "last" else first)
    return address
