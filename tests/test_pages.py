"""Pages: how they are read, filled, recognised, and what a surface does with what a web server answers."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any
from urllib.parse import parse_qsl, urlsplit

import pytest

from zinger.phrasebook.book import Phrasebook
from zinger.phrasebook.examine import examine
from zinger.phrasebook.load import load_phrasebook
from zinger.phrasebook.pages import Submit
from zinger.phrasebook.unfilled import never_filled
from zinger.plan.files.jobfile import read_job
from zinger.plan.files.sheets import read_sheet
from zinger.plan.problems import Severity
from zinger.plan.resolve import resolve
from zinger.plan.values.secrets import SecretRef
from zinger.proof.facts import gather
from zinger.script.compile import compile_script
from zinger.talk.driver import Driver, Ended, Running
from zinger.talk.errands.arrive import arrive
from zinger.talk.errands.interview import hold_interview
from zinger.talk.errands.keyring import Keyring
from zinger.talk.errands.read import take_reading
from zinger.talk.errands.send import send_step
from zinger.talk.errors import Interrupted, RefusedByDevice, Silent, Stuck
from zinger.talk.pages.http import Encoded, Failed, Request, Response, encoded
from zinger.talk.pages.parse import parse
from zinger.talk.pages.submit import CannotFill, filled
from zinger.talk.pages.surface import PagesSurface
from zinger.talk.requests import Errand
from zinger.talk.surface import Wait

AT = "https://192.0.2.71/setup/net"


def page(body: str, url: str = AT, **headers: str) -> Any:
    return parse(url, 200, {"content-type": "text/html", **headers}, body.encode())


def sent(form: str, **fills: str) -> dict[str, str]:
    """What a form sends with these fields filled, as the device gets it."""
    deed = Submit(tuple((name.replace("_", " "), (value,)) for name, value in fills.items()))
    request = encoded(filled(page(form), deed), lambda ref: f"<{ref.name}>")
    return dict(parse_qsl(request.body.decode() or urlsplit(request.url).query, keep_blank_values=True))


# -- fields, and what a browser sends ---------------------------------------------------------------------
@pytest.mark.parametrize(
    ("field", "label"),
    [
        ("<label for=x>Host name:</label><input id=x name=n>", "Host name"),
        ("<label>Host name <input name=n></label>", "Host name"),
        ("<table><tr><td>Host name:<td><input name=n></table>", "Host name"),
        ("<table><tr><th>Host name</th><td><font><input name=n></font></td></table>", "Host name"),
        ("<p>Host name <input name=n>", "Host name"),
        ("Host name:<br><input name=n>", "Host name"),
        ("<input name=n aria-label='Host name'>", "Host name"),
        ("<div><span>Host name</span><div><input name=n></div></div>", "Host name"),
        ("<input name=n placeholder='Host name'>", "Host name"),
        ("<p>Name <input name=a> Host name * <input name=n>", "Host name"),
    ],
)
def test_a_field_is_called_as_a_person_reads_it(field: str, label: str) -> None:
    form = page(f"<form>{field}</form>").forms[0]
    found = form.find(label)
    assert found is not None and found.name == "n"


FORM = """<form method=post action=../save accept-charset=iso-8859-1>
<input type=hidden name=tok value=once-7><input name=gone value=x disabled>
<p>Place: <input name=place value=old><p><input type=checkbox name=ssh value=1 checked> SSH
<p><input type=checkbox name=tel> Telnet
<p>Mode <input type=radio name=m value=s> static <input type=radio name=m value=d checked> by lease
<p>Zone <select name=z><option value=0>UTC<option value=1>Upper Kettle</select>
<textarea name=note>
one
two</textarea><input type=submit name=do value=Test><button name=do value=save>Save it</button></form>"""


def test_a_form_is_sent_as_a_browser_sends_it() -> None:
    assert sent(FORM) == {
        "tok": "once-7", "place": "old", "ssh": "1", "m": "d", "z": "0", "note": "one\r\ntwo", "do": "Test",
    }  # fmt: skip
    changed = sent(FORM, Place="Wheal", SSH="no", Telnet="yes", Mode="static", Zone="Upper Kettle")
    assert changed == {
        "tok": "once-7", "place": "Wheal", "tel": "on", "m": "s", "z": "1", "note": "one\r\ntwo", "do": "Test",
    }  # fmt: skip
    request = filled(page(FORM), Submit((("place", ("Zürich ✓",)),), "Save it"))
    body = encoded(request, str).body
    assert request.url == "https://192.0.2.71/save" and b"do=save" in body and b"place=Z%FCrich+%26%2310003%3B" in body


def test_get_forms_files_and_fields_outside_their_form() -> None:
    form = page("<form id=f action='/find?old=1'><input name=q></form><input form=f name=more value=2>")
    request = encoded(filled(form, Submit((("q", ("a b",)),))), str)
    assert (request.method, request.url) == ("GET", "https://192.0.2.71/find?q=a+b&more=2")
    multi = page("<form method=post enctype=multipart/form-data><input type=file name=f><input name=a></form>")
    body = encoded(filled(multi, Submit((("a", (SecretRef("pw"),)),))), lambda ref: 'x"y').body
    assert b'name="f"; filename=""' in body and b'name="a"\r\n\r\nx"y\r\n' in body


@pytest.mark.parametrize(
    ("fills", "why"),
    [
        ({"Zone": "Mars"}, "does not offer 'Mars'; it offers UTC, Upper Kettle"),
        ({"gone": "y"}, "can't be changed here"),
        ({"Colour": "red"}, "has no field 'Colour'; it has"),
        ({"SSH": "perhaps"}, "is on or off"),
    ],
)
def test_what_a_form_can_not_take_is_said_before_it_is_sent(fills: dict[str, str], why: str) -> None:
    with pytest.raises(CannotFill, match=why.split("; it has")[0]):
        sent(FORM, **fills)


def test_a_page_of_two_thousand_fields_and_one_that_nests_without_end_are_read() -> None:
    many = page("<form>" + "".join(f"<p>F{n} <input name=f{n} value={n}>" for n in range(2000)) + "</form>")
    assert many.field("F1999").value == "1999"
    assert page("<div>" * 20_000 + "deep").lines in ((), ("deep",))
    bomb = "<!DOCTYPE x [<!ENTITY a SYSTEM 'file:///etc/passwd'>]><p>&a;"
    assert "root" not in " ".join(page(bomb).lines)
    assert parse(AT, 200, {"content-type": "application/json"}, b"[" * 100_000).data is None


def test_facts_come_from_fields_rows_tables_text_and_json() -> None:
    book = load_phrasebook(BOOK, "own.yaml")
    shown = page(
        "<title>State</title><table><tr><td>Serial number:<td>T-7</table><p>Running 3.1<p>"
        "<table><caption>VLANs</caption><tr><th>Id<th>Name<tr><td>20<td>staff<tr><td>30<td>guests</table>"
        "<form>Name <input name=n value=kvr>Zone <select name=z><option>UTC<option selected>Kettle</select></form>"
    )
    facts = gather(book.readings["state"].take, shown.lines, page=shown)
    assert {name: [f.value for f in found] for name, found in facts.items()} == {
        "serial": ["T-7"], "image": ["3.1"], "vlan": ["20 staff", "30 guests"], "name": ["kvr"], "zone": ["Kettle"],
    }  # fmt: skip
    assert facts["serial"][0].line == "Serial number: T-7 · State (/setup/net)"
    data = parse(AT, 200, {"content-type": "application/json"}, b'{"net": {"on": true, "dns": ["a", "b"]}}')
    taken = gather(book.readings["data"].take, data.lines, page=data)
    assert [f.value for f in taken["dns"]] == ["a", "b"] and taken["up"][0].value == "true"


# -- dialogues ---------------------------------------------------------------------------------------------
BOOK = r"""
family: lathe-p1
title: Lathe P1
factory: {address: 192.0.2.71/24, sign_in: {user: u, password: p}, boots_in: 30 s}
home: net
refusals: ['^not taken: (?P<why>.+)']
pages: {start: /}
places:
  door: {page: {has: [User, Password]}, asks_for: password}
  net: {page: {title: '^Net', has: [Name]}}
  state: {page: {title: '^State'}}
  busy: {page: {text: 'please wait', waits: 2 s}}
  told: {page: {json: {net: ''}}}
moves:
  - {from: door, to: net, fill: {User: '{{ user }}', Password: '{{ password }}'}}
  - {from: net, to: state, follow: State}
  - {from: state, to: net, open: /}
settings:
  hostname: {at: net, fill: {Name: '{{ value }}'}, press: Save, read: name}
readings:
  state:
    at: state
    take:
      serial: {row: Serial number}
      image: 'Running (?P<value>\S+)'
      vlan: {table: VLANs, columns: {id: Id, name: Name}, value: '{{ id }} {{ name }}'}
      name: {field: Name}
      zone: {field: z}
  backup: {at: net, ask: {open: /kept.txt}, take: {motto: '^motto (?P<value>.+)$'}}
  data: {at: net, ask: {call: {to: /api}, to: told}, take: {dns: {json: 'net.dns[]'}, up: {json: net.on}}}
"""
DOOR = "<title>In</title><form method=post action=/in>User <input name=u> Password <input name=p type=password></form>"
NET = (
    "<title>Net</title><form method=post action=/save>Name <input name=n><button>Save</button></form>"
    "<a href=/s>State</a>"
)
STATE = "<title>State</title><p>Running 3.1"


class Site:
    """A web server of a few lines: `answers` says what comes for a method and path."""

    def __init__(self, **answers: Any) -> None:
        self.answers = answers
        self.secrets = {"right": "good"}
        self.asked: list[Encoded] = []

    def __call__(self, request: Request) -> Response | Failed:
        got = encoded(request, lambda ref: self.secrets.get(ref.name, "bad"))
        self.asked.append(got)
        path = urlsplit(got.url).path.strip("/") or "start"
        answer = self.answers[path]
        if callable(answer):
            answer = answer(got)
        if isinstance(answer, Failed):
            return answer
        status, headers, body = answer if isinstance(answer, tuple) else (200, {}, answer)
        kind = {"content-type": "text/html"} if body[:1] == "<" else {}
        return Response(got.url, status, tuple({**kind, **headers}.items()), body.encode())


def talk(
    errand: Errand[Any], site: Callable[[Request], Response | Failed], book: Phrasebook | None = None
) -> Running[Any]:
    book = book or load_phrasebook(BOOK, "own.yaml")
    surface = PagesSurface(book.pages, "https://192.0.2.71")
    driver = Driver(surface)
    now, running = 0.0, driver.begin(errand, 0.0)
    for _ in range(500):
        action = driver.turn(now)
        if isinstance(action, Ended):
            return running
        if isinstance(action, Wait):
            now = action.until
        else:
            came = site(action)
            now += 0.01
            (surface.receive if isinstance(came, Response) else surface.failed)(came, now)
    raise AssertionError("it never ended")


def keys(*names: str) -> Keyring:
    return Keyring([("u", SecretRef(name)) for name in names])


def way(goal: str, *names: str) -> Errand[Any]:
    return arrive(load_phrasebook(BOOK, "own.yaml").map, goal, keys(*(names or ("right",))), 20.0)


def signs_in(got: Encoded) -> Any:
    return (303, {"location": "/net"}, "") if b"p=good" in got.body else DOOR


def test_a_way_leads_through_a_sign_in_and_a_link_and_a_refused_password_is_counted() -> None:
    site = Site(start=DOOR, **{"in": signs_in}, net=NET, s=STATE)
    ended = talk(way("state", "wrong", "right"), site)
    assert ended.error is None and ended.result().name == "state"
    assert [urlsplit(r.url).path for r in site.asked] == ["/", "/in", "/in", "/in", "/net", "/s"]
    site = Site(start=DOOR, **{"in": signs_in})
    ended = talk(way("net", "wrong"), site)
    assert isinstance(ended.error, Stuck) and len(site.asked) == 3


def test_a_page_that_tells_to_wait_is_asked_for_again_within_bounds() -> None:
    pages = iter(["<p>please wait", "<p>please wait", NET])
    ended = talk(way("net"), Site(start=lambda got: next(pages)))
    assert ended.result().name == "net"
    ended = talk(way("net"), Site(start="<p>please wait"))
    assert isinstance(ended.error, Silent) and "still shows busy" in str(ended.error)
    on = "<meta http-equiv=refresh content='3; url=/net'>applied"
    assert talk(way("net"), Site(start=on, net=NET)).result().name == "net"


def test_nothing_leads_away_from_the_device_and_circles_end() -> None:
    away = (302, {"location": "https://198.51.100.9/"}, "")
    ended = talk(way("net"), Site(start=away))
    assert isinstance(ended.error, Interrupted) and "sends on to https://198.51.100.9/" in str(ended.error)
    ended = talk(way("net"), Site(start=(302, {"location": "/"}, "")))
    assert "in a circle" in str(ended.error)
    framed = "<title>Net</title><frameset><frame src=https://198.51.100.9/x><frame src=/b></frameset>"
    site = Site(start=framed, b="<form>Name <input name=n></form>")
    assert talk(way("net"), site).result().name == "net"
    assert [r.url for r in site.asked] == ["https://192.0.2.71/", "https://192.0.2.71/b"]
    for to in ("https://198.51.100.9/", "//198.51.100.9/", "http://[bad", "javascript:void(0)"):
        gone = Site(start=f"<meta http-equiv=refresh content='0; url={to}'><a href='{to}'>x</a>wait")
        assert "Unknown page" in str(talk(way("net"), gone).error) and len(gone.asked) == 1
    evil = NET.replace("/s>", "file:///etc/passwd>")
    ended = talk(way("state"), Site(start=evil))
    assert "not this device" in str(ended.error)


def test_what_reads_is_asked_again_what_changes_is_not() -> None:
    coming = iter([Failed("it is not there", sent=False), Failed("cut"), (503, {}, "<p>soon"), NET])
    assert talk(way("net"), Site(start=lambda got: next(coming))).error is None
    site = Site(start=DOOR, **{"in": Failed("cut")})
    ended = talk(way("net"), site)
    assert isinstance(ended.error, Interrupted) and len(site.asked) == 2
    other = Site(start=lambda got: Failed("another certificate", sent=False, gone=True))
    ended = talk(way("net"), other)
    assert isinstance(ended.error, Interrupted) and len(other.asked) == 1, "whose it is must be seen first"


def test_an_unknown_page_is_a_persons() -> None:
    ended = talk(way("net"), Site(start="<title>Licence</title><p>Read this"))
    assert "Unknown page" in str(ended.error) and "Read this" in ended.error.shown
    ended = talk(way("net"), Site(start="<script>build()</script><div id=app></div>"))
    assert "made by scripts" in str(ended.error)


def test_a_reading_opens_its_page_anew_and_frames_are_one_page() -> None:
    book = load_phrasebook(BOOK, "own.yaml")
    site = Site(start=NET, s=STATE)
    answer = talk(take_reading(book, book.readings["state"], keys("right")), site).result()
    assert [urlsplit(r.url).path for r in site.asked] == ["/", "/s"] and answer.page.title == "State"
    frames = "<title>Net</title><frameset><frame src=/a><frame src=/b></frameset>"
    site = Site(start=frames, a="<p>menu", b="<form>Name <input name=n></form>")
    ended = talk(way("net"), site)
    assert ended.result().name == "net" and [urlsplit(r.url).path for r in site.asked] == ["/", "/a", "/b"]


API = r"""
family: lathe-j1
title: Lathe J1
factory: {address: 192.0.2.71/24, sign_in: {user: u, password: p}, boots_in: 30 s}
home: api
pages: {start: /api/me, headers: {Accept: application/json}, tokens: [{header: X-Seat, json: seat.token}]}
places:
  out: {page: {status: 401}, asks_for: password}
  api: {page: {status: 200, json: {'': ''}}}
  no: {page: {status: 400}}
moves:
  - from: out
    to: api
    call: {to: /api/seat, json: '{"user": {{ user | json }}, "secret": {{ password | json }}}'}
  - {from: no, to: api, open: /api/me}
settings:
  hostname:
    {at: api, call: {method: PUT, to: /api/name, json: '{"name": {{ value | json }}}'}, through: [no], read: name}
readings:
  me:
    at: api
    ask: {call: {to: /api/net}}
    take: {name: {json: name}, dns: {json: 'dns[]', columns: {a: ip}, value: '{{ a }}'}}
"""


def test_a_download_gives_facts_and_leaves_the_page_where_it_was() -> None:
    book = load_phrasebook(BOOK, "own.yaml")
    kept = (200, {"content-disposition": "attachment; filename=kept.txt"}, "vlan 7\nmotto steam\n")

    def both() -> Errand[Any]:
        answer = yield from take_reading(book, book.readings["backup"], keys("right"))
        yield from take_reading(book, book.readings["state"], keys("right"))
        return gather(book.readings["backup"].take, answer.rows, None, page=answer.page)

    site = Site(start=NET, s=STATE, **{"kept.txt": kept})
    facts = talk(both(), site).result()
    assert facts["motto"][0].value == "steam"
    assert [urlsplit(r.url).path for r in site.asked] == ["/", "/kept.txt", "/s"]  # the link is still there


def test_a_required_field_that_nothing_fills_is_known_from_a_recorded_page() -> None:
    book = load_phrasebook(BOOK, "own.yaml")
    more = "Place <input name=p required> <input name=h type=hidden required><select name=z required></select>"
    wants = NET.replace("<button>", f"Zone <input name=z2 required value=UTC>{more}<button>")
    found = never_filled(book, "own.yaml", [page(wants), page(DOOR.replace("name=u", "name=u required"))])
    assert [(p.id, p.spot.key) for p in found] == [("required-not-filled", "places.net")]
    strange = page("<title>Extra</title><form method=post><input name=x required><button>Send</button></form>")
    assert [p.id for p in never_filled(book, "own.yaml", [strange, strange])] == ["page-not-known"]
    assert "'Place'" in found[0].what


def test_an_interface_is_spoken_to_with_its_token_and_says_no_in_json() -> None:
    book = load_phrasebook(API, "own.yaml")
    assert not [p for p in examine(book, "own.yaml") if p.severity is Severity.ERROR]
    json = {"content-type": "application/json"}

    def seat(got: Encoded) -> Any:
        assert got.body == b'{"user": "u", "secret": "go\\"od"}'
        return (200, json, '{"seat": {"token": "t-1"}}')

    def me(got: Encoded) -> Any:
        return (200, json, "{}") if ("X-Seat", "t-1") in got.headers else (401, json, '{"why": "who?"}')

    net = (200, json, '{"name": "old", "dns": [{"ip": "10.44.8.20"}, {"ip": "10.44.8.21"}]}')
    no = (400, json, '{"error": "name is too long"}')
    site = Site(**{"api/me": me, "api/seat": seat, "api/net": net, "api/name": no})
    site.secrets = {"right": 'go"od'}
    reading = book.readings["me"]
    answer = talk(take_reading(book, reading, keys("right")), site, book).result()
    facts = gather(reading.take, answer.rows, page=answer.page)
    assert [f.value for f in facts["dns"]] == ["10.44.8.20", "10.44.8.21"] and facts["name"][0].value == "old"
    device = resolve(read_job(JOB), read_sheet(SHEET)[0], {"lathe-j1": book.rules}).devices[0]
    step = next(s for s in compile_script(device, book).steps if s.setting == "hostname")
    ended = talk(send_step(book, step, keys("right")), site, book)
    assert isinstance(ended.error, RefusedByDevice) and "name is too long" in str(ended.error)
    assert site.asked[-1].body == b'{"name": "lx1"}' and site.asked[-1].method == "PUT"


JOB = "job: t\nsites: {here: {subnet: 10.44.8.0/24}}\n"
SHEET = b"site,hostname,family,address\nhere,lx1,lathe-j1,10.44.8.9\n"


WIZARD = r"""
family: lathe-w1
title: Lathe W1
factory: {address: 192.0.2.71/24, sign_in: {user: ''}, boots_in: 30 s}
home: done
takes: [switching]
pages: {start: /}
places:
  hello: {page: {title: '^Hello', has: [Name]}}
  nets: {page: {title: '^Nets', has: [Id]}}
  sums: {page: {title: '^Sums', button: Take it}}
  done: {page: {title: '^Done'}}
interviews:
  first:
    first: hello
    ends: [done]
    again: {open: /restart}
    otherwise: {nets: {press: Next}}
    summary: {at: sums, take: {name: {row: Name}}, yes: {press: Take it}, no: {press: Back}}
moves: []
settings:
  hostname: {in: first, replies: {hello: {fill: {Name: '{{ value }}'}, press: Next}}, read: name}
  switch.vlans:
    in: first
    replies: {nets: [{each: true, fill: {Id: '{{ value.id }}'}, press: Add}, {press: Next}]}
    read: net
    shows: '{{ value.id }}'
readings:
  done: {at: done, take: {name: {row: Name}, net: {row: Net}}}
"""


class Wizard:
    """Pages in sequence; the first summary shows what somebody else left."""

    def __init__(self) -> None:
        self.at, self.name, self.nets, self.heard = "nets", "theirs", ["7"], list[str]()

    def __call__(self, request: Request) -> Response:
        got = encoded(request, lambda ref: "")
        said = dict(parse_qsl(got.body.decode()))
        path = urlsplit(got.url).path
        self.heard.append(f"{path} {said}" if said else path)
        if path == "/restart":
            self.at, self.nets = "hello", []
        elif path == "/hello":
            self.at, self.name = "nets", said["n"] if self.heard.count("/restart") else self.name
        elif path == "/nets":
            self.nets += [said["i"]] if said.get("do") == "Add" else []
            self.at = "sums" if said.get("do") == "Next" else "nets"
        elif path == "/sums":
            self.at = "done" if said["do"] == "Take it" else "hello"
        pages = {
            "hello": "<title>Hello</title><form method=post action=/hello>Name <input name=n>"
            "<input type=submit value=Next>",
            "nets": "<title>Nets</title><form method=post action=/nets>Id <input name=i>"
            "<input type=submit name=do value=Add><input type=submit name=do value=Next>",
            "sums": f"<title>Sums</title><table><tr><td>Name<td>{self.name}</table><form method=post action=/sums>"
            "<button name=do value='Take it'>Take it</button><button name=do value=Back>Back</button>",
            "done": f"<title>Done</title><table><tr><td>Name<td>{self.name}</table>",
        }
        return Response(got.url, 200, (("content-type", "text/html"),), pages[self.at].encode())


def test_a_wizard_is_begun_anew_its_rows_are_added_and_its_summary_is_compared() -> None:
    book = load_phrasebook(WIZARD, "own.yaml")
    sheet = b"site,hostname,family,address,vlans\nhere,lx1,lathe-w1,10.44.8.9,20;30\n"
    device = resolve(read_job(JOB), read_sheet(sheet)[0], {"lathe-w1": book.rules}).devices[0]
    script, site = compile_script(device, book), Wizard()
    ended = talk(hold_interview(book, script, script.interviews["first"], keys("right")), site, book)
    assert ended.error is None and ended.result().at.name == "done", ended.error
    assert site.nets == ["20", "30"] and site.name == "lx1" and site.heard[:2] == ["/", "/restart"]
    site = Wizard()
    site.at, site.name = "hello", "stays"  # whatever is filled in, the summary shows another name
    ended = talk(hold_interview(book, script, script.interviews["first"], keys("right")), site, book)
    assert isinstance(ended.error, Stuck) and "summary shows hostname otherwise than planned" in str(ended.error)
    assert any("Back" in said for said in site.heard) and not any("Take it" in said for said in site.heard)
