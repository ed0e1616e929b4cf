"""Keeps the findings of a running service: tells the world what happens, runs the rules, stores and tells the turns.

The world and the engine have one lock, and are touched under it only. The clock is steady: a step of the machine's clock moves no
window of any rule; times are turned into wall time where they are stored. What cannot be stored (a full disk) is kept and tried
again.
"""

from __future__ import annotations

import logging
import time
from collections import deque
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import replace
from ipaddress import IPv4Address, IPv4Network
from typing import Any

from sqlalchemy import update

from ...api.events import Event, FindingsEvent, TurnTold
from ...core.absence import ANSWERS
from ...core.address import Address, address_of
from ...core.findings import hearing
from ...core.findings.engine import Acceptance, Engine, Name, Turn, Turned
from ...core.findings.facts import Limits, Link
from ...core.findings.fittings import Idle
from ...core.findings.forgetting import forget_old
from ...core.findings.model import About, Evidence
from ...core.findings.offers import Offer
from ...core.findings.rolls import Absent
from ...core.findings.world import World
from ...core.mac import Mac, MacNumber
from ...core.names import SELF_TOLD, NameSource
from ...core.plan.model import Assignment, Item
from ...core.span import SpanSet
from ...core.stays import Sighting
from ...store import absence_records, finding_records, lease_records, router_records, watch_records, world_records
from ...store.database import Database
from ...store.edits import EditError, Missing
from ...store.intake import NameHeard
from ...store.one_lock import OneLock
from ...store.rows import FindingRow
from ...store.tables import dhcp_servers
from .plan_book import PlanBook

_log = logging.getLogger(__name__)
SLICE = 1_000
REST_SECONDS = 0.03
FULL_EVERY = 600_000
RECHECK_EVERY = 15_000
RECHECK_HEARD_EVERY = 2_000
JITTER = 250
MOST_UNSAVED = 20_000
LEAST_REASON, MOST_REASON = 3, 500


class FindingsBook:
    """All findings of one service. May be called from any thread."""

    def __init__(
        self, database: Database, plan: PlanBook, steady: Callable[[], int], wall: Callable[[], int],
        randomised: Callable[[MacNumber], bool], vendor_of: Callable[[MacNumber], str], tell: Callable[[Event], None],
    ) -> None:  # fmt: skip
        self._database, self._plan, self._steady, self._wall, self._tell = database, plan, steady, wall, tell
        self._unsaved: deque[Turned] = deque(maxlen=MOST_UNSAVED)
        self._knowing = OneLock("what is known of the site")
        self.trouble = ""
        # Since when the rules are at a piece of work (monotonic seconds), and how long one took at most: read without the lock.
        self.working_since: float | None = None
        self.longest = 0.0
        # Called while the records are being written: a listener puts what it is told in a line, and asks for no lock.
        self.turned: list[Callable[[Sequence[tuple[int, Turned]]], None]] = []
        self._offset = 0
        self._full_at = 0
        self._rechecked_at = self._heard_at = 0
        with database.read() as connection:
            self.world = World(plan.plan, plan.site_here, randomised, _limits(connection), vendor_of)
            self.engine = Engine(finding_records.load(connection), finding_records.exceptions(connection))
            world_records.load(connection, self.world, wall(), self.offset)
            self.new_per_hour = _new_per_hour(connection)
            self._strangers(connection)
        for finding in self.engine.standing.values():
            if finding.kind == "unexpected-dhcp-server":
                macs = (Mac.parse(one.value).value for one in finding.subjects if one.type == "mac")
                self.world.dhcp.rogues_before.update(macs)
        plan.listeners.append(self._planned)

    @property
    def offset(self) -> int:
        """What to add to a wall time to get a steady one. It is kept until the clocks differ by more than what two readings
        one after the other may: what is converted there and back stays the same."""
        now = self._steady() - self._wall()
        if abs(now - self._offset) > JITTER:
            self._offset = now
        return self._offset

    # What happens

    def saw(self, sightings: Iterable[Sighting], link: str | None = None) -> None:
        """Sightings of the site here; `link` is the adapter whose own link they were made on."""
        with self._knowing:
            offset = self.offset
            for one in sightings:
                near = link if link is not None and one.mac is not None else None
                hearing.saw(self.world, one.address, one.mac, one.at + offset, one.source, near)

    def named(self, names: Iterable[NameHeard]) -> None:
        """Names were heard."""
        with self._knowing:
            offset = self.offset
            for one in names:
                if one.name.source is NameSource.DNS:
                    self.world.reverse_name(one.address, one.name.name, one.at + offset)
                elif one.name.source in SELF_TOLD and one.mac is not None:
                    told = one.name.source.overheard
                    hearing.named(self.world, one.mac, one.name.name, one.at + offset, overheard=told)

    def bears(self, mac: MacNumber, name: str) -> bool:
        """True when a MAC is known to have told a name."""
        with self._knowing:
            return self.world.names.bears(mac, name)

    def looked(self, spans: SpanSet, began: int, *, controlled: bool, one_apiece: bool = False) -> None:
        """A full look at some addresses, begun at a wall time, is over; `controlled` when a device that was known before answered
        in it, `one_apiece` when it could find one MAC of an address alone. Who was silent is kept."""
        with self._knowing:
            self.world.looked(spans, began + self.offset, controlled=controlled, one_apiece=one_apiece)
        self.keep_silences()

    def keep_silences(self) -> None:
        """Store what looks in vain say since the last time."""
        with self._knowing:
            offset, site = self.offset, self.world.site
            taken = self.world.take_silences()
        if not taken:
            return
        found = {(address, mac, since - offset): one.moved(-offset) for (address, mac, since), one in taken.items()}
        try:
            with self._database.write() as connection:
                absence_records.keep(connection, site, found)
        except Exception as error:  # a full disk: what was found out is kept with the next look
            _log.warning("who was silent could not be kept yet: %s", getattr(error, "orig", error))
            with self._knowing:
                self.world.silences_again(taken)

    def roll_called(self, call: int, absent: Mapping[str, Absent], present: Iterable[str]) -> None:
        """A roll call was looked at, or is no more: who of it is absent, and who is not."""
        with self._knowing:
            self.world.dirty[About.LINE] |= self.world.rolls.looked(call, absent, present)

    def fitted(self, macs: Collection[MacNumber], idle: Mapping[int, Idle]) -> None:
        """Whose devices are being brought in now, and which fittings stand still."""
        with self._knowing:
            self.world.dirty[About.FITTING] |= self.world.fittings.told(macs, idle)

    def server_named(self, networks: Sequence[IPv4Network], server: int, client: MacNumber) -> bool:
        """A client named a DHCP server; True when it should be asked for at once."""
        news = False
        for network in networks:
            subnet = self._subnet(network)
            if subnet is not None:
                with self._knowing:
                    news |= self.world.dhcp.server_named(subnet, server, client, self._steady())
        return news

    def servers_in_question(self) -> set[int]:
        """The subnets where a DHCP server that nobody planned answers or is spoken of."""
        with self._knowing:
            return self.world.dhcp.in_question()

    def in_question(self, network: IPv4Network) -> bool:
        """True when a DHCP server is in question in a subnet."""
        return self._subnet(network) in self.servers_in_question()

    def members_changed(self) -> None:
        """People named members of router groups."""
        with self._knowing, self._database.read() as connection:
            before, self.world.members = self.world.members, router_records.members(connection, self.world.site)
            for address in before.keys() | self.world.members.keys():
                self.world.dirty[About.ADDRESS].add(address)

    def asked(self, network: IPv4Network, offers: Sequence[Offer]) -> None:
        """A DISCOVER was sent on the link of a subnet."""
        subnet = self._subnet(network)
        if subnet is not None:
            with self._knowing:
                self.world.dhcp.asked(subnet, offers, self._steady())
            self._learn_servers(subnet)

    def offer_heard(self, networks: Sequence[IPv4Network], offer: Offer) -> None:
        """An offer was overheard on a link with these subnets."""
        for network in networks:
            subnet = self._subnet(network)
            if subnet is not None and (not offer.address or _inside(offer.address, network) or len(networks) == 1):
                with self._knowing:
                    self.world.dhcp.server_heard(subnet, offer, self._steady())

    def overheard(
        self, adverts: Sequence[tuple[MacNumber, Sequence[IPv4Address]]], questions: Sequence[tuple[MacNumber, Address]],
        broadcasts: Sequence[tuple[MacNumber, Address]],
    ) -> None:  # fmt: skip
        """Virtual routers' announcements, questions for addresses outside a subnet, broadcasts to another's."""
        if not adverts and not questions and not broadcasts:
            return
        with self._knowing:
            now = self._steady()
            for mac, addresses in adverts:
                hearing.announced(self.world, (address_of(a) for a in addresses), mac, now)
            for mac, target in questions:
                self.world.strayed(mac, target, now)
            for mac, target in broadcasts:
                self.world.strayed(mac, target, now, broadcast=True)

    def any_known(self, sightings: Iterable[Sighting]) -> bool:
        """True when somebody among these answers was known before: a control (see `core.absence`)."""
        own = self.world.own_macs
        return any(
            one.mac is not None and one.mac not in own and one.source & ANSWERS and self.knows(one.mac)
            for one in sightings
        )

    def knows(self, mac: MacNumber) -> bool:
        """True when a MAC was seen before."""
        return mac in self.world.places or mac in self.world.devices

    def devices_changed(self, ids: list[int] | None) -> None:
        """People edited devices, or new ones came; None for any."""
        with self._knowing, self._database.read() as connection:
            world_records.know_devices(connection, self.world, ids)

    def servers_changed(self) -> None:
        """DHCP servers were read, published to, added or changed."""
        with self._knowing, self._database.read() as connection:
            world_records.load_servers(connection, self.world, self.offset)
            for about in (About.POOL, About.SERVER, About.SUBNET, About.MANAGED):
                self.world.dirty[about].update(self.world.keys(about))
            self.world.dirty[About.RESERVATION].update(self.world.keys(About.RESERVATION))

    def note_pools(self) -> None:
        """Keep how full pools are now."""
        with self._knowing:
            pools = [
                (band.id, self.world.pools[band.id]) for band in self.world.plan.pools() if band.id in self.world.pools
            ]
        with self._database.write() as connection:
            for identity, seen in pools:
                watch_records.note_pool(connection, identity, self._wall(), seen.used, seen.size)

    def settings_changed(self) -> None:
        """Limits or what is said of strangers was set."""
        with self._knowing, self._database.read() as connection:
            self.world.limits = _limits(connection)
            self.new_per_hour = _new_per_hour(connection)
            self._strangers(connection)
            self.world.dirty_all()

    def links(self, links: Sequence[Link], macs: Iterable[MacNumber], addresses: Iterable[Address]) -> None:
        """The machine's own links, MACs and addresses."""
        with self._knowing:
            world = self.world
            new = {link.adapter: link for link in links}
            own_macs, own = set(macs), set(addresses)
            if new != world.links or own_macs != world.own_macs or own != world.own_addresses:
                world.links, world.own_macs, world.own_addresses = new, own_macs, own
                world.dirty_all()

    def storm(self, adapter: str, rate: int) -> None:
        """More frames came than could be read."""
        with self._knowing:
            self.world.storms[adapter] = self._steady(), rate
            self.world.dirty[About.LINK].add(self.world.link_key(adapter))

    @property
    def steady(self) -> int:
        """The time on the clock of what is known, which never steps, in ms."""
        return self._steady()

    @contextmanager
    def looking(self) -> Iterator[World]:
        """The world, not changing while the block runs; keep it short, and ask for no other lock in it."""
        with self._knowing:
            yield self.world

    def _planned(self, items: Sequence[Item]) -> None:
        """The plan was edited; no items: all of it may be different."""
        with self._knowing:
            self._plan_edited(items)

    def _plan_edited(self, items: Sequence[Item]) -> None:
        world = self.world
        world.ground.plan, world.ground.site = self._plan.plan, self._plan.site_here
        if all(isinstance(item, Assignment) for item in items) and items:
            for item in items:
                assert isinstance(item, Assignment)
                world.dirty[About.ASSIGNMENT].add(item.id)
                world.dirty[About.RESERVATION].add(item.id)
                world.dirty[About.ADDRESS].add(item.address)
                if item.mac is not None:
                    world.touch_mac(item.mac)
                for mac in world.macs_at(item.address):
                    world.touch_mac(mac)
        else:
            world.dirty_all()

    def _subnet(self, network: IPv4Network) -> int | None:
        found = self._plan.plan.subnets_of(self._plan.site_here)
        return next((s.id for s in found if s.network == network and not s.supernet), None)

    def _learn_servers(self, subnet: int) -> None:
        """The address of a planned server is learnt from the first offer that agrees with the plan."""
        with self._knowing:
            learnt = list(self.world.dhcp.learn_servers(subnet))
        for server, address in learnt:
            with self._database.write() as connection:
                row = lease_records.server(connection, server)
                if row is not None and not row.addresses:
                    values = update(dhcp_servers).where(dhcp_servers.c.id == server).values(addresses=[address])
                    connection.execute(values)
            self.servers_changed()

    def _strangers(self, connection: Any) -> None:
        self.world.strangers = {s: watch.strangers for s, watch in watch_records.all_watches(connection).items()}

    # What comes of it

    def is_device(self, mac: MacNumber) -> bool:
        """True for a MAC that belongs to a device."""
        return mac in self.world.devices

    def settle(self, *, everything: bool = False) -> int:
        """Run the rules on what was touched (or on all), store and tell; gives how many turns were taken. The lock is
        given back between slices."""
        with self._knowing:
            now = self._steady()
            if everything or now - self._full_at >= FULL_EVERY:
                self._full_at = self._rechecked_at = now
                forget_old(self.world)
                self.engine.begin_full(self.world)
            elif now - self._rechecked_at >= RECHECK_EVERY:
                self._rechecked_at = self._heard_at = now
                self.engine.recheck(self.world)
            elif now - self._heard_at >= RECHECK_HEARD_EVERY:
                self._heard_at = now
                self.engine.recheck(self.world, only_heard=True)
        count, more = 0, True
        while more:
            began = self.working_since = time.monotonic()
            try:
                with self._knowing:
                    turns, more = self.engine.settle(self.world, self._steady(), SLICE)
                    self._unsaved.extend(turns)
            finally:
                self.working_since = None
            self.longest = max(self.longest, time.monotonic() - began)
            count += len(turns)
            if more:  # half of the time belongs to whoever asks something meanwhile
                time.sleep(min(time.monotonic() - began, REST_SECONDS))
        self._save()
        return count

    def _save(self) -> None:
        """Store the turns in their order, and tell them in it: what was stored leaves the line before anybody else stores."""
        if not self._unsaved:
            return
        try:
            with self._database.write() as connection:
                waiting = list(self._unsaved)
                offset = self.offset
                turns = [_wall_times(one, offset) for one in waiting]
                ids = finding_records.save(connection, turns)
                counts = finding_records.counts(connection)
                self._database.when_stored(lambda: self._saved(waiting, turns, ids, counts))
        except Exception as error:
            if not self.trouble:
                _log.error("findings cannot be stored: %s", error)
            self.trouble = f"findings cannot be stored: {getattr(error, 'orig', error)}"
            return
        self.trouble = ""

    def _saved(
        self, waiting: Sequence[Turned], turns: Sequence[Turned], ids: Mapping[Name, int], counts: dict[str, int]
    ) -> None:  # fmt: skip
        done = {id(one) for one in waiting}
        while self._unsaved and id(self._unsaved[0]) in done:
            self._unsaved.popleft()
        told = [(ids[one.finding.name], one) for one in turns if one.finding.name in ids]
        shown = [TurnTold(id=identity, turn=one.turn.value, kind=one.finding.kind) for identity, one in told]
        self._tell(FindingsEvent(turns=shown[-50:], counts=counts))
        news = [(i, one) for i, one in told if one.turn is not Turn.UPDATED or one.finding.state.value == "open"]
        for listener in self.turned:
            listener(news)

    # What people say

    def accept(self, identity: int, reason: str, who: str, until: int | None) -> None:
        """Accept a finding: it stands, but nobody is called. Raises Missing, EditError."""
        row = self._row(identity)
        if not LEAST_REASON <= len(reason.strip()) <= MOST_REASON:
            raise EditError(
                f"give a reason of {LEAST_REASON} to {MOST_REASON} characters: others will read it", "reason"
            )
        if until is not None and until <= self._wall():
            raise EditError("the end lies in the past; give a later one, or none to accept it for good", "until")
        macs = frozenset(value for what, value in row.subjects if what == "mac")
        acceptance = Acceptance(reason.strip(), who, self._wall(), until, macs)
        self._accept((row.kind, row.key), acceptance)

    def accept_ahead(self, kind: str, key: str, reason: str, who: str, macs: Iterable[str]) -> None:
        """Accept what will be found of some devices, for the plan of a new roster."""
        self._accept((kind, key), Acceptance(reason, who, self._wall(), None, frozenset(macs)))

    def _accept(self, name: Name, acceptance: Acceptance) -> None:
        with self._database.write() as connection:
            finding_records.accept(connection, name, acceptance)
        until = acceptance.until + self.offset if acceptance.until is not None else None
        with self._knowing:
            self.engine.exceptions[name] = replace(acceptance, until=until)
        self.settle()

    def resume(self, identity: int) -> None:
        """Accept a finding no longer. Raises Missing."""
        row = self._row(identity)
        with self._database.write() as connection:
            finding_records.resume(connection, (row.kind, row.key))
        with self._knowing:
            self.engine.exceptions.pop((row.kind, row.key), None)
        self.settle()

    def _row(self, identity: int) -> FindingRow:
        with self._database.read() as connection:
            row = finding_records.one(connection, identity)
        if row is None:
            raise Missing(f"there is no finding {identity}")
        return row


def _limits(connection: Any) -> Limits:
    kept = watch_records.kept(connection, "limits", watch_records.USUAL_LIMITS)
    return Limits(kept["missing_days"], kept["stale_days"], kept["pool_percent"] / 100)


def _new_per_hour(connection: Any) -> int:
    """How many devices an hour and link may arise by answering what was asked because they were heard."""
    return int(watch_records.kept(connection, "intake", watch_records.USUAL_INTAKE)["new_per_hour"])


def _inside(address: Address, network: IPv4Network) -> bool:
    return address_of(network.network_address) <= address <= address_of(network.broadcast_address)


def _wall_times(one: Turned, offset: int) -> Turned:
    """The same with steady times turned into wall times."""
    if not offset:
        return one
    finding = one.finding
    evidence = tuple(Evidence(e.said, e.at - offset if e.at is not None else None) for e in finding.evidence)
    closed = finding.closed - offset if finding.closed is not None else None
    return Turned(
        one.turn,
        replace(
            finding, since=finding.since - offset, first=finding.first - offset, updated=finding.updated - offset,
            closed=closed, evidence=evidence,
        ),
    )  # fmt: skip
