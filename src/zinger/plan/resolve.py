"""From raw layers to values one can trust: baseline, then site, role, family, then the device's own row.

The strongest layer that says a setting wins and remembers what it overrode. What nobody said and the job's
rules tell (a hostname, an address, its length, the gateway) is derived, and says so.

Each layer is typed once, and laid over the others once for every kind of device (site, role, family) that
occurs; a device then costs only what its own row says.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace

from zinger.plan.checks import check
from zinger.plan.collector import builds_much
from zinger.plan.derive import Deriver, Values, allocate, own_entry, waits_for_own_entry
from zinger.plan.families import FamilyRules
from zinger.plan.model import Device, Layer, Origin, Plan, Site, Value
from zinger.plan.naming import NamingRule
from zinger.plan.portnames import in_the_familys_names, renamed
from zinger.plan.problems import Change, Problem, Repair, Spot, error_at, warning_at
from zinger.plan.raw import Layered, Raw, RawJob, RawRow
from zinger.plan.settings import SECTION_OF, SETTINGS
from zinger.plan.sites import sites_of
from zinger.plan.subjects.names.settings import HOSTNAME
from zinger.plan.subjects.switching.settings import UPLINKS
from zinger.plan.values.bad import BadValue
from zinger.plan.values.fingerprint import parse_fingerprint
from zinger.plan.values.mac import parse_mac
from zinger.plan.values.password_rules import PasswordRules, parse_password_rules
from zinger.plan.values.secrets import Vaulted
from zinger.wording import did_you_mean, likeliest


@builds_much
def resolve(
    job: RawJob,
    rows: list[RawRow],
    families: Mapping[str, FamilyRules],
    vaulted: Vaulted | None = None,
    problems: tuple[Problem, ...] = (),
) -> Plan:
    """Resolve and check everything; `problems` are those already found while reading the files."""
    wanted = {_family(row) for row in rows} | job.families.keys()
    known = {name: families[name] for name in sorted(wanted) if name in families}
    return _Resolver(job, known, families).plan(rows, vaulted or {}, problems)


def _family(row: RawRow) -> str:
    return row.identity.get("family", "").lower().replace(" ", "-")


class _Resolver:
    def __init__(self, job: RawJob, families: Mapping[str, FamilyRules], every: Iterable[str]) -> None:
        self.job = job
        self.families = families
        self.every = every
        """The names of all families, for hints; none is read for that."""
        self.problems: list[Problem] = list(job.problems)
        self.sites = sites_of(job, self.problems)
        self._sites_by_word = {w.lower(): s for s in reversed(self.sites.values()) for w in (s.name, s.key)}
        self.layers = {
            (Layer.BASELINE, ""): self._layer(job.baseline, Layer.BASELINE, "baseline"),
            **{
                (Layer.SITE, k): self._layer(raw.settings, Layer.SITE, self.sites[k].name)
                for k, raw in job.sites.items()
            },
            **{(Layer.ROLE, k): self._layer(raw, Layer.ROLE, f"role {k}") for k, raw in job.roles.items()},
            **{(Layer.FAMILY, k): self._layer(raw, Layer.FAMILY, f"family {k}") for k, raw in job.families.items()},
        }
        for key in job.families:
            if key not in families:
                self.problems.append(
                    error_at(
                        "unknown-family",
                        Spot("job.yaml", None, f"families.{key}"),
                        f"no family is called {key}{did_you_mean(key, every)}",
                        f"Use one of {', '.join(every)}",
                    )
                )
        self.deriver = Deriver()
        self._personal: dict[tuple[str, str, str], frozenset[str]] = {}
        """Of each kind of device, the shared settings in which `each device` stands."""
        self._kinds: dict[tuple[str, str, str], Values] = {}
        self.naming = self._naming()

    # -- the whole -----------------------------------------------------------------------------------
    def plan(self, rows: list[RawRow], vaulted: Vaulted, before: tuple[Problem, ...]) -> Plan:
        """Name, resolve, derive, check."""
        if self.naming:
            self.naming.keep(str(row.settings["hostname"].value) for row in rows if "hostname" in row.settings)
        devices, full = allocate(self._both_ends([self._device(row) for row in rows]), self.sites.values())
        self.problems += full
        job = self.job
        bare = Plan(
            job.title,
            job.note,
            job.mode,
            tuple(self.sites.values()),
            devices,
            commands=job.commands,
            leases=job.leases,
            password_rules=self._password_rules(),
        )
        found = (*before, *self.problems, *check(bare, self.families, vaulted))
        unique = tuple(dict.fromkeys(found))
        return replace(bare, problems=unique)

    def _both_ends(self, devices: list[Device]) -> list[Device]:
        """The ports at the far ends of uplinks in the names that the devices there print."""
        ports = {d.name: rules.ports for d in devices if (rules := self.families.get(d.family)) is not None}
        found = []
        for device in devices:
            planned = device.values.get(UPLINKS.name)
            if planned is not None:
                there = renamed(planned, "their", lambda link: ports.get(link.to, ()))
                if there is not planned:
                    device = replace(device, values={**device.values, UPLINKS.name: there})
            found.append(device)
        return found

    # -- layers --------------------------------------------------------------------------------------
    def _layer(self, raw: Layered, layer: Layer, label: str) -> Values:
        values: Values = {}
        for name, written in raw.items():
            value = self._value(name, written, Origin(layer, label, written.spot))
            if value is not None:
                values[name] = value
        return values

    def _value(self, name: str, raw: Raw, origin: Origin, *devices: str) -> Value | None:
        setting = SETTINGS[name]
        try:
            return Value(setting, setting.parse(raw.value), origin)
        except BadValue as error:
            self.problems.append(
                error_at(
                    f"{name.replace('.', '-').replace('_', '-')}-form",
                    raw.spot,
                    f"{setting.title}: {error.what}",
                    error.repair,
                    *devices,
                    setting=name,
                )
            )
            return None

    def _kind(self, site: str, role: str, family: str) -> Values:
        """What all devices of this site, role and family have in common, each value with what it overrode."""
        kind = (site, role, family)
        if kind not in self._kinds:
            stacked = [
                self.layers.get((layer, key), {})
                for layer, key in ((Layer.FAMILY, family), (Layer.ROLE, role), (Layer.SITE, site), (Layer.BASELINE, ""))
            ]
            rules = self.families.get(family)
            values: Values = {}
            for name in SETTINGS:
                if rules and not rules.has(SECTION_OF[name]) and name not in stacked[0]:
                    continue
                said = [layer[name] for layer in stacked if name in layer]
                if said:
                    below = tuple((v.value, v.origin) for v in said[1:])
                    values[name] = in_the_familys_names(
                        Value(SETTINGS[name], said[0].value, said[0].origin, below), rules
                    )
            self._kinds[kind] = values
        return self._kinds[kind]

    def _password_rules(self) -> PasswordRules:
        rules = self.job.password_rules
        try:
            return parse_password_rules(rules.value) if rules is not None else PasswordRules()
        except BadValue as error:
            assert rules is not None
            self.problems.append(error_at("password-rules-form", rules.spot, error.what, error.repair))
            return PasswordRules()

    def _naming(self) -> NamingRule | None:
        rule = self.job.naming
        if rule is None:
            return None
        try:
            return NamingRule(str(rule.value))
        except BadValue as error:
            self.problems.append(error_at("naming-form", rule.spot, error.what, error.repair))
            return None

    # -- a device ------------------------------------------------------------------------------------
    def _device(self, row: RawRow) -> Device:
        identity = row.identity
        role = identity.get("role", "")
        family = _family(row)
        written = row.settings.get("hostname")
        name = str(written.value) if written else f"row {row.spot.line}"
        site = self._site_of(row, name)
        own = self._own(row, name)
        if written is None and self.naming and site.key in self.sites:
            name, number = self.naming.name(site.key, self.job.short.get(role, role), family)
            origin = Origin(Layer.DERIVED, f"derived: {self.naming.text}, number {number}", row.spot)
            own["hostname"] = Value(HOSTNAME, name, origin)
        if role and role not in self.job.roles:
            self._unknown(row, "role", role, self.job.roles, name)
        if family and family not in self.families and not likeliest(family, self.every):
            what = f"no phrasebook knows {family}: it is planned, opened and set by hand, and never proved"
            do = "zinger family new makes a phrasebook; zinger by-hand says what you set"
            self.problems.append(
                warning_at("family-by-hand", Spot(row.spot.file, row.spot.line, "family"), what, do, name)
            )
        elif family not in self.families:
            self._unknown(row, "family", family, self.every, name)
        kind = site.key, role, family
        shared = self._kind(*kind)
        values = {**shared, **self._over(own, shared)}
        mine = frozenset(own) | self._named(values, own, kind, name)
        address = self.deriver.fill(values, site)
        mac = self._who(row, "mac", parse_mac, name)
        return Device(
            name,
            site,
            role,
            family,
            values,
            row.spot,
            mine,
            identity.get("serial", ""),
            mac,
            identity.get("label", ""),
            identity.get("location", ""),
            identity.get("console", ""),
            self._who(row, "fingerprint", parse_fingerprint, name),
            address,
        )

    def _own(self, row: RawRow, name: str) -> Values:
        label = f"sheet, row {row.spot.line}"
        own: Values = {}
        for setting, raw in row.settings.items():
            value = self._value(setting, raw, Origin(Layer.SHEET, label, raw.spot), name)
            if value is not None:
                own[setting] = in_the_familys_names(value, self.families.get(_family(row)))
        return own

    @staticmethod
    def _over(own: Values, shared: Values) -> Values:
        laid: Values = {}
        for name, value in own.items():
            below = shared.get(name)
            laid[name] = (
                value
                if below is None
                else Value(value.setting, value.value, value.origin, ((below.value, below.origin), *below.overrode))
            )
        return laid

    def _named(self, values: Values, own: Values, kind: tuple[str, str, str], device: str) -> frozenset[str]:
        """Where a secret is `each device`, name the device's own entry of the vault; returns the settings changed."""
        if kind not in self._personal:
            self._personal[kind] = waits_for_own_entry(self._kind(*kind))
        changed = frozenset(self._personal[kind] | waits_for_own_entry(own))
        for name in changed:
            value = values[name]
            mine = own_entry(value.value, f"{device}/{name.rpartition('.')[2]}")
            values[name] = Value(value.setting, mine, value.origin, value.overrode)
        return changed

    def _site_of(self, row: RawRow, device: str) -> Site:
        wanted = row.identity.get("site", "")
        site = self._sites_by_word.get(wanted.lower())
        if site is None:
            self._unknown(row, "site", wanted, [s.name for s in self.sites.values()], device)
            return Site(wanted, wanted or "(no site)")
        return site

    def _who(self, row: RawRow, what: str, parse: Callable[[object], str], device: str) -> str:
        """What tells which device it is, in its one notation."""
        written = row.identity.get(what, "")
        try:
            return parse(written) if written else ""
        except BadValue as error:
            spot = Spot(row.spot.file, row.spot.line, what)
            self.problems.append(error_at(f"{what}-form", spot, error.what, error.repair, device))
            return written

    def _unknown(self, row: RawRow, word: str, value: str, known: Iterable[str], device: str) -> None:
        names = list(known)
        what = f"no {word} is called {value}{did_you_mean(value, names)}" if value else f"its {word} is missing"
        do = f"Use one of {', '.join(names)}" if names else f"Describe the {word} in job.yaml first"
        spot = Spot(row.spot.file, row.spot.line, word)
        self.problems.append(error_at(f"unknown-{word}", spot, what, do, device, repair=self._described(word, value)))

    def _described(self, word: str, value: str) -> Repair | None:
        """Describe a site or role in job.yaml that the sheet names and nothing else does."""
        known: Mapping[str, object] = self.job.sites if word == "site" else self.job.roles
        names = [site.name for site in self.sites.values()] if word == "site" else list(known)
        if not value or word == "family" or likeliest(value, names):
            return None
        key = "".join(part[0] for part in value.lower().split()) if " " in value else value.lower()
        if key in known or not key.isidentifier():
            return None
        path = ("sites", key, "name") if word == "site" else ("roles", value, "short")
        return Repair(f"describe it in job.yaml as {key}", (Change(path, value),))
