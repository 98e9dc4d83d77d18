"""`job.yaml`, read into raw values that remember their line; the build sheet is read in `sheets`.

Nothing is judged here but the shape of the files: what cannot be read at all is a `Problem`; what can be
read is handed on as it was written, for `resolve` to type and `checks` to doubt.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import Any

from ruamel.yaml.comments import CommentedMap

from zinger.plan.files.yamlfile import CUT_BY_COMMA, UnreadableError, cut_by_comma, load_yaml
from zinger.plan.problems import Problem, Spot, error_at
from zinger.plan.raw import JOB_FILE, SHEET_FILE, Layered, Raw, RawJob, RawSite
from zinger.plan.settings import RENAMED, SETTINGS
from zinger.wording import did_you_mean

_TOP = (
    "job",
    "note",
    "mode",
    "baseline",
    "sites",
    "roles",
    "families",
    "devices",
    "naming",
    "addresses",
    "columns",
    "commands",
    "leases",
    "password_rules",
)
_RULES = ("head", "tail", "gateway", "allocate")
_GROUPS = {name.split(".")[0] for name in SETTINGS}


def read_job(text: str, file: str = JOB_FILE) -> RawJob:
    """Read `job.yaml`. Unreadable or misshapen parts become problems; the rest is still read."""
    try:
        data = load_yaml(text, file)
    except UnreadableError as error:
        return RawJob(problems=(error_at("job-unreadable", error.spot, error.what, error.do),))
    if not isinstance(data, CommentedMap):
        what = "the file is empty" if data is None else "the file is not a mapping of keys to values"
        return RawJob(problems=(error_at("job-shape", Spot(file), what, "Begin it with `job: name of the job`"),))
    return _JobReader(file).read(data)


class _JobReader:
    """Walks the mapping once and collects every problem on the way."""

    def __init__(self, file: str) -> None:
        self.file = file
        self.problems: list[Problem] = []

    def read(self, data: CommentedMap) -> RawJob:
        for key in data:
            if key not in _TOP:
                self._bad(
                    data,
                    key,
                    str(key),
                    f"nothing here is called {key!r}{did_you_mean(str(key), _TOP)}",
                    f"Use one of {', '.join(_TOP)}",
                )
        mode = str(data.get("mode", "practice"))
        if mode not in ("practice", "live"):
            self._bad(data, "mode", "mode", f"{mode!r} is not a mode", "Write practice or live")
        sites = {
            str(key): self._site(str(key), body, self._spot(part, key, f"sites.{key}"))
            for part in (self._mapping(data, "sites"),)
            for key, body in part.items()
        }
        roles, short = {}, {}
        for key, body in self._mapping(data, "roles").items():
            if isinstance(body, CommentedMap) and "short" in body:
                short[str(key)] = str(body["short"])
            roles[str(key)] = self._settings(body, f"roles.{key}", skip=("short",))
        families = {
            str(key): self._settings(body, f"families.{key}") for key, body in self._mapping(data, "families").items()
        }
        naming = Raw(data["naming"], self._spot(data, "naming", "naming")) if "naming" in data else None
        columns = {str(k): "" if v is None else str(v) for k, v in self._mapping(data, "columns").items()}
        return RawJob(
            title=str(data.get("job", "")).strip() or "unnamed job",
            note=str(data.get("note", "") or ""),
            mode=mode,
            sheet=str(data.get("devices", SHEET_FILE)),
            baseline=self._settings(self._mapping(data, "baseline"), "baseline"),
            sites=sites,
            roles=roles,
            short=short,
            families=families,
            naming=naming,
            addresses=self._addresses(self._mapping(data, "addresses"), "addresses"),
            columns=columns,
            commands={str(k): str(v) for k, v in self._mapping(data, "commands").items()},
            leases=tuple(self._leases(data)),
            password_rules=Raw(data["password_rules"], self._spot(data, "password_rules", "password_rules"))
            if "password_rules" in data
            else None,
            problems=tuple(self.problems),
        )

    def _leases(self, data: CommentedMap) -> Iterator[str]:
        """Lease lists: a job comes from strangers too, so a file of this machine is one of the job's own folder."""
        said = data.get("leases") or []
        for source in [said] if isinstance(said, str) else said if isinstance(said, list) else [None]:
            text = str(source)
            served = re.fullmatch(r"ssh://[^@/\s]+@[^@/\s]+/\S+", text)
            inside = not text.startswith(("/", "~", "\\")) and ".." not in re.split(r"[/\\]", text)
            if isinstance(source, str) and (served or (inside and "://" not in text)):
                yield text
            else:
                do = "Write a file of the job's folder, or ssh://user@host/file; any other file: --leases FILE"
                self._bad(data, "leases", "leases", f"{text!r} is not a lease list", do)

    def _site(self, key: str, body: object, spot: Spot) -> RawSite:
        if not isinstance(body, CommentedMap):
            self.problems.append(error_at("job-shape", spot, f"site {key} says nothing", "Give it a name and a subnet"))
            body = CommentedMap()
        own = {k: v for k, v in body.items() if k in ("name", "subnet", "addresses")}
        rest = {k: (v, self._spot(body, k, f"sites.{key}.{k}")) for k, v in body.items() if k not in own}
        subnet = Raw(own["subnet"], self._spot(body, "subnet", f"sites.{key}.subnet")) if "subnet" in own else None
        return RawSite(
            key,
            spot,
            str(own.get("name", key)),
            subnet,
            self._flatten(rest, f"sites.{key}"),
            self._addresses(self._mapping(body, "addresses"), f"sites.{key}.addresses"),
        )

    def _addresses(self, part: CommentedMap, path: str) -> dict[str, Raw]:
        """`{head: 10, tail: 5, gateway: first, allocate: on}`: how a subnet is handed out."""
        rules: dict[str, Raw] = {}
        for key, value in part.items():
            if key in _RULES:
                rules[str(key)] = Raw(value, self._spot(part, key, f"{path}.{key}"))
            else:
                self._bad(
                    part,
                    key,
                    f"{path}.{key}",
                    f"nothing here is called {key!r}{did_you_mean(str(key), _RULES)}",
                    f"Use one of {', '.join(_RULES)}",
                )
        return rules

    def _mapping(self, data: CommentedMap, key: str) -> CommentedMap:
        part = data.get(key)
        if part is None:
            return CommentedMap()
        if not isinstance(part, CommentedMap):
            self._bad(data, key, key, f"{key} must be a mapping of names to values", "Indent its entries below it")
            return CommentedMap()
        return part

    def _settings(self, body: object, path: str, skip: tuple[str, ...] = ()) -> Layered:
        if body is None:
            return {}
        if not isinstance(body, CommentedMap):
            self.problems.append(
                error_at(
                    "job-shape",
                    Spot(self.file, None, path),
                    f"{path} must be a mapping of settings",
                    "Write for example `dns: {servers: [10.44.8.10]}` below it",
                )
            )
            return {}
        return self._flatten(
            {k: (v, self._spot(body, k, f"{path}.{k}")) for k, v in body.items() if k not in skip}, path
        )

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
                    elif inner is None and cut_by_comma(value):
                        self._cut(str(key), at)
                    else:
                        self._unknown(name, at)
            elif value is None:
                self._cut(str(group), spot)
            else:
                self._unknown(str(group), spot)
        return flat

    def _cut(self, rest: str, spot: Spot) -> None:
        """A key without a value that nothing is called: the rest of a value, most likely."""
        what, do = CUT_BY_COMMA
        self.problems.append(error_at("unknown-setting", spot, f"{rest!r} has no value: {what}", do))

    def _unknown(self, name: str, spot: Spot) -> None:
        hint = f"; it is now {RENAMED[name]}" if name in RENAMED else did_you_mean(name, SETTINGS)
        self.problems.append(
            error_at(
                "unknown-setting", spot, f"no setting is called {name}{hint}", "Correct the name or remove the line"
            )
        )

    def _spot(self, mapping: CommentedMap, key: object, path: str) -> Spot:
        try:
            line = mapping.lc.key(key)[0] + 1
        except (KeyError, AttributeError, TypeError):
            line = None
        return Spot(self.file, line, path)

    def _bad(self, mapping: CommentedMap, key: object, path: str, what: str, do: str) -> None:
        self.problems.append(error_at("job-shape", self._spot(mapping, key, path), what, do))
