"""The world as the service knows it now: who holds what, what was heard, leased and offered. What rules look at.

It is told what happened and remembers which keys that touches; it decides nothing. All times are UTC ms on a clock that
never steps (the service sees to that). Its memory is bounded by the number of pairs seen in the last KEPT days.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace

from ..absence import ANSWERS, ASKED_AFAR, ASKED_BY_ARP, HEARD, Reason, Silence
from ..address import Address
from ..mac import MacNumber
from ..plan.model import Assignment, AssignmentKind, Band, BandKind, Plan, Subnet
from ..span import SpanSet
from ..stays import Source
from .answering import Answering
from .facts import Ground, Held, KnownDevice, Limits, Link, PoolSeen
from .fittings import Fittings
from .hearsay import Hearsay, Lines
from .leased import Leased
from .looks import Looks
from .model import DAY, MINUTE, SECOND, About
from .names_told import NamesTold
from .questions import OPEN, Questions
from .rolls import Rolls
from .servers import DhcpHeard
from .stand_ins import StandIns
from .strays import Strays
from .wiring import Wiring

KEPT = 90 * DAY
PRESENT = DAY
TOGETHER = 2 * MINUTE
SLACK = SECOND
"""How much older than the beginning of a look a sighting may be and still count for it: clocks are read one after the other."""
SWITCHES_KEPT = 8
PROXY_FROM = 4


class World:
    """See the head of this file. `vendor_of` gives a MAC's vendor or an empty text, `randomised` whether a MAC is most
    likely made up by its device."""

    def __init__(
        self, plan: Plan, site: int, randomised: Callable[[MacNumber], bool], limits: Limits | None = None,
        vendor_of: Callable[[MacNumber], str] = lambda mac: "",
    ) -> None:  # fmt: skip
        self.ground = Ground(plan, site)
        self.dhcp = DhcpHeard(self.ground, self._mark)
        self.leased = Leased(self.ground, self.touch)
        self.names, self.rolls, self.fittings = NamesTold(), Rolls(), Fittings()
        self.stand_ins, self.wiring = StandIns(), Wiring()
        self.questions, self.hearsay = Questions(), Hearsay()
        self.randomised, self.vendor_of = randomised, vendor_of
        self.limits = limits or Limits()
        self.holders: dict[Address, dict[MacNumber | None, Held]] = {}
        self.places: dict[MacNumber, dict[Address, Held]] = {}
        self.devices: dict[int, KnownDevice] = {}
        self.published: dict[Address, set[MacNumber]] = {}
        self.refusals: dict[Address, str] = {}
        self.confirmed: dict[Address, tuple[int, tuple[MacNumber, ...]]] = {}
        self.late: dict[Address, dict[MacNumber, int]] = {}
        self.switches: Lines = {}
        self.strays, self.broadcasts, self.announced = Strays(), Strays(), Strays()
        self.links: dict[str, Link] = {}
        self.heard_on: dict[Address, str] = {}
        self.own_macs: set[MacNumber] = set()
        self.own_addresses: set[Address] = set()
        self.pools: dict[int, PoolSeen] = {}
        self.strangers: dict[int, str] = {}
        self.storms: dict[str, tuple[int, int]] = {}
        self.looks = Looks()
        self.dirty: dict[About, set[int]] = {about: set() for about in About}
        self.members: dict[Address, set[MacNumber]] = {}
        self.answering = Answering()
        self._silences: dict[tuple[Address, MacNumber, int], Silence] = {}
        self._link_keys: dict[str, int] = {}
        self._gateways: set[int] | None = None
        self._pools_at: tuple[list[int], list[int]] | None = None

    @property
    def plan(self) -> Plan:
        """The plan, as it was told last."""
        return self.ground.plan

    @property
    def site(self) -> int:
        """The site this is about."""
        return self.ground.site

    @property
    def now(self) -> int:
        """The time, UTC ms on a clock that never steps."""
        return self.ground.now

    def passed(self, at: int) -> None:
        """It is `at` now, at least."""
        if at > self.ground.now:
            self.ground.now = at

    def _mark(self, about: About, key: int) -> None:
        if about is About.MAC:
            self.touch_mac(MacNumber(key))
        else:
            self.dirty[about].add(key)

    # What is told

    def saw(self, address: Address, mac: MacNumber | None, at: int, source: Source, link: str | None = None) -> bool:
        """A sighting but of what was overheard (see `hearing`); True when the pair is new, or back after a while. `link` is the
        adapter whose own link it was made on, None for one through the gateway."""
        self.passed(at)
        if not address:
            return False
        holders = self.holders.setdefault(address, {})
        held = holders.get(mac)
        claim = held is None or at - held.last > 10 * MINUTE or held.silence is not HEARD
        if held is None or (not held.answered and source is not Source.LEASE):
            held, claim = Held(at, at, source), True
            holders[mac] = held
            self.touch(address, mac)
        else:
            # A pair that comes back after having been given up is news; one that goes on is not.
            if claim or source not in held.sources:
                self.touch(address, mac)
            if at >= held.last and held.silence is not HEARD and source is not Source.LEASE:
                if mac is not None:  # what is leased to it says nothing of whether it is there
                    self._silences[address, mac, held.silence.first] = replace(held.silence, after=at)
                held.silence = HEARD
            held.first, held.last = min(held.first, at), max(held.last, at)
            held.sources |= source
        if mac is None:
            return claim
        if source is not Source.LEASE:
            self.hearsay.answered(address, mac)
        self.places.setdefault(mac, {})[address] = held
        if link is not None:
            self.heard_on[address] = link
            if source & ASKED_BY_ARP:
                self.answering.answered(link, address)
        return claim

    def controls(self, link: str, but: Iterable[Address], count: int = 2) -> list[Address]:
        """Addresses that answered last on a link, to be asked along with others."""
        left_out = {*but, *self.own_addresses}
        known = self.links.get(link)
        found = self.answering.latest(link, left_out)
        if not found and known is not None:  # after a restart nobody has answered yet
            found = [
                a
                for a, held in self.holders.items()
                if a not in left_out and known.holds(a) and self._asked_well(a, held)
            ]
        return found[:count]

    def _asked_well(self, address: Address, holders: Mapping[MacNumber | None, Held]) -> bool:
        """True when somebody at an address answered by ARP and is there still."""
        return any(held.sources & ASKED_BY_ARP and self.is_present(address, held) for held in holders.values())

    def touch(self, address: Address, mac: MacNumber | None) -> None:
        """Everything about an address, and a MAC, is to be looked at again."""
        self.dirty[About.ADDRESS].add(address)
        item = self.plan.at(self.site, address)
        if item is not None:
            self.touch_item(item)
        if mac is not None:
            self.touch_mac(mac)

    def touch_mac(self, mac: MacNumber) -> None:
        """Everything about a MAC is to be looked at again."""
        self.dirty[About.MAC].add(mac)
        for item in self.plan.of_mac(mac):
            if item.site == self.site:
                self.touch_item(item)
                self.dirty[About.ADDRESS].add(item.address)
        for address in self.places.get(mac, ()):
            self.dirty[About.ADDRESS].add(address)
        for key in self.names.by_mac.get(mac, ()):
            self.dirty[About.NAME].add(self.names.number(key))

    def touch_item(self, item: Assignment) -> None:
        """An assignment is to be looked at again."""
        self.dirty[About.ASSIGNMENT].add(item.id)
        if item.kind is AssignmentKind.RESERVED:
            self.dirty[About.RESERVATION].add(item.id)

    def looked(self, spans: SpanSet, began: int, *, controlled: bool = True, one_apiece: bool = False) -> None:
        """A full look at some addresses, begun at `began`, is over: who was asked by a means that it answered before and was not
        seen since was silent. Without a control (see `core.absence`) the look says nothing; with `one_apiece` it could find one
        MAC at each address alone, and says nothing of others where it found one."""
        if not controlled:
            return
        self.looks.over(spans, began, max(began, self.now))
        for address in self._held_within(spans):
            holders = self.holders[address]
            near = any(link.holds(address) for link in self.links.values())
            if not near and None in holders and holders[None].last >= began - SLACK:
                continue  # somebody answered from behind the gateway, where nobody's MAC can be seen
            rival = any(
                mac is not None and held.answered and held.last >= began - SLACK for mac, held in holders.items()
            )
            if rival and one_apiece:
                continue
            means = ASKED_BY_ARP if near else ASKED_AFAR
            for mac, held in holders.items():
                if held.last < began - SLACK and held.sources & means and mac not in self.own_macs:
                    self._silent(address, mac, held, began, rival=rival)
        self.dirty_all()

    def _held_within(self, spans: SpanSet) -> list[Address]:
        if len(spans) < len(self.holders):
            return [Address(a) for first, last in spans.pairs for a in range(first, last + 1) if a in self.holders]
        return [a for a in self.holders if a in spans]

    def _silent(self, address: Address, mac: MacNumber | None, held: Held, at: int, *, rival: bool) -> None:
        elsewhere = mac is not None and any(
            a != address and other.last > held.last and other.sources & ANSWERS and other.last >= at - SLACK
            for a, other in self.places.get(mac, {}).items()
        )
        before, held.silence = (
            held.silence,
            held.silence.asked_again(at, rival=rival, elsewhere=elsewhere, before=held.last),
        )
        if mac is not None and held.silence is not before:
            self._silences[address, mac, held.silence.first] = held.silence
        if held.heard > held.last:
            self.hearsay.heard_again(address, held.heard)

    def take_silences(self) -> dict[tuple[Address, MacNumber, int], Silence]:
        """The silences that changed since the last call, by pair and when they began."""
        found, self._silences = self._silences, {}
        return found

    def silences_again(self, found: Mapping[tuple[Address, MacNumber, int], Silence]) -> None:
        """These could not be kept: they are given again by the next call of `take_silences`, unless they changed since."""
        self._silences = {**found, **self._silences}

    def dirty_all(self) -> None:
        """Look at everything again; call it after any change of subnets or links."""
        self._gateways = None
        self._pools_at = None
        for about in About:
            self.dirty[about].update(self.keys(about))

    def confirmed_round(
        self, address: Address, macs: Iterable[MacNumber], at: int, *, controlled: bool = True, began: int | None = None
    ) -> None:  # fmt: skip
        """A directed round asked for an address, which `began` then; these MACs answered, and those count with them that answered
        late just before. Without a control (see `core.absence`) the silence of the others says nothing."""
        self.passed(at)
        self.questions.asked(address, at)
        late = [
            mac for mac, when in self.late.pop(address, {}).items() if when >= (at if began is None else began) - OPEN
        ]
        answered = tuple(sorted({*macs, *late}))
        if not answered and not controlled:
            return
        self.confirmed[address] = (at, answered)
        self.hearsay.asked(address, at)
        for mac, held in self.holders.get(address, {}).items():
            asked = bool(answered) or held.sources & ASKED_BY_ARP
            if asked and mac is not None and mac not in answered and mac not in self.own_macs:
                self._silent(address, mac, held, at, rival=bool(answered))
        self.dirty[About.ADDRESS].add(address)
        if (item := self.plan.at(self.site, address)) is not None:
            self.touch_item(item)
        for mac in answered:
            self.touch_mac(mac)

    def told(self, mac: MacNumber, name: str, at: int, *, heard: bool = False) -> None:
        """A device told its own name, or was only heard to."""
        news = self.names.told(mac, name, at, heard=heard)
        if news is not None:
            self.dirty[About.NAME].add(self.names.number(news))
            self.touch_mac(mac)

    def reverse_name(self, address: Address, name: str, at: int) -> None:
        """DNS gave a name for an address."""
        item = self.plan.at(self.site, address)
        if self.names.from_dns(address, name, at) and item is not None:
            self.touch_item(item)

    def advert(self, address: Address, mac: MacNumber, at: int) -> None:
        """A MAC announced an address as a virtual router."""
        if not self.announced.said(mac, address):
            self.touch(address, mac)
        self.announced.note(mac, address, at)

    def strayed(self, mac: MacNumber, target: Address, at: int, *, broadcast: bool = False) -> None:
        """A device asked by ARP for an address outside its subnet, or sent to a broadcast address that is not its subnet's. Of a
        MAC that never answered that says nothing."""
        if mac not in self.places:
            return
        (self.broadcasts if broadcast else self.strays).note(mac, target, at)
        self.dirty[About.MAC].add(mac)

    # What is asked

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
                return {*self.places, *self.strays, *self.broadcasts, *self.hearsay}
            case About.ASSIGNMENT:
                return [item.id for item in self.plan.assigned_in(self.site, 0, 1 << 32)]
            case About.RESERVATION:
                return [i.id for i in self.plan.assigned_in(self.site, 0, 1 << 32) if i.kind is AssignmentKind.RESERVED]
            case About.MANAGED:
                return self.dhcp.planned_servers
            case About.POOL:
                return [band.id for band in self.plan.pools()]
            case About.SUBNET:
                return [subnet.id for subnet in self.plan.subnets_of(self.site)]
            case About.SERVER:
                return self.dhcp.keys()
            case About.LINE | About.FITTING:
                return list(self.rolls.absent if about is About.LINE else self.fittings.idle)
            case About.NAME | About.WIRING:
                return self.names.shared() if about is About.NAME else self.wiring.keys()
            case About.LINK:
                return [self.link_key(name) for name in self.links]

    def present(self, address: Address, mac: MacNumber | None) -> bool:
        """True when this pair answered within the last day and no look has found it gone."""
        return (held := self.holders.get(address, {}).get(mac)) is not None and self.is_present(address, held)

    def is_present(self, address: Address, held: Held) -> bool:
        """As `present`, for a pair at hand; behind a gateway, where no MAC can be seen from here, a lease has to do."""
        lately = held.silence.reason is Reason.NONE and self.ground.now - held.last <= PRESENT
        return lately and (held.answered or not self.is_near(address))

    def macs_at(self, address: Address) -> list[MacNumber]:
        """The MACs that are at an address now, the latest first."""
        found = [
            (held.last, mac)
            for mac, held in self.holders.get(address, {}).items()
            if mac is not None and self.is_present(address, held)
        ]
        return [mac for _, mac in sorted(found, reverse=True)]

    def used(self, address: Address) -> bool:
        """True when anybody was there, seen as a MAC or from afar."""
        return any(self.is_present(address, held) for held in self.holders.get(address, {}).values())

    def last_place(self, mac: MacNumber) -> tuple[Address, Held] | None:
        """Where a MAC was seen last, on an address of the site's subnets."""
        best: tuple[Address, Held] | None = None
        for address, held in self.places.get(mac, {}).items():
            if (best is None or held.last > best[1].last) and self.subnet_at(address) is not None:
                best = address, held
        return best

    def last_seen(self, mac: MacNumber) -> int:
        """When a MAC was seen last, or given a lease; 0 for never."""
        return max((held.used for held in self.places.get(mac, {}).values()), default=0)

    def last_used(self, address: Address) -> int:
        """When an address was in use last; 0 for never."""
        return max((held.used for held in self.holders.get(address, {}).values()), default=0)

    def subnet_at(self, address: Address) -> Subnet | None:
        """The planned subnet of an address."""
        return self.plan.subnet_at(self.site, address)

    def band_at(self, address: Address) -> Band | None:
        """The band of an address."""
        subnet = self.subnet_at(address)
        return self.plan.band_at(subnet.id, address) if subnet is not None else None

    def in_pool(self, address: Address) -> Band | None:
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

    def planned(self, address: Address) -> Assignment | None:
        """The assignment of an address, when it is on."""
        item = self.plan.at(self.site, address)
        return item if item is not None and item.on else None

    def plans_of(self, mac: MacNumber) -> list[Assignment]:
        """The assignments of a MAC here, those that are on."""
        return [item for item in self.plan.of_mac(mac) if item.site == self.site and item.on]

    def is_gateway(self, address: Address) -> bool:
        """True for the gateway of a subnet or link."""
        if self._gateways is None:
            planned = (subnet.gateway for subnet in self.plan.subnets_of(self.site))
            linked = (link.gateway for link in self.links.values())
            self._gateways = {one for one in (*planned, *linked) if one is not None}
        return address in self._gateways

    def is_near(self, address: Address) -> bool:
        """True for an address on a link of this machine."""
        return any(link.holds(address) for link in self.links.values())

    def is_member(self, address: Address, mac: MacNumber) -> bool:
        """True when people know a MAC as a member of the router group that shares an address."""
        return mac in self.members.get(address, ())

    def stands_in(self, mac: MacNumber) -> bool:
        """True when it is proven that a MAC answers for addresses of others (proxy ARP, RFC 1027)."""
        proven = self.stand_ins.proven.get(mac)
        return proven is not None and self.now - proven.at <= PRESENT

    def answers_for(self, mac: MacNumber) -> list[Address]:
        """The addresses a MAC answers for by ARP now, sorted."""
        return sorted(
            a
            for a, held in self.places.get(mac, {}).items()
            if held.sources & ASKED_BY_ARP and self.is_present(a, held)
        )

    def strange(self, mac: MacNumber) -> list[Address]:
        """The addresses a MAC answers for though the plan does not give them to it."""
        return [a for a in self.answers_for(mac) if (item := self.planned(a)) is None or item.mac != mac]

    def proxy_suspects(self) -> list[tuple[MacNumber, list[Address]]]:
        """MACs that answer for many addresses that nobody planned for them and where nobody else was ever seen, each with some of
        those: whether it has them itself is to be asked."""
        found = []
        for mac in self.stand_ins.due((m for m, there in self.places.items() if len(there) >= PROXY_FROM), self.now):
            alone = [a for a in self.strange(mac) if set(self.holders[a]) <= {mac, None}]
            if len(alone) >= PROXY_FROM and mac not in self.own_macs:
                found.append((mac, self.stand_ins.sample(mac, alone, self.now)))
        return found

    def proxy_answer(self, mac: MacNumber, told: Mapping[int, bool], at: int) -> None:
        """What was found of some addresses that a MAC answers for: True where it stands in for others, False where it has it
        itself. Where nothing could be told, nothing changes, and it is asked again soon."""
        self.passed(at)
        self.stand_ins.answer(mac, told, self.strange(mac), at)
        self.touch_mac(mac)
