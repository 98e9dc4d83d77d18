"""Small things that the dialogues of simulated devices have in common: refusals, and words that must be something."""

from __future__ import annotations

from ipaddress import AddressValueError, IPv4Address, IPv4Interface


class Refused(Exception):
    """The device says no; the message is what it shows."""


def one(rest: list[str], what: str) -> str:
    """The single word that must follow."""
    if len(rest) != 1:
        raise Refused(f"it wants {what}")
    return rest[0]


def address_of(word: str) -> IPv4Address:
    """A host address, or a refusal."""
    try:
        return IPv4Address(word)
    except AddressValueError:
        raise Refused(f"{word} is not an address") from None


def host_in_net(text: str) -> IPv4Interface:
    """A.B.C.D/N that a host can have, or a refusal."""
    try:
        found = IPv4Interface(text)
    except ValueError:
        raise Refused(f"{text} is not an address with its length") from None
    if "/" not in text or found.ip in (found.network.network_address, found.network.broadcast_address):
        raise Refused(f"{text} is not a host's address with its length")
    return found


def addresses(rest: list[str], most: int) -> list[str]:
    """A list of addresses, or `none`."""
    if rest == ["none"]:
        return []
    if not 1 <= len(rest) <= most:
        raise Refused(f"it wants 1 to {most} addresses, or none")
    return [str(address_of(word)) for word in rest]


def either(rest: list[str], yes: str, no: str) -> bool:
    """One of two words."""
    if rest not in ([yes], [no]):
        raise Refused(f"it wants {yes} or {no}")
    return rest == [yes]
