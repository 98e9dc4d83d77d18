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
from urllib.parse import parse_qsl, urlencode, urlsplit

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
    method: str = "GET"
    url: str = ""
    headers: tuple[tuple[str, str], ...] = ()
    """Those of the request, names in lower case."""
    kind: str = ""
    """The media type of what was sent."""
    began: float = 0.0
    """In seconds since 1970; 0 where that is not told."""


LARGEST = 600_000_000
"""Bytes of a recording that is read."""


def entries_of(file: Path) -> list[dict[str, Any]]:
    """The entries of a HAR file in the order in which they began; raises RecordingError with what can't be read."""
    size = 0
    try:
        size = file.stat().st_size
        if size > LARGEST:
            raise RecordingError(
                f"{file} has {size // 1_000_000} MB, more than the {LARGEST // 1_000_000} that are read. Save only the "
                "requests of this device."
            )
        data = json.loads(file.read_bytes())
    except OSError as error:
        raise RecordingError(f"{file} can't be read: {error.strerror}") from None
    except json.JSONDecodeError as error:
        cut = error.pos >= size - 2 or "Unterminated" in error.msg
        why = "it ends in the middle, as if it was cut off" if cut else f"line {error.lineno} is not JSON: {error.msg}"
        raise RecordingError(f"{file} is not a whole HAR recording: {why}. Save it again from the browser.") from None
    except (ValueError, RecursionError):
        raise RecordingError(f"{file} is not a HAR 1.2 recording: it is not JSON in UTF-8") from None
    log = data.get("log") if isinstance(data, dict) else None
    entries = log.get("entries") if isinstance(log, dict) else None
    if not isinstance(entries, list):
        raise RecordingError(f"{file} is not a HAR 1.2 recording: it has no log with entries")
    whole = [entry for entry in entries if _is_whole(entry)]
    if entries and not whole:
        raise RecordingError(f"{file}: none of its {len(entries)} entries has a request with a URL and a response")
    return sorted(whole, key=_began)


def _is_whole(entry: Any) -> bool:
    request, response = (entry.get(key) if isinstance(entry, dict) else None for key in ("request", "response"))
    return isinstance(request, dict) and isinstance(response, dict) and isinstance(request.get("url"), str)


def _began(entry: dict[str, Any]) -> float:
    """When it began, in seconds since 1970; 0 where that is not told."""
    try:
        return datetime.fromisoformat(str(entry.get("startedDateTime") or entry.get("started") or "")).timestamp()
    except (ValueError, OverflowError):
        return 0.0


def _number(value: Any) -> float:
    return float(value) if isinstance(value, int | float) and value > 0 else 0.0


def exchanges_of(file: Path) -> Iterator[Exchange]:
    """The exchanges of a HAR file, Zinger's or a browser's; raises RecordingError with what can't be read."""
    entries = entries_of(file)
    zero = min((began for entry in entries if (began := _began(entry))), default=0.0)
    for entry in entries:
        began = _began(entry) or zero
        yield _exchange(entry, began - zero + _number(entry.get("time")) / 1000, began)


def headers_of(told: Any) -> tuple[tuple[str, str], ...]:
    """Headers as HAR has them, names in lower case; whatever else stands there is left out."""
    listed = told if isinstance(told, list) else []
    pairs = ((str(h.get("name", "")).lower(), str(h.get("value", ""))) for h in listed if isinstance(h, dict))
    return tuple(pair for pair in pairs if pair[0] and not pair[0].startswith(":"))


def _exchange(entry: dict[str, Any], at: float, began: float) -> Exchange:
    request, response = entry["request"], entry["response"]
    url, method = str(request["url"]), str(request.get("method") or "GET").upper()
    posted = request.get("postData")
    posted = posted if isinstance(posted, dict) else {}
    sent = str(posted.get("text") or "")
    if not sent and isinstance(posted.get("params"), list):
        pairs = [(str(p.get("name", "")), str(p.get("value") or "")) for p in posted["params"] if isinstance(p, dict)]
        sent = urlencode(pairs)
    content = response.get("content")
    content = content if isinstance(content, dict) else {}
    status = response.get("status")
    answer = None
    if isinstance(status, int) and status > 0:
        answer = Response(url, status, _answer_headers(response, content), _body(content))
    return Exchange(
        at,
        f"{method} {urlsplit(url).path or '/'}",
        sent,
        str(entry.get("comment") or ""),
        answer,
        str(content.get("comment") or ""),
        method,
        url,
        headers_of(request.get("headers")),
        str(posted.get("mimeType") or ""),
        began,
    )


def _body(content: dict[str, Any]) -> bytes:
    text = str(content.get("text") or "")
    if str(content.get("encoding") or "").lower() != "base64":
        return text.encode("utf-8", "replace")
    try:
        return base64.b64decode(text)
    except ValueError:
        return b""


def _answer_headers(response: dict[str, Any], content: dict[str, Any]) -> tuple[tuple[str, str], ...]:
    """A browser keeps text as text, whatever it came in; its kind may be told beside the headers only."""
    headers = headers_of(response.get("headers"))
    kind = dict(headers).get("content-type") or str(content.get("mimeType") or "")
    if content.get("text") and str(content.get("encoding") or "").lower() != "base64":
        kind = kind.partition(";")[0] + "; charset=utf-8"
    headers = tuple(pair for pair in headers if pair[0] != "content-type")
    to = response.get("redirectURL")
    if to and not any(name == "location" for name, _ in headers):
        headers = (*headers, ("location", str(to)))
    return (*headers, ("content-type", kind)) if kind and "unknown" not in kind else headers


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
