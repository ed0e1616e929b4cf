"""Asking for names, and the kernel's sockets on loopback; a scan's course from sweep to last name."""

from __future__ import annotations

import asyncio
import contextlib
import random
import select
import socket
import struct
import threading
import time
import unittest
from collections.abc import Callable
from ipaddress import IPv4Address, IPv4Interface
from typing import TypeVar
from unittest.mock import patch

import uvloop

from even_roster.core.adapters import Adapter
from even_roster.core.address import Address
from even_roster.core.mac import Mac, MacNumber
from even_roster.core.names import Name, NameSource
from even_roster.core.ranges import parse
from even_roster.core.stays import Source
from even_roster.probe import netlink
from even_roster.probe.hostnames import NameAsker
from even_roster.probe.results import Result, ResultBook
from even_roster.probe.scan import Scan, ScanOrder, Stage
from even_roster.probe.segment import Reached
from even_roster.probe.sockets import KernelSockets, _became
from even_roster.probe.sweep_engine import Answer
from even_roster.standin import larkspur
from even_roster.standin.segment import StandinMachine, StandinSegment
from even_roster.wire import dns_messages, netbios
from tests.support.patience import PATIENCE

BESIDE = "anything"

T = TypeVar("T")
HOST = IPv4Address("10.44.10.30")
LOOPBACK = Adapter("lo", Mac(MacNumber(2)), (IPv4Interface("127.0.0.1/8"),), medium="loopback")


class Scripted(StandinSegment):
    """A segment whose datagrams are answered by a script: (server, port) to the replies that come, in order."""

    def __init__(self, replies: dict[tuple[str, int], list[Callable[[bytes], bytes]]]) -> None:
        machine = StandinMachine(larkspur.build())
        super().__init__(machine.site, machine.adapters()[0])
        self.replies, self.asked = replies, list[tuple[str, int]]()

    async def datagram(
        self, to: IPv4Address, port: int, payload: bytes, accept: Callable[[bytes], T | None], *, answers_from: IPv4Address, timeout: float,
    ) -> T | None:  # fmt: skip
        self.asked.append((str(to), port))
        for reply in self.replies.get((str(to), port), ()):
            if (value := accept(reply(payload))) is not None:
                return value
        return None


def names(segment: Scripted, servers: tuple[str, ...] = ("10.44.10.1",), onlink: bool = True) -> list[Name]:
    asker = NameAsker(segment, [IPv4Address(server) for server in servers], random.Random(1))
    return asyncio.run(asker.names_of(HOST, onlink=onlink))


def ptr(*answers: str, address: IPv4Address = HOST, shift: int = 0) -> Callable[[bytes], bytes]:
    def reply(question: bytes) -> bytes:
        transaction = (int.from_bytes(question[:2], "big") + shift) & 0xFFFF
        return dns_messages.encode_answer(transaction, address, answers)

    return reply


class Names(unittest.TestCase):
    def test_an_answer_to_somebody_elses_question_is_not_taken(self) -> None:
        forged = {
            ("10.44.10.1", 53): [
                ptr("evil.example", shift=1),
                ptr("evil.example", address=IPv4Address("10.44.10.31")),
                ptr("right.example"),
            ]
        }
        self.assertEqual(names(Scripted(forged)), [Name("right.example", NameSource.DNS)])

    def test_the_second_server_is_asked_only_when_the_first_is_silent(self) -> None:
        answering = Scripted({("10.44.10.1", 53): [ptr()]})
        self.assertEqual(names(answering, ("10.44.10.1", "10.44.10.2")), [])
        self.assertNotIn(("10.44.10.2", 53), answering.asked)
        silent = Scripted({("10.44.10.2", 53): [ptr("second.example")]})
        self.assertEqual(names(silent, ("10.44.10.1", "10.44.10.2"))[0].name, "second.example")

    def test_behind_the_gateway_only_what_is_routed_is_asked(self) -> None:
        segment = Scripted({})
        names(segment, onlink=False)
        self.assertEqual({port for _, port in segment.asked}, {53, 137})
        names(segment)
        self.assertEqual({port for _, port in segment.asked}, {53, 137, 5353, 5355})

    def test_names_are_cleaned_counted_and_told_with_their_source(self) -> None:
        hostile = ptr("de\x1b[2Jsk.example", "b.example", "c.example", "d.example", "e.example")
        found = names(Scripted({(str(HOST), 5353): [hostile]}))
        self.assertEqual({name.source for name in found}, {NameSource.MDNS})
        self.assertLessEqual(len(found), 4)
        self.assertTrue(all(name.name.isprintable() for name in found))

    def test_a_node_status_names_its_host(self) -> None:
        def status(question: bytes) -> bytes:
            rows = (netbios.NodeName("LARKSPUR", 0, True, True), netbios.NodeName("DESK-FRONT", 0, False, True))
            return netbios.encode_status(netbios.NodeStatus(int.from_bytes(question[:2], "big"), rows, None))

        self.assertEqual(
            names(Scripted({(str(HOST), 137): [lambda _: b"", status]})), [Name("DESK-FRONT", NameSource.NETBIOS)]
        )


class Sockets(unittest.TestCase):
    def test_exchanges_share_a_socket_and_do_not_mix_up(self) -> None:
        server = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self.addCleanup(server.close)
        server.bind(("127.0.0.1", 0))
        port = server.getsockname()[1]

        def serve() -> None:
            for _ in range(20):
                data, peer = server.recvfrom(100)
                server.sendto(b"noise", peer)
                server.sendto(b"re:" + data, peer)

        threading.Thread(target=serve, daemon=True).start()

        async def ask() -> list[bytes | None]:
            sockets = KernelSockets(LOOPBACK)

            def one(number: int) -> Callable[[bytes], bytes | None]:
                return lambda data: data if data == b"re:%d" % number else None

            address = IPv4Address("127.0.0.1")
            tasks = [
                sockets.datagram(address, port, b"%d" % n, one(n), answers_from=address, timeout=2) for n in range(20)
            ]
            answers = await asyncio.gather(*tasks)
            lost = await sockets.datagram(
                address, port, b"x", one(99), answers_from=IPv4Address("127.0.0.2"), timeout=0.1
            )
            await sockets.close()
            return [*answers, lost]

        self.assertEqual(asyncio.run(ask()), [*(b"re:%d" % n for n in range(20)), None])

    def test_connections_end_open_or_refused(self) -> None:
        server = socket.create_server(("127.0.0.1", 0))
        port = server.getsockname()[1]

        async def reach() -> Reached:
            return await KernelSockets(LOOPBACK).stream(IPv4Address("127.0.0.1"), port, 1)

        self.assertIs(asyncio.run(reach()), Reached.OPEN)
        server.close()
        self.assertIs(asyncio.run(reach()), Reached.REFUSED)

    def test_an_answer_that_came_in_time_counts_even_if_this_process_was_busy(self) -> None:
        """The service's loop looks at its timers before it looks at its sockets: after a pause it is over for both at once."""
        server = self.enterContext(socket.socket(socket.AF_INET, socket.SOCK_DGRAM))
        server.bind(("127.0.0.1", 0))
        address = IPv4Address("127.0.0.1")

        async def ask() -> bytes | None:
            sockets = KernelSockets(LOOPBACK)
            asked = asyncio.create_task(
                sockets.datagram(
                    address, server.getsockname()[1], b"who?", lambda data: data if data == b"I" else None, answers_from=address, timeout=0.2,
                )
            )  # fmt: skip
            await asyncio.sleep(0.05)
            _, asker = server.recvfrom(100)
            for word in (*[b"somebody else"] * 100, b"I"):
                server.sendto(word, asker)
            time.sleep(0.4)  # noqa: ASYNC251  busy with others
            found = await asked
            await sockets.close()
            return found

        with asyncio.Runner(loop_factory=uvloop.new_event_loop) as runner:
            self.assertEqual(runner.run(ask()), b"I")

    def test_a_flood_does_not_keep_the_event_loop_at_its_socket(self) -> None:
        async def ask() -> tuple[bytes | None, int]:
            sockets = KernelSockets(LOOPBACK)
            with patch.object(KernelSockets, "_read", return_value=True) as read:  # there is always more
                address = IPv4Address("127.0.0.1")
                found = await sockets.datagram(
                    address, 9, b"who?", lambda data: data, answers_from=address, timeout=0.01
                )
            await sockets.close()
            return found, read.call_count

        found, reads = asyncio.run(asyncio.wait_for(ask(), PATIENCE))
        self.assertIsNone(found)
        self.assertLessEqual(reads, 40)

    def test_what_became_of_a_connection_is_what_the_kernel_says(self) -> None:
        server = self.enterContext(socket.create_server(("127.0.0.1", 0)))
        closed = socket.create_server(("127.0.0.1", 0))
        nobody = closed.getsockname()
        closed.close()
        for to, wanted in ((server.getsockname(), Reached.OPEN), (nobody, Reached.REFUSED), (None, Reached.SILENT)):
            with socket.socket(socket.AF_INET, socket.SOCK_STREAM) as sock:
                sock.setblocking(False)
                if to is not None:
                    with contextlib.suppress(BlockingIOError):
                        sock.connect(to)
                    select.select([], [sock], [], PATIENCE)
                self.assertIs(_became(sock), wanted)

    def test_broken_netlink_messages_are_left_out(self) -> None:
        whole = struct.pack("=IHHII", 20, 28, 0, 7, 0) + b"abcd"
        self.assertEqual(list(netlink._messages(whole)), [(28, 7, b"abcd")])
        for cut in range(20):
            self.assertEqual(list(netlink._messages(whole[:cut])), [])
        self.assertEqual(list(netlink._messages(struct.pack("=IHHII", 3, 28, 0, 7, 0) + whole)), [])
        self.assertEqual(
            list(netlink._attributes(struct.pack("=HH", 8, 1) + b"\x0a\x2c\x0a\x07" + b"\xff")),
            [(1, b"\x0a\x2c\x0a\x07")],
        )


class Collecting:
    """A sink that keeps everything."""

    def __init__(self) -> None:
        self.results: dict[int, Result] = {}
        self.answers: list[Answer] = []
        self.phases: list[str] = []

    async def found(self, results: list[Result], answers: list[Answer]) -> None:
        self.results |= {result.address: result for result in results}
        self.answers += answers

    async def stage(self, stage: Stage) -> None:
        self.phases.append(stage.phase)


class Stumbling(Collecting):
    """A sink that takes nothing at some of its calls, as when a disk is full or a database is held."""

    def __init__(self, at: Callable[[int], bool]) -> None:
        super().__init__()
        self.calls, self._at = 0, at

    async def found(self, results: list[Result], answers: list[Answer]) -> None:
        self.calls += 1
        if self._at(self.calls):
            raise OSError("the sink takes nothing now")
        await super().found(results, answers)


class Course(unittest.TestCase):
    def scan(
        self, text: str, *, stop_after: float | None = None, sink: Collecting | None = None, **more: object
    ) -> tuple[Collecting, bool]:
        sink = sink or Collecting()
        machine = StandinMachine(larkspur.build())
        segment = machine.open(machine.adapters()[0])

        async def run() -> bool:
            order = ScanOrder(parse(text), dns=segment.adapter.dns, own_name="box-office", seed=1, **more)  # type: ignore[arg-type]
            scan = Scan(segment, order, sink)
            if stop_after is not None:
                asyncio.get_running_loop().call_later(stop_after, scan.stop)
            return (await scan.run()).stopped

        return sink, asyncio.run(run())

    def test_results_carry_names_ports_and_this_machine(self) -> None:
        sink, _ = self.scan("10.44.10.12-30", rounds=1)
        ledger, own = sink.results[int(IPv4Address("10.44.10.12"))], sink.results[int(IPv4Address("10.44.10.20"))]
        self.assertEqual(
            ({n.source for n in ledger.names}, ledger.ports),
            ({NameSource.DNS, NameSource.MDNS, NameSource.NETBIOS}, [22, 443, 445]),
        )
        self.assertEqual((own.names, own.ports), ([Name("box-office", NameSource.SELF)], []))

    def test_nothing_more_is_asked_than_was_ordered(self) -> None:
        sink, _ = self.scan("10.44.10.30", names=False, ports=(), rounds=1)
        printer = sink.results[int(HOST)]
        self.assertEqual((printer.names, printer.ports), ([], []))

    def test_what_was_overheard_of_others_is_a_sighting_but_no_result(self) -> None:
        sink, _ = self.scan("10.44.10.30", rounds=2)
        self.assertEqual({a for a in sink.results if not sink.results[a].foreign}, {int(HOST)})

    def test_a_stopped_scan_ends_soon_and_its_sink_has_everything(self) -> None:
        sink, stopped = self.scan("10.44.10.1-254", pace=100, stop_after=0.8)
        self.assertTrue(stopped)
        self.assertTrue(10 <= len(sink.results) <= 60)

    def test_what_the_sink_did_not_take_is_offered_again_until_it_does(self) -> None:
        whole, _ = self.scan("10.44.10.1-254", pace=100, rounds=1, names=False, ports=())
        sink = Stumbling(lambda call: call in (1, 3, 4))
        with self.assertLogs("even_roster.probe.scan", "WARNING") as log:
            self.scan("10.44.10.1-254", pace=100, rounds=1, names=False, ports=(), sink=sink)
        self.assertGreater(sink.calls, 4)
        self.assertIn("kept for the next time: the sink takes nothing now", log.output[0])
        self.assertEqual(len(log.output), 2, "said once for each time it began")
        near = {a for a in whole.results if not whole.results[a].foreign}
        self.assertEqual({a for a in sink.results if not sink.results[a].foreign}, near)
        asked = {(a.address, a.mac) for a in sink.answers if a.by is not Source.OVERHEARD and not a.foreign}
        self.assertEqual(
            asked, {(a.address, a.mac) for a in whole.answers if a.by is not Source.OVERHEARD and not a.foreign}
        )

    def test_a_sink_that_never_takes_anything_fails_the_scan_aloud(self) -> None:
        with self.assertLogs("even_roster.probe.scan", "WARNING"), self.assertRaisesRegex(OSError, "takes nothing"):
            self.scan("10.44.10.12-30", rounds=1, names=False, ports=(), sink=Stumbling(lambda call: True))

    def test_the_book_tells_what_changed_and_keeps_the_rest(self) -> None:
        book = ResultBook()
        self.assertTrue(book.answer(Answer(Address(7), Mac(MacNumber(5)), Source.ARP, 1.0, 0.002, False)))
        self.assertFalse(book.answer(Answer(Address(7), Mac(MacNumber(6)), Source.ECHO, 1.1, 0.004, False)))
        (news,) = book.news()
        self.assertEqual((news.macs, news.by.words, news.rtt_min), ([5, 6], ["arp", "echo"], 2.0))
        self.assertAlmostEqual(news.rtt_avg or 0, 3.0)
        self.assertEqual(book.news(), [])
        book.ports(Address(7), [80])
        book.names(Address(9), [Name("nobody", NameSource.DNS)])
        self.assertEqual([result.address for result in book.news()], [7])


if __name__ == "__main__":
    unittest.main()
