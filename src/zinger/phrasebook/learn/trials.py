"""Where a person had the device try a password: a form with the password and what it is of, and what came of it."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from zinger.phrasebook.learn.deeds import Deed
from zinger.phrasebook.learn.matching import Matched, slots_of
from zinger.phrasebook.learn.study import Study


@dataclass(frozen=True)
class TrialOf:
    """One: the setting whose password was tried, the deed, and the step that tries it."""

    setting: str
    matched: Matched
    step: dict[str, Any]


def trials_of(study: Study) -> list[TrialOf]:
    """All of them."""
    return list(_trials(study))


def _trials(study: Study) -> Iterator[TrialOf]:
    seen: set[str] = set()
    for m in study.said:
        secret = [match for match in m.matches if match.part.secret]
        settings = {match.part.setting for match in secret}
        if len(secret) == 1 and settings <= seen and m.deed.form is not None and len(slots_of(m.deed)) <= 3:
            (one,) = secret
            expect = _new_line(m.deed)
            if expect:
                fill = {one.slot.key: "{{ value.secret }}" if one.part.name else "{{ value }}"}
                fill |= {key: text for key, text in _named(study, m, one.part.setting, one.part.entry)}
                step = {"at": m.deed.place, "fill": fill, "press": m.deed.presses, "expect": expect}
                yield TrialOf(one.part.setting, m, step)
                continue
        seen |= settings


def _named(study: Study, m: Matched, setting: str, entry: int | None) -> Iterator[tuple[str, str]]:
    """The fields that say of what the password is: the name of its entry, alone or within a text."""
    value = study.values()[setting]
    of = value[entry] if isinstance(value, tuple) and entry is not None else value
    for slot in slots_of(m.deed):
        if slot.is_secret or not slot.value:
            continue
        text = slot.value
        for name in ("name", "host", "user"):
            known = str(getattr(of, name, "") or "")
            if len(known) > 2 and known in text:
                text = text.replace(known, f"{{{{ value.{name} }}}}")
                break
        yield slot.key, text


def _new_line(deed: Deed) -> str:
    """What the page said of it: the first line that was not there before."""
    known = set(deed.before.lines) if deed.before is not None else set()
    new = [line for line in (deed.after.lines if deed.after is not None else ()) if line.strip() and line not in known]
    return f"^{re.escape(new[0]).replace(chr(92) + ' ', ' ')}" if new else ""
