"""The shape of a phrasebook's file: pydantic models, from which the published JSON Schema is made.

An unknown key is an error. What a shape can't say, such as a move to a place that does not exist, the compiler checks.
"""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, Field

from zinger.plan.families import ROLE_SECTIONS


class Shape(BaseModel):
    """Frozen, and nothing beside its own keys."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class SignInShape(Shape):
    user: str = ""
    password: str = ""
    on_label: bool = False


class FactoryShape(Shape):
    console: str = ""
    address: str = ""
    only_while: str = ""
    reach: str = ""
    sign_in: SignInShape
    first: str = ""
    boots_in: str


class SshShape(Shape):
    port: int = Field(default=22, ge=1, le=65535)
    old: bool = False


class HostnameLimit(Shape):
    longest: int = 63
    of: str = "[A-Za-z0-9-]"


class PasswordLimit(Shape):
    shortest: int = 1
    longest: int = 128
    classes: list[str] = []


class Limits(Shape):
    hostname: HostnameLimit = HostnameLimit()
    password: PasswordLimit = PasswordLimit()
    most: dict[str, int] = {}


class Typing(Shape):
    enter: str = "enter"
    cancel: str = "ctrl-u"
    rub: str = ""
    redraw: str = ""
    wake: str = ""
    pace: float = Field(default=0, ge=0, le=10000)
    wraps: int = Field(default=0, ge=0, le=500)
    longest_line: int = Field(default=250, ge=20, le=4000)
    screen: str = ""


class PlaceShape(Shape):
    prompt: str | None = None
    asks: str | None = None
    menu: str | None = None
    pager: str | None = None
    notice: str | None = None
    blind: bool = False
    asks_for: str = ""
    enter: str = ""
    press: str = "space"
    leave: str = "q"
    screen: str | None = None
    choices: str | None = None
    takes: str | None = None


class MoveShape(Shape):
    origin: str = Field(alias="from")
    to: str | list[str]
    send: str | None = None
    press: str | None = None
    choose: str | None = None
    cost: int = Field(default=1, ge=1)


class ConfirmShape(Shape):
    at: str
    send: str
    within: str
    origin: str = Field(default="here", alias="from")


class ShownShape(Shape):
    shows: str
    holds: str = "exactly"


class StepShape(Shape):
    title: str = ""
    at: str | None = None
    send: str | list[str] | None = None
    within: str | None = Field(default=None, alias="in")
    through: list[str] = []
    replies: dict[str, str] = {}
    expect: str | None = None
    progress: str | None = None
    patience: str = "30 s"
    undo: str | None = None
    effect: str = "none"
    confirm: ConfirmShape | None = None
    read: str | None = None
    shows: str = "{{ value }}"
    shows_too: dict[str, str | ShownShape] = {}
    holds: str = "exactly"
    after: list[str] = []
    also: StepShape | None = None
    tries: StepShape | None = None


class SummaryShape(Shape):
    at: str
    sections: str | None = None
    take: dict[str, str | TakeShape]
    yes: str
    no: str


class BeginShape(Shape):
    at: str
    send: str


class InterviewShape(Shape):
    first: str
    begin: BeginShape | None = None
    again: str = ""
    otherwise: dict[str, str] = {}
    summary: SummaryShape | None = None
    ends: list[str] = []
    effect: str = "none"
    patience: str = "30 s"


class TakeShape(Shape):
    line: str | None = None
    table: str | None = None
    columns: dict[str, str] = {}
    value: str = "{{ value }}"
    under: str | None = None
    split: str | None = None


class ReadingShape(Shape):
    at: str
    ask: str
    startup: str | None = None
    sections: str | None = None
    take: dict[str, str | TakeShape]


class CardShape(Shape):
    """What every family has."""

    family: str
    title: str
    kind: str = "device"
    like: str = ""
    factory: FactoryShape
    limits: Limits = Limits()
    takes: list[str] = list(ROLE_SECTIONS)
    not_for_this_kind: list[str] = []
    ports: str = ""
    proved_over: list[str] = ["services.ssh"]
    ssh: SshShape = SshShape()
    panel: str = ""
    lights: dict[str, str] = {}
    buttons: dict[str, str] = {}


class BookShape(CardShape):
    """What a family that is spoken to has besides."""

    typing: Typing = Typing()
    home: str
    view: str | None = None
    administrator: str | None = None
    noise: list[str] = []
    refusals: list[str] = []
    warnings: list[str] = []
    boot: list[str] = []
    ready: list[str] = []
    identity: dict[str, str] = {}
    identity_lines: dict[str, str] = {}
    places: dict[str, PlaceShape]
    moves: list[MoveShape]
    prepare: list[StepShape] = []
    interviews: dict[str, InterviewShape] = {}
    settings: dict[str, StepShape]
    readings: dict[str, ReadingShape]
    save: StepShape | list[StepShape] = []
    restart: StepShape | None = None


SHAPE_UNDER = {
    "places": PlaceShape,
    "moves": MoveShape,
    "settings": StepShape,
    "readings": ReadingShape,
    "save": StepShape,
    "prepare": StepShape,
    "interviews": InterviewShape,
    "restart": StepShape,
    "typing": Typing,
    "factory": FactoryShape,
    "ssh": SshShape,
}
"""Which shape stands under a key of the book, for what was meant by a word that is none of its keys."""
