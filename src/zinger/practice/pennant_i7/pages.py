"""The pages of a Pennant I7: tabs, rows of a label and a field, and what is not taken under its row."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from zinger.practice.core.box import Body
from zinger.practice.core.pages_box import text
from zinger.practice.core.sheet import Sheet
from zinger.practice.pennant_i7.order import KINDS, PORTS, ZONES, bound_of, groups_of

TITLES = {
    "unit": "Unit", "ring": "Ring", "groups": "VLANs", "ports": "Ports", "bound": "Bound addresses",
    "network": "Network", "clock": "Clock", "people": "People", "line": "Command line",
}  # fmt: skip
LABELS = {
    "unit": {"name": "Name", "place": "Location", "keeper": "Contact", "greeting": "Banner",
             "idle": "Minutes until a person must enter again"},
    "network": {"address": "Address with length", "gateway": "Gateway", "server1": "First name server",
                "server2": "Second name server", "search": "Search domain", "group": "Management VLAN",
                "log": "Sends its log to"},
    "clock": {"time1": "First time server", "time2": "Second time server"},
    "ring": {"ringA": "Ring port A", "farA": "Partner at A", "ringB": "Ring port B", "farB": "Partner at B"},
}  # fmt: skip
Row = tuple[str, str, str, str]
"""Label, name, type, value."""


def whole(title: str, body: str, inside: bool = True) -> str:
    """One page with its tabs."""
    tabs = [*TITLES.items(), ("order", "Work order"), ("preview", "Preview"), ("opens", "Try the command line")]
    nav = "".join(f'<li><a href="/{path}">{label}</a></li>' for path, label in tabs) if inside else ""
    return (
        f"<!doctype html><html lang=en><head><meta charset=utf-8><title>I7 {title}</title></head>"
        f"<body><nav><ul>{nav}</ul></nav><main><h1>{title}</h1>{body}</main></body></html>"
    )


def told(words: str) -> str:
    return f"<p>{text(words)}</p>" if words else ""


def form(path: str, stamp: str, rows: Iterable[Row], button: str, wrong: Mapping[str, str], more: str = "") -> str:
    """A form of rows; the label stands before its field, and is tied to nothing."""
    lines = "".join(
        f"<div class=row><span>{label}</span> "
        f'<input type={kind} name={name} value="{text(value)}">{_no(name, wrong)}</div>'
        for label, name, kind, value in rows
    )
    return (
        f'<form method=post action="{path}"><input type=hidden name=stamp value="{stamp}">{lines}{more}'
        f'<button name=do value="{button}">{button}</button></form>'
    )


def _no(name: str, wrong: Mapping[str, str]) -> str:
    return f"<div class=no>not taken: {text(wrong[name])}</div>" if name in wrong else ""


def _pick(label: str, name: str, offers: Iterable[str], value: str) -> str:
    options = "".join(f"<option{' selected' if offer == value else ''}>{offer}</option>" for offer in offers)
    return f"<div class=row><span>{label}</span> <select name={name}>{options}</select></div>"


def _tick(label: str, name: str, on: bool) -> str:
    return f"<div class=row><label><input type=checkbox name={name}{' checked' if on else ''}> {label}</label></div>"


def page(path: str, state: Sheet, said: Mapping[str, str], wrong: Mapping[str, str], stamp: str, body: Body) -> str:
    """The page of one part, with what stands on the order."""
    v = {**state.values, **said}
    rows = [(label, key, "text", v.get(key, "")) for key, label in LABELS.get(path, {}).items()]
    before, more, to = told(wrong.get("", "")), "", f"/{path}"
    if path == "unit":
        facts = {"Serial number": body.serial, "MAC": body.mac, "Software": body.image, "Encrypted pages": "always"}
        before += "<dl>" + "".join(f"<dt>{label}</dt><dd>{value}</dd>" for label, value in facts.items()) + "</dl>"
    elif path == "network":
        more = _tick("Pages without encryption", "plain", state.values["plain"] == "yes")
    elif path == "clock":
        more = _pick("Zone", "zone", ZONES, v["zone"])
    elif path == "groups":
        listed = "".join(f"<tr><td>{n}</td><td>{text(title)}</td></tr>" for n, title in groups_of(state).items())
        before += f"<table><tr><th>VLAN</th><th>Title</th></tr>{listed}</table>"
        rows = [("Number", "number", "text", said.get("number", "")), ("Title", "title", "text", "")]
        snooping = _tick("IGMP snooping", "listens", state.values["listens"] == "yes")
        return before + form(to, stamp, rows, "Put", wrong) + form(to, stamp, [], "Set", {}, snooping)
    elif path == "ports":
        return before + _ports(state, stamp, wrong)
    elif path == "bound":
        listed = "".join(
            f"<tr><td>{'-'.join(mac[i : i + 2] for i in range(0, 12, 2))}</td><td>{rest}</td></tr>"
            for mac, rest in bound_of(state).items()
        )
        before += f"<table><tr><th>MAC</th><th>Port and address</th></tr>{listed}</table>"
        rows = [(label, key, "text", said.get(key, "")) for key, label in
                (("mac", "Its MAC"), ("port", "At port"), ("address", "With the address"))]  # fmt: skip
    elif path == "people":
        listed = "".join(f"<tr><td>{who}</td><td>{p.level}</td></tr>" for who, p in state.people.items())
        before += f"<table><tr><th>Person</th><th>Is</th></tr>{listed}</table>"
        rows = [("Person", "who", "text", said.get("who", "")), ("Password", "word", "password", ""),
                ("Password again", "again", "password", "")]  # fmt: skip
        more = _pick("Is", "may", ("reader", "builder"), "reader")
    elif path == "line":
        rows = [("New password", "word", "password", ""), ("New password again", "again", "password", "")]
        before += told(
            "The command line has a password." if "line" in state.secrets else "The command line has no password."
        )
    return before + form(to, stamp, rows, "Set", wrong, more)


def _ports(state: Sheet, stamp: str, wrong: Mapping[str, str]) -> str:
    rows = []
    for port in PORTS:
        kind, own, carried, described = (part.strip() for part in state.values[f"port {port}"].split("/"))
        options = "".join(f"<option{' selected' if k == kind else ''}>{k}</option>" for k in KINDS)
        cells = (
            f"<select name=kind{port}>{options}</select>",
            *(
                f'<input name={key}{port} value="{text(value)}">{_no(f"{key}{port}", wrong)}'
                for key, value in (("own", own), ("carried", carried), ("told", described))
            ),
        )
        rows.append(f"<tr><td>{port}</td>{''.join(f'<td>{cell}</td>' for cell in cells)}</tr>")
    heads = "<tr><th>Port</th><th>Kind</th><th>Untagged VLAN</th><th>Tagged VLANs</th><th>Leads to</th></tr>"
    shut = _tick("Ports of VLAN 1 alone are shut", "unused", state.values["unused"] == "shut")
    return form("/ports", stamp, [], "Set", {}, f"<table>{heads}{''.join(rows)}</table>{shut}")


def order(rows: Iterable[tuple[str, str, str]]) -> str:
    """The work order as a table."""
    lines = "".join(f"<tr><td>{key}</td><td>{text(old)}</td><td>{text(new)}</td></tr>" for key, old, new in rows)
    none = told("Nothing is on the order.") if not lines else ""
    return f"{none}<table><tr><th>What</th><th>Saved</th><th>Ordered</th></tr>{lines}</table>"


def preview(lines: Iterable[str], stamp: str) -> str:
    """What it will do, and the button that has it written."""
    shown = "\n".join(text(line) for line in lines)
    return f"<pre>{shown}</pre>" + form("/preview", stamp, [], "Write it", {})
