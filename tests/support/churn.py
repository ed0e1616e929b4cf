"""What comes and goes at a healthy site, with programs nobody here wrote: laptops and phones with leases, a dock that is passed on,
containers with addresses of their own, a pair of routers."""

from __future__ import annotations

import contextlib
import random
import subprocess
import tempfile
import threading
from collections.abc import Callable, Iterator
from pathlib import Path

from even_roster.core.mac import Mac, MacNumber

from .lab import Namespace
from .patience import PATIENCE, until
from .street import Street

SERVER, SERVER_MAC = "10.77.0.2", "02:c0:5b:77:00:02"
POOL = "10.77.0.100-10.77.0.179"
SETTLING = """#!/bin/sh
case "$1" in
deconfig) ip address flush dev "$interface" ;;
bound|renew) ip address replace "$ip/$mask" dev "$interface" ;;
esac
"""
"""What a DHCP client does with what it is given: no more than its own address."""


@contextlib.contextmanager
def dhcp_server(street: Street) -> Iterator[Namespace]:
    """dnsmasq with a pool and the shortest leases it gives (two minutes), for the length of a block."""
    first, last = POOL.split("-")
    with tempfile.TemporaryDirectory() as folder:
        host = street.join(f"{SERVER}/24", SERVER_MAC)
        process = host.start(
            "dnsmasq", "--keep-in-foreground", "--port=0", "--interface=eth0", "--bind-interfaces", "--user=root",
            "--dhcp-authoritative", "--conf-file=/dev/null", f"--dhcp-leasefile={folder}/leases", f"--pid-file={folder}/pid",
            f"--dhcp-range={first},{last},255.255.255.0,2m", "--dhcp-option=3,10.77.0.1", stderr=subprocess.DEVNULL,
        )  # fmt: skip
        try:
            yield host
        finally:
            process.kill()
            process.communicate(timeout=PATIENCE)


@contextlib.contextmanager
def keepalived(host: Namespace, shared: str, priority: int) -> Iterator[subprocess.Popen[str]]:
    """A router of a group that shares an address by VRRP (RFC 3768), for the length of a block."""
    with tempfile.TemporaryDirectory() as folder:
        config = Path(folder) / "router.conf"
        config.write_text(
            f"vrrp_instance way_out {{\n interface eth0\n state BACKUP\n virtual_router_id 51\n priority {priority}\n"
            f" advert_int 1\n virtual_ipaddress {{\n  {shared}/24\n }}\n}}\n"
        )
        pids = ("-p", f"{folder}/parent.pid", "-r", f"{folder}/vrrp.pid")
        process = host.start("keepalived", "-n", "-P", "-l", "-f", str(config), *pids, stderr=subprocess.DEVNULL)
        try:
            yield process
        finally:
            process.terminate()
            process.communicate(timeout=PATIENCE)


class Churn:
    """Actors that go on beside a test until they are stopped, each on a thread of its own; what they did is counted."""

    def __init__(self, street: Street, seed: int, folder: Path) -> None:
        self.street, self._source, self._ended = street, random.Random(seed), threading.Event()
        self._script = folder / "settle"
        self._script.write_text(SETTLING)
        self._script.chmod(0o755)
        self._threads: list[threading.Thread] = []
        self.turns: dict[str, int] = {}
        self.errors: list[str] = []

    def laptop(self, mac: str, name: str) -> None:
        """Comes and goes by its cable, and asks for an address whenever it comes."""
        host, source = self.street.join(None, mac), self._own()
        self._go_on(f"laptop {name}", lambda: self._visit(host, name, source))

    def phone(self, name: str) -> None:
        """Makes up a MAC of its own for each visit."""
        host, source = self.street.join(None, _made_up(self._source)), self._own()

        def turn() -> None:
            self.street.leave(host)
            host.ip("link", "set", "eth0", "address", _made_up(source))
            self._visit(host, name, source)

        self._go_on(f"phone {name}", turn)

    def dock(self, mac: str, *names: str) -> None:
        """One docking station that laptops use by turns: its MAC stays, who is behind it changes."""
        host, source = self.street.join(None, mac), self._own()
        self._go_on("dock", lambda: self._visit(host, source.choice(names), source))

    def containers(self, host: Namespace, addresses: list[str]) -> None:
        """A host that takes and gives up addresses of its own."""
        source, held = self._own(), set[str]()

        def turn() -> None:
            address = source.choice(addresses)
            host.ip("address", "del" if address in held else "add", f"{address}/24", "dev", "eth0")
            held.symmetric_difference_update({address})
            self._ended.wait(source.uniform(0.3, 2))

        self._go_on("containers", turn)

    def routers(self, first: Namespace, shared: str) -> None:
        """The first router of a pair fails and comes back; the other one holds the address meanwhile."""
        source = self._own()

        def turn() -> None:
            with keepalived(first, shared, 150):
                until(
                    lambda: f" {shared}/" in first.ip("address") or self._ended.is_set(),
                    "the router does not take over",
                )
                self._ended.wait(source.uniform(4, 8))
            self._ended.wait(source.uniform(6, 9))

        self._go_on("routers", turn)

    def stop(self) -> None:
        """End all of it."""
        self._ended.set()
        for one in self._threads:
            one.join(PATIENCE)

    def _visit(self, host: Namespace, name: str, source: random.Random) -> None:
        host.ip("link", "set", "eth0", "up")
        client = host.start(
            "udhcpc", "-i", "eth0", "-f", "-t", "20", "-T", "1", "-s", str(self._script), "-x", f"hostname:{name}",
            stderr=subprocess.DEVNULL,
        )  # fmt: skip
        try:
            until(
                lambda: "inet " in host.ip("-4", "address", "show", "eth0") or self._ended.is_set(),
                f"{name} gets no address",
            )
            self._ended.wait(source.uniform(3, 12))
        finally:
            client.kill()
            client.communicate(timeout=PATIENCE)
        self.street.leave(host)
        host.ip("address", "flush", "dev", "eth0")
        self._ended.wait(source.uniform(0.5, 6))

    def _own(self) -> random.Random:
        return random.Random(self._source.random())

    def _go_on(self, what: str, turn: Callable[[], None]) -> None:
        def run() -> None:
            while not self._ended.is_set():
                try:
                    turn()
                except Exception as error:
                    if not self._ended.is_set():
                        self.errors.append(f"{what}: {error}")
                    return
                self.turns[what] += 1

        self.turns[what] = 0
        thread = threading.Thread(target=run, name=what, daemon=True)
        self._threads.append(thread)
        thread.start()


def _made_up(source: random.Random) -> str:
    return str(Mac(MacNumber(0x020000000000 | source.getrandbits(40) | 0x4 << 40)))
