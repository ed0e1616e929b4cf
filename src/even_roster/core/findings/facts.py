"""The values a world is made of: who holds what, links, DHCP servers, pools, and what a site may set."""

from __future__ import annotations

from dataclasses import dataclass, field
from ipaddress import IPv4Network

from ..absence import HEARD, Silence
from ..address import Address, address_of
from ..mac import MacNumber
from ..plan.model import Plan
from ..stays import Source
from .forecast import PoolUse
from .offers import Offer


@dataclass(slots=True)
class Ground:
    """What all parts of a world stand on: the plan, the site it is about, and the time (UTC ms on a clock that never steps)."""

    plan: Plan
    site: int
    now: int = 0


@dataclass(slots=True)
class Held:
    """A MAC (or None, behind the gateway) at an address: the first and the last time that it answered, by what, what looks without
    an answer say, when it was overheard last, and when a server leased the address to it last (0: never)."""

    first: int
    last: int
    sources: Source
    silence: Silence = HEARD
    heard: int = 0
    leased: int = 0

    @property
    def used(self) -> int:
        """When it answered last, or was given a lease: then it was there, though nobody here saw it."""
        return max(self.last, self.leased)

    @property
    def answered(self) -> bool:
        """True unless all that is known of it is that a server leased the address."""
        return self.sources is not Source.LEASE


@dataclass(frozen=True, slots=True)
class KnownDevice:
    """What people say of the device a MAC belongs to, and what it is called where they say nothing."""

    id: int
    name: str
    role: str
    called: str = ""


@dataclass(frozen=True, slots=True)
class Link:
    """A segment this machine stands on: adapter, subnets, gateway and its learnt MAC."""

    adapter: str
    networks: tuple[IPv4Network, ...]
    gateway: Address | None = None
    gateway_mac: MacNumber | None = None
    since: int = 0
    spans: tuple[tuple[int, int], ...] = field(init=False, compare=False)

    def __post_init__(self) -> None:
        ends = tuple((address_of(n.network_address), address_of(n.broadcast_address)) for n in self.networks)
        object.__setattr__(self, "spans", ends)

    def holds(self, address: Address) -> bool:
        """True when an address belongs to one of its subnets."""
        return any(first <= address <= last for first, last in self.spans)


@dataclass(slots=True)
class ServerHeard:
    """A DHCP server of a subnet's link: its latest offer, when, how many asks it missed since, and when it answered a DISCOVER of
    ours last (0: never, what is known of it was overheard)."""

    offer: Offer
    first: int
    last: int
    missed: int = 0
    answered: int = 0

    @property
    def only_heard(self) -> bool:
        """True when its latest offer was no answer to a question of ours."""
        return self.answered < self.last


@dataclass(slots=True)
class PoolSeen:
    """How full a pool is now and was; `history` in order of time."""

    used: int
    size: int
    history: list[PoolUse] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class PlannedServer:
    """A DHCP server of the plan: the addresses it answers from, empty while they are not known."""

    id: int
    name: str
    addresses: tuple[Address, ...]


@dataclass(frozen=True, slots=True)
class Drift:
    """How a managed DHCP server and the plan differ, as it was read last: how many changes wait to be published, the first of them
    in words, since when (UTC ms); published parts that are gone, in words; another roster that publishes there."""

    waiting: int = 0
    first: str = ""
    since: int | None = None
    lost: tuple[str, ...] = ()
    other: str = ""


@dataclass(frozen=True, slots=True)
class Limits:
    """What a site may set: after how many days a device is missing and a reservation stale; how full is too full."""

    missing_days: int = 7
    stale_days: int = 90
    pool_part: float = 0.9
