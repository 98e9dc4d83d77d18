"""Whether a voice gateway's legs take calls: SIP OPTIONS (RFC 3261 11) over UDP, TCP and TLS."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.test_generated_files import FAST, GATEWAY
from tests.test_run import carried
from zinger.link.base import LinkError
from zinger.link.voice import options
from zinger.proof.findings import Source, Verdict
from zinger.store.folder import JobFolder
from zinger.talk.sip import Ask
from zinger.talk.sip_message import Message, NotSip

ASK = Ask("10.44.25.6:5060", "10.44.25.30", "udp", "0badc0de")
OTHER = b"SIP/2.0 200 OK\r\nCall-ID: other@10.44.25.30\r\n\r\n"


def reply(status: str, name: str = "Call-ID") -> bytes:
    return (
        f"SIP/2.0 {status}\r\nVia: SIP/2.0/UDP x\r\n{name}: {ASK.call_id}\r\nServer: gw\x07\r\n  one\r\n\r\n".encode()
    )


def test_a_request_has_what_the_standard_wants_and_its_answer_is_known_by_its_call() -> None:
    sent = ASK.encoded()
    assert sent.startswith(b"OPTIONS sip:10.44.25.6:5060 SIP/2.0\r\n") and sent.endswith(b"Content-Length: 0\r\n\r\n")
    told = dict(Message.read(sent).headers)
    assert "branch=z9hG4bK0badc0de" in told["via"] and told["cseq"] == "1 OPTIONS" and told["max-forwards"] == "70"
    answer = ASK.answered(reply("200 Fine"))
    assert answer is not None and (str(answer), answer.is_final) == ("SIP/2.0 200 Fine, gw one", True)
    assert ASK.answered(reply("486 Busy", "i")) is not None, "a compact name"
    assert ASK.answered(OTHER) is None and ASK.answered(b"INVITE sip:x SIP/2.0\r\ni: z\r\n\r\n") is None
    assert (trying := ASK.answered(reply("100 Trying"))) is not None and not trying.is_final
    for rubbish in (b"", b"HTTP/1.1 200 OK\r\n\r\n", b"\x00\xff" * 40):
        with pytest.raises(NotSip):
            ASK.answered(rubbish)


async def test_a_lost_datagram_is_sent_again_and_what_others_send_is_not_the_answer() -> None:
    heard: list[bytes] = []

    class Deaf(asyncio.DatagramProtocol):
        def connection_made(self, transport: asyncio.BaseTransport) -> None:
            self.transport = transport

        def datagram_received(self, data: bytes, addr: object) -> None:
            heard.append(data)
            if len(heard) > 1:
                call = Message.read(data).call.encode()
                for answer in (b"noise", OTHER, b"SIP/2.0 100 Trying\r\nCall-ID: " + call + b"\r\n\r\n"):
                    self.transport.sendto(answer, addr)  # type: ignore[attr-defined]
                self.transport.sendto(b"SIP/2.0 503 Full\r\nCall-ID: " + call + b"\r\n\r\n", addr)  # type: ignore[attr-defined]

    transport, _ = await asyncio.get_running_loop().create_datagram_endpoint(Deaf, local_addr=("127.0.0.1", 0))
    where = transport.get_extra_info("sockname")
    answer = await options(where, ("10.44.25.6", 5060), "10.44.25.30", "udp")
    transport.close()
    assert answer.status == 503 and len(heard) == 2


async def test_a_web_server_in_its_place_is_told() -> None:
    async def served(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        await reader.readuntil(b"\r\n\r\n")
        writer.write(b"HTTP/1.1 400 Bad Request\r\n\r\n")
        writer.close()

    server = await asyncio.start_server(served, "127.0.0.1", 0)
    with pytest.raises(LinkError, match=r"10\.44\.25\.6 port 5060: what answers there does not speak SIP"):
        await options(server.sockets[0].getsockname()[:2], ("10.44.25.6", 5060), "10.44.25.30", "tcp")
    server.close()


async def test_each_leg_is_asked_from_the_address_of_its_peer(job: Callable[..., Path]) -> None:
    run, opened = await carried(JobFolder(job(devices_csv=GATEWAY, practice_yaml=FAST)), power_cut=False)
    acts = [act.do for act, *_ in run.hands.log]
    found = opened.board.lines["kvr-uk-vg1"].findings
    await run.stop(end_yard=True)
    assert [found[f"sip.{side}", Source.OUTSIDE].verdict for side in ("local", "upstream")] == [Verdict.HOLDS] * 2
    assert found["sip.upstream", Source.OUTSIDE].planned.endswith("OPTIONS of provider over tls")
    assert any("10.44.25.30/24 of exchange, which must not be there" in act for act in acts)
