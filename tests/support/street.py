"""A street of hosts: namespaces on one bridge, each with its own kernel's ARP; for what only real kernels show."""

from __future__ import annotations

import contextlib
import subprocess
import sys
import time
from collections.abc import Iterator
from ipaddress import IPv4Address

from even_roster.core.mac import BROADCAST, Mac
from even_roster.wire import arp, dhcp, ethernet, vrrp
from even_roster.wire.dhcp import Option

from .lab import Namespace, namespace, run


class Street:
    """One bridge; `join` puts a host on it."""

    def __init__(self, hub: Namespace, stack: contextlib.ExitStack) -> None:
        self._hub, self._stack, self._count = hub, stack, 0
        hub.ip("link", "add", "bridge0", "type", "bridge", "forward_delay", "0")
        hub.ip("link", "set", "bridge0", "up")

    def join(self, address: str | None, mac: str, *, gateway: str | None = None, name: str = "eth0") -> Namespace:
        """A host with an address (with prefix) and a MAC. It announces itself as soon as its link is up."""
        host = self._stack.enter_context(namespace())
        self._cable(host, name)
        host.run("sysctl", "-qw", f"net.ipv4.conf.{name}.arp_notify=1")
        host.ip("link", "set", name, "address", mac)
        if address:
            host.ip("address", "add", address, "dev", name)
        host.ip("link", "set", name, "up")
        if gateway:
            host.ip("route", "add", "default", "via", gateway)
        return host

    def plug(self, host: Namespace, address: str, mac: str, name: str) -> None:
        """One more adapter of a namespace that is there, with an address (with prefix) and a MAC."""
        self._cable(host, name)
        host.ip("link", "set", name, "address", mac)
        host.ip("address", "add", address, "dev", name)
        host.ip("link", "set", name, "up")

    def _cable(self, host: Namespace, name: str) -> None:
        """A cable between an adapter of a namespace, which arises, and the bridge."""
        self._count += 1
        port = f"port{self._count}"
        run(
            "ip", "link", "add", name, "netns", host.name, "type", "veth", "peer", "name", port, "netns", self._hub.name
        )
        self._hub.ip("link", "set", port, "master", "bridge0")
        self._hub.ip("link", "set", port, "up")

    def leave(self, host: Namespace, name: str = "eth0") -> None:
        """Pull the cable."""
        host.ip("link", "set", name, "down")

    def speak(self, host: Namespace, *words: str) -> subprocess.Popen[str]:
        """Let a host send frames of our choice (see `main`), until ended."""
        process = host.start(sys.executable, "-m", "tests.support.street", *words)
        self._stack.callback(process.kill)
        return process


@contextlib.contextmanager
def street() -> Iterator[Street]:
    """A street for the length of a block."""
    with contextlib.ExitStack() as stack:
        yield Street(stack.enter_context(namespace()), stack)


def main() -> None:
    """claim MAC ADDRESS: gratuitous ARP every half second. vrrp MAC OWN SHARED: advertisements from an own MAC, and claims.
    request MAC SERVER WANTED: a client that asks a DHCP server for an address by name. request-arp MAC OWN: asks for a neighbour,
    a few times."""
    import socket

    what, mac_text, *rest = sys.argv[1:]
    mac = Mac.parse(mac_text)
    with socket.socket(socket.AF_PACKET, socket.SOCK_RAW) as sock:
        sock.bind(("eth0", 0))
        if what == "vrrp":
            own, shared = IPv4Address(rest[0]), IPv4Address(rest[1])
            advert = bytearray(vrrp.frame(vrrp.Advertisement(7, 100, (shared,)), own))
            advert[6:12] = mac.to_bytes()
            frames = [bytes(advert), ethernet.encode(arp.announcement(mac, shared))]
        elif what == "request":
            options = ((Option.SERVER, IPv4Address(rest[0]).packed), (Option.ADDRESS, IPv4Address(rest[1]).packed))
            message = dhcp.Message(False, 7, mac, dhcp.Kind.REQUEST, broadcast=True, options=options)
            frames = [dhcp.frame(message, mac, BROADCAST)]
        elif what == "request-arp":
            own = IPv4Address(rest[0])
            question = ethernet.encode(arp.request(mac, own, IPv4Address(int(own) ^ 3)))
            with contextlib.suppress(OSError):  # until its cable is pulled
                for _ in range(6):
                    sock.send(question)
                    time.sleep(0.5)
            return
        else:
            frames = [ethernet.encode(arp.announcement(mac, IPv4Address(rest[0])))]
        print(time.time(), flush=True)
        while True:
            for frame in frames:
                with contextlib.suppress(OSError):
                    sock.send(frame)
            time.sleep(0.5)


if __name__ == "__main__":
    main()
