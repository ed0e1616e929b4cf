"""Larkspur Hall: the demo site, a made-up municipal theatre. Every host, vendor and name in it is invented.

What is wrong at the site is wrong in the bytes its hosts send; nothing here tells the product about it.
"""

from __future__ import annotations

import random
import time
from collections.abc import Callable
from ipaddress import IPv4Address, IPv4Interface, IPv4Network

from ..core.adapters import Adapter
from ..core.address import Address, address_of
from ..core.dhcp import Pool, Reservation, Scope
from ..core.mac import Mac, MacNumber
from ..core.plan.model import HandedOut
from ..core.span import Span, SpanSet
from ..wire import arp, ethernet, ipv4, lldp
from .cartons import Carton, StockedSite
from .hosts import Awake, Host, HostNames
from .larkspur_cabling import cable
from .site import Site, SiteSubnet

SEED = 1884
DOMAIN = "larkspur.example"
DHCP_SERVER = "ledger"
FORGOTTEN = "10.44.10.225"
POWER_CUT = 1200.0

SUBNETS = (
    SiteSubnet("Office", IPv4Network("10.44.10.0/24"), 10),
    SiteSubnet("Stage", IPv4Network("10.44.20.0/24"), 20),
    SiteSubnet("Foyer", IPv4Network("10.44.30.0/24"), 30),
    SiteSubnet("Cameras", IPv4Network("10.44.40.0/26"), 40),
    SiteSubnet("Visitors", IPv4Network("10.44.64.0/22"), 64),
)

# The site's own prefixes: administratively assigned identifiers of IEEE 802c (second digit 2), so nobody's block.
VENDORS = {
    "corvane": ("02:c0:10", "Corvane Lighting"),
    "hushwell": ("02:c0:2a", "Hushwell Audio"),
    "tolvane": ("02:c0:3e", "Tolvane Networks"),
    "quillmark": ("02:c0:44", "Quillmark Printing"),
    "nettlebank": ("02:c0:5b", "Nettlebank Storage"),
    "wickfield": ("02:c0:61", "Wickfield Phones"),
    "marrowby": ("02:c0:7d", "Marrowby Terminals"),
    "oxbow": ("02:c0:88", "Oxbow Vision"),
    "sallow": ("02:c0:9f:4", "Sallow Desk Computers"),
    "fenmoor": ("02:c0:9f:a", "Fenmoor Portables"),
}
_EXPOSED = {
    "tolvane": {22, 443},
    "quillmark": {80, 631, 9100},
    "nettlebank": {22, 443, 445},
    "wickfield": {80},
    "corvane": {80},
    "hushwell": {80},
    "oxbow": {80, 443},
    "marrowby": set(),
    "sallow": {445},
    "fenmoor": set(),
}  # type: dict[str, set[int]]


def build(*, clock: Callable[[], float] = time.monotonic, sleep: Callable[[float], None] = time.sleep) -> StockedSite:
    """The whole site, the same at every start."""
    builder = _Builder()
    builder.office()
    builder.stage()
    builder.foyer()
    builder.cameras()
    builder.visitors()
    router = IPv4Address("10.44.10.1")
    adapters = (
        Adapter(
            "office0", builder.mac("sallow", 0xE0001), (IPv4Interface("10.44.10.20/24"),), gateway=router, dns=(router,)
        ),
        Adapter("stage0", builder.mac("sallow", 0xE0002), (IPv4Interface("10.44.20.20/24"),), dns=(router,)),
        Adapter("cameras0", builder.mac("sallow", 0xE0003), (IPv4Interface("10.44.40.5/26"),), dns=(router,)),
    )
    site = StockedSite("Larkspur Hall", SUBNETS, builder.hosts, adapters, "box-office", clock=clock, sleep=sleep)
    site.stock(_cartons(builder))
    site.serve_dhcp(DHCP_SERVER, IPv4Address("10.44.10.12"), _scopes(builder))
    site.serve_dhcp("forgotten", IPv4Address(FORGOTTEN), [_forgotten_scope()], joined=False)
    site.at(POWER_CUT, lambda: _power_cycle(site))
    site.cabling = cable(site)
    return site


def _cartons(builder: _Builder) -> list[Carton]:
    """What stands in the workshop, still packed: nobody has given any of it power yet."""
    printer, camera = IPv4Interface("192.168.50.10/24"), IPv4Interface("192.168.60.64/24")
    wide = IPv4Interface("10.44.10.0/16")
    return [
        Carton("printer-carton", "a printer with a factory address", builder.mac("quillmark", 0xC0001), 10, "address", printer,
               HostNames(mdns="quillmark-q20.local")),
        Carton("printer-forgetful", "a printer whose settings must be stored apart, or a power cut takes them",
               builder.mac("quillmark", 0xC0002), 10, "address", printer, forgets=True),
        Carton("terminal-carton", "a card terminal that keeps a mask of its own, whatever is typed in",
               builder.mac("marrowby", 0xC0001), 10, "address", IPv4Interface("192.168.70.20/24"), mask=wide),
        Carton("stage-box-carton", "a stage box that asks for a lease, where no server is", builder.mac("hushwell", 0xC0001), 20,
               "dhcp"),
        Carton("dimmer-carton", "a dimmer rack that knows only BOOTP", builder.mac("corvane", 0xC0001), 20, "bootp"),
        Carton("phone-carton", "a phone that is dead on arrival", builder.mac("wickfield", 0xC0001), 10, "dhcp", dead=True),
        *(
            Carton(f"camera-carton-{number}", "one of six cameras with the same factory address",
                   builder.mac("oxbow", 0xC0000 + number), 40, "address", camera)
            for number in range(1, 7)
        ),
    ]  # fmt: skip


def _forgotten_scope() -> Scope:
    """What a wireless router left in a cupboard hands out: itself as gateway."""
    own = address_of(IPv4Address(FORGOTTEN))
    pool = Pool(address_of(IPv4Address("10.44.10.226")), address_of(IPv4Address("10.44.10.235")))
    return Scope(IPv4Network("10.44.10.0/24"), (pool,), HandedOut(86400, own, (own,)))


def _power_cycle(site: Site) -> None:
    """The power fails for a moment; a printer comes back without its settings and asks for an address."""
    printer = next(host for host in site.hosts if host.label == "printer-4")
    printer.by_dhcp = True
    site.join_dhcp(printer)


def _scopes(builder: _Builder) -> list[Scope]:
    """What the site's DHCP server was set to by hand, before anybody planned anything."""
    portables = [host for host in builder.hosts if host.label.startswith("portable-")][:3]
    reserved = tuple(Reservation(h.mac.value, address_of(h.addresses[0]), h.label) for h in portables)
    return [
        _scope("10.44.10.0/24", "10.44.10.100", "10.44.10.199", 8 * 3600, reserved),
        _scope("10.44.30.0/24", "10.44.30.150", "10.44.30.189", 4 * 3600),
        _scope("10.44.64.0/22", "10.44.64.100", "10.44.64.251", 2 * 3600),
    ]


def _scope(network: str, first: str, last: str, seconds: int, reserved: tuple[Reservation, ...] = ()) -> Scope:
    subnet = IPv4Network(network)
    gateway = Address(address_of(subnet.network_address) + 1)
    options = HandedOut(seconds, gateway, (address_of(IPv4Address("10.44.10.1")),), DOMAIN)
    return Scope(subnet, (Pool(address_of(IPv4Address(first)), address_of(IPv4Address(last))),), options, reserved)


class _Builder:
    """Collects hosts; each subnet has its own method, in the order of its addresses."""

    def __init__(self) -> None:
        self.hosts: list[Host] = []
        self._random = random.Random(SEED)
        self._serial = dict.fromkeys(VENDORS, 0x10)

    def mac(self, vendor: str, serial: int | None = None) -> Mac:
        """The next MAC of a vendor, or the one with a given serial number."""
        if serial is None:
            self._serial[vendor] += self._random.randrange(1, 40)
            serial = self._serial[vendor]
        digits = VENDORS[vendor][0].replace(":", "")
        return Mac(MacNumber(int(digits, 16) << (48 - 4 * len(digits)) | serial))

    def _add(self, name: str, vendor: str, vlan: int, address: str, **traits: object) -> Host:
        """A host with the usual names of its vendor's kind; `traits` override fields of Host."""
        names = {
            "quillmark": HostNames(f"{name}.{DOMAIN}", f"{name}.local", name.upper()[:15]),
            "sallow": HostNames(f"{name}.{DOMAIN}", None, name.upper()[:15], name),
            "fenmoor": HostNames(None, f"{name}.local", None, name),
            "nettlebank": HostNames(f"{name}.{DOMAIN}", f"{name}.local", name.upper()[:15]),
            "tolvane": HostNames(f"{name}.{DOMAIN}"),
            "corvane": HostNames(None, f"{name}.local"),
            "hushwell": HostNames(None, f"{name}.local"),
        }.get(vendor, HostNames())
        fields: dict[str, object] = {
            "label": name, "mac": self.mac(vendor), "addresses": (IPv4Address(address),), "vlan": vlan, "names": names,
            "ports": frozenset(_EXPOSED[vendor]), "delay": 0.0004 + self._random.random() * 0.004,
        }  # fmt: skip
        host = Host(**{**fields, **traits})  # type: ignore[arg-type]
        self.hosts.append(host)
        return host

    def _router(self, vlan: int, address: str, **traits: object) -> None:
        ports = frozenset({22, 53, 443})
        self._add(f"gate-{vlan}", "tolvane", vlan, address, ports=ports, delay=0.0003, routes=True, **traits)

    def _switch(self, name: str, vlan: int, address: str, ours: bool) -> None:
        """A switch; the one that the service's machine is plugged into announces the port (IEEE 802.1AB)."""
        host = self._add(name, "tolvane", vlan, address)
        if ours:
            port = lldp.Neighbour("", "17", 120, "box office, left", name, "", host.addresses[0], vlan)
            host.announces = (lldp.frame(port, host.mac),)

    def office(self) -> None:
        """Administration: network gear, servers, printers, phones, desks, portables."""
        self._router(10, "10.44.10.1")
        # A virtual router address shared by two gateways (accepted): both answer for .254.
        self._add("gate-a", "tolvane", 10, "10.44.10.2", addresses=_two("10.44.10.2", "10.44.10.254"))
        self._add("gate-b", "tolvane", 10, "10.44.10.3", addresses=_two("10.44.10.3", "10.44.10.254"))
        for number in range(1, 4):
            self._switch(f"switch-office-{number}", 10, f"10.44.10.{4 + number}", number == 1)
        # The plan moved this switch to .9; it still answers at .131.
        self._add("switch-attic", "tolvane", 10, "10.44.10.131")
        self._add("ledger", "nettlebank", 10, "10.44.10.12")
        self._add("archive", "nettlebank", 10, "10.44.10.13", delay=0.011)
        # A router that answers ARP for an old range that has moved behind it (accepted).
        moved = SpanSet.of([Span(IPv4Address("10.44.10.240"), IPv4Address("10.44.10.243"))])
        self._add("gate-annex", "tolvane", 10, "10.44.10.4", proxy_for=moved)
        for number in range(1, 5):
            self._add(f"printer-{number}", "quillmark", 10, f"10.44.10.{29 + number}", delay=0.02)
        for number in range(1, 13):
            self._add(f"phone-{200 + number}", "wickfield", 10, f"10.44.10.{49 + number}")
        desks = ("front", "bookings", "director", "payroll", "press", "education", "props", "wardrobe", "crew-room")
        for number, name in enumerate(desks):
            self._add(f"desk-{name}", "sallow", 10, f"10.44.10.{80 + number}")
        # Two devices with one hostname.
        self._add("desk-front", "sallow", 10, "10.44.10.97")
        for number in range(1, 9):
            awake = Awake(240.0, 150.0, 30.0 * number) if number > 4 else Awake()
            self._add(
                f"portable-{number:02}",
                "fenmoor",
                10,
                f"10.44.10.{109 + number}",
                delay=0.03,
                awake=awake,
                by_dhcp=True,
                stubborn=number == 5,
            )
        # A forgotten wireless router; it hands out addresses too.
        self._add("cupboard", "tolvane", 10, FORGOTTEN, names=HostNames(), ports=frozenset({80}))
        # One laptop, two adapters: the wired one bears the same name as the wireless one.
        self._add("portable-02", "fenmoor", 10, "10.44.10.119", by_dhcp=True)
        # A host that got no lease and gave itself a link-local address (RFC 3927); it asks for its neighbours in vain.
        lost = self.mac("marrowby")
        address = IPv4Address("169.254.77.12")
        call = ethernet.encode(arp.announcement(lost, address))
        self._add("spare-terminal", "marrowby", 10, str(address), mac=lost, chatter=(call,))

        # A desk computer that sleeps until somebody wakes it.
        self.hosts.append(
            Host(
                "desk-rehearsal", self.mac("sallow", 0xB0001), (IPv4Address("10.44.10.89"),), 10,
                names=HostNames(f"desk-rehearsal.{DOMAIN}"), delay=0.002, awake=Awake(period=1e9),
            )
        )  # fmt: skip

    def stage(self) -> None:
        """Light, sound and the show network."""
        self._router(20, "10.44.20.1")
        for number in range(1, 4):
            self._switch(f"switch-stage-{number}", 20, f"10.44.20.{4 + number}", number == 1)
        self._add("light-desk", "corvane", 20, "10.44.20.30")
        # A dimmer rack and a sound desk answering for one address.
        self._add("dimmer-rack-2", "corvane", 20, "10.44.20.41")
        self._add("sound-desk", "hushwell", 20, "10.44.20.41", delay=0.006)
        self._add("dimmer-rack-1", "corvane", 20, "10.44.20.40")
        self._add("dimmer-rack-3", "corvane", 20, "10.44.20.42")
        for number in range(1, 19):
            self._add(f"light-node-{number:02}", "corvane", 20, f"10.44.20.{59 + number}")
        for number in range(1, 9):
            self._add(f"stage-box-{number}", "hushwell", 20, f"10.44.20.{99 + number}")
        # A firewalled media server: drops echo, answers ARP.
        self._add("media-server", "nettlebank", 20, "10.44.20.120", echo=False, ports=frozenset())
        # A lighting node still at its factory address in a foreign subnet; it announces itself and asks for a lease.
        fresh = self.mac("corvane")
        factory = IPv4Address("192.168.200.10")
        call = ethernet.encode(arp.announcement(fresh, factory))
        self._add("light-node-new", "corvane", 20, str(factory), mac=fresh, chatter=(call, _hello(fresh)))

    def foyer(self) -> None:
        """Gates, card terminals, signage, access points."""
        self._router(30, "10.44.30.1")
        for number in range(1, 7):
            self._add(f"gate-{number}", "marrowby", 30, f"10.44.30.{19 + number}")
        for number in range(1, 10):
            self._add(f"card-terminal-{number}", "marrowby", 30, f"10.44.30.{39 + number}")
        # A card terminal typed in by hand inside the DHCP pool.
        self._add("card-terminal-10", "marrowby", 30, "10.44.30.155")
        for number in range(1, 7):
            self._add(f"sign-{number}", "oxbow", 30, f"10.44.30.{59 + number}")
        for number in range(1, 6):
            self._add(f"access-point-{number}", "tolvane", 30, f"10.44.30.{79 + number}")
        # An access point on a dynamic address.
        self._add("access-point-6", "tolvane", 30, "10.44.30.171", by_dhcp=True)
        # Two switches, entered so that nobody else's MAC is another than before.
        for number in (1, 2):
            self.hosts.append(Host(
                f"switch-foyer-{number}", self.mac("tolvane", 0xA0000 + number), (IPv4Address(f"10.44.30.{4 + number}"),), 30,
                HostNames(f"switch-foyer-{number}.{DOMAIN}"), frozenset(_EXPOSED["tolvane"]), 0.002,
            ))  # fmt: skip
        # A device nobody knows.
        self._add("unknown", "marrowby", 30, "10.44.30.188", mac=self._randomised(), by_dhcp=True, says_name=False)

    def cameras(self) -> None:
        """Cameras and their recorder."""
        self._router(40, "10.44.40.1")
        self._add("recorder", "nettlebank", 40, "10.44.40.10")
        for number in range(1, 17):
            self._add(f"camera-{number:02}", "oxbow", 40, f"10.44.40.{19 + number}")

    def visitors(self) -> None:
        """Visitors' wireless: nearly all randomised MACs, half of them asleep at any time."""
        self._router(64, "10.44.64.1")
        for number in self._random.sample(range(100, 252), 140):
            address = IPv4Address(address_of(IPv4Address("10.44.64.0")) + number)
            awake = Awake(600.0, 300.0, self._random.random() * 600)
            doze = self._random.uniform(0.02, 0.25)
            self._add(
                f"visitor-{number}", "fenmoor", 64, str(address), mac=self._randomised(), names=HostNames(),
                delay=doze, awake=awake, by_dhcp=True, says_name=False,
            )  # fmt: skip

    def _randomised(self) -> Mac:
        return Mac(MacNumber(self._random.getrandbits(48) & ~(3 << 40) & ~(0xC << 40) | (0xE << 40)))


def _two(first: str, second: str) -> tuple[IPv4Address, IPv4Address]:
    return IPv4Address(first), IPv4Address(second)


def _hello(mac: Mac) -> bytes:
    """A broadcast from the unspecified address, as a device sends that has none yet (RFC 1122 3.2.1.3)."""
    nobody, everybody = IPv4Address("0.0.0.0"), IPv4Address("255.255.255.255")
    body = ipv4.encode_udp(ipv4.Udp(68, 67, bytes(300)), nobody, everybody)
    packet = ipv4.encode(ipv4.Packet(nobody, everybody, ipv4.Protocol.UDP, body))
    return ethernet.encode(ethernet.Frame(Mac(MacNumber((1 << 48) - 1)), mac, ethernet.EtherType.IPV4, packet))
