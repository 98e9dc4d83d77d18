"""The commented start of a phrasebook: few facts in, a file out that loads and says what to fill in next."""

from __future__ import annotations

import re

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


def commented_start(name: str, prompt: str, login: str, secret: str) -> str:
    """The text; raises ValueError for a name or prompt that can't be used."""
    if not re.fullmatch(r"[a-z][a-z0-9]*(-[a-z0-9]+)*", name):
        raise ValueError(f"{name!r} is not a family's name; write it in lower case with hyphens, like quern-s4")
    if not prompt.strip() or not login.strip() or not secret.strip():
        raise ValueError("a prompt or question is empty; give it as it stands on the screen")
    title = " ".join(word.upper() if any(c.isdigit() for c in word) else word.capitalize() for word in name.split("-"))
    pattern = "^" + re.escape(prompt).replace("HOSTNAME", r"(?P<hostname>\S+)").replace("\\ ", " ")
    login, secret = (_quoted(re.escape(text).replace("\\ ", " ")) for text in (login, secret))
    prompt = _quoted(pattern)
    return _START.format(name=name, title=title, login=login, secret=secret, prompt=prompt)


def _quoted(text: str) -> str:
    return "'" + text.replace("'", "''") + "'"
