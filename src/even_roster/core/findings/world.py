"""The world as the service knows it now: who holds what, what was heard, leased and offered. What rules look at.

It is told what happened and remembers which keys that touches; it decides nothing. All times are UTC ms on a clock that
never steps (the service sees to that). Its memory is bounded by the number of pairs seen in the last KEPT days.
"""

from __future__ import annotations

from bisect import bisect_right
from collections import defaultdict, deque
from collections.abc import Callable, Iterable, Mapping

from ..plan.following import Lease
from ..plan.model import Assignment, AssignmentKind, Band, BandKind, Plan, Subnet
from ..span import SpanSet
from ..stays import Source
from ..text import host_key
from .facts import Held, KnownDevice, Limits, Link, PoolSeen
from .model import DAY, HOUR, MINUTE, SECOND, About
from .servers import ServersHeard

KEPT = 90 * DAY
PRESENT = DAY
TOGETHER = 2 * MINUTE
SLACK = SECOND
"""How much older than the beginning of a look a sighting may be and still count for it: clocks are read one after the other."""
SWITCHES_KEPT = 8
PROXY_FROM = 4
LOOKS_KEPT = 64
VIRTUAL_ROUTER = 0x00005E000100  # RFC 5798 7.3: 00-00-5E-00-01-{VRID}


class World(ServersHeard):
    """See the head of this file. `vendor_of` gives a MAC's vendor or an empty text, `randomised` whether a MAC is most
    likely made up by its device."""

    def __init__(
        self, plan: Plan, site: int, randomised: Callable[[int], bool], limits: Limits | None = None,
        vendor_of: Callable[[int], str] = lambda mac: "",
    ) -> None:  # fmt: skip
        super().__init__()
        self.plan, self.site, self.randomised, self.vendor_of = plan, site, randomised, vendor_of
        self.limits = limits or Limits()
        self.now = 0
        self.holders: dict[int, dict[int | None, Held]] = {}
        self.places: dict[int, dict[int, Held]] = {}
        self.devices: dict[int, KnownDevice] = {}
        self.told_names: dict[int, dict[str, int]] = {}
        self.name_macs: dict[str, set[int]] = defaultdict(set)
        self.reverse: dict[int, tuple[str, int]] = {}
        self.leases: dict[int, Lease] = {}
        self.leased_to: dict[int, set[int]] = {}
        self.leases_read: dict[int, int] = {}
        self._leases_of: dict[int, set[int]] = {}
        self.published: dict[int, set[int]] = {}
        self.refusals: dict[int, str] = {}
        self.confirmed: dict[int, tuple[int, tuple[int, ...]]] = {}
        self.switches: dict[int, deque[tuple[int, int]]] = {}
        self.virtual: dict[int, dict[int, int]] = {}
        self.strays: dict[int, dict[int, int]] = {}
        self.broadcasts: dict[int, dict[int, int]] = {}
        self.links: dict[str, Link] = {}
        self.heard_on: dict[int, str] = {}
        self.own_macs: set[int] = set()
        self.own_addresses: set[int] = set()
        self.pools: dict[int, PoolSeen] = {}
        self.strangers: dict[int, str] = {}
        self.storms: dict[str, tuple[int, int]] = {}
        self.looks: deque[tuple[SpanSet, int]] = deque(maxlen=LOOKS_KEPT)
        self.dirty: dict[About, set[int]] = {about: set() for about in About}
        self.suspects: set[int] = set()
        self._link_keys: dict[str, int] = {}
        self._name_keys: dict[str, int] = {}
        self._gateways: set[int] | None = None
        self._latest_look = 0
        self._pools_at: tuple[list[int], list[int]] | None = None
        self._names: list[str] = []

    # What is told

    def saw(self, address: int, mac: int | None, at: int, source: Source, link: str | None = None) -> None:
        """A sighting. `link` is the adapter whose own link it was made on, None for one through the gateway."""
        self.now = max(self.now, at)
        if not address:
            return
        holders = self.holders.get(address)
        if holders is None:
            holders = self.holders[address] = {}
        held = holders.get(mac)
        if held is None:
            held = holders[mac] = Held(at, at, source)
            self._touch(address, mac)
        else:
            # A pair that comes back after having been given up is news; one that goes on is not.
            if at - held.last > 10 * MINUTE or source not in held.sources:
                self._touch(address, mac)
            held.first, held.last = min(held.first, at), max(held.last, at)
            held.sources |= source
        if mac is None:
            return
        self.places.setdefault(mac, {})[address] = held
        if link is not None:
            self.heard_on[address] = link
            if source is not Source.LEASE and mac not in self.own_macs:
                self._switched(address, mac, at, holders)

    def _switched(self, address: int, mac: int, at: int, holders: Mapping[int | None, Held]) -> None:
        """Keep the order in which MACs held an address; a second one beside a fresh first is a suspect."""
        if len(holders) < 2:
            return  # nearly every address has one holder for ever: nothing is kept for those
        line = self.switches.get(address)
        if line is None:
            others = [(held.last, other) for other, held in holders.items() if other is not None and other != mac]
            if not others:
                return
            line = self.switches[address] = deque([max(others)], maxlen=SWITCHES_KEPT)
        if line[-1][1] != mac:
            line.append((at, mac))
            self._touch(address, mac)
        if len(holders) > 1 and any(
            other is not None and other != mac and other not in self.own_macs and abs(at - held.last) <= TOGETHER
            for other, held in holders.items()
        ):
            self.suspects.add(address)

    def _touch(self, address: int, mac: int | None) -> None:
        dirty = self.dirty
        dirty[About.ADDRESS].add(address)
        item = self.plan.at(self.site, address)
        if item is not None:
            self.touch_item(item)
        if mac is not None:
            self.touch_mac(mac)

    def touch_mac(self, mac: int) -> None:
        """Everything about a MAC is to be looked at again."""
        self.dirty[About.MAC].add(mac)
        for item in self.plan.of_mac(mac):
            if item.site == self.site:
                self.touch_item(item)
                self.dirty[About.ADDRESS].add(item.address)
        for address in self.places.get(mac, ()):
            self.dirty[About.ADDRESS].add(address)
        for key in self.told_names.get(mac, ()):
            self.dirty[About.NAME].add(self.name_key(key))

    def touch_item(self, item: Assignment) -> None:
        """An assignment is to be looked at again."""
        self.dirty[About.ASSIGNMENT].add(item.id)
        if item.kind is AssignmentKind.RESERVED:
            self.dirty[About.RESERVATION].add(item.id)

    def looked(self, spans: SpanSet, began: int) -> None:
        """A full look at some addresses, begun at `began`, is over: who was not seen since is not there."""
        self._latest_look = max(self._latest_look, began)
        older = [one for one in self.looks if not spans.covers(one[0])]
        self.looks = deque([(spans, began), *older], maxlen=LOOKS_KEPT)
        self.dirty_all()

    def dirty_all(self) -> None:
        """Look at everything again; call it after any change of subnets or links."""
        self._gateways = None
        self._pools_at = None
        for about in About:
            self.dirty[about].update(self.keys(about))

    def confirmed_round(self, address: int, macs: Iterable[int], at: int) -> None:
        """A directed round asked for an address; these MACs answered."""
        self.now = max(self.now, at)
        answered = tuple(sorted(set(macs)))
        self.confirmed[address] = (at, answered)
        for mac, held in self.holders.get(address, {}).items():
            if mac is not None and mac not in answered and mac not in self.own_macs:
                held.missed = at
        self.dirty[About.ADDRESS].add(address)
        for mac in answered:
            self.touch_mac(mac)
        self.suspects.discard(address)

    def told(self, mac: int, name: str, at: int) -> None:
        """A device told its own name."""
        key = host_key(name)
        if not key:
            return
        names = self.told_names.setdefault(mac, {})
        if key not in names:
            self.name_macs[key].add(mac)
            self.dirty[About.NAME].add(self.name_key(key))
            self.touch_mac(mac)
        names[key] = max(at, names.get(key, 0))

    def reverse_name(self, address: int, name: str, at: int) -> None:
        """DNS gave a name for an address."""
        before = self.reverse.get(address)
        self.reverse[address] = (name, at)
        if before is None or before[0] != name:
            item = self.plan.at(self.site, address)
            if item is not None:
                self.touch_item(item)

    def server_leases(self, server: int, leases: Iterable[Lease], at: int) -> None:
        """What a server told of its leases now; it replaces what it told before."""
        self.now = max(self.now, at)
        self.leases_read[server] = at
        after = {one.address: one for one in leases}
        for address in self._leases_of.get(server, set()) - after.keys():
            self._unlease(address, self.leases[address])
        for address, new in after.items():
            was = self.leases.get(address)
            if was is not None and was.mac != new.mac:
                self._unlease(address, was)
            self.leases[address] = new
            if new.mac is not None:
                self.leased_to.setdefault(new.mac, set()).add(address)
            if was is None or was.mac != new.mac or was.expires != new.expires:
                self._touch(address, new.mac)
        self._leases_of[server] = set(after)

    def _unlease(self, address: int, old: Lease) -> None:
        del self.leases[address]
        self._touch(address, old.mac)
        if old.mac is not None and address in self.leased_to.get(old.mac, ()):
            self.leased_to[old.mac].discard(address)

    def advert(self, addresses: Iterable[int], mac: int, at: int) -> None:
        """A virtual router announced its addresses (RFC 5798 5.2)."""
        for address in addresses:
            known = self.virtual.setdefault(address, {})
            if mac not in known:
                self._touch(address, mac)
            known[mac] = at

    def stray_question(self, mac: int, target: int, at: int) -> None:
        """A device asked by ARP for an address outside its subnet."""
        self.strays.setdefault(mac, {})[target] = at
        self.dirty[About.MAC].add(mac)

    def stray_broadcast(self, mac: int, target: int, at: int) -> None:
        """A device sent to a broadcast address that is not its subnet's."""
        self.broadcasts.setdefault(mac, {})[target] = at
        self.dirty[About.MAC].add(mac)

    # What is asked

    def name_key(self, name: str) -> int:
        """A number for a name, so that all keys are numbers."""
        key = self._name_keys.get(name)
        if key is None:
            key = self._name_keys[name] = len(self._names)
            self._names.append(name)
        return key

    def name_of_key(self, key: int) -> str:
        """The name behind a number."""
        return self._names[key]

    def link_key(self, adapter: str) -> int:
        """A key for an adapter."""
        return self._link_keys.setdefault(adapter, len(self._link_keys) + 1)

    def link_of_key(self, key: int) -> str | None:
        """The adapter behind a key."""
        return next((name for name, one in self._link_keys.items() if one == key), None)

    def keys(self, about: About) -> Iterable[int]:
        """Everything a kind of rule can look at."""
        match about:
            case About.ADDRESS:
                return self.holders.keys() | {a.address for a in self.plan.assigned_in(self.site, 0, 1 << 32)}
            case About.MAC:
                return self.places.keys() | self.strays.keys() | self.broadcasts.keys()
            case About.ASSIGNMENT:
                return [item.id for item in self.plan.assigned_in(self.site, 0, 1 << 32)]
            case About.RESERVATION:
                items = self.plan.assigned_in(self.site, 0, 1 << 32)
                return [item.id for item in items if item.kind is AssignmentKind.RESERVED]
            case About.POOL:
                return [band.id for band in self.plan.pools()]
            case About.SUBNET:
                return [subnet.id for subnet in self.plan.subnets_of(self.site)]
            case About.SERVER:
                return [self.server_key(subnet, server) for subnet, found in self.servers.items() for server in found]
            case About.NAME:
                return [self.name_key(key) for key, macs in self.name_macs.items() if len(macs) > 1]
            case About.LINK:
                return [self.link_key(name) for name in self.links]

    def take_dirty(self, about: About) -> set[int]:
        """The keys touched since the last call."""
        found, self.dirty[about] = self.dirty[about], set()
        return found

    def looked_at(self, address: int) -> int:
        """When the last full look that covered an address began; 0 when there was none."""
        for spans, began in self.looks:
            if _within(spans, address):
                return began
        return 0

    def present(self, address: int, mac: int | None) -> bool:
        """True when this pair was there at the last look and within the last day."""
        held = self.holders.get(address, {}).get(mac)
        return held is not None and self.is_present(address, held)

    def is_present(self, address: int, held: Held) -> bool:
        """As `present`, for a pair at hand."""
        if self.now - held.last > PRESENT:
            return False
        if held.last >= self._latest_look and held.last >= held.missed:
            return True
        looked = max(self.looked_at(address) - SLACK, held.missed)
        if held.last >= looked:
            return True
        # Behind the gateway a look sees no MAC: the last known holder is taken to have answered.
        afar = self.holders[address].get(None)
        return afar is not None and afar.last >= looked and address not in self.heard_on

    def macs_at(self, address: int) -> list[int]:
        """The MACs that are at an address now, the latest first."""
        found = [
            (held.last, mac)
            for mac, held in self.holders.get(address, {}).items()
            if mac is not None and self.is_present(address, held)
        ]
        return [mac for _, mac in sorted(found, reverse=True)]

    def used(self, address: int) -> bool:
        """True when anybody was there, seen as a MAC or from afar."""
        return any(self.is_present(address, held) for held in self.holders.get(address, {}).values())

    def last_place(self, mac: int) -> tuple[int, Held] | None:
        """Where a MAC was seen last, on an address of the site's subnets."""
        best: tuple[int, Held] | None = None
        for address, held in self.places.get(mac, {}).items():
            if (best is None or held.last > best[1].last) and self.subnet_at(address) is not None:
                best = address, held
        return best

    def last_seen(self, mac: int) -> int:
        """When a MAC was seen last; 0 for never."""
        return max((held.last for held in self.places.get(mac, {}).values()), default=0)

    def last_used(self, address: int) -> int:
        """When an address was in use last; 0 for never."""
        return max((held.last for held in self.holders.get(address, {}).values()), default=0)

    def subnet_at(self, address: int) -> Subnet | None:
        """The planned subnet of an address."""
        return self.plan.subnet_at(self.site, address)

    def band_at(self, address: int) -> Band | None:
        """The band of an address."""
        subnet = self.subnet_at(address)
        return self.plan.band_at(subnet.id, address) if subnet is not None else None

    def in_pool(self, address: int) -> Band | None:
        """The pool an address lies in."""
        if self._pools_at is None:
            pairs = SpanSet.of(band.span for band in self.plan.pools()).pairs
            self._pools_at = [first for first, _ in pairs], [last for _, last in pairs]
        firsts, lasts = self._pools_at
        place = bisect_right(firsts, address) - 1
        if place < 0 or lasts[place] < address:
            return None
        band = self.band_at(address)
        return band if band is not None and band.kind is BandKind.POOL else None

    def planned(self, address: int) -> Assignment | None:
        """The assignment of an address, when it is on."""
        item = self.plan.at(self.site, address)
        return item if item is not None and item.on else None

    def plans_of(self, mac: int) -> list[Assignment]:
        """The assignments of a MAC here, those that are on."""
        return [item for item in self.plan.of_mac(mac) if item.site == self.site and item.on]

    def lease_active(self, address: int) -> Lease | None:
        """The running lease of an address, as its server told last."""
        lease = self.leases.get(address)
        return lease if lease is not None and lease.active(self.now) else None

    def is_gateway(self, address: int) -> bool:
        """True for the gateway of a subnet or link."""
        if self._gateways is None:
            planned = (subnet.gateway for subnet in self.plan.subnets_of(self.site))
            linked = (link.gateway for link in self.links.values())
            self._gateways = {one for one in (*planned, *linked) if one is not None}
        return address in self._gateways

    def shared_by_routers(self, address: int, mac: int) -> bool:
        """True when a MAC may hold an address beside others: a virtual router's own, or one that announced it."""
        if mac >> 8 == VIRTUAL_ROUTER >> 8:
            return True
        known = self.virtual.get(address)
        return known is not None and mac in known and self.now - known[mac] <= HOUR

    def stands_in(self, mac: int) -> list[int]:
        """The addresses a MAC answers for when there are too many to be its own (proxy ARP, RFC 1027)."""
        places = self.places.get(mac)
        if places is None or len(places) < PROXY_FROM:
            return []
        found = [
            a for a, held in places.items()
            if held.sources & (Source.ARP | Source.OVERHEARD | Source.NEIGHBOUR) and self.is_present(a, held)
        ]  # fmt: skip
        return sorted(found) if len(found) >= PROXY_FROM else []

    def forget_old(self) -> int:
        """Drop pairs not seen for KEPT, but none of a MAC or address that is planned: how long those are away is asked.
        Gives how many."""
        dropped = 0
        for address, holders in list(self.holders.items()):
            if self.plan.at(self.site, address) is not None:
                continue
            old = [m for m, held in holders.items() if self.now - held.last > KEPT and not (m and self.plan.has_mac(m))]
            for mac in old:
                del holders[mac]
                if mac is not None and (places := self.places.get(mac)) is not None:
                    places.pop(address, None)
                    if not places:
                        del self.places[mac]
            dropped += len(old)
            if not holders:
                del self.holders[address]
                for about in (self.switches, self.confirmed, self.heard_on):
                    about.pop(address, None)
        return dropped


def _within(spans: SpanSet, address: int) -> bool:
    return address in spans
