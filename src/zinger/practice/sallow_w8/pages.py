"""The pages of a Sallow W8: a card with a question each, definition lists, what is wrong in a row of its own."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from zinger.practice.core.pages_box import text
from zinger.practice.core.sheet import Sheet
from zinger.practice.sallow_w8.steps import CHANNELS, COUNTRIES, KINDS, ZONES, nets_of

TITLES = {
    "tongue": "Tongue", "country": "Country", "radios": "Radios", "nets": "Networks", "people": "People",
    "clock": "Clock", "wire": "Wire", "sum": "In sum", "now": "Now", "clients": "Clients",
}  # fmt: skip
TERMS = ("A radio may use what its country allows, and nothing else.", "Who sets it up answers for that.")


def whole(title: str, body: str, links: Iterable[tuple[str, str]] = ()) -> str:
    """One page."""
    row = " ".join(f'<a href="{to}">{label}</a>' for to, label in links)
    return (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>W8: {title}</title></head>'
        f"<body><header>{row}</header><section><h2>{title}</h2>{body}</section></body></html>"
    )


def form(path: str, turn: str, rows: str, buttons: Iterable[str], wrong: Mapping[str, str]) -> str:
    """A form; a table whose rows have a label and a control, what is wrong in the row below."""
    presses = "".join(f'<button type="submit" name="go" value="{label}">{label}</button>' for label in buttons)
    return (
        f'<form action="{path}" method="post" accept-charset="utf-8"><input type="hidden" name="turn" value="{turn}">'
        f"<table>{rows}</table>{presses}</form>"
    )


def row(name: str, label: str, control: str, wrong: Mapping[str, str]) -> str:
    no = f'<tr><td></td><td id="no-{name}">no: {text(wrong[name])}</td></tr>' if name in wrong else ""
    told = (
        control.replace(f'name="{name}"', f'name="{name}" aria-describedby="no-{name}"') if name in wrong else control
    )
    return f"<tr><th>{label}</th><td>{told}</td></tr>{no}"


def box(name: str, label: str, v: Mapping[str, str], wrong: Mapping[str, str], kind: str = "text") -> str:
    shown = f' value="{text(v.get(name, ""))}"' if kind != "password" else ""
    return row(name, label, f'<input name="{name}" type="{kind}"{shown}>', wrong)


def pick(
    name: str, label: str, offers: Mapping[str, str] | Iterable[object], v: Mapping[str, str], wrong: Mapping[str, str]
) -> str:
    pairs = offers.items() if isinstance(offers, Mapping) else ((str(o), str(o)) for o in offers)
    value = v.get(name, "")
    options = "".join(f'<option value="{k}"{" selected" if k == value else ""}>{o}</option>' for k, o in pairs)
    return row(name, label, f'<select name="{name}">{options}</select>', wrong)


def tick(name: str, label: str, v: Mapping[str, str]) -> str:
    checked = " checked" if v.get(name) in ("yes", "on") else ""
    return f'<tr><th>{label}</th><td><input type="checkbox" name="{name}"{checked}></td></tr>'


def rows_of(step: str, v: Mapping[str, str], wrong: Mapping[str, str]) -> str:
    """The rows of a page's form."""
    if step == "tongue":
        return pick("tongue", "Language", {"en": "English", "eo": "Esperanto"}, v, wrong)
    if step == "country":
        return pick("country", "It stands in", COUNTRIES, v, wrong)
    if step == "radios":
        return "".join(
            pick(f"channel{tail}", f"Channel at {band} GHz", CHANNELS[band], v, wrong)
            + pick(f"width{tail}", f"Width at {band} GHz, MHz", (20, 40, 80), v, wrong)
            + box(f"power{tail}", f"Power at {band} GHz, dBm", v, wrong)
            for band, tail in (("2.4", "24"), ("5", "5"))
        ) + tick("mesh", "Mesh", v)
    if step == "nets":
        return "".join((
            box("ssid", "Name of the network", v, wrong), pick("kind", "Open how", KINDS, v, wrong),
            box("key", "Its key", v, wrong, "password"), box("vlan", "Its VLAN", v, wrong),
            pick("band", "At", {"all": "both bands", "2.4": "2.4 GHz", "5": "5 GHz"}, v, wrong),
            tick("guests", "For guests, with terms", v), box("radius", "RADIUS server", v, wrong),
            box("radiusport", "Its port", v, wrong), box("radiuskey", "Its shared secret", v, wrong, "password"),
        ))  # fmt: skip
    if step == "people":
        return "".join(
            box(level, label, v, wrong)
            + box(f"{level}pw", f"{label}: password", v, wrong, "password")
            + box(f"{level}pw2", f"{label}: once more", v, wrong, "password")
            for level, label in (("runs", "Who runs it"), ("sees", "Who only sees it"))
        )
    if step == "clock":
        return "".join((
            pick("zone", "Time zone", ZONES, v, wrong), box("time1", "Time server", v, wrong),
            box("time2", "Another time server", v, wrong), box("log", "Log receiver", v, wrong),
        ))  # fmt: skip
    return _wire(v, wrong)


def _wire(v: Mapping[str, str], wrong: Mapping[str, str]) -> str:
    return "".join((
        box("name", "Name", v, wrong), box("greeting", "Greeting", v, wrong), box("idle", "Idle minutes", v, wrong),
        pick("how4", "IPv4", {"lease": "by lease", "fixed": "as follows"}, v, wrong),
        box("address", "IPv4 address and length", v, wrong), box("gateway", "IPv4 gateway", v, wrong),
        pick("how6", "IPv6", {"off": "off", "auto": "by itself", "fixed": "as follows"}, v, wrong),
        box("address6", "IPv6 address and length", v, wrong),
        box("resolver1", "Name server", v, wrong), box("resolver2", "Another name server", v, wrong),
        box("search", "Search domain", v, wrong), tick("plain", "Pages without encryption", v),
    ))  # fmt: skip


def nets_table(state: Sheet) -> str:
    lines = "".join("<tr>" + "".join(f"<td>{text(cell)}</td>" for cell in net) + "</tr>" for net in nets_of(state))
    heads = "".join(f"<th>{word}</th>" for word in ("Network", "Kind", "VLAN", "Band", "For"))
    return f"<table><tr>{heads}</tr>{lines}</table>"


def in_sum(state: Sheet) -> str:
    """What was understood, as terms and descriptions."""
    v = state.values
    told = {
        "Country": v["country"], "Name": v["name"], "IPv4": v["address"] if v["how4"] == "fixed" else "by lease",
        "Gateway": v["gateway"], "Zone": v["zone"],
        "Radio 2.4": f"channel {v['channel24']}, {v['width24']} MHz, {v['power24']} dBm",
        "Radio 5": f"channel {v['channel5']}, {v['width5']} MHz, {v['power5']} dBm",
        "People": ", ".join(state.people),
    }  # fmt: skip
    return "<dl>" + "".join(f"<dt>{label}</dt><dd>{text(value)}</dd>" for label, value in told.items()) + "</dl>"
