"""What the papers are made from: the plan beside what the journal believes. Pure but for the reading."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from zinger.plan.model import Device, Plan, Site
from zinger.plan.revision import revision_of
from zinger.proof.findings import Finding, Source
from zinger.proof.outcome import Outcome, but_for, title_of
from zinger.run.laterchange import still_let_in
from zinger.run.memory import Memory, remember
from zinger.run.newnames import by_present_names
from zinger.script.compile import Script
from zinger.store.entries import Entry
from zinger.wording import counted

_NOT_PROVED = {
    "not done": "was not proved",
    "plan changed": "its plan was changed after its last run: it is to be run again",
    "not proved since": "a person had its wire after its last run: it is to be proved again",
}
"""What remains open on devices in these states."""


@dataclass(frozen=True)
class DeviceRecord:
    """One device, as it goes into the papers."""

    device: Device
    script: Script | None
    memory: Memory

    @property
    def state(self) -> str:
        """How it stands, in one or two words; the keys of `drawing.STATE`."""
        memory = self.memory
        if self.script is None:
            values = self.device.values.items()
            every = all(memory.by_hand.get(setting) == value.shown for setting, value in values)
            return "set by hand" if memory.by_hand and every else "planned only"
        if memory.needs_you:
            return "needs a person"
        concluded = memory.concluded_at
        if memory.concluded_of and memory.concluded_of != revision_of(self.device):
            return "plan changed"
        if concluded and memory.touched:
            return "not proved since"
        return self.outcome.state.value if concluded or self.outcome.differing else "not done"

    @property
    def standing(self) -> str:
        """How it stands, and what was accepted for it to stand so."""
        proved = self.state == "proved" and self.outcome.accepted
        return f"{self.state}, {self.outcome.sentence}" if proved else self.state

    @cached_property
    def outcome(self) -> Outcome:
        """What the last run came to."""
        return self.memory.outcome

    def finding(self, setting: str, *sources: Source) -> Finding | None:
        """The finding of a setting from the first of these sources that has one."""
        for source in sources:
            if found := self.memory.findings.get((setting, source)):
                return found
        return None

    @property
    def also_told(self) -> list[str]:
        """Sentences about what is settled, and should be known: accepted, noted, or not for such a device."""
        sentences = [f"accepted: {title_of(setting)}: {why}" for setting, why in self.outcome.accepted]
        sentences += [f"noted: {text}" for _, text in self.memory.notes]
        sentences += still_let_in(self.device, self.memory)
        without: dict[str, list[str]] = {}
        for unsent in self.script.not_sent if self.script else ():
            if not unsent.owed:
                without.setdefault(unsent.why, []).append(title_of(unsent.setting))
        return [*sentences, *(f"left out, {why}: {', '.join(titles)}" for why, titles in without.items())]

    @property
    def still_open(self) -> list[str]:
        """Sentences about what remains to be done on this device."""
        sentences = [
            f"{f.title}, {f.source.value}: planned {f.planned}, read {f.read or 'nothing'}"
            for f in self.outcome.differing
        ]
        if self.memory.needs_you:
            sentences.append(f"needs a person: {self.memory.needs_you}")
        if self.script and self.memory.findings:
            sentences += [f"owed: {debt}" for debt in self.outcome.owed]
        if self.memory.aside:
            sentences.append(f"was left out: {self.memory.aside}")
        if self.script is None:
            left = [v.setting.title for s, v in self.device.values.items() if self.memory.by_hand.get(s) != v.shown]
            if self.memory.by_hand:
                done = len(self.device.values) - len(left)
                were = "was" if done == 1 else "were"
                sentences.append(f"{counted(done, 'setting')} {were} set by hand; nothing is proved")
                sentences += [f"not set yet: {', '.join(left)}"] if left else []
            else:
                sentences.append("is planned and checked only: its family has no phrasebook yet")
        sentences += [_NOT_PROVED[self.state]] if self.state in _NOT_PROVED else []
        return sentences


def records(plan: Plan, scripts: Mapping[str, Script], entries: Iterable[Entry]) -> list[DeviceRecord]:
    """One record a device of the plan, in its order; only the last run counts for the timeline."""
    happened = by_present_names(entries, plan.devices).of
    return [
        DeviceRecord(device, scripts.get(device.name), remember(happened.get(device.name, ())))
        for device in plan.devices
    ]


def proved_in_words(found: Sequence[DeviceRecord]) -> str:
    """How many are proved, and of how many of them something was accepted."""
    proved = [record for record in found if record.state == "proved"]
    accepted = sum(bool(record.outcome.accepted) for record in proved)
    return f"{len(proved)} of {counted(len(found), 'device')} proved{but_for(accepted)}"


def by_site(found: list[DeviceRecord]) -> list[tuple[Site, list[DeviceRecord]]]:
    """The records grouped by site, in the order of the plan."""
    groups: dict[str, tuple[Site, list[DeviceRecord]]] = {}
    for record in found:
        groups.setdefault(record.device.site.key, (record.device.site, []))[1].append(record)
    return list(groups.values())
