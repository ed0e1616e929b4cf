"""Larkspur Hall: what is wrong at the site is in the bytes of its hosts, and the site is the same at every start."""

from __future__ import annotations

import asyncio
import json
import sys
import unittest
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from ipaddress import IPv4Address, IPv4Network

from even_roster.core.adapters import AdapterError
from even_roster.core.mac import BROADCAST, Mac, MacNumber
from even_roster.core.vendors import Prefix, VendorRegistry
from even_roster.probe.segment import Reached, SegmentError
from even_roster.standin import generator, larkspur
from even_roster.standin.hosts import Awake
from even_roster.standin.segment import StandinDoor, StandinMachine
from even_roster.standin.site import Site
from even_roster.wire import arp, dns_messages, ethernet, icmp, ipv4, netbios
from tests.support.clock import FakeClock
from tests.support.effort import effort

BESIDE = "anything"
PART = "test and endure"


def hall() -> tuple[Site, FakeClock]:
    clock = FakeClock()
    return larkspur.build(clock=clock, sleep=clock.sleep), clock


def ask(site: Site, adapter: int, target: str) -> list[arp.Arp]:
    own = site.adapters[adapter]
    assert own.mac is not None
    question = ethernet.encode(arp.request(own.mac, own.addresses[0].ip, IPv4Address(target)))
    return [arp.decode(ethernet.decode(frame).payload) for _, frame in site.deliver(own.name, question)]


class Hall(unittest.TestCase):
    def setUp(self) -> None:
        self.site, self.clock = hall()

    def test_the_site_is_the_same_at_every_start(self) -> None:
        def facts(site: Site) -> list[tuple[object, ...]]:
            return [(h.label, h.mac, h.addresses, h.vlan, h.delay, h.awake) for h in site.hosts]

        self.assertEqual(facts(self.site), facts(hall()[0]))

    def test_whoever_asks_beside_others_sees_all_that_is_due_done(self) -> None:
        before = sys.getswitchinterval()
        sys.setswitchinterval(1e-5)
        self.addCleanup(sys.setswitchinterval, before)
        for _ in range(effort(3, 10)):
            self.clock.sleep(40 * 3600)  # every lease would have ended, were it not renewed
            now = (self.site.epoch + self.site.elapsed()) * 1000

            def late(now: float) -> set[str]:
                server = self.site.dhcp_server(larkspur.DHCP_SERVER)
                assert server is not None
                told = json.loads(server.control(b'{"command": "leases"}'))["leases"]
                return {one["address"] for one in told if one["expires"] < now}

            with ThreadPoolExecutor(4) as pool:
                side_by_side = set().union(*pool.map(late, [now] * 4))
            self.assertEqual(side_by_side - late(now), set(), "read by one thread while another still renewed them")

    def test_every_subnet_of_the_plan_is_inhabited(self) -> None:
        lived = Counter(
            s.name for s in self.site.subnets for h in self.site.hosts if any(a in s.network for a in h.addresses)
        )
        self.assertEqual(set(lived), {"Office", "Stage", "Foyer", "Cameras", "Visitors"})
        self.assertTrue(all(count >= 15 for count in lived.values()), lived)

    def test_all_vendors_are_own_prefixes_in_administratively_assigned_space(self) -> None:
        registry = VendorRegistry()
        for text, name in larkspur.VENDORS.values():
            prefix = Prefix.parse(text)
            self.assertEqual(prefix.value >> 40 & 0xF, 2, text)
            registry.add(prefix, name, own=True)
        unknown = [h for h in self.site.hosts if registry.of(h.mac) is None]
        self.assertTrue(all(h.mac.local and not h.mac.multicast for h in unknown))
        self.assertTrue(all("visitor" in h.label or h.label == "unknown" for h in unknown))

    def test_two_devices_answer_for_one_address(self) -> None:
        answers = ask(self.site, 1, "10.44.20.41")
        self.assertEqual(len({answer.sender_mac for answer in answers}), 2)

    def test_a_router_answers_for_addresses_that_are_not_its_own(self) -> None:
        own, moved = ask(self.site, 0, "10.44.10.4"), ask(self.site, 0, "10.44.10.241")
        self.assertEqual(own[0].sender_mac, moved[0].sender_mac)

    def test_nobody_answers_across_vlans(self) -> None:
        self.assertEqual(ask(self.site, 0, "10.44.20.30"), [])
        self.assertEqual(ask(self.site, 0, "10.44.10.200"), [])

    def test_the_firewalled_server_answers_arp_and_drops_echo(self) -> None:
        (answer,) = ask(self.site, 1, "10.44.20.120")
        self.assertEqual(self.echo(1, "10.44.20.120", answer.sender_mac), [])
        (desk,) = ask(self.site, 1, "10.44.20.30")
        self.assertEqual(len(self.echo(1, "10.44.20.30", desk.sender_mac)), 1)

    def echo(self, adapter: int, target: str, hop: Mac) -> list[bytes]:
        own = self.site.adapters[adapter]
        assert own.mac is not None
        message = icmp.encode(icmp.Echo(False, 5, 1, b"x"))
        packet = ipv4.encode(ipv4.Packet(own.addresses[0].ip, IPv4Address(target), 1, message))
        frame = ethernet.encode(ethernet.Frame(hop, own.mac, ethernet.EtherType.IPV4, packet))
        return [answer for _, answer in self.site.deliver(own.name, frame)]

    def test_the_router_forwards_and_answers_bear_its_mac(self) -> None:
        (gate,) = ask(self.site, 0, "10.44.10.1")
        (answer,) = self.echo(0, "10.44.40.20", gate.sender_mac)
        frame = ethernet.decode(answer)
        self.assertEqual(
            (frame.source, ipv4.decode(frame.payload).source), (gate.sender_mac, IPv4Address("10.44.40.20"))
        )
        (printer,) = ask(self.site, 0, "10.44.10.30")
        self.assertEqual(self.echo(0, "10.44.40.20", printer.sender_mac), [])

    def test_lost_devices_give_themselves_away_and_answer_where_they_are_asked(self) -> None:
        office, stage = self.site.chatter("office0"), self.site.chatter("stage0")
        self.assertEqual(arp.decode(ethernet.decode(office[0]).payload).sender_address, IPv4Address("169.254.77.12"))
        self.assertEqual(arp.decode(ethernet.decode(stage[0]).payload).sender_address, IPv4Address("192.168.200.10"))
        hello = ipv4.decode(ethernet.decode(stage[1]).payload)
        self.assertEqual((hello.source, ipv4.decode_udp(hello).destination_port), (IPv4Address("0.0.0.0"), 67))
        (lost,) = ask(self.site, 1, "192.168.200.10")
        self.assertEqual(lost.sender_address, IPv4Address("192.168.200.10"), "and answers whoever asks there")

    def test_portables_come_and_go(self) -> None:
        present = set()
        for _ in range(60):
            present.add(len(ask(self.site, 0, "10.44.10.116")))
            self.clock.sleep(10)
        self.assertEqual(present, {0, 1})
        self.assertTrue(Awake().at(1e9))
        self.assertEqual([Awake(10, 4, 2).at(t) for t in (0, 2, 5.9, 6, 12)], [False, True, True, False, True])

    def test_names_are_told_by_those_who_know_them(self) -> None:
        gate, printer = IPv4Address("10.44.10.1"), IPv4Address("10.44.10.30")
        question = dns_messages.encode_question(printer, 9)
        (_, sender, answer), = self.site.datagram("office0", gate, 53, question)  # fmt: skip
        self.assertEqual((sender, dns_messages.decode_answer(answer).names), (gate, ("printer-1.larkspur.example",)))
        self.assertEqual(self.site.datagram("office0", printer, 53, question), [])
        (_, _, status), = self.site.datagram("office0", printer, 137, netbios.encode_request(3))  # fmt: skip
        self.assertEqual(netbios.decode_status(status).host_name, "PRINTER-1")
        desk = dns_messages.encode_question(IPv4Address("10.44.10.80"), 9)
        (_, holder, _), = self.site.datagram("office0", dns_messages.LLMNR_GROUP, 5355, desk)  # fmt: skip
        self.assertEqual(holder, IPv4Address("10.44.10.80"))
        self.assertEqual(self.site.datagram("stage0", dns_messages.LLMNR_GROUP, 5355, desk), [])

    def test_garbage_into_the_site_gives_nothing_back(self) -> None:
        for frame in (
            b"",
            b"\0" * 14,
            b"\xff" * 60,
            ethernet.encode(ethernet.Frame(BROADCAST, Mac(MacNumber(2)), 0x86DD, b"x" * 46)),
        ):
            self.assertEqual(self.site.deliver("office0", frame), [])
        for port in (53, 137, 5353, 5355, 9):
            self.assertEqual(self.site.datagram("office0", IPv4Address("10.44.10.1"), port, b"\xff" * 30), [])


class Doors(unittest.TestCase):
    def test_frames_arrive_at_their_time_and_not_before(self) -> None:
        site, clock = hall()
        own = site.adapters[0]
        assert own.mac is not None
        door = StandinDoor(site, "office0")
        began = clock.now
        door.send(ethernet.encode(arp.request(own.mac, own.addresses[0].ip, IPv4Address("10.44.10.110"))))
        self.assertEqual(list(door.receive(0.01)), [])
        arrived = door.receive(0.5)
        self.assertEqual(len(arrived), 1)
        self.assertAlmostEqual(arrived[0][0] - began, 0.03, delta=0.001)

    def test_connections_are_accepted_refused_or_lost(self) -> None:
        async def outcomes() -> list[Reached]:
            machine = StandinMachine(hall()[0])
            office, stage, _ = (machine.open(adapter) for adapter in machine.adapters())
            return [
                await office.stream(IPv4Address("10.44.10.30"), 80, 0.5), await office.stream(IPv4Address("10.44.10.30"), 22, 0.5),
                await stage.stream(IPv4Address("10.44.20.120"), 80, 0.05), await office.stream(IPv4Address("10.44.10.200"), 80, 0.05),
            ]  # fmt: skip

        self.assertEqual(asyncio.run(outcomes()), [Reached.OPEN, Reached.REFUSED, Reached.SILENT, Reached.SILENT])

    def test_a_foreign_adapter_has_no_door_into_the_site(self) -> None:
        machine = StandinMachine(hall()[0])
        other = generator.generate(10).adapters[0]
        with self.assertRaises(AdapterError):
            machine.open(other)
        with self.assertRaises(SegmentError):
            machine.open(machine.adapters()[0]).neighbours()


class Generated(unittest.TestCase):
    def test_sites_of_any_size_fit_their_subnet_and_repeat_by_seed(self) -> None:
        for hosts, prefix in ((50, 24), (900, 22), (20_000, 17)):
            site = generator.generate(hosts)
            network = site.subnets[0].network
            self.assertEqual((len(site.hosts), network.prefixlen), (hosts, prefix))
            places = [host.addresses[0] for host in site.hosts]
            self.assertEqual(len(set(places)), hosts)
            self.assertTrue(all(a in IPv4Network(network) and a != site.adapters[0].addresses[0].ip for a in places))
        one, same, other = (generator.generate(60, seed=seed) for seed in (4, 4, 5))
        self.assertEqual([h.addresses for h in one.hosts], [h.addresses for h in same.hosts])
        self.assertNotEqual([h.addresses for h in one.hosts], [h.addresses for h in other.hosts])

    def test_sizes_that_make_no_sense_are_refused(self) -> None:
        for hosts in (0, 1, 60_001):
            with self.assertRaisesRegex(ValueError, "2 to 60,000"):
                generator.generate(hosts)


if __name__ == "__main__":
    unittest.main()
