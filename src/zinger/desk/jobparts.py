"""The job's own parts on the desk: practice or live, sites and roles; made, renamed, removed as changes of its files.

Each function returns the changes; the desk makes them as one step, so that each can be taken back.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

from zinger.plan.files.jobfile import read_job
from zinger.plan.files.newjob import site_key
from zinger.plan.model import Plan
from zinger.plan.problems import Change
from zinger.plan.raw import Raw, RawJob
from zinger.plan.settings import SETTINGS
from zinger.plan.values.addresses import parse_network
from zinger.plan.values.bad import BadValue, refusal
from zinger.plan.values.text import parse_text
from zinger.wording import counted

BASELINE = "baseline"
_SECTIONS = {"site": "sites", "role": "roles", "family": "families"}
_OF_ONE_SITE = frozenset({"management.gateway", "management.gateway6"})


@dataclass(frozen=True)
class JobPart:
    """The baseline, a site, a role or a family: its key in job.yaml, its name, and how many devices are of it.

    `settings` are those that it gives its devices, each with the text of its value.
    """

    kind: str
    key: str
    name: str
    subnet: str
    settings: tuple[tuple[str, str], ...]
    devices: int

    @property
    def stem(self) -> tuple[str, ...]:
        """Where job.yaml says what it says."""
        return (self.kind,) if self.kind == BASELINE else (_SECTIONS[self.kind], self.key)

    def change(self, setting: str, text: str | None) -> Change:
        """Another value of a setting here; None takes it away."""
        return Change((*self.stem, *setting.split(".")), text)


def parts_of(job_text: str, plan: Plan) -> list[JobPart]:
    """The baseline, the sites, the roles and the families of a job."""
    job = read_job(job_text)
    baseline = JobPart(BASELINE, BASELINE, "what all share", "", _said(job.baseline), len(plan.devices))
    sites = [
        JobPart(
            "site",
            key,
            site.name,
            str(site.subnet.value) if site.subnet else "",
            _said(site.settings),
            sum(d.site.key == key for d in plan.devices),
        )
        for key, site in job.sites.items()
    ]
    roles = [
        JobPart("role", key, key, "", _said(settings), sum(d.role == key for d in plan.devices))
        for key, settings in job.roles.items()
    ]
    families = [
        JobPart("family", key, key, "", _said(settings), sum(d.family == key for d in plan.devices))
        for key, settings in job.families.items()
    ]
    return [baseline, *sites, *roles, *families]


def _said(settings: Mapping[str, Raw]) -> tuple[tuple[str, str], ...]:
    """The settings of a part, each as a cell would hold it; as it stands there where it can't be read."""
    return tuple((name, _as_cell(name, raw.value)) for name, raw in settings.items())


def _as_cell(name: str, value: object) -> str:
    setting = SETTINGS.get(name)
    if setting is None or refusal(setting.parse, value) is not None:
        return _as_text(value)
    return setting.text(setting.parse(value))


def set_mode(live: bool) -> list[Change]:
    """Practice or live."""
    return [Change(("mode",), "live" if live else "practice")]


def new_site(job_text: str, name: str, subnet: str) -> list[Change]:
    """A new site. Raises BadValue if the name is empty or taken, or the subnet is not valid."""
    job = read_job(job_text)
    name = _free_name(name, [site.name for site in job.sites.values()], "site")
    changes = [Change(("sites", (key := site_key(name, job.sites)), "name"), name)]
    if subnet.strip():
        changes.append(Change(("sites", key, "subnet"), str(parse_network(subnet))))
    return changes


def new_role(job_text: str, name: str) -> list[Change]:
    """A role, by what it is called in short until it says more; raises BadValue."""
    name = _free_name(name, read_job(job_text).roles, "role")
    return [Change(("roles", name, "short"), name)]


def copied(job_text: str, part: JobPart, name: str, subnet: str = "") -> list[Change]:
    """Another site or role that says the same; a site's gateway is its own. Raises BadValue."""
    made = new_site(job_text, name, subnet) if part.kind == "site" else new_role(job_text, name)
    other = replace(part, key=made[0].path[1])
    said = [other.change(setting, text) for setting, text in part.settings if setting not in _OF_ONE_SITE]
    return [*(made if part.kind == "site" or not said else []), *said]


def renamed(job_text: str, plan: Plan, part: JobPart, name: str) -> list[Change]:
    """Another name for a site or role, in job.yaml and in the rows of its devices; raises BadValue."""
    job = read_job(job_text)
    if part.kind not in ("site", "role"):
        raise BadValue(f"{part.kind} is not a name of yours", "rename a site or a role")
    if part.kind == "site":
        name = _free_name(name, [site.name for key, site in job.sites.items() if key != part.key], "site")
        rows = [Change(("site",), name, d.spot.line) for d in plan.devices if d.site.key == part.key and d.spot.line]
        return [Change(("sites", part.key, "name"), name), *rows]
    name = _free_name(name, [key for key in job.roles if key != part.key], "role")
    rows = [Change(("role",), name, d.spot.line) for d in plan.devices if d.role == part.key and d.spot.line]
    return [*_moved(job, part.key, name), *rows]


def _moved(job: RawJob, key: str, name: str) -> list[Change]:
    """A role's settings under another name."""
    if key == name:
        return []
    said = [
        Change(("roles", name, *setting.split(".")), _as_text(raw.value)) for setting, raw in job.roles[key].items()
    ]
    short = job.short.get(key, "") or ("" if said else name)
    return [*([Change(("roles", name, "short"), short)] if short else []), *said, Change(("roles", key), None)]


def _as_text(value: object) -> str:
    return "; ".join(map(_as_text, value)) if isinstance(value, list) else str(value)


def resubnetted(part: JobPart, subnet: str) -> list[Change]:
    """Another subnet for a site, or none; raises BadValue."""
    text = str(parse_network(subnet)) if subnet.strip() else None
    return [Change(("sites", part.key, "subnet"), text)]


def removed(part: JobPart) -> list[Change]:
    """Without a site or role that no device is of; raises BadValue while one is, and for what is always there."""
    if part.kind == BASELINE:
        raise BadValue("the baseline is always there", "take its values away one by one")
    if part.devices:
        devices = f"{counted(part.devices, 'device')} {'has' if part.devices == 1 else 'have'}"
        raise BadValue(f"{devices} the {part.kind} {part.name}", f"give another {part.kind} first")
    return [Change(part.stem, None)]


def _free_name(name: str, taken: Iterable[str], kind: str) -> str:
    name = parse_text(name)
    if not name:
        raise BadValue(f"a {kind} needs a name", "write one")
    if name.lower() in {other.lower() for other in taken}:
        raise BadValue(f"there is a {kind} {name} already", "take another name")
    return name
