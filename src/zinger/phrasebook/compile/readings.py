"""The section `readings`: what is asked, and how facts are taken from the answer."""

from __future__ import annotations

import re

from zinger.phrasebook.book import Backup, Reading, Take, is_pattern
from zinger.phrasebook.compile.pages import PagesSection
from zinger.phrasebook.compile.section import Path, Section
from zinger.phrasebook.map import Deed
from zinger.phrasebook.pages import Open
from zinger.phrasebook.shapes import BackupShape, DoShape, ReadingShape, TakeShape
from zinger.phrasebook.terminal import typed
from zinger.phrasebook.words import leads_to


class ReadingsSection(Section):
    """The readings of a book."""

    def reading(self, name: str, r: ReadingShape) -> Reading:
        """One reading."""
        path: Path = ["readings", name]
        self.known_place([*path, "at"], r.at)
        take = {fact: self.take([*path, "take"], fact, t) for fact, t in r.take.items()}
        sections = self.maybe_regex([*path, "sections"], r.sections)
        if sections is None and any(t.under for t in take.values()):
            self.bad(path, "'under' needs the pattern of lines that head a section; give sections")
        ask, to = self._asked(path, "ask", r.ask)
        startup = self._asked(path, "startup", r.startup)[0] if r.startup is not None else None
        goes_on = self.maybe_regex([*path, "goes_on"], r.goes_on)
        return Reading(name, r.at, ask, startup, take, sections, to or r.at, goes_on)

    def backup(self, b: BackupShape) -> Backup:
        """How the configuration is fetched."""
        self.known_place(["backup", "at"], b.at)
        if not re.fullmatch(r"\.[A-Za-z0-9.]{1,12}", b.suffix):
            self.bad(["backup", "suffix"], f"{b.suffix!r} is not the end of a file's name, such as .txt")
        ask, to = self._asked(["backup"], "ask", b.ask)
        return Backup(Reading("backup", b.at, ask, None, {}, None, to or b.at), b.suffix)

    def _asked(self, path: Path, key: str, text: str | DoShape) -> tuple[Deed, str]:
        """What is asked, and the place at which its answer ends if that is another; a page is opened anew."""
        if isinstance(text, DoShape):
            if text.to is not None:
                self.known_place([*path, key, "to"], text.to)
            act = PagesSection(self.source, self.shape, self.problems).act([*path, key], text, frozenset())
            return act.fill({}, {}), text.to or ""
        if not text:
            return Open(), ""
        self.template([*path, key], text, frozenset())
        to = next(iter(leads_to(text)), "")
        if to:
            self.known_place([*path, key], to)
            text = text.rpartition("~>")[0].rstrip()
        return typed(text), to

    def take(self, path: Path, fact: str, t: str | TakeShape) -> Take:
        """How one fact is taken."""
        path = [*path, fact]
        shape = TakeShape(line=t) if isinstance(t, str) else t
        page = {key: what for key, what in _on_page(shape).items() if what is not None}
        if len(page) > 1 or (not page and (shape.line is None) == (shape.table is None)):
            self.bad(path, f"a fact is taken from exactly one of line, table, {', '.join(_on_page(shape))}")
        pattern = self.regex(path, shape.line or shape.table or ("(?P<value>.*)" if page else ""))
        under = self.maybe_regex([*path, "under"], shape.under)
        names = frozenset(shape.columns) if shape.table is not None else frozenset(pattern.groupindex)
        names |= frozenset(shape.columns) | frozenset(shape.fields or ()) if page else frozenset()
        if shape.field is not None:  # it may be a pattern of the names of several
            names |= _groups(shape.field)
        names |= frozenset(under.groupindex) if under else frozenset()
        if shape.table is not None and not shape.columns:
            self.bad(path, "a table needs columns: a name for each, and the heading that stands over it")
        if shape.value == "{{ value }}" and "value" not in names:
            self.bad(path, "the pattern has no group named value")
        else:
            self.template([*path, "value"], shape.value, names)
        split = self.maybe_regex([*path, "split"], shape.split)
        source, called = next(iter(page.items()), ("", ""))
        return Take(fact, pattern, shape.value, under, shape.fields or shape.columns, split, source, called)


def _on_page(shape: TakeShape) -> dict[str, str | None]:
    fields = ", ".join(shape.fields) if shape.fields is not None else None
    return {"field": shape.field, "fields": fields, "row": shape.row, "json": shape.json_path}


def _groups(called: str) -> frozenset[str]:
    """The named groups of what may be a pattern, and may be a label with a bracket in it."""
    return frozenset(re.compile(called).groupindex) if is_pattern(called) else frozenset()
