"""How much the words at a field are like those of a setting, and how much a text tells by itself."""

from __future__ import annotations

import re
from functools import lru_cache

from zinger.plan.settings import SETTINGS

_OF_SETTINGS = {
    "hostname": "name host device system unit router broker switch calls itself",
    "domain": "domain",
    "dns.servers": "dns name server servers resolver nameserver first second primary secondary another other",
    "dns.search": "search domain suffix",
    "ntp.servers": "time server servers clock ntp sntp first second primary secondary another other",
    "clock.zone": "time zone timezone region",
    "management.address": "address ip ipv4 length mask netmask network prefix port own lan subnet part",
    "management.gateway": "gateway way out next hop router default route ipv4",
    "management.vlan": "management managed vlan",
    "system.location": "location place site room where installed",
    "system.contact": "contact keeper keeps who responsible owner",
    "banner": "banner greeting notice message welcome text login motd",
    "idle.timeout": "idle timeout inactivity minutes session visitor sign again seconds",
    "syslog.servers": "log logs syslog receiver collector remote far records",
    "logs.local": "log logs records local severity outlive restart from",
    "services.http": "http plain unencrypted without encryption pages web",
    "services.https": "https encrypted encryption tls secure secured pages with",
    "services.ssh": "ssh secure shell",
    "services.telnet": "telnet",
    "services.lldp": "lldp telephones told neighbours",
    "accounts.administrator": "administrator admin owner keeper runs run manager master account user name who person",
    "accounts.viewer": "viewer view look looks only sees guest watch account user name who person",
    "switch.vlans": "vlan vlans number title called name id",
    "switch.voice": "voice vlan cos dscp",
    "wireless.country": "country region regulatory stands land",
    "wireless.radios": "radio channel width power ghz mhz dbm band",
    "wireless.ssids": "network ssid name key vlan band guests open security wifi",
    "wireless.mesh": "mesh",
    "wireless.wps": "wps wi fi protected setup",
    "wireless.joined": "join joined network uplink client repeater",
    "wireless.bridge": "bridge channel power metres distance end far peer link role",
    "edge.local": "local lan inside own address",
    "edge.guest": "guest guests",
    "edge.dhcp": "dhcp lease leases pool from up to first last",
}
_OF_PARTS = {
    "secret": "password key passphrase secret code",
    "name": "name",
    "host": "server host address",
    "id": "number id",
    "prefix": "length mask netmask prefix",
    "ip": "address",
    "vlan": "vlan",
    "port": "port",
    "severity": "severity from level",
}
_SMALL = frozenset(
    "the of a an its it s in is at for and or to new again same must no yes please your enable enabled disable "
    "disabled allow block turn on off".split()
)


@lru_cache(maxsize=4096)
def _tokens(text: str) -> frozenset[str]:
    return frozenset(
        word for word in re.split(r"[^a-z0-9.]+|(?<!\d)\.|\.(?!\d)", text.lower()) if word and word not in _SMALL
    )


@lru_cache(maxsize=1024)
def _words(setting: str, part: str) -> frozenset[str]:
    found = SETTINGS.get(setting)
    told = " ".join((found.title, *found.columns, setting.replace(".", " "))) if found else setting
    return _tokens(" ".join((told, _OF_SETTINGS.get(setting, ""), _OF_PARTS.get(part, part))))


def likeness(label: str, name: str, setting: str, part: str) -> float:
    """From 0 to 1: the share of a field's words that are words of the setting; its label counts before its name."""
    wanted = _words(setting, part)
    best = 0.0
    apart = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name)  # names are often written like voiceVlan
    for text, worth in ((label, 1.0), (name, 0.8), (apart, 0.8)):
        told = _tokens(text)
        if told:
            best = max(best, worth * len(told & wanted) / max(len(told), 1))
    return best


def strength(text: str) -> float:
    """How much it tells that this very text was found: a yes nothing, an address or a name much."""
    if not text:
        return 0.0
    if re.fullmatch(r"[\d\s,.:-]*", text) and not re.search(r"\d+\.\d+\.\d+\.\d+|:.*:", text):
        return 1.0 if len(text) < 4 else 1.6
    if re.search(r"\d+\.\d+\.\d+\.\d+|[0-9a-f]*:[0-9a-f:]+", text) or len(text) >= 6:
        return 4.0
    return 2.6 if len(text) >= 3 else 1.5
