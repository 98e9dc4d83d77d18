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


class PressShape(Shape):
    do: str
    see: str = ""
    within: str = ""


class HandsShape(Shape):
    do: str
    see: str = ""


class FactoryShape(Shape):
    console: str = ""
    before: str = ""
    light: str = ""
    clean: HandsShape | None = None
    press: PressShape | None = None
    hands_out: bool = False
    link_local: bool = False
    certificate: str = ""
    address: str = ""
    only_while: str = ""
    reach: str = ""
    network: str = ""
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
    ranges: dict[str, str] = {}


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


class CallShape(Shape):
    method: str = ""
    to: str
    json_text: str | None = Field(default=None, alias="json")
    text: str | None = None
    form: dict[str, str] | None = None
    headers: dict[str, str] = {}


class OnPage(Shape):
    """One thing that is done on a page."""

    fill: dict[str, str] | str | None = None
    press: str | None = None
    follow: str | None = None
    go: str | None = Field(default=None, alias="open")
    call: CallShape | None = None
    authenticate: bool = False


class DoShape(OnPage):
    """The same by itself, and the place to which it leads if it does not stay."""

    to: str | None = None
    each: bool = False


class TokenShape(Shape):
    header: str
    json_path: str = Field(default="", alias="json")
    from_header: str = ""
    cookie: str = ""
    before: str = ""


class PagesShape(Shape):
    start: str = "/"
    scheme: str = "https"
    port: int = Field(default=0, ge=0, le=65535)
    old_tls: bool = False
    headers: dict[str, str] = {}
    tokens: list[TokenShape] = []


class PageShape(Shape):
    at: str | None = None
    status: int | list[int] = []
    title: str | None = None
    heading: str | None = None
    text: str | None = None
    has: list[str] = []
    button: str = ""
    link: str = ""
    json_paths: dict[str, str] = Field(default={}, alias="json")
    waits: str = ""
    keep: str = ""


class PlaceShape(Shape):
    page: PageShape | None = None
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


class MoveShape(OnPage):
    origin: str | list[str] = Field(alias="from")
    to: str | list[str]
    send: str | None = None
    choose: str | None = None
    accepts_terms: bool = False
    cost: int = Field(default=1, ge=1)


class ConfirmShape(Shape):
    at: str
    send: str
    within: str
    origin: str = Field(default="here", alias="from")


class ShownShape(Shape):
    shows: str
    holds: str = "exactly"


class StepShape(OnPage):
    title: str = ""
    at: str | None = None
    send: str | list[str] | None = None
    do: list[DoShape] = []
    each: bool = False
    within: str | None = Field(default=None, alias="in")
    file: str = ""
    unless_at: str = ""
    through: list[str] = []
    replies: dict[str, str | DoShape | list[DoShape]] = {}
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
    after_device: str = ""
    hands: HandsShape | None = None
    also: StepShape | None = None
    change: StepShape | None = None
    tries: StepShape | None = None


class SummaryShape(Shape):
    at: str
    sections: str | None = None
    take: dict[str, str | TakeShape]
    yes: str | DoShape
    no: str | DoShape


class BeginShape(Shape):
    at: str
    send: str | DoShape


class InterviewShape(Shape):
    first: str
    begin: BeginShape | None = None
    again: str | DoShape = ""
    otherwise: dict[str, str | DoShape | list[DoShape]] = {}
    summary: SummaryShape | None = None
    ends: list[str] = []
    effect: str = "none"
    patience: str = "30 s"


class TakeShape(Shape):
    line: str | None = None
    table: str | None = None
    field: str | None = None
    fields: dict[str, str] | None = None
    row: str | None = None
    json_path: str | None = Field(default=None, alias="json")
    columns: dict[str, str] = {}
    value: str = "{{ value }}"
    under: str | None = None
    split: str | None = None


class ReadingShape(Shape):
    at: str
    ask: str | DoShape = ""
    startup: str | DoShape | None = None
    sections: str | None = None
    goes_on: str | None = None
    take: dict[str, str | TakeShape]


class BackupShape(Shape):
    at: str
    ask: str | DoShape
    suffix: str = ".txt"


class FileShape(Shape):
    """A file that is generated from the plan: what stands before and after the settings' own lines, and its way in."""

    named: str
    title: str = ""
    head: str = ""
    foot: str = ""
    line: str | None = None
    put: StepShape
    pulled: str
    ignores: list[str] = []
    complains: str | None = None


class ActiveCallShape(Shape):
    """What shows the calls that stand."""

    read: str
    shows: str


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
    answers_sip: bool = False
    ssh: SshShape = SshShape()
    panel: str = ""
    lights: dict[str, str] = {}
    buttons: dict[str, str] = {}


class DialogueShape(Shape):
    """How a family is spoken to, over one way in."""

    typing: Typing = Typing()
    pages: PagesShape | None = None
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
    files: dict[str, FileShape] = {}
    save: StepShape | list[StepShape] = []
    restart: StepShape | None = None
    backup: BackupShape | None = None
    active_call: ActiveCallShape | None = None
    restore: StepShape | None = None


class BookShape(CardShape, DialogueShape):
    """What a family with a dialogue adds to its card; `then` is the part that follows over the network."""

    then: DialogueShape | None = None


SHAPE_UNDER = {
    "places": PlaceShape,
    "moves": MoveShape,
    "settings": StepShape,
    "readings": ReadingShape,
    "save": StepShape,
    "prepare": StepShape,
    "interviews": InterviewShape,
    "restart": StepShape,
    "restore": StepShape,
    "files": FileShape,
    "then": DialogueShape,
    "typing": Typing,
    "pages": PagesShape,
    "factory": FactoryShape,
    "ssh": SshShape,
}
"""Which shape stands under a key of the book, for what was meant by a word that is none of its keys."""
