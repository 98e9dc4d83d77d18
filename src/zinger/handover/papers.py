"""Writes the papers of a job into `handover/`: drawings, proof, labels, exports; each whole or not at all.

Same job, same bytes: no paper says when it was printed, only when what it shows was so, which the journal knows.
"""

from __future__ import annotations

import csv
import datetime
import io
import json
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

from reportlab.graphics import renderPDF, renderSVG
from reportlab.graphics.shapes import Drawing
from reportlab.lib.pagesizes import A3, A4, landscape
from reportlab.pdfgen.canvas import Canvas

from zinger.files import write_whole
from zinger.handover.addresses import address_ladder, rungs_in_words
from zinger.handover.drawing import time_in_words, timeline
from zinger.handover.exports.every import exports
from zinger.handover.exports.pack import Pack
from zinger.handover.fonts import embedded
from zinger.handover.labels import STANDARD, labels, sheet_of, told
from zinger.handover.layout import Layout, lay_out
from zinger.handover.mail import mail_text
from zinger.handover.portmap import port_fields, port_map
from zinger.handover.proofsheet import proof_sheet
from zinger.handover.record import DeviceRecord, by_site, records
from zinger.handover.sitedrawing import page_fits, site_drawing
from zinger.handover.sitemap import SiteMap, site_map
from zinger.phrasebook.book import Phrasebook
from zinger.plan.files.cells import shielded
from zinger.plan.model import Plan
from zinger.plan.settings import SETTINGS
from zinger.proof.findings import Source
from zinger.script.compile import Script
from zinger.script.text import script_text
from zinger.store.entries import Entry
from zinger.store.folder import JobFolder
from zinger.store.journal import Journal

PHOTOS = "photos"
"""The folder of a job in which a person puts photos, each named after its device."""
PICTURES = (".jpg", ".jpeg", ".png")
LARGEST_PHOTO, MOST_PHOTOS = 25_000_000, 4
"""Bytes of a photo, and photos of a device."""


@dataclass(frozen=True)
class Part:
    """A part of the job: only some sites (by key or name), or only devices that anything happened to since a day."""

    sites: tuple[str, ...] = ()
    since: datetime.date | None = None
    labels: str = STANDARD
    used_labels: int = 0

    def holds(self, record: DeviceRecord) -> bool:
        """Whether a device belongs to it."""
        site, at = record.device.site, record.memory.last_at
        if self.sites and not {site.key.lower(), site.name.lower()} & {name.lower() for name in self.sites}:
            return False
        return self.since is None or (at is not None and datetime.date.fromtimestamp(at) >= self.since)

    @property
    def folder(self) -> str:
        """The folder of its papers inside `handover/`; nothing for the whole job."""
        since = f"since-{self.since.isoformat()}" if self.since else ""
        return "-".join(filter(None, [*(slug(site) for site in self.sites), since]))


@dataclass(frozen=True)
class Papers:
    """All papers of a job, or of a part of it, by their names; each is made when it is asked for."""

    title: str
    found: Sequence[DeviceRecord]
    everyone: Sequence[DeviceRecord]
    at: float | None
    """When the last thing happened that they tell of, in seconds since 1970; None where nothing did."""
    books: Mapping[str, Phrasebook]
    host_keys: str = ""
    photos: Mapping[str, Sequence[Path]] | None = None
    part: Part = Part()
    entries: Sequence[Entry] = ()

    @cached_property
    def sites(self) -> list[tuple[str, Drawing]]:
        """The drawing of each site, with the name of its file."""
        groups = by_site(list(self.found))
        return [
            (f"site-{slug(site.name)}", site_drawing(self.title, site, mine, self.everyone, self.at))
            for site, mine in groups
        ]

    def map_of(self, name: str) -> tuple[SiteMap, Layout]:
        """What the drawing of this name shows, and where; raises KeyError."""
        for site, mine in by_site(list(self.found)):
            if f"site-{slug(site.name)}" == name:
                shown = site_map(mine, self.everyone)
                return shown, lay_out(shown)
        raise KeyError(name)

    def told_by(self, name: str) -> list[str]:
        """In a few lines, what a picture tells; nothing for those that only pictures can tell."""
        stem = name.partition(".")[0]
        if stem.startswith("ports-"):
            record = next(record for record in self.found if f"ports-{slug(record.device.name)}" == stem)
            return ["", *(field.in_words for field in port_fields(record, self.everyone))]
        if stem.startswith("addresses-"):
            mine = next(group for group in by_site(list(self.found)) if f"addresses-{slug(group[0].name)}" == stem)
            return ["", *rungs_in_words(*mine)]
        if stem == "timeline":
            return ["", *(time_in_words(record) for record in self.found if record.memory.spans)]
        return ["", *(" · ".join(told(r).splitlines()) for r in self.found)] if stem == "labels" else []

    def _script(self, record: DeviceRecord) -> bytes:
        """What is sent to a device, passwords masked."""
        assert record.script is not None
        book = self.books.get(record.device.family)
        title = book.title if book else record.device.family
        return "".join(f"{line.rstrip()}\n" for line in script_text(title, record.device.name, record.script)).encode()

    def _journal(self) -> bytes:
        """What happened to these devices and to the job, as JSON lines; the journal keeps no password."""
        names = {"", *(record.device.name for record in self.found)}
        rows = [{"at": e.at, "device": e.device, "event": e.kind, **e.data} for e in self.entries if e.device in names]
        return "".join(json.dumps(row, ensure_ascii=False) + "\n" for row in rows).encode()

    @cached_property
    def port_maps(self) -> list[tuple[str, Drawing]]:
        """The port map of each device that has planned ports."""
        drawn = [(record.device.name, port_map(self.title, record, self.everyone)) for record in self.found]
        return [(f"ports-{slug(name)}", drawing) for name, drawing in drawn if drawing is not None]

    @cached_property
    def ladders(self) -> list[tuple[str, Drawing]]:
        """The address ladder of each site's subnet."""
        drawn = [(site.name, address_ladder(self.title, site, mine)) for site, mine in by_site(list(self.found))]
        return [(f"addresses-{slug(name)}", drawing) for name, drawing in drawn if drawing is not None]

    def all(self) -> dict[str, bytes]:
        """Every paper and export."""
        line = timeline(self.title, list(self.found))
        papers: dict[str, bytes] = {}
        for book, drawn in (("sites", self.sites), ("ports", self.port_maps), ("addresses", self.ladders)):
            papers |= {f"{name}.svg": _svg(drawing) for name, drawing in drawn}
            if drawn:
                papers[f"{book}.pdf"] = _pages([drawing for _, drawing in drawn], self.title)
        papers |= {"timeline.svg": _svg(line), "timeline.pdf": _pages([line], self.title)}
        papers["proof-sheet.pdf"] = proof_sheet(self.title, self.found, self.at, self.photos)
        papers["labels.pdf"] = labels(self.title, self.found, sheet_of(self.part.labels), self.part.used_labels)
        papers["as-built.csv"] = as_built(self.found)
        pack = Pack(self.title, self.at or 0.0, self.found, self.books, self.host_keys)
        papers |= {f"exports/{name}": data for name, data in exports(pack).items()}
        papers |= {f"exports/scripts/{r.device.name}.txt": self._script(r) for r in self.found if r.script is not None}
        papers["exports/journal.jsonl"] = self._journal()
        papers["mail.txt"] = mail_text(self.title, self.found, self.at, list(papers)).encode()
        return papers


def papers_of(
    folder: JobFolder,
    plan: Plan,
    scripts: Mapping[str, Script],
    books: Mapping[str, Phrasebook],
    part: Part | None = None,
) -> Papers:
    """The papers of a job as its journal is now. Raises JournalError."""
    part = part or Part()
    entries = _entries(folder)
    everyone = records(plan, scripts, entries)
    found = [record for record in everyone if part.holds(record)]
    names = {record.device.name for record in found}
    at = max((entry.at for entry in entries if entry.device in names), default=None)
    title = f"{plan.title}{', ' + plan.note if plan.note else ''}"
    keys = folder.host_keys.read_text("utf-8", "replace") if folder.host_keys.exists() else ""
    return Papers(title, found, everyone, at, books, keys, _photos(folder, sorted(names)), part, entries)


def write_papers(
    folder: JobFolder,
    plan: Plan,
    scripts: Mapping[str, Script],
    books: Mapping[str, Phrasebook] | None = None,
    part: Part | None = None,
) -> list[Path]:
    """Write every paper; returns their paths. Raises OSError, FileError and JournalError."""
    papers = papers_of(folder, plan, scripts, books or {}, part)
    return write_all(folder.handover / papers.part.folder, papers.all())


def write_all(home: Path, papers: Mapping[str, bytes]) -> list[Path]:
    """Write papers into a folder, each whole or not at all. Raises OSError and FileError."""
    written = []
    for name, data in papers.items():
        file = home / name
        file.parent.mkdir(parents=True, exist_ok=True)
        write_whole(file, data)
        written.append(file)
    return written


def _entries(folder: JobFolder) -> list[Entry]:
    if not folder.journal.exists():
        return []
    journal = Journal(folder.journal)
    try:
        return list(journal.entries())
    finally:
        journal.close()


def _photos(folder: JobFolder, names: Sequence[str]) -> dict[str, list[Path]]:
    """The photos of each device: files whose name begins with the device's."""
    home = folder.path / PHOTOS
    if not home.is_dir():
        return {}
    files = sorted(f for f in home.iterdir() if _is_photo(f))
    return {name: [f for f in files if _shows(f, name)][:MOST_PHOTOS] for name in names}


def _is_photo(file: Path) -> bool:
    if file.suffix.lower() not in PICTURES or not file.is_file() or file.is_symlink():
        return False
    return file.stat().st_size <= LARGEST_PHOTO


def _shows(file: Path, device: str) -> bool:
    return re.fullmatch(rf"{re.escape(device)}(?:[-_ .].*)?", file.stem, re.IGNORECASE) is not None


def left_out(folder: JobFolder, names: Sequence[str]) -> list[str]:
    """The files in the folder of photos that are in no paper, each with the reason."""
    home, found = folder.path / PHOTOS, []
    taken = {file for files in _photos(folder, names).values() for file in files}
    for file in sorted(set(home.iterdir()) - taken) if home.is_dir() else ():
        if not _is_photo(file):
            why = f"is no JPEG or PNG file of at most {LARGEST_PHOTO // 1_000_000} MB"
        elif any(_shows(file, name) for name in names):
            why = f"is one more than the {MOST_PHOTOS} that a device can have"
        else:
            why = "begins with the name of no device"
        found.append(f"{PHOTOS}/{file.name} {why}")
    return found


def slug(name: str) -> str:
    """A name for a file: small letters, digits and hyphens."""
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "site"


def _svg(drawing: Drawing) -> bytes:
    return embedded(renderSVG.drawToString(drawing)).encode()


def _pages(drawings: Sequence[Drawing], title: str) -> bytes:
    """One page a drawing, scaled to landscape A4, or to A3 where A4 would make its letters too small."""
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=landscape(A4), invariant=1)
    canvas.setTitle(title)
    for drawing in drawings:
        sheet = A3 if page_fits(drawing) == "A3" else A4
        width, height = sheet if drawing.height > drawing.width else landscape(sheet)
        canvas.setPageSize((width, height))
        factor = min((width - 40) / drawing.width, (height - 40) / drawing.height)
        canvas.saveState()
        canvas.translate((width - drawing.width * factor) / 2, height - 20 - drawing.height * factor)
        canvas.scale(factor, factor)
        renderPDF.draw(drawing, canvas, 0, 0)
        canvas.restoreState()
        canvas.showPage()
    canvas.save()
    return out.getvalue()


def as_built(found: Sequence[DeviceRecord]) -> bytes:
    """One row a device: who it is, and what was read back last of every setting; RFC 4180."""
    out = io.StringIO()
    table = csv.writer(out)
    settings = [s for s in SETTINGS if any(s in r.device.values for r in found)]
    table.writerow(["site", "device", "family", "role", "serial", "mac", "label", "location", "state", *settings])
    for r in found:
        d = r.device
        read = [r.finding(s, Source.AFTER_POWER_CUT, Source.STARTUP, Source.RUNNING) for s in settings]
        cells = [
            d.site.name,
            d.name,
            d.family,
            d.role,
            d.serial,
            d.mac,
            d.label,
            d.location,
            r.state,
            *(f.read if f else "" for f in read),
        ]
        table.writerow(map(shielded, cells))
    return out.getvalue().encode("utf-8")
