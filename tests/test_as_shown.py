"""What a device shows is turned into the value that would be planned for it, in every family's own writing."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest

from zinger.plan.model import Device
from zinger.proof.asshown import as_shown
from zinger.proof.findings import Finding, Source, Verdict, planned_words
from zinger.run.openjob import OpenJob
from zinger.script.compile import compile_script
from zinger.store.folder import JobFolder

OTHERWISE = {
    "management.address": "10.44.{subnet}.77/25",
    "management.gateway": "10.44.{subnet}.3",
    "dns.servers": "10.44.8.29; 10.44.8.20",
    "ntp.servers": "10.44.8.29",
    "hostname": "kvrxx9",
    "idle.timeout": "25 min",
    "services.telnet": "on",
    "services.http": "on",
    "clock.zone": "Europe/Zurich",
    "banner": "Another railway.",
}
"""Another value for each of these settings."""


@pytest.fixture
def opened(job: Callable[..., Path]) -> OpenJob:
    return OpenJob(JobFolder(job()))


def planned_otherwise(device: Device, setting: str, text: str) -> Device:
    value = device.values[setting]
    parsed = value.setting.parse(text)
    values = {**device.values, setting: replace(value, value=parsed)}
    return replace(device, values=values, address=parsed if setting == "management.address" else device.address)


def found(opened: OpenJob, device: Device, setting: str, shown: str) -> Finding:
    planned = next(s for s in opened.scripts[device.name].steps if s.setting == setting)
    return Finding(device.name, setting, "", Source.RUNNING, planned_words(planned), shown, "", Verdict.DIFFERS)


def test_every_family_s_writing_of_another_value_is_read_back(opened: OpenJob) -> None:
    tried = 0
    for device in opened.plan.devices:
        for setting, words in OTHERWISE.items():
            if setting not in device.values:
                continue
            text = words.format(subnet=str(device.fixed.ip).split(".")[2] if device.fixed else 8)
            other = planned_otherwise(device, setting, text)
            steps = compile_script(other, opened.books[device.family]).steps
            shows = next((planned_words(step) for step in steps if step.setting == setting and step.shows), "")
            if not shows:
                continue  # the family does not have it, or does not take this one
            tried += 1
            read = as_shown(device, opened.books[device.family], found(opened, device, setting, shows))
            parse = device.values[setting].setting.parse
            assert read is not None, f"{device.family}: {setting} shown as {shows!r} was not understood"
            assert planned_words_of(opened, device, setting, read) == shows, (
                f"{device.family}: {setting} read as {read!r}"
            )
            if setting != "clock.zone":  # two zones can be shown as one
                assert parse(read) == parse(text), f"{device.family}: {setting} {text!r} came back as {read!r}"
    assert tried > 100, f"only {tried} writings were tried"


def planned_words_of(opened: OpenJob, device: Device, setting: str, text: str) -> str:
    script = compile_script(planned_otherwise(device, setting, text), opened.books[device.family])
    return next(planned_words(step) for step in script.steps if step.setting == setting)


def test_what_no_value_would_show_is_not_guessed_at(opened: OpenJob) -> None:
    device = opened.plan.device("kvr-wj-sw1")
    book = opened.books[device.family]
    for shown in ("", "10.44.8.11 length 24", "none", "10.44.8.400 len 24", "10.44.8.11 len 24  10.44.9.11 len 24"):
        assert as_shown(device, book, found(opened, device, "management.address", shown)) is None, shown
    assert as_shown(device, book, found(opened, device, "accounts.administrator", "")) is None
