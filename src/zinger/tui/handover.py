"""Handover: the papers of the job, looked at before they are written, and what is still open in them."""

from __future__ import annotations

import asyncio
import textwrap
from collections.abc import Hashable, Iterator
from typing import TYPE_CHECKING, Any, ClassVar

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Horizontal

from zinger.errors import ZingerError
from zinger.tui.choosing import ChoiceDialog
from zinger.tui.footer import KeysFooter
from zinger.tui.look import BRASS, DIM, PAPER, fit_end, home_short
from zinger.tui.parts import COMMON, Headline, ZingerScreen
from zinger.tui.rows import Rows
from zinger.wording import counted

if TYPE_CHECKING:
    from zinger.handover.papers import Papers

ABOUT = {
    "site-": "where each device is, its layer, cables with their ports",
    "ports-": "each port: VLANs, group, where it leads",
    "addresses": "every address of the subnet, and who has it",
    "timeline": "who worked when: devices, Zinger, hands",
    "proof-sheet": "planned, read, evidence; open points first",
    "labels": "name, address, asset number and QR code",
    "as-built": "what was read back last, a row a device",
    "mail": "a short text for a mail or a ticket",
    "exports/hosts": "for /etc/hosts",
    "exports/ssh_config": "for OpenSSH",
    "exports/known_hosts": "host keys that were pinned",
    "exports/dnsmasq": "reservations by MAC",
    "exports/kea": "reservations by MAC",
    "exports/inventory": "who is who",
    "exports/monitoring": "what to look at: ping and services",
    "exports/zones": "RFC 1035",
    "exports/scripts": "what is sent, passwords masked",
    "exports/journal": "everything that happened, JSON lines",
    "exports/yang": "RFC 7951: system, interfaces, routing",
}
"""What a paper is for, by how its name begins."""
SHOWN = 400
"""Lines of a text that are shown at most."""


class PaperList(Rows):
    """The papers, one a row."""

    def __init__(self) -> None:
        super().__init__(id="papers")
        self.names: list[tuple[str, int]] = []

    def show(self, papers: dict[str, bytes]) -> None:
        """Show these; a drawing that is there as PDF and as SVG is one row."""
        self.names = [(name, len(data)) for name, data in papers.items() if not _is_twin(name, papers)]
        self.redraw()

    def count(self) -> int:
        return max(1, len(self.names))

    def key(self, index: int) -> Any:
        return self.names[index][0] if self.names else None

    def stamp(self, index: int) -> Hashable:
        return (len(self.names), self.names[index] if self.names else "")

    def draw(self, index: int, width: int) -> Text:
        if not self.names:
            return Text(" the papers are made …", DIM)
        name, size = self.names[index]
        if width < 36:  # the name says more than the size
            return Text(f" {fit_end(name, width - 2)}", PAPER)
        row = Text(f" {fit_end(name, width - 10):<{width - 10}}", PAPER)
        return row.append(f"{max(1, size // 1024):>6} kB", DIM)


def _is_twin(name: str, papers: dict[str, bytes]) -> bool:
    """Whether a PDF only gathers drawings that have rows of their own."""
    stem = name.removesuffix(".pdf")
    return stem in ("sites", "ports", "addresses") or (name.endswith(".pdf") and f"{stem}.svg" in papers)


class PaperView(Rows):
    """The paper under the cursor, as far as a terminal can show it."""

    def __init__(self) -> None:
        super().__init__(id="paper", cursor=False)
        self.lines: list[tuple[str, str]] = []
        self._version = 0

    def show(self, lines: list[tuple[str, str]]) -> None:
        """Show these lines, each with its colour."""
        self.lines = lines
        self._version += 1
        self.scroll_to(0, 0, animate=False)
        self.redraw()

    def count(self) -> int:
        return len(self.lines)

    def stamp(self, index: int) -> Hashable:
        return (self._version, index)

    def draw(self, index: int, width: int) -> Text:
        text, colour = self.lines[index]
        return Text(text, colour, no_wrap=True)


class HandoverScreen(ZingerScreen):
    """All papers and exports; written when the person says so."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("s", "write", "write all", tooltip="write every paper into the job's folder"),
        Binding("slash", "part", "one site", tooltip="the papers of one site, or of the whole job again"),
        *COMMON,
    ]

    def __init__(self) -> None:
        super().__init__()
        self._papers: Papers | None = None
        self._all: dict[str, bytes] = {}
        self._site = ""
        self._shown: Hashable = None

    def compose(self) -> ComposeResult:
        yield Headline(self.host.job.board, "Handover")
        with Horizontal(id="handover-body"):
            yield PaperList()
            yield PaperView()
        yield KeysFooter()

    def on_mount(self) -> None:
        self.query_one(PaperList).focus()
        super().on_mount()
        self._make()

    def _make(self) -> None:
        self._all = {}
        self.query_one(PaperList).show({})
        self.run_worker(self._made(), exclusive=True, name="papers")

    async def _made(self) -> None:
        from zinger.handover.papers import Part, papers_of  # here, since the drawing library takes long to load

        job = self.host.job
        part = Part((self._site,)) if self._site else Part()
        try:
            self._papers = await asyncio.to_thread(papers_of, job.folder, job.plan, job.scripts, job.books, part)
            self._all = await asyncio.to_thread(self._papers.all)
        except (OSError, ZingerError) as error:
            self.host.tell("The papers could not be made", str(error))
            return
        self.query_one(PaperList).show(self._all)
        self._shown = None

    def follow(self) -> None:
        papers = self.query_one(PaperList)
        headline = self.headline()
        open_count = sum(len(record.still_open) for record in self._papers.found) if self._papers else 0
        still_open = counted(open_count, "open point") if open_count else "nothing is open"
        what = f"{still_open} · {self._site or 'the whole job'} · {counted(len(self._all), 'paper')}"
        headline.detail = what if self._all else "the papers are made"
        headline.look()
        view = self.query_one(PaperView)
        shown = (papers.selected, len(self._all), view.size.width)
        if self._all and papers.selected and shown != self._shown:
            self._shown = shown
            view.show(list(self._lines(papers.selected, max(30, view.size.width - 2))))

    def _lines(self, name: str, width: int) -> Iterator[tuple[str, str]]:
        about = next((words for begins, words in ABOUT.items() if name.startswith(begins)), "")
        for line in textwrap.wrap(f"{name}   {about}", width, drop_whitespace=False):
            yield line.strip(), BRASS
        yield "", DIM
        for line in self._content(name, width):
            for row in textwrap.wrap(line, width, subsequent_indent="    ") or [""]:
                yield row, PAPER

    def _content(self, name: str, width: int) -> Iterator[str]:
        from zinger.handover.preview import open_points, site_in_characters, to_be_known

        assert self._papers is not None
        if name.startswith("site-"):
            yield from site_in_characters(*self._papers.map_of(name.removesuffix(".svg")), width)
        elif name.startswith("proof-sheet"):
            states = [f"{record.device.name:<18} {record.state}" for record in self._papers.found]
            points, told = open_points(self._papers.found), to_be_known(self._papers.found)
            yield from states
            for words, lines in (
                ("What remains open:" if points else "Nothing is open.", points),
                ("To be known:", told),
            ):
                yield from ("", words)
                yield from (row for line in lines for row in textwrap.wrap(line, width, subsequent_indent="  "))
        elif name.endswith((".svg", ".pdf", ".xlsx")):
            yield "A picture. It is written with the others (s); open it with any viewer."
            yield from self._papers.told_by(name)
        else:
            text = self._all[name].decode("utf-8", "replace").splitlines()
            yield from (line.replace("\t", "    ") for line in text[:SHOWN])
            if len(text) > SHOWN:
                yield f"… {len(text) - SHOWN} more lines"

    def action_write(self) -> None:
        """Write every paper into the job's folder."""
        if self._papers is not None and self._all:
            self.run_worker(self._write(), exclusive=True, name="handover")

    async def _write(self) -> None:
        from zinger.handover.papers import write_all

        assert self._papers is not None
        home = self.host.job.folder.handover / self._papers.part.folder
        try:
            written = await asyncio.to_thread(write_all, home, self._all)
        except (OSError, ZingerError) as error:
            self.host.tell("The papers could not be written", str(error))
            return
        self.notify(f"{counted(len(written), 'paper')} in {home_short(home)}", title="handover")

    def action_part(self) -> None:
        """The papers of one site, or of the whole job."""
        sites = [(site.name, f"{site.name}  {site.subnet or ''}") for site in self.host.job.plan.sites]

        def chosen(site: str | None) -> None:
            if site is not None:
                self._site = site
                self._make()

        self.app.push_screen(ChoiceDialog("Papers of", [("", "the whole job"), *sites]), chosen)
