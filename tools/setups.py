"""Persons who set up simulated devices with a real browser, recorded as HAR: `tools.setups FOLDER [FAMILY ...]`.

FOLDER gets a job of one device a family and its recording, which `zinger family new --from-har` makes a draft of.
"""

from __future__ import annotations

import asyncio
import sys
import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

from tools.browser import Browser

from zinger.link.yard import YardError
from zinger.plan.model import Device
from zinger.plan.subjects.accounts.credentials import accounts_of, needed_secrets
from zinger.plan.values.secrets import SecretRef
from zinger.run.openjob import OpenJob
from zinger.run.practice import find_or_start
from zinger.store.folder import JobFolder
from zinger.store.vault import Vault

JOB = """job: One set up by hand
mode: practice
baseline:
  accounts: {administrator: {name: kettle-admin, secret: each device}, viewer: {name: signal-view, secret: each device}}
  dns: {servers: [10.44.16.20, 10.44.16.21], search: kettlestone.example}
  ntp: {servers: [10.44.16.22, 10.44.16.23]}
  clock: {zone: Europe/Vienna}
  idle: {timeout: 12 min}
  banner: Kettlestone Valley Railway. Staff only.
  services: {http: off, https: on}
  syslog: {servers: [10.44.16.24]}
  system: {location: booking office}
sites: {cb: {subnet: 10.44.16.0/24}}
roles:
  broker: {short: tb}
  office:
    short: os
    switch: {vlans: {20: staff, 44: management}, voice: 20 cos 5 dscp 46}
    system: {contact: signals desk}
    management: {vlan: 44}
  wireless:
    short: wc
    wireless:
      country: AT
      radios: [2.4 channel 6 power 15 dBm, 5 channel 36 width 40 MHz power 17 dBm]
      ssids: ['"Kettlestone staff" psk secret wifi-staff vlan 20', '"Kettlestone guests" open vlan 60 guest']
      mesh: off
  bridge: {short: br, wireless: {country: AT}}
"""
HEAD = "site,role,hostname,family,address,serial,mac\n"
ROWS = {
    "quern-t1": "cb,broker,kvrcbtb1,quern-t1,10.44.16.23,QT1-0007,02-4b-56-91-00-07\n",
    "pennant-p1": "cb,office,kvrcbos1,pennant-p1,10.44.16.21,PP1-4402,02-4b-56-71-44-02\n",
    "sallow-w8": "cb,wireless,kvr-cb-wc1,sallow-w8,10.44.16.22,SW8-0130,02-4b-56-58-01-30\n",
    "tarn-b2": "cb,bridge,kvr-cb-br1,tarn-b2,10.44.16.25,TB2-6001,02-4b-56-62-60-01\n",
}


class Person:
    """Somebody at a browser, who knows the plan and the passwords."""

    def __init__(
        self, browser: Browser, device: Device, secret: Callable[[str], str], label: str, factory: str
    ) -> None:
        self.browser, self.device, self.label = browser, device, label
        self.admin, self.viewer = (secret(account.secret.name) for account in accounts_of(device))
        self.staff_key = secret("wifi-staff")
        self.factory, self.planned = f"https://{factory}", f"https://{device.fixed.ip if device.fixed else ''}"

    def quern_t1(self) -> None:
        """One page; a gateway mistyped first."""
        b = self.browser
        b.open(f"{self.factory}/")
        b.fill(name="kvrcbtb1", place="booking office", greeting="Kettlestone Valley Railway. Staff only.")
        b.fill(address="10.44.16.23/24", gateway="10.44.6.1", resolvers="10.44.16.20, 10.44.16.21")
        b.fill(search="kettlestone.example", times="10.44.16.22, 10.44.16.23", zone="Europe/Vienna", idle="12")
        b.fill(logs="10.44.16.24", http=False, telnet=False)
        b.fill(**{"keeper": "kettle-admin", "keeper-pw": self.admin, "keeper-pw2": self.admin})
        b.fill(**{"looker": "signal-view", "looker-pw": self.viewer, "looker-pw2": self.viewer})
        b.press("Put in place")
        b.fill(gateway="10.44.16.1")
        b.fill(**{"keeper": "kettle-admin", "keeper-pw": self.admin, "keeper-pw2": self.admin})
        b.fill(**{"looker": "signal-view", "looker-pw": self.viewer, "looker-pw2": self.viewer})
        b.credentials = lambda: ("kettle-admin", self.admin)
        b.press("Put in place")
        time.sleep(2)
        b.open(f"{self.planned}/")

    def pennant_p1(self) -> None:
        """A page each; the VLANs one by one; kept at the end."""
        b = self.browser
        b.open(f"{self.factory}/")
        b.fill(who="office", pw=self.label)
        b.press("Come in")
        b.fill(old=self.label, new=self.admin, new2=self.admin)
        b.press("Change it")
        b.fill(who="office", pw=self.admin)
        b.press("Come in")
        b.follow("Name")
        b.fill(name="kvrcbos1", place="booking office", keeper="signals desk")
        b.press("Set")
        b.follow("Time")
        b.fill(source="servers", server1="10.44.16.22", server2="10.44.16.23", zone="Europe/Vienna")
        b.press("Set")
        b.follow("VLANs")
        for number, title in (("20", "staff"), ("44", "management")):
            b.fill(number=number, title=title)
            b.press("Add")
        b.follow("Voice")
        b.fill(voice="20", voicecos="5", voicedscp="46")
        b.press("Set")
        b.follow("People")
        for who, level, secret in (("kettle-admin", "changes", self.admin), ("signal-view", "looks", self.viewer)):
            b.fill(who=who, level=level, secret=secret, secret2=secret)
            b.press("Put on the list")
        b.follow("Records")
        b.fill(far="10.44.16.24")
        b.press("Set")
        b.follow("Address")
        b.fill(mode="fixed", address="10.44.16.21", length="24", gateway="10.44.16.1", vlan="44", idle="12")
        b.fill(resolver1="10.44.16.20", resolver2="10.44.16.21", search="kettlestone.example", plain=False)
        b.press("Set")
        time.sleep(1.5)
        b.open(f"{self.planned}/")
        b.fill(who="kettle-admin", pw=self.admin)
        b.press("Come in")
        b.follow("Keep")
        b.press("Keep all of it")
        for page in ("State", "Name", "Time", "Address", "VLANs", "Voice", "People", "Records"):
            b.follow(page)

    def sallow_w8(self) -> None:
        """Page after page, a sum, and a look at everything when it is back."""
        b = self.browser
        b.open(f"{self.factory}/")
        for name in b.run("() => [...document.querySelectorAll('input[type=checkbox]')].map(e => e.name)"):
            b.fill(**{name: True})
        b.press("Go on")
        b.press("Go on")
        b.fill(country="AT")
        b.press("Go on")
        b.fill(channel24="6", width24="20", power24="15", channel5="36", width5="40", power5="17")
        b.press("Go on")
        b.fill(ssid="Kettlestone staff", kind="key", key=self.staff_key, vlan="20")
        b.press("Add it")
        b.fill(ssid="Kettlestone guests", kind="open", vlan="60", guests=True)
        b.press("Add it")
        b.press("Go on")
        b.fill(runs="kettle-admin", runspw=self.admin, runspw2=self.admin)
        b.fill(sees="signal-view", seespw=self.viewer, seespw2=self.viewer)
        b.press("Go on")
        b.fill(zone="Europe/Vienna", time1="10.44.16.22", time2="10.44.16.23", log="10.44.16.24")
        b.press("Go on")
        b.fill(name="kvr-cb-wc1", greeting="Kettlestone Valley Railway. Staff only.", idle="12", how4="fixed")
        b.fill(address="10.44.16.22/24", gateway="10.44.16.1", resolver1="10.44.16.20", resolver2="10.44.16.21")
        b.fill(search="kettlestone.example")
        b.press("Go on")
        b.press("Set it up")
        time.sleep(9)
        b.open(f"{self.planned}/")
        b.fill(who="kettle-admin", pw=self.admin)
        b.press("Go in")
        b.follow("Try a key")
        b.fill(what="key:Kettlestone staff", key=self.staff_key)
        b.press("Try it")
        for page in ("Clients", "Radios", "Networks", "Clock", "Wire", "Now"):
            b.follow(page)

    def tarn_b2(self) -> None:
        """The page is made by scripts; what they send is JSON."""
        b = self.browser
        b.open(f"{self.factory}/")
        known: dict[str, str] = {}

        def ask(method: str, path: str, body: object = None) -> dict[str, object]:
            return dict(b.fetch(method, path, body, **known))

        ask("GET", "/api/unit")
        known["X-Mast-Pass"] = str(ask("POST", "/api/enter", {"who": "mast", "password": "line-of-sight"})["pass"])
        ask("GET", "/api/unit")
        ask("POST", "/api/terms", {"agreed": True})
        ask("GET", "/api/unit")
        ask("PUT", "/api/name", {"name": "kvr-cb-br1", "place": "booking office",
                                 "greeting": "Kettlestone Valley Railway. Staff only.", "idle": 12})  # fmt: skip
        ask("PUT", "/api/air", {"country": "AT"})
        ask("PUT", "/api/clock", {"zone": "Europe/Vienna", "servers": ["10.44.16.22", "10.44.16.23"]})
        ask("PUT", "/api/log", {"to": "10.44.16.24"})
        ask("PUT", "/api/doors", {"plain": False})
        servers = ["10.44.16.20", "10.44.16.21"]
        net = {"address": "10.44.16.25/24", "gateway": "10.44.16.1", "search": "kettlestone.example"}
        ask("PUT", "/api/net", {**net, "servers": servers})
        ask("PUT", "/api/people", {"who": "signal-view", "may": "watcher", "password": self.viewer})
        ask("PUT", "/api/people", {"who": "kettle-admin", "may": "rigger", "password": self.admin})
        ask("POST", "/api/restart")
        time.sleep(3)
        b.open(f"{self.planned}/")
        known.clear()
        known["X-Mast-Pass"] = str(ask("POST", "/api/enter", {"who": "kettle-admin", "password": self.admin})["pass"])
        for part in ("unit", "name", "net", "clock", "log", "doors", "air", "people"):
            ask("GET", f"/api/{part}")


async def recorded(folder: Path, family: str) -> None:
    """Lay out the job, have the device plugged in, and let the person at it."""
    folder.mkdir(parents=True)
    (folder / "job.yaml").write_text(JOB)
    (folder / "devices.csv").write_text(HEAD + ROWS[family])
    (folder / "practice.yaml").write_text("pace: 30\n")
    job = OpenJob(JobFolder(folder))
    (device,) = job.plan.devices
    vault = Vault(job.folder.vault)
    vault.ensure((ref, job.books[family].rules) for ref in needed_secrets(device))
    secrets = {name: vault.get(SecretRef(name)) for name in vault.names()}
    yard, _ = await find_or_start(job.folder, [device], None)
    factory = job.books[family].factory.address.partition("/")[0]
    for deed in ("plug", "power", "press", "join"):
        more = {"on": True} if deed == "power" else {}
        with suppress(YardError):  # most have nothing to press, and no network of their own
            await yard.ask(deed, device=device.name, **more)
    await asyncio.sleep(7)
    port = (await yard.ask("status"))["devices"][device.name]["https"]
    label = (await yard.ask("label", device=device.name))["secret"]
    where = {f"{address}:443": port for address in (factory, str(device.fixed.ip) if device.fixed else "")}
    book = job.books[family]
    browser = Browser(where, lambda: (book.factory.user, book.factory.password or label))
    person = Person(browser, device, lambda name: secrets.get(name, ""), label, factory)
    try:
        await asyncio.to_thread(getattr(person, family.replace("-", "_")))
    finally:
        browser.save(folder / "set-up.har")
        browser.end()
        await yard.ask("stop")


if __name__ == "__main__":
    for wanted in sys.argv[2:] or ROWS:
        asyncio.run(recorded(Path(sys.argv[1]) / wanted, wanted))
        print(Path(sys.argv[1]) / wanted / "set-up.har")
