"""The value editor: a line over the value itself, where the value goes, and what trying it told.

It knows which devices and which setting are edited; the screen resolves the plan and shows what came of it.
"""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar

from rich.style import Style
from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Horizontal
from textual.geometry import Region
from textual.message import Message
from textual.widget import Widget
from textual.widgets import Input, Static

from zinger.desk.editing import Desk, Target
from zinger.plan.model import Device, Plan
from zinger.plan.problems import Change
from zinger.plan.settings import SETTINGS
from zinger.tui.look import BRASS, DIM, GREEN, ROSE, VIOLET, fit
from zinger.wording import counted

TRY_AFTER = 0.15
"""Seconds without a key before a text is tried."""


class EditorLine(Input):
    """The line itself; Tab chooses where the value goes."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("enter", "submit", "take it"),
        Binding("tab", "place(1)", "where it goes", priority=True),
        Binding("escape", "drop", "leave it", priority=True),
        # at once, or what is typed right behind it would be taken away with the rest
        Binding("ctrl+u", "delete_left_all", show=False, priority=True),
    ]

    def check_consume_key(self, key: str, character: str | None) -> bool:
        """The toolkit knows no character of this name, and would offer the screen's key for it."""
        return key == "slash" or super().check_consume_key(key, character)

    class Dropped(Message):
        """The person left it as it was."""

    class Moved(Message):
        """The person wants it to go elsewhere."""

    def action_place(self, by: int) -> None:
        """Another place for the value."""
        self.post_message(self.Moved())

    def action_drop(self) -> None:
        """Leave the value as it is."""
        self.post_message(self.Dropped())


@dataclass
class _Edit:
    """What is edited now, and where the value goes."""

    devices: Sequence[Device]
    setting: str
    targets: Sequence[Target]
    chosen: int = 0

    @property
    def target(self) -> Target:
        return self.targets[self.chosen]


def _counted(values: Counter[str]) -> str:
    """The values and how often each stands, the most frequent first; three at most."""
    told = [f"{fit(value, 24)}{f' ({count})' if count > 1 else ''}" for value, count in values.most_common(3)]
    return ", ".join(told) + (f" and {len(values) - 3} more" if len(values) > 3 else "")


class ValueEditor(Widget):
    """One edit at a time; invisible between edits."""

    class Closed(Message):
        """The edit is over: `changes` are to be made (none when it was left), described by `words`."""

        def __init__(self, changes: Sequence[Change], words: str) -> None:
            super().__init__()
            self.changes, self.words = changes, words

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._edit: _Edit | None = None
        self._typed_at = 0.0
        self._news: Text | None = None

    def compose(self) -> ComposeResult:
        with Horizontal():
            yield Static(id="editor-title")
            yield EditorLine(id="editor", select_on_focus=False)
        yield Static(id="editor-note")

    def on_mount(self) -> None:
        self.display = False

    @property
    def open(self) -> bool:
        """Whether a value is being edited."""
        return self._edit is not None

    def begin(self, devices: Sequence[Device], setting: str) -> None:
        """Edit this setting of these devices, beginning with the first one's text."""
        self._edit = _Edit(devices, setting, self.desk.targets(devices, setting))
        line = self.query_one(EditorLine)
        line.value = self.desk.text(devices[0], setting)
        line.cursor_position = len(line.value)
        title = SETTINGS[setting].title if setting in SETTINGS else setting
        self.query_one("#editor-title", Static).update(Text(f"   {title}", Style(color=BRASS, bold=True)))
        self.display = True
        self._say()
        line.focus()

    def put(self, over: Region, names: int, row: int) -> None:
        """Lie over a row of this region, whose first so many columns name the value; the note lies below."""
        self.styles.offset = (over.x, min(max(over.y + row, over.y), self.screen.size.height - 4))
        self.styles.width = over.width
        self.query_one("#editor-title").styles.width = min(names + 1, max(0, over.width - 20))

    # -- trying ------------------------------------------------------------------------------------
    def due(self, now: float) -> Sequence[Change] | None:
        """The changes to try, once nothing was typed for a moment; a text that is no such value is said instead."""
        if self._edit is None or not self._typed_at or now - self._typed_at <= TRY_AFTER:
            return None
        self._typed_at = 0.0
        return self._changes(self.query_one(EditorLine).value)

    def say_what_it_changes(self, before: Plan, after: Plan) -> None:
        """Say what becomes of the value where several devices have it, and which findings would go and come."""
        had, has = set(before.problems), set(after.problems)
        gone, new = had - has, has - had
        text = self._before_and_after(before, after)
        if gone:
            text.append(f" {len(gone)} finding{'s' * (len(gone) > 1)} would go  ", GREEN)
        for problem in list(new)[:1]:
            text.append(f" new: {problem.what}", ROSE)
        if len(new) > 1:
            text.append(f" and {len(new) - 1} more", ROSE)
        self._say(text if text else Text(" nothing else changes", DIM))

    def _before_and_after(self, before: Plan, after: Plan) -> Text:
        """`10 min (2), 5 min → 7 min on 3 devices`, for an edit of several devices; nothing for one of one device."""
        edit = self._edit
        if edit is None or edit.setting not in SETTINGS or (len(edit.devices) == 1 and not edit.target.stem):
            return Text()
        was: Counter[str] = Counter()
        becomes: Counter[str] = Counter()
        for device in after.devices:
            old = before.by_name.get(device.name)
            then, now = (d.values.get(edit.setting) if d else None for d in (old, device))
            if (then and then.value) != (now and now.value):
                was[then.shown if then else "not planned"] += 1
                becomes[now.shown if now else "not planned"] += 1
        if not was:
            return Text(" no device has another value then  ", DIM)
        one = next(iter(becomes)) if len(becomes) == 1 else ""
        text = Text(f" {_counted(was)}", VIOLET).append(" → ", DIM).append(one or _counted(becomes), GREEN)
        return text.append(f" on {counted(was.total(), 'device')}  ", DIM)

    def _changes(self, value: str) -> Sequence[Change] | None:
        """The changes that this text makes; None, and said, when it is no such value."""
        assert self._edit is not None
        edit = self._edit
        wrong = self.desk.refusal(edit.setting, value)
        if wrong:
            self._say(Text(f" {wrong}", ROSE))
            return None
        return self.desk.changes(edit.devices, edit.setting, value, edit.target)

    def _say(self, news: Text | None = None) -> None:
        """Where the value goes, and what trying it told."""
        if self._edit is None:
            return
        full = self._places(short=False).append("  Tab, Enter, Esc", DIM)
        self._news, room = news, self.size.width
        text = full if full.cell_len <= room or not room else self._places(short=True)
        setting = self._edit.setting
        second = news or Text(f" {SETTINGS[setting].reference if setting in SETTINGS else ''}", DIM)
        self.query_one("#editor-note", Static).update(Text.assemble(text, "\n", second))

    def on_resize(self) -> None:
        self._say(self._news)

    def _places(self, *, short: bool) -> Text:
        """Where the value can go; in short, all but the chosen place by their kind alone."""
        assert self._edit is not None
        text = Text(" for ", DIM)
        for number, target in enumerate(self._edit.targets):
            here = number == self._edit.chosen
            words = target.short if short and not here else target.words
            text.append(f" {words} ", Style(color=BRASS if here else DIM, reverse=here, bold=here))
        return text

    # -- what the person does ------------------------------------------------------------------------
    def on_input_changed(self, event: Input.Changed) -> None:
        event.stop()
        if self._edit:
            self._typed_at = time.monotonic()

    def on_editor_line_moved(self) -> None:
        if self._edit:
            self._edit.chosen = (self._edit.chosen + 1) % len(self._edit.targets)
            self._say()
            self._typed_at = time.monotonic() - TRY_AFTER

    def on_editor_line_dropped(self) -> None:
        self._close((), "")

    def on_input_submitted(self, event: Input.Submitted) -> None:
        event.stop()
        if self._edit is None:
            return
        changes = self._changes(event.value)
        if changes is None:
            return
        edit = self._edit
        title = SETTINGS[edit.setting].title if edit.setting in SETTINGS else edit.setting
        of = edit.devices[0].name if edit.target is edit.targets[0] and len(edit.devices) == 1 else edit.target.words
        same = all(self.desk.edits.current(change) == change.text for change in changes)
        self._close(() if same else changes, f"{title} of {of}")

    def _close(self, changes: Sequence[Change], words: str) -> None:
        self._edit = None
        self.display = False
        self.post_message(self.Closed(changes, words))
