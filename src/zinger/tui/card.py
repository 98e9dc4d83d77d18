"""Factory card: how a family comes out of its box, and what to do to reach it."""

from __future__ import annotations

import re
from typing import ClassVar

from rich.style import Style
from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Horizontal, VerticalScroll
from textual.widgets import Static

from zinger.desk.firstcontact import LaptopPlan, laptop_plan, own_ports
from zinger.phrasebook.book import Card, Press
from zinger.tui.footer import KeysFooter
from zinger.tui.look import BRASS, DIM, FAINT, GREEN, INK, PAPER, ROSE, SLATE, VIOLET, minutes
from zinger.tui.parts import COMMON, Headline, ZingerScreen

_LIGHTS = {"green": GREEN, "amber": BRASS, "red": ROSE, "blue": SLATE}


_CORNERS = {".": "╭╮", "'": "╰╯"}


def _framed(line: str) -> str:
    """The line with a drawn border in place of one made of points and dashes."""
    bare = line.strip()
    if bare[:1] in _CORNERS and bare[-1:] == bare[:1] and set(bare[1:-1]) == {"-"}:
        left, right = tuple(_CORNERS[bare[0]])
        return line.replace(bare, left + "─" * (len(bare) - 2) + right)
    return line.replace("|", "│")


def _even(lines: list[str]) -> list[str]:
    """The rows of one box, all as wide as the widest; other drawings as they are."""
    if not all(line[:1] in ".|'" and line[-1:] == line[:1] for line in lines):
        return lines
    width = max(map(len, lines), default=0)
    fill = {"|": " ", ".": "-", "'": "-"}
    return [line[:-1] + fill[line[0]] * (width - len(line)) + line[-1] if line else line for line in lines]


def panel(card: Card) -> Text:
    """The front in characters; what is to be used stands out, other ports and buttons are quiet."""
    text = Text()
    for line in _even(card.panel.splitlines()):
        text.append("  ")
        for piece in re.split(r"(\{[^}]*\}|\[=*\]|\(\)|\bo\b|│)", _framed(line)):
            if piece.startswith("{"):
                text.append(f"{piece[1:-1]}", Style(color=INK, bgcolor=BRASS, bold=True)).append("  ")
            else:
                frame = not piece.strip(" ─│╭╮╰╯")
                text.append(piece, Style(color=GREEN if piece == "o" else FAINT if frame else DIM))
        text.append("\n")
    return text


def facts(card: Card) -> Text:
    """What people look up, one line each."""
    factory = card.factory
    login = f"{factory.user or '(no name)'}  {factory.password or '(no password)'}"
    if factory.on_label:
        login = f"{factory.user or '(no name)'}, the password is printed on the label"
    elif not factory.user and not factory.password:
        login = "none: it asks its questions at once"
    boots = int(factory.boots_in)
    lines = [
        ("before", factory.before),
        ("reach", factory.reach),
        ("light", factory.light),
        ("press", _pressed(factory.press)),
        ("or", "at the link-local address that it makes of its MAC (fe80::…)" if factory.link_local else ""),
        ("reset", factory.clean.do if factory.clean else ""),
        ("laptop", "on DHCP: it hands out the address" if factory.hands_out else ""),
        ("certificate", f"compare its fingerprint: {factory.certificate}" if factory.certificate else ""),
        ("console", factory.console or "none"),
        ("address", f"{factory.address or 'none'}" + (f", while {factory.only_while}" if factory.only_while else "")),
        ("sign in", login),
        ("boots in", f"{boots // 60} min {boots % 60:02} s" if boots >= 120 else f"{boots} s"),
        ("first", factory.first),
    ]
    return _table([line for line in lines if line[1]], 12)


def _pressed(press: Press | None) -> str:
    if press is None:
        return ""
    within = f" within {minutes(press.within)} of power-on" if press.within else ""
    return f"{press.do}{within}" + (f"; {press.see}" if press.see else "")


def _table(lines: list[tuple[str, str]], width: int) -> Text:
    text = Text()
    for word, what in lines:
        text.append(f"  {word:<{width}}", DIM).append(f"{what}\n", PAPER)
    return text


def lights(card: Card) -> Text:
    """Lights with their meaning, each in its own colour."""
    text = Text()
    width = max((len(light) for light, _ in card.lights), default=0) + 1
    for light, meaning in card.lights:
        colour = next((c for word, c in _LIGHTS.items() if word in light), DIM)
        sign = "◌" if "blink" in light or "slow" in light else "●"
        text.append(f"  {sign} ", colour).append(f"{light:<{width}} ", DIM).append(f"{meaning}\n", PAPER)
    return text


def buttons(card: Card) -> Text:
    """Buttons: how long each is pressed, and what that does."""
    text = Text()
    width = max((len(press) for press, _ in card.buttons), default=0) + 1
    for press, effect in card.buttons:
        text.append("  ▭ ", VIOLET).append(f"{press:<{width}} ", DIM).append(f"{effect}\n", PAPER)
    return text


def laptop(plan: LaptopPlan | None) -> Text:
    """The laptop's address and the commands, which are shown and never run."""
    if plan is None:
        return Text("  it has no address out of the box; nothing to set on the laptop\n", PAPER)
    text = Text()
    if plan.already:
        text.append(f"  {plan.already}, in the same subnet; nothing more to set\n", GREEN)
    if plan.address is None:
        return text.append("  its subnet has no free address for the laptop\n", ROSE)
    text.append("  give the laptop ", PAPER)
    text.append(f" {plan.address} ", Style(color=INK, bgcolor=VIOLET, bold=True))
    text.append("  free of the device, of gateways, of the plan and of what this machine has\n\n", DIM)
    for system, put, back in plan.commands:
        text.append(f"  {system:<9}", DIM).append(f"{put}\n", PAPER)
        text.append(f"  {'back':<9}", DIM).append(f"{back}\n", SLATE)
    return text


def _titled(title: str, part: Text) -> Text:
    if not part:
        return Text()
    return Text().append(f" {title}\n", Style(color=GREEN, bold=True)).append_text(part).append("\n")


class CardScreen(ZingerScreen):
    """One family's factory card; `[` and `]` go through the families of the job."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("right_square_bracket", "turn(1)", "next family"),
        Binding("left_square_bracket", "turn(-1)", "previous family"),
        *COMMON,
    ]

    def __init__(self, family: str) -> None:
        super().__init__()
        self.family = family

    def compose(self) -> ComposeResult:
        yield Headline(self.host.job.board, "factory card")
        with VerticalScroll(id="card"):
            yield Static(id="card-head")
            with Horizontal(id="card-top"):
                yield Static(id="card-panel")
                yield Static(id="card-signs")
            yield Static(id="card-body")
        yield KeysFooter()

    def on_mount(self) -> None:
        self._show()
        super().on_mount()

    def on_resize(self) -> None:
        self._show()

    def _show(self) -> None:
        card = self.host.job.families[self.family]
        plan = laptop_plan(card, self.host.job.plan, own_ports())
        spoken = self.family in self.host.job.books
        head = Text().append(f" {card.title}", Style(color=PAPER, bold=True)).append(f"  {card.kind}", DIM)
        head.append("\n" if spoken else "   no phrasebook yet: planned and checked only\n", BRASS)
        signs = _titled("lights", lights(card)).append_text(_titled("buttons", buttons(card)))
        body = _titled("first contact", facts(card)).append_text(_titled("laptop", laptop(plan)))
        if plan is not None and plan.address is not None:
            body.append("  Zinger shows these commands and never runs them; the port's name may differ.", DIM)
        wide = self.app.size.width >= 130
        self.query_one("#card-head", Static).update(head)
        self.query_one("#card-panel", Static).update(panel(card))
        self.query_one("#card-signs", Static).update(signs if wide else Text())
        self.query_one("#card-signs").display = wide
        self.query_one("#card-body", Static).update(body if wide else signs.append_text(body))
        self.headline().detail = card.title
        self.headline().refresh()

    def follow(self) -> None:
        self.headline().look()

    def action_turn(self, by: int) -> None:
        """The next family of the job."""
        used = list(dict.fromkeys(d.family for d in self.host.job.plan.devices if d.family in self.host.job.families))
        if self.family in used and len(used) > 1:
            self.family = used[(used.index(self.family) + by) % len(used)]
            self._show()
            self.query_one("#card").scroll_home(animate=False)
