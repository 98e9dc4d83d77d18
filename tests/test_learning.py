"""A family drafted from a recorded set-up by hand: what it finds, what it asks, and what it never writes."""

from __future__ import annotations

import base64
import json
import shutil
import subprocess
import sys
from collections.abc import Callable
from importlib import resources
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

import pytest

from tests.conftest import stop_yard, zinger
from zinger.desk.learning import learned
from zinger.phrasebook.examine import examine
from zinger.phrasebook.load import load_family, load_phrasebook
from zinger.phrasebook.pages import Submit
from zinger.plan.problems import Severity
from zinger.plan.values.secrets import SecretRef
from zinger.run.openjob import OpenJob
from zinger.store.folder import JobFolder
from zinger.store.vault import Vault

JOB = """job: One by hand
mode: live
baseline:
  accounts: {administrator: {name: bench-owner, secret: each device}}
  ntp: {servers: [10.44.16.22, 10.44.16.23]}
  services: {http: off, telnet: off}
sites: {cb: {subnet: 10.44.16.0/24}}
roles:
  tap: {short: tp}
  air:
    short: ar
    wireless:
      country: AT
      ssids: ['"Rail staff" psk secret wifi-rail vlan 20', '"Rail guests" open vlan 60 guest']
"""
PAGED_FAMILIES = ("Hollin E3", "Pennant R3", "Pennant P1", "Sallow W8", "Quern T1", "Pennant I7", "Tarn B2")
SHEET = "site,role,hostname,family,address,serial\ncb,{role},kvr-cb-1,{family},10.44.16.21,ZX-0007\n"
FACTORY, PLANNED = "https://192.0.2.9", "https://10.44.16.21"
PASSWORD, TOKEN = "Quiet-river-4711", "3f9c77a0de51b2c4"


def entry(method: str, url: str, status: int, body: str | Any = "", sent: Any = None, **more: str) -> dict[str, Any]:
    """One exchange, as a browser writes it."""
    kind = "text/html" if isinstance(body, str) else "application/json"
    text = body if isinstance(body, str) else json.dumps(body)
    request: dict[str, Any] = {"method": method, "url": url, "headers": []}
    if "token" in more:
        request["headers"].append({"name": "X-Pass", "value": more["token"]})
    if sent is not None:
        form = isinstance(sent, list)
        mime = "application/x-www-form-urlencoded" if form else "application/json"
        request["postData"] = {"mimeType": mime, "text": urlencode(sent) if form else json.dumps(sent)}
    answer = {"status": status, "headers": [], "content": {"mimeType": kind, "text": text}}
    return {"request": request, "response": {**answer, "redirectURL": more.get("to", "")}, "time": 20}


def page(title: str, body: str) -> str:
    return f"<title>Tap: {title}</title><h1>{title}</h1><a href=/set>Settings</a> <a href=/state>State</a>{body}"


def settings(name: str, address: str, mask: str, *servers: str, wrong: str = "", plain: str = "checked") -> str:
    times = "".join(
        f"<p><label>Time server {n} <input name=ntp{n} value='{s}'></label>" for n, s in enumerate(servers, 1)
    )
    return page(
        "Settings",
        f"<form method=post action=/set><input type=hidden name=once value={TOKEN}>"
        f"<p><label>Device name <input name=nm value='{name}'></label>"
        f"<p><label>IPv4 <input name=ip value='{address}'></label>"
        f"<p><label>Netmask <input name=mk value='{mask}'></label>"
        f"<span role=alert>{wrong}</span>{times}"
        f"<p><label><input type=checkbox name=plain {plain}> HTTP without encryption</label>"
        "<p><label><input type=checkbox name=notel> Disable Telnet</label>"
        "<p><label>Colour of the light <select name=led><option value=g>green<option value=b>blue</select></label>"
        "<p><label>User <input name=us></label> <label>Password <input type=password name=pw></label>"
        "<button>Save settings</button></form>",
    )


DOOR = (
    "<title>Tap: Door</title><form method=post action=/door><p>Name <input name=n>"
    "<p>Code <input type=password name=p><button>In</button></form>"
)
AS_SET = settings("kvr-cb-1", "10.44.16.21", "255.255.255.0", "10.44.16.22", "10.44.16.23", plain="")
MISTYPED = settings(
    "kvr-cb-1", "10.44.16.210", "255.255.255.0", "10.44.16.22", "10.44.16.23", wrong="Refused: no", plain=""
)
SENT = [
    ("once", TOKEN), ("nm", "kvr-cb-1"), ("ip", "10.44.16.21"), ("mk", "255.255.255.0"), ("ntp1", "10.44.16.22"),
    ("ntp2", "10.44.16.23"), ("notel", "on"), ("led", "b"), ("us", "bench-owner"), ("pw", PASSWORD),
]  # fmt: skip
STATE = page("State", "<dl><dt>Serial<dd>ZX-0007<dt>Users<dd>bench-owner</dl>")
ON_PAGES = [
    entry("GET", f"{FACTORY}/", 302, to="/door"),
    entry("GET", f"{FACTORY}/door", 200, DOOR),
    entry("GET", f"{FACTORY}/look.css", 200, "p {}"),
    entry("GET", "https://count.example/hit?u=1", 200, "<p>thanks"),
    entry("POST", f"{FACTORY}/door", 303, sent=[("n", "fitter"), ("p", "first-word")], to="/state"),
    entry("GET", f"{FACTORY}/state", 200, STATE),
    entry("GET", f"{FACTORY}/set", 200, settings("tap", "192.0.2.9", "255.255.255.0", "", "")),
    entry("POST", f"{FACTORY}/set", 422, MISTYPED, sent=[(n, "10.44.16.210" if n == "ip" else v) for n, v in SENT]),
    entry("POST", f"{FACTORY}/set", 303, sent=SENT, to=f"{PLANNED}/set"),
    entry("GET", f"{PLANNED}/set", 200, AS_SET.replace("notel>", "notel checked>")),
    entry("GET", f"{PLANNED}/state", 200, STATE),
]  # fmt: skip


def recorded(folder: Path, entries: list[dict[str, Any]], role: str = "tap") -> Path:
    """A job with the device, its vault, and the recording."""
    folder.mkdir()
    (folder / "job.yaml").write_text(JOB)
    (folder / "devices.csv").write_text(SHEET.format(role=role, family="sallow-w8" if role == "air" else "pennant-p1"))
    opened = OpenJob(JobFolder(folder))
    Vault(opened.folder.vault).put(
        {SecretRef("kvr-cb-1/administrator"): PASSWORD, SecretRef("wifi-rail"): "rail-key-99"}
    )
    told = [{"startedDateTime": f"2026-11-28T10:00:{n:02}Z", **one} for n, one in enumerate(entries)]
    (folder / "set-up.har").write_text(json.dumps({"log": {"version": "1.2", "entries": told}}))
    return folder


def draft(folder: Path, name: str = "wayside-tap") -> tuple[str, str]:
    """The draft's text, and what was said of it."""
    file = folder / f"{name}.yaml"
    words = ("--from-har", folder / "set-up.har", "--job", folder, "--device", "kvr-cb-1", "--file", file)
    done = zinger("family", "new", name, *words)
    assert done.returncode == 0, done.stderr
    return file.read_text(), done.stdout


def test_what_was_filled_in_becomes_settings_and_what_was_not_planned_is_asked(tmp_path: Path) -> None:
    text, said = draft(recorded(tmp_path / "job", ON_PAGES))
    book = load_phrasebook(text, "wayside-tap.yaml")
    assert list(book.places) == ["door", "state", "settings"] and book.home == "state"
    assert book.factory.user == "fitter" and book.factory.address == "192.0.2.9/24"
    for line in (
        "fill: {IPv4: '{{ value.ip }}', Netmask: '{{ value.prefix | mask }}'}",
        "effect: link moves",
        "Time server 2: \"{{ value[1].host if value | length > 1 else '' }}\"",
        "fill: {HTTP without encryption: \"{{ value | flag('on', 'off') }}\"}",
        "fill: {Disable Telnet: \"{{ value | flag('off', 'on') }}\"}",
        "address: {fields: {a: IPv4, l: Netmask}, value: '{{ a }}/{{ l | prefix }}'}",
        "refusals: ['^Refused: (?P<why>.+)$']",
        "identity: {serial: serial}",
    ):
        assert line in text, (line, text)
    assert "'Colour of the light' was set to 'blue'" in said
    assert "2 requests of other hosts, pictures and scripts left out" in said
    assert "of kvr-cb-1's 7 planned settings, 6 are set" in said  # the gateway was derived, and nobody set it


def test_no_password_and_no_token_of_the_recording_is_in_the_draft_and_it_comes_out_the_same(tmp_path: Path) -> None:
    folder = recorded(tmp_path / "job", ON_PAGES)
    text, said = draft(folder)
    for secret in (PASSWORD, "first-word", TOKEN, "rail-key-99"):
        assert secret not in text + said
    (folder / "wayside-tap.yaml").unlink()
    assert draft(folder) == (text, said)


def test_the_draft_fills_for_this_device_what_the_person_filled_in(tmp_path: Path) -> None:
    folder = recorded(tmp_path / "job", ON_PAGES)
    text, _ = draft(folder, "pennant-p1")
    (folder / "phrasebooks").mkdir()
    (folder / "phrasebooks/pennant-p1.yaml").write_text(text)
    script = OpenJob(JobFolder(folder)).scripts["kvr-cb-1"]
    filled: dict[str, str] = {}
    for step in script.steps:
        for line in getattr(step.what, "lines", ()):
            if isinstance(line.deed, Submit):
                filled |= {name: "".join(map(str, words)) for name, words in line.deed.fills}
    assert filled == {
        "Device name": "kvr-cb-1", "IPv4": "10.44.16.21", "Netmask": "255.255.255.0", "Time server 1": "10.44.16.22",
        "Time server 2": "10.44.16.23", "HTTP without encryption": "off", "Disable Telnet": "on",
        "Colour of the light": "blue", "User": "bench-owner", "Password": str(SecretRef("kvr-cb-1/administrator")),
    }  # fmt: skip


def test_an_interface_of_json_behind_scripts_is_learned_with_its_token_and_lists(tmp_path: Path) -> None:
    nets = [
        {"title": "Rail staff", "lock": "key", "tag": 20, "visitors": False},
        {"title": "Rail guests", "lock": "none", "tag": 60, "visitors": True},
    ]
    unit = {"unit": {"serial": "ZX-0007"}, "host": "air"}
    times = ["10.44.16.22", "10.44.16.23"]
    host, nets_of = f"{FACTORY}/api/host", f"{FACTORY}/api/nets"
    keyed = [{**net, "key": "rail-key-99" if net["lock"] == "key" else ""} for net in nets]
    entries = [
        entry("GET", f"{FACTORY}/", 200, "<title>Air</title><script src=/air.js></script>"),
        entry("GET", f"{FACTORY}/api/unit", 401, {"error": "sign in"}),
        entry("POST", f"{FACTORY}/api/login", 200, {"pass": TOKEN}, {"user": "fitter", "password": "first-word"}),
        entry("GET", f"{FACTORY}/api/unit", 200, unit, token=TOKEN),
        entry("PUT", host, 200, {"saved": True}, {"name": "kvr-cb-1", "clock": times}, token=TOKEN),
        entry("PUT", host, 200, {"saved": True}, {"land": "AT"}, token=TOKEN),
        *(entry("POST", nets_of, 200, {"saved": True}, net, token=TOKEN) for net in keyed),
        entry("GET", f"{FACTORY}/api/unit", 200, {**unit, "host": "kvr-cb-1"}, token=TOKEN),
        entry("GET", host, 200, {"host": {"clock": times, "land": "AT"}}, token=TOKEN),
        entry("GET", nets_of, 200, {"nets": nets}, token=TOKEN),
    ]
    text, _ = draft(recorded(tmp_path / "job", entries, "air"), "wayside-air")
    book = load_phrasebook(text, "wayside-air.yaml")
    assert [(t.header, t.json) for t in book.pages.tokens] == [("X-Pass", "pass")] if book.pages else False
    assert "ntp: {json: 'host.clock[]'}" in text and "country: {json: host.land}" in text
    assert "'psk': 'key', 'open': 'none'" in text and "value.guest | flag('true', 'false')" in text
    assert book.steps["wireless.ssids"].what.each is True  # type: ignore[union-attr]
    assert PASSWORD not in text and TOKEN not in text and "rail-key-99" not in text


def _without_contents(told: dict[str, Any]) -> str:
    for one in told["log"]["entries"]:
        one["response"]["content"].pop("text")
    return json.dumps(told)


def _of_another(told: dict[str, Any]) -> str:
    text = json.dumps(told)
    return text.replace("kvr-cb-1", "other-box").replace("10.44.16.21", "10.44.16.99").replace("ZX-0007", "ZX-0008")


@pytest.mark.parametrize(
    ("spoil", "why"),
    [
        (lambda told: json.dumps(told)[:-900], "it ends in the middle"),
        (_without_contents, "without what came back"),
        (_of_another, "nothing in the recording is of kvr-cb-1"),
        (lambda told: json.dumps({"log": {"entries": [{}, 7]}}), "none of its 2 entries"),
        (lambda told: json.dumps([]), "it has no log with entries"),
        (lambda told: "\x01" * 400, "is not JSON"),
    ],
)
def test_what_is_no_recording_of_it_is_told_and_nothing_is_written(
    tmp_path: Path, spoil: Callable[[dict[str, Any]], str], why: str
) -> None:
    folder = recorded(tmp_path / "job", ON_PAGES)
    file = folder / "set-up.har"
    file.write_text(spoil(json.loads(file.read_text())))
    words = ("--from-har", file, "--job", folder, "--device", "kvr-cb-1", "--file", folder / "x.yaml")
    done = zinger("family", "new", "wayside-tap", *words)
    assert done.returncode == 2 and why in done.stderr and not (folder / "x.yaml").exists(), done.stderr


def test_bodies_in_base64_fields_as_parameters_and_no_times_make_the_same_draft(tmp_path: Path) -> None:
    folder = recorded(tmp_path / "job", ON_PAGES)
    text, _ = draft(folder)
    told = json.loads((folder / "set-up.har").read_text())
    for one in told["log"]["entries"]:
        del one["startedDateTime"], one["time"]
        content = one["response"]["content"]
        content |= {"text": base64.b64encode(content["text"].encode()).decode(), "encoding": "base64"}
        if posted := one["request"].get("postData"):
            pairs = [pair.partition("=") for pair in posted.pop("text").split("&")]
            posted["params"] = [{"name": n, "value": v.replace("+", " ")} for n, _, v in pairs]
    (folder / "set-up.har").write_text(json.dumps(told))
    (folder / "wayside-tap.yaml").unlink()
    assert draft(folder)[0] == text


def test_a_family_that_a_person_set_up_in_a_real_browser_carries_another_device_to_proved(tmp_path: Path) -> None:
    """Two lines of the draft are corrected: the length of the factory's prefix, and that it has no banner."""
    if shutil.which("chromium") is None:
        pytest.skip("needs chromium, of Debian's package of that name")
    subprocess.run([sys.executable, "-m", "tools.setups", tmp_path, "pennant-p1"], check=True, timeout=120)
    job = tmp_path / "pennant-p1"
    file = tmp_path / "drafted.yaml"
    words = ("--from-har", job / "set-up.har", "--job", job, "--device", "kvrcbos1", "--file", file)
    assert zinger("family", "new", "pennant-p1", *words).returncode == 0
    text = file.read_text()
    text = text.replace("192.0.2.73/24", "192.0.2.73/27")
    text = text.replace("not_for_this_kind: []", "not_for_this_kind: [banner]")
    other = tmp_path / "other"
    (other / "phrasebooks").mkdir(parents=True)
    (other / "phrasebooks/pennant-p1.yaml").write_text(text)
    (other / "practice.yaml").write_text("pace: 100\n")
    row = "fc,office,frostos1,pennant-p1,10.77.9.41,PP1-9999,02-4b-56-71-99-02\n"
    (other / "devices.csv").write_text(f"site,role,hostname,family,address,serial,mac\n{row}")
    plan = (job / "job.yaml").read_text()
    for before, after in (
        ("cb: {subnet: 10.44.16.0/24}", "fc: {subnet: 10.77.8.0/23}"),
        ("10.44.16.", "10.77.8."),
        ("kettle-admin", "bench-owner"),
        ("Europe/Vienna", "Asia/Tokyo"),
        ("{20: staff, 44: management}", "{7: doors, 8: cameras, 44: lamps}"),
        ("voice: 20 cos 5", "voice: 8 cos 6"),
    ):
        assert before in plan
        plan = plan.replace(before, after)
    (other / "job.yaml").write_text(plan)
    done = zinger("run", other, "--headless")
    stop_yard(other)
    assert done.stdout.splitlines()[-1] == "1 of 1 devices proved", done.stdout + done.stderr


def test_what_zinger_itself_recorded_of_any_family_on_pages_makes_a_draft_that_can_be_gone_through(
    job: Callable[..., Path],
) -> None:
    """Factory state, a second session, one after the power cut: whatever was recorded, its draft has no dead end."""
    sheet = (resources.files("zinger") / "demo" / "devices.csv").read_text("utf-8").splitlines()
    rows = [row for row in sheet if any(family in row for family in PAGED_FAMILIES)]
    folder = job(devices_csv="\n".join([sheet[0], *rows, ""]), practice_yaml="pace: 300\n")
    done = zinger("run", folder, "--headless")
    assert done.returncode == 0, done.stdout + done.stderr
    recordings = sorted((folder / "records").glob("*.har"))
    assert len(recordings) > 12
    for file in recordings:
        device = next(row.split(",")[2] for row in rows if file.name.startswith(f"{row.split(',')[2]}-"))
        draft = learned("learned-1", file, JobFolder(folder), device)
        _, book = load_family(draft.text, "learned-1.yaml")
        assert book is not None, file.name
        assert [p for p in examine(book, "learned-1.yaml") if p.severity is Severity.ERROR] == [], file.name
        if device == "kvr-cb-wc1" and file == next(one for one in recordings if device in one.name):
            (script,) = book.interviews.values()
            assert script.summary is not None and script.summary.at == "in_sum"
            assert {"hostname", "management.address", "wireless.ssids"} <= set(book.steps)
