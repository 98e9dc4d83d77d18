"""Edge and voice: rules, forwards, what the outside may reach, media ports, number rewriting."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from zinger.plan.checks.registry import MEND, THINK, Found, Look, device_check, repair, where_it_stands
from zinger.plan.items import Forward, Rule
from zinger.plan.model import Device
from zinger.plan.settings import SETTINGS


@device_check("outside-incomplete", MEND, "edge.outside", source="RFC 2516")
def outside_incomplete(device: Device, look: Look) -> Iterator[Found]:
    """The outside interface lacks what its method needs: address and gateway, or a PPPoE user and secret."""
    outside = device.value("edge.outside")
    if outside is None:
        return
    needs = {"static": ("address", "gateway"), "pppoe": ("user", "secret"), "dhcp": ()}[outside.method]
    lacking = [name for name in needs if not getattr(outside, name)]
    if lacking:
        yield Found(f"the outside is {outside.method} without {' and '.join(lacking)}", "Add it", "edge.outside")
    if outside.address is not None and outside.gateway is not None and outside.gateway not in outside.address.network:
        yield Found(
            f"the outside gateway {outside.gateway} is not in {outside.address.network}",
            "Correct one of the two",
            "edge.outside",
        )


@device_check("managed-from-outside", MEND, "edge.managed")
def managed_from_outside(device: Device, look: Look) -> Iterator[Found]:
    """Management services are offered on the outside interface, to the world."""
    for managed in device.value("edge.managed") or ():
        if managed.interface == "outside" and managed.services not in ("", "none"):
            every = tuple(
                m.model_copy(update={"services": "none"}) if m is managed else m for m in device.value("edge.managed")
            )
            yield Found(
                f"{managed.services} is offered to the outside",
                "Offer no management there",
                "edge.managed",
                repair=repair(
                    "offer none there", where_it_stands(device, "edge.managed", SETTINGS["edge.managed"].text(every))
                ),
            )


@device_check("recovery-open", THINK, "edge.recovery")
def recovery_open(device: Device, look: Look) -> Iterator[Found]:
    """Whoever stands before the device can recover its password."""
    if device.value("edge.recovery") is True:
        yield Found(
            "its password can be recovered by anybody who stands before it",
            "Turn it off if the box is not locked away",
            "edge.recovery",
        )


@device_check("rule-allows-all", THINK, "edge.rules")
def rule_allows_all(device: Device, look: Look) -> Iterator[Found]:
    """A rule allows anything from anywhere to anywhere."""
    for rule in device.value("edge.rules") or ():
        if rule.action == "allow" and rule.source == rule.target == rule.service == "any":
            yield Found(f"the rule {rule.purpose!r} allows everything", "Name source, target or service", "edge.rules")


def _covers(one: Rule, later: Rule) -> bool:
    return all(
        mine in ("any", theirs)
        for mine, theirs in ((one.source, later.source), (one.target, later.target), (one.service, later.service))
    )


@device_check("rule-never-reached", THINK, "edge.rules")
def rule_never_reached(device: Device, look: Look) -> Iterator[Found]:
    """A rule stands below one that already decides on everything it could match."""
    rules = device.value("edge.rules") or ()
    for index, rule in enumerate(rules):
        above = next((r for r in rules[:index] if _covers(r, rule)), None)
        if above is not None:
            yield Found(
                f"the rule {rule.purpose!r} is never reached, below {above.purpose!r}",
                "Put it above, or leave it out",
                "edge.rules",
            )


@device_check("forward-twice", MEND, "edge.forwards")
def forward_twice(device: Device, look: Look) -> Iterator[Found]:
    """One outside port is forwarded to two places."""
    seen: dict[tuple[str, int], Forward] = {}
    for forward in device.value("edge.forwards") or ():
        key = (forward.protocol, forward.port)
        if key in seen:
            yield Found(
                f"{forward.protocol} port {forward.port} is forwarded to {seen[key].to} and to {forward.to}",
                "Keep one, or give one another port",
                "edge.forwards",
            )
        seen[key] = forward


@device_check("forward-outside-lan", MEND, "edge.forwards", "edge.inside", "edge.guest")
def forward_outside_lan(device: Device, look: Look) -> Iterator[Found]:
    """A port is forwarded to an address that is in no inside subnet, as happens after the LAN was moved."""
    nets = [i.network for i in (device.value("edge.inside"), device.value("edge.guest")) if i is not None]
    for forward in device.value("edge.forwards") or ():
        if nets and not any(forward.to in net for net in nets):
            yield Found(
                f"{forward.protocol} port {forward.port} is forwarded to {forward.to}, which is not in {nets[0]}",
                "Correct the address",
                "edge.forwards",
            )


@device_check("schedule-unknown", MEND, "edge.filters", "edge.schedules")
def schedule_unknown(device: Device, look: Look) -> Iterator[Found]:
    """A filter is for a schedule that is not planned, or a schedule ends before it begins."""
    known = {schedule.name for schedule in device.value("edge.schedules") or ()}
    for entry in device.value("edge.filters") or ():
        if entry.schedule and entry.schedule not in known:
            yield Found(
                f"the filter of {entry.what} is for {entry.schedule!r}, which is no schedule",
                "Plan it in edge.schedules",
                "edge.filters",
            )
    for schedule in device.value("edge.schedules") or ():
        if schedule.end <= schedule.begin:
            yield Found(
                f"the schedule {schedule.name!r} ends at {schedule.end}, before it begins",
                "Turn it round",
                "edge.schedules",
            )


# -- voice ---------------------------------------------------------------------------------------------
@device_check("legs-incomplete", MEND, "voice.legs", "voice.peers")
def legs_incomplete(device: Device, look: Look) -> Iterator[Found]:
    """A peer is on a side where the gateway has no leg."""
    sides = {leg.side for leg in device.value("voice.legs") or ()}
    for peer in device.value("voice.peers") or ():
        if sides and peer.side not in sides:
            yield Found(
                f"the peer {peer.name} is {peer.side}, where no leg is planned",
                f"Plan an {peer.side} leg",
                "voice.peers",
            )


@device_check("peer-without-backup", THINK, "voice.peers")
def peer_without_backup(device: Device, look: Look) -> Iterator[Found]:
    """A voice peer has no backup: when it fails, nobody can call."""
    for peer in device.value("voice.peers") or ():
        if peer.backup is None:
            yield Found(f"the peer {peer.name} has no backup", "Name one, if there is one", "voice.peers")


@device_check("media-overlaps", MEND, "voice.media", "voice.peers", source="RFC 3550 11")
def media_overlaps(device: Device, look: Look) -> Iterator[Found]:
    """The media ports go beyond 65535, begin among the well-known ports, or contain a signalling port."""
    media = device.value("voice.media")
    if media is None:
        return
    if media.last > 65535 or media.base < 1024:
        yield Found(f"the media ports {media.base}-{media.last} leave 1024-65535", "Choose another base", "voice.media")
    for peer in device.value("voice.peers") or ():
        if media.base <= peer.port <= media.last:
            yield Found(
                f"the media ports {media.base}-{media.last} contain the port {peer.port} of {peer.name}",
                "Choose another base",
                "voice.media",
            )


@device_check("media-too-few", THINK, "voice.media", "voice.sessions", source="RFC 3550 11")
def media_too_few(device: Device, look: Look) -> Iterator[Found]:
    """Fewer media ports than sessions need: four each, RTP and RTCP on both legs."""
    media, sessions = device.value("voice.media"), device.value("voice.sessions")
    if media is not None and sessions and media.ports < 4 * sessions:
        enough = media.model_copy(update={"ports": 4 * sessions})
        fits = enough.last <= 65535 and not any(
            enough.base <= peer.port <= enough.last for peer in device.value("voice.peers") or ()
        )
        yield Found(
            f"{sessions} sessions need {4 * sessions} media ports; {media.ports} are planned",
            "Allow more ports",
            "voice.media",
            repair=repair(f"allow {4 * sessions}", where_it_stands(device, "voice.media", str(enough)))
            if fits
            else None,
        )


@device_check("rewrite-never", THINK, "voice.rewrites", source="ITU-T E.164")
def rewrite_never(device: Device, look: Look) -> Iterator[Found]:
    """A number rewriting rule never matches, since one above it takes every number that it would."""
    rules = device.value("voice.rewrites") or ()
    for index, rule in enumerate(rules):
        above = next((r for r in rules[:index] if r.covers(rule)), None)
        if above is not None:
            yield Found(
                f"the rewriting of {rule.match} never happens: {above.match or 'any number'} above takes it",
                "Put the longer match first",
                "voice.rewrites",
            )


@device_check("rewrite-strips-all", MEND, "voice.rewrites", source="ITU-T E.164")
def rewrite_strips_all(device: Device, look: Look) -> Iterator[Found]:
    """A rewriting rule strips more digits than a number has (15 with its country code)."""
    for rule in device.value("voice.rewrites") or ():
        if rule.strip > 15:
            yield Found(
                f"the rewriting of {rule.match} strips {rule.strip} digits; a number has 15 at most",
                "Strip fewer",
                "voice.rewrites",
            )


@device_check("rewrite-changes-nothing", THINK, "voice.rewrites")
def rewrite_changes_nothing(device: Device, look: Look) -> Iterator[Found]:
    """A rewriting rule puts back exactly what it strips."""
    for rule in device.value("voice.rewrites") or ():
        if (
            rule.match[: rule.strip] == rule.prefix
            and len(rule.match) >= rule.strip
            and "x" not in rule.match[: rule.strip]
        ):
            yield Found(
                f"the rewriting of {rule.match} changes nothing",
                "Leave it out, unless it keeps others away",
                "voice.rewrites",
            )


@device_check("voice-in-the-clear", THINK, "voice.peers", source="RFC 3261 26.2")
def voice_in_the_clear(device: Device, look: Look) -> Iterator[Found]:
    """An outside peer is spoken to over UDP or TCP in the clear."""
    sides = defaultdict(list)
    for peer in device.value("voice.peers") or ():
        sides[peer.side].append(peer)
    for peer in sides["outside"]:
        if peer.transport != "tls":
            yield Found(
                f"the outside peer {peer.name} is reached over {peer.transport} in the clear",
                "Use TLS where the provider offers it",
                "voice.peers",
            )
