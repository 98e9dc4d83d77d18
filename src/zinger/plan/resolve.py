"""From raw layers to values one can trust: baseline, then site, role, family, then the device's own row.

The strongest layer that says a setting wins and remembers what it overrode. What nobody said and the job's
rules tell (a hostname, an address, its length, the gateway) is derived, and says so.

Each layer is typed once, and laid over the others once for every kind of device (site, role, family) that
occurs; a device then costs only what its own row says.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from ipaddress import IPv4Interface, IPv6Interface, ip_network
from typing import Any

from zinger.plan.addresses import free_addresses, hosts, standing
from zinger.plan.checks import check
from zinger.plan.families import FamilyRules
from zinger.plan.heap import builds_much
from zinger.plan.items import Item, Pool
from zinger.plan.jobfile import Layered, Raw, RawJob, RawRow, RawSite
from zinger.plan.model import Device, Layer, Origin, Plan, Site, Value
from zinger.plan.naming import NamingRule
from zinger.plan.parsing import Address, Network, parse_flag, parse_mac, whole
from zinger.plan.problems import Change, Problem, Repair, Spot, did_you_mean, mend
from zinger.plan.secrets import SecretRef, Vaulted
from zinger.plan.settings import EACH_DEVICE, SECTIONS, SETTINGS, Account, ManagementAddress

Values = dict[str, Value]
_SECTION_OF = {name: section for section, names in SECTIONS.items() for name in names}


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
        self.sites = {key: self._site(raw) for key, raw in job.sites.items()}
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
                    mend(
                        "unknown-family",
                        Spot("job.yaml", None, f"families.{key}"),
                        f"no family is called {key}{did_you_mean(key, every)}",
                        f"Use one of {', '.join(every)}",
                    )
                )
        self._gateways: dict[str, Value] = {}
        self._kinds: dict[tuple[str, str, str], Values] = {}
        self.naming = self._naming()

    # -- the whole -----------------------------------------------------------------------------------
    def plan(self, rows: list[RawRow], vaulted: Vaulted, before: tuple[Problem, ...]) -> Plan:
        """Name, resolve, derive, check."""
        if self.naming:
            self.naming.keep(str(row.settings["hostname"].value) for row in rows if "hostname" in row.settings)
        devices = self._allocate([self._device(row) for row in rows])
        job = self.job
        bare = Plan(job.title, job.note, job.mode, tuple(self.sites.values()), devices)
        found = (*before, *self.problems, *check(bare, self.families, vaulted))
        unique = tuple(dict.fromkeys(found))
        return Plan(job.title, job.note, job.mode, bare.sites, devices, unique)

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
            return Value(name, setting.parse(raw.value), origin)
        except ValueError as error:
            what, _, do = str(error).partition("; ")
            self.problems.append(
                mend(
                    f"{name.replace('.', '-').replace('_', '-')}-form",
                    raw.spot,
                    f"{setting.title}: {what}",
                    do[:1].upper() + do[1:] or "Correct it",
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
                if rules and not rules.has(_SECTION_OF[name]) and name not in stacked[0]:
                    continue
                said = [layer[name] for layer in stacked if name in layer]
                if said:
                    below = tuple((v.value, v.origin) for v in said[1:])
                    values[name] = Value(name, said[0].value, said[0].origin, below)
            self._kinds[kind] = values
        return self._kinds[kind]

    # -- sites and rules -----------------------------------------------------------------------------
    def _site(self, raw: RawSite) -> Site:
        subnet: Network | None = None
        if raw.subnet is not None:
            try:
                subnet = ip_network(str(raw.subnet.value).strip())
            except ValueError as error:
                self.problems.append(
                    mend(
                        "subnet-form",
                        raw.subnet.spot,
                        f"{raw.subnet.value!r} is no subnet: {error}",
                        "Write the network address and its length, like 10.44.8.0/24",
                    )
                )
        rules = {**self.job.addresses, **raw.addresses}
        head, tail = (int(self._rule(rules, key, whole(0, 65535)) or 0) for key in ("head", "tail"))
        allocates = bool(self._rule(rules, "allocate", parse_flag)) if "allocate" in rules else bool(rules)
        gateway = self._gateway(rules.get("gateway"), subnet)
        spot = raw.subnet.spot if raw.subnet else raw.spot
        return Site(raw.key, raw.name, subnet, spot, head, tail, allocates, gateway)

    def _rule(self, rules: Mapping[str, Raw], key: str, parse: Callable[[object], object]) -> Any:
        if key not in rules:
            return None
        try:
            return parse(rules[key].value)
        except ValueError as error:
            what, _, do = str(error).partition("; ")
            self.problems.append(mend("addresses-form", rules[key].spot, f"{key}: {what}", do[:1].upper() + do[1:]))
            return None

    def _gateway(self, rule: Raw | None, subnet: Network | None) -> Address | None:
        if subnet is None:
            return None
        first, last = hosts(subnet)
        word = str(rule.value).lower() if rule else "first"
        if rule and word not in ("first", "last"):
            self.problems.append(
                mend("addresses-form", rule.spot, f"gateway: {word!r} is no place in a subnet", "Write first or last")
            )
        address: Address = type(subnet.network_address)(last if word == "last" else first)
        return address

    def _naming(self) -> NamingRule | None:
        rule = self.job.naming
        if rule is None:
            return None
        try:
            return NamingRule(str(rule.value))
        except ValueError as error:
            what, _, do = str(error).partition("; ")
            self.problems.append(mend("naming-form", rule.spot, what, do[:1].upper() + do[1:]))
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
            own["hostname"] = Value("hostname", name, origin)
        if role and role not in self.job.roles:
            self._unknown(row, "role", role, self.job.roles, name)
        if family not in self.families:
            self._unknown(row, "family", family, self.every, name)
        shared = self._kind(site.key, role, family)
        values = {**shared, **self._over(own, shared)}
        mine = frozenset(own) | self._personal(values, name)
        self._derive(values, site)
        mac = self._mac(row, name)
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
        )

    def _own(self, row: RawRow, name: str) -> Values:
        label = f"sheet, row {row.spot.line}"
        own: Values = {}
        for setting, raw in row.settings.items():
            value = self._value(setting, raw, Origin(Layer.SHEET, label, raw.spot), name)
            if value is not None:
                own[setting] = value
        return own

    @staticmethod
    def _over(own: Values, shared: Values) -> Values:
        laid: Values = {}
        for name, value in own.items():
            below = shared.get(name)
            laid[name] = (
                value
                if below is None
                else Value(name, value.value, value.origin, ((below.value, below.origin), *below.overrode))
            )
        return laid

    def _personal(self, values: Values, device: str) -> frozenset[str]:
        """Where a secret is `each device`, name the device's own entry of the vault; returns the settings changed."""
        changed = []
        for name in _MAY_BE_PERSONAL:
            value = values.get(name)
            if value is not None:
                mine = _own_secret(value.value, f"{device}/{name.split('.')[1]}")
                if mine is not value.value:
                    values[name] = Value(name, mine, value.origin, value.overrode)
                    changed.append(name)
        return frozenset(changed)

    def _site_of(self, row: RawRow, device: str) -> Site:
        wanted = row.identity.get("site", "")
        site = self._sites_by_word.get(wanted.lower())
        if site is None:
            self._unknown(row, "site", wanted, [s.name for s in self.sites.values()], device)
            return Site(wanted, wanted or "(no site)")
        return site

    def _mac(self, row: RawRow, device: str) -> str:
        written = row.identity.get("mac", "")
        try:
            return parse_mac(written) if written else ""
        except ValueError as error:
            what, _, do = str(error).partition("; ")
            spot = Spot(row.spot.file, row.spot.line, "mac")
            self.problems.append(mend("mac-form", spot, what, do[:1].upper() + do[1:], device))
            return written

    def _unknown(self, row: RawRow, word: str, value: str, known: Iterable[str], device: str) -> None:
        names = list(known)
        what = f"no {word} is called {value}{did_you_mean(value, names)}" if value else f"its {word} is missing"
        do = f"Use one of {', '.join(names)}" if names else f"Describe the {word} in job.yaml first"
        spot = Spot(row.spot.file, row.spot.line, word)
        self.problems.append(mend(f"unknown-{word}", spot, what, do, device, repair=self._described(word, value, what)))

    def _described(self, word: str, value: str, what: str) -> Repair | None:
        """Describe a site or role in job.yaml that the sheet names and nothing else does."""
        if not value or word == "family" or "did you mean" in what:
            return None
        key = "".join(part[0] for part in value.lower().split()) if " " in value else value.lower()
        known = self.job.sites if word == "site" else self.job.roles
        if key in known or not key.isidentifier():
            return None
        path = ("sites", key, "name") if word == "site" else ("roles", value, "short")
        return Repair(f"describe it in job.yaml as {key}", (Change(path, value),))

    # -- derived values ------------------------------------------------------------------------------
    def _derive(self, values: Values, site: Site) -> None:
        if "management.address" not in values and "edge.inside" in values:
            inside = values["edge.inside"]
            assert isinstance(inside.value, IPv4Interface | IPv6Interface)
            values["management.address"] = Value(
                "management.address",
                ManagementAddress.of(inside.value),
                Origin(Layer.DERIVED, "derived: its inside address", inside.origin.spot),
            )
        if site.subnet is None:
            return
        self._prefix(values, site)
        address = values.get("management.address")
        planned = address.value if address and isinstance(address.value, ManagementAddress) else None
        by_lease = planned is not None and planned.method == "dhcp"
        is_router = "edge.outside" in values or (
            planned is not None and planned.address is not None and planned.address == site.gateway
        )
        if "management.gateway" not in values and not by_lease and not is_router and site.gateway is not None:
            values["management.gateway"] = self._derived_gateway(site)

    def _derived_gateway(self, site: Site) -> Value:
        """The same value for all devices of a site, so that checks can see that it is shared."""
        if site.key not in self._gateways:
            assert site.subnet is not None and site.gateway is not None
            place = "last" if int(site.gateway) == hosts(site.subnet)[1] else "first"
            origin = Origin(Layer.DERIVED, f"derived: {place} of {site.subnet}", site.spot)
            self._gateways[site.key] = Value("management.gateway", site.gateway, origin)
        return self._gateways[site.key]

    @staticmethod
    def _prefix(values: Values, site: Site) -> None:
        """A bare address gets the length of its site's subnet."""
        address = values.get("management.address")
        if address is None or site.subnet is None or not isinstance(address.value, ManagementAddress):
            return
        bare = address.value
        if bare.address is None or bare.length != bare.address.max_prefixlen:
            return
        if site.subnet.num_addresses > 1 and bare.address in site.subnet:
            note = Origin(address.origin.layer, f"{address.origin.label}, length from {site.name}", address.origin.spot)
            values["management.address"] = Value(
                "management.address", ManagementAddress.within(bare.address, site.subnet), note, address.overrode
            )

    def _allocate(self, devices: list[Device]) -> tuple[Device, ...]:
        """Give the first free address to each device of an allocating site that has none; what is planned stays."""
        wanting = [d for d in devices if d.site.allocates and "management.address" not in d.values and d.site.subnet]
        if not wanting:
            return tuple(devices)
        taken = {int(a) for d in devices for a in standing(d)}
        for device in devices:
            pool = device.value("edge.dhcp")
            if isinstance(pool, Pool) and int(pool.last) - int(pool.first) < 65536:
                taken.update(range(int(pool.first), int(pool.last) + 1))
        taken |= {int(s.gateway) for s in self.sites.values() if s.gateway is not None}
        filled: dict[Spot, Device] = {}
        free = {d.site.key: free_addresses(d.site, taken) for d in wanting}
        for device in wanting:
            place, address = next(free[device.site.key], (0, None))
            if address is None or device.site.subnet is None:
                self.problems.append(
                    mend(
                        "no-free-address",
                        device.spot,
                        f"{device.site.subnet} has no free address left",
                        "Give the site a larger subnet, or a smaller head and tail",
                        device.name,
                        setting="management.address",
                    )
                )
                continue
            taken.add(int(address))
            origin = Origin(Layer.DERIVED, f"derived: free address {place} of {device.site.subnet}", device.spot)
            given = Value("management.address", ManagementAddress.within(address, device.site.subnet), origin)
            filled[device.spot] = replace(device, values={**device.values, "management.address": given})
        return tuple(filled.get(d.spot, d) for d in devices)


_MAY_BE_PERSONAL = tuple(
    n
    for n in SETTINGS
    if n.startswith(("accounts.", "secrets.", "snmp.", "ntp.secret"))
    or n in ("wireless.ssids", "wireless.radius", "edge.outside")
)


def _own_secret(value: object, entry: str) -> object:
    """The value with `each device` replaced by an entry's name; the same object when there is none."""
    if isinstance(value, Account):
        return Account(value.name, SecretRef(entry)) if value.secret.name == EACH_DEVICE else value
    if isinstance(value, SecretRef):
        return SecretRef(entry) if value.name == EACH_DEVICE else value
    if isinstance(value, Item):
        secret = getattr(value, "secret", None)
        return value.model_copy(update={"secret": SecretRef(entry)}) if secret and secret.name == EACH_DEVICE else value
    if isinstance(value, tuple):
        mine = tuple(_own_secret(part, f"{entry}/{number}") for number, part in enumerate(value, 1))
        return mine if any(a is not b for a, b in zip(mine, value, strict=True)) else value
    return value
