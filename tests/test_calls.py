"""Test calls: what both ends say (RFC 3261), over each transport, and through a gateway that rewrites numbers."""

from __future__ import annotations

import asyncio
import shutil
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.test_generated_files import FAST, GATEWAY
from tests.test_run import carried
from zinger.link.base import LinkError
from zinger.link.calls import StandIn
from zinger.link.dial import Dialer
from zinger.phrasebook.load import shipped_source
from zinger.practice.core.doors import bound
from zinger.proof.findings import Source, Verdict
from zinger.store.folder import JobFolder
from zinger.talk.calls import Called, Caller
from zinger.talk.sip_message import Message, NotSip

INVITE = (
    "INVITE tel:%2B43-555-0142;phone-context=x SIP/2.0\r\nv: SIP/2.0/UDP a;branch=1\r\nVia: SIP/2.0/UDP b\r\n"
    "f: <sip:x@y>;tag=9\r\nt: <tel:+435550142>\r\ni: c1@y\r\nCSeq: 7 INVITE\r\nRecord-Route: <sip:p;lr>\r\n"
    "Subject: a\r\n  folded one\x1b\r\nl: 3\r\n\r\nv=0"
)


def heard_by(end: Caller | Called, text: str) -> list[str]:
    return [answer.encoded().decode() for answer in end.heard(Message.read(text.replace("\n", "\r\n").encode()))]


def test_who_is_called_rings_answers_and_says_the_same_again_to_what_it_hears_twice() -> None:
    end = Called("10.44.25.30:5060", "udp", "tag1")
    ringing, taken = (answer.encoded().decode() for answer in end.heard(Message.read(INVITE.encode())))
    assert ringing.startswith("SIP/2.0 180 Ringing\r\nVia: SIP/2.0/UDP a;branch=1\r\nVia: SIP/2.0/UDP b\r\n")
    assert "To: <tel:+435550142>;tag=tag1\r\n" in taken and "Record-Route: <sip:p;lr>\r\n" in taken
    assert "m=audio 40000 RTP/AVP 8 0\r\n" in taken and "CSeq: 7 INVITE" in taken
    assert [answer.encoded().decode() for answer in end.heard(Message.read(INVITE.encode()))] == [taken]
    assert end.numbers == ["+43-555-0142"] and list(end.unheard) == ["c1@y"]
    assert heard_by(end, "ACK sip:x@y SIP/2.0\ni: c1@y\nCSeq: 7 ACK\n\n") == [] and not end.unheard
    for method in ("OPTIONS", "BYE", "NOTIFY"):
        (answer,) = heard_by(end, f"{method} sip:x@y SIP/2.0\ni: c2\nCSeq: 1 {method}\n\n")
        assert answer.startswith("SIP/2.0 200 OK\r\n")


def test_who_calls_goes_where_the_answer_says_and_acknowledges_a_refusal_too() -> None:
    end = Caller("10.44.25.30:5060", "udp", "tag1", number="0043555", gateway="10.44.25.6:5060")
    assert end.invite().start == "INVITE sip:0043555@10.44.25.6:5060 SIP/2.0"
    assert heard_by(end, f"SIP/2.0 100 Trying\ni: {end.call}\nCSeq: 1 INVITE\n\n") == [] and not end.stands
    told = "m: <sip:gw@10.44.25.6:9>;q=1\nRecord-Route: <sip:p1;lr>, <sip:p2;lr>\nt: <sip:z>;tag=q\n"
    (ack,) = heard_by(end, f"SIP/2.0 200 OK\ni: {end.call}\nCSeq: 1 INVITE\n{told}\n")
    assert ack.startswith("ACK sip:gw@10.44.25.6:9 SIP/2.0\r\n") and end.stands
    assert ack.index("Route: <sip:p2;lr>") < ack.index("Route: <sip:p1;lr>") and "To: <sip:z>;tag=q" in ack
    assert end.bye().encoded().startswith(b"BYE sip:gw@10.44.25.6:9 SIP/2.0\r\n")
    (bye,) = heard_by(end, f"BYE sip:zinger@10.44.25.30 SIP/2.0\ni: {end.call}\nCSeq: 1 BYE\n\n")
    assert bye.startswith("SIP/2.0 200 OK") and end.over
    other = Caller("10.44.25.30:5060", "udp", "tag2", number="1", gateway="10.44.25.6:5060")
    branch = other.invite().first("via")
    (ack,) = heard_by(other, f"SIP/2.0 486 Busy\x1b Here\ni: {other.call}\nCSeq: 1 INVITE\n\n")
    assert other.refused == "486 Busy Here" and branch in ack and ack.startswith("ACK sip:1@10.44.25.6:5060 ")


@pytest.mark.parametrize(
    "rubbish", [b"", b"\r\n\r\n", b"GET / HTTP/1.1\r\n\r\n", b"BYE x SIP/2.0\r\n\r\n", b"\xff" * 90]
)
def test_what_is_no_message_is_no_message(rubbish: bytes) -> None:
    with pytest.raises(NotSip):
        Message.read(rubbish)


class Here(Dialer):
    """Every address is a port of this machine."""

    def __init__(self) -> None:
        self.ports: dict[str, int] = {}

    def stands_at(self, address: str, port: int) -> tuple[str, int]:
        return "127.0.0.1", 0

    async def stands_there(self, address: str, port: int, transport: str, real: int) -> None:
        self.ports[address] = real

    async def voice(self, address: str, port: int, transport: str) -> tuple[str, int]:
        return "127.0.0.1", self.ports[address]


@pytest.mark.parametrize("transport", ["udp", "tcp", "tls"])
async def test_two_ends_call_each_other(transport: str, monkeypatch: pytest.MonkeyPatch) -> None:
    here = Here()
    async with StandIn(here, "10.1.1.1", 5060, transport) as one, StandIn(here, "10.1.1.2", 5060, transport) as other:
        for number in ("0043555", "+1"):
            async with one.call("10.1.1.2", 5060, number) as call:
                assert call.stands and other.called.numbers[-1] == number
            assert call.over and not other.called.unheard
    monkeypatch.setattr("zinger.link.calls.STANDS_WITHIN", 1.2)
    async with StandIn(here, "10.1.1.1", 5060, transport) as one:
        with pytest.raises(LinkError, match=r"not stand after 1\.2 s, without any|port 5060 over t"):
            async with one.call("10.1.1.2", 5060, "1"):
                raise AssertionError("nobody is there any more")


async def test_a_program_that_nobody_here_wrote_is_called_and_calls() -> None:
    if shutil.which("sipp") is None:
        pytest.skip("needs sipp (Debian's sip-tester)")
    here = Here()
    words = ("sipp", "-i", "127.0.0.1", "-t", "u1", "-nostdin")
    quiet = {"stdout": asyncio.subprocess.DEVNULL, "stderr": asyncio.subprocess.DEVNULL}
    port = here.ports["10.1.1.2"] = bound().getsockname()[1]
    takes = await asyncio.create_subprocess_exec(*words, "-sn", "uas", "-p", str(port), "-m", "1", **quiet)  # type: ignore[arg-type]
    async with StandIn(here, "10.1.1.1", 5060, "udp") as one, one.call("10.1.1.2", 5060, "0043555") as call:
        assert call.stands
    assert call.over and await asyncio.wait_for(takes.wait(), 20) == 0
    async with StandIn(here, "10.1.1.3", 5060, "udp") as other:
        there = f"127.0.0.1:{here.ports['10.1.1.3']}"
        calls = await asyncio.create_subprocess_exec(*words, "-sn", "uac", "-s", "+43555", "-m", "1", there, **quiet)  # type: ignore[arg-type]
        assert await asyncio.wait_for(calls.wait(), 20) == 0 and other.called.numbers == ["+43555"]


async def test_calls_come_out_as_planned_and_the_gateway_shows_them(job: Callable[..., Path]) -> None:
    run, opened = await carried(JobFolder(job(devices_csv=GATEWAY, practice_yaml=FAST)), power_cut=False)
    found = opened.board.lines["kvr-uk-vg1"].findings
    await run.stop(end_yard=True)
    calls = {name: f for (name, source), f in found.items() if name.startswith("call.") and source is Source.OUTSIDE}
    assert {f.verdict for f in calls.values()} == {Verdict.HOLDS} and len(calls) == 4
    assert calls["call.upstream.2"].read == (
        "it reaches provider as +435550142, shown as 'exchange 05550142 > provider +435550142'"
    )


async def test_a_number_that_comes_out_wrong_is_told(job: Callable[..., Path]) -> None:
    text, name = shipped_source("marrable-v6") or ("", "")
    folder = job(devices_csv=GATEWAY, practice_yaml=FAST)
    (folder / "phrasebooks").mkdir()
    (folder / "phrasebooks" / name).write_text(text.replace("becomes {{ rule.becomes }}\n", "becomes 9\n"))
    run, opened = await carried(JobFolder(folder), power_cut=False)
    found = opened.board.lines["kvr-uk-vg1"].findings["call.upstream.1", Source.OUTSIDE]
    await run.stop(end_yard=True)
    assert found.verdict is Verdict.DIFFERS and found.read.startswith("it reaches provider as 95550142, shown as")
