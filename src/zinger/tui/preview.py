"""Preview: what will be sent to a device, before it is sent; two devices show only where they differ."""

from __future__ import annotations

from typing import Any, ClassVar

from rich.style import Style
from rich.text import Text
from textual.app import ComposeResult, RenderResult
from textual.binding import Binding, BindingType
from textual.widget import Widget

from zinger.run.board import DeviceLine
from zinger.script.compile import Step, compare
from zinger.tui.choosing import ChoiceDialog
from zinger.tui.footer import KeysFooter
from zinger.tui.look import BRASS, DIM, GREEN, PAPER, SLATE, VIOLET, fit
from zinger.tui.parts import ABOUT_ONE, COMMON, DeviceScreen, Headline
from zinger.tui.rows import Rows


class Words(Rows):
    """The steps of one script, or the differing ones of two."""

    def __init__(self, line: DeviceLine) -> None:
        super().__init__(id="words")
        self.line = line
        self.other: DeviceLine | None = None
        self.rows: list[tuple[Step | None, Step | None]] = []

    def lay_out(self) -> None:
        """Take in one script, or the differences of two."""
        script = self.line.script
        if self.other is None:
            self.rows = [(step, None) for step in script.everything]
        else:
            self.rows = list(compare(script, self.other.script))
        self.cursor = 0
        self.redraw()

    def count(self) -> int:
        return len(self.rows)

    def key(self, index: int) -> Any:
        one, other = self.rows[index]
        return (one or other).setting if one or other else None  # type: ignore[union-attr]

    def draw(self, index: int, width: int) -> Text:
        one, other = self.rows[index]
        return self._pair(one, other, width) if self.other else self._single(index, one, width)

    def _single(self, index: int, step: Step | None, width: int) -> Text:
        assert step is not None
        before = self.rows[index - 1][0] if index else None
        stop = step.stop.short if before is None or before.stop is not step.stop else ""
        wide = width >= 110
        row = Text(f" {stop:<6}", DIM)
        row.append(f"{fit(step.title, 18):<19}", PAPER)
        row.append(f"{fit(step.at.replace('_', ' '), 11):<12}", SLATE)
        room = width - row.cell_len - (38 if wide else 2)
        row.append(f"{fit(step.shown, room):<{room}}", Style(color=PAPER, bold=True))
        if wide:
            effect = "" if step.effect == "none" else step.effect
            row.append(f"  {fit(effect, 22)}" if effect else "", VIOLET)
            if step.undo and not effect:
                row.append(f"  undo {fit(' / '.join(step.undo.splitlines()), 30)}", DIM)
        return row

    @staticmethod
    def _pair(one: Step | None, other: Step | None, width: int) -> Text:
        title = (one or other).title if one or other else ""  # type: ignore[union-attr]
        half = (width - 24) // 2
        row = Text(f" {fit(title, 20):<22}", DIM)
        row.append(f"{fit(one.shown if one else 'not sent', half - 2):<{half}}", PAPER if one else DIM)
        return row.append(fit(other.shown if other else "not sent", half - 2), BRASS if other else DIM)


class Detail(Widget):
    """Everything about the step under the cursor, and what is not sent and why."""

    def __init__(self, line: DeviceLine) -> None:
        super().__init__(id="detail")
        self.line = line
        self.step: Step | None = None

    def render(self) -> RenderResult:
        text = Text()
        step = self.step
        if step is not None:
            value = self.line.device.values.get(step.setting)
            text.append(step.title, Style(color=BRASS, bold=True)).append(f" · {step.setting}\n\n", DIM)
            self._fact(text, "at", step.at.replace("_", " "))
            for number, words in enumerate(step.every_line):
                self._fact(text, "" if number else "send", words)
            for place, turns in step.what.replies.items():
                self._fact(
                    text, "", f"{place.replace('_', ' ')}? {', '.join(deed.shown or '(Enter)' for deed in turns)}"
                )
            self._fact(text, "effect", step.effect)
            self._fact(text, "undo", " / ".join(step.undo.splitlines()) or "none")
            if value is not None:
                self._fact(text, "value", f"{value.shown}   from {value.origin}")
                for was, origin in value.overrode:
                    self._fact(text, "", f"overrides {was} of {origin}")
        for left_out in self.line.script.not_sent:
            text.append("\n not sent  ", VIOLET).append(f"{left_out.setting} {left_out.value}: {left_out.why}", DIM)
        return text

    @staticmethod
    def _fact(text: Text, word: str, value: str) -> None:
        text.append(f"  {word:<8}", DIM).append(f"{value}\n", PAPER)


class Preview(DeviceScreen):
    """What will be sent to one device."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("equals_sign", "compare", "compare with another", tooltip="only where the two differ"),
        Binding("w", "app.wire_of_this", "wire", tooltip="the device, live"),
        *ABOUT_ONE,
        *COMMON,
    ]

    def beside(self, line: DeviceLine) -> DeviceScreen:
        return Preview(line)

    def compose(self) -> ComposeResult:
        yield Headline(self.host.job.board, f"preview of {self.device}", self.line.family)
        yield Title(self)
        yield Words(self.line)
        yield Detail(self.line)
        yield KeysFooter()

    def on_mount(self) -> None:
        words = self.query_one(Words)
        words.lay_out()
        words.focus()
        self._show()
        super().on_mount()

    def follow(self) -> None:
        self.headline().look()

    def on_rows_moved(self, event: Rows.Moved) -> None:
        self._show()

    def _show(self) -> None:
        words, detail = self.query_one(Words), self.query_one(Detail)
        detail.step = (words.rows[words.cursor][0] or words.rows[words.cursor][1]) if words.rows else None
        detail.refresh()
        self.query_one(Title).refresh()

    def action_compare(self) -> None:
        """Choose the device that is put beside this one."""
        others = [line for line in self.host.job.board.lines.values() if line is not self.line]
        same = sorted(others, key=lambda line: line.device.family != self.line.device.family)
        choices: list[tuple[DeviceLine | str, str]] = [
            (line, f"{line.device.name:<24} {line.family} · {line.device.role}") for line in same
        ]
        if self.query_one(Words).other is not None:
            choices.insert(0, ("", "none: this one alone"))

        def chosen(other: DeviceLine | str | None) -> None:
            if other is not None:
                words = self.query_one(Words)
                words.other = None if isinstance(other, str) else other
                words.lay_out()
                self._show()

        self.app.push_screen(ChoiceDialog(f"Compare {self.device} with which device?", choices), chosen)


class Title(Widget):
    """What is shown: one script, or where two differ."""

    def __init__(self, of: Preview) -> None:
        super().__init__(id="title")
        self.of = of

    def render(self) -> RenderResult:
        words = self.of.query_one(Words)
        if words.other is None:
            count = len(words.line.script.steps)
            text = Text().append(f"  {count} steps, then save", Style(color=GREEN, bold=True))
            return text.append("   what will be sent, before it is sent; passwords are masked", DIM)
        text = Text(f"  {'only where they differ':<23}", DIM)
        half = (self.size.width - 26) // 2
        text.append(f"{words.line.device.name:<{half}}", Style(color=PAPER, bold=True))
        return text.append(words.other.device.name, Style(color=BRASS, bold=True))
