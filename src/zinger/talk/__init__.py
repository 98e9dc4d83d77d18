"""The talk room: conversations, sans-IO: bytes and time in, actions out. Pure."""

from zinger.talk.conversation import Conversation
from zinger.talk.ear import Ear
from zinger.talk.errands import (
    Keyring,
    arrive,
    begin_interview,
    confirm,
    hold_interview,
    look,
    say_phrase,
    take_reading,
)
from zinger.talk.events import (
    Answer,
    At,
    Done,
    Failed,
    Interrupted,
    Mended,
    Nudged,
    Recognised,
    RefusedByDevice,
    Renewed,
    Say,
    SignedIn,
    Stuck,
    TalkError,
    Told,
    Typed,
    Wait,
)
from zinger.talk.manner import Manner

__all__ = [
    "Answer", "At", "Conversation", "Done", "Ear", "Failed", "Interrupted", "Keyring", "Manner", "Mended", "Nudged",
    "Recognised", "RefusedByDevice", "Renewed", "Say", "SignedIn", "Stuck", "TalkError", "Told", "Typed", "Wait",
    "arrive", "begin_interview", "confirm", "hold_interview", "look", "say_phrase", "take_reading",
]
