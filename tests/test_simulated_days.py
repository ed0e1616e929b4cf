"""Days at simulated sites: everything that is wrong at Larkspur Hall is found and nothing else; a healthy site stays quiet."""

from __future__ import annotations

import unittest
from ipaddress import IPv4Address
from unittest.mock import patch

from even_roster.core.mac import Mac, MacNumber
from even_roster.service.demo.larkspur_plan import plan_larkspur
from even_roster.service.demo.site_setup import give_prefixes
from even_roster.standin import larkspur
from even_roster.standin.hosts import Host
from even_roster.standin.site import Site
from tests.support.clock import FakeClock
from tests.support.days import EPOCH_MS, Days, days
from tests.support.effort import effort
from tests.support.healthy import (
    DEPUTY,
    SERVER,
    deputy_for_the_server,
    fail_over,
    healthy_plan,
    healthy_site,
    join_docked,
)

BESIDE = "anything"
PART = "test and endure"

DAYS, TAKE_OVERS, DEVICES = effort(2, 30, 120), effort(2, 8, 40), effort(200, 500, 500)
LOOKED_AT_EVERY = effort(4, 1, 1)
"""Hours of the site's clock between two looks at what the service does by itself every few minutes."""
SUBNETS = ["10.44.10.0/24", "10.44.20.0/24", "10.44.30.0/24", "10.44.40.0/26"]


def _hall(clock: FakeClock) -> Site:
    with patch("time.time", return_value=EPOCH_MS / 1000):
        return larkspur.build(clock=clock, sleep=clock.sleep)


def _prepare(context: object, site: Site) -> None:
    give_prefixes(context, larkspur.VENDORS.values())  # type: ignore[arg-type]
    plan_larkspur(context, site)  # type: ignore[arg-type]


class Larkspur(unittest.TestCase):
    def test_two_days_show_exactly_what_is_wrong(self) -> None:
        with days(_hall, _prepare) as hall:
            hall.scan(*SUBNETS, names=True)
            hall.hours(48, SUBNETS, scan_every=8, step=LOOKED_AT_EVERY)
            mac = {host.label: str(host.mac) for host in hall.site.hosts}
            wanted = [
                ("assignment-not-in-effect", "10.44.10.33"),  # printer-4 lost its settings at a power cycle
                ("assignment-not-in-effect", "10.44.10.9"),  # switch-attic was never moved
                ("duplicate-address", "10.44.20.41"),  # dimmer rack and sound desk
                ("foreign-address", "192.168.200.10"),  # a lighting node at its factory address
                ("pool-nearly-full", self._pool(hall, "Visitors")),
                ("reservation-waiting", "10.44.10.181"),  # portable-05 keeps its old address
                ("role-on-pool", mac["access-point-6"]),
                ("self-assigned-address", "169.254.77.12"),
                ("shared-hostname", "desk-front"),
                ("shared-hostname", "portable-02"),  # wired and wireless of one laptop: to be joined
                ("static-in-pool", "10.44.30.155"),  # a card terminal typed in by hand
                ("unexpected-dhcp-server", larkspur.FORGOTTEN),
                ("unknown-device", mac["unknown"]),
                ("unplanned-address", "10.44.10.97"),  # the second desk-front
            ]
            self.assertEqual(hall.standing(), sorted(wanted), hall.told())
            self.assertEqual(
                hall.standing("accepted"), [("duplicate-address", "10.44.10.254"), ("proxy-arp", mac["gate-annex"])]
            )
            flapped = [f.kind for f in hall.context.findings.engine.standing.values() if f.times > 1]
            self.assertEqual(flapped, [])
            self._restarted(hall)
            self._mended(hall)

    def _restarted(self, hall: Days) -> None:
        """A restart closes nothing and tells nothing twice: what is not known yet may well be so still."""
        before = hall.standing()
        hall.restart()
        told: list[str] = []
        hall.context.findings.turned.append(
            lambda turns: told.extend(
                f"{t.turn} {t.finding.kind} {t.finding.key}" for _, t in turns if t.turn != "updated"
            )
        )
        hall.settle(everything=True)
        hall.hours(2, SUBNETS, scan_every=1)
        self.assertEqual((told, hall.standing()), ([], before), hall.told())

    def _pool(self, hall: Days, subnet: str) -> str:
        with hall.context.plan.reading() as plan:
            owner = next(s.id for s in plan.subnets.values() if s.name == subnet)
            return str(next(b.id for b in plan.pools() if b.subnet == owner))

    def _mended(self, hall: Days) -> None:
        """What somebody mends closes by itself."""
        site = hall.site
        desk = next(host for host in site.hosts if host.label == "sound-desk")
        site.unplug(desk)
        site.stop_dhcp("forgotten")
        attic = next(host for host in site.hosts if host.label == "switch-attic")
        site.unplug(attic)
        attic.addresses = (type(attic.addresses[0])("10.44.10.9"),)
        site.plug(attic)
        hall.hours(3, SUBNETS, scan_every=1)
        gone = {
            ("duplicate-address", "10.44.20.41"),
            ("unexpected-dhcp-server", larkspur.FORGOTTEN),
            ("assignment-not-in-effect", "10.44.10.9"),
        }
        self.assertEqual(gone & set(hall.standing()), set(), hall.told())


class Healthy(unittest.TestCase):
    def _follow(self, site: Days, opened: list[str]) -> None:
        """Note every turn that people would be told of."""
        site.context.findings.turned.append(
            lambda turns: opened.extend(f"{one.turn} {one.finding.kind} {one.finding.evidence}" for _, one in turns)
        )

    def test_dhcp_servers_that_take_over_from_each_other_open_nothing(self) -> None:
        opened: list[str] = []
        with days(lambda clock: healthy_site(80, clock), healthy_plan) as site:
            deputy_for_the_server(site.context, site.site)
            self._follow(site, opened)
            site.hours(24, ["10.97.0.0/22"], scan_every=24, step=12)
            join_docked(site.context)
            site.settle(everything=True)
            opened[:] = [one for one in opened if "shared-hostname" not in one]
            for day in range(TAKE_OVERS):
                fail_over(site.site, *((SERVER, DEPUTY) if day % 2 == 0 else (DEPUTY, SERVER)))
                site.hours(24, ["10.97.0.0/22"], scan_every=24, step=8)
                self.assertEqual(opened, [], f"day {day}")
            site.site.stop_dhcp(SERVER)
            site.hours(24, ["10.97.0.0/22"], scan_every=24, step=8)
            self.assertEqual(site.standing(), [("no-dhcp-server", "House")], "both gone would have been found")

    def test_days_of_a_healthy_site_open_nothing(self) -> None:
        opened: list[str] = []
        with days(lambda clock: healthy_site(DEVICES, clock), healthy_plan) as site:
            self._follow(site, opened)
            site.hours(24, ["10.97.0.0/22"], scan_every=24, step=12)
            join_docked(site.context)
            site.settle(everything=True)
            opened[:] = [one for one in opened if "shared-hostname" not in one]  # until people joined the adapters
            for day in range(DAYS):
                site.hours(24, ["10.97.0.0/22"], scan_every=24, step=12)
                self.assertEqual(opened, [], f"day {day}")
                site.restart()
                self._follow(site, opened)
                if day % 7 == 2:
                    with (
                        patch.object(site.site, "deliver", return_value=[]),
                        patch.object(site.site, "overheard", return_value=[]),
                    ):
                        site.hours(2, ["10.97.0.0/22"], scan_every=1)  # the service's own cable is out
                    site.sleep(
                        22 * 3600
                    )  # so that the looks stay at the hours at which those who sleep at night are awake
            intruder = Host("intruder", Mac(MacNumber(0x02C010000001)), (IPv4Address("10.97.0.21"),), 1)
            site.site.plug(intruder)
            site.hours(2, ["10.97.0.0/22"], scan_every=1)
            self.assertEqual(site.standing(), [("duplicate-address", "10.97.0.21")], "and it would have been found")
            with site.context.database.read() as connection:
                macs = connection.exec_driver_sql("SELECT count(*) FROM adapters").scalar()
            self.assertGreater(macs or 0, DEVICES + 2 * DAYS * DEVICES // 20, "phones came with a new MAC every day")


if __name__ == "__main__":
    unittest.main()
