"""The tables of a Marrable V6: how calls go. They come as one text, of which the first wrong line refuses the whole."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field
from ipaddress import ip_address, ip_interface

from zinger.practice.core.words import Refused

Row = tuple[str, ...]


@dataclass
class Tables:
    """What a text means: rows as the pages show them, and the secrets, which they do not show."""

    kinds: list[Row] = field(default_factory=list)
    legs: list[Row] = field(default_factory=list)
    peers: list[Row] = field(default_factory=list)
    accounts: dict[str, str] = field(default_factory=dict)
    secrets: dict[str, str] = field(default_factory=dict)
    domains: dict[str, str] = field(default_factory=dict)
    sounds: dict[str, str] = field(default_factory=dict)
    takes: dict[str, str] = field(default_factory=dict)
    """The transports that a leg takes, where it says."""
    numbers: list[Row] = field(default_factory=list)
    calls: str = ""
    media: str = ""


def understood(text: str) -> Tables:
    """The tables of a text; raises Refused with the number of the line that is wrong."""
    tables, ended = Tables(), False
    for number, line in enumerate(text.splitlines(), 1):
        try:
            if ended and line.strip():
                raise Refused("nothing may stand after the end")
            ended = ended or line.strip() == "end of tables"
            if line.strip() and not ended and not line.startswith("#"):
                _line(tables, line.strip())
        except Refused as why:
            raise Refused(f"line {number}: {why}") from None
    if not ended:
        raise Refused(f"line {len(text.splitlines())}: the end is missing, was it cut off?")
    _together(tables, len(text.splitlines()))
    return tables


def shown(text: str) -> str:
    """A text as the device gives it back: secrets are kept, and not told."""
    return re.sub(r"(?m)^(secret [^:]+: ).*$", r"\1(kept)", text)


def _line(tables: Tables, line: str) -> None:
    what, _, rest = line.partition(":")
    word, _, name = what.strip().partition(" ")
    if word not in _LINES:
        raise Refused(f"nothing is called {word}")
    _LINES[word](tables, name.strip(), rest.strip())


def _parts(rest: str, pattern: str, like: str) -> Row:
    found = re.fullmatch(pattern, rest)
    if found is None:
        raise Refused(f"write it like {like}")
    return tuple(group or "" for group in found.groups())


def _kind(tables: Tables, name: str, rest: str) -> None:
    pattern = r"codings ([a-z0-9 ]+), tones (events|info|sound), refresh (\d+), numbers (e164|dialled)"
    codings, *others = _parts(rest, pattern, "codings g711a g729, tones events, refresh 1800, numbers e164")
    wrong = [coding for coding in codings.split() if coding not in ("g711a", "g711u", "g722", "g729", "opus")]
    if wrong:
        raise Refused(f"no coding is called {wrong[0]}")
    tables.kinds.append((name, codings, *others))


def _leg(tables: Tables, name: str, rest: str) -> None:
    if name not in ("local", "upstream"):
        raise Refused("a leg is local or upstream")
    pattern = r"(\S+?)(?:, port (\d))?(?:, seen as (\S+?))?(?:, takes ((?:udp|tcp|tls)(?: (?:udp|tcp|tls))*))?"
    address, port, seen, takes = _parts(rest, pattern, "192.0.2.60/29, port 2, takes udp tls")
    _is(ip_interface, address)
    if port and port not in "1234":
        raise Refused("ports are 1 to 4")
    if seen:
        _is(ip_address, seen)
    tables.legs.append((name, address, port, seen))
    if takes:
        tables.takes[name] = takes


def _peer(tables: Tables, name: str, rest: str) -> None:
    leg, host, port, transport, spare, every, kind = _parts(
        rest,
        r"leg (local|upstream), ([^ ,]+) port (\d+) by (udp|tcp|tls)(?:, spare ([^ ,]+))?, asked every (\d+), "
        r"kind (\S+)",
        "leg local, 10.0.0.1 port 5060 by udp, asked every 30, kind generic",
    )
    if leg not in [row[0] for row in tables.legs]:
        raise Refused(f"there is no leg {leg}")
    if kind not in [row[0] for row in tables.kinds]:
        raise Refused(f"there is no kind {kind}")
    tables.peers.append((name, leg, host, port, transport, spare, every, kind))


def _account(tables: Tables, name: str, rest: str) -> None:
    _of_peer(tables, name)
    tables.accounts[name] = rest


def _secret(tables: Tables, name: str, rest: str) -> None:
    _of_peer(tables, name)
    if name not in tables.accounts:
        raise Refused(f"{name} has no account")
    tables.secrets[name] = rest


def _domain(tables: Tables, name: str, rest: str) -> None:
    _of_peer(tables, name)
    if not re.fullmatch(r"[a-z0-9.-]+", rest):
        raise Refused(f"{rest} is not a domain")
    tables.domains[name] = rest


def _sound(tables: Tables, name: str, rest: str) -> None:
    _of_peer(tables, name)
    if rest not in ("open", "sealed"):
        raise Refused("the sound of a peer is open or sealed")
    tables.sounds[name] = rest


def _of_peer(tables: Tables, name: str) -> None:
    if name not in [row[0] for row in tables.peers]:
        raise Refused(f"there is no peer {name}")


def _calls(tables: Tables, name: str, rest: str) -> None:
    if name != "at once" or not rest.isdigit() or not 0 < int(rest) <= 500:
        raise Refused("calls at once: 1 to 500")
    tables.calls = rest


def _media(tables: Tables, name: str, rest: str) -> None:
    first, last = _parts(rest, r"(\d+)\.\.(\d+)", "40000..40399")
    if not 1024 <= int(first) <= int(last) <= 65535:
        raise Refused("media ports run from a lower to a higher one")
    tables.media = rest


def _number(tables: Tables, name: str, rest: str) -> None:
    begins, becomes = _parts(rest, r"(\+?\d*x*) becomes (\+?\d*)", "00 becomes +")
    if len(tables.numbers) == 20:
        raise Refused("20 rules and no more")
    tables.numbers.append((name, begins, becomes))


def _is(kind: Callable[[str], object], text: str) -> None:
    try:
        kind(text)
    except ValueError:
        raise Refused(f"{text} is not an address") from None


def _together(tables: Tables, last: int) -> None:
    """What can be seen only when all is there."""
    if tables.media and tables.calls:
        first, end = map(int, tables.media.split(".."))
        if end - first + 1 < 2 * int(tables.calls):
            raise Refused(f"line {last}: {tables.calls} calls need more media ports")


_LINES: dict[str, Callable[[Tables, str, str], None]] = {
    "kind": _kind,
    "leg": _leg,
    "peer": _peer,
    "account": _account,
    "secret": _secret,
    "domain": _domain,
    "sound": _sound,
    "calls": _calls,
    "media": _media,
    "number": _number,
}
