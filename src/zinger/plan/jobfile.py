"""`job.yaml` and the build sheet, read into raw values that remember their file and line.

Nothing is judged here but the shape of the files: what cannot be read at all is a `Problem`; what can be
read is handed on as it was written, for `resolve` to type and `checks` to doubt.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from io import StringIO
from typing import Any

from ruamel.yaml import YAML
from ruamel.yaml.comments import CommentedMap
from ruamel.yaml.error import MarkedYAMLError, YAMLError

from zinger.plan.problems import Problem, Spot, did_you_mean, mend
from zinger.plan.settings import ACCOUNTS, SETTINGS

JOB_FILE = "job.yaml"
SHEET_FILE = "devices.csv"
_TOP = ("job", "note", "mode", "baseline", "sites", "roles", "devices")
_IDENTITY = {
    "site": ("site", "station"),
    "role": ("role",),
    "family": ("family", "type", "model"),
    "serial": ("serial", "serial number", "s/n"),
    "mac": ("mac", "mac address"),
    "label": ("label", "asset", "asset label"),
    "location": ("location", "installed at", "cabinet"),
    "console": ("console", "link"),
}
_GROUPS = {name.split(".")[0] for name in SETTINGS}


@dataclass(frozen=True)
class Raw:
    """A value as somebody wrote it, and where."""

    value: object
    spot: Spot


Layered = Mapping[str, Raw]


@dataclass(frozen=True)
class RawSite:
    """A site as written: its name, subnet and the settings it lays down."""

    key: str
    spot: Spot
    name: str
    subnet: Raw | None
    settings: Layered


@dataclass(frozen=True)
class RawRow:
    """One device of the sheet: identity columns and settings; `kept` are columns that mean nothing to us."""

    spot: Spot
    identity: Mapping[str, str]
    settings: Layered
    kept: Mapping[str, str]


@dataclass(frozen=True)
class RawJob:
    """Everything that the job's files say, untyped."""

    title: str = ""
    note: str = ""
    mode: str = "practice"
    sheet: str = SHEET_FILE
    baseline: Layered = field(default_factory=dict)
    sites: Mapping[str, RawSite] = field(default_factory=dict)
    roles: Mapping[str, Layered] = field(default_factory=dict)
    problems: tuple[Problem, ...] = ()


def read_job(text: str, file: str = JOB_FILE) -> RawJob:
    """Read `job.yaml`. Unreadable or misshapen parts become problems; the rest is still read."""
    try:
        data = YAML(typ="rt").load(StringIO(text))
    except MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        spot = Spot(file, mark.line + 1 if mark else None)
        what = re.sub(r"\s+", " ", str(error.problem or "it cannot be read"))
        return RawJob(problems=(mend("job-unreadable", spot, f"not valid YAML: {what}", "Mend this line"),))
    except YAMLError as error:
        return RawJob(problems=(mend("job-unreadable", Spot(file), f"not valid YAML: {error}", "Mend the file"),))
    if not isinstance(data, CommentedMap):
        what = "the file is empty" if data is None else "the file is no mapping of keys to values"
        return RawJob(problems=(mend("job-shape", Spot(file), what, "Begin it with `job: name of the job`"),))
    return _JobReader(file).read(data)


class _JobReader:
    """Walks the mapping once and collects every problem on the way."""

    def __init__(self, file: str) -> None:
        self.file = file
        self.problems: list[Problem] = []

    def read(self, data: CommentedMap) -> RawJob:
        for key in data:
            if key not in _TOP:
                self._bad(data, key, str(key), f"nothing here is called {key!r}{did_you_mean(str(key), _TOP)}",
                          f"Use one of {', '.join(_TOP)}")
        mode = str(data.get("mode", "practice"))
        if mode not in ("practice", "live"):
            self._bad(data, "mode", "mode", f"{mode!r} is no mode", "Write practice or live")
        sites = {
            str(key): self._site(str(key), body, self._spot(part, key, f"sites.{key}"))
            for part in (self._mapping(data, "sites"),)
            for key, body in part.items()
        }
        roles = {
            str(key): self._settings(body, f"roles.{key}")
            for key, body in self._mapping(data, "roles").items()
        }
        return RawJob(
            title=str(data.get("job", "")).strip() or "unnamed job",
            note=str(data.get("note", "") or ""),
            mode=mode,
            sheet=str(data.get("devices", SHEET_FILE)),
            baseline=self._settings(self._mapping(data, "baseline"), "baseline"),
            sites=sites,
            roles=roles,
            problems=tuple(self.problems),
        )

    def _site(self, key: str, body: object, spot: Spot) -> RawSite:
        if not isinstance(body, CommentedMap):
            self.problems.append(mend("job-shape", spot, f"site {key} says nothing", "Give it a name and a subnet"))
            body = CommentedMap()
        own = {k: v for k, v in body.items() if k in ("name", "subnet")}
        rest = {k: (v, self._spot(body, k, f"sites.{key}.{k}")) for k, v in body.items() if k not in own}
        subnet = Raw(own["subnet"], self._spot(body, "subnet", f"sites.{key}.subnet")) if "subnet" in own else None
        return RawSite(key, spot, str(own.get("name", key)), subnet, self._flatten(rest, f"sites.{key}"))

    def _mapping(self, data: CommentedMap, key: str) -> CommentedMap:
        part = data.get(key)
        if part is None:
            return CommentedMap()
        if not isinstance(part, CommentedMap):
            self._bad(data, key, key, f"{key} must be a mapping of names to values", "Indent its entries below it")
            return CommentedMap()
        return part

    def _settings(self, body: object, path: str) -> Layered:
        if body is None:
            return {}
        if not isinstance(body, CommentedMap):
            self.problems.append(
                mend("job-shape", Spot(self.file, None, path), f"{path} must be a mapping of settings",
                     "Write for example `dns: {servers: [10.44.8.10]}` below it"))
            return {}
        return self._flatten({k: (v, self._spot(body, k, f"{path}.{k}")) for k, v in body.items()}, path)

    def _flatten(self, body: Mapping[Any, tuple[Any, Spot]], path: str) -> dict[str, Raw]:
        flat: dict[str, Raw] = {}
        for group, (value, spot) in body.items():
            if group in SETTINGS:
                flat[str(group)] = Raw(value, spot)
            elif group in _GROUPS and isinstance(value, CommentedMap):
                for key, inner in value.items():
                    name, at = f"{group}.{key}", self._spot(value, key, f"{path}.{group}.{key}")
                    if name in SETTINGS:
                        flat[name] = Raw(inner, at)
                    else:
                        self._unknown(name, at)
            else:
                self._unknown(str(group), spot)
        return flat

    def _unknown(self, name: str, spot: Spot) -> None:
        hint = did_you_mean(name, SETTINGS)
        self.problems.append(mend("unknown-setting", spot, f"no setting is called {name}{hint}",
                                  "Correct the name or remove the line"))

    def _spot(self, mapping: CommentedMap, key: object, path: str) -> Spot:
        try:
            line = mapping.lc.key(key)[0] + 1
        except (KeyError, AttributeError, TypeError):
            line = None
        return Spot(self.file, line, path)

    def _bad(self, mapping: CommentedMap, key: object, path: str, what: str, do: str) -> None:
        self.problems.append(mend("job-shape", self._spot(mapping, key, path), what, do))


def read_sheet(data: bytes, file: str = SHEET_FILE) -> tuple[list[RawRow], list[Problem]]:
    """Read a build sheet: any column order, comma, semicolon, tab or bar; a byte-order mark is harmless."""
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = data.decode("cp1252", errors="replace")
    if "\0" in text:
        return [], [mend("sheet-unreadable", Spot(file), "this is no text file", "Export the sheet as CSV")]
    lines = csv.reader(io.StringIO(text, newline=""), delimiter=_delimiter(text), strict=True)
    try:
        table = [(lines.line_num, cells) for cells in lines]
    except csv.Error as error:
        spot = Spot(file, lines.line_num)
        return [], [mend("sheet-unreadable", spot, f"this line is no CSV: {error}", "Look for a quote left open")]
    filled = [(number, cells) for number, cells in table if any(c.strip() for c in cells)]
    if not filled:
        return [], [mend("sheet-empty", Spot(file), "the sheet has no rows", "Put the column headings in row 1")]
    headings, problems = _headings(file, *filled[0])
    rows = [_row(file, number, cells, headings) for number, cells in filled[1:]]
    for number, cells in filled[1:]:
        if len(cells) > len(headings) and any(c.strip() for c in cells[len(headings):]):
            problems.append(mend("sheet-shape", Spot(file, number), "this row has more cells than there are headings",
                                 "Look for a delimiter inside a value and quote it"))
    if not rows:
        problems.append(mend("sheet-empty", Spot(file), "the sheet has headings but no devices", "Add a row a device"))
    return rows, problems


def _delimiter(text: str) -> str:
    heading = next((line for line in text.splitlines() if line.strip()), "")
    return max(",;\t|", key=heading.count)


def _headings(file: str, number: int, cells: list[str]) -> tuple[list[tuple[str, str]], list[Problem]]:
    """Pair each heading as written with what it means; an unknown one means nothing and is kept."""
    means = dict(_known_headings())
    headings = [(cell.strip(), means.get(" ".join(cell.lower().replace("_", " ").split()), "")) for cell in cells]
    problems: list[Problem] = []
    seen: dict[str, str] = {}
    for written, meaning in headings:
        if meaning and meaning in seen:
            problems.append(mend("sheet-shape", Spot(file, number, written),
                                 f"columns {seen[meaning]!r} and {written!r} mean the same", "Remove one of them"))
        seen.setdefault(meaning, written)
    for needed in ("hostname", "family", "site"):
        if needed not in seen:
            problems.append(mend("sheet-shape", Spot(file, number), f"no column says the {needed}",
                                 f"Add a column headed {needed!r}"))
    return headings, problems


def _known_headings() -> Iterator[tuple[str, str]]:
    for identity, aliases in _IDENTITY.items():
        for alias in aliases:
            yield alias, identity
    for setting in SETTINGS.values():
        if setting.name not in ACCOUNTS:
            for alias in setting.columns:
                yield alias, setting.name


def _row(file: str, number: int, cells: list[str], headings: list[tuple[str, str]]) -> RawRow:
    identity: dict[str, str] = {}
    settings: dict[str, Raw] = {}
    kept: dict[str, str] = {}
    for (written, meaning), cell in zip(headings, cells, strict=False):
        value = cell.strip()
        if not value:
            continue
        if meaning in SETTINGS:
            settings[meaning] = Raw(value, Spot(file, number, written))
        elif meaning:
            identity[meaning] = value
        else:
            kept[written] = value
    return RawRow(Spot(file, number), identity, settings, kept)
