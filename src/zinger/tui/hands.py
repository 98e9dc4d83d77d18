"""The hands list: what only a person can do, best first; each act keeps its number until it is done."""

from __future__ import annotations

import textwrap
import time
from collections.abc import Callable, Hashable, Iterator
from typing import TYPE_CHECKING, Any

from rich.style import Style
from rich.text import Text
from textual.app import RenderResult
from textual.timer import Timer

from zinger.errors import ZingerError
from zinger.plan.values.secrets import SecretRef
from zinger.run.hands import Asked, Hands
from zinger.tui.choosing import ChoiceDialog, LineDialog
from zinger.tui.look import DIM, INK, PAPER, ROSE, VIOLET, first_fitting, minutes
from zinger.tui.parts import Watcher
from zinger.tui.rows import Rows

if TYPE_CHECKING:
    from zinger.tui.parts import ZingerScreen

NEXT_DIGIT = 0.8
"""Seconds in which the next digit of a number is awaited."""
FEW = 3
"""So many acts are shown with why they are needed; of more, only what is to be done."""


class HandsTitle(Watcher):
    """What the list below is, how it is answered, and what of a number is typed so far.

    A digit is the whole number at once where no longer one that begins so is in the list: 17 is never 1, and then 7.
    """

    def __init__(self, done: Callable[[int], None]) -> None:
        super().__init__(id="hands-title")
        self._done = done
        self.hands: Hands | None = None
        self._typed = ""
        self._waits: Timer | None = None

    def digit(self, digit: str) -> None:
        """A digit of the number of an act that the person did."""
        if self._waits:
            self._waits.stop()
        self._typed = f"{self._typed}{digit}".lstrip("0")
        numbers = [str(item.number) for item in self.hands.asked.values()] if self.hands else []
        if any(number.startswith(self._typed) and number != self._typed for number in numbers) and self._typed:
            self._waits = self.set_timer(NEXT_DIGIT, self._is_whole)
        else:
            self._is_whole()
        self.look()

    def _is_whole(self) -> None:
        typed, self._typed = self._typed, ""
        self.look()
        if typed:
            self._done(int(typed))

    def stamp(self) -> Hashable:
        return (len(self.hands.asked) if self.hands else 0, self._typed, self.size.width)

    def render(self) -> RenderResult:
        count = len(self.hands.asked) if self.hands else 0
        if self._typed:
            return Text.assemble(("hands", Style(color=VIOLET, bold=True)), (f" · {self._typed}_", PAPER))
        what = f" · {count} for you, best first" if count > 1 else " · what only you can do"
        press = "; press its number when it is done" if count else ""
        title = first_fitting(self.size.width - 5, what + press, what, what.partition(",")[0], "")
        return Text.assemble(("hands", Style(color=VIOLET, bold=True)), (title, DIM))


class HandsList(Rows):
    """The acts, and below them what was done last. An instruction is wrapped, never cut."""

    def __init__(self) -> None:
        super().__init__(id="hands-list")
        self.hands: Hands | None = None
        self._rows: list[tuple[int | None, Text]] = []
        self._laid: Hashable = ()
        self._version = 0

    def look(self) -> None:
        """Lay the list out again if it changed; cheap to call at every tick."""
        asked = self.hands.in_order() if self.hands else []
        ticking = int(time.time()) if any(a.act.until for a in asked) else 0
        log = len(self.hands.log) if self.hands else 0
        laid = (tuple((a.act, a.number, a.begun, a.later) for a in asked), log, ticking, self.size.width)
        if laid == self._laid:
            return
        before = self.selected if self._rows else None
        self._laid = laid
        self._version += 1
        self._rows = list(self._lay_out(asked, max(20, self.size.width - 2)))
        self.cursor = next((i for i, (number, _) in enumerate(self._rows) if before and number == before), 0)
        self.shows_cursor = bool(asked)
        self.redraw()

    def _lay_out(self, asked: list[Asked], width: int) -> Iterator[tuple[int | None, Text]]:
        by_yard = self.hands is not None and self.hands.helper is not None
        for item in asked:
            act = item.act
            badge = Text(f"{item.number:>2} ", Style(color=INK, bgcolor=VIOLET, bold=True))
            first, *rest = textwrap.wrap(act.do, width - 5) or [""]
            yield item.number, Text.assemble(badge, " ", (first, PAPER))
            more = [(line, PAPER) for line in rest]
            if act.see:
                more += [(line, VIOLET) for line in textwrap.wrap(f"then: {act.see}", width - 5)]
            if act.until is not None:
                left = act.until - time.time()
                more.append((f"{minutes(left)} left" if left > 0 else "too late now", ROSE))
            if len(asked) <= FEW or item.begun or item.later:
                more += [(line, DIM) for line in textwrap.wrap(_how(item, by_yard), width - 5)]
            for line, colour in more:
                yield item.number, Text.assemble("    ", (line, colour))
        if not asked:
            yield None, Text("    nothing, for now", DIM)
        done = self.hands.log[-4:] if self.hands else []
        for act, _, ended in reversed(done):
            stamp = time.strftime("%H:%M:%S", time.localtime(ended))
            deed = f"{act.verb.value} {act.subject.partition(' ')[0]}"  # of terms, not which wording of them
            yield None, Text("    " + first_fitting(width - 4, f"{stamp}  {deed}", f"{stamp[:5]} {deed}", deed), DIM)

    def count(self) -> int:
        return len(self._rows)

    def key(self, index: int) -> Any:
        return self._rows[index][0]

    def stamp(self, index: int) -> Hashable:
        return (self._version, index)

    def draw(self, index: int, width: int) -> Text:
        return self._rows[index][1]

    @property
    def device(self) -> str:
        """The subject of the act under the cursor, while the list has the focus: a device's name, for most."""
        item = self.hands.numbered(self.selected) if self.hands and self.has_focus and self._rows else None
        return item.act.subject if item else ""


def _how(item: Asked, by_yard: bool) -> str:
    if item.begun:
        return f"{item.act.why} · the yard's hands do it"
    later = "put off; " if item.later else ""
    if item.shows and not by_yard:
        return f"{later}{item.act.why} · seen by itself; else press {item.number}"
    done = "to type it in" if item.act.entry and not by_yard else "when it is done"
    return f"{later}{item.act.why} · press {item.number} {done}"


def open_act(screen: ZingerScreen, hands: Hands, number: int) -> None:
    """Ask what became of an act of the list."""
    item = hands.numbered(number)
    if item is None or item.begun:
        return

    def chosen(answer: str | None) -> None:
        if answer == "done":
            do_act(screen, hands, number)
        elif answer == "later":
            hands.put_off(item.act)
        elif answer == "cannot":
            screen.app.push_screen(
                LineDialog(
                    "Why can't it be done?",
                    "What it would only have proved is then owed, with this reason.",
                    placeholder="why",
                ),
                no,
            )

    def no(why: str | None) -> None:
        if why is not None:
            hands.cannot(item.act, why.strip())

    done = "type it in" if item.act.entry and hands.helper is None else "it is done"
    choices = [("done", done), ("later", "not now: the rest of the list first"), ("cannot", "it can't be done")]
    then = f"\nThen: {item.act.see}" if item.act.see else ""
    body = f"{item.act.do[0].upper()}{item.act.do[1:]}.{then}\n\nWhy: {item.act.why}."
    screen.app.push_screen(ChoiceDialog(f"Hands, {number}", choices, body), chosen)


def do_act(screen: ZingerScreen, hands: Hands, number: int) -> None:
    """The person did an act; a password that it is about is typed in now, and kept in the vault."""
    item = hands.numbered(number)
    if item is None or item.begun:
        return
    if not item.act.entry or hands.helper is not None:  # in practice the yard reads what only it has printed
        hands.person_did(item.act)
        return

    def typed(secret: str | None) -> None:
        if secret is None:
            return
        try:
            screen.host.keep_secret(item.act.entry, secret)
        except ZingerError as error:
            screen.notify(str(error), severity="error")
            return
        hands.finish(item.act)

    from zinger.tui.vault import AskPassword

    title = f"{item.act.do[0].upper()}{item.act.do[1:]}"
    screen.app.push_screen(AskPassword(title, SecretRef(item.act.entry), "not now"), typed)
