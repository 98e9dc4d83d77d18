"""Generated files on their way: what one changes is kept as evidence, and after a refusal what is in force is read."""

from __future__ import annotations

import difflib
from collections.abc import Iterable, Sequence

from zinger.proof.facts import Facts
from zinger.proof.outcome import title_of
from zinger.run.stages.stage import Pass
from zinger.script.compile import ScriptFile, Step
from zinger.store import entries
from zinger.wording import counted


def files_of(on: Pass, steps: Iterable[Step]) -> list[ScriptFile]:
    """The files in which these steps stand."""
    return [on.wire.script.files[name] for name in dict.fromkeys(step.file for step in steps if step.file)]


def keep_changes(on: Pass, steps: Iterable[Step]) -> None:
    """What each of their files changes, against the one that was pulled from the device, is kept as evidence."""
    for file in files_of(on, steps):
        _keep(on, f"{file.template.named}, what changes", _changes(_pulled(on.facts, file), file.telling))


def _pulled(facts: Facts, file: ScriptFile) -> tuple[str, ...]:
    return tuple(fact.value for fact in facts.get(file.template.fact, ()))


def _changes(before: Sequence[str], after: Sequence[str]) -> tuple[str, ...]:
    """The lines that go (-), come (+) and stay, without those far from any change."""
    lines = difflib.unified_diff(before, after, lineterm="", n=2)
    told = tuple(line for line in lines if not line.startswith(("---", "+++", "@@")))
    return told or ("nothing: the device has it already",)


def _keep(on: Pass, what: str, lines: tuple[str, ...]) -> None:
    if on.wire.line.kept.get(what) != lines:
        on.wire.line.keep(what, lines)
        on.wire.note(entries.Kept(what, lines))


def blamed(on: Pass, step: Step, words: str) -> str:
    """A refusal of a file in the words of one of its settings: the line that is wrong, where the device names it."""
    file = on.wire.script.files.get(step.file)
    found = file.blamed(words) if file is not None else None
    if file is None or found is None:
        return words
    number, setting, line = found
    if setting == step.setting:
        return f"line {number} of {file.template.named}, {line!r}: {words}"
    whose = f" ({title_of(setting)})" if setting else ""
    return f"{file.template.named} was refused for its line {number}{whose}: {words}"


async def look_after_refusal(on: Pass, steps: Iterable[Step]) -> None:
    """See what is in force after a refusal: the file of before, or something that nobody planned."""
    for file in files_of(on, steps):
        before = _pulled(on.facts, file)
        on.facts = await on.wire.read(startup=False)
        now, named = _pulled(on.facts, file), file.template.named
        told = (f"after the refusal the device shows {counted(len(now), 'line')}:", *_changes(before, now))
        if now == before:
            told = (f"after the refusal the device shows the same {counted(len(now), 'line')} as before",)
            on.wire.line.say(f"{named} was refused; the one before is in force")
        _keep(on, f"{named}, after a refusal", told)
