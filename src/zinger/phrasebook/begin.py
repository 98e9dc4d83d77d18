"""The commented start of a phrasebook: few facts in, a file out that loads and says what to fill in next."""

from __future__ import annotations

import re
from ipaddress import IPv4Interface

_START = """\
# How Zinger talks to a {title}. Every line that begins with # is advice; `zinger family check` says what is missing.
family: {name}
title: {title}
kind: device

factory:                      # what people look up
  console: 9600 8N1
  boots_in: 60 s
  sign_in: {{user: '', on_label: true}}

limits:
  hostname: {{longest: 24, of: '[a-z0-9-]'}}
  password: {{shortest: 8, longest: 32, classes: [letter, digit]}}

typing: {{enter: enter, cancel: ctrl-u}}
home: main                    # where an administrator works

# Lines that burst in at any time, and lines that are the device's no:
noise: []
refusals: []

# Which fact is the serial number, and which the MAC, so that the right box is known:
identity: {{}}

places:                       # what stands at the end of the screen; groups capture, and are evidence
  sign_in: {{asks: {login}, asks_for: user, enter: harmless}}
  secret:  {{asks: {secret}, asks_for: password, blind: true}}
  main:    {{prompt: {prompt}}}
  # pager: {{pager: '(\\d+) lines left', press: space, leave: q}}

moves:                        # how one gets from place to place
  - {{from: sign_in, to: secret}}          # a place that asks for a credential is answered with it
  - {{from: secret, to: [main, sign_in]}}

settings: {{}}                  # what to send, and where, to make a value true; `read` names the fact that proves it
  # hostname: {{at: main, send: 'rename {{{{ value }}}}', undo: 'rename {{{{ before }}}}', read: name}}

readings: {{}}                  # what to ask, and how to take facts: each pattern has a group named value
  # everything:
  #   at: main
  #   ask: tell all
  #   take: {{name: '^name +(?P<value>\\S+)$'}}

save: {{at: main, send: keep}}   # what saves to startup
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


def commented_start(name: str, prompt: str, login: str, secret: str) -> str:
    """The text; raises ValueError for a name or prompt that can't be used."""
    check_name(name)
    if not prompt.strip() or not login.strip() or not secret.strip():
        raise ValueError("a prompt or question is empty; give it as it stands on the screen")
    pattern = "^" + re.escape(prompt).replace("HOSTNAME", r"(?P<hostname>\S+)").replace("\\ ", " ")
    login, secret = (_quoted(re.escape(text).replace("\\ ", " ")) for text in (login, secret))
    prompt = _quoted(pattern)
    return _START.format(name=name, title=_title(name), login=login, secret=secret, prompt=prompt)


def check_name(name: str) -> None:
    """Raises ValueError for what can't be a family's name."""
    if not re.fullmatch(r"[a-z][a-z0-9]*(-[a-z0-9]+)*", name):
        raise ValueError(f"{name!r} is not a family's name; write it in lower case with hyphens, like quern-s4")


def _title(name: str) -> str:
    return " ".join(word.upper() if any(c.isdigit() for c in word) else word.capitalize() for word in name.split("-"))


def _quoted(text: str) -> str:
    return "'" + text.replace("'", "''") + "'"
