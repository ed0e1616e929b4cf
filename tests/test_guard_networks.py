"""The guard of ports on generated networks: from wherever somebody orders, whatever is forged and however many ports are off already,
nobody who must stay is cut off by what is permitted without consent, and consents name who may have lied."""

from __future__ import annotations

import tempfile
import unittest
from dataclasses import dataclass
from ipaddress import IPv4Interface
from pathlib import Path
from types import MappingProxyType
from typing import Any
from unittest import mock

from sqlalchemy import insert

from even_roster.api.switches import CredentialNew
from even_roster.core.adapters import Adapter
from even_roster.core.address import Address
from even_roster.core.findings.facts import Link as OwnLink
from even_roster.core.findings.facts import ServerHeard
from even_roster.core.findings.offers import Offer
from even_roster.core.mac import Mac
from even_roster.service.context import now_ms, open_context
from even_roster.service.settings import Settings
from even_roster.service.switches import credential_edits
from even_roster.service.wiring.guard_facts import Judged, judged
from even_roster.service.wiring.seats import Seat
from even_roster.standin import larkspur
from even_roster.standin.segment import StandinMachine
from even_roster.store import order_records
from even_roster.store.switch_tables import switches
from even_roster.store.tables import adapters as adapter_rows
from even_roster.store.tables import devices
from tests.support.attacked_networks import FORGERIES, Network, Place
from tests.support.effort import effort

BESIDE = "anything"
PART = "test and endure"

NETWORKS = effort(4, 100, 400)
OWN = IPv4Interface("10.44.10.20/24")
STRONG = CredentialNew(
    name="machinist", user="machinist", auth="sha256", auth_password="trapdoor-one", privacy="aes128", privacy_password="trapdoor-two"
)  # fmt: skip
OPEN = CredentialNew(name="larkspur", snmp="2c", community="larkspur")


@dataclass
class Asked:
    """What the guard said of one port."""

    place: Place
    judged: Judged

    @property
    def permitted(self) -> bool:
        """Whether it may be switched off at all."""
        return not self.judged.verdict.refusals

    @property
    def consents(self) -> list[str]:
        """To what must be consented for that."""
        return self.judged.unverified("link")


class Judging:
    """A service that has read the switches of a network three times: before, and twice after somebody began to forge."""

    def __init__(self, test: unittest.TestCase, network: Network) -> None:
        self.network = network
        home = Path(test.enterContext(tempfile.TemporaryDirectory()))
        self.context = open_context(Settings(home=home), StandinMachine(larkspur.build()))
        test.addCleanup(self.context.close)
        mac = Mac(network.roles["service"])
        own = Adapter("office0", mac, (OWN,))
        test.enterContext(mock.patch.object(self.context.machine, "adapters", lambda: [own]))
        self.strong, self.open = (credential_edits.add(self.context, "test", one) for one in (STRONG, OPEN))
        numbers = range(network.topology.switches)
        with self.context.database.write() as connection:
            connection.execute(insert(switches), [
                {"id": number + 1, "site": 1, "address": network.address(number), "every_seconds": 300, "on": True}
                for number in numbers
            ])  # fmt: skip
            for number, host in enumerate(network.places):
                values = {
                    "id": number + 1,
                    "created_at": 1,
                    "name": f"host-{number}",
                    "vouched": host != network.roles["forger"],
                }
                connection.execute(insert(devices).values(values))
                connection.execute(
                    insert(adapter_rows).values(device_id=number + 1, mac=host, first_seen=1, last_seen=1)
                )
        self.context.switches.reload()
        with self.context.findings.looking() as world:
            world.links["office0"] = OwnLink(
                "office0", (OWN.network,), Address(int(OWN.network.network_address) + 1), network.roles["gateway"]
            )
            offer = Offer(
                int(OWN.network.network_address) + 2, network.roles["dhcp"], 0, Address(0), 24, (), (), "", (), 0
            )
            world.dhcp.servers[1] = {offer.server: ServerHeard(offer, 1, 1)}
        begin = now_ms() - 30_000
        for round_, forged in enumerate((False, True, True)):
            self.read(forged, begin + round_ * 10_000)

    def read(self, forged: bool, at: int) -> None:
        """All switches were read."""
        for number, reading in enumerate(self.network.readings(forged)):
            works = self.open if number in self.network.weak else self.strong
            self.context.switches.take(number + 1, reading, at, works)
        self.context.switches.weigh()

    def asked(self, place: Place, seat: Seat) -> Asked:
        """What the guard says of a port, by the credential that authenticates."""
        switch = self.context.switches.switches[place[0] + 1]
        port = next(one for one in switch.ports.values() if one.place == place[1] or one.name == str(place[1]))
        return Asked(place, judged(self.context, switch, port, seat, self.strong))

    def ordered(self, place: Place, state: str) -> None:
        """A port was told to be off."""
        switch = self.context.switches.switches[place[0] + 1]
        port = next(one for one in switch.ports.values() if one.name == str(place[1]))
        values: dict[str, Any] = {
            "switch": switch.row.id, "port": port.id, "what": "link", "to": "off", "who": "x", "at": now_ms(), "until": None,
            "credential": self.strong, "state": state, "said": "", "said_at": now_ms(), "consents": [],
        }  # fmt: skip
        with self.context.database.write() as connection:
            order_records.add(connection, values)


class Networks(unittest.TestCase):
    def seats(self, network: Network) -> dict[str, Seat]:
        """From where the one who orders may do that."""
        switch, port = network.places[network.roles["orderer"]]
        mac = str(Mac(network.roles["orderer"]))
        return {
            "by his MAC": Seat("127.0.0.1", said=mac),
            "by his port": Seat("127.0.0.1", said=f"switch-{switch}:{port}"),
            "behind a proxy, as he says": Seat("10.44.10.9", forwarded=True, said=mac),
        }

    def places(self, network: Network) -> list[Place]:
        """Ports worth asking for: of hosts, of cables, and some where nobody is."""
        used = {*network.places.values(), *(end for ends in network.topology.cables for end in ends)}
        idle = [(number, place) for number in range(network.topology.switches) for place in (23, 24, 60)]
        return sorted({*used, *network.source.sample(idle, 3)})

    def test_nobody_who_must_stay_is_cut_off_by_what_is_permitted(self) -> None:
        permitted, healthy, wished, tried = 0, 0, 0, set[str]()
        for seed in range(NETWORKS):
            network = Network(seed)
            tried.add(network.forgery)
            judging = Judging(self, network)
            name, seat = network.source.choice(sorted(self.seats(network).items()))
            off: set[Place] = set()
            for place in self.places(network):
                asked = judging.asked(place, seat)
                kept = {network.places[mac] for who, mac in network.roles.items() if who != "forger"}
                ends = place not in kept and not any(place in cable for cable in network.topology.cables)
                bears = place in network.places.values() and network.places[network.roles["forger"]] != place
                if network.forgery == "nothing" and not network.weak and ends and bears:
                    wished += 1
                    healthy += asked.permitted and not asked.consents
                if not asked.permitted:
                    continue
                if asked.consents:
                    self.named(network, asked)
                    continue
                permitted += 1
                cut = network.cut_off({*off, place}, [place[0]], ("service", "gateway", "dhcp", "orderer"))
                self.assertEqual(cut, [], f"seed {seed}, {network.forgery}, {name}: port {place} was permitted")
                if network.source.random() < 0.5:
                    off.add(place)
                    judging.ordered(place, network.source.choice(("sent", "done", "not known", "off for now")))
        self.assertGreater(permitted, NETWORKS, "others may")
        if NETWORKS > 50:
            self.assertEqual(tried, set(FORGERIES))
            self.assertGreaterEqual(
                healthy, 0.9 * wished, f"{healthy} of {wished} that may be wished for are permitted"
            )

    def named(self, network: Network, asked: Asked) -> None:
        """Whoever may have lied on the way is named where it is asked for a consent."""
        on_way = {number - 1 for number in (*asked.judged.verdict.switches, asked.place[0] + 1)}
        for number in on_way & network.weak:
            self.assertTrue(any(f"what switch-{number} tells" in one for one in asked.consents), asked.consents)

    def test_no_interface_of_a_switch_of_its_own_and_no_unknown_place_is_permitted(self) -> None:
        for seed in range(2):
            network = Network(1000 + seed)
            judging = Judging(self, network)
            here = Seat("127.0.0.1")
            for switch in judging.context.switches.switches.values():
                (own,) = (one for one in switch.ports.values() if one.name == "management")
                refusals = judged(judging.context, switch, own, here, judging.strong).verdict.refusals
                self.assertTrue(any("has an address of its own" in one for one in refusals), refusals)
                self.assertTrue(any("number as a port of the bridge" in one for one in refusals), refusals)
            for place in self.places(network):
                for seat in (Seat("10.44.10.9", forwarded=True), Seat("127.0.0.1", said="unknown"), Seat("fd00:44::9")):
                    self.assertFalse(judging.asked(place, seat).permitted, f"{place} from {seat}")

    def test_two_ports_that_are_each_harmless_are_not_both_off_on_the_way(self) -> None:
        """An order that was sent and not answered counts as carried out: the way that it may have cut carries no other."""
        network = Network(3)
        judging = Judging(self, network)
        seat = Seat("127.0.0.1")
        ways = MappingProxyType({
            place: asked.judged.verdict.ports for place in self.places(network)
            if (asked := judging.asked(place, seat)).permitted and len(asked.judged.verdict.switches) > 1
        })  # fmt: skip
        self.assertTrue(ways)
        place, ports = next(iter(ways.items()))
        for port in ports[1:2]:
            switch, found = judging.context.switches.by_port[port]
            judging.ordered((switch.row.id - 1, int(found.name)), "sent")
        refusals = judging.asked(place, seat).judged.verdict.refusals
        self.assertTrue(any("was told to be off" in one for one in refusals), refusals)


if __name__ == "__main__":
    unittest.main()
