"""The proof sheet: what remains open, then each device: planned, read, and the device's own line as evidence."""

from __future__ import annotations

import io
import time
from collections.abc import Mapping, Sequence
from pathlib import Path
from xml.sax.saxutils import escape

from reportlab.lib.pagesizes import A4, landscape
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.utils import ImageReader
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Flowable, Image, KeepTogether, PageBreak, Paragraph, SimpleDocTemplate, Spacer, Table

from zinger.handover.drawing import GREEN, HAIR, INK, ROSE, SOFT, STATE
from zinger.handover.fonts import BOLD, MONO, SANS, drawable
from zinger.handover.record import DeviceRecord, proved_in_words
from zinger.proof.findings import COLUMNS, Finding, Source, columns

NORMAL = ParagraphStyle("normal", fontName=SANS, fontSize=8, leading=10, textColor=INK)
SMALL = ParagraphStyle("small", parent=NORMAL, fontSize=7, leading=9, textColor=SOFT)
EVIDENCE = ParagraphStyle("evidence", parent=NORMAL, fontName=MONO, fontSize=6.6, leading=8.2)
HEAD = ParagraphStyle("head", parent=NORMAL, fontName=BOLD, fontSize=18, leading=24)
DEVICE = ParagraphStyle("device", parent=NORMAL, fontName=BOLD, fontSize=12, leading=16)
_WIDE, _NARROW, _ROOM = (96, 168), 46.5, 790
"""Points: setting and planned, a column of the proof, and all of a row, of which the evidence has the rest."""


def proof_sheet(
    title: str,
    found: Sequence[DeviceRecord],
    at: float | None = None,
    photos: Mapping[str, Sequence[Path]] | None = None,
) -> bytes:
    """Every device: planned, where it was read, and the evidence line; first of all, what remains open.

    `at`, in seconds since 1970, is when it was so; `photos` by the name of their device.
    """
    out = io.BytesIO()
    document = SimpleDocTemplate(
        out,
        pagesize=landscape(A4),
        leftMargin=24,
        rightMargin=24,
        topMargin=26,
        bottomMargin=26,
        title=f"Proof sheet, {title}",
        invariant=1,
    )
    as_of = time.strftime(" · as of %Y-%m-%d %H:%M", time.localtime(at)) if at else ""
    story: list[Flowable] = [
        Paragraph("Proof sheet", HEAD),
        Paragraph(say(f"{title} · {proved_in_words(found)}{as_of}"), NORMAL),
        Spacer(1, 10),
        Paragraph("What remains open", DEVICE),
        *_sentences([(r.device.name, sentence) for r in found for sentence in r.still_open]),
        Spacer(1, 10),
        Paragraph("To be known", DEVICE),
        *_sentences([(r.device.name, sentence) for r in found for sentence in r.also_told]),
        Spacer(1, 10),
        Paragraph("Devices", DEVICE),
        _overview(found),
    ]
    for record in found:
        story += [PageBreak(), *_device(record), *_photos((photos or {}).get(record.device.name, ()))]
    document.build(story, onFirstPage=_foot, onLaterPages=_foot)
    return out.getvalue()


def _sentences(lines: Sequence[tuple[str, str]]) -> list[Flowable]:
    if not lines:
        return [Paragraph("Nothing.", NORMAL)]
    rows = [[Paragraph(say(name), NORMAL), Paragraph(say(sentence), NORMAL)] for name, sentence in lines]
    return [_table(rows, (120, 670))]


def _overview(found: Sequence[DeviceRecord]) -> Table:
    rows: list[list[Flowable]] = [
        [Paragraph(h, SMALL) for h in ("device", "site", "address", "serial", "label", "findings", "state")]
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
        standing = Paragraph(f"<font color='{colour}'>{r.standing}</font>", NORMAL)
        rows.append([*(Paragraph(say(c), NORMAL) for c in cells), standing])
    return _table(rows, (150, 150, 120, 90, 90, 90, 100))


def _device(record: DeviceRecord) -> list[Flowable]:
    device = record.device
    colour = STATE[record.state].hexval().replace("0x", "#")
    head = [
        Paragraph(f"{say(device.name)}  <font color='{colour}'>{record.standing}</font>", DEVICE),
        Paragraph(
            say(
                f"{device.site.name} · {device.location or 'place not given'} · {device.family} · "
                f"serial {device.serial or 'not given'} · MAC {device.mac or 'not given'} · "
                f"label {device.label or 'not given'}"
            ),
            SMALL,
        ),
        Spacer(1, 6),
    ]
    settings = list(dict.fromkeys(s for s, _ in record.memory.findings))
    if not settings:
        return [KeepTogether([*head, Paragraph("Nothing was read back.", NORMAL)])]
    sources = columns(source for _, source in record.memory.findings)
    headings = ("setting", "planned", *(COLUMNS[source] for source in sources), "evidence")
    rows: list[list[Flowable]] = [[Paragraph(h, SMALL) for h in headings]]
    for setting in settings:
        mine = [record.memory.findings.get((setting, s)) for s in sources]
        first = next(f for f in mine if f)
        evidence = "<br/>".join(_evidence(f) for f in _telling(mine))
        rows.append(
            [
                Paragraph(say(first.title), NORMAL),
                Paragraph(say(first.planned), NORMAL),
                *(Paragraph(_verdict(f), NORMAL) for f in mine),
                Paragraph(evidence, EVIDENCE),
            ]
        )
    narrow = [_NARROW] * len(sources)
    kept = [
        part
        for what, lines in record.memory.kept.items()
        for part in (
            Spacer(1, 4),
            Paragraph(f"{say(what)}, as the device showed it", SMALL),
            Paragraph("<br/>".join(map(say, lines)), EVIDENCE),
        )
    ]
    return [*head, _table(rows, (*_WIDE, *narrow, _ROOM - sum(_WIDE) - sum(narrow))), *kept]


def _photos(files: Sequence[Path]) -> list[Flowable]:
    """Photos that a person added, each scaled into a third of the page; one that can't be read is told."""
    found: list[Flowable] = []
    for file in files:
        try:
            width, height = ImageReader(str(file)).getSize()
            factor = min(360 / width, 180 / height)
            image = Image(str(file), width * factor, height * factor, hAlign="LEFT")
            found.append(KeepTogether([Spacer(1, 6), image, Paragraph(say(file.name), SMALL)]))
        except Exception:  # whatever a stranger's file does to the decoder
            found.append(Paragraph(say(f"{file.name} can't be read as a picture"), SMALL))
    return found


def _telling(mine: list[Finding | None]) -> list[Finding]:
    """The findings whose evidence is worth printing: differences, else the last one that was read."""
    there = [f for f in mine if f]
    read_back = [f for f in there if f.source is not Source.OUTSIDE]
    outside = [f for f in there if f.source is Source.OUTSIDE]
    return [f for f in there if not f.holds] or [*read_back[-1:], *outside]


def _evidence(finding: Finding) -> str:
    lines = [line.strip() for line in finding.evidence.split("\n") if line.strip()] or ["nothing was shown"]
    return "<br/>".join(say(line) for line in lines)


def _verdict(finding: Finding | None) -> str:
    if finding is None:
        return ""
    colour = (GREEN if finding.holds else ROSE).hexval().replace("0x", "#")
    return f"<font color='{colour}'>{finding.verdict.value}</font>"


def say(text: str) -> str:
    """A text for a paragraph: with letters that can be drawn, and no markup of its own."""
    return escape(drawable(text))


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
