"""What a device said when a person had to correct something: the patterns of its no."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import replace

from zinger.phrasebook.document import Document
from zinger.phrasebook.learn.deeds import Deed


def refusals_of(deeds: Sequence[Deed]) -> list[str]:
    """The patterns, and each deed that was refused marked so."""
    lines: list[str] = []
    patterns: list[str] = []
    for index, deed in enumerate(deeds):
        after = deed.after
        if deed.kind not in ("submit", "call") or after is None:
            continue
        new = _new_lines(deed.before, after)
        again = any(_same_form(deed, later) for later in deeds[index + 1 : index + 3]) and shows_form(deed, after)
        if (400 <= after.status < 500 and after.status != 401) or (again and _beside_a_field(after, deed.before)):
            deed.refused = True
            said = {filled.value for filled in deed.fills}
            beside = [remark.text for remark in after.remarks if remark.text in new and remark.text not in said]
            lines += beside or [line for line in (*after.alerts, *new) if line not in said][:1]
    for pattern in sorted(dict.fromkeys(_pattern(line) for line in lines if line.strip()), key=len):
        head = pattern.partition(": (?P<why>")[0].removeprefix("^")
        if not any(head.endswith(known.partition(": (?P<why>")[0].removeprefix("^")) for known in patterns):
            patterns.append(pattern)
    return patterns


def touched_again(deeds: Sequence[Deed]) -> None:
    """What was filled in before a refusal stands there already when the form is sent once more: it was filled in."""
    for index, deed in enumerate(deeds):
        before = deeds[index - 1] if index else None
        if before is not None and before.refused and _same_form(before, deed):
            filled = {one.field.name for one in before.fills if one.touched}
            deed.fills = tuple(replace(one, touched=one.touched or one.field.name in filled) for one in deed.fills)


def shows_form(deed: Deed, after: Document) -> bool:
    """Whether the same form stands there again."""
    fields = {one.field.name for one in deed.fills}
    return bool(fields) and any(fields <= {f.name for f in form.fields} for form in after.forms)


def _same_form(deed: Deed, later: Deed) -> bool:
    return later.kind == deed.kind and later.seen.path == deed.seen.path and later.seen.method == deed.seen.method


def _beside_a_field(after: Document, before: Document | None) -> bool:
    known = {remark.text for remark in before.remarks} if before is not None else set()
    return any(remark.text not in known for remark in after.remarks) or bool(
        set(after.alerts) - set(before.alerts if before is not None else ())
    )


def _new_lines(before: Document | None, after: Document) -> list[str]:
    known = set(before.lines) if before is not None else set()
    told = [*(remark.text for remark in after.remarks), *after.lines]
    return [line for line in dict.fromkeys(told) if line.strip() and line not in known]


def _pattern(line: str) -> str:
    """What stands before a colon tells the no; without one, the whole line."""
    head, colon, rest = line.partition(":")
    if colon and rest.strip() and len(head) < 40:
        return f"^{_plain(head)}: (?P<why>.+)$"
    return f"^(?P<why>{_plain(line[:120])})"


def _plain(text: str) -> str:
    return re.escape(text.strip()).replace("\\ ", " ").replace("\\-", "-").replace("\\,", ",")
