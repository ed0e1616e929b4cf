"""How soon a device that is being fitted is heard, found and seen, and what each device of a batch costs: real kernels in
namespaces, and a script in the person's place."""

from __future__ import annotations

import contextlib
import statistics
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

from tests.support.lab import Inside, Namespace
from tests.support.patience import until
from tests.support.service import Service, service
from tests.support.street import Street, street

from even_roster.api.fitting import FittedView, FittingNew, FittingView, Record
from even_roster.api.plan import SubnetNew
from even_roster.client import Roster

from .processor import processor_seconds
from .table import Table

FACTORY = "192.168.50.10"
MANY = 24
RUNS = 5
LOOK_SECONDS = 0.01


def fitting(table: Table) -> None:
    """One device several times, then one alone and a batch, from the carton to the record."""
    heard, found, seen = [], [], []
    for _ in range(RUNS):
        with _site() as site:
            times = _times(site)
            heard.append(times[0])
            found.append(times[1])
            seen.append(times[2])
    what = f"fitting, the slowest of {RUNS}: a device that speaks from a factory address"
    table.add(f"{what}: from its first frame to 'heard'", f"{max(heard):.2f} s", "≤ 0.5 s")
    table.add(f"{what}: from its first frame to 'found'", f"{max(found):.2f} s", "≤ 2 s")
    table.add("the same: from its new settings to 'seen at its new address'", f"{max(seen):.2f} s", "≤ 2 s")
    single = statistics.median(_through(1)[1] for _ in range(3))
    wall, used = _through(MANY)
    table.add(
        f"fitting a batch of {MANY} from cartons with one factory address: processor time a device",
        f"{used / MANY * 1000:.0f} ms", "≤ 1.2 ×", floor=f"{single * 1000:.0f} ms (one alone)", ratio=used / MANY / single,
    )  # fmt: skip
    table.add("the same: from power to the last record, a person who types at once", f"{wall:.0f} s", "")


@dataclass
class _Site:
    """A street with a service on it, and the calls of its client."""

    street: Street
    running: Service
    within: Inside
    roster: Roster
    boxes: dict[str, Namespace] = field(default_factory=dict)

    def begin(self, count: int) -> FittingView:
        """A fitting of so many new devices."""
        macs = [f"02:c0:44:0c:78:{number:02x}" for number in range(count)]
        new = FittingNew(macs=macs, name="box-{n}", where="Yard", role="server")
        return self.within.do(lambda: self.roster.begin_fitting(new))

    def look(self, identity: int) -> list[FittedView]:
        """Its devices now."""
        return self.within.do(lambda: self.roster.fitting(identity)).devices

    def when(self, identity: int, holds: Callable[[FittedView], bool], what: str) -> float:
        """When something holds of its first device, on the wall's clock."""
        until(lambda: holds(self.look(identity)[0]), what, LOOK_SECONDS)
        return time.time()


@contextlib.contextmanager
def _site() -> Iterator[_Site]:
    with contextlib.ExitStack() as stack:
        link = stack.enter_context(street())
        link.join("10.77.0.1/24", "02:c0:3e:77:00:01")
        here = link.join("10.77.0.5/24", "02:c0:9f:4f:77:05", gateway="10.77.0.1")
        running = stack.enter_context(service("serve", inside=here, anew=True))
        within = stack.enter_context(contextlib.closing(Inside(here)))
        roster = within.do(running.client)
        within.do(lambda: roster.add_subnet(SubnetNew(range="10.77.0.0/24", name="Yard", gateway="10.77.0.1")))
        yield _Site(link, running, within, roster)


def _times(site: _Site) -> tuple[float, float, float]:
    fitting = site.begin(1)
    mac = fitting.devices[0].mac
    box = site.street.join(None, mac)  # its link is up, and it says nothing
    time.sleep(2.0)
    box.run("sysctl", "-qw", "net.ipv4.conf.eth0.arp_notify=0")
    box.ip("address", "add", f"{FACTORY}/24", "dev", "eth0")
    speaking = site.street.speak(box, "claim", mac, FACTORY)
    assert speaking.stdout is not None
    spoke = float(speaking.stdout.readline())
    heard = site.when(fitting.id, lambda one: one.heard is not None, "it is not heard") - spoke
    found = site.when(fitting.id, lambda one: one.found is not None, "it is not found") - spoke
    until(lambda: site.look(fitting.id)[0].step == "type", "it is not at type")
    speaking.kill()
    speaking.wait()
    box.ip("address", "del", f"{FACTORY}/24", "dev", "eth0")
    changed = time.time()
    box.ip("address", "add", f"{site.look(fitting.id)[0].address}/24", "dev", "eth0")
    seen = site.when(fitting.id, lambda one: one.seen is not None and one.step == "keep", "it is not seen") - changed
    return max(heard, 0.0), max(found, 0.0), seen


def _through(count: int) -> tuple[float, float]:
    """Wall and the service's processor seconds of a batch, from power to the last record."""
    with _site() as site:
        fitting = site.begin(count)
        before, began = processor_seconds(site.running.process.pid), time.monotonic()
        for one in fitting.devices:
            site.boxes[one.mac] = site.street.join(f"{FACTORY}/24", one.mac)
            site.street.speak(site.boxes[one.mac], "request-arp", one.mac, FACTORY)
        typed, pulled, back = set[int](), set[int](), set[int]()
        while True:
            devices = site.look(fitting.id)
            if all(one.state == "done" for one in devices):
                break
            for one in devices:
                box = site.boxes[one.mac]
                if one.step == "type" and one.id not in typed and not one.said.startswith("wait"):
                    typed.add(one.id)
                    box.ip("address", "del", f"{FACTORY}/24", "dev", "eth0")
                    box.ip("address", "add", f"{one.address}/24", "dev", "eth0")
                elif one.step == "keep" and one.id not in pulled:
                    pulled.add(one.id)
                    site.street.leave(box)
                elif one.step == "keep" and one.went_at is not None and one.id not in back:
                    back.add(one.id)
                    box.ip("link", "set", "eth0", "up")
                elif one.step == "record" and one.state == "open":
                    record = Record(fitted_id=one.id, place="Shed")
                    site.within.do(lambda given=record: site.roster.record_fitting(fitting.id, given))  # type: ignore[misc]
            time.sleep(0.2)
        return time.monotonic() - began, processor_seconds(site.running.process.pid) - before
