"""Bringing somebody's sheet into a job, and taking the plan out again.

An import is a proposal first: which tables, what each heading means, which cells can't be read. Confirmed, it
becomes rows under the sheet's own headings, values written in one way; columns that mean nothing to us stay. A job that
has devices already keeps them: those that are found again (by hostname, serial number or MAC) are brought up to
date, new ones are added, and what was not in the new sheet is told.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from zinger.plan.files.documents import table_to_csv
from zinger.plan.files.headings import IDENTITY, WHO_PARSERS, Match, heading_for, match_headings, meaning_of
from zinger.plan.files.sheets import Table, read_tables
from zinger.plan.files.yamlfile import UnreadableError
from zinger.plan.model import Plan
from zinger.plan.problems import Problem, Spot, error_at
from zinger.plan.settings import SETTINGS
from zinger.plan.values.addresses import parse_interface, with_mask
from zinger.plan.values.bad import BadValue


@dataclass(frozen=True)
class Part:
    """One table of the sheet with the proposal for its headings; `site` when its name stands for a site."""

    table: Table
    matches: tuple[Match, ...]
    site: str = ""

    @property
    def unsure(self) -> list[Match]:
        """What somebody should confirm."""
        return [m for m in self.matches if not m.sure]


@dataclass(frozen=True)
class Proposal:
    """What an import would take from a file; `filled` counts blank site cells that take the one above."""

    file: str
    parts: tuple[Part, ...]
    left_out: tuple[str, ...] = ()
    filled: int = 0

    @property
    def devices(self) -> int:
        """How many rows there are."""
        return sum(len(part.table.rows) for part in self.parts)

    @property
    def matches(self) -> dict[str, Match]:
        """Every heading once, with what it is taken to mean."""
        found: dict[str, Match] = {}
        for part in self.parts:
            for match in part.matches:
                found.setdefault(match.heading, match)
        return found

    def decide(self, heading: str, meaning: str) -> Proposal:
        """The proposal with one heading decided by a person; nothing for a heading that is only kept.

        Raises ValueError for a meaning that does not exist.
        """
        if meaning and meaning not in SETTINGS and meaning not in IDENTITY:
            raise ValueError(f"nothing is called {meaning!r}; give a setting or one of {', '.join(IDENTITY)}")
        if heading not in self.matches:
            raise ValueError(f"the sheet has no heading {heading!r}; it has {', '.join(self.matches)}")
        parts = []
        for part in self.parts:
            matches = tuple(
                Match(m.heading, meaning, "decided by you")
                if m.heading == heading
                else Match(m.heading, "", "kept as it is")
                if meaning and m.meaning == meaning
                else m
                for m in part.matches
            )
            parts.append(replace(part, matches=matches))
        return replace(self, parts=tuple(parts))

    def remembered(self) -> dict[str, str]:
        """What the job must remember, so that the same headings need no second question."""
        return {h: m.meaning for h, m in self.matches.items() if h and m.meaning != meaning_of(h, {})}


def propose(data: bytes, file: str, remembered: Mapping[str, str], sheet: str = "") -> Proposal:
    """Look at a file; raises UnreadableError when it holds nothing that could be devices."""
    tables = read_tables(data, file)
    if sheet:
        named = [t for t in tables if t.name.lower() == sheet.lower()]
        if not named:
            raise UnreadableError(
                Spot(file), f"it has no sheet {sheet!r}", f"Give one of {', '.join(t.name for t in tables) or '(none)'}"
            )
        tables = named
    parts: list[Part] = []
    left_out: list[str] = []
    filled = 0
    for table in tables:
        matches = match_headings(table.headings, [table.column(i) for i in range(len(table.headings))], remembered)
        means = {m.meaning for m in matches}
        if not means & {"hostname", "serial", "mac", "management.address"} or not table.rows:
            left_out.append(table.name or file)
            continue
        if "site" in means:
            table, more = _fill_down(table, [m.meaning for m in matches].index("site"))
            filled += more
        parts.append(Part(table, tuple(matches), "" if "site" in means or not table.name else table.name))
    if not parts:
        raise UnreadableError(
            Spot(file),
            "no sheet has a column for hostname, serial number, MAC or address",
            "Look at the headings: they must stand in one row above the devices",
        )
    return Proposal(file, tuple(parts), tuple(left_out), filled)


def _fill_down(table: Table, at: int) -> tuple[Table, int]:
    """Blank site cells below a filled one take it, as people leave them out for the eye."""
    rows, above, count = [], "", 0
    for number, cells in table.rows:
        here = cells[at] if at < len(cells) else ""
        if here == "" and above:
            cells = (*cells[:at], above, *cells[at + 1 :])
            count += 1
        above = here or above
        rows.append((number, cells))
    return replace(table, rows=tuple(rows)), count


@dataclass(frozen=True)
class Imported:
    """A sheet as it goes into the job: headings, and rows of text; with what could not be read."""

    headings: tuple[str, ...]
    means: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    spots: tuple[Spot, ...]
    problems: tuple[Problem, ...] = ()

    def to_csv(self) -> bytes:
        """The rows as CSV."""
        return table_to_csv(self.headings, self.rows)


def take(proposal: Proposal) -> Imported:
    """Read every cell by what its heading means; cells that can't be read stay as they are, and are told.

    What several sheets say under different headings becomes one column, under the first of them.
    """
    columns: dict[str, str] = {}
    if any(part.site for part in proposal.parts):
        columns["site"] = "site"
    for part in proposal.parts:
        for match in part.matches:
            if match.heading and not (match.meaning == "mask" and _has_addresses(part)):
                columns.setdefault(match.meaning or f"={match.heading}", match.heading)
    rows: list[tuple[str, ...]] = []
    spots: list[Spot] = []
    problems = [p for part in proposal.parts for p in part.table.problems]
    for part in proposal.parts:
        keys = [m.meaning or f"={m.heading}" for m in part.matches]
        masked = [keys.index(key) for key in ("management.address", "mask")] if _has_addresses(part) else []
        for number, cells in part.table.rows:
            row = {"site": part.site} if part.site else {}
            if masked and max(masked) < len(cells):
                cells, problem = _with_its_mask(part.table, number, cells, *masked)
                problems += [problem] if problem else []
            for index, (key, cell) in enumerate(zip(keys, cells, strict=False)):
                if key != "=" and cell != "":
                    row[key], problem = _written(part.matches[index].meaning, cell, part.table, number, index)
                    problems += [problem] if problem else []
            rows.append(tuple(row.get(key, "") for key in columns))
            spots.append(part.table.spot(number))
    means = tuple("" if key.startswith("=") else key for key in columns)
    return Imported(tuple(columns.values()), means, tuple(rows), tuple(spots), tuple(problems))


def _has_addresses(part: Part) -> bool:
    """Whether a table has a column of masks for one of management addresses."""
    return {"mask", "management.address"} <= {match.meaning for match in part.matches}


def _with_its_mask(
    table: Table, row: int, cells: tuple[Any, ...], address: int, mask: int
) -> tuple[tuple[Any, ...], Problem | None]:
    """A row's cells, the mask taken into the address, or as they are with the problem."""
    problem = None
    if cells[mask] != "":
        try:
            if cells[address] == "":
                raise BadValue(f"a mask {cells[mask]} stands without an address", "give the address, or empty the cell")
            cells = (*cells[:address], with_mask(cells[address], cells[mask]), *cells[address + 1 :])
        except BadValue as error:
            spot = table.spot(row, mask)
            problem = error_at("cell-form", spot, error.what, error.repair, setting="management.address")
    return cells, problem


def _written(meaning: str, cell: Any, table: Table, row: int, index: int) -> tuple[str, Problem | None]:
    """The text of a cell in the one way in which Zinger writes it, or as it is with the problem."""
    try:
        if meaning in WHO_PARSERS:
            return WHO_PARSERS[meaning](cell), None
        if meaning in SETTINGS:
            setting = SETTINGS[meaning]
            return setting.text(setting.parse(cell)), None
    except BadValue as error:
        spot = table.spot(row, index)
        return _as_text(cell), error_at("cell-form", spot, error.what, error.repair, setting=meaning)
    return _as_text(cell), None


def _as_text(cell: Any) -> str:
    return "; ".join(_as_text(c) for c in cell) if isinstance(cell, list) else str(cell)


@dataclass
class Merged:
    """An import laid over a job's own sheet: the new table, and what that changes, in words."""

    headings: list[str]
    rows: list[list[str]]
    added: list[str] = field(default_factory=list)
    changed: list[str] = field(default_factory=list)
    same: int = 0
    missing: list[str] = field(default_factory=list)

    def to_csv(self) -> bytes:
        """The table as CSV."""
        return table_to_csv(self.headings, self.rows)


_WHO = ("hostname", "serial", "mac")


def merge(own: Table, own_columns: Mapping[str, str], new: Imported) -> Merged:
    """Lay an import over the devices that a job has."""
    means = [meaning_of(h, own_columns) for h in own.headings]
    merged = Merged(
        list(own.headings), [[str(c) for c in cells] + [""] * (len(own.headings) - len(cells)) for _, cells in own.rows]
    )
    place: dict[str, int] = {}
    for heading, meaning in zip(new.headings, new.means, strict=True):
        at = (
            means.index(meaning)
            if meaning in means and meaning
            else (merged.headings.index(heading) if heading in merged.headings else None)
        )
        if at is None:
            merged.headings.append(heading)
            means.append(meaning)
            at = len(means) - 1
        place[heading] = at
    for row in merged.rows:
        row += [""] * (len(merged.headings) - len(row))
    _lay_over(merged, means, place, new)
    return merged


def _lay_over(merged: Merged, means: list[str], place: Mapping[str, int], new: Imported) -> None:
    known = {
        (key, row[means.index(key)].lower()): row
        for key in _WHO
        if key in means
        for row in merged.rows
        if row[means.index(key)]
    }
    found: list[list[str]] = []
    for cells in new.rows:
        who = {m: c for m, c in zip(new.means, cells, strict=True) if m in _WHO and c}
        keys = [(key, text.lower()) for key, text in who.items()]
        row = next((known[key] for key in keys if key in known), None)
        name = next(iter(who.values()), "a device without a name")
        if row is None:
            row = [""] * len(merged.headings)
            merged.rows.append(row)
            merged.added.append(name)
            _put(row, place, new, cells)
            continue
        found.append(row)
        differences = _put(row, place, new, cells)
        if differences:
            merged.changed.append(f"{name}: {'; '.join(differences)}")
        else:
            merged.same += 1
    at = means.index("hostname") if "hostname" in means else 0
    before = merged.rows[: len(merged.rows) - len(merged.added)]
    merged.missing = [row[at] or "a device without a name" for row in before if not any(row is f for f in found)]


def _put(row: list[str], place: Mapping[str, int], new: Imported, cells: Sequence[str]) -> list[str]:
    """Write what the new row says; what it leaves empty stays. Returns the differences in words."""
    differences = []
    for heading, text in zip(new.headings, cells, strict=True):
        at = place[heading]
        if text and row[at] != text:
            differences.append(f"{heading} {row[at] or '(empty)'} -> {text}")
            row[at] = text
    return differences


_NOTHING = "''"
_WORDS_OF_YAML = ("yes", "no", "on", "off", "true", "false", "null")
_BEGINNING = """\
mode: practice            # or live

baseline:                 # what all devices share; `zinger check` says what is missing
  accounts:
    administrator: {name: netadmin, secret: each device}
  services: {ssh: on, telnet: off, http: off}
  # dns: {servers: [10.44.8.20, 10.44.8.21]}
  # ntp: {servers: [10.44.8.22, 10.44.8.23]}
  # management: {stations: [10.44.0.0/16]}

"""


# -- a new job -----------------------------------------------------------------------------------------
def job_text(title: str, imported: Imported, remembered: Mapping[str, str]) -> str:
    """A job.yaml to begin with: the sites, roles and headings of a sheet, and the baseline still to be said."""
    sites = _listed(imported, "site")
    roles = _listed(imported, "role")
    lines = [f"job: {_quoted(title)}", *_BEGINNING.splitlines(), "sites:"]
    for key, name in sites.items():
        net = _subnet(imported, name)
        subnet = f", subnet: {net}}}" if net else "}     # subnet: 10.44.8.0/24"
        lines.append(f"  {key}: {{name: {_quoted(name)}{subnet}")
    lines += [] if sites else ["  # wj: {name: Wheal Junction, subnet: 10.44.8.0/24}"]
    if roles:
        lines += ["", "roles:", *(f"  {_quoted(name)}: {{}}" for name in roles.values())]
    if remembered:
        lines += ["", "columns:                  # what the headings of the sheet mean; nothing: kept as they are"]
        lines += [f"  {_quoted(heading)}: {meaning or _NOTHING}" for heading, meaning in remembered.items()]
    return "\n".join(lines) + "\n"


def _listed(imported: Imported, meaning: str) -> dict[str, str]:
    """The different values of a column, each with a short key."""
    if meaning not in imported.means:
        return {}
    at = imported.means.index(meaning)
    found: dict[str, str] = {}
    for name in dict.fromkeys(row[at] for row in imported.rows if row[at]):
        key = "".join(word[0] for word in name.lower().split() if word[0].isalnum())
        key = key if len(key) > 1 else "".join(c for c in name.lower() if c.isalnum())[:6] or "site"
        stem, number = key, 2
        while key in found:
            key, number = f"{stem}{number}", number + 1
        found[key] = name
    return found


def _subnet(imported: Imported, site: str) -> str:
    """The one subnet in which all addresses of a site are, if they say their length and agree."""
    if "management.address" not in imported.means or "site" not in imported.means:
        return ""
    at, where = imported.means.index("management.address"), imported.means.index("site")
    texts = [row[at] for row in imported.rows if row[where] == site and "/" in row[at]]
    nets = {parse_interface(text).network for text in texts if re.fullmatch(r"[0-9a-f.:]+/\d+", text)}
    return str(nets.pop()) if len(nets) == 1 else ""


def _quoted(text: str) -> str:
    """A YAML scalar that is text whatever it looks like."""
    plain = text.replace(" ", "").replace("-", "").replace("_", "")
    if plain.isalnum() and not plain[0].isdigit() and text.lower() not in _WORDS_OF_YAML:
        return text
    return "'" + text.replace("'", "''") + "'"


def full_table(plan: Plan) -> tuple[list[str], list[list[str]]]:
    """Every device with every resolved value, whatever it comes from, as headings and rows of text."""
    used = [name for name in SETTINGS if any(name in d.values for d in plan.devices)]
    headings = [
        "site",
        "role",
        "family",
        *("serial", "mac", "label", "location", "console", "fingerprint"),
        *map(heading_for, used),
    ]
    rows = []
    for d in plan.devices:
        cells = [d.site.name, d.role, d.family, d.serial, d.mac, d.label, d.location, d.console, d.fingerprint]
        cells += [SETTINGS[n].text(d.values[n].value) if n in d.values else "" for n in used]
        rows.append(cells)
    return headings, rows
