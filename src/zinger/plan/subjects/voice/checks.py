"""Checks of voice gateways: legs, peers, media ports, number rewriting."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from zinger.plan.checking import ERROR, WARNING, Found, Look, device_check, repair, where_it_stands
from zinger.plan.model import Device
from zinger.plan.subjects.voice.models import rewritten
from zinger.plan.subjects.voice.settings import LEGS, MEDIA, PEERS, PROFILES, REWRITES, SESSIONS

_EMERGENCY = ("112", "911")


@device_check("legs-incomplete", ERROR, LEGS, PEERS)
def legs_incomplete(device: Device, look: Look) -> Iterator[Found]:
    """A peer is on a side where the gateway has no leg."""
    sides = {leg.side for leg in device[LEGS] or ()}
    for peer in device[PEERS] or ():
        if sides and peer.side not in sides:
            yield Found(
                f"the peer {peer.name} is {peer.side}, where no leg is planned", f"Plan the {peer.side} leg", PEERS
            )


@device_check("profile-unknown", ERROR, PEERS, PROFILES)
def profile_unknown(device: Device, look: Look) -> Iterator[Found]:
    """A peer names a profile that is not planned."""
    known = [profile.name for profile in device[PROFILES] or ()]
    for peer in device[PEERS] or ():
        if peer.profile not in known:
            there = ", ".join(known) or "none"
            yield Found(
                f"the peer {peer.name} has the profile {peer.profile}, which is not planned",
                f"Plan it under profiles, or name one that is: {there}",
                PEERS,
            )


@device_check("registration-incomplete", ERROR, PEERS, source="RFC 3261 22")
def registration_incomplete(device: Device, look: Look) -> Iterator[Found]:
    """A peer has an account without a password, or a password without an account."""
    for peer in device[PEERS] or ():
        if bool(peer.user) != (peer.secret is not None):
            lacks = "password (secret)" if peer.user else "account (user)"
            yield Found(f"the peer {peer.name} lacks the {lacks} for its registration", "Give both, or neither", PEERS)


@device_check("peer-without-backup", WARNING, PEERS)
def peer_without_backup(device: Device, look: Look) -> Iterator[Found]:
    """A voice peer has no backup: when it fails, nobody can call."""
    for peer in device[PEERS] or ():
        if peer.backup is None:
            yield Found(f"the peer {peer.name} has no backup", "Name one, if there is one", PEERS)


@device_check("media-overlaps", ERROR, MEDIA, PEERS, source="RFC 3550 11")
def media_overlaps(device: Device, look: Look) -> Iterator[Found]:
    """The media ports run backwards, begin among the well-known ports, or contain a signalling port."""
    media = device[MEDIA]
    if media is None:
        return
    ports = f"the media ports {media.first}-{media.last}"
    if media.last < media.first or media.first < 1024:
        yield Found(f"{ports} are not a range within 1024-65535", "Choose another range", MEDIA)
    signalling = {5060: "SIP", 5061: "SIP over TLS", **{p.port: str(p.name) for p in device[PEERS] or ()}}
    for port, whose in signalling.items():
        if media.first <= port <= media.last:
            yield Found(f"{ports} contain the port {port} of {whose}", "Choose another range", MEDIA)


@device_check("media-too-few", WARNING, MEDIA, SESSIONS, source="RFC 3550 11", repairs=True)
def media_too_few(device: Device, look: Look) -> Iterator[Found]:
    """Fewer media ports than sessions need: four each, RTP and RTCP on both legs."""
    media, sessions = device[MEDIA], device[SESSIONS]
    if media is None or not sessions or not 0 < media.count < 4 * sessions:
        return
    last = media.first + 4 * sessions - 1
    fits = last <= 65535 and not any(media.first <= peer.port <= last for peer in device[PEERS] or ())
    enough = str(media.model_copy(update={"last": last}))
    yield Found(
        f"{sessions} sessions need {4 * sessions} media ports; {media.count} are planned",
        "Allow more ports",
        MEDIA,
        repair=repair(f"allow {4 * sessions}", where_it_stands(device, MEDIA, enough)) if fits else None,
    )


@device_check("rewrite-never", WARNING, REWRITES, source="ITU-T E.164")
def rewrite_never(device: Device, look: Look) -> Iterator[Found]:
    """A number rewriting rule never matches, since one above it takes every number that it would."""
    rules = device[REWRITES] or ()
    for index, rule in enumerate(rules):
        above = next((r for r in rules[:index] if r.covers(rule)), None)
        if above is not None:
            yield Found(
                f"the rewriting of {rule.begins}… never happens: {above.begins or 'any number'} above takes it",
                "Put the longer beginning first",
                REWRITES,
            )


@device_check("rewrite-too-long", ERROR, REWRITES, source="ITU-T E.164")
def rewrite_too_long(device: Device, look: Look) -> Iterator[Found]:
    """A rewriting rule wants more digits than a number has (15 with its country code)."""
    for rule in device[REWRITES] or ():
        if len(rule.begins.removeprefix("+")) > 15:
            yield Found(
                f"the rewriting of {rule.begins}… wants {len(rule.begins)} digits; a number has 15 at most",
                "Shorten the beginning",
                REWRITES,
            )


@device_check("rewrite-emergency", WARNING, REWRITES, source="ETSI TS 122 101")
def rewrite_emergency(device: Device, look: Look) -> Iterator[Found]:
    """A rewriting rule takes emergency numbers too: the call would go to somebody else, or nowhere."""
    rules = device[REWRITES] or ()
    for number in _EMERGENCY:
        result, taken = rewritten(number, rules)
        if taken is not None and result != number:
            rule = rules[taken].begins or "any number"
            yield Found(
                f"the rewriting of {rule}… makes {result} of the emergency number {number}",
                "Let it begin with more digits, or put a rule above that keeps the number",
                REWRITES,
            )


@device_check("rewrite-changes-nothing", WARNING, REWRITES)
def rewrite_changes_nothing(device: Device, look: Look) -> Iterator[Found]:
    """A rewriting rule puts back exactly what it replaces."""
    for rule in device[REWRITES] or ():
        if rule.becomes == rule.beginning:
            yield Found(
                f"the rewriting of {rule.begins}… changes nothing",
                "Leave it out, unless it keeps others away",
                REWRITES,
            )


@device_check("voice-in-the-clear", WARNING, PEERS, source="RFC 3261 26.2")
def voice_in_the_clear(device: Device, look: Look) -> Iterator[Found]:
    """An upstream peer is spoken to over UDP or TCP in the clear."""
    sides = defaultdict(list)
    for peer in device[PEERS] or ():
        sides[peer.side].append(peer)
    for peer in sides["upstream"]:
        if peer.transport != "tls":
            yield Found(
                f"the upstream peer {peer.name} is reached over {peer.transport} in the clear",
                "Use TLS where the provider offers it",
                PEERS,
            )


@device_check("leg-without-transport", ERROR, LEGS, PEERS, source="RFC 3261 18")
def leg_without_transport(device: Device, look: Look) -> Iterator[Found]:
    """A peer is spoken to over a transport that its leg does not listen on."""
    for leg in device[LEGS] or ():
        for peer in device[PEERS] or ():
            if leg.transports and peer.side == leg.side and peer.transport not in leg.transports:
                yield Found(
                    f"the peer {peer.name} is reached over {peer.transport}, and the {leg.side} leg takes "
                    f"{' and '.join(leg.transports)} only",
                    "Add the transport to the leg, or change that of the peer",
                    PEERS,
                )


@device_check("srtp-keys-in-the-clear", WARNING, PEERS, source="RFC 4568 7")
def srtp_keys_in_the_clear(device: Device, look: Look) -> Iterator[Found]:
    """Speech is encrypted, but its keys travel in signalling that is not."""
    for peer in device[PEERS] or ():
        if peer.media == "srtp" and peer.transport != "tls":
            yield Found(
                f"the keys of {peer.name}'s SRTP travel over {peer.transport} in the clear", "Use TLS with it", PEERS
            )
