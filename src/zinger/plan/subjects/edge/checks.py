"""Checks of routers and firewalls: rules, forwards, pools, reservations."""

from __future__ import annotations

from collections.abc import Iterator
from ipaddress import ip_address

from zinger.plan.checking import ERROR, WARNING, Found, Look, device_check, in_row, repair, unsafe, where_it_stands
from zinger.plan.model import Device
from zinger.plan.subjects.edge.models import Forward, Pool, Rule
from zinger.plan.subjects.edge.settings import (
    FILTERS,
    FORWARDS,
    GUEST,
    LOCAL,
    MANAGED,
    POOL,
    RESERVATIONS,
    RESET_AT_DEVICE,
    RULES,
    SCHEDULES,
    UPSTREAM,
)
from zinger.plan.subjects.management.settings import ADDRESS
from zinger.plan.subnets import hosts


@device_check("upstream-incomplete", ERROR, UPSTREAM, source="RFC 2516")
def upstream_incomplete(device: Device, look: Look) -> Iterator[Found]:
    """The upstream lacks what its method needs: address and gateway, or a PPPoE user and secret."""
    outside = device[UPSTREAM]
    if outside is None:
        return
    needs = {"static": ("address", "gateway"), "pppoe": ("user", "secret"), "dhcp": (), "detect": ()}[outside.method]
    lacking = [name for name in needs if not getattr(outside, name)]
    if lacking:
        yield Found(f"the upstream is {outside.method} without {' and '.join(lacking)}", "Add it", UPSTREAM)
    if outside.address is not None and outside.gateway is not None and outside.gateway not in outside.address.network:
        yield Found(
            f"the upstream gateway {outside.gateway} is not in {outside.address.network}",
            "Correct one of the two",
            UPSTREAM,
        )


@device_check("managed-from-upstream", ERROR, MANAGED, repairs=True)
def managed_from_upstream(device: Device, look: Look) -> Iterator[Found]:
    """Management services are offered to the provider's side, to the world."""
    for managed in device[MANAGED] or ():
        if managed.interface == "upstream" and managed.services not in ("", "none"):
            every = tuple(
                m.model_copy(update={"services": "none"}) if m is managed else m for m in device[MANAGED] or ()
            )
            yield Found(
                f"{managed.services} is offered upstream",
                "Offer no management there",
                MANAGED,
                repair=repair("offer none there", where_it_stands(device, MANAGED, MANAGED.text(every))),
            )


@device_check("rule-allows-all", WARNING, RULES)
def rule_allows_all(device: Device, look: Look) -> Iterator[Found]:
    """A rule allows anything from anywhere to anywhere."""
    for rule in device[RULES] or ():
        if rule.action == "allow" and rule.source == rule.target == rule.service == "any":
            yield Found(f"the rule {rule.purpose!r} allows everything", "Name source, target or service", RULES)


def _covers(one: Rule, later: Rule) -> bool:
    return all(
        mine in ("any", theirs)
        for mine, theirs in ((one.source, later.source), (one.target, later.target), (one.service, later.service))
    )


@device_check("rule-never-reached", WARNING, RULES)
def rule_never_reached(device: Device, look: Look) -> Iterator[Found]:
    """A rule stands below one that already decides on everything it could match."""
    rules = device[RULES] or ()
    for index, rule in enumerate(rules):
        above = next((r for r in rules[:index] if _covers(r, rule)), None)
        if above is not None:
            yield Found(
                f"the rule {rule.purpose!r} is never reached, below {above.purpose!r}",
                "Put it above, or leave it out",
                RULES,
            )


@device_check("forward-twice", ERROR, FORWARDS)
def forward_twice(device: Device, look: Look) -> Iterator[Found]:
    """One port is forwarded to two places."""
    seen: dict[tuple[str, int], Forward] = {}
    for forward in device[FORWARDS] or ():
        key = (forward.protocol, forward.port)
        if key in seen:
            yield Found(
                f"{forward.protocol} port {forward.port} is forwarded to {seen[key].to} and to {forward.to}",
                "Keep one, or give one another port",
                FORWARDS,
            )
        seen[key] = forward


@device_check("forward-outside-lan", ERROR, FORWARDS, LOCAL, GUEST)
def forward_outside_lan(device: Device, look: Look) -> Iterator[Found]:
    """A port is forwarded to an address that is in no local subnet, as happens after the LAN was moved."""
    nets = [i.network for i in (device[LOCAL], device[GUEST]) if i is not None]
    for forward in device[FORWARDS] or ():
        if nets and not any(forward.to in net for net in nets):
            yield Found(
                f"{forward.protocol} port {forward.port} is forwarded to {forward.to}, which is not in {nets[0]}",
                "Correct the address",
                FORWARDS,
            )


@device_check("schedule-unknown", ERROR, FILTERS, SCHEDULES)
def schedule_unknown(device: Device, look: Look) -> Iterator[Found]:
    """A filter is for a schedule that is not planned, or a schedule ends before it begins."""
    known = {schedule.name for schedule in device[SCHEDULES] or ()}
    for entry in device[FILTERS] or ():
        if entry.schedule and entry.schedule not in known:
            yield Found(
                f"the filter of {entry.what} is for {entry.schedule!r}, which is not a schedule",
                "Plan it in edge.schedules",
                FILTERS,
            )
    for schedule in device[SCHEDULES] or ():
        if schedule.end <= schedule.begin:
            yield Found(
                f"the schedule {schedule.name!r} ends at {schedule.end}, before it begins", "Turn it round", SCHEDULES
            )


@device_check("pool-outside-lan", ERROR, POOL, LOCAL, source="RFC 2131 4.3.1", repairs=True)
def pool_outside_lan(device: Device, look: Look) -> Iterator[Found]:
    """The DHCP pool is not in the local subnet, as happens when the LAN was moved and the pool was forgotten."""
    pool, inside = device[POOL], device[LOCAL]
    if pool is None or inside is None:
        return
    net = inside.network
    if pool.first in net and pool.last in net:
        return
    base, size = int(net.network_address), net.num_addresses
    moved = [base + int(a) % size for a in (pool.first, pool.last)]
    first, last = hosts(net)
    fix = None
    if first <= moved[0] <= moved[1] <= last and not moved[0] <= int(inside.ip) <= moved[1]:
        new = pool.model_copy(update={"first": ip_address(moved[0]), "last": ip_address(moved[1])})
        taken = {int(own.ip) for d in look.plan.devices if (own := d.fixed) is not None}
        if taken.isdisjoint(range(moved[0], min(moved[1], moved[0] + 65536) + 1)):
            fix = repair(f"move the pool to {new.first}-{new.last}", in_row(device, POOL, str(new)))
    yield Found(
        f"its DHCP pool {pool.first}-{pool.last} is not in the local subnet {net}",
        "Move the pool with the LAN",
        POOL,
        repair=fix,
    )


@device_check("pool-backwards", ERROR, POOL, repairs=True)
def pool_backwards(device: Device, look: Look) -> Iterator[Found]:
    """The DHCP pool ends before it begins."""
    pool = device[POOL]
    if pool is not None and pool.first > pool.last:
        new = pool.model_copy(update={"first": pool.last, "last": pool.first})
        yield Found(
            f"its DHCP pool ends at {pool.last}, before it begins",
            "Write the lower address first",
            POOL,
            repair=repair("turn it round", in_row(device, POOL, str(new))) if _free_of(look, new) else None,
        )


def _free_of(look: Look, pool: Pool) -> bool:
    first, last = int(pool.first), int(pool.last)
    return not any(first <= int(own.ip) <= last for d in look.plan.devices if (own := d.fixed) is not None)


@device_check("reservation-outside", ERROR, RESERVATIONS, LOCAL, ADDRESS)
def reservation_outside(device: Device, look: Look) -> Iterator[Found]:
    """A reservation keeps an address that is not in the local subnet, so it can never be given out."""
    inside = device[LOCAL] or (device.fixed.interface if device.fixed else None)
    for kept in device[RESERVATIONS] or ():
        if inside is not None and kept.address not in inside.network:
            yield Found(
                f"the reservation {kept.address} for {kept.mac} is not in {inside.network}",
                "Correct the address",
                RESERVATIONS,
            )


@device_check("reservation-twice", ERROR, RESERVATIONS)
def reservation_twice(device: Device, look: Look) -> Iterator[Found]:
    """One address is reserved for two MACs, or one MAC has two reservations."""
    seen: set[object] = set()
    for kept in device[RESERVATIONS] or ():
        for key in (kept.address, kept.mac):
            if key in seen:
                yield Found(f"{key} stands in two reservations", "Keep one of them", RESERVATIONS)
            seen.add(key)


reset_open = unsafe(
    "reset-at-device-allowed",
    "Whoever stands before the device can reset its password.",
    {RESET_AT_DEVICE: "anybody who stands before it can reset its password"},
    "Forbid it unless the device is locked away",
    value="allowed",
    safe="forbidden",
    words="forbid it",
)
