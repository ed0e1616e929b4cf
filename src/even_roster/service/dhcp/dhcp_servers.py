"""Reads DHCP servers on a schedule and publishes the plan to them. All work with a server runs in threads."""

from __future__ import annotations

import asyncio
import contextlib
import itertools
import logging
import threading
import time
from collections.abc import Container, Iterator, Sequence
from dataclasses import dataclass, fields, replace
from ipaddress import IPv4Network
from typing import Any

from ...api.events import DhcpEvent
from ...core.address import Address, address_of
from ...core.dhcp import (
    Adoption,
    PlanError,
    Reservation,
    Scope,
    ScopeThere,
    adoption,
    desired,
    key_of,
    key_of_pool,
    keys_of,
    option_items,
)
from ...core.dhcp_difference import difference
from ...core.holdings import Holding, safe
from ...core.names import NameSource, heard
from ...core.plan.following import Lease
from ...core.plan.model import Assignment, AssignmentKind, Band, BandKind, HandedOut, Item, Plan, Subnet
from ...core.stays import Sighting, Source
from ...core.ticking import BY_HAND
from ...dhcp.kinds import has_pool_options
from ...dhcp.server import (
    DhcpServer,
    Seen,
    ServerTrouble,
    There,
    as_owned,
    only_reservations,
)
from ...probe.segment import SegmentError
from ...store import begun_publishings, holding_records, lease_records
from ...store.edits import EditError, Missing
from ...store.intake import NameHeard
from ...store.one_lock import OneLock
from ...store.rows import DhcpServerRow
from ...store.scan_records import SegmentSeen
from ..aids.repeating import attempt
from ..context import Context, now_ms
from ..knowing.observing import Batch
from ..knowing.plan_book import Edit
from . import sheets
from .allowed_servers import AllowedServers
from .publishing import Publishing

_log = logging.getLogger(__name__)
EVERY_SECONDS = 60.0
IN_TURN_SECONDS = 5.0


@dataclass(frozen=True, slots=True)
class _Read:
    """What a server was read from, and what it was compared with."""

    server: DhcpServer
    owned: dict[str, list[str]]
    plan: Plan
    seen: Seen


class DhcpServers:
    """All DHCP servers of one service."""

    def __init__(self, context: Context) -> None:
        self._context = context
        self._task: asyncio.Task[None] | None = None
        self._busy: dict[int, OneLock] = {}
        self._readings = itertools.count(1)
        self._stored: dict[int, int] = {}
        self._held: dict[int, int] = {}
        self._parts: dict[int, list[Holding]] = {}
        self._read: dict[int, _Read] = {}
        self._readers: dict[int, threading.Thread] = {}
        self.allowed = AllowedServers(context)
        self.publishing = Publishing(context, self)

    def begin(self) -> None:
        """Read leases from now on, every EVERY_SECONDS."""
        self._task = asyncio.create_task(self._run(), name="leases")

    async def close(self) -> None:
        """Stop reading. A server that does not answer is not waited for."""
        if self._task is not None:
            self._task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await self._task

    async def _run(self) -> None:
        while True:
            await attempt(self._read_all, "the DHCP servers could not be read")
            await asyncio.sleep(EVERY_SECONDS)

    def _read_all(self) -> None:
        """Servers are read in turn, but one that hangs is left behind and holds up nobody; one that still is being read is left."""
        with self._context.database.read() as connection:
            rows = lease_records.servers(connection)
        begun = []
        for row in rows:
            before = self._readers.get(row.id)
            if before is None or not before.is_alive():
                reader = threading.Thread(target=self._read_one, args=(row,), name=f"reading {row.name}", daemon=True)
                reader.start()
                self._readers[row.id] = reader
                reader.join(IN_TURN_SECONDS)  # one after the other, as long as none hangs
                begun.append(reader)
        until = time.monotonic() + EVERY_SECONDS
        for reader in begun:
            reader.join(max(until - time.monotonic(), 0))

    def _read_one(self, row: DhcpServerRow) -> None:
        try:
            self.read_leases(row.id)
            if row.kind == BY_HAND and self._context.settings.watch and sheets.due(row, now_ms()):
                asyncio.run(sheets.look(self._context, row))
        except (ServerTrouble, SegmentError) as error:
            _log.info("%s: %s", row.name, error)
        except Missing:
            pass  # it was removed meanwhile
        except Exception:
            _log.exception("leases of %s could not be read", row.name)

    def row(self, identity: int) -> DhcpServerRow:
        """A server's record. Raises Missing."""
        with self._context.database.read() as connection:
            row = lease_records.server(connection, identity)
        if row is None:
            raise Missing(f"there is no DHCP server {identity}")
        return row

    def server(self, row: DhcpServerRow) -> DhcpServer:
        """The counterpart behind a record. Raises ServerTrouble."""
        return self.allowed.server(row)

    def wanted(self, identity: int) -> list[Scope]:
        """What a server should hand out. Raises PlanError."""
        return desired(self._context.plan.plan, identity, has_pool_options(self.row(identity).kind))

    def line(self, identity: int) -> OneLock:
        """For talking to a server, one at a time; what it said is stored when it is given back."""
        return self._busy.setdefault(identity, OneLock(f"the line to DHCP server {identity}"))

    def adoption(self, identity: int) -> tuple[Adoption, tuple[ScopeThere, ...]]:
        """What adopting would add to the plan. Raises Missing, ServerTrouble."""
        row = self.row(identity)
        there = self._scopes(row)
        there = tuple(one for one in there if one.scope.pools or one.scope.reservations)
        with self._context.plan.reading() as plan:
            return adoption(plan, row.site, identity, there), there

    def _scopes(self, row: DhcpServerRow) -> tuple[ScopeThere, ...]:
        """What its configuration has now. Raises ServerTrouble."""
        with self.line(row.id):
            return self.server(row).read(as_owned(row.owned), self._networks(row.site)).scopes

    def try_out(self, identity: int) -> None:
        """Read a server's configuration and leases; what cannot be read is kept as its trouble. Raises Missing."""
        row = self.row(identity)
        try:
            self._scopes(row)
        except ServerTrouble as error:
            with self._context.database.write() as connection:
                lease_records.trouble(connection, identity, str(error))
            return
        with contextlib.suppress(ServerTrouble):
            self.read_leases(identity)

    def holdings(self, identity: int) -> list[Holding]:
        """All that a server holds, as it was read last. Raises Missing."""
        known = self._known_parts(self.row(identity))
        if known is None:
            with self._context.database.read() as connection:
                known = self._parts.setdefault(identity, holding_records.of_server(connection, identity))
        return known

    def adopt(self, identity: int, who: str) -> tuple[Adoption, int]:
        """Take a server's pools and reservations into the plan, as one change; gives its id.

        Raises Missing, ServerTrouble, EditError, PlanRefused.
        """
        row = self.row(identity)
        found, there = self.adoption(identity)
        if found.refused:
            raise EditError("; ".join(found.refused))
        saved = self._context.plan.edit(who, lambda plan: _adopting(plan, row, found), anyway=True)
        with self._context.plan.reading() as plan:
            mine = {scope.network: scope for scope in desired(plan, identity, has_pool_options(row.kind))}
        owned = {str(one.scope.network): _agreed(one.scope, mine.get(one.scope.network)) for one in there}
        entries = [r for one in there for r in one.scope.reservations if _planned(mine, one.scope, r)]
        with self._context.database.write() as connection:
            kept = {network: keys for network, keys in row.owned.items() if network not in owned}
            lease_records.replace_published(connection, identity, entries, {**kept, **owned}, now_ms())
        self.tell_changed(identity)
        return found, saved.change

    def read_leases(self, identity: int) -> int:
        """Read a server's leases now; those given or renewed since the last time become sightings.

        Gives how many there are. Raises Missing, ServerTrouble.
        """
        self.read_holdings(identity)
        row = self.row(identity)
        try:
            with self.line(identity):
                reading = next(self._readings)
                server = self.server(row)
                if not server.tells_leases:
                    return 0
                leases = server.leases()
        except ServerTrouble as error:
            with self._context.database.write() as connection:
                lease_records.trouble(connection, identity, str(error))
            raise
        self._store(row, leases, reading)
        return len(leases)

    def end_lease(self, identity: int, address: Address) -> None:
        """Have a server forget a lease, and read its leases anew. Raises Missing, ServerTrouble."""
        row = self.row(identity)
        with self.line(identity):
            self.server(row).end_lease(address)
        self.read_leases(identity)

    def tell_changed(self, identity: int) -> None:
        """Tell all who look at what a server has, or has of the plan, that it changed."""
        self._context.plan.holdings_changed(self._parts)
        self._context.findings.servers_changed()
        self._context.tell(DhcpEvent(server_id=identity))

    def read_holdings(self, identity: int, just: There | None = None) -> bool:
        """Read all that a server holds now, or take it from what was `just` read; when it cannot be read, that is kept and what was
        read before stays. Gives whether it differed, and that was told. Raises Missing."""
        row = self.row(identity)
        plan = self._context.plan.plan
        if just is None and self._as_read(row, plan):
            with self._context.database.write() as connection:
                holding_records.read_again(connection, identity, now_ms())
            return False
        networks = self._networks(row.site)
        try:
            wanted = self.wanted(identity)
        except PlanError:
            wanted = None  # the plan itself cannot be published: that is told where it is looked at
        drift, said = None, ""
        try:
            with self.line(identity):
                reading = next(self._readings)
                server = self.server(row)
                there = None
                try:
                    there = just or server.read(
                        as_owned(row.owned), [*dict.fromkeys([*(one.network for one in wanted or ()), *networks])]
                    )
                except ServerTrouble as error:
                    said = str(error)
                found = [safe(one) for one in server.holdings(networks, there)]
            has = frozenset(_parts(there)) if there is not None else frozenset()
            if there is not None and wanted is not None:
                drift = _drift(row, server, wanted, there, has)
        except ServerTrouble as error:
            with self._context.database.write() as connection:
                holding_records.trouble(connection, identity, str(error))
            return False
        with self._context.database.write() as connection:
            if reading < self._held.get(identity, 0):
                return False
            self._held[identity] = reading
            changed = holding_records.replace(connection, identity, found, now_ms(), said, self._known_parts(row))
            self._parts[identity] = found
            if there is not None and not self.publishing.under_way(identity):
                changed |= begun_publishings.settle(connection, row, there.digest, has, now_ms())
            now = lease_records.server(connection, identity)
            # Beside a publishing the record and the server do not belong together: it reads again when it has ended.
            if self.publishing.under_way(identity) or now is None or now.owned != row.owned:
                drift = None
            elif there is not None and not said:
                self._read[identity] = _Read(server, row.owned, plan, there.seen)
            if drift is not None and drift != row.drift:
                holding_records.drifted(connection, identity, drift)
                changed = True
        if changed:
            self.tell_changed(identity)
        return changed

    def _as_read(self, row: DhcpServerRow, plan: Plan) -> bool:
        """True when a server and all that is compared with it are as they were when it was read last: nothing has to be understood
        again, however much it is."""
        last = self._read.get(row.id)
        if last is None or row.holdings_at is None or row.holdings_trouble or row.begun:
            return False
        if last.plan is not plan or last.owned != row.owned:
            return False
        with contextlib.suppress(ServerTrouble), self.line(row.id):
            server = self.server(row)
            return server == last.server and server.as_seen(last.seen)
        return False

    def _known_parts(self, row: DhcpServerRow) -> list[Holding] | None:
        """What was stored last, where it is at hand; a server that was removed and is managed again was never read since."""
        return self._parts.get(row.id) if row.holdings_at is not None else None

    def _networks(self, site: int) -> list[IPv4Network]:
        """The planned networks of a site, for servers that do not say the mask themselves."""
        with self._context.plan.reading() as plan:
            return [subnet.network for subnet in plan.subnets_of(site) if not subnet.supernet]

    def _store(self, row: DhcpServerRow, leases: Sequence[Lease], reading: int) -> None:
        """Store what a server told, unless a later reading was stored meanwhile."""
        context, now = self._context, now_ms()
        with context.database.write() as connection:
            if reading < self._stored.get(row.id, 0):
                return
            self._stored[row.id] = reading
            before = {
                old.lease.address: (old.lease.mac, old.lease.expires)
                for old in lease_records.all_leases(connection, row.id)
            }
            lease_records.replace_leases(connection, row.id, leases, now)
        context.plan.leases_changed()
        context.findings.servers_changed()
        if row.site == context.plan.site_here:  # what a server of another site leases is that site's matter
            fresh = [one for one in leases if one.mac is not None and before.get(one.address) != (one.mac, one.expires)]
            batches = [
                Batch(
                    segment, None,
                    [Sighting(one.address, one.mac, min(one.since or now, now), Source.LEASE) for one in group],
                    [
                        NameHeard(one.address, one.mac, name, now)
                        for one in group
                        if (name := heard(one.name, NameSource.DHCP)) is not None
                    ],
                )
                for segment, group in self._by_segment(fresh).items()
            ]  # fmt: skip
            if batches:
                context.observer.observe(batches)
        context.findings.note_pools()
        context.tell(DhcpEvent(server_id=row.id))

    def _by_segment(self, leases: Sequence[Lease]) -> dict[SegmentSeen, list[Lease]]:
        """Leases by the segment that their subnet is."""
        adapters = self._context.machine.adapters()
        found: dict[SegmentSeen, list[Lease]] = {}
        with self._context.plan.reading() as plan:
            for one in leases:
                subnet = plan.subnet_at(self._context.plan.site_here, one.address)
                if subnet is None:
                    continue
                adapter = next((a for a in adapters if subnet.network in a.networks), None)
                gateway = (
                    address_of(adapter.gateway)
                    if adapter and adapter.gateway
                    else subnet.gateway
                    if adapter is None
                    else None
                )
                key = SegmentSeen(adapter.name if adapter else "behind the gateway", str(subnet.network), gateway)
                found.setdefault(key, []).append(one)
        return found


def _parts(there: There) -> Iterator[tuple[str, str]]:
    """Every part that a server has, as (network, key)."""
    for one in there.scopes:
        whole = replace(one.scope, options=one.scope.options.over(one.defaults))
        yield from ((str(whole.network), key) for key in keys_of(whole))


def _drift(
    row: DhcpServerRow, server: DhcpServer, wanted: Sequence[Scope], there: There, has: Container[tuple[str, str]]
) -> dict[str, Any]:
    """How a server, with the parts it `has`, differs from the plan and from what was published to it."""
    asked = only_reservations(list(wanted), there)[0] if server.pools_by_hand else wanted
    lines = difference(asked, there.scopes).lines
    gone = [key for network, keys in row.owned.items() for key in keys if (network, key) not in has]
    first = (
        f"{lines[0].action} {lines[0].what} {lines[0].after or lines[0].before} in {lines[0].network}" if lines else ""
    )
    since = (row.drift.get("since") or now_ms()) if lines else None
    return {"waiting": len(lines), "first": first, "since": since, "lost": gone[:50], "other": there.other_roster}


def _planned(mine: dict[Any, Scope], scope: Scope, one: Reservation) -> bool:
    wanted = mine.get(scope.network)
    return wanted is not None and any((w.mac, w.address) == (one.mac, one.address) for w in wanted.reservations)


def _agreed(there: Scope, wanted: Scope | None) -> list[str]:
    """The parts of a server's subnet that the plan has as well: from now on they are the plan's."""
    if wanted is None:
        return []
    same = dict(option_items(wanted.options))
    pairs = {(one.mac, one.address) for one in wanted.reservations}
    return [
        *(key_of(pool) for pool in there.pools if pool in wanted.pools),
        *(key_of(one) for one in there.reservations if (one.mac, one.address) in pairs),
        *(key_of(name) for name, text in option_items(there.options) if text and text == same[name]),
        *(
            key_of_pool(pool, name)
            for pool, options in there.of_pools
            for name, text in option_items(options)
            if text and text == dict(option_items(wanted.of_pool(pool).over(wanted.options)))[name]
        ),
    ]


def _adopting(plan: Plan, row: DhcpServerRow, found: Adoption) -> Edit:
    """The edit that takes a server's pools and reservations in."""
    before: list[Item] = []
    after: list[Item] = []
    subnets = {subnet.network: subnet for subnet in plan.subnets_of(row.site) if not subnet.supernet}
    for number, scope in enumerate(found.subnets, start=1):
        options = scope.options
        subnet = Subnet(
            -number, row.site, "", scope.network, options.gateway, options.dns, options.domain, options.ntp
        )  # fmt: skip
        subnets[scope.network] = subnet
        after.append(subnet)
    for network, pool in found.pools:
        subnet = subnets[network]
        there = next((b for b in plan.bands_of(subnet.id) if (b.first, b.last) == (pool.first, pool.last)), None)
        if there is not None:
            before.append(there)
            after.append(replace(there, server=row.id))
            continue
        given = found.of_pools.get(pool, HandedOut()).over(found.options.get(network, HandedOut()))
        own = _beyond(given, subnet.handed_out)
        after.append(Band(0, subnet.id, BandKind.POOL, pool.first, pool.last, options=own, server=row.id))
    for network, one in found.reservations:
        after.append(
            Assignment(
                0, row.site, subnets[network].id, one.address, AssignmentKind.RESERVED, one.mac, one.name
            )
        )  # fmt: skip
    told = {"pools": len(found.pools), "reservations": len(found.reservations), "subnets": len(found.subnets)}
    return Edit("adopt", "dhcp server", row.name, tuple(before), tuple(after), (None, told), review=True)


def _beyond(given: HandedOut, base: HandedOut) -> HandedOut:
    """What a server hands out that the subnet does not say already."""
    usual = HandedOut()
    own = {
        one.name: getattr(usual if getattr(given, one.name) == getattr(base, one.name) else given, one.name)
        for one in fields(usual)
    }
    return HandedOut(**own)
