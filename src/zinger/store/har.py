"""Recordings of dialogues on pages as HAR 1.2 (http://www.softwareishard.com/blog/har-12-spec/), masked.

The file is whole JSON after every exchange: its end is written over by the next one. Cookies, tokens and sign-ins stand
in it as masks; so do secrets, wherever they came.
"""

from __future__ import annotations

import base64
import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, BinaryIO
from urllib.parse import parse_qsl, urlsplit

from zinger.plan.values.secrets import MASK
from zinger.store.recording import RecordingError, RecordingFile, untold
from zinger.talk.pages.http import Encoded, Failed, Response
from zinger.talk.pages.outline import outline
from zinger.talk.pages.surface import parsed

SUFFIX = ".har"
_END = b"\n]}}\n"
_SECRET = frozenset({"cookie", "set-cookie", "authorization", "proxy-authorization"})


class HarRecording(RecordingFile[BinaryIO]):
    """One session's recording."""

    def __init__(self, file: Path, title: str, tokens: frozenset[str], failed: Callable[[str], None] = untold) -> None:
        super().__init__(file, failed)
        self._secret = _SECRET | {name.lower() for name in tokens}
        self._count = 0
        about = {"version": "1.2", "creator": {"name": "Zinger", "version": "1", "comment": title}, "pages": []}
        head = json.dumps({"log": about})[:-2] + ', "entries": ['
        with self._told():
            file.parent.mkdir(parents=True, exist_ok=True)
            self._out = file.open("w+b")
            self._out.write(head.encode() + _END)
            self._out.flush()

    def add(self, request: Encoded, answer: Response | Failed, began: float, took: float, purpose: str) -> None:
        """One exchange, masked already; `began` in seconds since 1970, `took` in seconds."""
        out = self._out
        if out is None:
            return
        entry = {
            "startedDateTime": datetime.fromtimestamp(began, UTC).isoformat(),
            "time": round(took * 1000, 1),
            "request": self._request(request),
            "response": self._response(answer),
            "cache": {},
            "timings": {"send": 0, "wait": round(took * 1000, 1), "receive": 0},
            "comment": purpose,
        }
        with self._told():
            out.seek(-len(_END), 2)
            out.write((",\n" if self._count else "\n").encode() + json.dumps(entry).encode() + _END)
            out.flush()
            self._count += 1

    def _headers(self, pairs: tuple[tuple[str, str], ...]) -> list[dict[str, str]]:
        return [{"name": n, "value": MASK if n.lower() in self._secret else v} for n, v in pairs]

    def _request(self, request: Encoded) -> dict[str, Any]:
        kind = next((value for name, value in request.headers if name.lower() == "content-type"), "")
        query = parse_qsl(urlsplit(request.url).query, keep_blank_values=True)
        made: dict[str, Any] = {
            "method": request.method,
            "url": request.url,
            "httpVersion": "HTTP/1.1",
            "cookies": [],
            "headers": self._headers(request.headers),
            "queryString": [{"name": name, "value": value} for name, value in query],
            "headersSize": -1,
            "bodySize": len(request.body),
        }
        if request.body:
            made["postData"] = {"mimeType": kind, "params": [], "text": request.body.decode("utf-8", "replace")}
        return made

    def _response(self, answer: Response | Failed) -> dict[str, Any]:
        if isinstance(answer, Failed):
            content: dict[str, Any] = {"size": 0, "mimeType": "x-unknown", "comment": answer.why}
            return self._answer(0, "", [], content, "")
        kind = answer.header("content-type") or "x-unknown"
        content = {"size": len(answer.body), "mimeType": kind}
        try:
            content["text"] = answer.body.decode("utf-8")
        except UnicodeDecodeError:
            content |= {"text": base64.b64encode(answer.body).decode(), "encoding": "base64"}
        return self._answer(answer.status, "", self._headers(answer.headers), content, answer.header("location"))

    @staticmethod
    def _answer(
        status: int, words: str, headers: list[dict[str, str]], content: dict[str, Any], to: str
    ) -> dict[str, Any]:
        return {
            "status": status,
            "statusText": words,
            "httpVersion": "HTTP/1.1",
            "cookies": [],
            "headers": headers,
            "content": content,
            "redirectURL": to,
            "headersSize": -1,
            "bodySize": -1,
        }


@dataclass(frozen=True)
class Exchange:
    """One exchange of a recording: at so many seconds, what was asked and why, and what came; None for nothing."""

    at: float
    asked: str
    sent: str
    purpose: str
    answer: Response | None
    why: str = ""
    """Why nothing came."""


def exchanges_of(file: Path) -> Iterator[Exchange]:
    """The exchanges of a HAR file, Zinger's or a browser's; raises RecordingError with what can't be read."""
    try:
        entries = json.loads(file.read_bytes())["log"]["entries"]
        times = [datetime.fromisoformat(entry["startedDateTime"]).timestamp() for entry in entries]
        zero = min(times, default=0.0)
        for entry, began in zip(entries, times, strict=True):
            yield _exchange(entry, began - zero + float(entry.get("time", 0)) / 1000)
    except OSError as error:
        raise RecordingError(f"{file} can't be read: {error.strerror}") from None
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        raise RecordingError(f"{file} is not a HAR 1.2 recording: {type(error).__name__} {error}") from None


def _exchange(entry: dict[str, Any], at: float) -> Exchange:
    request, response = entry["request"], entry["response"]
    asked = f"{request['method']} {urlsplit(str(request['url'])).path or '/'}"
    sent = str((request.get("postData") or {}).get("text") or "")
    content = response.get("content") or {}
    text = str(content.get("text") or "")
    answer = None
    if response["status"]:
        body = base64.b64decode(text) if content.get("encoding") == "base64" else text.encode()
        headers = tuple((str(h["name"]).lower(), str(h["value"])) for h in response.get("headers", ()))
        if text and content.get("encoding") != "base64":  # a browser keeps text as text, whatever it came in
            headers = tuple(
                (n, v.partition(";")[0] + "; charset=utf-8" if n == "content-type" else v) for n, v in headers
            )
        answer = Response(str(request["url"]), int(response["status"]), headers, body)
    return Exchange(at, asked, sent, str(entry.get("comment") or ""), answer, str(content.get("comment") or ""))


def shown_in(file: Path) -> Iterator[tuple[float, str, str]]:
    """A recording as it was seen on the wire: events like those of an asciicast, a page each."""
    for exchange in exchanges_of(file):
        if exchange.purpose:
            yield exchange.at, "m", exchange.purpose
        rows = [exchange.asked, *(f"   {row}" for row in exchange.sent[:2000].splitlines())]
        if exchange.answer is None:
            rows.append(f"   no answer: {exchange.why}")
        else:
            rows += outline(parsed(exchange.answer))
        yield exchange.at, "o", "\r\n" + "\r\n".join(rows) + "\r\n"
