"""Proof: planned, read back, and the evidence line itself; differences first."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Any, ClassVar, NamedTuple

from rich.style import Style
from rich.text import Text
from textual.app import ComposeResult, RenderResult
from textual.binding import Binding, BindingType
from textual.containers import VerticalScroll
from textual.widget import Widget

from zinger.plan.model import Device
from zinger.plan.revision import revision_of
from zinger.proof.findings import COLUMNS, Finding, Source, Verdict, columns
from zinger.proof.outcome import title_of
from zinger.run.board import DeviceLine
from zinger.tui import decide
from zinger.tui.footer import KeysFooter
from zinger.tui.look import DIM, FAINT, GREEN, PAPER, ROSE, SLATE, fit
from zinger.tui.parts import ABOUT_ONE, COMMON, DeviceScreen, Headline, Watcher
from zinger.tui.rows import Rows

SIGNS = {Verdict.HOLDS: ("●", GREEN), Verdict.DIFFERS: ("◆", ROSE), Verdict.ABSENT: ("◇", ROSE)}
SHOWN = "shown"
"""Of what the device showed and is kept as evidence, in the place of what is lacking."""
NARROW = 110
"""Columns of the terminal below which the headings are short, so that what was planned can be read."""
SHORT = {
    Source.RUNNING: "run",
    Source.STARTUP: "start",
    Source.AFTER_POWER_CUT: "cut",
    Source.AFTER_RESTART: "rest",
    Source.CONSOLE: "cons",
    Source.OUTSIDE: "net",
}


def widths(width: int) -> tuple[int, int]:
    """Columns for the setting, and for each source."""
    return (26, 10) if width >= NARROW else (20, 6)


def columns_of(line: DeviceLine) -> list[Source]:
    """The columns of a device's proof."""
    return columns(source for _, source in line.findings)


class Told(NamedTuple):
    """What is told in words: its title, what is lacking, `accepted` or `shown`, why; and the setting it is about."""

    title: str
    lacking: str
    why: str
    setting: str = ""


class Findings(Rows):
    """One row a setting: where it was read, and what was planned."""

    def __init__(self, line: DeviceLine) -> None:
        super().__init__(id="findings")
        self.line = line
        self.rows: list[tuple[str, dict[Source, Finding]]] = []
        self.owed: list[Told] = []
        """What is owed or was accepted."""
        self.kept: list[Told] = []
        """What the device showed and is kept as evidence."""

    def lay_out(self) -> None:
        """Group findings by setting, differences first; what is owed stands above them all."""
        came = self.line.outcome
        self.owed = [Told(debt.title, debt.lacking.value, debt.why, debt.setting) for debt in came.owed] if came else []
        self.owed += (
            [Told(title_of(setting), "accepted", why, setting) for setting, why in came.accepted] if came else []
        )
        self.kept = [Told(what, SHOWN, "\n".join(lines)) for what, lines in self.line.kept.items()]
        groups: dict[str, dict[Source, Finding]] = {}
        for finding in self.line.findings.values():
            groups.setdefault(finding.setting, {})[finding.source] = finding
        self.rows = sorted(groups.items(), key=lambda row: all(f.holds for f in row[1].values()))
        self.redraw()

    def count(self) -> int:
        return len(self.owed) + len(self.rows) + len(self.kept)

    def _told(self, index: int) -> Told | None:
        """What is told in words in this row; None for one of findings."""
        behind = index - len(self.owed) - len(self.rows)
        return self.owed[index] if index < len(self.owed) else self.kept[behind] if behind >= 0 else None

    def key(self, index: int) -> Any:
        return self._told(index) or self.rows[index - len(self.owed)][0]

    def stamp(self, index: int) -> Hashable:
        if told := self._told(index):
            return told
        setting, found = self.rows[index - len(self.owed)]
        return (setting, tuple(found.values()))

    def draw(self, index: int, width: int) -> Text:
        if told := self._told(index):
            return self._draw_told(told, width)
        setting, found = self.rows[index - len(self.owed)]
        first = next(iter(found.values()))
        good = all(f.holds for f in found.values())
        names, each = widths(width)
        row = Text(f" {fit(first.title, names - 2):<{names}}", Style(color=PAPER if good else ROSE, bold=not good))
        for source in columns_of(self.line):
            sign, colour = SIGNS[found[source].verdict] if source in found else self._to_come(setting, source)
            row.append(f"{sign:^{each}}", colour)
        worst = next((f for f in found.values() if not f.holds), first)
        words = worst.planned
        if not worst.holds:
            words += f", but {worst.source.value}: {worst.read or 'nothing'}"
        return row.append(f"  {fit(words, width - row.cell_len - 3)}", PAPER if good else ROSE)

    def _draw_told(self, told: Told, width: int) -> Text:
        """The title, that it is owed, and why, as far as there is room; the rest stands below."""
        title, lacking, why, _ = told
        names, _ = widths(width)
        row = Text(f" {fit(title, names - 2):<{names}}", Style(color=PAPER))
        word = lacking if lacking in ("accepted", SHOWN) else f"owed, {lacking}"
        row.append(f" {'≡' if lacking == SHOWN else '◎'} {word}: ", Style(color=SLATE, bold=True))
        return row.append(fit(why.replace("\n", " / "), width - row.cell_len - 1), PAPER)

    def _to_come(self, setting: str, source: Source) -> tuple[str, str]:
        """A ring where a finding is still to come, a dash where none is owed."""
        read_back = any(p.setting == setting and p.fact for p in self.line.script.steps)
        owed = read_back and source is not Source.OUTSIDE and self.line.active
        return ("○", FAINT) if owed else ("─", FAINT)


class Heads(Watcher):
    """The names of the columns."""

    def __init__(self, line: DeviceLine) -> None:
        super().__init__(id="heads")
        self.line = line

    def stamp(self) -> Hashable:
        return (*columns_of(self.line), self.size)

    def render(self) -> RenderResult:
        names, each = widths(self.size.width)
        titles = COLUMNS if self.size.width >= NARROW else SHORT
        text = Text(f"  {'setting':<{names}}", DIM)
        return text.append("".join(f"{titles[s]:^{each}}" for s in columns_of(self.line)) + "  planned", DIM)


class Evidence(Widget):
    """The very lines that the device showed for the setting under the cursor."""

    def __init__(self) -> None:
        super().__init__()
        self.found: dict[Source, Finding] = {}
        self.owed: Told | None = None

    def render(self) -> RenderResult:
        if self.owed is not None:
            title, lacking, why, _ = self.owed
            head = Text.assemble((title, Style(color=SLATE, bold=True)), (f" · {lacking}", DIM))
            return head.append("\n\n " + why.replace("\n", "\n "), PAPER)
        text = Text.assemble(("evidence", Style(color=GREEN, bold=True)), (" · what the device showed", DIM), "\n")
        for source in COLUMNS:
            if finding := self.found.get(source):
                sign, colour = SIGNS[finding.verdict]
                for number, line in enumerate(finding.evidence.split("\n") if finding.evidence else ["nothing"]):
                    text.append(f"\n {sign if number == 0 else ' '} ", colour)
                    text.append(f"{source.value if number == 0 else '':<18}", DIM).append("│ ", FAINT)
                    text.append(line.strip(), PAPER)
        if not self.found:
            text.append("\n nothing was read back yet; `g` on the line-up begins", DIM)
        return text


class Proof(DeviceScreen):
    """The proof of one device."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("a", "again", "again", tooltip="send what differs, and read back again"),
        Binding("x", "accept", "accept", tooltip="with a reason, which goes into the papers; empty takes it back"),
        Binding("d", "pass_over", "pass over", tooltip="do not send it; again: send it"),
        Binding("c", "as_shown", "plan as shown", tooltip="change the plan to what the device shows"),
        Binding("w", "app.wire_of_this", "wire", tooltip="the device, live"),
        *ABOUT_ONE,
        *COMMON,
    ]

    def __init__(self, line: DeviceLine, about: str = "") -> None:
        super().__init__(line)
        self._seen, self._about = -1, about

    def beside(self, line: DeviceLine) -> DeviceScreen:
        return Proof(line, self._setting)

    def compose(self) -> ComposeResult:
        yield Headline(self.host.job.board, f"proof of {self.device}", self.line.family)
        yield Summary(self.line, lambda: self.host.job.board.lines.get(self.device, self.line).device)
        yield Heads(self.line)
        yield Findings(self.line)
        with VerticalScroll(id="evidence"):
            yield Evidence()
        yield KeysFooter()

    def on_mount(self) -> None:
        findings = self.query_one(Findings)
        findings.focus()
        super().on_mount()
        findings.select(self._about)

    def follow(self) -> None:
        self.headline().look()
        if self._seen != self.line.version:
            self._seen = self.line.version
            findings = self.query_one(Findings)
            findings.lay_out()
            self.query_one(Summary).refresh()
            self.query_one(Heads).look()
            self._show(findings.selected)

    def on_rows_moved(self, event: Rows.Moved) -> None:
        self._show(event.key)

    def _show(self, setting: Any) -> None:
        rows = dict(self.query_one(Findings).rows)
        evidence = self.query_one(Evidence)
        evidence.owed = setting if isinstance(setting, Told) else None
        evidence.found = rows.get(setting, {}) if evidence.owed is None else {}
        evidence.refresh(layout=True)
        pane = self.query_one("#evidence", VerticalScroll)
        pane.set_class(evidence.owed is not None and evidence.owed.lacking == SHOWN, "tall")
        pane.scroll_home(animate=False)

    @property
    def _setting(self) -> str:
        """The setting under the cursor, or nothing."""
        selected = self.query_one(Findings).selected
        return selected.setting if isinstance(selected, Told) else selected or ""

    def action_accept(self) -> None:
        """Accept that the setting differs or is owed."""
        if setting := self._setting:
            decide.accept(self, self.device, setting)

    def action_pass_over(self) -> None:
        """Do not send the setting, or send it again."""
        if setting := self._setting:
            decide.pass_over(self, self.device, setting)

    def action_as_shown(self) -> None:
        """Plan what the device shows."""
        rows = dict(self.query_one(Findings).rows)
        found = rows.get(self._setting, {}).get(Source.RUNNING)
        if found is None or found.holds:
            self.notify("the device shows nothing else there")
        else:
            decide.plan_as_shown(self, self.device, found)

    def action_again(self) -> None:
        """Carry this device again: look, send what is not so, prove."""
        self.host.running.resume(self.device)


class Summary(Widget):
    """One row: how many findings hold, and what is owed."""

    def __init__(self, line: DeviceLine, planned: Callable[[], Device]) -> None:
        super().__init__(id="summary")
        self.line, self.planned = line, planned

    def render(self) -> RenderResult:
        findings = list(self.line.findings.values())
        bad = [f for f in findings if not f.holds]
        held = f"  {len(findings) - len(bad)} of {len(findings)} findings hold"
        text = Text().append(held, Style(color=GREEN, bold=True))
        if bad:
            text.append(f"   {len(bad)} differ{'s' * (len(bad) == 1)}", Style(color=ROSE, bold=True))
        text.append(f"   {self.line.sentence}", SLATE)
        under, planned = revision_of(self.line.device), revision_of(self.planned())
        told = f"plan {under[:6]}" if under == planned else f"under plan {under[:6]}, which is {planned[:6]} by now"
        room = self.size.width - text.cell_len - len(told) - 2
        return text.append(" " * room + told, DIM) if room > 1 else text
