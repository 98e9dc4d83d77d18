"""The plan on a narrow screen: what is planned and what is wrong can be read whole; other columns give way first."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from textual.app import App, ComposeResult

from tests.conftest import lay_out
from tests.terminal import Terminal
from zinger.plan.model import Plan
from zinger.run.openjob import OpenJob
from zinger.store.folder import JobFolder
from zinger.tui.choosing import ChoiceDialog, Choices
from zinger.tui.plan_findings import WRAPPED, Findings
from zinger.tui.plan_parts import Values


class Both(App[None]):
    """The findings and the values of a plan."""

    CSS = "Findings, Values { height: 1fr; overflow-x: hidden; }"

    def __init__(self) -> None:
        super().__init__()
        self.findings, self.values = Findings(), Values()

    def compose(self) -> ComposeResult:
        yield self.findings
        yield self.values


@pytest.fixture
def plan(job: Callable[..., Path]) -> Plan:
    return OpenJob(JobFolder(job())).plan


@pytest.mark.parametrize("width", [48, 80, 120, 220])
async def test_every_finding_is_told_to_its_end_and_is_one_step_of_the_cursor(plan: Plan, width: int) -> None:
    app = Both()
    async with app.run_test(size=(width, 60)) as pilot:
        findings = app.findings
        findings.take(plan)
        await pilot.pause()
        told: dict[int, list[str]] = {}
        for index in range(findings.count()):
            row = findings.draw(index, width).plain
            assert len(row.rstrip()) <= width
            told.setdefault(findings.key(index), []).append(row[20:])
        for number, problem in enumerate(findings.problems):
            first, *more = told[number]
            if problem.repair is not None and width > 90:
                first, m, _ = first.partition(" m  ")
                assert m, "its repair is told beside it"
            assert " ".join(" ".join([first, *more]).split()) == " ".join(problem.what.split())
        findings.focus()
        findings.action_ends(0)
        for number in range(len(findings.problems)):
            assert findings.selected == number and findings.problem is findings.problems[number]
            findings.action_step(1)


async def test_the_cursor_stays_on_its_finding_when_the_width_changes_or_others_go(plan: Plan) -> None:
    app = Both()
    async with app.run_test(size=(60, 60)) as pilot:
        findings = app.findings
        findings.take(plan)
        await pilot.pause()
        findings.select(5)
        problem = findings.problem
        await pilot.resize_terminal(200, 60)
        await pilot.pause()
        assert findings.problem is problem and len(findings._rows) < 2 * len(findings.problems)
        assert problem is not None and problem.devices
        findings.narrow("no such words", frozenset(problem.devices))
        assert findings.problem is problem and len(findings.problems) < len(plan.problems)
        findings.narrow("no such words", frozenset())
        assert findings.problem is None and "none of this filter" in findings.draw(0, 60).plain


@pytest.mark.parametrize("rows", [24, 32, 60])
async def test_the_choices_of_a_long_dialog_stay_in_sight_and_the_rest_is_read_by_pages(rows: int) -> None:
    app = App[None]()
    async with app.run_test(size=(80, rows)) as pilot:
        dialog = ChoiceDialog(
            "Apply?", [(n, f"choice {n}") for n in range(3)], "\n".join(f"row {n}" for n in range(200))
        )
        app.push_screen(dialog)
        await pilot.pause()
        choices, body = dialog.query_one(Choices), dialog.query_one("#dialog-body")
        assert choices.region.bottom <= rows and choices.size.height == 3 and body.max_scroll_y > 0
        await pilot.press(*["pagedown"] * (200 // body.size.height + 3))
        await pilot.pause()
        assert body.scroll_offset.y == body.max_scroll_y and choices.selected == 0
        await pilot.press("down", "enter")
        await pilot.pause()
        assert app.screen is not dialog


async def test_thousands_of_findings_take_a_row_each(plan: Plan) -> None:
    app = Both()
    async with app.run_test(size=(60, 40)) as pilot:
        await pilot.pause()
        app.findings._all = list(plan.problems) * WRAPPED
        app.findings.narrow("", frozenset())
        assert app.findings.count() == len(app.findings.problems) > WRAPPED


async def test_a_narrow_pane_shows_values_whole_and_a_wide_one_their_origins_too(plan: Plan) -> None:
    app = Both()
    async with app.run_test(size=(48, 60)) as pilot:
        device = plan.device("kvr-wj-sw1")
        app.values.show(device, ())
        await pilot.pause()

        def drawn(width: int) -> str:
            return "\n".join(app.values.draw(index, width).plain for index in range(app.values.count()))

        narrow, wide = drawn(48), drawn(110)
        for name in ("management.address", "dns.search", "ntp.servers", "clock.zone"):
            value = device.values[name]
            assert f"{value.setting.title} " in narrow and value.shown in narrow, narrow
            assert value.shown in wide and value.origin.label[:12] in wide
        assert max(map(len, narrow.splitlines())) <= 48 and max(map(len, wide.splitlines())) <= 110


def test_the_plan_at_80_columns_says_where_the_value_under_the_cursor_comes_from(
    start: Callable[..., Terminal], tmp_path: Path
) -> None:
    folder = lay_out(tmp_path / "job")
    term = start(folder, "plan", str(folder), columns=80, rows=24)
    term.until("DNS servers", "findings")
    term.keys("n")
    term.keys("n")
    shown = term.until("10.44.24.31/24  derived: free address")
    assert "would change\n" in shown and "with the rows of the sheet" in shown
    term.keys("e")
    term.until("this device  role  site  baseline", "take it", "where it goes")
    term.keys("Tab")
    shown = term.until("device  role voice  site  baseline")
    assert "/ filter" not in shown.splitlines()[-1]
    term.escape("where it goes")
    term.until("saved")
    term.keys("?")
    shown = term.until("Keys and shapes", "Enter close")
    assert "Ctrl-Q" not in shown, "there is more than fits"
    term.keys("End")
    term.until("Keys and shapes", "Ctrl-Q", "Enter close")
    term.escape("Keys and shapes")
