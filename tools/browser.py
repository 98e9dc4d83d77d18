"""A real browser without a screen (Debian's chromium), driven over its debugging pipe; it is recorded as HAR 1.2.

The pipe was taken, and not a driver's package: NUL-ended JSON over two file descriptors is all that is needed.
"""

from __future__ import annotations

import base64
import json
import os
import select
import shutil
import subprocess
import tempfile
import time
from collections.abc import Callable
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

PATIENCE = 20.0
"""Seconds for an answer of the browser."""
QUIET = 0.35
"""Seconds without a request after which a page counts as loaded."""


class BrowserError(Exception):
    """The browser could not do what a person would."""


class Browser:
    """One window. `leads` maps `address:port` to a loopback port; nothing else is ever dialled."""

    def __init__(
        self,
        leads: dict[str, int] | None,
        credentials: Callable[[], tuple[str, str]] = lambda: ("", ""),
        within: tuple[str, ...] = (),
    ) -> None:
        """`leads` None: it dials as the network has it, which is one that a test made; `within` starts it there."""
        program = shutil.which("chromium")
        if program is None:
            raise BrowserError("chromium is missing; Debian has it: apt-get install chromium")
        self.credentials = credentials
        self.profile = tempfile.mkdtemp(prefix="browser-")
        rules = [f"MAP {where} 127.0.0.1:{port}" for where, port in (leads or {}).items()]
        rules += ["MAP * ~NOTFOUND"] if leads is not None else []
        words = [
            *(*within, program, "--headless=new", "--no-sandbox", "--disable-gpu", "--remote-debugging-pipe"),
            *("--ignore-certificate-errors", "--no-first-run", "--disable-background-networking"),
            *("--disable-component-update", "--disable-sync", f"--user-data-dir={self.profile}"),
            f"--host-resolver-rules={', '.join(rules)}",
            "about:blank",
        ]
        theirs_in, self._out = os.pipe()
        self._in, theirs_out = os.pipe()
        os.set_inheritable(theirs_in, True)
        os.set_inheritable(theirs_out, True)

        def as_three_and_four() -> None:
            a, b = os.dup(theirs_in), os.dup(theirs_out)
            os.dup2(a, 3)
            os.dup2(b, 4)

        self._process = subprocess.Popen(
            words, close_fds=False, preexec_fn=as_three_and_four, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )
        os.close(theirs_in)
        os.close(theirs_out)
        self._buffer, self._number = b"", 0
        self._events: list[dict[str, Any]] = []
        self._replies: dict[int, dict[str, Any]] = {}
        self.entries: list[dict[str, Any]] = []
        self._open: dict[str, dict[str, Any]] = {}
        self._sent_headers: dict[str, dict[str, str]] = {}
        self._busy, self._last = 0, time.monotonic()
        target = self._ask("Target.createTarget", {"url": "about:blank"})["targetId"]
        self._session = ""
        self._session = self._ask("Target.attachToTarget", {"targetId": target, "flatten": True})["sessionId"]
        for domain in ("Page", "Runtime", "Network"):
            self._ask(f"{domain}.enable")
        self._ask("Fetch.enable", {"handleAuthRequests": True})

    # -- what a person does ------------------------------------------------------------------------
    def open(self, url: str) -> None:
        """Go to an address."""
        self._ask("Page.navigate", {"url": url})
        self.settle()

    def fill(self, **fields: str | bool) -> None:
        """Fill fields of the page by their name; yes and no tick."""
        for name, value in fields.items():
            self.run(
                "(name, value) => { const all = [...document.getElementsByName(name)]; if (!all.length) throw name;"
                "for (const one of all) { if (typeof value === 'boolean') { if (one.checked !== value) one.click(); }"
                "else if (one.type === 'radio') { if (one.value === value) one.click(); }"
                "else if (one.type !== 'hidden') { one.value = value;"
                "one.dispatchEvent(new Event('input', {bubbles: true})); } } }",
                name,
                value,
            )

    def press(self, button: str) -> None:
        """Press a button by what it says."""
        self.run(
            "text => { const all = [...document.querySelectorAll('button, input[type=submit]')];"
            "const one = all.find(b => (b.textContent.trim() || b.value) === text);"
            "if (!one) throw text; one.click(); }",
            button,
        )
        self.settle()

    def follow(self, text: str) -> None:
        """Follow a link by its text."""
        self.run(
            "text => { const one = [...document.links].find(a => a.textContent.trim() === text);"
            "if (!one) throw text; one.click(); }",
            text,
        )
        self.settle()

    def fetch(self, method: str, path: str, body: Any = None, **headers: str) -> Any:
        """What the scripts of a page do: ask for JSON."""
        said = self.run(
            "async (method, path, body, headers) => { const answer = await fetch(path, {method, headers:"
            "body === null ? headers : {...headers, 'Content-Type': 'application/json'},"
            "body: body === null ? undefined : JSON.stringify(body)}); return await answer.text(); }",
            method, path, body, headers,
        )  # fmt: skip
        self.settle()
        return json.loads(said) if said else None

    def run(self, function: str, *arguments: Any) -> Any:
        """Run a function of the page's language."""
        call = f"({function})({', '.join(json.dumps(a) for a in arguments)})"
        asked = {"expression": call, "awaitPromise": True, "returnByValue": True}
        answer = self._ask("Runtime.evaluate", asked)
        if "exceptionDetails" in answer:
            raise BrowserError(f"{answer['exceptionDetails'].get('exception', {}).get('value', answer)} is not there")
        return answer["result"].get("value")

    def settle(self, seconds: float = 8.0) -> None:
        """Wait until nothing is loading."""
        end = time.monotonic() + seconds
        self._last = time.monotonic()
        while time.monotonic() < end and (self._busy > 0 or time.monotonic() - self._last < QUIET):
            self._read(0.05)

    # -- the pipe ----------------------------------------------------------------------------------
    def _ask(self, method: str, params: dict[str, Any] | None = None) -> dict[str, Any]:
        self._number += 1
        number = self._number
        self._tell(number, method, params)
        end = time.monotonic() + PATIENCE
        while number not in self._replies:
            if time.monotonic() > end or self._process.poll() is not None:
                raise BrowserError(f"the browser did not answer {method}")
            self._read(0.1)
        reply = self._replies.pop(number)
        if "error" in reply:
            raise BrowserError(f"{method}: {reply['error']['message']}")
        result: dict[str, Any] = reply["result"]
        return result

    def _tell(self, number: int, method: str, params: dict[str, Any] | None) -> None:
        asked: dict[str, Any] = {"id": number, "method": method, "params": params or {}}
        if getattr(self, "_session", ""):
            asked["sessionId"] = self._session
        os.write(self._out, json.dumps(asked).encode() + b"\0")

    def _read(self, wait: float) -> None:
        if select.select([self._in], [], [], wait)[0]:
            self._buffer += os.read(self._in, 1 << 20)
        *whole, self._buffer = self._buffer.split(b"\0")
        for text in whole:
            message = json.loads(text)
            if "id" in message:
                self._replies[message["id"]] = message
            else:
                self._heard(message["method"], message["params"])

    def _soon(self, method: str, params: dict[str, Any]) -> None:
        self._number += 1
        self._tell(self._number, method, params)

    def _heard(self, method: str, told: dict[str, Any]) -> None:
        if method == "Fetch.requestPaused":
            self._soon("Fetch.continueRequest", {"requestId": told["requestId"]})
        elif method == "Fetch.authRequired":
            user, password = self.credentials()
            answer = {"response": "ProvideCredentials", "username": user, "password": password}
            self._soon("Fetch.continueWithAuth", {"requestId": told["requestId"], "authChallengeResponse": answer})
        elif method == "Network.requestWillBeSent":
            if "redirectResponse" in told:
                self._ends(told["requestId"], told["redirectResponse"], told["timestamp"], "")
            self._begins(told)
        elif method == "Network.requestWillBeSentExtraInfo":
            self._sent_headers[told["requestId"]] = told["headers"]
        elif method == "Network.responseReceived" and told["requestId"] in self._open:
            self._open[told["requestId"]]["answer"] = told["response"]
        elif method == "Network.loadingFinished" and (going := self._open.get(told["requestId"])):
            body = {}
            with suppress(BrowserError):  # a body that the browser did not keep
                body = self._ask("Network.getResponseBody", {"requestId": told["requestId"]})
            self._ends(told["requestId"], going.get("answer", {}), told["timestamp"], body)
        elif method == "Network.loadingFailed" and told["requestId"] in self._open:
            self._ends(told["requestId"], {}, told["timestamp"], "")

    # -- HAR ---------------------------------------------------------------------------------------
    def _begins(self, told: dict[str, Any]) -> None:
        self._busy, self._last = self._busy + 1, time.monotonic()
        self._open[told["requestId"]] = {**told, "wall": told["wallTime"]}

    def _ends(self, number: str, answer: dict[str, Any], at: float, body: Any) -> None:
        going = self._open.pop(number, None)
        if going is None:
            return
        self._busy, self._last = self._busy - 1, time.monotonic()
        request = going["request"]
        if urlsplit(request["url"]).scheme not in ("http", "https"):
            return
        asked: dict[str, Any] = {
            "method": request["method"],
            "url": request["url"],
            "httpVersion": "http/1.1",
            "headers": [{"name": n, "value": v} for n, v in self._headers(number, request).items()],
            "queryString": [],
            "cookies": [],
            "headersSize": -1,
            "bodySize": -1,
        }
        if request.get("postData") is not None or request.get("hasPostData"):
            kind = {n.lower(): v for n, v in request["headers"].items()}.get("content-type", "")
            asked["postData"] = {"mimeType": kind, "text": request.get("postData", "")}
        headers = [
            {"name": n, "value": v}
            for n, v in answer.get("headers", {}).items()
            if n.lower() not in ("set-cookie", "www-authenticate") or answer.get("status") == 401
        ]
        content: dict[str, Any] = {"size": 0, "mimeType": answer.get("mimeType", "x-unknown")}
        if isinstance(body, dict) and "body" in body:
            content["text"] = body["body"]
            content["size"] = len(body["body"])
            if body.get("base64Encoded"):
                content["encoding"] = "base64"
                content["size"] = len(base64.b64decode(body["body"]))
        to = {n.lower(): v for n, v in answer.get("headers", {}).items()}.get("location", "")
        self.entries.append(
            {
                "startedDateTime": datetime.fromtimestamp(going["wall"], UTC).isoformat().replace("+00:00", "Z"),
                "time": round((at - going["timestamp"]) * 1000, 3),
                "request": asked,
                "response": {
                    "status": answer.get("status", 0),
                    "statusText": answer.get("statusText", ""),
                    "httpVersion": "http/1.1",
                    "headers": headers,
                    "cookies": [],
                    "content": content,
                    "redirectURL": to,
                    "headersSize": -1,
                    "bodySize": -1,
                },
                "cache": {},
                "timings": {"send": 0, "wait": 0, "receive": 0},
            }
        )

    def _headers(self, number: str, request: dict[str, Any]) -> dict[str, str]:
        """What was really sent; a browser's own recording leaves the cookies out unless it is told otherwise."""
        sent = self._sent_headers.pop(number, {})
        return {**request["headers"], **{n: v for n, v in sent.items() if n.lower() != "cookie"}}

    def save(self, file: Path) -> None:
        """Write what was done as HAR 1.2, in the order in which it began."""
        entries = sorted(self.entries, key=lambda entry: entry["startedDateTime"])
        log = {"version": "1.2", "creator": {"name": "browser", "version": "1"}, "pages": [], "entries": entries}
        file.write_text(json.dumps({"log": log}, indent=1))

    def end(self) -> None:
        """Close the window."""
        self._process.kill()
        self._process.wait()
        for end in (self._in, self._out):
            os.close(end)
        shutil.rmtree(self.profile, ignore_errors=True)
