"""The command palette: every command, those of the screen in front first, then the rest by how often they are used.

The toolkit's own provider sorts by name; nobody looks for `Go` under G. What a screen's keys do comes from its
bindings, so a key that is added is a command too.
"""

from __future__ import annotations

from collections.abc import Awaitable, Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING, cast

from rich.style import Style
from rich.text import Text
from textual import on
from textual.command import CommandPalette, DiscoveryHit, Hit, Hits, Provider
from textual.widgets import Input
from textual.worker import WorkerError

from zinger.tui.dialogs import commands_of, key_of
from zinger.tui.look import BRASS, DIM, PAPER

if TYPE_CHECKING:
    from zinger.tui.host import Host

EVERYWHERE = (
    ("app.plan", "plan", "look at the plan and edit it"),
    ("app.go", "go", "carry the devices to a proved baseline"),
    ("app.import", "import", "bring in somebody's sheet"),
    ("app.credentials", "credentials", "accounts and passwords: show, copy, change, seal"),
    ("app.forecast", "forecast", "when the bench is done, who waits for what, what one more would save"),
    ("app.handover", "handover", "drawings, proof sheet, labels, exports: look at them, write them"),
    ("app.welcome", "welcome", "recent jobs, a new job, the demo"),
    ("app.help", "keys and shapes", "help for the screen in front"),
    ("app.leave", "quit", "asks first where a conversation is under way"),
)
WITHOUT_JOB = ("app.welcome", "app.help", "app.leave")
OF_DEVICES = (
    ("wire", "wire of", "the device, live"),
    ("proof", "proof of", "what was planned, and what was read back"),
    ("preview", "preview of", "what will be sent to it, before it is sent"),
)


@dataclass(frozen=True)
class Command:
    """One line of the palette; `action` as a binding would name it."""

    action: str
    title: str
    help: str
    key: str = ""

    def shown(self) -> Text:
        """The line: title, key, what it does."""
        text = Text(no_wrap=True, overflow="ellipsis")
        text.append(self.title, Style(color=PAPER)).append(" " * max(1, 32 - len(self.title)))
        text.append(f"{self.key:<8}", Style(color=BRASS))
        return text.append(self.help, DIM)


class Palette(CommandPalette):
    """The palette; Enter takes from the list that belongs to what is typed, however fast it was typed."""

    @on(Input.Submitted)
    async def _until_the_list_is_new(self) -> None:
        """The toolkit's own handler comes after this one, and takes what stands first in the list."""
        for search in [worker for worker in self.workers if worker.node is self]:
            with suppress(WorkerError):
                await search.wait()


class Commands(Provider):
    """Every command, in the order in which it is offered."""

    async def discover(self) -> Hits:
        """All of them, before anything is typed."""
        for number, command in enumerate(self._all()):
            yield DiscoveryHit(command.shown(), self._runs(command), text=f"{number:06}")

    async def search(self, query: str) -> Hits:
        """Those that match what is typed."""
        matcher = self.matcher(query)
        for command in self._all():
            if (score := matcher.match(command.title)) > 0:
                yield Hit(score, command.shown(), self._runs(command), text=command.title)

    def _runs(self, command: Command) -> Callable[[], Awaitable[None]]:
        return partial(self.screen.run_action, command.action)

    def _all(self) -> Iterator[Command]:
        app, done = cast("Host", self.app), set()
        for binding in commands_of(self.screen):
            done.add(binding.action)
            yield Command(binding.action, binding.description, binding.tooltip, key_of(self.app, binding))
        for action, title, words in EVERYWHERE:
            if action not in done and (app.has_job or action in WITHOUT_JOB):
                yield Command(action, title, words)
        if app.has_job:
            yield from _of_job(app)


def _of_job(app: Host) -> Iterator[Command]:
    for name in app.job.board.lines:
        for screen, title, words in OF_DEVICES:
            yield Command(f"app.open('{screen}', {name!r})", f"{title} {name}", words)
    for family in dict.fromkeys(device.family for device in app.job.plan.devices):
        if family in app.job.families:
            title = app.job.families[family].title
            yield Command(f"app.open('card', {family!r})", f"factory card of {title}", "how it comes out of its carton")
