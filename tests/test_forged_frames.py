"""Frames that anybody can send: forged ones move nobody and make nothing, broken ones fill nothing, before a restart and after it."""

from __future__ import annotations

import random
import resource
import unittest
from collections.abc import Iterator
from ipaddress import IPv4Address, IPv4Network

from sqlalchemy import select

from even_roster.core.findings.engine import Finding
from even_roster.core.findings.model import State
from even_roster.core.mac import BROADCAST, Mac, MacNumber
from even_roster.probe.listen import Ear
from even_roster.service import context as contexts
from even_roster.store.heard_records import MOST_KEPT
from even_roster.store.past_tables import heard_only, silences
from even_roster.store.tables import adapters, devices, stays
from even_roster.wire import arp, dhcp, dns_messages, ethernet, ipv4, lldp, vrrp
from tests.support.days import Days, days, hall, prepared
from tests.support.effort import current, effort

BESIDE = "anything"
PART = "test and endure"

FORGED, BROKEN = effort(1_500, 10_000), effort(4_000, 30_000, 200_000)
OFFICE = IPv4Network("10.44.10.0/24")
ADAPTER = "office0"
KINDS = 7
"""How many kinds of frames the forger has: three of ARP, mDNS, DHCP, LLDP, VRRP."""
MOST_FINDINGS = 20
MOST_MEGABYTES = 30


class Forger:
    """Frames of every protocol that is listened to, in anybody's name."""

    def __init__(self, chance: random.Random, macs: list[Mac]) -> None:
        self.chance, self.macs = chance, macs

    def mac(self) -> Mac:
        strange = Mac(MacNumber(0x020000000000 | self.chance.getrandbits(40)))
        return self.chance.choice(self.macs) if self.chance.random() < 0.7 else strange

    def address(self) -> IPv4Address:
        inside = IPv4Address(int(OFFICE.network_address) + self.chance.randrange(1, 255))
        return inside if self.chance.random() < 0.7 else IPv4Address(self.chance.getrandbits(32))

    def frame(self, kind: int | None = None) -> bytes:
        """One of the kinds, or of any."""
        mac, address, other = self.mac(), self.address(), self.address()
        match self.chance.randrange(KINDS) if kind is None else kind:
            case 0:
                return ethernet.encode(arp.announcement(mac, address))
            case 1:
                return ethernet.encode(arp.request(mac, address, other))
            case 2:
                asked = arp.decode(arp.request(self.mac(), other, address).payload)
                return ethernet.encode(arp.reply_to(asked, mac, address))
            case 3:
                name = self.chance.choice(
                    ("printer-1.local", "box-office.local", f"x{self.chance.randrange(99)}.local")
                )
                return self._udp(mac, address, 5353, dns_messages.encode_announcement(name, (address,)))
            case 4:
                options = ((dhcp.Option.HOSTNAME, b"printer-1"), (dhcp.Option.SERVER, other.packed))
                reply, kind = self.chance.choice(
                    ((False, dhcp.Kind.REQUEST), (True, dhcp.Kind.OFFER), (True, dhcp.Kind.ACK))
                )
                return dhcp.frame(dhcp.Message(reply, 7, mac, kind, yours=address, options=options), mac, BROADCAST)
            case 5:
                told = lldp.Neighbour("switch-office-1", "17", 120, "17", "switch-office-1", "", other)
                return lldp.frame(told, mac)
            case _:
                advert = bytearray(vrrp.frame(vrrp.Advertisement(7, 200, (address,)), other))
                advert[6:12] = mac.to_bytes()
                return bytes(advert)

    def broken(self, kind: int | None = None) -> bytes:
        """One with some octets changed, or cut off."""
        frame = bytearray(self.frame(kind))
        for _ in range(self.chance.randrange(1, 6)):
            frame[self.chance.randrange(len(frame))] = self.chance.getrandbits(8)
        return bytes(frame[: self.chance.randrange(6, len(frame) + 1)])

    def _udp(self, mac: Mac, source: IPv4Address, port: int, payload: bytes) -> bytes:
        group = IPv4Address("224.0.0.251")
        body = ipv4.encode_udp(ipv4.Udp(port, port, payload), source, group)
        packet = ipv4.encode(ipv4.Packet(source, group, ipv4.Protocol.UDP, body, ttl=255))
        return ethernet.encode(ethernet.Frame(BROADCAST, mac, ethernet.EtherType.IPV4, packet))


class Forged(unittest.TestCase):
    def known(self, site: Days) -> dict[str, object]:
        """What no frame may change: devices with what is shown of them, adapters, stays, who is where, and what is said of masks."""
        with site.context.database.read() as connection:
            shown = select(
                devices.c.id, devices.c.called, devices.c.address, devices.c.mac, devices.c.macs, devices.c.last_seen
            ).where(devices.c.called != "")
            found: dict[str, object] = {
                "devices": {row.id: tuple(row) for row in connection.execute(shown)},
                "number": len(connection.execute(select(devices.c.id)).all()),
                "adapters": [tuple(row) for row in connection.execute(select(adapters.c.mac, adapters.c.last_seen))],
                "stays": [
                    tuple(row)
                    for row in connection.execute(
                        select(
                            stays.c.address, stays.c.mac, stays.c.first, stays.c.last, stays.c.reason, stays.c.sightings
                        )
                    )
                ],
                "silences": [tuple(row) for row in connection.execute(select(silences))],
            }
        with site.context.findings.looking() as world:
            found["holders"] = {
                (address, mac): (held.first, held.last)
                for address, holders in world.holders.items() for mac, held in holders.items()
            }  # fmt: skip
        return found

    def hear(self, site: Days, frames: Iterator[bytes], at_once: int = 500) -> None:
        """Listen to frames on the office's link."""
        adapter = next(one for one in site.site.adapters if one.name == ADAPTER)
        own = frozenset(a.mac.value for a in site.site.adapters if a.mac is not None)
        ear = Ear(own, tuple(adapter.networks))
        for number, frame in enumerate(frames, start=1):
            ear.take(frame)
            if number % at_once == 0:
                site.listening.take(ADAPTER, ear.batch(contexts.now_ms()), 0)
                site.listening._store()
                site.sleep(1.0)
        site.listening.take(ADAPTER, ear.batch(contexts.now_ms()), 0)
        site.listening._store()

    def test_forged_frames_move_nobody_and_make_nothing(self) -> None:
        chance = random.Random(28)
        with days(hall, prepared) as site:
            site.watcher.know_links()
            site.scan(str(OFFICE))
            site.context.findings.settle(everything=True)
            macs = [host.mac for host in site.site.hosts]
            for _ in range(4):  # what takes time to be told is told
                findings = self.opened(site)
            before = self.known(site)
            forger = Forger(chance, macs)
            self.hear(site, (forger.frame() for _ in range(FORGED)))
            self.compare(self.known(site), before)
            told = {
                name: one for name in self.opened(site) - findings if (one := self.standing(site, name)) is not None
            }
            self.assertGreater(len(told), 3)
            self.assertEqual([one for one in told.values() if not one.heard], [], "each says that it was only heard")
            with site.context.database.read() as connection:
                self.assertGreater(
                    len(connection.execute(select(heard_only)).all()), 10, "what was heard is kept as that"
                )
                heard = connection.execute(select(devices.c.heard).where(devices.c.heard > 0)).all()
                self.assertGreater(len(heard), 3, "and stands beside devices that answered")
            site.restart()
            self.compare(self.known(site), before)

    def compare(self, after: dict[str, object], before: dict[str, object]) -> None:
        """All is as it was; a device without any name may be shown with one that was heard."""
        for what, was in before.items():
            now = after[what]
            if isinstance(was, dict) and isinstance(now, dict):
                now = {key: value for key, value in now.items() if what != "devices" or key in was}
            self.assertEqual(now, was, f"{what} are as they were")

    def test_broken_frames_fill_nothing(self) -> None:
        self.broken()

    @unittest.skipIf(current() == "test", "in make endure")
    def test_broken_frames_of_each_kind_fill_nothing(self) -> None:
        for kind in range(KINDS):
            with self.subTest(kind):
                self.broken(kind)

    def broken(self, kind: int | None = None) -> None:
        chance = random.Random(200)
        with days(hall, prepared) as site:
            site.watcher.know_links()
            site.context.findings.settle(everything=True)
            forger = Forger(chance, [host.mac for host in site.site.hosts])
            before = self.known(site)
            self.hear(site, (forger.broken(kind) for _ in range(500)))
            findings = self.opened(site)
            peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
            self.hear(site, (forger.broken(kind) for _ in range(BROKEN)), at_once=2_000)
            grown = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - peak) / 1024
            self.assertLess(grown, MOST_MEGABYTES, "megabytes")
            with site.context.database.read() as connection:
                self.assertLessEqual(len(connection.execute(select(heard_only)).all()), MOST_KEPT * 4)
            self.compare(self.known(site), before)
            self.assertLessEqual(len(self.opened(site) - findings), MOST_FINDINGS, self.opened(site))
            self.assertEqual([one for one in self.opened(site) if "127." in one[1]], [])

    def standing(self, site: Days, name: tuple[str, str]) -> Finding | None:
        return site.context.findings.engine.standing.get(name)

    def opened(self, site: Days) -> set[tuple[str, str]]:
        """The open findings, once everything has stood long enough."""
        site.context.findings.settle(everything=True)
        site.sleep(90.0)
        site.context.findings.settle(everything=True)
        standing = site.context.findings.engine.standing.values()
        return {(one.kind, one.key) for one in standing if one.state is State.OPEN}


if __name__ == "__main__":
    unittest.main()
