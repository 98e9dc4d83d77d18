"""Signing in, changing the password of the factory, agreeing to terms: what is done on the way, and sets nothing."""

from __future__ import annotations

import base64
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

from zinger.phrasebook.learn.deeds import Deed, Seen
from zinger.phrasebook.learn.matching import Slot, slots_of
from zinger.phrasebook.learn.refusals import shows_form

_TERMS = re.compile(r"\b(?:terms?|licen[cs]e|agree(?:ment|d)?|conditions|eula)\b", re.IGNORECASE)
_PLAIN_HEADERS = frozenset(
    "accept accept-encoding accept-language cache-control connection content-length content-type cookie host origin "
    "pragma priority referer user-agent upgrade-insecure-requests x-requested-with if-none-match if-modified-since "
    "authorization dnt te".split()
)


@dataclass(frozen=True)
class Token:
    """Something that an answer gives and later requests show."""

    header: str
    json: str = ""
    from_header: str = ""
    before: str = ""


@dataclass
class OnTheWay:
    """The deeds that sign in, renew the factory's password and agree; and what requests carry."""

    signs_in: list[Deed] = field(default_factory=list)
    renews: list[Deed] = field(default_factory=list)
    agrees: list[Deed] = field(default_factory=list)
    challenges: bool = False
    """Whether it asks by a challenge (RFC 7617, RFC 7616)."""
    tokens: list[Token] = field(default_factory=list)
    first_user: str = ""

    @property
    def every(self) -> list[Deed]:
        """All of them."""
        return [*self.signs_in, *self.renews, *self.agrees]


def on_the_way(deeds: Sequence[Deed], seen: Sequence[Seen]) -> OnTheWay:
    """Find them."""
    found = OnTheWay()
    found.tokens = list(_tokens(seen))
    given = {value for one in seen for value in _given(one, found.tokens)}
    for deed in deeds:
        slots = slots_of(deed)
        secret = [slot for slot in slots if slot.is_secret and slot.value]
        if deed.kind not in ("submit", "call"):
            found.challenges |= _has_basic(deed.seen)
            continue
        if _signs_in(deed, slots, secret, deeds, given):
            found.signs_in.append(deed)
            found.first_user = found.first_user or next((s.value for s in others_of(slots)), "")
        elif _renews(deed, slots, secret):
            found.renews.append(deed)
        elif not secret and _agrees(deed, slots):
            found.agrees.append(deed)
    found.challenges |= any(_has_basic(one) for one in seen)
    found.first_user = found.first_user or next(filter(None, map(_basic_user, seen)), "")
    return found


def _basic_user(one: Seen) -> str:
    """The account that a request names in its header (RFC 7617)."""
    scheme, _, given = dict(one.headers).get("authorization", "").partition(" ")
    try:
        return base64.b64decode(given).decode().partition(":")[0] if scheme.lower() == "basic" else ""
    except (ValueError, UnicodeDecodeError):
        return ""


def others_of(slots: Sequence[Slot]) -> list[Slot]:
    """What was sent beside passwords."""
    return [slot for slot in slots if not slot.is_secret and slot.value]


def _has_basic(one: Seen) -> bool:
    headers = dict(one.headers)
    asked = any(name == "www-authenticate" for name, _ in one.given)
    return headers.get("authorization", "").lower().startswith(("basic", "digest")) or (one.status == 401 and asked)


def _signs_in(
    deed: Deed, slots: Sequence[Slot], secret: Sequence[Slot], deeds: Sequence[Deed], given: set[str]
) -> bool:
    others = [slot for slot in slots if not slot.is_secret and slot.value]
    if len(secret) != 1 or len(others) > 2:
        return False
    if deed.form is not None:
        shown = [one for one in deed.form.shown_fields if one.kind not in ("checkbox", "radio", "select")]
        left = deed.after is None or not shows_form(deed, deed.after)
        return len(shown) <= 3 and left and deed.seen.method == "POST"
    if deed.seen.method != "POST":
        return False
    page = deed.after
    gives = page is not None and any(v in given for v in _texts(page.data) if len(v) > 7)
    asked = deed.before is not None and deed.before.status == 401
    twice = sum(d.seen.path == deed.seen.path and d.seen.method == "POST" for d in deeds) > 1
    named = bool(re.search(r"log-?in|sign-?in|auth|session|enter|token", deed.seen.path, re.IGNORECASE))
    return bool(gives or (asked and named) or (twice and named))


def _renews(deed: Deed, slots: Sequence[Slot], secret: Sequence[Slot]) -> bool:
    """The same new password twice, and no other field filled in but perhaps the old one."""
    values = [slot.value for slot in secret]
    others = [slot for slot in slots if not slot.is_secret and slot.touched and slot.value]
    return (
        len(values) >= 2
        and len(values) - len(set(values)) == 1
        and not others
        and len(secret) == len([slot for slot in slots if slot.is_secret])
    )


def _agrees(deed: Deed, slots: Sequence[Slot]) -> bool:
    ticked = [slot for slot in slots if slot.is_tick and slot.value in ("on", "true")]
    said = [slot for slot in slots if slot.touched and slot.value]
    page = deed.before
    text = " ".join((deed.seen.path, *([page.title, *page.headings, *page.lines[:40]] if page is not None else ())))
    return len(ticked) == 1 and said == ticked and bool(_TERMS.search(text))


# -- tokens ----------------------------------------------------------------------------------------------
def _tokens(seen: Sequence[Seen]) -> Iterator[Token]:
    """Headers whose value an earlier answer gave."""
    known: dict[str, tuple[str, str]] = {}
    told: set[str] = set()
    for one in seen:
        for name, value in one.headers:
            bare = value.removeprefix("Bearer ")
            wanted = name not in _PLAIN_HEADERS or (name == "authorization" and value.startswith("Bearer "))
            if wanted and name not in told and bare in known:
                told.add(name)
                how, where = known[bare]
                before = "Bearer " if bare != value else ""
                header = "-".join(word.capitalize() for word in name.split("-"))
                yield Token(header, **{how: where}, before=before)
        for path, text in _paths(one.page.data if one.page is not None else None):
            if len(text) > 7:
                known.setdefault(text, ("json", path))
        for name, value in one.given:
            if len(value) > 7 and name not in ("date", "content-type", "server", "set-cookie", "location", "etag"):
                known.setdefault(value, ("from_header", name))


def _given(one: Seen, tokens: Sequence[Token]) -> Iterator[str]:
    """The values of tokens that a request shows."""
    names = {token.header.lower(): token.before for token in tokens}
    for name, value in one.headers:
        if name in names:
            yield value.removeprefix(names[name])


def _paths(data: Any, path: str = "", depth: int = 0) -> Iterator[tuple[str, str]]:
    if isinstance(data, dict) and depth < 6:
        for key, value in data.items():
            yield from _paths(value, f"{path}.{key}" if path else str(key), depth + 1)
    elif isinstance(data, str):
        yield path, data


def _texts(data: Any) -> list[str]:
    return [text for _, text in _paths(data)]
