"""Phrasebooks: the shipped one holds together, and every fault of a written one is said with its line."""

from __future__ import annotations

from importlib import resources

import pytest

from zinger.phrasebook.book import Phrasebook
from zinger.phrasebook.load import load_phrasebook
from zinger.phrasebook.map import AsksFor
from zinger.phrasebook.source import PhrasebookError
from zinger.phrasebook.words import WordsError, masked, render
from zinger.plan.values.secrets import SecretRef

SOURCE = (resources.files("zinger.phrasebook") / "families" / "quern-s2.yaml").read_text("utf-8")
KNOWN = frozenset(credential.word for credential in AsksFor)


def test_every_phrase_and_reading_can_be_reached_from_every_prompt(quern: Phrasebook) -> None:
    goals = {step.how.at for _, step in quern.every_step()} | {r.at for r in quern.readings.values()}
    for start in quern.places:
        for goal in goals - {start}:
            assert quern.map.next_move(start, goal, KNOWN), f"no way from {start} to {goal}"


def test_a_whole_prompt_wins_over_a_half_typed_one(quern: Phrasebook) -> None:
    found = quern.terminal.recognise("a in base/doors/ssh, do: ")
    assert found and found[0].name == "door_ssh" and found[1]["half_typed"] == ""
    found = quern.terminal.recognise("a in base, do: tel")
    assert found and found[1]["half_typed"] == "tel"
    assert quern.terminal.recognise("mesh backhaul radio? ") is None


LOOK = SOURCE[: SOURCE.index("  look: ")].count("\n") + 1
"""The line at which the place `look` is."""
FAULTS = [
    (
        "(?P<hostname>\\S+) in look",
        "(?P<hostname>\\S+ in look",
        f"quern-s2.yaml:{LOOK} (places.look.prompt)",
        "is broken",
    ),
    ("to: mgmt}", "to: mgnt}", "moves", "did you mean mgmt?"),
    ("  management.vlan:", "  management.vlna:", "settings.management.vlna", "did you mean management.vlan?"),
    ("read: gateway}", "read: gatway}", "settings.management.gateway.read", "did you mean gateway?"),
    ("'{{ user }}'", "'{{ usr }}'", "moves.0.send", "did you mean user?"),
    ("rename {{ value }}", "rename {{ value", "settings.hostname.send", "is broken"),
    ("boots_in: 90 s", "boots_in: soon", "factory.boots_in", "write it like 90 s"),
    ("title: Quern S2", "titel: Quern S2", "titel", "did you mean title?"),
    ("home: base ", "home: bass ", "home", "did you mean base?"),
    ("cancel: ctrl-x", "cancel: ctrl-xx", "typing.cancel", "no key is called"),
    ("(?P<value>\\d+ min)", "(\\d+ min)", "readings.everything.take.idle", "no group named value"),
    ("undo: 'rename {{ before }}'", "undo: 'rename {{ before.name }}'", "settings.hostname.undo", "no part 'name'"),
    ("boots_in: 90 s", "boots_in: 90", "factory.boots_in", "must be a text, not '90'"),
    ("identity: {serial", "identity_lines: [x]\nidentity: {serial", "identity_lines", "not a list"),
    ("places:\n", "places: [\n", "quern-s2.yaml:", "not valid YAML"),
]


@pytest.mark.parametrize(("right", "wrong", "where", "what"), FAULTS)
def test_a_fault_is_said_with_line_and_path(right: str, wrong: str, where: str, what: str) -> None:
    assert right in SOURCE
    with pytest.raises(PhrasebookError) as caught:
        load_phrasebook(SOURCE.replace(right, wrong, 1), "quern-s2.yaml")
    assert any(where in str(p) and what in str(p) for p in caught.value.problems), str(caught.value)


def test_secrets_travel_as_references_only() -> None:
    words = render("add {{ name }} {{ secret }}", name="ada", secret=SecretRef("x/admin"))
    assert words == ("add ada ", SecretRef("x/admin"))
    assert masked(words) == "add ada ••••••••"


@pytest.mark.parametrize("value", ["two\nlines", "bell\x07", "esc\x1b[0m"])
def test_control_characters_cannot_be_said(value: str) -> None:
    with pytest.raises(WordsError, match="control character"):
        render("say {{ value }}", value=value)


def test_templates_are_sandboxed_and_strict() -> None:
    for source in ("{{ value.__class__.__mro__ }}", "{{ nothing }}"):
        with pytest.raises(WordsError):
            render(source, value="x")


def test_the_names_of_a_simple_template_are_those_that_its_grammar_finds() -> None:
    import re

    from jinja2 import Environment, meta

    from zinger.phrasebook.words import names_used

    texts = [file.read_text("utf-8") for file in (resources.files("zinger") / "phrasebook" / "families").iterdir()]
    templates = {line for text in texts for line in re.findall(r"send: (.*[^|>])$|'(.*)'", text, re.M) for line in line}
    for template in {*templates, "{{ not a }}", "{{ none }}", "{{ a.b }} {{ c }}", "{% if a %}b{% endif %}", "}}"}:
        try:
            wanted = frozenset(meta.find_undeclared_variables(Environment().parse(template)))
        except Exception:
            continue  # not a template
        assert names_used(template) == wanted, template
