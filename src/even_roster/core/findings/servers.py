"""The DHCP servers of a world: what was heard of them, which are planned, and which nobody planned."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace

from ..mac import MacNumber
from ..plan.model import BandKind
from .facts import Drift, Ground, PlannedServer, ServerHeard
from .model import DAY, HOUR, MINUTE, About
from .offers import Offer, compare

SILENT_ASKS = 2
HEARD_FOR = 2 * DAY
HEARSAY_REST = 10 * MINUTE
MOST_NAMED = 32


@dataclass(frozen=True, slots=True)
class Named:
    """A server that a client named: which client last, the first and the last time, and how many questions found nothing since."""

    client: MacNumber
    first: int
    last: int
    missed: int = 0


class DhcpHeard:
    """What a world knows of DHCP servers. `touch` marks keys that are to be looked at again: of servers, subnets, addresses; of the
    sender's MAC."""

    def __init__(self, ground: Ground, touch: Callable[[About, int], None]) -> None:
        self._ground, self._touch = ground, touch
        self.servers: dict[int, dict[int, ServerHeard]] = {}
        self.named: dict[int, dict[int, Named]] = {}
        self.planned_servers: dict[int, PlannedServer] = {}
        self.drifts: dict[int, Drift] = {}
        self.asks: dict[int, tuple[int, int]] = {}
        self.rogues_before: set[int] = set()
        self.doubted: set[int] = set()
        self._servers_by_key: dict[int, tuple[int, int]] = {}

    def server_heard(self, subnet: int, offer: Offer, at: int, *, asked: bool = False) -> None:
        """An offer or acknowledgement came on a planned subnet's link; with `asked` as the answer to a DISCOVER of ours. One that
        was only overheard never takes the place of an answer that stands."""
        self._ground.now = max(self._ground.now, at)
        heard = self.servers.setdefault(subnet, {})
        old = heard.get(offer.server)
        if not asked:
            if old is not None and old.answered and old.missed < SILENT_ASKS and at - old.answered <= HEARD_FOR:
                if self._against(offer, subnet) != self._against(old.offer, subnet):
                    self.doubted.add(subnet)
                return
            if old is None and sum(1 for one in heard.values() if not one.answered) >= MOST_NAMED:
                return
        heard[offer.server] = ServerHeard(
            offer, old.first if old else at, at, answered=at if asked else old.answered if old else 0
        )
        self.named.get(subnet, {}).pop(offer.server, None)
        self._touched(subnet, offer.server)
        self._touch(About.MAC, offer.mac)

    def _touched(self, subnet: int, server: int) -> None:
        self._touch(About.SERVER, self.server_key(subnet, server))
        self._touch(About.SUBNET, subnet)
        self._touch(About.ADDRESS, server)

    def server_named(self, subnet: int, server: int, client: MacNumber, at: int) -> bool:
        """A client named a server in a message of its own (RFC 2131 4.3.2): hearsay, until the server answers a question of ours.
        True when that server is news and should be asked for at once."""
        self._ground.now = max(self._ground.now, at)
        heard = self.servers.get(subnet, {}).get(server)
        if self.known(server) is not None or (heard is not None and heard.missed < SILENT_ASKS):
            return False
        there = self.named.setdefault(subnet, {})
        old = there.get(server)
        if old is None and len(there) >= MOST_NAMED:
            return False
        # What two questions did not find is not told again for a while, however often it is named.
        if old is not None and old.missed >= SILENT_ASKS and at - old.last <= HEARSAY_REST:
            return False
        there[server] = Named(client, old.first if old and old.missed < SILENT_ASKS else at, at)
        self._touched(subnet, server)
        return old is None or old.missed >= SILENT_ASKS

    def hearsay(self, subnet: int, server: int) -> Named | None:
        """A server that was only named, and that nobody planned."""
        named = self.named.get(subnet, {}).get(server)
        if (
            named is None
            or named.missed >= SILENT_ASKS
            or self._ground.now - named.last > HOUR
            or self.known(server) is not None
        ):
            return None
        return named

    def by_word(self, subnet: int) -> Iterator[int]:
        """The servers of a subnet that are not in the plan and have only been overheard."""
        for server, heard in self.servers.get(subnet, {}).items():
            if heard.only_heard and self.unexpected(subnet, server) is not None:
                yield server
        for server in self.named.get(subnet, ()):
            if self.hearsay(subnet, server) is not None:
                yield server

    def in_question(self) -> set[int]:
        """The subnets where a server that nobody planned stands in the open, or is only hearsay, or was heard to offer otherwise
        than it had answered."""
        found = {
            s for s, servers in self.servers.items() if any(self.unexpected(s, one) is not None for one in servers)
        }
        return (
            found | self.doubted | {s for s, named in self.named.items() if any(self.hearsay(s, one) for one in named)}
        )

    def asked(self, subnet: int, offers: Iterable[Offer], at: int) -> None:
        """A DISCOVER was sent on a planned subnet's link; these were all the offers."""
        self._ground.now = max(self._ground.now, at)
        there = set()
        for offer in offers:
            there.add(offer.server)
            self.server_heard(subnet, offer, at, asked=True)
        for server, heard in self.servers.get(subnet, {}).items():
            if server not in there:
                heard.missed += 1
                self._touched(subnet, server)
                self._touch(About.MAC, heard.offer.mac)
        for server, named in list(self.named.get(subnet, {}).items()):
            self.named[subnet][server] = replace(named, missed=named.missed + 1)
            self._touched(subnet, server)
        self.rogues_before.clear()
        self.doubted.discard(subnet)
        silent = 0 if there else self.asks.get(subnet, (0, 0))[1] + 1
        self.asks[subnet] = (at, silent)
        self._touch(About.SUBNET, subnet)

    def server_key(self, subnet: int, server: int) -> int:
        """A key for (subnet, server address)."""
        key = subnet << 32 | server
        self._servers_by_key[key] = (subnet, server)
        return key

    def keys(self) -> list[int]:
        """The keys of all servers that were heard, or named."""
        known = (self.servers, self.named)
        return [self.server_key(subnet, server) for one in known for subnet, found in one.items() for server in found]

    def server_of(self, key: int) -> tuple[int, int]:
        """The subnet and server address behind a key."""
        return self._servers_by_key.get(key, (key >> 32, key & 0xFFFFFFFF))

    def expected(self, subnet: int, server: int) -> bool:
        """True when a DHCP server is one that the plan has for the subnet."""
        return any(server in one.addresses for one in self.servers_for(subnet))

    def known(self, server: int) -> PlannedServer | None:
        """The site's DHCP server with this address, whichever subnets the plan has it for."""
        return next((one for one in self.planned_servers.values() if server in one.addresses), None)

    def servers_for(self, subnet: int) -> list[PlannedServer]:
        """The planned servers of a subnet's pools."""
        wanted = {
            b.server for b in self._ground.plan.bands_of(subnet) if b.kind is BandKind.POOL and b.server is not None
        }
        return [self.planned_servers[one] for one in sorted(wanted) if one in self.planned_servers]

    def unexpected(self, subnet: int, server: int) -> list[str] | None:
        """Where a server that nobody planned disagrees with the plan; None when it is planned, or may well be: it offers as
        planned, and is another server of the site (one that stands in for the planned one), or the planned one's address is not
        known."""
        heard = self.servers.get(subnet, {}).get(server)
        if (
            heard is None
            or heard.missed >= SILENT_ASKS
            or self._ground.now - heard.last > HEARD_FOR
            or self.expected(subnet, server)
        ):
            return None
        against = self._against(heard.offer, subnet)
        if not against and (self.known(server) or any(not one.addresses for one in self.servers_for(subnet))):
            return None
        return against

    def _against(self, offer: Offer, subnet: int) -> list[str]:
        return compare(offer, self._ground.plan, self._ground.site, self._ground.plan.subnets.get(subnet))

    def is_rogue(self, mac: MacNumber) -> bool:
        """True for the MAC of a DHCP server that nobody planned; before anybody was asked, of those known before a restart."""
        return mac in self.rogues_before or any(
            heard.offer.mac == mac and self.unexpected(subnet, server) is not None
            for subnet, found in self.servers.items()
            for server, heard in found.items()
        )

    def learn_servers(self, subnet: int) -> Iterator[tuple[int, int]]:
        """Planned servers whose address is not known yet, each with the one heard server that offers as planned."""
        unknown = [one for one in self.servers_for(subnet) if not one.addresses]
        if len(unknown) != 1:
            return
        planned = self._ground.plan.subnets.get(subnet)
        known = {a for one in self.planned_servers.values() for a in one.addresses}
        plan, site = self._ground.plan, self._ground.site
        fitting = [
            heard for server, heard in self.servers.get(subnet, {}).items()
            if server not in known and heard.answered and heard.offer.address and not compare(heard.offer, plan, site, planned)
        ]  # fmt: skip
        if fitting:
            first = min(fitting, key=lambda heard: heard.first)
            yield unknown[0].id, first.offer.server
