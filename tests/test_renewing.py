"""A device that waits for its reservation: when it asks by itself, and its old lease, which is ended only when nobody uses it."""

from __future__ import annotations

import unittest
from ipaddress import IPv4Address
from unittest.mock import patch

from even_roster.core.address import Address, address_of, dotted
from even_roster.core.mac import MacNumber
from even_roster.core.plan.following import Lease
from even_roster.core.plan.renewing import Times, how, times
from even_roster.dhcp.kea import KeaServer
from even_roster.dhcp.kea_control import SocketControl
from even_roster.service.context import now_ms
from even_roster.service.dhcp import renewing
from even_roster.service.web.problems import Refusal
from even_roster.store import lease_records
from tests.support import dhcp_lab
from tests.support.days import Days, days, hall, prepared
from tests.support.lab import needs_lab
from tests.test_dhcp_servers import LAPTOP, beside, kea_server, needs_kea, reserve

BESIDE = "link"

RESERVED = "10.44.10.181"
HOUR = 3_600_000


class AskingAgain(unittest.TestCase):
    def test_times_are_those_of_the_standard(self) -> None:
        cases = (
            ((0, 8 * HOUR), 0, 1, Times(4 * HOUR, 7 * HOUR, 8 * HOUR)),
            ((0, 8 * HOUR), 0, 5 * HOUR, Times(None, 7 * HOUR, 8 * HOUR)),
            ((0, 8 * HOUR), 0, 8 * HOUR - 1, Times(None, None, 8 * HOUR)),
            ((None, 8 * HOUR), 8 * 3600, 1, Times(4 * HOUR, 7 * HOUR, 8 * HOUR)),
            ((None, 8 * HOUR), 0, 1, Times(None, None, 8 * HOUR)),
            ((9 * HOUR, 8 * HOUR), 3600, 1, Times(None, None, 8 * HOUR)),
            ((0, None), 3600, 1, Times(None, None, None)),
        )
        for (since, expires), seconds, now, wanted in cases:
            with self.subTest(since=since, expires=expires, seconds=seconds, now=now):
                self.assertEqual(times(Lease(Address(1), MacNumber(2), "", expires, since), seconds, now), wanted)

    def test_every_kind_of_system_is_told_something_of_its_own(self) -> None:
        self.assertIn("Windows", how("portable")[0])
        self.assertNotIn("Windows", " ".join(how("camera")))
        self.assertEqual({how(role)[-1] for role in ("printer", "", "of the site's own")}, {how("phone")[-1]})


class AtLarkspurHall(unittest.TestCase):
    def refused(self, site: Days, identity: int) -> str:
        with self.assertRaises(Refusal) as refusal:
            site.run(renewing.end_lease(site.context, site.dhcp, identity))
        return str(refusal.exception)

    def test_an_old_lease_is_ended_only_when_its_address_is_silent_and_somebody_else_answers(self) -> None:
        with days(hall, prepared) as site:
            site.scan("10.44.10.0/24")
            site.leases()
            with site.context.plan.reading() as plan:
                item = next(one for one in plan.assignments.values() if one.name == "portable-05")
                other = next(one for one in plan.assignments.values() if one.name == "portable-01")
            found = renewing.renewal(site.context, site.dhcp, item.id)
            assert found is not None and found.renews is not None and found.ends is not None
            self.assertTrue(found.can_end)
            self.assertLess(found.renews, found.ends)
            old = found.address
            self.assertIsNone(renewing.renewal(site.context, site.dhcp, other.id), "in effect: nothing waits")
            self.assertIn("no other lease", self.refused(site, other.id))
            self.assertIn(f"its device answers at {old}", self.refused(site, item.id))
            site.site.unplug(next(host for host in site.site.hosts if host.label == "portable-05"))
            with patch.object(site.site, "deliver", return_value=[]):  # the service's own cable is out
                self.assertIn("says nothing of it", self.refused(site, item.id))
            with patch.object(
                type(site.context.plan), "site_here", item.site + 1
            ):  # another site with the same network
                self.assertIn("not on the link", self.refused(site, item.id))
            with patch.object(site.context.machine, "adapters", return_value=[]):
                self.assertIn("not on the link", self.refused(site, item.id))
            self.assertIn(old, self.leased(site, item.mac))
            ended = site.run(renewing.end_lease(site.context, site.dhcp, item.id))
            self.assertRegex(str(ended), f"{old} was silent when asked now, while 10.44.10.* answered")
            self.assertEqual(self.leased(site, item.mac), set())
            self.assertIsNone(renewing.renewal(site.context, site.dhcp, item.id))

    def leased(self, site: Days, mac: MacNumber | None) -> set[str]:
        assert mac is not None
        with site.context.database.read() as connection:
            rows = lease_records.of_macs(connection, site.context.plan.site_here, [mac]).get(mac, [])
        return {dotted(row.lease.address) for row in rows if row.lease.active(now_ms())}


@needs_lab
@needs_kea
class OnKea(unittest.TestCase):
    def test_times_come_from_the_server_and_it_ends_a_lease(self) -> None:
        with dhcp_lab.link() as on, dhcp_lab.kea(on), beside(on) as running, running.client() as roster:
            first = on.ask(LAPTOP)["acked"]
            server = roster.add_dhcp_server(kea_server(on, running))
            roster.dhcp_adopt(server.id, dry_run=False)
            item = roster.assign(reserve(LAPTOP, RESERVED))
            roster.dhcp_publish(server.id)
            found = roster.renewal(item.id)
            assert (
                found is not None and found.renews is not None and found.rebinds is not None and found.ends is not None
            )
            self.assertEqual((found.address, found.server.name, found.can_end), (first, "office", True))
            length = found.ends - found.renews
            self.assertEqual(length.total_seconds(), 1800, "half of the hour that Kea lends for")
            self.assertEqual((found.ends - found.rebinds).total_seconds(), 450)
            told = running.roster("dhcp", "renewal", RESERVED)
            self.assertIn(f"holds the lease of {first} from office", told.stdout)
            refused = running.roster("dhcp", "renewal", RESERVED, "--end-lease")
            self.assertIn("not on the link", refused.stderr)
            self.assertEqual(on.ask(LAPTOP)["acked"], RESERVED)
            roster.dhcp_read(server.id)
            self.assertIsNone(roster.renewal(item.id))
            kea, address = KeaServer(control=SocketControl(on.folder / "kea.sock")), address_of(IPv4Address(RESERVED))
            self.assertEqual([lease.address for lease in kea.leases() if lease.address == address], [address])
            kea.end_lease(address)
            kea.end_lease(address)  # there is none any more: as wanted
            self.assertNotIn(address, [lease.address for lease in kea.leases()])


if __name__ == "__main__":
    unittest.main()
