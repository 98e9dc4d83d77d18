"""The pages of a Pennant P1, as its maker's students wrote them long ago: tables, unclosed cells, ISO 8859-1."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from zinger.practice.core.pages_box import text
from zinger.practice.core.people import Person
from zinger.practice.core.sheet import SEVERITIES, Sheet
from zinger.practice.pennant_p1.state import KINDS, LENGTHS, PORTS, SPEEDS, ZONES, vlans_of

PLACES = {
    "state": "State",
    "name": "Name",
    "time": "Time",
    "address": "Address",
    "vlans": "VLANs",
    "ports": "Ports",
    "voice": "Voice",
    "people": "People",
    "records": "Records",
    "keep": "Keep",
}
"""The pages by path, as the row of links names them."""
CLOCKS = {"none": "runs free", "servers": "follows servers"}
RIGHTS = {"looks": "only look", "changes": "change"}
WAYS = {"lease": "by lease", "fixed": "from here"}
Rows = Iterable[tuple[str, str, str]]
"""Label, control, name of the control."""


def whole(title: str, body: str, unsaved: bool = False, inside: bool = True) -> str:
    """One page; once signed in, with the row of links."""
    links = " | ".join(f"<A HREF=/{path}>{label}</A>" for path, label in PLACES.items())
    nav = f"<P>{links} | <A HREF=/leave>Leave</A>" if inside else ""
    note = "<P><B>Changed, not kept: the changes are gone when it loses power.</B>" if unsaved else ""
    head = f"<HTML><HEAD><TITLE>Pennant P1 \xb7 {title}</TITLE></HEAD>"
    return f"{head}<BODY><H2>{title}</H2>{nav}{note}{body}</BODY></HTML>"


def form(path: str, once: str, rows: Rows, wrong: Mapping[str, str], button: str, more: str = "") -> str:
    """A form as a table of rows, what is wrong in a third column."""
    lines = "".join(
        f"<TR><TD>{label}:<TD>{control}<TD><FONT COLOR=red>{'Wrong: ' + wrong[key] if key in wrong else ''}</FONT>"
        for label, control, key in rows
    )
    hidden = f"<INPUT TYPE=hidden NAME=once VALUE={once}>"
    submit = f"<INPUT TYPE=submit VALUE='{button}'>"
    return f"<FORM METHOD=post ACTION=/{path}>{hidden}<TABLE>{lines}</TABLE>{more}{submit}</FORM>"


def box(name: str, value: str, size: int = 20, kind: str = "text") -> str:
    return f'<INPUT TYPE={kind} NAME={name} SIZE={size} VALUE="{text(value)}">'


def pick(name: str, offers: Mapping[str, str] | Iterable[str], value: str) -> str:
    pairs = offers.items() if isinstance(offers, Mapping) else ((offer, offer) for offer in offers)
    options = "".join(f'<OPTION VALUE="{key}"{" SELECTED" if key == value else ""}>{label}' for key, label in pairs)
    return f"<SELECT NAME={name}>{options}</SELECT>"


def tick(name: str, value: str) -> str:
    return f"<INPUT TYPE=checkbox NAME={name}{' CHECKED' if value == 'yes' else ''}>"


def radios(name: str, offers: Mapping[str, str], value: str) -> str:
    return " ".join(
        f"<INPUT TYPE=radio NAME={name} VALUE={key}{' CHECKED' if key == value else ''}> {label}"
        for key, label in offers.items()
    )


def rows_of(path: str, v: Mapping[str, str], state: Sheet) -> Rows:
    """The rows of a page's form."""
    known = {str(n): f"{n} {title}" for n, title in vlans_of(state).items()}
    pages: dict[str, Rows] = {
        "name": [("Name", box("name", v["name"]), "name"), ("Place", box("place", v["place"], 40), "place"),
                 ("Who keeps it", box("keeper", v["keeper"], 40), "keeper")],
        "time": [("Clock", radios("source", CLOCKS, v["source"]), "source"),
                 ("First server", box("server1", v["server1"]), "server1"),
                 ("Second server", box("server2", v["server2"]), "server2"),
                 ("Zone", pick("zone", ZONES, v["zone"]), "zone")],
        "address": [("Its address comes",
                     radios("mode", WAYS, v["mode"]), "mode"),
                    ("Address", box("address", v["address"]), "address"),
                    ("Length of the network part", pick("length", LENGTHS, v["length"]), "length"),
                    ("Way out", box("gateway", v["gateway"]), "gateway"),
                    ("First name server", box("resolver1", v["resolver1"]), "resolver1"),
                    ("Second name server", box("resolver2", v["resolver2"]), "resolver2"),
                    ("Search domain", box("search", v["search"], 40), "search"),
                    ("Managed in VLAN", pick("vlan", known, v["vlan"]), "vlan"),
                    ("Idle minutes", box("idle", v["idle"], 4), "idle"),
                    ("Plain pages too", tick("plain", v["plain"]), "plain")],
        "records": [("Records from", pick("severity", SEVERITIES, v["severity"]), "severity"),
                    ("Records outlive a restart", tick("survives", v["survives"]), "survives"),
                    ("Far receiver", box("far", v["far"]), "far"),
                    ("Port of the receiver", box("farport", v["farport"], 6), "farport"),
                    ("To the receiver from", pick("farseverity", SEVERITIES, v["farseverity"]), "farseverity")],
        "vlans": [("Number", box("number", v.get("number", ""), 5), "number"),
                  ("Title", box("title", v.get("title", "")), "title")],
        "voice": [("Voice VLAN", box("voice", v["voice"], 5), "voice"),
                  ("CoS", box("voicecos", v["voicecos"], 3), "voicecos"),
                  ("DSCP", box("voicedscp", v["voicedscp"], 3), "voicedscp"),
                  ("Told to telephones by LLDP", tick("lldp", v["lldp"]), "lldp")],
        "people": [("Account", box("who", v.get("who", "")), "who"),
                   ("May", pick("level", RIGHTS, v.get("level", "looks")), "level"),
                   ("Password", box("secret", "", 20, "password"), "secret"),
                   ("Password again", box("secret2", "", 20, "password"), "secret2")],
    }  # fmt: skip
    return pages[path]


def vlan_list(state: Sheet) -> str:
    lines = "".join(f"<TR><TD>{n}<TD>{text(title)}" for n, title in vlans_of(state).items())
    return f"<TABLE BORDER=1><TR><TH>VLAN<TH>Called{lines}</TABLE>"


def people_list(people: Mapping[str, Person]) -> str:
    lines = "".join(
        f"<TR><TD>{text(who)}<TD>{'may change' if p.level == 'changes' else 'only looks'}" for who, p in people.items()
    )
    return f"<TABLE BORDER=1><TR><TH>Person<TH>Right{lines}</TABLE>"


def ports_form(once: str, state: Sheet, wrong: Mapping[str, str]) -> str:
    v, lines = state.values, ""
    for n in PORTS:
        kind, untagged, tagged, never, _ = v[f"port{n}"].split("|")
        cells = (
            f"{n}",
            pick(f"k{n}", KINDS, kind),
            box(f"u{n}", untagged, 5),
            box(f"t{n}", tagged),
            box(f"f{n}", never),
            pick(f"s{n}", SPEEDS, v[f"port{n}speed"]),
            box(f"d{n}", v[f"port{n}text"]),
            "<FONT COLOR=red>"
            + " ".join(f"Wrong: {wrong[c + str(n)]}" for c in "kutf" if c + str(n) in wrong)
            + "</FONT>",
        )
        lines += "<TR>" + "".join(f"<TD>{cell}" for cell in cells)
    heads = ("Port", "Carries", "Untagged", "Tagged", "Forbidden", "Speed", "Text", "")
    head = "<TR>" + "".join(f"<TH>{word}" for word in heads)
    closed = f"<P>{tick('closed', v['closed'])} No port carries VLAN 1 by itself"
    hidden = f"<INPUT TYPE=hidden NAME=once VALUE={once}>"
    return (
        f"<FORM METHOD=post ACTION=/ports>{hidden}<TABLE BORDER=1>{head}{lines}</TABLE>{closed}"
        "<P><INPUT TYPE=submit VALUE='Set all ports'></FORM>"
    )


def _wrong_at(n: int, wrong: Mapping[str, str]) -> str:
    return " ".join(f"Wrong: {wrong[column + str(n)]}" for column in "kutf" if column + str(n) in wrong)
