"""Parts of the Plan screen: the tree of sites, the values with their origins, the address ladder, the findings."""

from __future__ import annotations

import itertools
from collections.abc import Hashable, Iterable, Mapping
from typing import Any

from rich.style import Style
from rich.text import Text
from textual.app import RenderResult

from zinger.plan.families import FamilyRules
from zinger.plan.ladder import Ladder, Use, ladder
from zinger.plan.model import Device, Plan, Site, Value
from zinger.plan.problems import Problem, Severity
from zinger.plan.settings import SECTIONS, SETTINGS
from zinger.plan.subjects.switching.settings import PORTS
from zinger.run.board import Board
from zinger.tui.look import BRASS, DIM, FAINT, GREEN, PAPER, ROSE, SLATE, VIOLET, first_fitting, fit, parts_fitting
from zinger.tui.parts import Headline, Watcher
from zinger.tui.rows import Rows
from zinger.wording import counted

MEND, THINK = ("◆", ROSE), ("◇", BRASS)
_PORT_MODES = {"access": SLATE, "trunk": VIOLET, "general": BRASS, "off": DIM}


NARROW = 60
"""Columns below which values and their origins have no room side by side."""
WHO = ("site", "subnet", "role", "family", "serial", "mac", "label", "location", "console", "fingerprint")
"""Who a device is, and its site's subnet: shown and edited beside its settings."""


def who(device: Device, name: str) -> str:
    """The text of one of these."""
    if name == "site":
        return device.site.name
    return str(device.site.subnet or "") if name == "subnet" else str(getattr(device, name))


def marks_of(plan: Plan) -> dict[str, Severity]:
    """The worst severity for each device that a problem of its own names; slips that many share count for none."""
    marks: dict[str, Severity] = {}
    for problem in plan.problems:
        if len(problem.devices) <= 4 or problem.severity is Severity.ERROR:
            for name in problem.devices:
                if marks.get(name) is not Severity.ERROR:
                    marks[name] = problem.severity
    return marks


def kinds_of(plan: Plan) -> dict[str, str]:
    """What is wrong with each device, in the words by which one filters: severities, and the checks' ids."""
    found: dict[str, dict[str, None]] = {}
    for problem in plan.problems:
        for name in problem.devices:
            found.setdefault(name, {}).update({problem.severity.value: None, problem.id: None})
    return {name: " ".join(words) for name, words in found.items()}


def problems_of(plan: Plan) -> dict[str, list[Problem]]:
    """The problems of each device."""
    found: dict[str, list[Problem]] = {}
    for problem in plan.problems:
        for name in problem.devices:
            found.setdefault(name, []).append(problem)
    return found


def mark(severity: Severity | None) -> Text:
    """The mark of a severity, or a blank."""
    sign, colour = {Severity.ERROR: MEND, Severity.WARNING: THINK, None: (" ", DIM)}[severity]
    return Text().append(sign, Style(color=colour, bold=severity is Severity.ERROR))


class PlanHeadline(Headline):
    """The headline with the errors and warnings, and whether everything is saved."""

    unsaved = 0

    def __init__(self, board: Board, title: str = "", detail: str = "") -> None:
        super().__init__(board, title, detail)
        self._tally = (0, 0, 0)

    def take(self, plan: Plan, unsaved: int) -> None:
        """Show this plan's counts."""
        self.unsaved = unsaved
        errors = sum(p.severity is Severity.ERROR for p in plan.problems)
        self._tally = (len(plan.devices), errors, len(plan.problems) - errors)
        self.look()

    def stamp(self) -> Hashable:
        return (self._tally, self.unsaved, self.board.pace, self.app.size)

    def _counts(self, short: bool) -> Text:
        devices, errors, warnings = self._tally
        text = Text().append(counted(devices, "device") if not short else f"{devices}", PAPER)
        text.append(f"   {counted(errors, 'error')}", Style(color=ROSE if errors else DIM, bold=bool(errors)))
        text.append(f"   {counted(warnings, 'warning')}", BRASS if warnings else DIM)
        saved = "saved" if not self.unsaved else f"{self.unsaved} not saved"
        return text.append(f"   {saved}", Style(color=VIOLET if self.unsaved else DIM, bold=bool(self.unsaved)))


class Tree(Rows):
    """The build sheet as a tree of sites; a site can be folded, devices can be chosen for a bulk edit."""

    def __init__(self) -> None:
        super().__init__(id="tree")
        self.plan: Plan | None = None
        self.wanted = ""
        self.folded: set[str] = set()
        self.chosen: set[str] = set()
        self._marks: dict[str, Severity] = {}
        self._items: list[tuple[str, Any]] = []
        self._groups: list[tuple[Site, list[str], list[tuple[str, Any]]]] = []
        self._version = 0
        self._name_width = self._family_width = self._last_width = 8
        self.titles: Mapping[str, str] = {}
        self._found: Mapping[str, str] = {}
        self._left: list[list[tuple[str, Any]]] = []
        self._states: Mapping[str, str] = {}

    def take(self, plan: Plan, titles: Mapping[str, str], states: Mapping[str, str]) -> None:
        """Show this plan, with the families' names for people, and how each device stands; the cursor stays there."""
        self.plan = plan
        self._marks = marks_of(plan)
        self._found, self._states = kinds_of(plan), states
        self.titles = titles
        self._family_width = max((len(titles.get(f, f)) for f in {d.family for d in plan.devices}), default=8)
        self._name_width = max((len(d.name) for d in plan.devices), default=8)
        self._last_width = max((len(self._last(d)) for d in plan.devices), default=4)
        self.at_site: dict[str, list[Device]] = {}
        for device in plan.devices:
            self.at_site.setdefault(device.site.key, []).append(device)
        sites = {site.key: site for site in plan.sites} | {
            key: devices[0].site for key, devices in self.at_site.items() if devices
        }
        self._groups = [
            (
                site,
                [self._words(d) for d in self.at_site.get(key, [])],
                [("device", d) for d in self.at_site.get(key, [])],
            )
            for key, site in sites.items()
        ]
        self._version += 1
        self.lay_out()

    def _words(self, d: Device) -> str:
        """What the filter looks at."""
        state = f"{self._found.get(d.name, '')} {self._states.get(d.name, '')}"
        family = self.titles.get(d.family, d.family)
        return f"{d.name} {family} {d.site.name} {d.role} {d.fixed or ''} {d.serial} {d.label} {state}".lower()

    def lay_out(self) -> None:
        """Work out which lines there are."""
        before = self.selected if self.cursor < len(self._items) else None
        words = self.wanted.lower().split()
        self._items, self._left = [], []
        for site, hay, devices in self._groups:
            group = devices
            for word in words:
                group = [item for text, item in zip(hay, devices, strict=True) if word in text]
                hay, devices = [text for text in hay if word in text], group
            if words and not group:
                continue
            if self._items:
                self._items.append(("blank", None))
            self._left.append(group)
            self._items.append(("site", (site, len(group))))
            if site.key not in self.folded:
                self._items += group
        self._version += 1
        self.cursor = self._find(before)
        if words and self.device is None:
            self.cursor = next((i for i, (kind, _) in enumerate(self._items) if kind == "device"), 0)
        self.redraw()

    def count(self) -> int:
        return len(self._items)

    def key(self, index: int) -> Any:
        kind, what = self._items[index]
        return f"site {what[0].key}" if kind == "site" else what.name if kind == "device" else None

    def select(self, key: Any) -> None:
        self._go(self._find(key))

    def _find(self, key: Any) -> int:
        """The line of a key; the present one when there is none."""
        if key is None:
            return self.cursor
        return next(
            (i for i, (kind, what) in enumerate(self._items) if kind == "device" and what.name == key),
            next(
                (i for i in range(len(self._items)) if self._items[i][0] == "site" and self.key(i) == key), self.cursor
            ),
        )

    def stamp(self, index: int) -> Hashable:
        kind, what = self._items[index]
        return (self._version, kind, kind == "device" and what.name in self.chosen)

    def draw(self, index: int, width: int) -> Text:
        kind, what = self._items[index]
        if kind == "blank":
            return Text()
        if kind == "site":
            site, number = what
            sign = "▸" if site.key in self.folded else "▾"
            text = Text(f"{sign} ", DIM).append(site.name, Style(color=PAPER, bold=True))
            net = str(site.subnet or "no subnet")
            told = first_fitting(width - text.cell_len - 2, f"{net}  {number}", net, str(number), "")
            return text.append(f"  {told}", DIM)
        return self._device(what, width)

    def _device(self, device: Device, width: int) -> Text:
        text = Text(" ").append_text(mark(self._marks.get(device.name)))
        text.append("▪" if device.name in self.chosen else " ", VIOLET)
        last = f"{self._last(device):>{self._last_width}}"
        room = width - 5 - len(last)
        name = min(self._name_width, max(12, room - self._family_width - 2)) + 1
        text.append(f"{fit(device.name, name - 1):<{name}}", Style(color=PAPER))
        family = room - name - 1
        title = self.titles.get(device.family, device.family)
        return text.append(f"{fit(title, family):<{family}} " if family > 3 else "", DIM).append(last, SLATE)

    @staticmethod
    def _last(device: Device) -> str:
        """The address, short when it is in the site's subnet."""
        if device.fixed is None:
            return "dhcp" if device.address and device.address.method == "dhcp" else "-"
        net = device.site.subnet
        text = str(device.fixed.ip)
        short = net is not None and net.version == 4 and net.prefixlen >= 24 and device.fixed.ip in net
        return f".{text.rsplit('.', 1)[1]}" if short else text

    @property
    def shown(self) -> frozenset[str]:
        """The names of the devices that the filter leaves, folded ones too."""
        return frozenset(device.name for group in self._left for _, device in group)

    @property
    def device(self) -> Device | None:
        """The device under the cursor."""
        _, what = self._items[self.cursor] if self.cursor < len(self._items) else ("", None)
        return what if isinstance(what, Device) else None

    @property
    def site(self) -> Site | None:
        """The site under the cursor, or that of the device there."""
        _, what = self._items[self.cursor] if self.cursor < len(self._items) else ("", None)
        if isinstance(what, Device):
            return what.site
        return what[0] if isinstance(what, tuple) else None

    def fold(self) -> None:
        """Fold or unfold the site under the cursor."""
        if self.site is not None:
            self.folded ^= {self.site.key}
            self.lay_out()

    def choose(self) -> None:
        """Take the device under the cursor into the selection, or out; on a site, all of it."""
        names = (
            {self.device.name}
            if self.device
            else {d.name for d in (self.at_site.get(self.site.key, []) if self.site else [])}
        )
        self.chosen = self.chosen - names if names <= self.chosen else self.chosen | names
        self.refresh()


class Values(Rows):
    """Who a device is, then its values, each with its origin; sections with nothing planned are left out."""

    def __init__(self) -> None:
        super().__init__(id="values")
        self.device: Device | None = None
        self.everything = False
        self.lit: dict[str, Severity] = {}
        self._items: list[tuple[str, str]] = []
        self._version = 0

    def show(self, device: Device | None, problems: Iterable[Problem], rules_have: Any = None) -> None:
        """Show a device with the marks of its problems."""
        self.device = device
        self.lit = {}
        for problem in problems:
            if problem.setting and self.lit.get(problem.setting) is not Severity.ERROR:
                self.lit[problem.setting] = problem.severity
        before = self.selected if self.cursor < len(self._items) else None
        self._items = [("section", "who it is"), *(("value", name) for name in WHO)] if device else []
        for section, names in SECTIONS.items():
            if device is None or (rules_have and not rules_have(section) and not self.everything):
                continue
            shown = [n for n in names if n in device.values or n in self.lit or self.everything]
            if shown:
                self._items += [("blank", "")] if self._items else []
                self._items += [("section", section), *(("value", n) for n in shown)]
        self._version += 1
        same = (i for i in range(len(self._items)) if before and self.key(i) == before)
        settings = (i for i in range(len(self._items)) if self.key(i) in SETTINGS)
        self.cursor = next(same, next(settings, 0))  # at first on its settings, which are looked at most
        self.redraw()
        self._scroll_to_cursor()

    def count(self) -> int:
        return len(self._items)

    def key(self, index: int) -> Any:
        kind, name = self._items[index]
        return name if kind == "value" else None

    def stamp(self, index: int) -> Hashable:
        return (self._version, self._items[index])

    def columns(self, width: int) -> tuple[int, int]:
        """Where values begin, and where origins do; where there is no room for both, origins give way."""
        titles = max((len(SETTINGS[name].title) for _, name in self._items if name in SETTINGS), default=0)
        value = max(15, min(titles + 4, 24 if width < NARROW else 30))
        return value, width if width < NARROW else max(value + 14, min(width - 20, value + int((width - value) * 0.58)))

    def draw(self, index: int, width: int) -> Text:
        kind, name = self._items[index]
        if kind == "section":
            return Text(f"{name}", Style(color=GREEN, bold=True))
        if kind == "blank" or self.device is None:
            return Text()
        at, origin = self.columns(width)
        if name in WHO:
            text = Text(f"  {name:<{at - 2}}", DIM)
            text.append(f"{fit(who(self.device, name) or '-', origin - at - 2):<{origin - at}}", PAPER)
            origin_words = "job.yaml" if name == "subnet" else f"sheet, row {self.device.spot.line}"
            return text.append(fit(origin_words, width - origin), DIM)
        setting, value = SETTINGS[name], self.device.values.get(name)
        text = mark(self.lit.get(name)).append(" ").append(f"{fit(setting.title, at - 3):<{at - 2}}", DIM)
        if value is None:
            return text.append("not planned", Style(color=FAINT if name not in self.lit else ROSE, italic=True))
        colour = {Severity.ERROR: ROSE, Severity.WARNING: BRASS, None: PAPER}[self.lit.get(name)]
        text.append(f"{fit(value.shown, origin - at - 2):<{origin - at}}", Style(color=colour))
        return text.append(fit(origin_of(value), width - origin), DIM)


def origin_of(value: Value) -> str:
    """Where a value comes from, and what it overrode, in words."""
    over = f"  (over {value.overrode[0][1].label})" if value.overrode else ""
    return f"{value.origin.label}{over}"


class Facts(Watcher):
    """Who the device is, its ports as a strip, and the full value under the cursor."""

    device: Device | None = None
    title = ""
    ports: tuple[str, ...] = ()
    setting: str | None = None

    def take(self, device: Device | None, rules: FamilyRules | None, setting: str | None) -> None:
        """Show a device, with what its family says of it."""
        self.device = device
        self.title, self.ports = (rules.title, rules.ports) if rules else ("", ())
        self.turn_to(setting)

    def turn_to(self, setting: str | None) -> None:
        """Show the full value of another setting."""
        self.setting = setting
        self.look()

    def stamp(self) -> Hashable:
        return (id(self.device), self.setting, self.size)

    def render(self) -> RenderResult:
        device = self.device
        if device is None:
            return Text("  no device here: + adds one, i brings in a sheet, j has the sites and the baseline", DIM)
        text = Text().append(f" {device.name}", Style(color=PAPER, bold=True))
        facts = (self.title, device.role, device.location, device.serial, device.mac, device.label)
        room = self.size.width - text.cell_len - 3
        text.append(f"  {parts_fitting(room, ' · '.join(f for f in facts if f))}\n", DIM)
        value = device.values.get(self.setting or "")
        if value is not None and value.overrode:
            show = value.setting.show
            others = ", ".join(f"{origin.label} said {show(was)}" for was, origin in value.overrode)
            return text.append(f" {fit(others, self.size.width - 2)}", DIM)
        if value is not None and self.size.width < NARROW:  # there, no column tells it
            return text.append(f" {value.shown}", PAPER).append(f"  {origin_of(value)}", DIM)
        if value is not None and len(value.shown) > self.size.width // 2:
            return text.append(f" {fit(value.shown, self.size.width - 2)}", PAPER)
        return text.append_text(self._strip(device))

    def _strip(self, device: Device) -> Text:
        planned = device[PORTS] or ()
        if not self.ports or not planned:
            return Text()
        of = {name: port for port in planned for name in port.ports}
        text = Text(" ports ", DIM)
        for name in self.ports[: max(0, self.size.width - 40)]:
            port = of.get(name)
            text.append("■" if port else "□", _PORT_MODES[port.mode] if port else FAINT)
        for mode in dict.fromkeys(p.mode for p in planned):
            text.append("  ■ ", _PORT_MODES[mode]).append(mode, DIM)
        return text


_USES = {
    Use.GATEWAY: ("▲", BRASS),
    Use.DEVICE: ("■", GREEN),
    Use.SERVER: ("●", SLATE),
    Use.POOL: ("▒", VIOLET),
    Use.CLASH: ("◆", ROSE),
    Use.RESERVED: ("-", DIM),
    Use.FREE: ("·", FAINT),
}
_WORTH = [Use.CLASH, Use.GATEWAY, Use.DEVICE, Use.SERVER, Use.POOL, Use.RESERVED, Use.FREE]


class LadderView(Watcher):
    """The subnet of a site as a strip: what is gateway, used, free, pool, clashing."""

    def __init__(self) -> None:
        super().__init__(id="ladder")
        self._ladder: Ladder | None = None
        self._devices: list[Device] = []
        self._site: Site | None = None
        self._here: int | None = None

    def take(self, devices: list[Device], site: Site | None, device: Device | None) -> None:
        """Show a site's subnet with its devices, and the place of one of them in it."""
        if devices is not self._devices or site is not self._site:
            self._ladder = ladder(devices, site) if site else None
        self._site, self._devices = site, devices
        self._here = int(device.fixed.ip) if device and device.fixed else None
        self.look()

    def stamp(self) -> Hashable:
        return (id(self._ladder), self._here, self.size)

    def render(self) -> RenderResult:
        shown, site = self._ladder, self._site
        if site is None or shown is None:
            return Text.assemble((" addresses", Style(color=SLATE, bold=True)), (" · no subnet to draw", DIM))
        told = (Use.DEVICE, Use.SERVER, Use.POOL, Use.RESERVED, Use.CLASH, Use.FREE)
        used = [(use, shown.count(use)) for use in told]
        counts = " · ".join(f"{number} {_words(use, number)}" for use, number in used if number)
        text = Text().append(" addresses", Style(color=SLATE, bold=True))
        text.append(parts_fitting(self.size.width - 12, f" · {site.name} {shown.net} · {counts}") + "\n", DIM)
        text.append_text(self._strip(shown))
        return text.append("\n").append_text(self._legend(shown))

    def _strip(self, shown: Ladder) -> Text:
        first, total = int(shown.net.network_address), shown.net.num_addresses
        room = max(16, self.size.width - 12)
        each = max(1, -(-total // room))
        head = str(shown.net.network_address).rsplit(".", 1)[-1] if shown.net.version == 4 else ":"
        text = Text(f" .{head:<3} ", DIM)
        cells = []
        for start in range(0, total, each):
            kinds = {shown.use(first + n) for n in range(start, min(start + each, total))} if shown.uses else {Use.FREE}
            here = self._here is not None and start <= self._here - first < start + each
            cells.append((next(u for u in _WORTH if u in kinds), here))
        for (use, here), run in itertools.groupby(cells):
            sign, colour = _USES[use]
            text.append(sign * len(list(run)), Style(color=colour, reverse=here, bold=use is Use.CLASH))
        last = str(shown.net.broadcast_address).rsplit(".", 1)[-1] if shown.net.version == 4 else ""
        return text.append(f" .{last}", DIM)

    def _legend(self, shown: Ladder) -> Text:
        text = Text("      ")
        for use, (sign, colour) in _USES.items():
            if shown.count(use):
                text.append(f"{sign} ", colour).append(f"{_words(use, 1)}   ", DIM)
        if self._here is not None and self._here in shown.uses:
            text.append(" ▒ ".replace("▒", "█"), PAPER).append("this device", DIM)
        return text


def _words(use: Use, number: int) -> str:
    plural = {Use.DEVICE: "devices", Use.SERVER: "servers", Use.POOL: "in a pool", Use.CLASH: "clashing"}
    single = {Use.POOL: "DHCP pool", Use.CLASH: "clash"}
    return plural.get(use, use.value) if number > 1 or use is Use.CLASH else single.get(use, use.value)
