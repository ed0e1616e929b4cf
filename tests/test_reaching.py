"""What comes back for an echo: only words about our own packets are believed; on real kernels each is told as what it means."""

from __future__ import annotations

import contextlib
import unittest
from ipaddress import IPv4Address

from even_roster.api.history import Why
from even_roster.core.address import Address
from even_roster.core.mac import Mac, MacNumber
from even_roster.probe import reaching
from even_roster.probe.reaching import Word
from even_roster.wire import ethernet, icmp, ipv4
from tests.support.lab import Inside, needs_lab
from tests.support.service import service
from tests.support.street import street

BESIDE = "link"

HERE, THERE, GATE = IPv4Address("10.77.0.5"), IPv4Address("10.78.0.9"), IPv4Address("10.77.0.1")
GATE_MAC = Mac.parse("02:c0:3e:77:00:01")
IDENTIFIER = 0x1234


def frame(message: icmp.Message, source: IPv4Address = GATE) -> bytes:
    packet = ipv4.encode(ipv4.Packet(source, HERE, ipv4.Protocol.ICMP, icmp.encode(message)))
    return ethernet.encode(ethernet.Frame(Mac(MacNumber(1)), GATE_MAC, ethernet.EtherType.IPV4, packet))


def original(identifier: int = IDENTIFIER, target: IPv4Address = THERE, reply: bool = False) -> bytes:
    echo = icmp.encode(icmp.Echo(reply, identifier, 1, b"payload of some length"))
    return ipv4.encode(ipv4.Packet(HERE, target, ipv4.Protocol.ICMP, echo))[:28]


class Reading(unittest.TestCase):
    def read(self, data: bytes) -> object:
        return reaching.read(data, Address(int(THERE)), IDENTIFIER)

    def test_words_about_our_own_packets_are_believed_with_who_said_them(self) -> None:
        for code in range(16):
            self.assertEqual(
                self.read(frame(icmp.Unreachable(code, original()))), Word(Address(int(GATE)), GATE_MAC, 3, code)
            )
        self.assertEqual(self.read(frame(icmp.TimeExceeded(0, original()))), Word(Address(int(GATE)), GATE_MAC, 11, 0))
        reply = frame(icmp.Echo(True, IDENTIFIER, 2), THERE)
        self.assertEqual(self.read(reply), (2, int(THERE), GATE_MAC))

    def test_words_about_other_packets_are_nobodys(self) -> None:
        forged = (
            icmp.Unreachable(1, original(IDENTIFIER + 1)), icmp.Unreachable(1, original(target=HERE)), icmp.Unreachable(1, b""),
            icmp.Unreachable(1, original(reply=True)), icmp.Unreachable(1, original()[:27]), icmp.Unreachable(1, b"\x4f" + original()[1:]),
            icmp.Unreachable(1, b"\x60" + original()[1:]), icmp.TimeExceeded(0, original(7)),
            icmp.Echo(True, IDENTIFIER + 1, 1), icmp.Echo(False, IDENTIFIER, 1),
        )  # fmt: skip
        for message in forged:
            self.assertIsNone(self.read(frame(message)), message)
        self.assertIsNone(self.read(frame(icmp.Echo(True, IDENTIFIER, 1), GATE)), "a reply comes from who was asked")
        whole = frame(icmp.Unreachable(1, original()))
        for cut in range(len(whole)):
            self.assertIsNone(self.read(whole[:cut]))


@needs_lab
class OnRealRouters(unittest.TestCase):
    def test_each_word_of_a_real_router_is_told_as_what_it_means(self) -> None:
        with contextlib.ExitStack() as stack:
            road = stack.enter_context(street())
            gate = road.join("10.77.0.1/24", str(GATE_MAC))
            road.join("10.77.0.20/24", "02:c0:9f:40:77:20")
            back = road.join("10.77.0.21/24", "02:c0:9f:40:77:21", gateway="10.77.0.1")
            here = road.join("10.77.0.5/24", "02:c0:9f:4f:77:05", gateway="10.77.0.1")
            for router in (gate, back):
                router.run("sysctl", "-qw", "net.ipv4.ip_forward=1")
                router.run("sysctl", "-qw", "net.ipv4.conf.all.send_redirects=0", "net.ipv4.conf.eth0.send_redirects=0")
                router.run("sysctl", "-qw", "net.ipv4.icmp_ratelimit=0")
            gate.ip("route", "add", "prohibit", "10.78.0.0/24")
            gate.ip("route", "add", "unreachable", "10.79.0.0/24")
            gate.ip("route", "add", "10.80.0.0/24", "via", "10.77.0.21")
            gate.ip("route", "add", "blackhole", "10.81.0.0/24")
            gate.ip("address", "add", "10.82.0.1/24", "dev", "eth0")
            running = stack.enter_context(service("serve", inside=here))
            inside = Inside(here)
            stack.callback(inside.close)
            roster = inside.do(running.client)

            def why(address: str) -> Why:
                return inside.do(lambda: roster.why(address))

            for address, words in (
                ("10.78.0.9", "A firewall on the way forbids it: 10.77.0.1"), ("10.79.0.9", "10.77.0.1, the last router before it"),
                ("10.80.0.9", "Packets to it go round in a circle near 10.77.0."), ("10.83.0.9", "10.77.0.1 knows no way to its network"),
                ("10.82.0.9", "10.77.0.1, the last router before it, finds nobody there"),
                ("10.81.0.9", "Nothing comes back from behind the gateway"),
            ):  # fmt: skip
                told = why(address)
                self.assertFalse(told.answers, address)
                self.assertIn(words, told.verdict, f"{address}: {told.checks}")
            beyond = why("10.82.0.1")
            self.assertEqual((beyond.answers, beyond.verdict), (True, "It answers."))
            near = why("10.77.0.20")
            self.assertEqual((near.answers, near.verdict), (True, "It answers."))
            self.assertIn("it refuses 7 of them, so it is there", str(near.checks))


if __name__ == "__main__":
    unittest.main()
