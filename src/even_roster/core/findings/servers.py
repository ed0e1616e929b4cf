"""The DHCP servers of a world: what was heard of them, which are planned, and which nobody planned."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from ..plan.model import BandKind, Plan
from .facts import PlannedServer, ServerHeard
from .model import DAY, About
from .offers import Offer, compare

SILENT_ASKS = 2
HEARD_FOR = 2 * DAY


class ServersHeard:
    """The part of `World` that knows DHCP servers; the attributes are the world's."""

    plan: Plan
    site: int
    now: int
    dirty: dict[About, set[int]]

    def __init__(self) -> None:
        self.servers: dict[int, dict[int, ServerHeard]] = {}
        self.planned_servers: dict[int, PlannedServer] = {}
        self.asks: dict[int, tuple[int, int]] = {}
        self._servers_by_key: dict[int, tuple[int, int]] = {}

    def touch_mac(self, mac: int) -> None:
        """Everything about a MAC is to be looked at again."""
        raise NotImplementedError

    def server_heard(self, subnet: int, offer: Offer, at: int) -> None:
        """An offer or acknowledgement was heard on a planned subnet's link."""
        self.now = max(self.now, at)
        heard = self.servers.setdefault(subnet, {})
        old = heard.get(offer.server)
        heard[offer.server] = ServerHeard(offer, old.first if old else at, at)
        self.dirty[About.SERVER].add(self.server_key(subnet, offer.server))
        self.dirty[About.SUBNET].add(subnet)
        self.dirty[About.ADDRESS].add(offer.server)
        self.touch_mac(offer.mac)

    def asked(self, subnet: int, offers: Iterable[Offer], at: int) -> None:
        """A DISCOVER was sent on a planned subnet's link; these were all the offers."""
        self.now = max(self.now, at)
        there = set()
        for offer in offers:
            there.add(offer.server)
            self.server_heard(subnet, offer, at)
        for server, heard in self.servers.get(subnet, {}).items():
            if server not in there:
                heard.missed += 1
                self.dirty[About.SERVER].add(self.server_key(subnet, server))
                self.dirty[About.ADDRESS].add(server)
                self.touch_mac(heard.offer.mac)
        silent = 0 if there else self.asks.get(subnet, (0, 0))[1] + 1
        self.asks[subnet] = (at, silent)
        self.dirty[About.SUBNET].add(subnet)

    def server_key(self, subnet: int, server: int) -> int:
        """A key for (subnet, server address)."""
        key = subnet << 32 | server
        self._servers_by_key[key] = (subnet, server)
        return key

    def server_of(self, key: int) -> tuple[int, int]:
        """The subnet and server address behind a key."""
        return self._servers_by_key.get(key, (key >> 32, key & 0xFFFFFFFF))

    def expected(self, subnet: int, server: int) -> bool:
        """True when a DHCP server is one that the plan has for the subnet."""
        return any(server in one.addresses for one in self.servers_for(subnet))

    def servers_for(self, subnet: int) -> list[PlannedServer]:
        """The planned servers of a subnet's pools."""
        wanted = {b.server for b in self.plan.bands_of(subnet) if b.kind is BandKind.POOL and b.server is not None}
        return [self.planned_servers[one] for one in sorted(wanted) if one in self.planned_servers]

    def unexpected(self, subnet: int, server: int) -> list[str] | None:
        """Where a server that nobody planned disagrees with the plan; None when it is planned, or may well be: it
        offers as planned, and the planned server's address is not known."""
        heard = self.servers.get(subnet, {}).get(server)
        if (
            heard is None
            or heard.missed >= SILENT_ASKS
            or self.now - heard.last > HEARD_FOR
            or self.expected(subnet, server)
        ):
            return None
        against = compare(heard.offer, self.plan, self.site, self.plan.subnets.get(subnet))
        if not against and any(not one.addresses for one in self.servers_for(subnet)):
            return None
        return against

    def is_rogue(self, mac: int) -> bool:
        """True for the MAC of a DHCP server that nobody planned."""
        return any(
            heard.offer.mac == mac and self.unexpected(subnet, server) is not None
            for subnet, found in self.servers.items()
            for server, heard in found.items()
        )

    def learn_servers(self, subnet: int) -> Iterator[tuple[int, int]]:
        """Planned servers whose address is not known yet, each with the one heard server that offers as planned."""
        unknown = [one for one in self.servers_for(subnet) if not one.addresses]
        if len(unknown) != 1:
            return
        planned = self.plan.subnets.get(subnet)
        known = {a for one in self.planned_servers.values() for a in one.addresses}
        fitting = [
            heard for server, heard in self.servers.get(subnet, {}).items()
            if server not in known and heard.offer.address and not compare(heard.offer, self.plan, self.site, planned)
        ]  # fmt: skip
        if fitting:
            first = min(fitting, key=lambda heard: heard.first)
            yield unknown[0].id, first.offer.server
