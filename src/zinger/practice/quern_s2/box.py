"""The Quern S2 as a box: its hardware, spoken to through its shell."""

from __future__ import annotations

from typing import ClassVar

from zinger.practice.core.tty import Tty
from zinger.practice.quern_s2.hardware import Hardware
from zinger.practice.quern_s2.shell import Shell
from zinger.practice.quern_s2.signin import SignIn


class Switch(Hardware):
    """One simulated access switch."""

    SHELL: ClassVar[type[Shell]] = Shell

    async def on_console(self, tty: Tty) -> None:
        await self.SHELL(self, tty, "console").console()

    async def on_network(self, tty: Tty, kind: str, user: str | None) -> None:
        shell, entry = self.SHELL(self, tty, kind), SignIn(self, tty, kind)
        if user is not None and not await entry.renewed(user, self.running.people[user]):
            return
        shell.user = user or await entry.ask()
        for _ in range(3):
            if not shell.guarded("network") or await shell.asked("network", "password of this session: "):
                await shell.serve()
                return
            tty.show("not known here\n")
