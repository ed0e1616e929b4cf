"""Fittings against real kernels: devices at foreign and at taken addresses, two with one address, what is lent and who is answered; and
the routes of a machine that lends, before, during and after, also when the service is killed."""

from __future__ import annotations

import contextlib
import signal
import subprocess
import sys
import tempfile
import time
import unittest
import urllib.request
from collections.abc import Callable, Iterator
from pathlib import Path

from even_roster.api.fitting import FittedView, FittingNew, Record
from even_roster.api.plan import AssignmentNew, SubnetNew
from even_roster.client import BadInput, NotFound, Roster
from tests.support.lab import Inside, Namespace, Rights, T, namespace, needs_lab
from tests.support.patience import until
from tests.support.service import service
from tests.support.street import Street, street

BESIDE = "link"

GATE, ALPHA = "02:c0:3e:77:00:01", "02:c0:9f:40:77:20"
BOX, SECOND, OTHER = "02:c0:44:0c:77:01", "02:c0:44:0c:77:02", "02:c0:44:0c:77:09"


def opens(page: str) -> bool:
    """Whether a device's page opens from here."""
    try:
        with urllib.request.urlopen(page, timeout=2) as answer:
            return bool(answer.status == 200)
    except OSError:
        return False


@needs_lab
class OnTheLink(unittest.TestCase):
    """One street with a gateway, a neighbour and the service's machine; each test unpacks its devices."""

    RIGHTS = Rights.ALL

    def setUp(self) -> None:
        self.stack = contextlib.ExitStack()
        self.addCleanup(self.stack.close)
        self.street: Street = self.stack.enter_context(street())
        self.street.join("10.77.0.1/24", GATE)
        self.street.join("10.77.0.20/24", ALPHA)
        self.here: Namespace = self.street.join("10.77.0.5/24", "02:c0:9f:4f:77:05", gateway="10.77.0.1")
        self.inside = Inside(self.here)
        self.stack.callback(self.inside.close)
        folder = Path(self.stack.enter_context(tempfile.TemporaryDirectory()))
        folder.chmod(0o777)  # the service may be another account's
        self.service = self.stack.enter_context(
            service("serve", home=folder / "home", inside=self.here, rights=self.RIGHTS)
        )
        self.roster: Roster = self.inside.do(self.service.client)
        self.subnet = self.do(
            lambda r: r.add_subnet(SubnetNew(range="10.77.0.0/24", name="Yard", gateway="10.77.0.1"))
        ).subnet.id
        self.do(lambda r: r.assign(AssignmentNew(address="10.77.0.20", mac=ALPHA, name="alpha")))

    def do(self, work: Callable[[Roster], T]) -> T:
        return self.inside.do(lambda: work(self.roster))

    def begin(self, *macs: str, address: str = "", name: str = "box-{n}") -> int:
        new = FittingNew(macs=list(macs), name=name, where="Yard", role="server", address=address)
        return self.do(lambda r: r.begin_fitting(new)).id

    def one(self, fitting: int, number: int = 0) -> FittedView:
        return self.do(lambda r: r.fitting(fitting)).devices[number]

    def at(self, fitting: int, step: str, number: int = 0) -> FittedView:
        try:
            until(lambda: self.one(fitting, number).step == step, f"it does not come to {step}", 0.02)
        except AssertionError:
            print(self.one(fitting, number), self.do(lambda r: r.health()))
            raise
        return self.one(fitting, number)

    def unpack(self, address: str, mac: str) -> Namespace:
        """A device gets its power, and asks for somebody of its subnet as devices do."""
        box = self.street.join(address, mac)
        self.street.speak(box, "request-arp", mac, address.partition("/")[0])
        return box

    def routes(self) -> tuple[list[str], list[str]]:
        """The service's machine: its routes in all tables, and its addresses."""
        routes = sorted(line.strip() for line in self.here.ip("-4", "route", "show", "table", "all").splitlines())
        return routes, [line.strip() for line in self.here.ip("-4", "-o", "address").splitlines()]

    def type_in(self, device: Namespace, address: str | None, old: str) -> None:
        """A person types an address in."""
        device.ip("address", "del", old, "dev", "eth0")
        device.ip("address", "add", f"{address}/24", "dev", "eth0")

    def power_cycle(self, device: Namespace, fitting: int) -> None:
        self.street.leave(device)
        until(lambda: self.one(fitting).went_at is not None, "it was not seen going")
        device.ip("link", "set", "eth0", "up")


class FromTheCarton(OnTheLink):
    def test_a_device_at_a_factory_address_is_heard_found_reached_and_proven(self) -> None:
        fitting = self.begin(BOX)
        before = self.routes()
        began = time.monotonic()
        box = self.unpack("192.168.50.10/24", BOX)
        page = box.start(
            sys.executable, "-m", "http.server", "--bind", "192.168.50.10", "80", stderr=subprocess.DEVNULL
        )
        self.addCleanup(page.kill)
        one = self.at(fitting, "type")
        found = time.monotonic() - began
        assert one.found is not None
        self.assertEqual((one.found.address, one.found.adapter), ("192.168.50.10", "eth0"))
        self.assertEqual((one.said, self.routes()), ("type the card into its page", before))
        lent = self.do(lambda r: r.lend(fitting, one.id)).devices[0].reach
        assert lent is not None and lent.lent is not None
        during = self.routes()
        self.assertEqual(
            [line for line in during[0] if line not in before[0] and "table local" not in line],
            [f"192.168.50.10 dev eth0 proto kernel scope link src {lent.lent.address}"],
        )
        self.assertEqual([line for line in before[0] if line not in during[0]], [], "nothing that was there has moved")
        until(lambda: self.inside.do(lambda: opens("http://192.168.50.10/")), "its page does not open")
        typed = time.monotonic()
        self.type_in(box, one.address, "192.168.50.10/24")
        self.at(fitting, "keep")
        seen = time.monotonic() - typed
        until(lambda: self.routes() == before, "what was lent is not taken back")
        self.power_cycle(box, fitting)
        self.at(fitting, "record")
        done = self.do(lambda r: r.record_fitting(fitting, Record(fitted_id=one.id, place="Shed")))
        self.assertEqual(done.devices[0].state, "done")
        said = [note.said for note in done.devices[0].written]
        self.assertIn("what was lent to reach it was taken back", said)
        print(
            f"found {found:.2f} s after its link came up, seen {seen:.2f} s after it was typed in"
        )  # told, not judged

    def test_a_laptop_that_was_given_an_address_is_noticed_and_reminded_of_until_it_has_it_no_more(self) -> None:
        laptop = self.street.join("10.77.0.40/24", OTHER)
        self.do(lambda r: r.assign(AssignmentNew(address="10.77.0.40", mac=OTHER, name="cleos-laptop")))
        fitting = self.begin(BOX)
        box = self.unpack("192.168.50.10/24", BOX)
        one = self.at(fitting, "type")
        assert one.reach is not None and one.reach.address is not None
        laptop.ip("address", "add", f"{one.reach.address}/24", "dev", "eth0")
        has = f"{OTHER} has {one.reach.address} meanwhile, to reach it"
        until(lambda: has in [note.said for note in self.one(fitting).written], "the laptop is not noticed")
        lent = self.do(lambda r: r.lend(fitting, one.id)).devices[0].reach
        assert lent is not None and lent.lent is not None
        self.assertNotEqual(lent.lent.address, one.reach.address)
        self.type_in(box, one.address, "192.168.50.10/24")
        self.assertIn(f"cleos-laptop ({OTHER}) still has {one.reach.address}", self.at(fitting, "keep").remind)
        laptop.ip("address", "del", f"{one.reach.address}/24", "dev", "eth0")
        until(lambda: not self.one(fitting).remind, "it is reminded of still")
        gone = f"{OTHER} has {one.reach.address} no more"
        until(lambda: gone in [note.said for note in self.one(fitting).written], "it is not written down")

    def test_given_up_while_something_is_lent_leaves_nothing(self) -> None:
        before = self.routes()
        fitting = self.begin(BOX)
        self.unpack("192.168.50.10/24", BOX)
        one = self.at(fitting, "type")
        self.do(lambda r: r.lend(fitting, one.id))
        self.assertNotEqual(self.routes(), before)
        self.do(lambda r: r.give_up_fitting(fitting))
        until(lambda: self.routes() == before, "something stays lent")
        with self.assertRaises(NotFound):
            self.do(lambda r: r.assignment(str(one.address)))

    def test_what_a_stop_of_the_service_leaves_is_nothing(self) -> None:
        before = self.routes()
        fitting = self.begin(BOX)
        self.unpack("192.168.50.10/24", BOX)
        one = self.at(fitting, "type")
        self.do(lambda r: r.lend(fitting, one.id))
        self.service.stop(signal.SIGTERM)
        self.assertEqual(self.routes(), before)

    def test_nothing_is_lent_where_a_route_or_a_subnet_would_be_bent(self) -> None:
        self.here.ip("route", "add", "192.168.50.0/25", "via", "10.77.0.1")
        before = self.routes()
        fitting = self.begin(BOX)
        self.unpack("192.168.50.10/24", BOX)
        one = self.at(fitting, "type")
        assert one.reach is not None
        self.assertEqual(one.reach.lend_refused, "this machine has a route to 192.168.50.0/25, which is not to be bent")
        with self.assertRaisesRegex(BadInput, "nothing is lent: this machine has a route"):
            self.do(lambda r: r.lend(fitting, one.id))
        self.here.ip("route", "del", "192.168.50.0/25")
        self.do(lambda r: r.add_subnet(SubnetNew(range="192.168.50.0/26", name="Loft")))
        with self.assertRaisesRegex(BadInput, "192.168.50.0/24 is Loft here"):
            self.do(lambda r: r.lend(fitting, one.id))
        self.assertEqual(len(self.routes()[1]), len(before[1]))

    def test_two_with_one_factory_address_are_told_apart_by_their_macs(self) -> None:
        fitting = self.begin(BOX, SECOND)
        boxes = [self.unpack("192.168.50.10/24", mac) for mac in (BOX, SECOND)]
        first, second = self.at(fitting, "type", 0), self.at(fitting, "type", 1)
        self.assertIn("wait: box-1 is at the same address", second.said)
        self.type_in(boxes[1], second.address, "192.168.50.10/24")  # the wrong one first: it is noticed as that one
        self.at(fitting, "keep", 1)
        self.assertEqual(self.one(fitting).step, "type")
        self.type_in(boxes[0], first.address, "192.168.50.10/24")
        self.at(fitting, "keep", 0)

    def test_a_factory_address_that_is_somebodys_here(self) -> None:
        fitting = self.begin(BOX)
        box = self.unpack("10.77.0.20/24", BOX)  # alpha's
        one = self.at(fitting, "type")
        reach = next(step.said for step in one.steps if step.step == "reach")
        self.assertIn("10.77.0.20 is also that of alpha: unplug that one", reach)
        self.type_in(box, one.address, "10.77.0.20/24")
        self.at(fitting, "keep")

    def test_an_address_that_was_taken_meanwhile_and_one_who_answers_for_others(self) -> None:
        fitting = self.begin(BOX)
        box = self.unpack("192.168.50.10/24", BOX)
        one = self.at(fitting, "type")
        thief = self.street.join(f"{one.address}/24", OTHER)
        until(lambda: "which is not this device" in self.one(fitting).against, "the thief is not told")
        self.type_in(box, one.address, "192.168.50.10/24")
        until(lambda: "as well" in self.one(fitting).against, "two at one address are not told")
        self.assertEqual(self.one(fitting).step, "see")
        self.street.leave(thief)
        self.at(fitting, "keep")
        liar = self.street.join("10.77.0.77/24", "02:c0:44:0c:77:0f")
        liar.run("sysctl", "-qw", "net.ipv4.ip_forward=1", "net.ipv4.conf.eth0.proxy_arp=1",
                 "net.ipv4.conf.eth0.proxy_arp_pvlan=1", "net.ipv4.neigh.eth0.proxy_delay=0")  # fmt: skip
        until(lambda: "02:c0:44:0c:77:0f answers at" in self.one(fitting).against, "who answers for others is not told")

    def test_a_device_that_comes_back_under_another_mac(self) -> None:
        fitting = self.begin(BOX)
        box = self.unpack("192.168.50.10/24", BOX)
        one = self.at(fitting, "type")
        box.ip("link", "set", "eth0", "down")
        box.ip("link", "set", "eth0", "address", OTHER)
        box.ip("link", "set", "eth0", "up")
        self.type_in(box, one.address, "192.168.50.10/24")
        until(
            lambda: f"{OTHER} answers at {one.address}, which is not this device" in self.one(fitting).against,
            "not told",
        )

    def test_questions_are_answered_by_consent_and_no_more_when_a_server_comes(self) -> None:
        fitting = self.begin(BOX)
        box = self.street.join(None, BOX)
        box.start("udhcpc", "-i", "eth0", "-f", "-q", "-t", "300", "-T", "1", "-s", "/bin/true")
        one = self.at(fitting, "reach")
        self.assertEqual(one.said, "it asks for an address by DHCP, and has none yet")
        done = self.do(lambda r: r.answer_device(fitting, one.id))
        assert done.devices[0].reach is not None
        self.assertTrue(done.devices[0].reach.answering)
        until(
            lambda: any("gave it" in note.said for note in self.one(fitting).written),
            "a real client does not take the offer",
        )
        with self.server():
            until(lambda: self.one(fitting).reach is None or not self.answering(fitting), "it goes on beside a server")
        self.assertIn(
            "answered no more: a DHCP server answers here: 10.77.0.2", [n.said for n in self.one(fitting).written]
        )
        self.do(lambda r: r.give_up_fitting(fitting))

    def test_nothing_is_answered_where_a_server_is_or_is_planned(self) -> None:
        fitting = self.begin(BOX)
        box = self.street.join(None, BOX)
        with self.server():
            box.start("udhcpc", "-i", "eth0", "-f", "-q", "-t", "300", "-T", "1", "-s", "/bin/false")
            until(lambda: self.one(fitting).heard is not None, "it is not heard")
            identity = self.one(fitting).id
            with self.assertRaisesRegex(BadInput, "a DHCP server offers here, 10.77.0.2"):
                self.do(lambda r: r.answer_device(fitting, identity))

    def answering(self, fitting: int) -> bool:
        reach = self.one(fitting).reach
        return reach is not None and reach.answering

    @contextlib.contextmanager
    def server(self) -> Iterator[None]:
        """A real DHCP server on the link, and a client that asks it again and again."""
        host = self.street.join("10.77.0.2/24", "02:c0:3e:77:00:02")
        other = self.street.join(None, "02:c0:9f:40:77:44")
        with tempfile.TemporaryDirectory() as folder:
            command = ["dnsmasq", "--keep-in-foreground", "--port=0", "--interface=eth0", "--bind-interfaces", "--no-ping",
                       "--user=root", "--conf-file=/dev/null", f"--dhcp-leasefile={folder}/leases", f"--pid-file={folder}/pid",
                       "--dhcp-range=10.77.0.100,10.77.0.120,255.255.255.0,1h"]  # fmt: skip
            serving = host.start(*command, stderr=subprocess.DEVNULL)
            asking = other.start("sh", "-c", "while :; do udhcpc -i eth0 -n -q -t 2 -T 1 -s /bin/true; sleep 0.2; done",
                                 stderr=subprocess.DEVNULL)  # fmt: skip
            try:
                yield
            finally:
                for process in (asking, serving):
                    process.kill()
                    process.wait()


class WithoutPrivilege(OnTheLink):
    """Raw frames are permitted, changing adapters is not: what the systemd unit gives a service that nobody gave more."""

    RIGHTS = Rights.RAW_FRAMES

    def test_the_service_says_what_to_type_sees_that_it_was_done_and_that_it_was_put_back(self) -> None:
        fitting = self.begin(BOX)
        box = self.unpack("192.168.50.10/24", BOX)
        one = self.at(fitting, "type")
        assert one.reach is not None
        self.assertIn("CAP_NET_ADMIN is missing", one.reach.lend_refused)
        do = next(command for command in one.reach.commands if command.system == "Linux")
        self.here.run(*do.do.removeprefix("sudo ").split())
        until(
            lambda: "not needed" in [step.state for step in self.one(fitting).steps if step.step == "reach"],
            "not noticed",
        )
        self.type_in(box, one.address, "192.168.50.10/24")
        one = self.at(fitting, "keep")
        self.assertIn("is still on eth0; put it back: sudo ip addr del", one.remind)
        self.here.run(*one.remind.partition("sudo ")[2].split())
        until(lambda: not self.one(fitting).remind, "it is not noticed that it was put back")


class WithoutAnyPrivilege(OnTheLink):
    """Not even raw frames: the kernel's own table has to do."""

    RIGHTS = Rights.NONE

    def test_a_device_is_seen_at_its_new_address_going_and_coming_back(self) -> None:
        fitting = self.begin(BOX)
        one = self.one(fitting)
        self.assertIn(
            "without raw frames (CAP_NET_RAW) it is seen only at addresses of this machine's own subnets",
            one.reasons[0],
        )
        box = self.street.join(f"{one.address}/24", BOX)
        self.at(fitting, "keep")
        self.street.leave(box)
        until(lambda: self.one(fitting).went_at is not None, "it was not seen going")
        box.ip("link", "set", "eth0", "up")
        self.at(fitting, "record")


@needs_lab
class Lifetimes(unittest.TestCase):
    """What is lent goes by itself: fifty adapters, each with routes of its own, and a process that is killed."""

    MANY, SECONDS = 50, 5

    def test_what_is_lent_is_gone_in_time_after_a_kill_and_no_route_was_ever_another(self) -> None:
        with namespace() as here:
            batch = ""
            for n in range(self.MANY):
                batch += f"link add va{n} type veth peer name vb{n}\nlink set va{n} up\nlink set vb{n} up\n"
                batch += f"address add 10.{n}.0.2/24 dev va{n}\n"
                batch += f"route add 172.{16 + n % 16}.{n}.0/24 via 10.{n}.0.1\n" if n % 2 else ""
                batch += f"route add default via 10.{n}.0.1 metric {100 + n}\n" if n % 5 == 0 else ""
                batch += f"route add 192.168.{n}.64/26 dev va{n} table {1000 + n}\n" if n % 7 == 6 else ""
            with tempfile.NamedTemporaryFile("w", suffix=".batch") as file:
                file.write(batch)
                file.flush()
                here.ip("-batch", file.name)
            until(lambda: here.ip("link").count("state UP") == 2 * self.MANY, "the links do not come up")
            before = self.routes(here)
            process = here.start(sys.executable, "-c", LENDS, str(self.MANY), str(self.SECONDS))
            assert process.stdout is not None
            self.assertEqual(process.stdout.readline().strip(), "lent")
            lent_at = time.monotonic()
            during = self.routes(here)
            process.kill()
            process.wait()
            fresh = [line for line in during if line not in before]
            self.assertEqual([line for line in before if line not in during], [], "a route that was there has changed")
            self.assertEqual(len([line for line in fresh if "table local" not in line]), self.MANY)
            while "192.168." in here.ip("-4", "-o", "address"):
                self.assertLess(time.monotonic() - lent_at, self.SECONDS, "something is lent longer than was promised")
                time.sleep(0.02)
            self.assertEqual(self.routes(here), before)

    def routes(self, here: Namespace) -> list[str]:
        return sorted(line.strip() for line in here.ip("-4", "route", "show", "table", "all").splitlines())


LENDS = """
import sys, time
from ipaddress import IPv4Address
from even_roster.probe.lending import KernelLender
lender = KernelLender()
for n in range(int(sys.argv[1])):
    lender.lend(f"va{n}", IPv4Address(f"192.168.{n}.190"), IPv4Address(f"192.168.{n}.10"), int(sys.argv[2]))
print("lent", flush=True)
time.sleep(600)
"""

del OnTheLink

if __name__ == "__main__":
    unittest.main()
