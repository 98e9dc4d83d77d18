"""A script as text, for a terminal, a file or a ticket: passwords are masked, since the script never had them."""

from __future__ import annotations

from collections.abc import Iterator

from zinger.script.compile import Script
from zinger.wording import counted


def script_text(title: str, device: str, found: Script) -> Iterator[str]:
    """The lines of a device's script; `title` is its family's."""
    then = f", then {', '.join(step.title for step in found.saves)}" if found.saves else ""
    yield f"{device}, {title}: {counted(len(found.steps), 'step')}{then}"
    yield ""
    yield f"{'stop':<9} {'at':<12} {'send':<58} effect / undo"
    for step in found.everything:
        effect = "" if step.effect == "none" else str(step.effect)
        first, *others = step.every_line or (f"answers of {step.interview}",)
        undo = " / ".join(step.undo.splitlines())
        back = f"{' · ' if effect else ''}undo: {undo}" if undo else ""
        yield f"{step.stop.value:<9} {step.at.replace('_', ' '):<12} {first:<58} {effect}{back}"
        for line in others:
            yield f"{'':<9} {'':<12} {line}"
        for place, turns in step.what.replies.items():
            answers = ", ".join(deed.shown or "(Enter)" for deed in turns)
            yield f"{'':<9} {'':<12}   {place.replace('_', ' ')}? {answers}"
    for left_out in found.not_sent:
        yield ""
        yield f"not sent: {left_out.setting} {left_out.value}, {left_out.why}"
