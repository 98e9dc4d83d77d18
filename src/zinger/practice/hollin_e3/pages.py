"""The pages of a Hollin E3: boxes under labels, what is wrong in a list under the box."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from zinger.practice.core.pages_box import text
from zinger.practice.core.sheet import SEVERITIES, Sheet
from zinger.practice.hollin_e3.draft import DOORS, SIDES, ZONES, listed

TABS = {
    "overview": "Overview",
    "identity": "Identity",
    "outside": "Upstream side",
    "inside": "Local side",
    "doors": "Doors",
    "rules": "Rules",
    "forwards": "Forwards",
    "keeps": "Kept addresses",
    "people": "People",
    "force": "Into force",
}
TERMS = (
    "Hollin gives this firewall as it is.",
    "Who puts it into force answers for what it lets through.",
    "Its log may hold the addresses of people; keep it as the law where it stands wants it.",
)


def whole(title: str, body: str, tabs: bool = True) -> str:
    """One page."""
    row = "".join(f'<li><a href="/{path}">{label}</a></li>' for path, label in TABS.items())
    nav = f"<nav><ul>{row}</ul></nav>" if tabs else ""
    return (
        f"<!doctype html><html lang=en><head><meta charset=utf-8><title>{title} — Hollin E3</title></head>"
        f"<body>{nav}<main><h1>{title}</h1>{body}</main></body></html>"
    )


def box(name: str, label: str, value: str, wrong: Mapping[str, str], kind: str = "text") -> str:
    shown = f' value="{text(value)}"' if kind != "password" else ""
    return _labelled(name, label, f'<input id="{name}" name="{name}" type="{kind}"{shown}{_told(name, wrong)}>', wrong)


def area(name: str, label: str, value: str, wrong: Mapping[str, str]) -> str:
    return _labelled(
        name, label, f'<textarea id="{name}" name="{name}"{_told(name, wrong)}>\n{text(value)}</textarea>', wrong
    )


def pick(name: str, label: str, offers: Iterable[str] | Mapping[str, str], value: str, wrong: Mapping[str, str]) -> str:
    pairs = offers.items() if isinstance(offers, Mapping) else ((offer, offer) for offer in offers)
    options = "".join(f'<option value="{k}"{" selected" if k == value else ""}>{v}</option>' for k, v in pairs)
    return _labelled(name, label, f'<select id="{name}" name="{name}">{options}</select>', wrong)


def _told(name: str, wrong: Mapping[str, str]) -> str:
    return f' aria-invalid=true aria-describedby="no-{name}"' if name in wrong else ""


def _labelled(name: str, label: str, control: str, wrong: Mapping[str, str]) -> str:
    no = f'<ul class=no id="no-{name}"><li>can\'t be: {text(wrong[name])}</li></ul>' if name in wrong else ""
    return f'<div><label for="{name}">{label}</label>{control}{no}</div>'


def form(path: str, token: str, body: str, button: str) -> str:
    return (
        f'<form method=post action="/{path}"><input type=hidden name=pass value="{token}">{body}'
        f"<p><button>{button}</button></p></form>"
    )


def body_of(path: str, v: Mapping[str, str], state: Sheet, wrong: Mapping[str, str]) -> str:
    """What stands in a page's form."""
    if path == "identity":
        return "".join((
            box("name", "Name", v["name"], wrong), box("place", "Place", v["place"], wrong),
            box("contact", "Whom to call", v["contact"], wrong), area("greeting", "Greeting", v["greeting"], wrong),
            box("idle", "Idle after minutes", v["idle"], wrong), pick("zone", "Zone", ZONES, v["zone"], wrong),
            box("time1", "Time from", v["time1"], wrong), box("time2", "Else from", v["time2"], wrong),
            box("log", "Log to", v["log"], wrong), box("logport", "Port of the log", v["logport"], wrong),
            pick("loglevel", "Log from", SEVERITIES, v["loglevel"], wrong),
            pick("reset", "Reset at the device", ("allowed", "forbidden"), v["reset"], wrong),
        ))  # fmt: skip
    if path == "outside":
        ways = {"lease": "by lease", "static": "as said here", "pppoe": "by PPPoE"}
        return "".join((
            pick("how", "Upstream address", ways, v["how"], wrong),
            box("outaddress", "Address with length", v["outaddress"], wrong),
            box("outgateway", "Next hop", v["outgateway"], wrong),
            box("ppp", "PPPoE name", v["ppp"], wrong), box("ppppw", "PPPoE password", "", wrong, "password"),
        ))  # fmt: skip
    if path == "inside":
        return "".join((
            box("address", "Own address with length", v["address"], wrong),
            box("first", "Lease from", v["first"], wrong), box("last", "Lease to", v["last"], wrong),
            box("lease", "Lease for minutes", v["lease"], wrong),
            box("hand1", "Name server for all", v["hand1"], wrong),
            box("hand2", "Second name server", v["hand2"], wrong),
            box("search", "Search domain", v["search"], wrong),
            box("guest", "Guests at, with length", v["guest"], wrong),
        ))  # fmt: skip
    if path == "doors":
        return _doors(state, wrong)
    if path == "people":
        return "".join((
            box("who", "Person", v.get("who", ""), wrong),
            pick("right", "Right", {"view": "looks", "all": "changes"}, v.get("right", "view"), wrong),
            box("pw", "Password", "", wrong, "password"), box("pw2", "Once more", "", wrong, "password"),
        ))  # fmt: skip
    return _of_list(path, v, wrong)


def _of_list(path: str, v: Mapping[str, str], wrong: Mapping[str, str]) -> str:
    """The form that adds an entry to a list."""
    if path == "rules":
        return "".join((
            box("purpose", "Purpose", v.get("purpose", ""), wrong),
            pick("what", "Does", ("let through", "keep out"), v.get("what", "let through"), wrong),
            *(box(key, label, v.get(key, ""), wrong) for key, label in
              (("source", "From"), ("target", "Towards"), ("service", "Service"))),
        ))  # fmt: skip
    if path == "forwards":
        return "".join((
            box("port", "Upstream port", v.get("port", ""), wrong), pick("by", "By", ("tcp", "udp"), "tcp", wrong),
            box("to", "To address", v.get("to", ""), wrong), box("their", "To port", v.get("their", ""), wrong),
            box("why", "Purpose", v.get("why", ""), wrong),
        ))  # fmt: skip
    return "".join((
        box("mac", "MAC", v.get("mac", ""), wrong), box("at", "Address", v.get("at", ""), wrong),
        box("called", "Called", v.get("called", ""), wrong),
    ))  # fmt: skip


def _doors(state: Sheet, wrong: Mapping[str, str]) -> str:
    head = "<tr><th>Door<th>" + "<th>".join(SIDES)
    rows = ""
    for door in DOORS:
        cells = ""
        for side in SIDES:
            ticked = " checked" if state.values[f"door:{door}:{side}"] == "yes" else ""
            no = f"<b>can't be: {wrong[f'{door}-{side}']}</b>" if f"{door}-{side}" in wrong else ""
            cells += f"<td><input type=checkbox name={door}-{side}{ticked}>{no}"
        rows += f"<tr><td>{door}{cells}"
    return f"<table>{head}{rows}</table>"


def list_of(path: str, state: Sheet) -> str:
    """The entries that a list has."""
    if path == "people":
        names = {"all": "changes", "view": "looks"}
        return _table(("Person", "Right"), [(who, names[p.level]) for who, p in state.people.items()])
    heads = {
        "rules": ("Purpose", "Does", "From", "Towards", "Service"),
        "forwards": ("Upstream port", "By", "To address", "To port", "Purpose"),
        "keeps": ("MAC", "Address", "Called"),
    }[path]
    rows = [tuple(entry.split("|")) for _, entry in listed(state, path.removesuffix("s"))]
    if path == "rules":
        rows.append(("everything else", state.values["else"], "any", "any", "any"))
    return _table(heads, rows)


def _table(heads: Iterable[str], rows: Iterable[Iterable[str]]) -> str:
    head = "".join(f"<th>{word}</th>" for word in heads)
    lines = "".join("<tr>" + "".join(f"<td>{text(cell)}</td>" for cell in row) + "</tr>" for row in rows)
    return f"<table class=list><tr>{head}</tr>{lines}</table>"
