"""How a conversation can fail to go on: the talk room's part of the error tree."""

from __future__ import annotations

from zinger.errors import ZingerError


class TalkError(ZingerError):
    """A conversation that cannot go on as it is; the message is a sentence for a person."""


class Stuck(TalkError):
    """Nothing known stands there, or nothing known helps: a person is needed. `shown` is what was last seen."""

    def __init__(self, why: str, shown: str = "") -> None:
        super().__init__(why)
        self.shown = shown


class NotLetIn(Stuck):
    """None of the passwords that are known for it was accepted."""


class Silent(Stuck):
    """It stopped answering; where it was told to restart, that is what was wanted."""


class Unanswered(Stuck):
    """Nothing came on its line, whatever was pressed: it may not be plugged in, or switched on."""


class RefusedByDevice(TalkError):
    """The device refused a step; `words` are its own."""

    def __init__(self, setting: str, words: str) -> None:
        super().__init__(f"{setting} was refused: {words}")
        self.setting, self.words = setting, words


class Interrupted(TalkError):
    """Something came between: a restart, a sign-out, a lost link, a person. Look again and go on."""


class Restarted(Interrupted):
    """It began to boot in the middle of something; where it was told to restart, that is what was wanted."""


class Strayed(Interrupted):
    """What was sent ended at another place than it should; once that may be a restart, twice it is what was sent."""
