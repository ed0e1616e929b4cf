"""Sites of any size for tests and benchmarks: one subnet, as many hosts as wanted, the same for the same seed."""

from __future__ import annotations

import random
import time
from collections.abc import Callable
from ipaddress import IPv4Address, IPv4Interface, IPv4Network

from ..core.adapters import Adapter
from ..core.address import address_of
from ..core.mac import Mac, MacNumber
from .hosts import Host, HostNames
from .larkspur import DOMAIN, VENDORS
from .site import Site, SiteSubnet

FEWEST, MOST = 2, 60_000
_BASE = address_of(IPv4Address("10.96.0.0"))


def generate(
    hosts: int,
    *,
    seed: int = 1,
    clock: Callable[[], float] = time.monotonic,
    sleep: Callable[[float], None] = time.sleep,
) -> Site:
    """A site of `hosts` hosts in the smallest subnet of 10.96.0.0 that they fill to 90 % at most, a /24 at least.

    Raises ValueError outside FEWEST to MOST.
    """
    if not FEWEST <= hosts <= MOST:
        raise ValueError(f"a generated site has {FEWEST} to {MOST:,} hosts, not {hosts:,}")
    prefix = 24
    while hosts > 0.92 * (1 << (32 - prefix)):
        prefix -= 1
    network = IPv4Network((_BASE, prefix))
    source = random.Random(seed)
    places = sorted(source.sample(range(3, network.num_addresses - 1), hosts - 1))
    vendors = sorted(VENDORS)
    made = [
        Host(
            "gate", _mac("tolvane", 1), (IPv4Address(_BASE + 1),), 1, HostNames(f"gate.{DOMAIN}"),
            frozenset({53, 443}), routes=True,
        ),
        *(_host(number, place, source.choice(vendors), source) for number, place in enumerate(places)),
    ]  # fmt: skip
    gateway = IPv4Address(_BASE + 1)
    own = Adapter(
        "site0", _mac("sallow", 0xF0001), (IPv4Interface((_BASE + 2, prefix)),), gateway=gateway, dns=(gateway,)
    )
    subnet = SiteSubnet("Generated", network, 1)
    return Site(f"Generated site of {hosts:,} hosts", [subnet], made, [own], "box-office", clock=clock, sleep=sleep)


def _host(number: int, place: int, vendor: str, source: random.Random) -> Host:
    name = f"{vendor}-{number:05}"
    names = HostNames(f"{name}.{DOMAIN}") if number % 3 else HostNames(None, f"{name}.local")
    ports = frozenset({80}) if number % 5 == 0 else frozenset()
    delay = 0.0005 + source.random() * 0.01
    return Host(name, _mac(vendor, 0x1000 + number), (IPv4Address(_BASE + place),), 1, names, ports, delay)


def _mac(vendor: str, serial: int) -> Mac:
    digits = VENDORS[vendor][0].replace(":", "")
    return Mac(MacNumber(int(digits, 16) << (48 - 4 * len(digits)) | serial))
