"""TCP and UDP ports by their registered names (RFC 6335), those that people plan."""

from __future__ import annotations

from zinger.plan.values.bad import BadValue
from zinger.plan.values.text import parse_text, whole
from zinger.wording import did_you_mean

NAMES = {
    "ftp": 21, "ssh": 22, "telnet": 23, "smtp": 25, "domain": 53, "tftp": 69, "http": 80, "pop3": 110, "ntp": 123,
    "imap": 143, "snmp": 161, "ldap": 389, "https": 443, "submission": 587, "syslog": 514, "rtsp": 554, "ldaps": 636,
    "imaps": 993, "pop3s": 995, "radius": 1812, "mqtt": 1883, "rdp": 3389, "ms-wbt-server": 3389, "sip": 5060,
    "sips": 5061, "secure-mqtt": 8883, "ipp": 631,
}  # fmt: skip
_number = whole(1, 65535, word="port number")


def parse_port(raw: object) -> int:
    """A port by its number, or by the name of its service; raises BadValue."""
    text = parse_text(raw).lower()
    if text in NAMES:
        return NAMES[text]
    if text[:1].isalpha():
        raise BadValue(f"no service is known as {text!r}{did_you_mean(text, NAMES)}", "write its port number")
    return _number(raw)
