"""The commented start of a phrasebook: few facts in, a file out that loads and says what to fill in next."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from ipaddress import IPv4Interface

NUMBER = "\ue000"
"""Stands for a number that counts on, in the shape of a prompt."""
_START = """\
{notes}\
# How Zinger talks to a {title}. Every line that begins with # is advice; `zinger family check` says what is missing.
family: {name}
title: {title}
kind: device

factory:                      # what people look up
  console: {console}
  boots_in: 60 s
  sign_in: {{user: {user}, on_label: true}}

limits:
  hostname: {{longest: 24, of: '[a-z0-9-]'}}
  password: {{shortest: 8, longest: 32, classes: [letter, digit]}}

typing: {{enter: enter, cancel: ctrl-u}}
home: main                    # where an administrator works

# Lines that burst in at any time, and lines that are the device's no:
noise: {noise}
refusals: []

# Which fact is the serial number, and which the MAC, so that the right box is known:
identity: {{}}

places:                       # what stands at the end of the screen; groups capture, and are evidence
{places}

moves:                        # how one gets from place to place
{moves}

settings: {{}}                  # what to send, and where, to make a value true; `read` names the fact that proves it
  # hostname: {{at: main, send: 'rename {{{{ value }}}}', undo: 'rename {{{{ before }}}}', read: name}}
{sent}
readings: {{}}                  # what to ask, and how to take facts: each pattern has a group named value
  # everything:
  #   at: main
  #   ask: tell all
  #   take: {{name: '^name +(?P<value>\\S+)$'}}

save: {save}   # what saves to startup
"""


_PAGES = """\
# How Zinger talks to a {title} on its pages. A line that begins with # is advice; `zinger family check` says what is
# missing, docs/pages.md what can be said.
family: {name}
title: {title}
kind: device

factory:                      # what people look up
  address: {address}
  boots_in: 60 s
  sign_in: {{user: admin, on_label: true}}

limits:
  hostname: {{longest: 24, of: '[a-z0-9-]'}}
  password: {{shortest: 8, longest: 32, classes: [letter, digit]}}

proved_over: [services.https]
pages: {{start: /}}             # where a look begins
home: main                    # where an administrator works

refusals: []                  # lines of a page that are the device's no
identity: {{}}                  # which fact is the serial number, and which the MAC

places:                       # a page each, by what it shows: all that is said must be so
  door: {{page: {{has: [User, Password]}}, asks_for: password}}
  main: {{page: {{title: 'Overview'}}}}

moves:                        # how one gets from page to page: fill and press, follow, open
  - {{from: door, to: main, fill: {{User: '{{{{ user }}}}', Password: '{{{{ password }}}}'}}, press: Sign in}}

settings: {{}}                  # what is filled in, and where; `read` names the fact that proves it
  # hostname: {{at: main, fill: {{Name: '{{{{ value }}}}'}}, press: Save, read: name}}

readings: {{}}                  # where each value stands
  # main: {{at: main, take: {{name: {{field: Name}}, serial: {{row: Serial number}}}}}}
"""


def start_of_pages(name: str, address: str) -> str:
    """The text of a family that has pages, with its factory address; raises ValueError for what can't be used."""
    check_name(name)
    try:
        IPv4Interface(address)
    except ValueError:
        raise ValueError(f"{address!r} is not an address with its prefix length; write it like 192.0.2.5/24") from None
    return _PAGES.format(name=name, title=_title(name), address=address)


@dataclass(frozen=True)
class Start:
    """What is known of a terminal's family before anybody wrote of it: texts as they stand on the screen.

    In a prompt, HOSTNAME stands for the name of the device, and `NUMBER` for one that counts on; noise and a pager are
    patterns already.
    """

    prompts: Sequence[str]
    """The first is where an administrator works."""
    login: str
    """The question for a name; empty where nobody is asked for one."""
    secret: str
    user: str = ""
    """Who was named there."""
    console: str = "9600 8N1"
    noise: Sequence[str] = ()
    pager: str = ""
    saves: str = "keep"
    sure: tuple[str, str] = ("", "")
    """What it asks before it saves, and the answer."""
    blind: Sequence[str] = ()
    """Other questions that did not echo."""
    sent: Sequence[str] = ()
    """What somebody sent that did something."""
    notes: Sequence[str] = ()


def commented_start(name: str, start: Start) -> str:
    """The text; raises ValueError for a name or prompt that can't be used."""
    check_name(name)
    if not all(prompt.strip() for prompt in start.prompts) or not start.secret.strip():
        raise ValueError("a prompt or question is empty; give it as it stands on the screen")
    noise = "[]" if not start.noise else "".join(f"\n  - {_quoted(pattern)}" for pattern in start.noise)
    question, answer = start.sure
    replies = f", replies: {{sure: {_quoted(answer)}}}" if question else ""
    return _START.format(
        name=name,
        title=_title(name),
        user=_quoted(start.user),
        notes="".join(f"# noted at the wire: {one_line(note)}\n" for note in start.notes),
        console=start.console,
        noise=noise,
        places="\n".join(_places(start)),
        moves="\n".join(_moves(start)),
        sent="".join(f"  # sent at the wire: {one_line(line)}\n" for line in start.sent),
        save=f"{{at: main, send: {_quoted(start.saves)}{replies}}}",
    )


def _places(start: Start) -> list[str]:
    pager = f"  pager: {{pager: {_quoted(start.pager)}, press: space, leave: q}}"
    question, _ = start.sure
    return [
        *([f"  sign_in: {{asks: {_shown(start.login)}, asks_for: user, enter: harmless}}"] if start.login else []),
        f"  secret:  {{asks: {_shown(start.secret)}, asks_for: password, blind: true}}",
        f"  main:    {{prompt: {_prompt(start.prompts[0])}}}",
        *([f"  sure:    {{asks: {_shown(question)}}}"] if question else []),
        *(f"  place_{n}: {{prompt: {_prompt(prompt)}}}" for n, prompt in enumerate(start.prompts[1:], 2)),
        *(f"  # asks without an echo: {_quoted(question)}" for question in start.blind),
        pager if start.pager else "  # pager: {pager: '(\\d+) lines left', press: space, leave: q}",
    ]


def _moves(start: Start) -> list[str]:
    asked = "  - {from: sign_in, to: secret}          # a place that asks for a credential is answered with it"
    return [
        *([asked] if start.login else []),
        f"  - {{from: secret, to: {'[main, sign_in]' if start.login else 'main'}}}",
        *(f"  # - {{from: main, send: WHAT LEADS THERE, to: place_{n}}}" for n, _ in enumerate(start.prompts[1:], 2)),
    ]


def _prompt(text: str) -> str:
    return _quoted("^" + _escaped(text).replace("HOSTNAME", r"(?P<hostname>\S+)").replace(NUMBER, r"\d+"))


def _shown(text: str) -> str:
    return _quoted(_escaped(text))


def _escaped(text: str) -> str:
    return re.escape(text).replace("\\ ", " ")


def check_name(name: str) -> None:
    """Raises ValueError for what can't be a family's name."""
    if not re.fullmatch(r"[a-z][a-z0-9]*(-[a-z0-9]+)*", name):
        raise ValueError(f"{name!r} is not a family's name; write it in lower case with hyphens, like quern-s4")


def _title(name: str) -> str:
    return " ".join(word.upper() if any(c.isdigit() for c in word) else word.capitalize() for word in name.split("-"))


def _quoted(text: str) -> str:
    return "'" + one_line(text).replace("'", "''") + "'"


def one_line(text: str) -> str:
    """A text as a line of a file can hold it."""
    return "".join(char if char.isprintable() else " " for char in text)
