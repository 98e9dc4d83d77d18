"""One device's dialogue on pages: the driver of errands over the pages surface, as its carrier handles it."""

from __future__ import annotations

from collections.abc import Callable

from zinger.phrasebook.document import Document
from zinger.phrasebook.pages import Pages
from zinger.talk.driver import Driver
from zinger.talk.errors import Interrupted
from zinger.talk.pages.http import Failed, Request, Response
from zinger.talk.pages.surface import PagesSurface


class WebTalk(Driver[Request]):
    """Sans-IO: `receive` and `failed` take in what came of a request, `turn` says what to do next."""

    def __init__(
        self, pages: Pages, origin: str = "", trace: Callable[[str], None] | None = None, pace: float = 1.0
    ) -> None:
        """`pace`: how much faster than ours the device's time goes, as in practice."""
        self.pages = PagesSurface(pages, origin, trace, pace)
        super().__init__(self.pages)

    @property
    def identity(self) -> dict[str, str]:
        """What it showed of itself anywhere: serial number, MAC, hostname."""
        return self.pages.identity

    @property
    def tail(self) -> str:
        """What its last page is called."""
        return self.pages.page.words if self.pages.page else ""

    @property
    def boots(self) -> bool:
        """A device that boots shows no page."""
        return False

    @property
    def boot_shown(self) -> float:
        """Never: see `boots`."""
        return 0.0

    def receive(self, response: Response, now: float, page: Document | None = None) -> None:
        """An answer came; `page` is what it holds, where that is known already."""
        self.pages.receive(response, now, page)

    def failed(self, failure: Failed, now: float) -> None:
        """Nothing came back."""
        self.pages.failed(failure, now)

    def speaks_at(self, origin: str) -> None:
        """It is spoken to here from now on; a new session begins."""
        self.pages.origin = origin
        self.pages.signed_out()

    def expect_boot(self, now: float, certain: bool = True) -> None:
        """It boots: where it was counts no more."""
        self.pages.signed_out()

    def forget(self) -> None:
        """Look anew."""
        self.pages.forget()

    def somebody_typed(self) -> None:
        """Somebody else used its pages: look anew."""
        self.pages.forget()

    def lost(self, now: float) -> None:
        """The link is gone."""
        self.interrupt(Interrupted("the link was lost"), now)
        self.pages.signed_out()
