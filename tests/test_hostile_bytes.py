"""Whatever strangers send: readers raise WireError and nothing else, one bad frame costs that frame, and standing work is begun again."""

from __future__ import annotations

import random
import threading
import unittest
from collections.abc import Callable
from ipaddress import IPv4Address, IPv4Network
from unittest.mock import patch

from even_roster.core.mac import BROADCAST, Mac, MacNumber
from even_roster.core.ranges import parse
from even_roster.probe import stand_in
from even_roster.probe.listen import Ear
from even_roster.probe.sweep_engine import SweepEngine, SweepPlan
from even_roster.service.aids.supervising import Supervisor
from even_roster.standin import larkspur
from even_roster.wire import (
    arp,
    dhcp,
    dhcp_options,
    dns_messages,
    ethernet,
    icmp,
    ipv4,
    lldp,
    netbios,
    snmp,
    snmp_v3,
    usm,
    vrrp,
)
from even_roster.wire.dhcp import Kind, Message, Option
from even_roster.wire.errors import WireError, reader
from tests.support.clock import FakeClock
from tests.support.effort import effort
from tests.support.patience import PATIENCE

BESIDE = "anything"
PART = "test and endure"

HOST, OTHER = Mac(MacNumber(0x02C010000001)), Mac(MacNumber(0x02C010000002))
HERE, THERE = IPv4Address("10.44.10.20"), IPv4Address("10.44.10.1")
ROUNDS = effort(1000, 4000)


def packet(protocol: int, payload: bytes, ttl: int = 64) -> ipv4.Packet:
    return ipv4.Packet(HERE, THERE, protocol, payload, ttl=ttl)


def accepted() -> dict[str, tuple[Callable[[bytes], object], list[bytes]]]:
    """Every reader with messages that it accepts."""
    options = (
        (Option.HOSTNAME, b"till-7"), (Option.SERVER, THERE.packed), (Option.MASK, b"\xff\xff\xff\0"), (Option.ROUTERS, THERE.packed),
        (Option.DOMAIN, b"larkspur.example"), (119, b"\x03eng\x08larkspur\x07example\x00\x05stage\xc0\x04"), (121, bytes((24, 10, 99, 0, 10, 44, 10, 3))),
        (82, b"\1\x04gi-7\2\2\xff\xfe"), (81, b"\x04\0\0\x04desk\x08larkspur\0"), (61, b"\1" + HOST.to_bytes()),
    )  # fmt: skip
    messages = [dhcp.encode(Message(reply, 7, HOST, kind, options=options)) for reply in (False, True) for kind in Kind]
    advert = vrrp.encode(vrrp.Advertisement(7, 100, (THERE, HERE)), HERE)
    status = netbios.encode_status(
        netbios.NodeStatus(9, (netbios.NodeName("DESK", netbios.WORKSTATION, False, True),), HOST)
    )
    question = dns_messages.encode_question(HERE, 4, unicast=True)
    answers = [
        dns_messages.encode_answer(4, HERE, ("desk.larkspur.example", "till.larkspur.example")),
        dns_messages.encode_addresses(4, "desk.larkspur.example", (HERE, THERE)),
        dns_messages.encode_announcement("desk.local", (HERE,)),
    ]
    udp = ipv4.encode_udp(ipv4.Udp(68, 67, messages[0]), HERE, THERE)
    unreachable = icmp.encode(icmp.Unreachable(1, ipv4.encode(packet(1, b"12345678"))[:28]))
    names = (1, 3, 6, 1, 2, 1, 2, 2, 1, 2, 70_000)
    values = (snmp.Variable(names, snmp.Type.OCTETS, b"port 7"), snmp.Variable(names, snmp.Type.COUNTER64, 2**63),
              snmp.Variable(names, snmp.Type.ADDRESS, HERE.packed), snmp.Variable(names, snmp.Type.IDENTIFIER, names))  # fmt: skip
    units = [snmp.ask(snmp.Kind.GET_BULK, 7, [names], 20), snmp.Unit(snmp.Kind.RESPONSE, 7, values)]
    asked = snmp_v3.Envelope(7, snmp_v3.REPORTABLE, b"engine", 1, 2, b"lark", b"", b"", b"")
    sealed = snmp_v3.sealed(asked, snmp_v3.Scoped(b"engine", b"", units[1]), usm.User("lark"), b"")
    echo = icmp.encode(icmp.Echo(True, 3, 1, b"even roster echo"))
    port = lldp.Neighbour(str(HOST), "ge-0/7", 120, "box office", "switch-1", "edge", THERE, 10)
    return {
        "ethernet": (ethernet.decode, [ethernet.encode(arp.announcement(HOST, HERE))]),
        "arp": (arp.decode, [ethernet.decode(ethernet.encode(arp.announcement(HOST, HERE))).payload]),
        "ipv4": (ipv4.decode, [ipv4.encode(packet(17, udp))]),
        "udp": (lambda data: ipv4.decode_udp(packet(17, data)), [udp]),
        "icmp": (icmp.decode, [echo, unreachable]),
        "dhcp": (dhcp.decode, messages),
        "dhcp frame": (dhcp.of_frame, [dhcp.frame(Message(False, 7, HOST, Kind.REQUEST, options=options), HOST, BROADCAST)]),
        "dhcp options": (lambda data: dhcp_options.show(dhcp.decode(data)), messages),
        "dns question": (dns_messages.decode_question, [question]),
        "dns name question": (dns_messages.decode_name_question, [dns_messages.encode_name_question("desk.larkspur.example", 4)]),
        "dns answer": (dns_messages.decode_answer, answers[:1]),
        "dns addresses": (dns_messages.decode_addresses, answers[1:2]),
        "mdns": (dns_messages.decode_announcement, answers),
        "lldp": (lldp.decode, [lldp.encode(port, HOST)]),
        "netbios": (netbios.decode_status, [status]),
        "netbios question": (netbios.decode_request, [netbios.encode_request(7)]),
        "snmp": (snmp.decode, [snmp.encode(snmp.Message(snmp.Version.V2C, b"larkspur", unit)) for unit in units]),
        "snmp 3": (lambda data: snmp_v3.open_body(snmp_v3.open_envelope(data).body), [sealed]),
        "vrrp": (lambda data: vrrp.decode(packet(vrrp.PROTOCOL, data, 255)), [advert]),
    }  # fmt: skip


def mutated(source: random.Random, data: bytes) -> bytes:
    """A message with a few octets changed, cut out, doubled or put in, or cut off."""
    changed = bytearray(data)
    for _ in range(source.randrange(1, 5)):
        if not changed:
            break
        at, how = source.randrange(len(changed)), source.randrange(5)
        if how == 0:
            changed[at] = source.choice((0, 1, 0x3F, 0x40, 0x7F, 0x80, 0xC0, 0xFF, source.randrange(256)))
        elif how == 1:
            del changed[at : at + source.randrange(1, 9)]
        elif how == 2:
            changed[at:at] = changed[at : at + source.randrange(1, 33)]
        elif how == 3:
            changed[at:at] = source.randbytes(source.randrange(1, 9))
        else:
            del changed[at:]
    return bytes(changed)


class Readers(unittest.TestCase):
    def test_accepted_messages_are_accepted(self) -> None:
        for name, (read, messages) in accepted().items():
            for message in messages:
                with self.subTest(name):
                    read(message)

    def test_mutated_ones_are_read_or_refused_in_words_and_never_unforeseen(self) -> None:
        source = random.Random(20)
        for name, (read, messages) in accepted().items():
            refused = 0
            for number in range(ROUNDS):
                data = mutated(source, messages[number % len(messages)])
                try:
                    read(data)
                except WireError as error:
                    refused += 1
                    self.assertNotIn("unforeseen", str(error), f"{name}: {data.hex()}")
            self.assertGreater(refused, 0, f"{name}: the changes did change something")

    def test_every_type_and_class_of_a_record(self) -> None:
        name, answer = b"\x05lobby\x05local\0", b"\x84\0\0\0\0\1\0\0\0\0"
        source = random.Random(3)
        pairs = [(kind, rdclass) for kind in range(0, 300) for rdclass in (0, 1, 2, 3, 4, 254, 255, 0x8001)]
        pairs += [(source.randrange(65536), source.randrange(65536)) for _ in range(ROUNDS // 2)]
        for kind, rdclass in pairs:
            for body in (b"", bytes((10, 44, 10, 20)), source.randbytes(source.randrange(40))):
                record = (
                    kind.to_bytes(2, "big") + rdclass.to_bytes(2, "big") + b"\0\0\0\x78" + len(body).to_bytes(2, "big")
                )
                for read in (
                    dns_messages.decode_announcement,
                    dns_messages.decode_answer,
                    dns_messages.decode_addresses,
                ):
                    try:
                        read(bytes(2) + answer + name + record + body)
                    except WireError as error:
                        self.assertNotIn("unforeseen", str(error), (kind, rdclass, body))

    def test_the_guard_lets_nothing_else_out_and_says_what_it_was(self) -> None:
        @reader
        def read(data: bytes) -> int:
            return data[4]

        with self.assertRaisesRegex(WireError, "unforeseen in test_hostile_bytes: IndexError"):
            read(b"abc")


class OneFrame(unittest.TestCase):
    def test_a_frame_that_breaks_a_reader_costs_that_frame_only(self) -> None:
        ear = Ear(frozenset(), (IPv4Network("10.44.10.0/24"),))
        ear.take(ethernet.encode(ethernet.Frame(BROADCAST, HOST, lldp.ETHERTYPE, b"whatever")))
        ear.take(ethernet.encode(arp.announcement(OTHER, HERE)))
        with patch.object(lldp, "decode", side_effect=KeyError("nobody foresaw this")):
            batch = ear.batch(1)
        self.assertEqual([(s.address, s.mac) for s in batch.sightings], [(int(HERE), OTHER.value)])
        self.assertEqual(batch.broken, 1)
        self.assertIn("KeyError: 'nobody foresaw this'", batch.unforeseen)

    def test_engines_and_the_ear_outlive_everything_mutated(self) -> None:
        source = random.Random(31)
        clock = FakeClock()
        site = larkspur.build(clock=clock, sleep=clock.sleep)
        engine = SweepEngine(SweepPlan(parse("10.44.10.1-254")), site.adapters[0], 7)
        ear = Ear(frozenset(), (IPv4Network("10.44.10.0/24"),))
        shells: list[Callable[[bytes], bytes]] = [
            lambda data: ethernet.encode(ethernet.Frame(BROADCAST, HOST, ethernet.EtherType.ARP, data)),
            lambda data: ethernet.encode(ethernet.Frame(BROADCAST, HOST, lldp.ETHERTYPE, data)),
            lambda data: ethernet.encode(ethernet.Frame(BROADCAST, HOST, ethernet.EtherType.IPV4, data)),
        ]
        messages = [message for _, found in accepted().values() for message in found]
        for _ in range(ROUNDS):
            data = mutated(source, source.choice(messages))
            udp = ipv4.encode(
                packet(
                    17,
                    ipv4.encode_udp(
                        ipv4.Udp(source.choice((67, 68, 5353)), source.choice((67, 68, 5353)), data), HERE, THERE
                    ),
                )
            )
            for frame in (data, *(shell(data) for shell in shells), shells[2](udp)):
                ear.take(frame)
                engine.heard(frame, 1.0)
                stand_in._told(frame, HOST, 3)
        self.assertEqual(ear.batch(1).unforeseen, "")


class Standing(unittest.TestCase):
    def test_work_that_ends_by_an_error_is_begun_again_and_told(self) -> None:
        now = [100.0]
        supervisor, over, done = Supervisor(lambda: now[0]), threading.Event(), threading.Event()
        times: list[int] = []

        def work() -> None:
            times.append(1)
            if len(times) < 3:
                raise RuntimeError("the adapter went away")
            done.set()

        with (
            patch("even_roster.service.aids.supervising.PAUSE_SECONDS", 0.001),
            self.assertLogs("even_roster.service.aids.supervising", "ERROR"),
        ):
            thread = supervisor.start("listening on office0", work, over)
            self.assertTrue(done.wait(PATIENCE))
            thread.join(PATIENCE)
        self.assertEqual((len(times), supervisor.ended["listening on office0"].times), (3, 2))
        self.assertIn("listening on office0 ended by an error and was begun again", supervisor.trouble)
        now[0] += 3600.0
        self.assertEqual(supervisor.trouble, "", "what is long over troubles nobody")


if __name__ == "__main__":
    unittest.main()
