"""Real bridges with a spanning tree, Debian's snmpd and lldpd: links, what is kept shut and ways follow the cables; the guard never
lets the service be cut off; what is off for a time comes back, also after the service was killed."""

from __future__ import annotations

import contextlib
import shutil
import signal
import tempfile
import unittest
from collections.abc import Callable
from pathlib import Path

from even_roster.api.chases import ChaseNew
from even_roster.api.port_orders import PortOrderNew, PortOrderView
from even_roster.api.switches import CredentialNew, KeptPort, SwitchNew
from even_roster.client import BadInput, Conflict, Roster, ServiceFault
from tests.support.lab import Inside, namespace, needs_lab
from tests.support.patience import until
from tests.support.service import Service, service
from tests.support.switch_lab import USER, WRITER, Switch, join, switch

BESIDE = "link"

TILL, DESK, OURS = "02:c0:44:00:77:01", "02:c0:9f:40:77:20", "02:c0:9f:4f:77:05"
LEADS = {"switch-a": "10.77.0.2", "switch-b": "10.77.0.3", "switch-c": "10.77.0.4", "switch-d": "10.77.0.6"}


@needs_lab
@unittest.skipUnless(shutil.which("snmpd") and shutil.which("lldpd"), "snmpd and lldpd are not installed")
class RealRing(unittest.TestCase):
    """Switches a, b and c in a ring; this service and a desk hang on a, a till on c."""

    def setUp(self) -> None:
        self.switches = {
            name: self.enterContext(switch(name, tree=True)) for name in ("switch-a", "switch-b", "switch-c")
        }
        one, two, three = self.switches.values()
        self.here, self.desk, self.till = (self.enterContext(namespace()) for _ in range(3))
        one.plug("p1", self.here, "eth0", "10.77.0.5/24", OURS)
        one.plug("p2", self.desk, "eth0", "10.77.0.20/24", DESK)
        three.plug("p1", self.till, "eth0", "10.77.0.30/24", TILL)
        join(one, "up1", two, "up2")
        join(one, "up3", three, "up4")
        join(two, "up5", three, "up6")
        for name, made in self.switches.items():
            self.begin(name, made)
        self.home = Path(self.enterContext(tempfile.TemporaryDirectory())) / "home"
        self.within = Inside(self.here)
        self.addCleanup(self.within.close)
        self.ids: dict[str, int] = {}

    def begin(self, name: str, made: Switch) -> None:
        made.serve(f"{LEADS[name]}/24")
        made.announce()

    def serving(self, running: Service) -> Roster:
        """A client of the service, which reads the switches."""
        roster: Roster = self.within.do(running.client)
        self.roster = roster
        if not self.ids:
            for name, credential in (("lark", USER), ("hand", WRITER)):
                new = CredentialNew(name=name, **credential.model_dump())
                self.within.do(lambda new=new: roster.add_credential(new))  # type: ignore[misc]
            for name in self.switches:
                self.keep(name)
        return roster

    def keep(self, name: str) -> None:
        new = SwitchNew(switch=LEADS[name], credential="lark")
        self.ids[name] = self.within.do(lambda: self.roster.add_switch(new)).id

    def read(self) -> None:
        """All switches anew, when whoever is there has said something. Agents stand still at times."""
        for host in (self.desk, self.till):
            host.run("bash", "-c", "echo > /dev/udp/10.77.0.5/9", check=False)
        for identity in self.ids.values():

            def read(which: int = identity) -> bool:
                with contextlib.suppress(BadInput):
                    self.within.do(lambda: self.roster.read_switch_now(which))
                    return True
                return False

            until(read, "a switch cannot be read")

    def follows(self, wanted: Callable[[], bool], said: str) -> None:
        """Read until something is told."""

        def again() -> bool:
            self.read()
            return wanted()

        until(again, said)

    def links(self) -> dict[str, str]:
        """How each link is known, and whether it is kept shut, by its ends."""
        found: dict[str, str] = {}
        for link in self.within.do(lambda: list(self.roster.links())):
            ends = sorted(f"{end.switch.name[-1]}.{end.port.name}" for end in link.ends if end.switch and end.port)
            found[" ".join(ends)] = "shut" if link.blocked else link.known
        return found

    def way(self, begin: str = DESK, end: str = TILL) -> list[str]:
        """The switches on the way between two."""
        return [name[-1] for name in self.within.do(lambda: self.roster.path(begin, end)).by]

    def ports(self, name: str) -> list[KeptPort]:
        return self.within.do(lambda: list(self.roster.ports(LEADS[name])))

    def order(self, port: KeptPort, to: str = "off", **more: object) -> PortOrderView:
        """Nobody has entered what the desk and the till are: that is consented to, and nothing else is there to consent to."""
        given: list[PortOrderView] = []
        unverified: list[str] = []

        def accepted() -> bool:
            known = self.within.do(lambda: self.roster.port_switching(port.id, by="hand"))
            unverified[:] = known.unverified
            if not all("nobody needs" in one for one in unverified):
                return False  # a reading by this credential was not answered in time: it is read again
            new = PortOrderNew.model_validate(
                {"to": to, "credential": "hand", "name": known.ask_for, "consents": known.unverified, **more}
            )
            try:
                given.append(self.within.do(lambda: self.roster.order_port(port.id, new)))
            except ServiceFault as error:
                self.assertEqual(error.problem.code, "busy")
            return bool(given)

        until(accepted, lambda: f"the switch is always busy, or not verified: {unverified}")

        def ended() -> PortOrderView:
            return self.within.do(lambda: self.roster.port_order(given[0].id))

        until(lambda: ended().state not in ("given", "sent"), "it is not told how it ended")
        return ended()

    def up(self, name: str, port: str) -> bool:
        """How the kernel has a port."""
        return "state UP" in self.switches[name].inside.ip("-o", "link", "show", port)

    def test_links_what_is_shut_and_ways_follow_the_cables(self) -> None:
        with service("serve", inside=self.here, home=self.home) as running:
            self.serving(running)
            ring = {"a.up1 b.up2", "a.up3 c.up4", "b.up5 c.up6"}
            self.follows(
                lambda: (
                    set(self.links()) == ring
                    and sorted(self.links().values()) == ["shut", "told by both", "told by both"]
                ),
                "the ring is not told",
            )
            (circle,) = self.within.do(lambda: self.roster.wiring()).rings
            self.assertEqual((len(circle.switches), len(circle.blocked_ids), circle.loop), (3, 1, False))
            shut = next(ends for ends, known in self.links().items() if known == "shut")
            self.follows(
                lambda: self.way() == (["a", "c"] if shut != "a.up3 c.up4" else ["a", "b", "c"]), "the way is not told"
            )

            self.switches["switch-a"].inside.ip("link", "set", "up3", "down")  # cut
            self.follows(lambda: set(self.links()) == ring - {"a.up3 c.up4"}, "the cut is not told")
            self.follows(lambda: "shut" not in self.links().values(), "that the other opened is not told")
            self.follows(lambda: self.way() == ["a", "b", "c"], "the way does not follow")

            self.switches["switch-a"].inside.ip("link", "set", "up3", "up")  # mended
            self.follows(
                lambda: set(self.links()) == ring and "shut" in self.links().values(), "it is not told to be back"
            )

            fourth = self.enterContext(switch("switch-d", tree=True))
            # By chance of its MAC it would be the root of the tree, and what falls with a cable is told as seen from there.
            fourth.inside.ip("link", "set", "br0", "type", "bridge", "priority", "61440")
            self.switches["switch-d"] = fourth
            join(self.switches["switch-c"], "up7", fourth, "up8")
            self.begin("switch-d", fourth)
            until(lambda: self.kept("switch-d"), "the fourth switch does not answer")
            self.follows(lambda: self.links().get("c.up7 d.up8") == "told by both", "the fourth is not told")

            def alone() -> list[list[str]]:
                return [link.falls for link in self.within.do(lambda: list(self.roster.links())) if link.falls]

            self.follows(lambda: alone() == [["switch-d"]], "that it hangs on one link alone is not told")

    def kept(self, name: str) -> bool:
        with contextlib.suppress(BadInput):
            if name not in self.ids:
                self.keep(name)
            self.within.do(lambda: self.roster.read_switch_now(self.ids[name]))
            return True
        return False

    def test_the_guard_holds_and_what_is_off_for_a_time_comes_back_after_a_kill(self) -> None:
        with service("serve", inside=self.here, home=self.home) as running:
            self.serving(running)
            self.follows(lambda: len(self.links()) == 3 and "shut" in self.links().values(), "the ring is not told")
            self.follows(lambda: self.way() != [], "the way is not told")
            allowed, told = [], dict[str, str]()
            for name in self.switches:
                for port in self.ports(name):
                    try:
                        self.order(port, for_seconds=5)
                        allowed.append(f"{name[-1]}.{port.name}")
                    except Conflict as refused:
                        told[f"{name[-1]}.{port.name}"] = str(refused)
                        continue
                    self.read()  # the service is never cut off from any of them
                    until(lambda at=(name, port.name): self.up(*at), "it does not come back")  # type: ignore[misc]
            self.assertEqual(allowed, ["a.p2", "c.p1"], f"the desk and the till, and no port of any way: {told}")
            for name in "abc":  # the bridge's own interface has the address at which it is read
                self.assertIn("number as a port of the bridge", told[f"{name}.br0"])
                self.assertIn("has an address of its own on it", told[f"{name}.br0"])

            one = self.within.do(lambda: self.roster.begin_chase(ChaseNew(switches=["switch-a"])))
            until(
                lambda: self.within.do(lambda: self.roster.chase(one.id)).switches[0].asked_at is not None,
                "not watched",
            )
            self.desk.ip("link", "set", "eth0", "down")
            until(
                lambda: any(
                    "port p2 of switch-a lost its link" in turn.said
                    for turn in self.within.do(lambda: self.roster.chase(one.id)).turns
                ),
                "the chase does not tell it",
            )
            self.desk.ip("link", "set", "eth0", "up")

            self.follows(
                lambda: any(port.name == "p1" and port.behind_count for port in self.ports("switch-c")), "no till"
            )
            till = next(port for port in self.ports("switch-c") if port.name == "p1")

            def off() -> PortOrderView:
                """Ordered once more where the agent stood still until the order was given up, and told so."""
                while (done := self.order(till, for_seconds=15)).state == "failed" and "does not answer" in done.said:
                    self.assertTrue(self.up("switch-c", "p1"), "told to have failed, but off")
                return done

            done = off()
            self.assertEqual(done.state, "off for now", done.said)
            self.assertFalse(self.up("switch-c", "p1"))
            running.stop(signal.SIGKILL)
            self.assertFalse(self.up("switch-c", "p1"), "it is killed before the time is over")
        with service("serve", inside=self.here, home=self.home) as running:
            until(lambda: self.up("switch-c", "p1"), "it does not come back after the service was killed")
            self.serving(running)

            def state() -> str:
                return next(iter(self.within.do(lambda: list(self.roster.port_orders(till.id))))).state

            until(lambda: state() == "back", "it is not told to be back")


if __name__ == "__main__":
    unittest.main()
