"""The papers: what they say is what was found, nothing overlaps, nothing runs out of its box."""

from __future__ import annotations

import csv
import io
import itertools
import re
from collections.abc import Callable
from pathlib import Path
from xml.etree import ElementTree

import pytest
from reportlab.graphics.shapes import Drawing, Group, Rect, String
from reportlab.pdfbase.pdfmetrics import stringWidth

from zinger.handover.drawing import fitted, site_drawing, timeline
from zinger.handover.papers import write_papers
from zinger.handover.record import DeviceRecord, records
from zinger.proof.findings import Finding, Source, Verdict, columns
from zinger.run.memory import Span, Worker
from zinger.run.openjob import OpenJob
from zinger.store.entries import Entry, Found, HandsDone, Happened, NeedsYou, Proved, RunBegan, StageDone, written
from zinger.store.folder import JobFolder

LONG = "an-extraordinarily-long-place-name-at-the-far-end-of-the-line"


def made_up(
    job: Callable[..., Path], count: int = 7, evidence: str = "   gateway ... <10.44.8.2>"
) -> tuple[OpenJob, list[DeviceRecord]]:
    """A job of some devices, one proved, one that differs, with long words in every field."""
    rows = [f"Wheal Junction,kvr-{n},Quern S2,10.44.8.{20 + n},QS2-{n},KVR-{n},{LONG}" for n in range(count)]
    opened = OpenJob(
        JobFolder(job(devices_csv="site,hostname,family,address,serial,label,location\n" + "\n".join(rows)))
    )
    bad = Finding(
        "kvr-1", "management.gateway", "gateway", Source.RUNNING, "10.44.8.1", "=10.44.8.2", evidence, Verdict.DIFFERS
    )
    good = Finding(
        "kvr-0", "hostname", "hostname", Source.STARTUP, "kvr-0", "kvr-0", "   name ... kvr-0", Verdict.HOLDS
    )
    happened: list[tuple[str, Happened]] = [
        ("kvr-0", RunBegan()),
        ("kvr-0", StageDone("reach", 1000.5)),
        ("kvr-0", HandsDone("plug", "plug it in", 1000.2, 1001.0)),
        ("kvr-0", Found.of(good)),
        ("kvr-0", Proved()),
        ("kvr-1", RunBegan()),
        ("kvr-1", Found.of(bad)),
        ("kvr-2", RunBegan()),
        ("kvr-2", NeedsYou("unknown question")),
    ]
    entries = [Entry(n, 1001.0 + n, device, *written(event)) for n, (device, event) in enumerate(happened)]
    return opened, records(opened.plan, opened.scripts, entries)


def test_states_and_what_remains_open(job: Callable[..., Path]) -> None:
    _, found = made_up(job)
    assert [r.state for r in found[:4]] == ["proved", "differs", "needs a person", "not done"]
    assert found[0].still_open == []
    assert found[1].still_open == ["gateway, running: planned 10.44.8.1, read =10.44.8.2"]
    assert found[2].still_open == ["needs a person: unknown question"]
    assert found[3].still_open == ["was not proved"]
    assert found[0].memory.spans == [
        Span(Worker.DEVICE, "reach", 1000.5, 1002.0),
        Span(Worker.HANDS, "plug", 1000.2, 1001.0),
    ]


def texts(drawing: Drawing | Group) -> list[String]:
    inner = [texts(x) for x in drawing.contents if isinstance(x, Group)]
    return [x for x in drawing.contents if isinstance(x, String)] + list(itertools.chain(*inner))


def extent(text: String) -> tuple[float, float, float, float]:
    width = stringWidth(text.text, text.fontName, text.fontSize)
    return text.x, text.y - 0.2 * text.fontSize, text.x + width, text.y + 0.75 * text.fontSize


@pytest.mark.parametrize("count", [1, 3, 4, 13])
def test_no_text_overlaps_another_or_leaves_the_paper(job: Callable[..., Path], count: int) -> None:
    opened, found = made_up(job, count)
    for drawing in (site_drawing(opened.plan.title, found[0].device.site, found), timeline("title", found)):
        placed = [(t.text, extent(t)) for t in texts(drawing) if t.text]
        assert len(placed) > 3
        for (one, a), (other, b) in itertools.combinations(placed, 2):
            apart = a[2] <= b[0] or b[2] <= a[0] or a[3] <= b[1] or b[3] <= a[1]
            assert apart, f"{one!r} and {other!r} overlap"
        for text, (left, bottom, right, top) in placed:
            assert left >= 0 and bottom >= 0 and right <= drawing.width and top <= drawing.height, text


def test_no_word_leaves_its_box(job: Callable[..., Path]) -> None:
    _, found = made_up(job)
    drawing = site_drawing("title", found[0].device.site, found)
    boxes = [g for g in drawing.contents if isinstance(g, Group)]
    assert len(boxes) == 7
    for box in boxes:
        frame = next(x for x in box.contents if isinstance(x, Rect))
        for text in texts(box):
            assert extent(text)[2] <= frame.x + frame.width - 4


def test_text_is_shortened_to_its_room_and_keeps_to_the_font() -> None:
    assert fitted("short", "Helvetica", 8, 100) == "short"
    assert stringWidth(fitted("long " * 40, "Helvetica", 8, 100), "Helvetica", 8) <= 100
    assert fitted("\u4e2d\u6587", "Helvetica", 8, 100) == "??"


def test_papers_are_whole_files_of_open_formats(job: Callable[..., Path]) -> None:
    opened, _ = made_up(job)
    written = write_papers(opened.folder, opened.plan, opened.scripts)
    assert [p.name for p in written] == [
        "site-wheal-junction.svg",
        "sites.pdf",
        "timeline.svg",
        "timeline.pdf",
        "proof-sheet.pdf",
        "as-built.csv",
    ]
    assert list(opened.folder.handover.glob("*.new")) == []
    for path in written:
        data = path.read_bytes()
        if path.suffix == ".pdf":
            assert data.startswith(b"%PDF") and data.rstrip().endswith(b"%%EOF")
        elif path.suffix == ".svg":
            assert ElementTree.fromstring(data).tag.endswith("svg")
    table = list(csv.DictReader(io.StringIO((opened.folder.handover / "as-built.csv").read_text())))
    assert [row["device"] for row in table] == [f"kvr-{n}" for n in range(7)]
    assert {row["state"] for row in table} == {"not done"}


def test_evidence_that_is_longer_than_a_page_goes_on_over_the_next(job: Callable[..., Path]) -> None:
    from zinger.handover.papers import _proof_sheet

    opened, found = made_up(job, evidence="\n".join(f"   port {n} ... shut" for n in range(900)))
    assert _proof_sheet(opened.plan.title, found).startswith(b"%PDF")


def test_nothing_that_a_device_said_becomes_a_formula(job: Callable[..., Path]) -> None:
    from zinger.handover.papers import _as_built, _say

    _, found = made_up(job)
    text = _as_built(found).decode()
    assert re.search(r",'=10\.44\.8\.2,", text)
    assert _say("<b>&\u4e2d") == "&lt;b&gt;&amp;?"


def test_a_restart_has_a_column_only_where_there_was_one() -> None:
    usual = columns([Source.RUNNING])
    assert Source.AFTER_RESTART not in usual and len(usual) == 4
    assert columns([Source.AFTER_RESTART]) == [*usual[:3], Source.AFTER_RESTART, Source.OUTSIDE]
