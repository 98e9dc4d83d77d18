"""The pump of pages: requests to a device's web server, one at a time, and what comes back.

A secret is resolved at the moment of sending; what comes back is masked before anybody, the dialogue included, sees it.
"""

from __future__ import annotations

import asyncio
import html
import json
import time
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from urllib.parse import quote_plus

from zinger.link.base import KeyChanged, LinkError, OtherKey, Refused, Unreachable
from zinger.link.web import WebLink
from zinger.phrasebook.document import Document
from zinger.phrasebook.pages import Open, PageDeed
from zinger.plan.values.secrets import MASK, SecretRef
from zinger.run.pump import Pump
from zinger.store.har import HarRecording
from zinger.talk.errands.ask import do
from zinger.talk.errors import Interrupted, TalkError
from zinger.talk.events import Event, Recognised, Sent
from zinger.talk.pages.http import Failed, Request, Response, encoded
from zinger.talk.pages.outline import outline
from zinger.talk.pages.surface import parsed
from zinger.talk.pages.webtalk import WebTalk


def spelled(secrets: Iterable[str]) -> set[str]:
    """Secrets as they may stand in a page, in an address, or in JSON."""
    found: set[str] = set()
    for secret in secrets:
        found |= {secret, html.escape(secret), quote_plus(secret), json.dumps(secret)[1:-1]}
    return found


LARGE = 20_000
"""Bytes of a page from which on it is parsed beside the loop."""


@dataclass(frozen=True)
class Came:
    """What came of something that a person did: what went wrong, in words, and whether the device refused it."""

    words: str = ""
    refused: bool = False


class PagePump(Pump[WebTalk]):
    """One dialogue on pages, over one link at a time."""

    def _set_up(self) -> None:
        self.link: WebLink | None = None
        self.recording: HarRecording | None = None
        self._purpose = ""
        self._asking: asyncio.Task[None] | None = None
        self._closing: set[asyncio.Task[None]] = set()
        self._typed: dict[SecretRef, str] = {}
        """Passwords that a person typed into a page; they are nowhere else."""
        self.last_bytes = b""
        """The body of the last answer as it came, while it is kept."""
        self._keeps_bytes = False

    @property
    def is_joined(self) -> bool:
        return self.link is not None

    def join(self, link: WebLink, recording: HarRecording | None = None) -> None:
        """Carry the dialogue over this link from now on."""
        if self.recording:
            self.recording.close()
        self.link, self.recording = link, recording
        self.conversation.speaks_at(link.endpoint.origin)

    def leave(self) -> None:
        self._stop_timer()
        if self._asking is not None:
            self._asking.cancel()
            self._asking = None
        self._drop()
        if self.recording:
            self.recording.close()
            self.recording = None
        self.conversation.lost(self._loop.time())
        self._turn()

    def _drop(self) -> None:
        """The link is of no use any more; closing it takes a moment, for which nobody waits."""
        if self.link is not None:
            closing = self._loop.create_task(self.link.close())
            self._closing.add(closing)
            closing.add_done_callback(self._closing.discard)
            self.link = None

    def _carry_out(self, action: object) -> None:
        assert isinstance(action, Request)
        if self._asking is not None and self._asking is not asyncio.current_task():
            self._asking.cancel()  # what an errand that was given up asked for is no answer to this one
        self._asking = self._loop.create_task(self._ask(action))

    async def _ask(self, request: Request) -> None:
        """Ask, and take in what comes; a fault of ours ends the errand, loudly."""
        try:
            await self._exchange(request)
        except Exception as fault:
            if self._ended is None or self._ended.done():
                raise
            self._ended.set_exception(fault)

    async def _exchange(self, request: Request) -> None:
        if self.link is None:
            return
        self._say(f"\n{request.shown}\n" + "".join(f"   {line}\n" for line in request.told.splitlines()))
        result: Response | Failed
        page: Document | None = None
        began = time.time()
        try:
            response = await self.link.ask(encoded(request, self._resolved), request.patience)
            self.last_bytes = response.body if self._keeps_bytes else b""
            result = self._masked(response)
            if len(result.body) > LARGE:  # the interface answers a key meanwhile
                page = await asyncio.to_thread(parsed, result)
        except KeyChanged as error:
            result = Failed(str(error), sent=False, gone=True)
        except OtherKey as error:
            result = Failed(str(error), sent=False, fatal=True)
        except (Refused, Unreachable) as error:
            result = Failed(str(error), sent=False)
        except LinkError as error:
            result = Failed(str(error))
        if self.recording:
            masked = encoded(request, lambda ref: MASK)
            self.recording.add(masked, result, began, time.time() - began, self._purpose)
        now = self._loop.time()
        if isinstance(result, Response):
            self.conversation.receive(result, now, page)
            self._show()
        else:
            self._say(f"   no answer: {result.why}\n")
            self.conversation.failed(result, now)
        if self.conversation.pages.lost_an_answer:
            self._drop()
        self._turn()

    @contextmanager
    def keeping_bytes(self) -> Iterator[None]:
        """Keep what comes, as it comes, meanwhile."""
        self._keeps_bytes = True
        try:
            yield
        finally:
            self._keeps_bytes, self.last_bytes = False, b""

    def _resolved(self, ref: SecretRef) -> str:
        return self._typed[ref] if ref in self._typed else self._secret(ref)

    # -- a person on the wire ----------------------------------------------------------------------
    async def do_by_hand(self, deed: PageDeed) -> Came:
        """What a person does on the page. An unknown page that comes of it is nothing wrong."""
        before = self.conversation.pages.page
        self.acted = self.acted or not isinstance(deed, Open)
        try:
            answer = await self._carry(do(deed, frozenset(), "by hand"))
        except TalkError as error:
            shown = self.conversation.pages.page
            return Came() if shown is not None and shown is not before else Came(str(error))
        return Came(answer.refusal or "", refused=answer.refusal is not None)

    def type_secret(self, text: str) -> SecretRef:
        """A password that a person types: what stands for it until it is sent; it is masked from now on."""
        ref = SecretRef(f"typed by hand {len(self._typed) + 1}")
        self._typed[ref] = text
        self.masker.know(spelled([text]))
        return ref

    def was_typed(self, ref: SecretRef) -> bool:
        """Whether a person typed it, so that it is in no vault."""
        return ref in self._typed

    def typed_text(self, ref: SecretRef) -> str:
        """What a person typed."""
        return self._typed[ref]

    def _person_ended(self) -> None:
        self.conversation.interrupt(Interrupted("the wire was handed back"), self._loop.time())
        self._turn()

    def _masked(self, response: Response) -> Response:
        """What the device shows of a secret is a mask, in its pages and in what they are made of."""
        mask = self.masker.text
        headers = tuple((name, mask(value)) for name, value in response.headers)
        return Response(response.url, response.status, headers, self.masker.whole(response.body))

    # -- what is seen ------------------------------------------------------------------------------
    def _show(self) -> None:
        page = self.conversation.pages.page
        if page is not None:
            self._say("\n".join(outline(page)) + "\n")

    def _say(self, text: str) -> None:
        self.transcript.add(text.replace("\n", "\r\n").encode())

    def _note(self, event: Event) -> None:
        if isinstance(event, Sent):
            self._purpose = event.purpose
            self.transcript.annotate("sent", event.purpose)
        elif isinstance(event, Recognised):
            self.transcript.annotate("at", event.place)
