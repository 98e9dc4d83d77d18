"""The papers: what they say is what was found, nothing overlaps, nothing runs out of its box."""

from __future__ import annotations

import csv
import datetime
import io
import itertools
import re
import time
from collections.abc import Callable
from pathlib import Path
from xml.etree import ElementTree

import pytest
from reportlab.graphics.shapes import Drawing, Group, String
from reportlab.pdfbase.pdfmetrics import stringWidth

from zinger.handover.addresses import address_ladder, rungs
from zinger.handover.drawing import fitted, timeline
from zinger.handover.fonts import SANS
from zinger.handover.layout import lay_out
from zinger.handover.papers import Part, write_papers
from zinger.handover.portmap import port_fields, port_map
from zinger.handover.preview import site_in_characters
from zinger.handover.record import DeviceRecord, by_site, records
from zinger.handover.sitedrawing import site_drawing
from zinger.handover.sitemap import Tier, site_map
from zinger.proof.findings import Finding, Source, Verdict, columns
from zinger.run.memory import Span, Worker
from zinger.run.openjob import OpenJob
from zinger.store.entries import (
    Entry,
    Found,
    HandsDone,
    Happened,
    NeedsYou,
    PersonActed,
    Proved,
    RunBegan,
    StageDone,
    written,
)
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
        ("kvr-4", Proved(revision="another plan")),
        ("kvr-5", Proved()),
        ("kvr-5", PersonActed("had the wire after its run")),
    ]
    entries = [Entry(n, 1001.0 + n, device, *written(event)) for n, (device, event) in enumerate(happened)]
    return opened, records(opened.plan, opened.scripts, entries)


def test_states_and_what_remains_open(job: Callable[..., Path]) -> None:
    _, found = made_up(job)
    states = ["proved", "differs", "needs a person", "not done", "plan changed", "not proved since"]
    assert [r.state for r in found[:6]] == states
    assert found[0].still_open == []
    assert found[1].still_open == ["gateway, running: planned 10.44.8.1, read =10.44.8.2"]
    assert found[2].still_open == ["needs a person: unknown question"]
    assert found[3].still_open == ["was not proved"]
    assert [r.still_open[0].partition(": ")[2] for r in found[4:6]] == [
        "it is to be run again",
        "it is to be proved again",
    ]
    since = Part(since=datetime.date(1970, 1, 1))
    assert [since.holds(r) for r in found[:5]] == [True, True, True, False, True], "who needs somebody is not left out"
    assert not any(Part(since=datetime.date(1970, 1, 3)).holds(r) for r in found)
    assert found[0].memory.spans == [
        Span(Worker.DEVICE, "reach", 1000.5, 1002.0),
        Span(Worker.HANDS, "plug", 1000.2, 1001.0),
    ]


Extent = tuple[float, float, float, float]


def placed(drawing: Drawing | Group, at: tuple[float, ...] = (1, 0, 0, 1, 0, 0)) -> list[tuple[str, Extent]]:
    """Every text of a drawing with where it is: left, bottom, right, top; groups may be moved and turned."""
    a, b, c, d, e, f = at
    found = []
    for part in drawing.contents:
        if isinstance(part, Group):
            ga, gb, gc, gd, ge, gf = part.transform
            inner = (a * ga + c * gb, b * ga + d * gb, a * gc + c * gd, b * gc + d * gd, a * ge + c * gf + e,
                     b * ge + d * gf + f)  # fmt: skip
            found += placed(part, inner)
        elif isinstance(part, String) and part.text:
            width = stringWidth(part.text, part.fontName, part.fontSize)
            corners = [(part.x, part.y - 0.2 * part.fontSize), (part.x + width, part.y + 0.75 * part.fontSize)]
            xs, ys = zip(*((a * x + c * y + e, b * x + d * y + f) for x, y in corners), strict=True)
            found.append((part.text, (min(xs), min(ys), max(xs), max(ys))))
    return found


def a_site(job: Callable[..., Path], switches: int) -> tuple[OpenJob, list[DeviceRecord]]:
    """A gateway, two switches that others lead to, and as many at the edge; every second one with two cables."""
    rows = ["Wheal Junction,gw1,Hollin G4,10.44.8.4,,static 192.0.2.250/29 192.0.2.249"]
    rows += [f"Wheal Junction,cs{n},Quern S9,10.44.8.{n + 1},1/{n} gw1 their {n}," for n in (1, 2)]
    rows += [
        f"Wheal Junction,sw{n},Quern S2,10.44.8.{20 + n},"
        f"{'23-24' if n % 2 else '24'} cs{1 + n % 2} their {f'2/{2 * n}-2/{2 * n + 1}' if n % 2 else f'2/{2 * n}'},"
        for n in range(switches)
    ]
    sheet = "site,hostname,family,address,uplinks,upstream\n" + "\n".join(rows)
    opened = OpenJob(JobFolder(job(devices_csv=sheet)))
    return opened, records(opened.plan, opened.scripts, [])


def apart(one: Extent, other: Extent) -> bool:
    return one[2] <= other[0] or other[2] <= one[0] or one[3] <= other[1] or other[3] <= one[1]


@pytest.mark.parametrize("switches", [0, 1, 6, 20, 57])
def test_a_site_of_three_to_sixty_devices_is_drawn_without_overlaps(job: Callable[..., Path], switches: int) -> None:
    _, found = a_site(job, switches)
    layout = lay_out(site_map(found))
    frames = [(b.x, b.y, b.x + b.width, b.y + b.height) for b in layout.boxes.values()]
    assert len(frames) == switches + 4, "the provider is drawn too"
    assert all(apart(one, other) for one, other in itertools.combinations(frames, 2))
    for cable in layout.cables:
        for (x1, y1), (x2, y2) in itertools.pairwise(cable.points):
            run = (min(x1, x2) + 0.1, min(y1, y2) + 0.1, max(x1, x2) - 0.1, max(y1, y2) - 0.1)
            assert all(apart(run, frame) for frame in frames), f"{cable.joint} runs through a box"
    tiers = {node.key: node.tier for node in site_map(found).nodes.values()}
    assert (tiers["gw1"], tiers.get("sw0", Tier.ACCESS)) == (Tier.GATEWAY, Tier.ACCESS)
    assert switches == 0 or tiers["cs1"] is Tier.DISTRIBUTION


@pytest.mark.parametrize("count", [1, 3, 4, 13])
def test_no_text_overlaps_another_or_leaves_the_paper(job: Callable[..., Path], count: int) -> None:
    opened, found = made_up(job, count)
    site = found[0].device.site
    drawings = (
        site_drawing(opened.plan.title, site, found),
        timeline("title", found),
        address_ladder("title", site, found),
    )
    for drawing in filter(None, (*drawings, *(port_map("title", record) for record in found))):
        shown = placed(drawing)
        assert len(shown) > 3
        for (one, a), (other, b) in itertools.combinations(shown, 2):
            assert apart(a, b), f"{one!r} and {other!r} overlap"
        for text, (left, bottom, right, top) in shown:
            assert left >= 0 and bottom >= 0 and right <= drawing.width and top <= drawing.height, text


def test_the_demo_is_drawn_with_ports_at_both_ends_and_the_air_between_the_bridges(job: Callable[..., Path]) -> None:
    opened = OpenJob(JobFolder(job()))
    found = records(opened.plan, opened.scripts, [])
    drawn = {site.name: site_map(mine, found) for site, mine in by_site(found)}
    ends = {(j.upper, j.lower): (j.upper_port, j.lower_port, j.strands) for j in drawn["Wheal Junction"].joints}
    assert ends["kvr-wj-cs1", "kvr-wj-sw1"] == ("2/11-2/12", "23-24", 2)
    assert ends["kvr-wj-fw1", "kvr-wj-cs1"] == ("3-4", "2/15-2/16", 2)
    assert drawn["Wheal Junction"].vlans == {
        20: "staff",
        30: "signals",
        40: "voice",
        44: "management",
        60: "Kettlestone guests",
    }
    (air,) = [j for j in drawn["Upper Kettle"].joints if j.wireless]
    assert (air.upper, air.lower, air.words) == ("kvr-uk-br1", "kvr-uk-br2", "channel 100 · 84 m")
    core = next(record for record in found if record.device.name == "kvr-wj-cs1")
    fields = {field.name: field for field in port_fields(core, found)}
    assert (fields["2/12"].leads_to, fields["2/12"].untagged) == ("kvr-wj-sw1 24", 20)
    assert (fields["2/16"].tagged, fields["2/16"].group) == ((20, 30, 40), "up1")
    used = [(use.value, first & 255, last & 255, who) for use, first, last, who in rungs(*by_site(found)[0])]
    assert used[:3] == [("gateway", 1, 1, ""), ("device", 2, 2, "kvr-wj-cs1"), ("kept free", 3, 3, "")]


@pytest.mark.parametrize("width", [30, 48, 80, 120, 200])
def test_a_site_on_the_screen_breaks_no_word_and_leaves_nobody_out(job: Callable[..., Path], width: int) -> None:
    opened = OpenJob(JobFolder(job()))
    found = records(opened.plan, opened.scripts, [])
    for site, mine in by_site(found):
        shown = site_map(mine, found)
        lines = site_in_characters(shown, lay_out(shown), width)
        told = "\n".join(lines)
        assert max(map(len, lines)) <= width
        for record in mine:
            assert record.device.name in told and str(record.device.address) in told, f"{site.name} at {width}:\n{told}"


def test_text_is_shortened_to_its_room_and_keeps_to_the_font() -> None:
    assert fitted("short", SANS, 8, 100) == "short"
    assert stringWidth(fitted("long " * 40, SANS, 8, 100), SANS, 8) <= 100
    assert fitted("\u4e2d\u6587", SANS, 8, 100) == "??"


def test_papers_are_whole_files_of_open_formats(job: Callable[..., Path]) -> None:
    opened, _ = made_up(job)
    written = write_papers(opened.folder, opened.plan, opened.scripts)
    papers = {str(p.relative_to(opened.folder.handover)) for p in written}
    assert papers >= {
        *("site-wheal-junction.svg", "sites.pdf", "addresses.pdf", "timeline.svg", "proof-sheet.pdf", "labels.pdf"),
        *("as-built.csv", "mail.txt", "exports/hosts", "exports/zones/8.44.10.in-addr.arpa.zone"),
    }
    assert list(opened.folder.handover.glob("**/*.new")) == []
    before = {path: path.read_bytes() for path in written}
    time.sleep(1.1)  # what is made of the clock would be another second's now
    again = write_papers(opened.folder, opened.plan, opened.scripts)
    assert [path for path in again if path.read_bytes() != before[path]] == [], "same job, same bytes"
    for path in written:
        data = path.read_bytes()
        if path.suffix == ".pdf":
            assert data.startswith(b"%PDF") and data.rstrip().endswith(b"%%EOF")
        elif path.suffix == ".svg":
            assert ElementTree.fromstring(data).tag.endswith("svg")
            assert b"src: url(data:font/ttf;base64," in data
    table = list(csv.DictReader(io.StringIO((opened.folder.handover / "as-built.csv").read_text())))
    assert [row["device"] for row in table] == [f"kvr-{n}" for n in range(7)]
    assert {row["state"] for row in table} == {"not done"}


def test_evidence_that_is_longer_than_a_page_goes_on_over_the_next(job: Callable[..., Path]) -> None:
    from zinger.handover.proofsheet import proof_sheet

    opened, found = made_up(job, evidence="\n".join(f"   port {n} ... shut" for n in range(900)))
    assert proof_sheet(opened.plan.title, found).startswith(b"%PDF")


def test_nothing_that_a_device_said_becomes_a_formula(job: Callable[..., Path]) -> None:
    from zinger.handover.papers import as_built
    from zinger.handover.proofsheet import say

    _, found = made_up(job)
    text = as_built(found).decode()
    assert re.search(r",'=10\.44\.8\.2,", text)
    assert say("<b>&\u4e2d") == "&lt;b&gt;&amp;?"


def test_a_restart_has_a_column_only_where_there_was_one() -> None:
    usual = columns([Source.RUNNING])
    assert Source.AFTER_RESTART not in usual and len(usual) == 4
    assert columns([Source.AFTER_RESTART]) == [*usual[:3], Source.AFTER_RESTART, Source.OUTSIDE]
