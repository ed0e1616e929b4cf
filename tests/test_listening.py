"""What is heard and asked: LLDP, VRRP, DHCP options, the ear under hostile frames and storms; read by tshark as well."""

from __future__ import annotations

import random
import shutil
import subprocess
import tempfile
import unittest
from ipaddress import IPv4Address, IPv4Network
from pathlib import Path

import dns.rdata

from even_roster.core.mac import BROADCAST, Mac, MacNumber
from even_roster.probe import dhcp_ask
from even_roster.probe.listen import MOST_KEPT, Batch, Ear
from even_roster.wire import arp, dhcp, dhcp_options, dns_messages, ethernet, ipv4, lldp, vrrp
from even_roster.wire.dhcp import Kind, Message, Option
from even_roster.wire.errors import WireError
from tests.support.drawing import given, settings, st

BESIDE = "anything"

HOST, OTHER = Mac(MacNumber(0x02C010000001)), Mac(MacNumber(0x02C010000002))
NET = IPv4Network("10.44.10.0/24")


def heard(*frames: bytes) -> Batch:
    ear = Ear(frozenset({OTHER.value}), (NET,))
    for frame in frames:
        ear.take(frame)
    return ear.batch(1_000)


def udp(
    source: str, target: str, sport: int, dport: int, payload: bytes, mac: Mac = HOST, to: Mac = BROADCAST
) -> bytes:
    body = ipv4.encode_udp(ipv4.Udp(sport, dport, payload), IPv4Address(source), IPv4Address(target))
    packet = ipv4.encode(ipv4.Packet(IPv4Address(source), IPv4Address(target), ipv4.Protocol.UDP, body))
    return ethernet.encode(ethernet.Frame(to, mac, ethernet.EtherType.IPV4, packet))


class Lldp(unittest.TestCase):
    PORT = lldp.Neighbour(str(HOST), "ge-0/7", 120, "box office", "switch-1", "edge", IPv4Address("10.44.10.5"), 10)

    def test_round_trip(self) -> None:
        self.assertEqual(lldp.decode(lldp.encode(self.PORT, HOST)), self.PORT)

    def test_the_three_mandatory_parts_come_first(self) -> None:
        whole = lldp.encode(self.PORT, HOST)
        for broken in (whole[9:], whole[:8], b"", whole[:5] + b"\xff" * 4, b"\0\0"):
            with self.assertRaises(WireError):
                lldp.decode(broken)

    @settings(max_examples=200, deadline=None)
    @given(st.binary(max_size=120))
    def test_hostile_bytes(self, data: bytes) -> None:
        try:
            found = lldp.decode(data)
        except WireError:
            return
        self.assertTrue(all(text.isprintable() for text in (found.chassis, found.port, found.name, found.text)))


class Vrrp(unittest.TestCase):
    ADVERT = vrrp.Advertisement(7, 100, (IPv4Address("10.44.10.254"), IPv4Address("10.44.10.253")))

    def packet(self, ttl: int = 255) -> ipv4.Packet:
        source = IPv4Address("10.44.10.2")
        return ipv4.Packet(source, vrrp.GROUP, vrrp.PROTOCOL, vrrp.encode(self.ADVERT, source), ttl=ttl)

    def test_round_trip_and_the_routers_own_mac(self) -> None:
        self.assertEqual(vrrp.decode(self.packet()), self.ADVERT)
        for router, mac in ((7, "00:00:5e:00:01:07"), (8, "00:00:5e:00:01:08"), (255, "00:00:5e:00:01:ff")):
            self.assertEqual(str(vrrp.Advertisement(router, 100, self.ADVERT.addresses).mac), mac)

    def test_what_came_through_a_router_or_is_cut_off_is_refused(self) -> None:
        for packet in (
            self.packet(64),
            ipv4.Packet(*(self.packet().source, vrrp.GROUP, 112, b"\x31\7\x64\2\0\0\0\0"), ttl=255),
        ):
            with self.assertRaises(WireError):
                vrrp.decode(packet)


class Options(unittest.TestCase):
    def shown(self, *options: tuple[int, bytes]) -> dict[int, str]:
        message = Message(True, 1, HOST, Kind.OFFER, options=options)
        return {one.code: one.text for one in dhcp_options.show(dhcp.decode(dhcp.encode(message)))}

    def test_every_form(self) -> None:
        names = b"\x03eng\x08larkspur\x07example\x00\x05stage\xc0\x04"
        told = self.shown(
            (1, bytes((255, 255, 255, 0))), (3, bytes((10, 44, 10, 1))), (6, bytes((10, 44, 10, 1, 10, 44, 10, 2))),
            (15, b"larkspur.example"), (51, (5400).to_bytes(4, "big")), (58, b"\xff\xff\xff\xff"), (119, names),
            (121, bytes((24, 10, 99, 0, 10, 44, 10, 3, 0, 10, 44, 10, 1))), (81, b"\x04\0\0\x04desk\x08larkspur\0"),
            (61, b"\1" + HOST.to_bytes()), (82, b"\1\x04gi-7\2\2\xff\xfe"), (46, b"\x08"), (19, b"\1"), (43, b"\1\2"), (250, b"\xab"),
            (55, bytes((1, 3, 121))), (2, (-3600).to_bytes(4, "big", signed=True)),
        )  # fmt: skip
        self.assertEqual(
            told,
            {
                53: "OFFER", 1: "255.255.255.0", 3: "10.44.10.1", 6: "10.44.10.1, 10.44.10.2", 15: "larkspur.example",
                51: "5400 s (1 h 30 min)", 58: "for ever", 119: "eng.larkspur.example, stage.larkspur.example",
                121: "10.99.0.0/24 by 10.44.10.3, 0.0.0.0/0 by 10.44.10.1", 81: "desk.larkspur (flags 0x04)",
                61: str(HOST), 82: "circuit gi-7, remote 0xfffe", 46: "8", 19: "yes", 43: "0x0102", 250: "0xab",
                55: "subnet mask, gateways, classless static routes", 2: "-3600 s",
            },
        )  # fmt: skip

    def test_options_have_the_names_of_their_standards(self) -> None:
        asked = self.shown((55, bytes((1, 6, 12, 15, 28, 42, 43, 50, 51, 53, 54, 58, 59, 60, 61, 66, 67, 119))))[55]
        self.assertEqual(
            asked.split(", "),
            ["subnet mask", "DNS servers", "hostname", "domain", "broadcast address", "NTP servers", "vendor's own", "requested address",
             "lease time", "message type", "server", "renewal (T1)", "rebinding (T2)", "vendor class", "client identifier", "boot server",
             "boot file", "domain search list"],
        )  # fmt: skip
        message = Message(True, 1, HOST, Kind.ACK, options=((12, b"desk"), (250, b"\1")))
        self.assertEqual(
            [(one.code, one.name) for one in dhcp_options.show(message)],
            [(53, "message type"), (12, "hostname"), (250, "option 250")],
        )

    def test_only_the_first_flag_asks_for_a_broadcast(self) -> None:
        for broadcast in (True, False):
            octets = dhcp.encode(Message(False, 1, HOST, Kind.DISCOVER, broadcast=broadcast))
            self.assertEqual(octets[10:12].hex(), "8000" if broadcast else "0000")
            self.assertEqual(dhcp.decode(octets).broadcast, broadcast)
            others = octets[:10] + (b"\xff\xff" if broadcast else b"\x7f\xff") + octets[12:]
            self.assertEqual(dhcp.decode(others).broadcast, broadcast, "the other bits must be zero, and say nothing")

    def test_what_does_not_fit_its_form_is_shown_as_it_is(self) -> None:
        told = self.shown((1, b"\1\2\3"), (119, b"\xc0\x00"), (121, b"\x21\x0a"), (51, b""), (12, b"a\x1b[2Jb"))
        self.assertEqual(
            (told[1], told[119], told[121], told[51], told[12]), ("0x010203", "0xc000", "0x210a", "(empty)", "a[2Jb")
        )

    @settings(max_examples=300, deadline=None)
    @given(st.integers(1, 254), st.binary(max_size=64))
    def test_hostile_values(self, code: int, value: bytes) -> None:
        if code not in (Option.OVERLOAD, Option.KIND):
            self.assertTrue(all(text.isprintable() for text in self.shown((code, value)).values()))

    def test_the_question_takes_no_lease_and_has_a_made_up_mac(self) -> None:
        source = random.Random(3)
        macs = {dhcp_ask.random_mac(source) for _ in range(50)}
        self.assertEqual(len(macs), 50)
        self.assertTrue(all(mac.local and not mac.multicast for mac in macs))
        message = dhcp.of_frame(dhcp_ask._discover(HOST, HOST, 7, 0))
        assert message is not None
        self.assertEqual((message.kind, message.mac, message.broadcast), (Kind.DISCOVER, HOST, True))


class EarTest(unittest.TestCase):
    def test_sightings_once_each_and_nothing_of_our_own(self) -> None:
        claim = ethernet.encode(arp.announcement(HOST, IPv4Address("10.44.10.20")))
        own = ethernet.encode(arp.announcement(OTHER, IPv4Address("10.44.10.9")))
        batch = heard(claim, claim, own, ethernet.encode(arp.probe(HOST, IPv4Address("10.44.10.30"))))
        self.assertEqual([(s.address, s.mac) for s in batch.sightings], [(int(IPv4Address("10.44.10.20")), HOST.value)])
        self.assertEqual((batch.frames, batch.unread, batch.broken), (4, 0, 0))
        self.assertEqual([line.said for line in batch.lines], ["10.44.10.20 is mine", "does anybody have 10.44.10.30?"])

    def test_a_record_of_another_class_than_the_internets_is_no_address(self) -> None:
        """An A record has four octets of address in the class IN only (RFC 1035 3.4.1); every other class has a form of its own."""
        name = b"\x05lobby\x05local\x00"
        claim = ethernet.encode(arp.announcement(HOST, IPv4Address("10.44.10.20")))
        for kind in (0, 2, 3, 4, 254, 255):
            for body in (bytes((10, 44, 10, 20)), bytes((0, 18, 52)), b""):
                record = b"\0\1" + kind.to_bytes(2, "big") + b"\0\0\0\x78" + len(body).to_bytes(2, "big") + body
                told = bytes(2) + b"\x84\0\0\0\0\1\0\0\0\0" + name + record
                batch = heard(udp("10.44.10.21", "224.0.0.251", 5353, 5353, told), claim)
                self.assertIn(
                    (int(IPv4Address("10.44.10.20")), HOST.value), [(s.address, s.mac) for s in batch.sightings]
                )
                self.assertEqual((batch.names, batch.frames), ([], 2), f"class {kind}, {body!r}")

    def test_strangers_do_not_fill_the_memory_of_the_reader(self) -> None:
        """The reader remembers every (class, type) it met: a packet may not choose which."""
        source, before = random.Random(7), len(dns.rdata._rdata_classes)
        for _ in range(400):
            kind, rdclass = source.randrange(65536), source.randrange(65536)
            record = b"\0" + kind.to_bytes(2, "big") + rdclass.to_bytes(2, "big") + b"\0\0\0\1\0\4" + bytes(4)
            heard(udp("10.44.10.21", "224.0.0.251", 5353, 5353, bytes(2) + b"\x84\0\0\0\0\1\0\0\0\0" + record))
        self.assertLessEqual(len(dns.rdata._rdata_classes) - before, 2)

    def test_questions_and_broadcasts_outside_the_subnet_tell_a_wrong_mask(self) -> None:
        batch = heard(
            ethernet.encode(arp.request(HOST, IPv4Address("10.44.10.20"), IPv4Address("10.44.20.5"))),
            ethernet.encode(arp.request(HOST, IPv4Address("10.44.10.20"), IPv4Address("169.254.3.3"))),
            udp("10.44.10.20", "10.44.255.255", 5000, 5000, b"x"), udp("10.44.10.20", "10.44.10.255", 5000, 5000, b"x"),
            udp("10.44.10.20", "255.255.255.255", 5000, 5000, b"x"),
        )  # fmt: skip
        self.assertEqual(batch.stray_questions, [(HOST.value, int(IPv4Address("10.44.20.5")))])
        self.assertEqual(batch.stray_broadcasts, [(HOST.value, int(IPv4Address("10.44.255.255")))])

    def test_names_are_believed_only_of_the_sender(self) -> None:
        group = Mac(MacNumber(0x01005E0000FB))

        def said(name: str, address: str, source: str = "10.44.10.20") -> bytes:
            payload = dns_messages.encode_announcement(name, (IPv4Address(address),))
            return udp(source, "224.0.0.251", 5353, 5353, payload, to=group)

        batch = heard(said("desk.local", "10.44.10.20"), said("gate.local", "10.44.10.1"))
        self.assertEqual(
            [(n.name.name, n.address) for n in batch.names], [("desk.local", int(IPv4Address("10.44.10.20")))]
        )

    def test_dhcp_is_heard_both_ways(self) -> None:
        ask = Message(False, 1, HOST, Kind.REQUEST, options=((Option.HOSTNAME, b"till-7"),))
        given_ = ((Option.SERVER, bytes((10, 44, 10, 2))), (Option.MASK, bytes((255, 255, 255, 0))))
        offer = Message(True, 1, HOST, Kind.OFFER, yours=IPv4Address("10.44.10.100"), options=given_)
        batch = heard(dhcp.frame(ask, HOST, BROADCAST), dhcp.frame(offer, HOST, BROADCAST, IPv4Address("10.44.10.2")))
        self.assertEqual([n.name.name for n in batch.names], ["till-7"])
        self.assertEqual(
            [(o.server, o.address) for o in batch.offers],
            [(int(IPv4Address("10.44.10.2")), int(IPv4Address("10.44.10.100")))],
        )

    def test_neighbours_and_virtual_routers(self) -> None:
        port = lldp.Neighbour("", "17", 120, "", "switch-1")
        batch = heard(lldp.frame(port, HOST), vrrp.frame(Vrrp.ADVERT, IPv4Address("10.44.10.2")))
        self.assertEqual([(n.neighbour.name, n.neighbour.port) for n in batch.neighbours], [("switch-1", "17")])
        self.assertEqual(batch.adverts, [(0x00005E000107, Vrrp.ADVERT)])

    def test_a_storm_is_sampled_and_counted_never_kept_whole(self) -> None:
        ear = Ear(frozenset(), (NET,))
        count = 40_000
        for number in range(count):
            ear.take(
                ethernet.encode(
                    arp.announcement(Mac(MacNumber(0x02C000000000 + number)), IPv4Address(0x0A2C0A01 + number))
                )
            )
        batch = ear.batch(0)
        self.assertEqual(batch.frames, count)
        self.assertGreater(len(batch.sightings), MOST_KEPT)
        self.assertEqual(len(batch.sightings) + batch.unread, count, "what was not read is counted")
        self.assertEqual(ear.batch(0).frames, 0)

    @settings(max_examples=300, deadline=None)
    @given(st.lists(st.binary(max_size=200), max_size=5), st.sampled_from([b"\x08\x06", b"\x08\x00", b"\x88\xcc"]))
    def test_hostile_frames_are_counted_and_forgotten(self, bodies: list[bytes], kind: bytes) -> None:
        batch = heard(*(bytes(12) + kind + body for body in bodies))
        self.assertEqual(batch.frames, len(bodies))


@unittest.skipUnless(shutil.which("tshark"), "tshark is not installed")
class Dissected(unittest.TestCase):
    def test_an_independent_reader_finds_nothing_malformed(self) -> None:
        frames = [
            dhcp_ask._discover(HOST, HOST, 99, 2), lldp.frame(Lldp.PORT, HOST), vrrp.frame(Vrrp.ADVERT, IPv4Address("10.44.10.2")),
        ]  # fmt: skip
        with tempfile.NamedTemporaryFile(suffix=".pcap") as file:
            head = bytes.fromhex("d4c3b2a1020004000000000000000000ffff000001000000")
            records = b"".join(bytes(8) + len(f).to_bytes(4, "little") * 2 + f for f in frames)
            Path(file.name).write_bytes(head + records)
            done = subprocess.run(
                ["tshark", "-r", file.name, "-V"], capture_output=True, text=True, check=True, timeout=60
            )
        said = done.stdout
        self.assertNotIn("Malformed", said)
        self.assertNotIn("[Expert Info (Error", said)
        for words in (
            "Discover",
            "Port Id Subtype: Interface name (5)",
            "System Name: switch-1",
            "VRRP protocol version: 3",
            "Checksum Status: Good",
        ):
            self.assertIn(words, said)


if __name__ == "__main__":
    unittest.main()
