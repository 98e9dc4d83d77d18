"""A proposal for a sheet: what a person decides counts, is remembered, and nothing means two things."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import zinger
from tests.test_transfer import workbook
from zinger.handover.map import columns
from zinger.phrasebook.book import Phrasebook
from zinger.plan.files.headings import match_headings, meaning_of
from zinger.plan.files.transfer import Proposal, propose, take
from zinger.plan.files.yamlfile import UnreadableError

SHEET = (
    b"Station,Dev name,Dev Type,Mgmt IP,IP,Remarks\nWheal Junction,sw1,Quern S2,10.44.8.11,10.9.9.9,worn\n,sw2,,,,\n"
)


@pytest.fixture
def proposal() -> Proposal:
    return propose(SHEET, "s.csv", {})


def meanings(proposal: Proposal) -> dict[str, str]:
    return {heading: match.meaning for heading, match in proposal.matches.items()}


def test_one_meaning_is_given_once_and_the_rest_is_kept(proposal: Proposal) -> None:
    assert meanings(proposal) == {
        "Station": "site",
        "Dev name": "hostname",
        "Dev Type": "family",
        "Mgmt IP": "management.address",
        "IP": "",
        "Remarks": "",
    }
    assert {m.heading for m in proposal.parts[0].unsure if m.meaning} == {"Dev name", "Dev Type"}


def test_what_a_person_decides_counts_and_takes_the_meaning_away_from_others(proposal: Proposal) -> None:
    decided = proposal.decide("IP", "management.address")
    assert meanings(decided)["Mgmt IP"] == "" and meanings(decided)["IP"] == "management.address"
    assert decided.matches["IP"].how == "decided by you" and decided.matches["IP"].sure
    kept = decided.decide("Dev Type", "")
    assert meanings(kept)["Dev Type"] == ""
    imported = take(kept)
    assert imported.means == ("site", "hostname", "", "", "management.address", "")
    assert imported.rows[0] == ("Wheal Junction", "sw1", "Quern S2", "10.44.8.11", "10.9.9.9", "worn")


def test_blank_sites_take_the_one_above_and_are_counted(proposal: Proposal) -> None:
    assert proposal.filled == 1 and proposal.devices == 2
    assert [row[0] for row in take(proposal).rows] == ["Wheal Junction", "Wheal Junction"]


def test_what_was_decided_is_known_the_next_time(proposal: Proposal) -> None:
    remembered = proposal.decide("IP", "management.address").remembered()
    assert remembered["Mgmt IP"] == "" and remembered["Dev name"] == "hostname"
    again = propose(SHEET, "s.csv", remembered)
    assert meanings(again)["Mgmt IP"] == "" and meanings(again)["IP"] == "management.address"
    assert not again.parts[0].matches[0].how.startswith("by likeness")
    assert meaning_of("Dev name", remembered) == "hostname" and meaning_of("Nothing", remembered) == ""
    assert match_headings(["Mgmt IP"], [[]], {"Mgmt IP": ""})[0].how == "remembered"


@pytest.mark.parametrize(
    ("heading", "meaning", "words"),
    [("Dev name", "hostnme", "nothing is called 'hostnme'"), ("Nothing", "hostname", "no heading 'Nothing'")],
)
def test_a_decision_that_can_not_be_is_refused(proposal: Proposal, heading: str, meaning: str, words: str) -> None:
    with pytest.raises(ValueError, match=words):
        proposal.decide(heading, meaning)


def test_one_sheet_of_a_workbook_can_be_asked_for() -> None:
    book = workbook([["hostname", "family"], ["a", "quern-s2"]], title="Halt")
    assert propose(book, "b.xlsx", {}, "halt").parts[0].site == "Halt"
    with pytest.raises(UnreadableError, match="it has no sheet 'Moor'"):
        propose(book, "b.xlsx", {}, "Moor")


def test_numbers_and_their_errors(job: Callable[..., Path]) -> None:
    folder = job()
    assert "did you mean kvr-uk-vg1" in zinger("numbers", folder, "kvr-uk-vg2", "0").stderr
    assert "has no number rewriting" in zinger("numbers", folder, "kvr-wj-sw1", "0").stderr
    assert "stays as it is" in zinger("numbers", folder, "kvr-uk-vg1", "4471").stdout


def test_the_map_stands_in_columns_by_its_distance_from_home(quern: Phrasebook) -> None:
    shown = columns(quern)
    assert shown[0] == ["base"] and {"look", "mgmt", "doors"} <= set(shown[1])
    assert {"door_ssh", "sign_in"} <= set(shown[2]) and sorted(n for row in shown for n in row) == sorted(quern.places)
