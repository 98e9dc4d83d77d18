"""A job.yaml to begin with, from a sheet: its sites, roles and headings, and the baseline still to be said."""

from __future__ import annotations

import re
from collections.abc import Container, Mapping

from zinger.plan.files.transfer import Imported
from zinger.plan.values.addresses import parse_interface

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


def job_text(title: str, imported: Imported, remembered: Mapping[str, str]) -> str:
    """A job.yaml to begin with: the sites, roles and headings of a sheet, and the baseline still to be said."""
    sites = _listed(imported, "site")
    roles = _listed(imported, "role")
    lines = [f"job: {quoted(title)}", *_BEGINNING.splitlines(), "sites:"]
    for key, name in sites.items():
        net = subnet_of(imported, name)
        subnet = f", subnet: {net}}}" if net else "}     # subnet: 10.44.8.0/24"
        lines.append(f"  {key}: {{name: {quoted(name)}{subnet}")
    lines += [] if sites else ["  # wj: {name: Wheal Junction, subnet: 10.44.8.0/24}"]
    if roles:
        lines += ["", "roles:", *(f"  {quoted(name)}: {{}}" for name in roles.values())]
    if remembered:
        lines += ["", "columns:                  # what the headings of the sheet mean; nothing: kept as they are"]
        lines += [f"  {quoted(heading)}: {meaning or _NOTHING}" for heading, meaning in remembered.items()]
    return "\n".join(lines) + "\n"


def _listed(imported: Imported, meaning: str) -> dict[str, str]:
    """The different values of a column, each with a short key."""
    found: dict[str, str] = {}
    for name in dict.fromkeys(filter(None, imported.column(meaning))):
        found[site_key(name, found)] = name
    return found


def site_key(name: str, taken: Container[str]) -> str:
    """A short key for a site that is not taken: the beginnings of its words, or of its name."""
    key = "".join(word[0] for word in name.lower().split() if word[0].isalnum())
    key = key if len(key) > 1 else "".join(c for c in name.lower() if c.isalnum())[:6] or "site"
    stem, number = key, 2
    while key in taken:
        key, number = f"{stem}{number}", number + 1
    return key


def subnet_of(imported: Imported, site: str) -> str:
    """The one subnet in which all addresses of a site are, if they say their length and agree; empty otherwise."""
    pairs = zip(imported.column("management.address"), imported.column("site"), strict=True)
    texts = [address for address, where in pairs if where == site and re.fullmatch(r"[0-9a-f.:]+/\d+", address)]
    nets = {parse_interface(text).network for text in texts}
    return str(nets.pop()) if len(nets) == 1 else ""


def quoted(text: str) -> str:
    """A YAML scalar that is text whatever it looks like."""
    plain = text.replace(" ", "").replace("-", "").replace("_", "")
    if plain.isalnum() and not plain[0].isdigit() and text.lower() not in _WORDS_OF_YAML:
        return text
    return "'" + text.replace("'", "''") + "'"
