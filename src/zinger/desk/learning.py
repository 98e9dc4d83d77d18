"""A draft of a family from a recording that a browser saved while a person set up a planned device."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from email.parser import BytesParser
from pathlib import Path
from typing import TYPE_CHECKING, Any
from urllib.parse import parse_qsl, urljoin, urlsplit

from zinger.phrasebook.learn.deeds import Seen
from zinger.phrasebook.learn.draft import Draft, draft_of
from zinger.phrasebook.learn.study import NothingLearned
from zinger.plan.values.secrets import SecretRef
from zinger.store.har import Exchange, exchanges_of
from zinger.store.openplan import OpenPlan
from zinger.talk.pages.surface import parsed
from zinger.wording import did_you_mean

if TYPE_CHECKING:
    from zinger.plan.model import Device
    from zinger.store.folder import JobFolder


def learned(name: str, file: Path, folder: JobFolder, device: str) -> Draft:
    """The draft; raises RecordingError, NothingLearned, and what opening a job can raise."""
    job = OpenPlan(folder)
    planned = _device(job, device)
    exchanges = list(exchanges_of(file))
    if exchanges and not any(one.answer is not None and one.answer.body for one in exchanges):
        raise NothingLearned(
            f"{file} has no contents: {len(exchanges)} requests without what came back. Save it in the browser as HAR "
            "with content."
        )
    seen = [seen_of(number, one) for number, one in enumerate(exchanges)]
    times = {number: one.began for number, one in enumerate(exchanges)}
    return draft_of(name, title_of(name), seen, planned, _secrets(job), times)


def _device(job: OpenPlan, name: str) -> Device:
    known = [device.name for device in job.plan.devices]
    if name not in known:
        there = ", ".join(known[:8]) or "none"
        raise NothingLearned(f"the plan has no device {name}{did_you_mean(name, known)}; it has {there}")
    return job.plan.device(name)


def _secrets(job: OpenPlan) -> dict[str, str]:
    vault = job.vault
    return {entry: vault.get(SecretRef(entry)) for entry in vault.names()} if vault is not None else {}


def title_of(name: str) -> str:
    """What a family is called, from its name."""
    return " ".join(w.upper() if any(c.isdigit() for c in w) else w.capitalize() for w in name.split("-"))


def seen_of(number: int, one: Exchange) -> Seen:
    """An exchange as the draft's maker takes it."""
    answer = one.answer
    page = parsed(answer) if answer is not None and not 300 <= answer.status < 400 else None
    to = urljoin(one.url, answer.header("location")) if answer is not None and answer.header("location") else ""
    return Seen(
        number,
        one.method,
        one.url,
        answer.status if answer is not None else 0,
        tuple(_pairs(one)),
        _json(one),
        one.headers,
        answer.headers if answer is not None else (),
        page,
        to,
    )


def _json(one: Exchange) -> Any:
    text = one.sent.strip()
    if "json" not in one.kind and not re.match(r"[\[{]", text):
        return None
    try:
        return json.loads(text)
    except ValueError:
        return None


def _pairs(one: Exchange) -> Iterator[tuple[str, str]]:
    """The fields of a form, in either of its encodings; of a form that is asked with GET, its query."""
    if one.kind.startswith("multipart/"):
        head = f"Content-Type: {one.kind}\r\n\r\n".encode()
        for part in BytesParser().parsebytes(head + one.sent.encode("utf-8", "replace")).walk():
            name = part.get_param("name", header="content-disposition")
            if isinstance(name, str) and not part.is_multipart():
                body = part.get_payload(decode=True)
                text = body.decode("utf-8", "replace").strip("\r\n") if isinstance(body, bytes) else ""
                yield name, "" if part.get_filename() else text
    elif one.sent and _json(one) is None:
        yield from parse_qsl(one.sent, keep_blank_values=True)
    elif one.method == "GET" and urlsplit(one.url).query:
        yield from parse_qsl(urlsplit(one.url).query, keep_blank_values=True)
