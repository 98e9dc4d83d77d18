"""The sections `places`, `moves` and `typing`: the map, and how its places look on a terminal."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import replace

from zinger.phrasebook.compile.pages import PagesSection
from zinger.phrasebook.compile.section import IDENTITIES, MOVE_NAMES, Path, Section
from zinger.phrasebook.map import TERMS, Act, AsksFor, Kind, Map, Move, Place
from zinger.phrasebook.shapes import BookShape, MoveShape, PlaceShape
from zinger.phrasebook.terminal import HALF_TYPED, NEVER, ChooseAct, PressAct, SendAct, Sign, Terminal
from zinger.phrasebook.words import WordsError


def _asks_password(place: Place | None) -> bool:
    return place is not None and place.asks_for is AsksFor.PASSWORD


class PlacesSection(Section):
    """The map of a book and its terminal."""

    def map_and_terminal(self, shape: BookShape) -> tuple[Map, Terminal]:
        """Both, compiled."""
        made = {name: self._place(name, p, shape) for name, p in shape.places.items()}
        places = {name: place for name, (place, _) in made.items()}
        signs = {name: sign for name, (_, sign) in made.items() if sign is not None}
        moves = [move for i, m in enumerate(shape.moves) for move in self._moves(i, m, places, signs)]
        return Map(places, tuple(moves)), self._terminal(shape, places, signs)

    # -- places ------------------------------------------------------------------------------------
    def _place(self, name: str, p: PlaceShape, shape: BookShape) -> tuple[Place, Sign | None]:
        path: Path = ["places", name]
        asks_for = self.word([*path, "asks_for"], "credential", p.asks_for, AsksFor) if p.asks_for else None
        if p.page is not None:
            return Place(name, Kind.PAGE, asks_for), None
        told = {"prompt": p.prompt, "asks": p.asks, "menu": p.menu, "pager": p.pager, "notice": p.notice}
        given = {key: source for key, source in told.items() if source is not None}
        if len(given) != 1:
            self.bad(path, f"a place has exactly one of page, {', '.join(told)}")
            return Place(name, Kind.QUESTION), Sign(NEVER)
        key, source = next(iter(given.items()))
        kind = Kind.QUESTION if key == "asks" else Kind(key)
        takes = self.maybe_regex([*path, "takes"], p.takes)
        return Place(name, kind, asks_for, takes), self._sign(path, key, source, kind, p, shape)

    def _sign(self, path: Path, key: str, source: str, kind: Kind, p: PlaceShape, shape: BookShape) -> Sign:
        tail = HALF_TYPED if kind is Kind.PROMPT else "$"
        if p.screen is not None and not shape.typing.screen:
            self.bad([*path, "screen"], "the family has no emulated screen; give typing: {screen: 80x24}")
        choices = self.maybe_regex([*path, "choices"], p.choices, re.MULTILINE)
        if choices is not None and not {"key", "text"} <= choices.groupindex.keys():
            self.bad([*path, "choices"], "the pattern needs groups named key and text")
        return Sign(
            self.regex([*path, key], source.removesuffix("$"), tail=tail),
            p.blind,
            kind is Kind.PROMPT or p.enter == "harmless",
            self.key([*path, "press"], p.press),
            self.key([*path, "leave"], p.leave),
            self.maybe_regex([*path, "screen"], p.screen, re.MULTILINE),
            choices,
        )

    # -- moves -------------------------------------------------------------------------------------
    def _moves(
        self, index: int, m: MoveShape, places: Mapping[str, Place], signs: Mapping[str, Sign]
    ) -> Iterator[Move]:
        """One for each place from which it leads; none to the very place where it begins."""
        origins = [m.origin] if isinstance(m.origin, str) else m.origin
        for origin in origins:
            if len(origins) == 1 or m.to != origin:
                yield self._move(["moves", index], origin, m, places, signs)

    def _move(
        self, path: Path, origin: str, m: MoveShape, places: Mapping[str, Place], signs: Mapping[str, Sign]
    ) -> Move:
        self.known_place(path, origin)
        outcomes = [m.to] if isinstance(m.to, str) else m.to
        if outcomes == ["prompts"]:
            outcomes = [name for name, place in places.items() if place.kind is Kind.PROMPT]
        for outcome in outcomes:
            self.known_place([*path, "to"], outcome)
        act = self._act(path, m, places.get(origin), all(_asks_password(places.get(name)) for name in outcomes))
        if m.choose is not None and origin in signs and signs[origin].choices is None:
            self.bad([*path, "choose"], f"{origin} has no choices; give the place a pattern for them")
        return Move(origin, tuple(outcomes), act, m.cost)

    def _act(self, path: Path, m: MoveShape, origin: Place | None, signs_in: bool) -> Act:
        """What makes the move; at a place that asks for a credential, that one is sent unless it says otherwise.

        `signs_in`: it leads to the question for a password, so that a command may name the account.
        """
        asks_for = origin.asks_for if origin else None
        pages = PagesSection(self.source, self.shape, self.problems)
        if origin is not None and origin.kind is Kind.PAGE:
            done = pages.act(path, m, MOVE_NAMES)
            return replace(done, sources=(*done.sources, f"{{{{ {TERMS} }}}}")) if m.accepts_terms else done
        if m.accepts_terms:
            self.bad([*path, "accepts_terms"], "terms are shown to a person on pages only")
        given = sum(how is not None for how in (m.send, m.press, m.choose))
        if given > 1 or (given == 0 and asks_for is None):
            self.bad(path, "a move has exactly one of send, press and choose")
        if m.press is not None:
            return PressAct(self.key([*path, "press"], m.press))
        key, source = ("choose", m.choose) if m.choose is not None else ("send", m.send)
        template = source if source is not None else f"{{{{ {asks_for.word if asks_for else 'user'} }}}}"
        self.template([*path, key], template, MOVE_NAMES)
        act = ChooseAct(template) if m.choose is not None else SendAct(template)
        credentials = [sent for sent in self._credentials(act) if not (signs_in and sent is AsksFor.USER)]
        if origin is not None and credentials and asks_for is None:
            self.bad(
                path,
                f"it sends the {credentials[0].value}, so say at the place {origin.name} that it is what "
                f"it asks_for: {credentials[0].value}",
            )
        return act

    def _credentials(self, act: SendAct | ChooseAct) -> list[AsksFor]:
        """The credentials that an act sends; a broken template, which is told already, sends none."""
        try:
            return [credential for credential in AsksFor if credential.word in act.uses]
        except WordsError:
            return []

    # -- typing ------------------------------------------------------------------------------------
    def _terminal(self, shape: BookShape, places: Mapping[str, Place], signs: Mapping[str, Sign]) -> Terminal:
        typing = shape.typing
        return Terminal(
            {name: place for name, place in places.items() if name in signs},
            signs,
            noise=self.any_of("noise", shape.noise),
            boot=self.any_of("boot", shape.boot, re.MULTILINE),
            refusals=tuple(self.patterns("refusals", shape.refusals)),
            warnings=tuple(self.patterns("warnings", shape.warnings)),
            identity_lines={what: self._identity_line(what, source) for what, source in shape.identity_lines.items()},
            enter=self.key(["typing", "enter"], typing.enter),
            cancel=self.key(["typing", "cancel"], typing.cancel),
            rub=self.key(["typing", "rub"], typing.rub),
            redraw=self.key(["typing", "redraw"], typing.redraw),
            wake=self.key(["typing", "wake"], typing.wake or typing.cancel),
            pace=typing.pace,
            ready=self.any_of("ready", shape.ready, re.MULTILINE),
            wraps=typing.wraps,
            longest_line=typing.longest_line,
            size=self._size(typing.screen),
        )

    def _size(self, text: str) -> tuple[int, int] | None:
        if not text:
            return None
        match = re.fullmatch(r"(\d{2,3})x(\d{1,3})", text)
        if match is None:
            self.bad(["typing", "screen"], f"{text!r} is not a size of a screen; write it like 80x24")
            return None
        return int(match[1]), int(match[2])

    def _identity_line(self, what: str, source: str) -> re.Pattern[str]:
        self.one_of(["identity_lines", what], "mark of a device", what, IDENTITIES)
        pattern = self.regex(["identity_lines", what], source, re.MULTILINE)
        if "value" not in pattern.groupindex:
            self.bad(["identity_lines", what], "the pattern has no group named value")
        return pattern
