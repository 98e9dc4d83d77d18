"""A device on a terminal: its console, or a shell over SSH."""

from __future__ import annotations

import asyncio
import time

from zinger.link.base import Link, LinkError
from zinger.link.ssh import SshLink
from zinger.run.byhand import ByHand
from zinger.run.consolepump import ConsolePump
from zinger.run.onwire import AWAY, Assignment, OnWire
from zinger.run.ways import Ways, until_it_answers
from zinger.script.compile import Step
from zinger.store import entries
from zinger.store.recording import Recording
from zinger.talk.conversation import Conversation
from zinger.talk.errands.ask import look
from zinger.talk.errors import Interrupted, Restarted, Silent
from zinger.talk.timing import Timing


class ConsoleWire(OnWire):
    """Sends, reads and notes for one device on a terminal."""

    pump: ConsolePump

    def __init__(self, to_do: Assignment) -> None:
        super().__init__(to_do)
        world, device, book, line = to_do.world, to_do.device, to_do.book, to_do.line
        pace = 0.0 if self.over_network else Timing.blind_pace * world.pace
        timing = Timing(boots_in=self.boots_in, blind_pace=pace)
        self.pump = ConsolePump(
            Conversation(book.terminal, timing, world.trace_of(device.name)),
            lambda ref: world.secret(book, ref),
            world.masker_for(device, book),
            line.transcript,
            self._saw,
            world.turns,
        )
        self.by_hand = ByHand(world, device, book, self.pump, self.note)

    @property
    def over_network(self) -> bool:
        """Whether it is spoken to over SSH, so that a change of its address cuts the link."""
        return self.device.console.startswith("ssh://")

    @property
    def answers_at(self) -> str:
        link = self.pump.link
        return link.address if isinstance(link, SshLink) else ""

    @property
    def _ways(self) -> Ways:
        return Ways(self.world, self.device, self.book, self.keys, self.memory.stands_at)

    async def confirm(self, step: Step) -> None:
        """Say that a change stays which would go back by itself.

        From a new session where the family wants it so, and where the link is one that the change could have cut.
        """
        where = step.how.confirm
        assert where is not None
        if where.fresh and self.over_network:
            self.line.say(f"{step.title}: comes back in a new session before {where.within:g} s are over")
            self.pump.leave()
            self._join(await self._ways.moved(self._signed_in, where.within * 0.7))
        await super().confirm(step)

    async def connect(self) -> None:
        """Open the way to it; in practice a missing cable is plugged in first. Raises LinkError.

        A link that is lost in a run is dialled again for as long as the device may take to restart.
        """
        if self.pump.link is not None:
            return
        within, before = 2 * self.boots_in + AWAY if self.links else 0.0, self.line.sentence
        if within:
            self.line.say("the link is lost; dialling again")
            self.line.wait("the device to answer again", time.time() + within)
        self._join(await until_it_answers(self._dial, within))
        if within:
            self.line.say(before)
            self.line.wait("it to go on")

    async def _dial(self) -> Link:
        if self.over_network:
            return await self._ways.open(self._signed_in)
        return await self._console()

    def _join(self, link: Link) -> None:
        self.line.link = link.name
        if isinstance(link, SshLink):
            self.line.link += f", key {link.host_key.fingerprint}{' pinned now' if link.first_sight else ''}"
        self.links += 1
        self.pump.join(link, self._recording("ssh" if self.over_network else "console"))

    async def _console(self) -> Link:
        settings = self.book.factory.console
        cable_in = await self.world.claims.take_console(self.device, self.line, self.pump.leave)
        if cable_in is not None:
            await self.plug("one console cable serves several devices", moves=True, cable_in=cable_in)
            self.world.claims.cable_is_at(self.device)
        try:
            return await self.world.dialer.console(self.name, self.device.console, settings)
        except LinkError as error:
            if not self.world.practice or self._was_plugged:
                raise
            await self.plug(str(error))
            return await self.world.dialer.console(self.name, self.device.console, settings)

    def _signed_in(self, user: str, secret: str) -> None:
        self.note(entries.SignedIn(user, secret))

    def restarted(self, error: Interrupted | Silent) -> bool:
        """Whether what it was told to do ended so because it restarts: it shows that, or fell silent over it.

        Where it does not show it yet, it boots from now on.
        """
        away, shows = self.over_network and self.pump.link is None, self.restarts or isinstance(error, Restarted)
        if not shows and not away and not isinstance(error, Silent):
            return False
        if not shows:
            self.pump.expect_boot()
        return True

    async def is_down(self, since: float) -> bool:
        """Over the network nobody answers; on a console it shows its boot, or, if it has no words for it, a sign-in."""
        conversation = self.pump.conversation
        if not self.over_network:
            await self.connect()  # a console can go with its device, and come back with it
            now, silent_boot = asyncio.get_running_loop().time(), not self.book.terminal.shows_boot
            return self.shows_restart(since) or (
                silent_boot and conversation.heard > since and conversation.asks_to_sign_in(now)
            )
        try:
            endpoint = self._ways.endpoints()[0]
            return not await self.world.dialer.probe(endpoint.address, endpoint.port)
        except LinkError:
            return True

    async def shows_life(self, since: float) -> bool:
        """Its console showed a whole line that is not a log line."""
        return self.pump.link is not None and self.pump.conversation.lined > since

    def shows_restart(self, since: float) -> bool:
        """Its console showed its boot."""
        return self.pump.conversation.boot_shown > since

    async def comes_up(self, since: float, within: float) -> None:
        """Wait until one that went down after `since` shows a sign of life; over the network, until it answers."""
        if self.over_network:
            self.pump.leave()  # who loses power says no goodbye
            await self.connect()
            return
        if self.pump.conversation.boot_shown <= since:
            self.pump.expect_boot()
        await self.do(look(within))

    def release(self) -> None:
        """Its console is free for the next device; what it showed last stays in sight until that one takes it."""
        self.world.claims.leave_console(self.device)

    def lend(self) -> None:
        """It waits for another device, which may need the very console cable that it has."""
        if self.world.claims.is_shared(self.device):
            self.pump.leave()
            self.release()

    def _recording(self, way: str) -> Recording:
        return Recording(self.fresh_file(way, ".cast"), f"{self.name}, {way}", self.line.say)
