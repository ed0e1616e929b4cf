"""A switch of the kernel's own bridge, with Debian's snmpd and lldpd: who is behind which port, who announces himself, and that a reading
follows when a cable is moved."""

from __future__ import annotations

import contextlib
import shutil
import unittest

from even_roster.api.switches import Credential, CredentialNew, SwitchEdit, SwitchNew, SwitchReading
from even_roster.client import BadInput, Roster
from tests.support.lab import Inside, namespace, needs_lab
from tests.support.patience import until
from tests.support.service import service
from tests.support.switch_lab import USER, join, switch

BESIDE = "link"

DESK, TILL = "02:c0:9f:40:77:20", "02:c0:44:00:77:01"


@needs_lab
@unittest.skipUnless(shutil.which("snmpd") and shutil.which("lldpd"), "snmpd and lldpd are not installed")
class RealSwitch(unittest.TestCase):
    def setUp(self) -> None:
        self.foyer, self.stage = self.enterContext(switch("switch-foyer")), self.enterContext(switch("switch-stage"))
        self.here, self.desk, self.till = (self.enterContext(namespace()) for _ in range(3))
        self.foyer.plug("p1", self.here, "eth0", "10.77.0.5/24", "02:c0:9f:4f:77:05")
        self.foyer.plug("p2", self.desk, "eth0", "10.77.0.20/24", DESK)
        self.stage.plug("p1", self.till, "eth0", "10.77.0.30/24", TILL)
        join(self.foyer, "up1", self.stage, "up9")
        self.foyer.serve("10.77.0.2/24")
        self.stage.serve("10.77.0.3/24")
        self.foyer.announce()
        self.stage.announce()
        running = self.enterContext(service("serve", inside=self.here))
        self.within = Inside(self.here)
        self.addCleanup(self.within.close)
        self.roster: Roster = self.within.do(running.client)
        for address in ("10.77.0.2", "10.77.0.3"):
            until(lambda at=address: self.neighbours(at), f"{address} does not tell its neighbour")  # type: ignore[misc]

    def read(self, address: str = "10.77.0.2", credential: Credential = USER) -> SwitchReading:
        """Read a switch. Its agent stands still at times, when others join it over AgentX or a port goes: then again."""
        for host in (self.desk, self.till):  # whoever says something is learnt
            host.run("bash", "-c", "echo > /dev/udp/10.77.0.5/9", check=False)
        found: list[SwitchReading] = []

        def answers() -> bool:
            with contextlib.suppress(BadInput):
                found.append(self.within.do(lambda: self.roster.read_switch(address, credential)))
            return bool(found)

        until(answers, f"{address} does not answer")
        return found[-1]

    def neighbours(self, address: str) -> list[tuple[str, str, str]]:
        """Who announces himself at which port."""
        return [(port.name, one.name, one.port) for port in self.read(address).ports for one in port.neighbours]

    def at(self, mac: str, address: str = "10.77.0.2") -> list[str]:
        """The ports that a MAC is behind."""
        return [port.name for port in self.read(address).ports if mac in [one.mac for one in port.behind]]

    def test_who_is_where_by_the_kernels_own_tables_and_where_after_a_cable_was_moved(self) -> None:
        self.assertEqual((self.at(DESK), self.at(TILL), self.at(TILL, "10.77.0.3")), (["p2"], ["up1"], ["p1"]))
        by_community = self.read(credential=Credential(snmp="2c", community="test"))
        self.assertEqual((by_community.name, by_community.ports[0].link), ("switch-foyer", "up"))

        self.assertEqual(self.neighbours("10.77.0.2"), [("up1", "switch-stage", "up9")])
        self.desk.ip("link", "delete", "eth0")
        until(lambda: not self.at(DESK), "it is told still")
        self.stage.plug("p7", self.desk, "eth0", "10.77.0.20/24", DESK)
        until(lambda: self.at(DESK) == ["up1"], "where it went to is not told")
        until(lambda: self.at(DESK, "10.77.0.3") == ["p7"], "the new port is not told")

    def kept(self) -> dict[str, int]:
        """Both switches, read from now on; their ids by name."""
        self.within.do(lambda: self.roster.add_credential(CredentialNew(name="lark", **USER.model_dump())))
        return {
            name: self.within.do(lambda at=address: self.roster.add_switch(SwitchNew(switch=at))).id  # type: ignore[misc]
            for name, address in (("switch-foyer", "10.77.0.2"), ("switch-stage", "10.77.0.3"))
        }

    def again(self, switches: dict[str, int]) -> None:
        """Read both anew, when whoever is there has said something. Agents stand still at times."""
        for host in (self.desk, self.till):
            host.run("bash", "-c", "echo > /dev/udp/10.77.0.5/9", check=False)
        for identity in switches.values():

            def read(which: int = identity) -> bool:
                with contextlib.suppress(BadInput):
                    self.within.do(lambda: self.roster.read_switch_now(which))
                    return True
                return False

            until(read, "a switch cannot be read")

    def where(self, mac: str) -> tuple[str | None, str]:
        """How well it is known where a MAC is, and the switch and port."""
        found = self.within.do(lambda: self.roster.where(mac)).items[0]
        named = f"{found.switch.name} {found.port.name}" if found.switch and found.port else ""
        return found.grade, named

    def test_kept_switches_follow_cables_links_and_restarts_within_one_reading(self) -> None:
        switches = self.kept()
        self.again(switches)
        self.assertEqual(self.where(DESK), ("on", "switch-foyer p2"))
        self.assertEqual(self.where(TILL), ("on", "switch-stage p1"))
        uplink = next(
            port for port in self.within.do(lambda: list(self.roster.ports("switch-foyer"))) if port.name == "up1"
        )
        self.assertTrue(uplink.uplink)
        self.assertIn("the switch switch-stage announces itself there", uplink.reasons)

        self.desk.ip("link", "set", "eth0", "down")  # a link is cut: who hung there is there no more

        def unplugged() -> bool:
            self.again(switches)
            return self.where(DESK)[0] == "not since"

        until(unplugged, "it is told to be there still")
        self.assertEqual(self.where(DESK)[1], "switch-foyer p2")

        self.desk.ip("link", "delete", "eth0")  # and its cable goes to the other switch
        self.stage.plug("p7", self.desk, "eth0", "10.77.0.20/24", DESK)

        def moved() -> bool:
            self.again(switches)
            return self.where(DESK) == ("on", "switch-stage p7")

        until(moved, "where it went to is not told")
        earlier = self.within.do(lambda: self.roster.where(DESK)).earlier
        self.assertEqual([(one.port.name, one.here) for one in earlier], [("p7", True), ("p2", False)])
        self.assertTrue(earlier[1].ended)

        self.stage.restart()
        self.again(switches)
        self.assertEqual(self.where(DESK), ("on", "switch-stage p7"), "an agent that restarted says the same")
        wrong = self.within.do(
            lambda: self.roster.add_credential(CredentialNew(name="wrong", snmp="2c", community="sesame"))
        )
        one = self.within.do(lambda: self.roster.switch(switches["switch-stage"]))
        self.within.do(lambda: self.roster.edit_switch(one.id, SwitchEdit(credential=wrong.id), one.version))
        with self.assertRaisesRegex(BadInput, "does not answer"):
            self.within.do(lambda: self.roster.read_switch_now(one.id))
        self.assertEqual(self.where(DESK), ("on", "switch-stage p7"), "the reading before stays")


if __name__ == "__main__":
    unittest.main()
