"""What every family's file says: its factory facts, its limits, its front."""

from __future__ import annotations

import re

from zinger.phrasebook.book import Card, Factory, Press, Ssh
from zinger.phrasebook.compile.section import Section
from zinger.phrasebook.shapes import BookShape
from zinger.phrasebook.steps import ByHand
from zinger.plan.families import COUNTED, ROLE_SECTIONS, FamilyRules
from zinger.plan.ranged import in_ranges
from zinger.plan.settings import SETTINGS
from zinger.plan.values.addresses import parse_interface
from zinger.plan.values.ports import parse_ports
from zinger.wording import did_you_mean


class CardSection(Section):
    """The card of a family."""

    def card(self) -> Card:
        """The compiled card."""
        shape = self.shape
        return Card(
            shape.family,
            shape.title,
            shape.kind,
            self._factory(),
            self._rules(),
            shape.panel.rstrip("\n"),
            tuple(shape.lights.items()),
            tuple(shape.buttons.items()),
            Ssh(shape.ssh.port, shape.ssh.old),
            shape.answers_sip,
        )

    def _factory(self) -> Factory:
        f = self.shape.factory
        return Factory(
            f.console,
            f.address,
            f.sign_in.user,
            f.sign_in.password,
            self.duration(["factory", "boots_in"], f.boots_in),
            f.reach,
            f.only_while,
            f.first,
            f.sign_in.on_label,
            f.network,
            f.before,
            f.light,
            self._press(),
            ByHand(f.clean.do, f.clean.see) if f.clean else None,
            f.hands_out,
            f.link_local,
            f.certificate,
        )

    def _press(self) -> Press | None:
        press = self.shape.factory.press
        if press is None:
            return None
        within = self.duration(["factory", "press", "within"], press.within) if press.within else 0.0
        return Press(press.do, press.see, within)

    def _range(self, name: str, text: str) -> tuple[str, int, int] | None:
        """A range as it is written, `16-131072`, of a setting or a part of one."""
        path: list[str | int] = ["limits", "ranges", name]
        try:
            in_ranges(name)
        except KeyError:
            self.bad(path, f"{name!r} has no number of which a family takes a range")
            return None
        found = re.fullmatch(r"\s*(\d{1,9})\s*-\s*(\d{1,9})\s*", text)
        if found is None or int(found[1]) > int(found[2]):
            self.bad(path, f"{text!r} is not a range; write it like 16-131072")
            return None
        return name, int(found[1]), int(found[2])

    def _rules(self) -> FamilyRules:
        shape = self.shape
        host, password = shape.limits.hostname, shape.limits.password
        self.regex(["limits", "hostname", "of"], host.of)
        factory = self.parsed(["factory", "address"], parse_interface, shape.factory.address)
        ports = self.parsed(["ports"], parse_ports, shape.ports)
        for section in shape.takes:
            if section not in ROLE_SECTIONS:
                self.bad(["takes"], f"no section is called {section!r}{did_you_mean(section, ROLE_SECTIONS)}")
        for name in shape.not_for_this_kind:
            self.one_of(["not_for_this_kind"], "setting", name, SETTINGS)
        for name in shape.limits.most:
            self.one_of(["limits", "most", name], "setting that is counted", name, COUNTED)
        ranges = [self._range(name, text) for name, text in shape.limits.ranges.items()]
        steps = shape.settings if isinstance(shape, BookShape) else {}
        if isinstance(shape, BookShape) and shape.then is not None:
            steps = {**steps, **shape.then.settings}
        return FamilyRules(
            shape.family,
            shape.title,
            host.longest,
            host.of,
            password.shortest,
            password.longest,
            tuple(password.classes),
            tuple(shape.takes),
            ports or (),
            factory,
            bool(shape.factory.console),
            tuple(shape.proved_over),
            isinstance(shape, BookShape),
            tuple(shape.limits.most.items()),
            tuple(filter(None, ranges)),
            frozenset(shape.not_for_this_kind),
            frozenset(steps),
            frozenset(name for name, step in steps.items() if step.read is not None),
        )
