"""From raw layers to values one can trust: baseline, then site, then role, then the device's own row.

The strongest layer that says a setting wins and remembers what it overrode. What nobody said and the
subnet tells (the prefix of a bare address, the gateway) is derived, and says so.
"""

from __future__ import annotations

from collections.abc import Mapping
from ipaddress import ip_network

from zinger.plan.checks import FamilyRules, check
from zinger.plan.jobfile import Layered, Raw, RawJob, RawRow, RawSite
from zinger.plan.model import Device, Layer, Network, Origin, Plan, Site, Value
from zinger.plan.problems import Problem, Spot, did_you_mean, mend
from zinger.plan.secrets import SecretRef, Vaulted
from zinger.plan.settings import ACCOUNTS, SETTINGS, Account, ManagementAddress, parse_account_name


def resolve(job: RawJob, rows: list[RawRow], families: Mapping[str, FamilyRules],
            vaulted: Vaulted | None = None, problems: tuple[Problem, ...] = ()) -> Plan:
    """Resolve and check everything; `problems` are those already found while reading the files."""
    return _Resolver(job, families).plan(rows, vaulted or {}, problems)


class _Resolver:
    def __init__(self, job: RawJob, families: Mapping[str, FamilyRules]) -> None:
        self.job = job
        self.families = families
        self.problems: list[Problem] = list(job.problems)
        self.sites = {key: self._site(raw) for key, raw in job.sites.items()}

    def plan(self, rows: list[RawRow], vaulted: Vaulted, before: tuple[Problem, ...]) -> Plan:
        devices = tuple(self._device(row) for row in rows)
        job = self.job
        bare = Plan(job.title, job.note, job.mode, tuple(self.sites.values()), devices)
        found = (*before, *self.problems, *check(bare, self.families, vaulted))
        unique = tuple(dict.fromkeys(found))
        return Plan(job.title, job.note, job.mode, bare.sites, devices, unique)

    def _site(self, raw: RawSite) -> Site:
        subnet: Network | None = None
        if raw.subnet is not None:
            try:
                subnet = ip_network(str(raw.subnet.value).strip())
            except ValueError as error:
                self.problems.append(mend("subnet-form", raw.subnet.spot, f"{raw.subnet.value!r} is no subnet: {error}",
                                          "Write the network address and its length, like 10.44.8.0/24"))
        return Site(raw.key, raw.name, subnet)

    def _device(self, row: RawRow) -> Device:
        own = row.settings.get("hostname")
        name = str(own.value) if own else f"row {row.spot.line}"
        site = self._site_of(row, name)
        role = row.identity.get("role", "")
        if role and role not in self.job.roles:
            self._unknown(row, "role", role, self.job.roles, name)
        family = row.identity.get("family", "").lower().replace(" ", "-")
        if family not in self.families:
            self._unknown(row, "family", family, self.families, name)
        values = self._values(row, site, role, name)
        self._derive(values, site, row.spot)
        who = {k: row.identity.get(k, "") for k in ("serial", "mac", "label", "location", "console")}
        return Device(name, site, role, family, values, row.spot, **who)

    def _site_of(self, row: RawRow, device: str) -> Site:
        wanted = row.identity.get("site", "")
        for site in self.sites.values():
            if wanted.lower() in (site.key.lower(), site.name.lower()):
                return site
        self._unknown(row, "site", wanted, [s.name for s in self.sites.values()], device)
        return Site(wanted, wanted or "no site")

    def _unknown(self, row: RawRow, column: str, word: str, known: object, device: str) -> None:
        names = [str(k) for k in known]  # type: ignore[attr-defined]
        what = f"{column} {word!r} is not known{did_you_mean(word, names)}" if word else f"no {column} is given"
        choice = ", ".join(sorted(names)) or "none is defined yet"
        self.problems.append(mend(f"unknown-{column}", Spot(row.spot.file, row.spot.line, column), what,
                                  f"Known here: {choice}", device))

    def _values(self, row: RawRow, site: Site, role: str, device: str) -> dict[str, Value]:
        site_layer: Layered = self.job.sites[site.key].settings if site.key in self.job.sites else {}
        layers: tuple[tuple[Layer, str, Layered], ...] = (
            (Layer.SHEET, f"sheet, row {row.spot.line}", row.settings),
            (Layer.ROLE, f"role {role}", self.job.roles.get(role, {})),
            (Layer.SITE, site.name, site_layer),
            (Layer.BASELINE, "baseline", self.job.baseline),
        )
        values: dict[str, Value] = {}
        for name in SETTINGS:
            said: list[tuple[object, Origin]] = []
            for layer, label, settings in layers:
                if name in settings:
                    typed = self._typed(name, settings[name], device)
                    if typed is not None:
                        said.append((typed, Origin(layer, label, settings[name].spot)))
            if said:
                values[name] = Value(name, said[0][0], said[0][1], tuple(said[1:]))
        return values

    def _typed(self, name: str, raw: Raw, device: str) -> object | None:
        try:
            if name in ACCOUNTS:
                return _account(name, raw.value, device)
            return SETTINGS[name].parse(raw.value)
        except ValueError as error:
            what, _, do = str(error).partition("; ")
            devices = (device,) if raw.spot.key and "." not in raw.spot.key else ()
            self.problems.append(
                mend(f"{name.replace('.', '-')}-form", raw.spot, f"{SETTINGS[name].title}: {what}",
                     do[:1].upper() + do[1:] or "Correct it", *devices, setting=name))
            return None

    def _derive(self, values: dict[str, Value], site: Site, spot: Spot) -> None:
        if site.subnet is None:
            return
        address = values.get("management.address")
        if address and isinstance(address.value, ManagementAddress) and address.value.interface:
            interface = address.value.interface
            bare = interface.network.num_addresses == 1 and site.subnet.num_addresses > 1
            if bare and interface.ip in site.subnet:
                whole = type(interface)((interface.ip, site.subnet.prefixlen))
                note = Origin(address.origin.layer, f"{address.origin.label}, length from {site.name}",
                              address.origin.spot)
                values["management.address"] = Value(
                    "management.address", ManagementAddress("fixed", whole), note, address.overrode)
        fixed = not (address and isinstance(address.value, ManagementAddress) and address.value.method == "dhcp")
        if "management.gateway" not in values and fixed:
            first = site.subnet.network_address + 1
            origin = Origin(Layer.DERIVED, f"derived: first of {site.subnet}", spot)
            values["management.gateway"] = Value("management.gateway", first, origin)


def _account(setting: str, raw: object, device: str) -> Account:
    """`{name: kettle-admin, secret: each device}`: a secret of its own per device, or a shared entry's name."""
    if isinstance(raw, str):
        raw = {"name": raw}
    if not isinstance(raw, Mapping) or "name" not in raw:
        raise ValueError("it has no name; write {name: kettle-admin, secret: each device}")
    extra = set(raw) - {"name", "secret"}
    if "password" in extra:
        raise ValueError("a password does not belong in this file; remove it and use `zinger secret`")
    if extra:
        raise ValueError(f"{', '.join(map(str, extra))} means nothing here; keep name and secret")
    entry = str(raw.get("secret", "each device")).strip()
    if not entry or entry == "each device":
        entry = f"{device}/{setting.split('.')[1]}"
    return Account(parse_account_name(raw["name"]), SecretRef(entry))
