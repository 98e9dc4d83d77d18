"""The link room: the ways to a device. Bytes in and out, foreign errors translated once."""

from zinger.link.base import AuthRefused, Link, LinkError, Refused, Unreachable
from zinger.link.dial import Console, Dialer, LiveDialer
from zinger.link.hostkeys import HostKeys
from zinger.link.ssh import SshLink, open_ssh
from zinger.link.tcp import TcpLink, TelnetLink, open_tcp, open_telnet
from zinger.link.yard import Yard, YardDialer, YardError

__all__ = [
    "AuthRefused",
    "Console",
    "Dialer",
    "HostKeys",
    "Link",
    "LinkError",
    "LiveDialer",
    "Refused",
    "SshLink",
    "TcpLink",
    "TelnetLink",
    "Unreachable",
    "Yard",
    "YardDialer",
    "YardError",
    "open_ssh",
    "open_tcp",
    "open_telnet",
]
