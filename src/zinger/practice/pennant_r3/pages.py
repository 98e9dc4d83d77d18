"""The pages of a Pennant R3: a label tied to its field, a list above the form that adds to it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from zinger.practice.core.box import Body
from zinger.practice.core.pages_box import text
from zinger.practice.core.sheet import Sheet
from zinger.practice.pennant_r3.rooms import LISTS, ROOMS, rows_of

Field = tuple[str, str, str, str]
"""Name, label, type, value."""


def whole(title: str, body: str, inside: bool = True) -> str:
    """One page; inside, with the way to every other."""
    ways = [*((f"/room/{k}", r.title) for k, r in ROOMS.items()), *((f"/list/{k}", n.title) for k, n in LISTS.items())]
    ways += [("/join", "Join"), ("/try", "Try a key"), ("/back", "Bring back")]
    links = " ".join(f"<a href={to}>{label}</a>" for to, label in ways)
    return (
        f"<!doctype html><html><head><title>R3: {title}</title></head><body><header>Pennant R3</header>"
        f"{f'<nav>{links}</nav>' if inside else ''}<h1>{title}</h1>{body}</body></html>"
    )


def form(
    to: str, token: str, fields: Iterable[Field], wrong: Mapping[str, str], button: str, more: Iterable[str] = ()
) -> str:
    """A form, each field under its label."""
    rows = "".join(
        f'<p><label for="{name}">{label}</label><br><input id="{name}" name="{name}" type={kind} value="{text(value)}">'
        f"{no(name, wrong)}</p>"
        for name, label, kind, value in fields
    )
    hidden = f'<input type=hidden name=token value="{token}">' if token else ""
    return f"<form method=post action={to}>{hidden}{rows}{''.join(more)}<p><button>{button}</button></p></form>"


def no(name: str, wrong: Mapping[str, str]) -> str:
    return f"<br><strong class=no role=alert>Refused: {text(wrong[name])}</strong>" if name in wrong else ""


def pick(name: str, label: str, offers: Iterable[str], value: str, wrong: Mapping[str, str]) -> str:
    """Offers as radio buttons where they are few, else as a list."""
    known = list(offers)
    if len(known) < 4:
        dots = " ".join(
            f'<label><input type=radio name="{name}" value="{o}"{" checked" if o == value else ""}> {o}</label>'
            for o in known
        )
        return f"<fieldset><legend>{label}</legend>{dots}{no(name, wrong)}</fieldset>"
    options = "".join(f"<option{' selected' if o == value else ''}>{o}</option>" for o in known)
    return f'<p><label for="{name}">{label}</label><br><select id="{name}" name="{name}">{options}</select></p>'


def tick(name: str, label: str, value: str) -> str:
    checked = " checked" if value == "on" else ""
    return f'<p><label><input type=checkbox name="{name}"{checked}> {label}</label></p>'


def room(key: str, v: Mapping[str, str], wrong: Mapping[str, str], token: str, body: Body) -> str:
    """A page of settings."""
    page = ROOMS[key]
    fields = [(name, label, "text", v.get(name, "")) for name, (label, _) in page.fields.items()]
    fields += [(name, label, "password", "") for name, label in page.secrets.items()]
    more = [pick(name, label, offers, v.get(name, ""), wrong) for name, (label, offers) in page.picks.items()]
    more += [tick(name, label, v.get(name, "")) for name, label in page.ticks.items()]
    facts = {"Serial": body.serial, "MAC": body.mac, "Version": body.image, "Encrypted pages": "always"}
    told = "".join(f"<dt>{label}</dt><dd>{value}</dd>" for label, value in facts.items()) if key == "unit" else ""
    before = f"<dl>{told}</dl><p><a href=/settings.txt>All settings as a text</a></p>" if told else ""
    return before + form(f"/room/{key}", token, fields, wrong, "Take", more)


def listing(key: str, state: Sheet, said: Mapping[str, str], wrong: Mapping[str, str], token: str) -> str:
    """A page with a list."""
    page = LISTS[key]
    heads = "".join(f"<th>{column}</th>" for column in page.columns)
    rows = "".join("<tr>" + "".join(f"<td>{text(cell)}</td>" for cell in row) + "</tr>" for row in rows_of(key, state))
    fields = [(name, label, "text", said.get(name, "")) for name, (label, _) in page.fields.items()]
    fields += [(name, label, "password", "") for name, label in page.secrets]
    more = [pick(n, label, offers, said.get(n, offers[0]), wrong) for n, (label, offers) in page.picks.items()]
    return f"<table><tr>{heads}</tr>{rows}</table>" + form(f"/list/{key}", token, fields, wrong, "Add", more)
