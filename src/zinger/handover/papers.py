"""Writes the papers of a job into `handover/`: SVG, PDF and CSV, each whole or not at all."""

from __future__ import annotations

import csv
import io
import re
import time
from collections.abc import Mapping
from pathlib import Path
from xml.sax.saxutils import escape

from reportlab.graphics import renderPDF, renderSVG
from reportlab.graphics.shapes import Drawing
from reportlab.lib.pagesizes import A4, landscape
from reportlab.lib.styles import ParagraphStyle
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Flowable, KeepTogether, PageBreak, Paragraph, SimpleDocTemplate, Spacer, Table

from zinger.files import write_whole
from zinger.handover.drawing import BOLD, GREEN, HAIR, INK, MONO, ROSE, SANS, SOFT, STATE, site_drawing, timeline
from zinger.handover.record import DeviceRecord, by_site, records
from zinger.plan.files.cells import shielded
from zinger.plan.model import Plan
from zinger.plan.settings import SETTINGS
from zinger.proof.findings import COLUMNS, Finding, Source, columns
from zinger.script.compile import Script
from zinger.store.folder import JobFolder
from zinger.store.journal import Journal


def write_papers(folder: JobFolder, plan: Plan, scripts: Mapping[str, Script]) -> list[Path]:
    """Write every paper; returns their paths. Raises OSError and JournalError."""
    found = _read(folder, plan, scripts)
    folder.handover.mkdir(exist_ok=True)
    title = f"{plan.title}{', ' + plan.note if plan.note else ''}"
    papers: dict[str, bytes] = {}
    drawings = []
    for site, of_site in by_site(found):
        drawing = site_drawing(title, site, of_site)
        drawings.append(drawing)
        papers[f"site-{_slug(site.name)}.svg"] = renderSVG.drawToString(drawing).encode()
    if drawings:
        papers["sites.pdf"] = _pages(drawings, title)
    line = timeline(title, found)
    papers["timeline.svg"] = renderSVG.drawToString(line).encode()
    papers["timeline.pdf"] = _pages([line], title)
    papers["proof-sheet.pdf"] = _proof_sheet(title, found)
    papers["as-built.csv"] = _as_built(found)
    return [_write(folder.handover / name, data) for name, data in papers.items()]


def _read(folder: JobFolder, plan: Plan, scripts: Mapping[str, Script]) -> list[DeviceRecord]:
    if not folder.journal.exists():
        return records(plan, scripts, ())
    journal = Journal(folder.journal)
    try:
        return records(plan, scripts, journal.entries())
    finally:
        journal.close()


def _write(file: Path, data: bytes) -> Path:
    write_whole(file, data)
    return file


def _slug(name: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "site"


def _pages(drawings: list[Drawing], title: str) -> bytes:
    """One page a drawing, scaled to landscape A4."""
    out = io.BytesIO()
    width, height = landscape(A4)
    canvas = Canvas(out, pagesize=(width, height))
    canvas.setTitle(title)
    for drawing in drawings:
        factor = min((width - 40) / drawing.width, (height - 40) / drawing.height)
        canvas.saveState()
        canvas.translate(20, height - 20 - drawing.height * factor)
        canvas.scale(factor, factor)
        renderPDF.draw(drawing, canvas, 0, 0)
        canvas.restoreState()
        canvas.showPage()
    canvas.save()
    return out.getvalue()


_NORMAL = ParagraphStyle("normal", fontName=SANS, fontSize=8, leading=10, textColor=INK)
_SMALL = ParagraphStyle("small", parent=_NORMAL, fontSize=7, leading=9, textColor=SOFT)
_EVIDENCE = ParagraphStyle("evidence", parent=_NORMAL, fontName=MONO, fontSize=6.6, leading=8.2)
_HEAD = ParagraphStyle("head", parent=_NORMAL, fontName=BOLD, fontSize=18, leading=24)
_DEVICE = ParagraphStyle("device", parent=_NORMAL, fontName=BOLD, fontSize=12, leading=16)
_WIDE, _NARROW, _ROOM = (96, 168), 46.5, 790
"""Points: setting and planned, a column of the proof, and all of a row, of which the evidence has the rest."""


def _proof_sheet(title: str, found: list[DeviceRecord]) -> bytes:
    """Every device: planned, where it was read, and the evidence line; first of all, what remains open."""
    out = io.BytesIO()
    document = SimpleDocTemplate(
        out,
        pagesize=landscape(A4),
        leftMargin=24,
        rightMargin=24,
        topMargin=26,
        bottomMargin=26,
        title=f"Proof sheet, {title}",
    )
    proved = sum(r.state == "proved" for r in found)
    story: list[Flowable] = [
        Paragraph("Proof sheet", _HEAD),
        Paragraph(
            _say(f"{title} · {proved} of {len(found)} devices proved · {time.strftime('%Y-%m-%d %H:%M')}"), _NORMAL
        ),
        Spacer(1, 10),
        Paragraph("What remains open", _DEVICE),
        *_still_open(found),
        Spacer(1, 10),
        Paragraph("Devices", _DEVICE),
        _overview(found),
    ]
    for record in found:
        story += [PageBreak(), *_device(record)]
    document.build(story, onFirstPage=_foot, onLaterPages=_foot)
    return out.getvalue()


def _still_open(found: list[DeviceRecord]) -> list[Flowable]:
    lines = [(r.device.name, sentence) for r in found for sentence in r.still_open]
    if not lines:
        return [Paragraph("Nothing.", _NORMAL)]
    rows = [[Paragraph(_say(name), _NORMAL), Paragraph(_say(sentence), _NORMAL)] for name, sentence in lines]
    return [_table(rows, (120, 670))]


def _overview(found: list[DeviceRecord]) -> Table:
    rows: list[list[Flowable]] = [
        [Paragraph(h, _SMALL) for h in ("device", "site", "address", "serial", "label", "findings", "state")]
    ]
    for r in found:
        findings = list(r.memory.findings.values())
        colour = STATE[r.state].hexval().replace("0x", "#")
        cells = (
            r.device.name,
            r.device.site.name,
            str(r.device.address or "none"),
            r.device.serial,
            r.device.label,
            f"{sum(f.holds for f in findings)} of {len(findings)} hold",
        )
        rows.append(
            [
                *(Paragraph(_say(c), _NORMAL) for c in cells),
                Paragraph(f"<font color='{colour}'>{r.state}</font>", _NORMAL),
            ]
        )
    return _table(rows, (150, 150, 120, 90, 90, 90, 100))


def _device(record: DeviceRecord) -> list[Flowable]:
    device = record.device
    colour = STATE[record.state].hexval().replace("0x", "#")
    head = [
        Paragraph(f"{_say(device.name)}  <font color='{colour}'>{record.state}</font>", _DEVICE),
        Paragraph(
            _say(
                f"{device.site.name} · {device.location or 'place not given'} · {device.family} · "
                f"serial {device.serial or 'not given'} · MAC {device.mac or 'not given'} · "
                f"label {device.label or 'not given'}"
            ),
            _SMALL,
        ),
        Spacer(1, 6),
    ]
    settings = list(dict.fromkeys(s for s, _ in record.memory.findings))
    if not settings:
        return [KeepTogether([*head, Paragraph("Nothing was read back.", _NORMAL)])]
    sources = columns(source for _, source in record.memory.findings)
    headings = ("setting", "planned", *(COLUMNS[source] for source in sources), "evidence")
    rows: list[list[Flowable]] = [[Paragraph(h, _SMALL) for h in headings]]
    for setting in settings:
        mine = [record.memory.findings.get((setting, s)) for s in sources]
        first = next(f for f in mine if f)
        evidence = "<br/>".join(_evidence(f) for f in _telling(mine))
        rows.append(
            [
                Paragraph(_say(first.title), _NORMAL),
                Paragraph(_say(first.planned), _NORMAL),
                *(Paragraph(_verdict(f), _NORMAL) for f in mine),
                Paragraph(evidence, _EVIDENCE),
            ]
        )
    narrow = [_NARROW] * len(sources)
    kept = [
        part
        for what, lines in record.memory.kept.items()
        for part in (
            Spacer(1, 4),
            Paragraph(f"{_say(what)}, as the device showed it", _SMALL),
            Paragraph("<br/>".join(map(_say, lines)), _EVIDENCE),
        )
    ]
    return [*head, _table(rows, (*_WIDE, *narrow, _ROOM - sum(_WIDE) - sum(narrow))), *kept]


def _telling(mine: list[Finding | None]) -> list[Finding]:
    """The findings whose evidence is worth printing: differences, else the last one that was read."""
    there = [f for f in mine if f]
    read_back = [f for f in there if f.source is not Source.OUTSIDE]
    outside = [f for f in there if f.source is Source.OUTSIDE]
    return [f for f in there if not f.holds] or [*read_back[-1:], *outside]


def _evidence(finding: Finding) -> str:
    lines = [line.strip() for line in finding.evidence.split("\n") if line.strip()] or ["nothing was shown"]
    return "<br/>".join(_say(line) for line in lines)


def _verdict(finding: Finding | None) -> str:
    if finding is None:
        return ""
    colour = (GREEN if finding.holds else ROSE).hexval().replace("0x", "#")
    return f"<font color='{colour}'>{finding.verdict.value}</font>"


def _say(text: str) -> str:
    return escape(text.encode("cp1252", "replace").decode("cp1252"))


def _table(rows: list[list[Flowable]], widths: tuple[float, ...]) -> Table:
    return Table(
        rows,
        colWidths=widths,
        repeatRows=1 if len(widths) > 2 else 0,
        splitInRow=1,  # evidence can be longer than a page
        style=[
            ("VALIGN", (0, 0), (-1, -1), "TOP"),
            ("LINEBELOW", (0, 0), (-1, -1), 0.3, HAIR),
            ("TOPPADDING", (0, 0), (-1, -1), 2),
            ("BOTTOMPADDING", (0, 0), (-1, -1), 2),
            ("LEFTPADDING", (0, 0), (-1, -1), 3),
            ("RIGHTPADDING", (0, 0), (-1, -1), 3),
        ],
    )


def _foot(canvas: Canvas, document: SimpleDocTemplate) -> None:
    canvas.setFont(SANS, 7)
    canvas.setFillColor(SOFT)
    canvas.drawRightString(document.pagesize[0] - 24, 14, f"page {canvas.getPageNumber()}")


def _as_built(found: list[DeviceRecord]) -> bytes:
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
