"""Codecs: what is encoded is decoded again, and no bytes whatever raise anything but WireError."""

from __future__ import annotations

import contextlib
import unittest
from collections.abc import Callable
from ipaddress import IPv4Address

from even_roster.core.mac import BROADCAST, Mac, MacNumber
from even_roster.wire import arp, dns_messages, ethernet, fast, icmp, ipv4, netbios
from even_roster.wire.checksum import internet_checksum
from even_roster.wire.errors import WireError
from tests.support.drawing import given, settings, st

BESIDE = "anything"

macs = st.binary(min_size=6, max_size=6).map(Mac.from_bytes)
addresses = st.integers(0, 2**32 - 1).map(IPv4Address)
ONE, TWO = IPv4Address("10.44.10.20"), IPv4Address("10.44.10.7")
OUR_MAC, THEIR_MAC = Mac.parse("02:c0:9f:4e:00:01"), Mac.parse("02:c0:44:00:00:26")

DECODERS: tuple[Callable[[bytes], object], ...] = (
    ethernet.decode, arp.decode, ipv4.decode, icmp.decode, netbios.decode_request, netbios.decode_status,
    dns_messages.decode_question, dns_messages.decode_answer,
    lambda data: ipv4.decode_udp(ipv4.Packet(ONE, TWO, 17, data)),
)  # fmt: skip
STATUS = netbios.NodeStatus(
    7, (netbios.NodeName("LEDGER", 0, False, True), netbios.NodeName("LARKSPUR", 0, True, True)), THEIR_MAC
)
VALID = (
    ethernet.encode(arp.request(OUR_MAC, ONE, TWO)), arp.encode(arp.Arp(arp.Operation.REPLY, OUR_MAC, ONE, THEIR_MAC, TWO)),
    ipv4.encode(ipv4.Packet(ONE, TWO, 17, ipv4.encode_udp(ipv4.Udp(1, 2, b"x"), ONE, TWO))),
    icmp.encode(icmp.Echo(True, 1, 2, b"abc")), netbios.encode_request(9), netbios.encode_status(STATUS),
    dns_messages.encode_question(ONE, 5, unicast=True),
    dns_messages.encode_answer(5, ONE, ("desk-front.larkspur.example", "desk.local")),
)  # fmt: skip


class Hostile(unittest.TestCase):
    def feed(self, data: bytes) -> None:
        for decode in DECODERS:
            with contextlib.suppress(WireError):
                decode(data)

    @settings(max_examples=300)
    @given(st.binary(max_size=300))
    def test_noise_raises_wire_errors_only(self, data: bytes) -> None:
        self.feed(data)

    @settings(max_examples=300)
    @given(st.sampled_from(VALID), st.data())
    def test_broken_real_messages_raise_wire_errors_only(self, message: bytes, data: st.DataObject) -> None:
        broken = bytearray(message)
        for _ in range(data.draw(st.integers(1, 6))):
            broken[data.draw(st.integers(0, len(broken) - 1))] = data.draw(st.integers(0, 255))
        self.feed(bytes(broken[: data.draw(st.integers(0, len(broken)))]))

    def test_every_truncation_of_every_message(self) -> None:
        for message in VALID:
            for length in range(len(message)):
                self.feed(message[:length])

    def test_a_gigantic_dns_answer_is_read_or_refused_but_bounded(self) -> None:
        answer = dns_messages.encode_answer(1, ONE, tuple(f"name-{i}.larkspur.example" for i in range(1500)))
        self.assertGreater(len(answer), 30_000)
        self.assertLessEqual(len(dns_messages.decode_answer(answer).names), 16)

    def test_dns_pointers_in_a_circle(self) -> None:
        with self.assertRaises(WireError):
            dns_messages.decode_answer(b"\0\1\x84\0\0\0\0\1\0\0\0\0" + b"\xc0\x0c\0\x0c\0\1\0\0\0\0\0\2\xc0\x0c")


class Fast(unittest.TestCase):
    """The readers of a sweep agree with the codecs on sound and on broken frames."""

    SOUND = (
        VALID[0],
        ethernet.encode(arp.reply_to(arp.Arp(arp.Operation.REQUEST, OUR_MAC, ONE, Mac(MacNumber(0)), TWO), THEIR_MAC, TWO)),
        ethernet.encode(ethernet.Frame(OUR_MAC, THEIR_MAC, 0x0800, ipv4.encode(ipv4.Packet(TWO, ONE, 1, icmp.encode(icmp.Echo(True, 77, 1, b"even"))))))
    )  # fmt: skip

    @staticmethod
    def by_codecs(data: bytes) -> object:
        try:
            frame = ethernet.decode(data)
            if data[12:14] == b"\x08\x06":
                packet = arp.decode(frame.payload)
                return packet.operation, packet.sender_mac.value, int(packet.sender_address), packet.target_mac.value
            whole = ipv4.decode(frame.payload)
            message = icmp.decode(whole.payload)
            if data[14] != 0x45 or whole.more or whole.fragment_offset or whole.protocol != 1:
                return None
            if not isinstance(message, icmp.Echo) or not message.reply:
                return None
            return frame.source.value, int(whole.source), int(whole.destination), message.identifier
        except WireError:
            return None

    @staticmethod
    def by_readers(data: bytes) -> object:
        try:
            return fast.read_arp(data) if data[12:14] == b"\x08\x06" else fast.read_echo_reply(data)
        except WireError:
            return None

    def test_sound_frames_are_read(self) -> None:
        self.assertEqual(self.by_readers(self.SOUND[1]), (2, THEIR_MAC.value, int(TWO), OUR_MAC.value))
        self.assertEqual(self.by_readers(self.SOUND[2]), (THEIR_MAC.value, int(TWO), int(ONE), 77))

    @settings(max_examples=500)
    @given(
        st.sampled_from(SOUND),
        st.lists(st.tuples(st.integers(0, 59), st.integers(0, 255)), max_size=3),
        st.integers(0, 60),
    )
    def test_both_read_the_same(self, frame: bytes, edits: list[tuple[int, int]], length: int) -> None:
        broken = bytearray(frame)
        for at, value in edits:
            broken[at] = value
        for data in (bytes(broken), bytes(broken[:length])):
            if data[12:14] in (b"\x08\x06", b"\x08\x00"):
                self.assertEqual(self.by_readers(data), self.by_codecs(data))


class RoundTrips(unittest.TestCase):
    @given(macs, addresses, macs, addresses)
    def test_arp_in_a_frame(self, smac: Mac, saddr: IPv4Address, tmac: Mac, taddr: IPv4Address) -> None:
        packet = arp.Arp(arp.Operation.REPLY, smac, saddr, tmac, taddr)
        data = ethernet.encode(ethernet.Frame(tmac, smac, ethernet.EtherType.ARP, arp.encode(packet)))
        self.assertEqual(len(data), 60)
        self.assertEqual(arp.decode(ethernet.decode(data).payload), packet)

    @given(addresses, addresses, st.binary(max_size=200), st.integers(0, 65535))
    def test_udp_in_ipv4(self, source: IPv4Address, target: IPv4Address, payload: bytes, port: int) -> None:
        datagram = ipv4.Udp(port, 53, payload)
        data = ipv4.encode(ipv4.Packet(source, target, 17, ipv4.encode_udp(datagram, source, target)))
        self.assertEqual(ipv4.decode_udp(ipv4.decode(data + b"padding")), datagram)

    @given(st.booleans(), st.integers(0, 65535), st.integers(0, 65535), st.binary(max_size=64))
    def test_echo(self, reply: bool, identifier: int, sequence: int, payload: bytes) -> None:
        message = icmp.Echo(reply, identifier, sequence, payload)
        self.assertEqual(icmp.decode(icmp.encode(message)), message)
        self.assertEqual(internet_checksum(icmp.encode(message)), 0)

    def test_unreachable(self) -> None:
        message = icmp.Unreachable(3, b"x" * 28)
        self.assertEqual(icmp.decode(icmp.encode(message)), message)

    def test_vlan_tags_are_looked_through(self) -> None:
        frame = ethernet.Frame(BROADCAST, OUR_MAC, ethernet.EtherType.ARP, b"x" * 46, vlan=20)
        self.assertEqual(ethernet.decode(ethernet.encode(frame)), frame)

    def test_node_status(self) -> None:
        self.assertEqual(netbios.decode_status(netbios.encode_status(STATUS)), STATUS)
        self.assertEqual(STATUS.host_name, "LEDGER")
        self.assertEqual(netbios.decode_request(netbios.encode_request(77)), 77)

    def test_questions_and_answers_for_names(self) -> None:
        self.assertEqual(dns_messages.decode_question(dns_messages.encode_question(ONE, 9, unicast=True)), (9, ONE))
        answer = dns_messages.decode_answer(dns_messages.encode_answer(9, ONE, ("desk.local",)))
        self.assertEqual((answer.transaction, answer.address, answer.names), (9, ONE, ("desk.local",)))
        self.assertEqual(dns_messages.decode_answer(dns_messages.encode_answer(9, ONE, ())).names, ())


class WrongChecksums(unittest.TestCase):
    def test_a_flipped_bit_is_noticed_everywhere(self) -> None:
        packet = bytearray(VALID[2])
        for at, decode in ((8, ipv4.decode), (28, lambda data: ipv4.decode_udp(ipv4.decode(data)))):
            broken = bytes(packet[:at]) + bytes([packet[at] ^ 1]) + bytes(packet[at + 1 :])
            with self.assertRaisesRegex(WireError, "checksum"):
                decode(broken)
        with self.assertRaisesRegex(WireError, "checksum"):
            icmp.decode(icmp.encode(icmp.Echo(True, 1, 2, b"abc"))[:-1] + b"x")


if __name__ == "__main__":
    unittest.main()
