"""A healthy site: planned devices at their places, servers with ten addresses, laptops that come and go and are docked to a second
adapter, phones with a new MAC every day, lease churn."""

from __future__ import annotations

import random
from ipaddress import IPv4Address, IPv4Interface, IPv4Network
from unittest.mock import patch

from even_roster.api.plan import AssignmentNew, BandNew, SubnetNew
from even_roster.core.adapters import Adapter
from even_roster.core.address import Address
from even_roster.core.dhcp import Pool, Reservation, Scope
from even_roster.core.mac import Mac, MacNumber
from even_roster.core.plan.model import HandedOut
from even_roster.service import setting_edits
from even_roster.service.context import Context
from even_roster.service.demo.site_setup import give_plan, give_prefixes, publish, welcome_strangers
from even_roster.service.devices import device_edits
from even_roster.service.plan import planning
from even_roster.standin.hosts import Awake, Host, HostNames
from even_roster.standin.larkspur import VENDORS
from even_roster.standin.site import Site, SiteSubnet
from even_roster.store import device_queries

from .clock import FakeClock
from .days import EPOCH_MS

NETWORK = IPv4Network("10.97.0.0/22")
SERVER, DEPUTY = "steward", "deputy"
DAY = 86_400.0
_BASE = int(NETWORK.network_address)
SERVERS, DOCKED = 3, 8
_ROLES = ("printer", "phone", "workstation", "control")


def healthy_site(hosts: int, clock: FakeClock) -> Site:
    """`hosts` hosts: half planned and static, a quarter laptops (half of them with a reservation), a quarter phones."""
    source = random.Random(7)
    static, laptops, phones = hosts // 2, hosts // 4, hosts // 4
    gate = Host(
        "gate", Mac(MacNumber(0x02C03E000001)), (IPv4Address(_BASE + 1),), 1, HostNames(), frozenset({53}), routes=True
    )
    server = Host(SERVER, Mac(MacNumber(0x02C05B000001)), (IPv4Address(_BASE + 2),), 1, HostNames())
    made = [gate, server]
    for number in range(static):
        awake = Awake(DAY, DAY * 0.4, source.random() * DAY) if number % 4 == 2 else Awake()
        made.append(_host(f"desk-{number:03}", Mac(MacNumber(0x02C09F400000 + number)), _BASE + 10 + number, awake))
    for number in range(laptops):
        awake = Awake(DAY, DAY * source.uniform(0.2, 0.5), source.random() * DAY)
        made.append(
            _host(
                f"laptop-{number:03}",
                Mac(MacNumber(0x02C09FA00000 + number)),
                _BASE + 400 + number,
                awake,
                by_dhcp=True,
            )
        )
    for number in range(SERVERS):
        held = tuple(IPv4Address(_BASE + 300 + 10 * number + n) for n in range(10))
        made.append(
            Host(
                f"rack-{number}",
                Mac(MacNumber(0x02C05B000100 + number)),
                held,
                1,
                HostNames(None, f"rack-{number}.local"),
            )
        )
    for number in range(DOCKED):
        awake = Awake(DAY, DAY * 0.3, source.random() * DAY)
        made.append(
            _host(
                f"laptop-{number:03}",
                Mac(MacNumber(0x02C09FB00000 + number)),
                _BASE + 700 + number,
                awake,
                by_dhcp=True,
            )
        )
    own = Adapter(
        "site0",
        Mac(MacNumber(0x02C09F4F0001)),
        (IPv4Interface((_BASE + 3, 22)),),
        gateway=gate.addresses[0],
        dns=gate.addresses,
    )
    with patch("time.time", return_value=EPOCH_MS / 1000):
        site = Site(
            "A healthy site", [SiteSubnet("House", NETWORK, 1)], made, [own], "porter", clock=clock, sleep=clock.sleep
        )
    reserved = tuple(
        Reservation(MacNumber(0x02C09FA00000 + n), Address(_BASE + 400 + n), f"laptop-{n:03}")
        for n in range(0, laptops, 2)
    )
    options = HandedOut(8 * 3600, Address(_BASE + 1), (Address(_BASE + 1),), "house.example")
    site.serve_dhcp(
        SERVER, server.addresses[0], [Scope(NETWORK, (Pool(_BASE + 400, _BASE + 1000),), options, reserved)]
    )
    visitors = _Phones(site, phones)
    for day in range(40):
        site.at(day * DAY + 1.0, visitors.renew)
    return site


def _host(name: str, mac: Mac, address: int, awake: Awake, *, by_dhcp: bool = False) -> Host:
    return Host(name, mac, (IPv4Address(address),), 1, HostNames(None, f"{name}.local"), awake=awake, by_dhcp=by_dhcp)


class _Phones:
    """Phones that make up a new MAC every day."""

    def __init__(self, site: Site, count: int) -> None:
        self._site, self._count = site, count
        self._random = random.Random(11)
        self._now: list[Host] = []

    def renew(self) -> None:
        """Yesterday's phones leave, today's come."""
        for host in self._now:
            self._site.leave(host)
        self._now = []
        for number in range(self._count):
            mac = Mac(MacNumber(self._random.getrandbits(48) & ~(0xF << 40) | (0xE << 40)))
            awake = Awake(3600.0, 1800.0, self._random.random() * 3600)
            host = Host(f"phone-{number}", mac, (), 1, awake=awake, by_dhcp=True, says_name=False)
            self._site.plug(host)
            self._site.join_dhcp(host)
            self._now.append(host)


def healthy_plan(context: Context, site: Site) -> None:
    """The plan that fits."""
    give_prefixes(context, VENDORS.values())
    static = [
        AssignmentNew(
            address=str(host.addresses[0]), mac=str(host.mac), name=host.label, kind="static",
            role="network" if host.routes else "server" if host.label == SERVER else _ROLES[n % len(_ROLES)],
        )
        for n, host in enumerate(site.hosts)
        if host.addresses and not host.by_dhcp
    ]  # fmt: skip
    static += [
        AssignmentNew(address=str(address), name=f"{host.label}-{n}", kind="static", role="server", mac=str(host.mac))
        for host in site.hosts
        for n, address in enumerate(host.addresses[1:], start=1)
    ]
    subnet = SubnetNew(
        range=str(NETWORK), name="House", gateway=str(IPv4Address(_BASE + 1)), dns=[str(IPv4Address(_BASE + 1))],
        domain="house.example", vlan=1,
    )  # fmt: skip
    band = BandNew.model_validate(
        {"subnet": 0, "kind": "static", "range": "10.97.0.1-10.97.1.20", "name": "lasting", "roles": []}
    )
    give_plan(context, "House", SERVER, [subnet], {"House": [band]}, static, [], [])
    publish(context, SERVER)
    welcome_strangers(context, "House")


def deputy_for_the_server(context: Context, site: Site) -> None:
    """A second DHCP server in standby for the first, known to the plan."""
    host = Host(DEPUTY, Mac(MacNumber(0x02C05B000002)), (IPv4Address(_BASE + 4),), 1, HostNames())
    site.plug(host)
    here = context.plan.site_here
    new = AssignmentNew(address=str(host.addresses[0]), mac=str(host.mac), name=DEPUTY, kind="static", role="server")
    context.plan.edit("a hand", planning.assign(new, here, Address(_BASE + 4), host.mac.value))
    values = {"site": here, "name": DEPUTY, "kind": "standin", "settings": {}, "addresses": [_BASE + 4]}
    setting_edits.add_server(context, "a hand", values)


def fail_over(site: Site, down: str, up: str) -> None:
    """One DHCP server is gone, the other goes on with its leases, as pairs that replicate them do."""
    gone = site.dhcp_server(down)
    assert gone is not None
    site.stop_dhcp(down)
    address = IPv4Address(_BASE + (4 if up == DEPUTY else 2))
    taken = site.serve_dhcp(up, address, list(gone._scopes.values()), joined=False)
    taken._leases, taken._held = dict(gone._leases), {mac: dict(held) for mac, held in gone._held.items()}


def join_docked(context: Context) -> None:
    """People say that both adapters of a docked laptop are one device."""
    with context.database.read() as connection:
        pairs = [(MacNumber(0x02C09FA00000 + n), MacNumber(0x02C09FB00000 + n)) for n in range(DOCKED)]
        owners = device_queries.devices_of_macs(connection, {mac for pair in pairs for mac in pair})
    for one, other in pairs:
        if one in owners and other in owners and owners[one] != owners[other]:
            context.plan.edit_records("a hand", device_edits.join(owners[one], [owners[other]]), anyway=True)
