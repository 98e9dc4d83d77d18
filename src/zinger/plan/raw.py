"""What the job's files say, untyped: every value as somebody wrote it, and where."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from zinger.plan.problems import Problem, Spot

JOB_FILE = "job.yaml"
SHEET_FILE = "devices.csv"


@dataclass(frozen=True, slots=True)
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
    addresses: Mapping[str, Raw] = field(default_factory=dict)


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
    short: Mapping[str, str] = field(default_factory=dict)
    """The short word for a role in hostnames, where it has one."""
    families: Mapping[str, Layered] = field(default_factory=dict)
    naming: Raw | None = None
    """The rule that makes a hostname where the sheet has none, such as `{site}-{role}{n:02}`."""
    addresses: Mapping[str, Raw] = field(default_factory=dict)
    columns: Mapping[str, str] = field(default_factory=dict)
    """What headings mean that were confirmed at an import: heading to setting or identity, or to nothing."""
    commands: Mapping[str, str] = field(default_factory=dict)
    """Programs that lead to a console, by the name that a sheet may use."""
    password_rules: Raw | None = None
    """What the job asks of passwords, whatever a family would take."""
    leases: tuple[str, ...] = ()
    """Lease lists of DHCP servers: files of the job's folder, or `ssh://user@host/file`."""
    problems: tuple[Problem, ...] = ()
