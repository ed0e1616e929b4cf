"""Looks for the devices that are being fitted, on every adapter, and takes in what the wire says of them. A thread for each adapter
hunts; what it finds moves the fittings, is kept, and is told. After a start it goes on where it was.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from ...api.events import FittingEvent
from ...core.adapters import Adapter
from ...core.address import Address, address_of, dotted
from ...core.findings.fittings import Idle
from ...core.fitting import helping
from ...core.fitting import kinds as known_kinds
from ...core.fitting.kinds import LEAST_PREFIX, Kind
from ...core.fitting.progress import (
    Look,
    Means,
    Progress,
    Sight,
    Sign,
    Step,
    Told,
    asked_for,
    betrayed,
    from_json,
    looked,
    showed,
)
from ...core.mac import Mac
from ...core.plan.model import AssignmentKind
from ...core.text import clean
from ...probe.kernel_seeker import KernelSeeker
from ...probe.seek_engine import Done, Event, Shown, Sought
from ...probe.seeker import Seeker
from ...probe.segment import Segment, SegmentError
from ...store import fitting_records, kind_records
from ...store.rows import FittedRow
from ...wire import dhcp
from ...wire.errors import WireError
from ..aids.repeating import attempt_here
from ..context import Context, now_ms
from ..watching.watcher import Watcher
from .answering import Answers
from .lending import Lending

_log = logging.getLogger(__name__)
TURN_SECONDS = 0.25
ADAPTERS_SECONDS = 2.0
KEEP_AGAIN_MS = 30_000
FAST_MS = 15 * 60_000
SLOW_PACE = 8.0
MOST_STRETCHES = 24
TELL_SECONDS = 600.0
IDLE_MS = 14 * 24 * 3600 * 1000


Kept = tuple[FittedRow, Progress, Address | None, Sequence[tuple[Step, str]]]
"""What is to be kept of a device that moved: its row, how far it is, its address, what is to be written down."""


@dataclass(slots=True)
class Running:
    """One device that is looked for: its row, its address by the plan now, how far it is, and what is not kept yet."""

    row: FittedRow
    progress: Progress
    target: Address | None
    moved_at: int
    kind: Kind | None = None
    kept_at: int = 0
    dirty: bool = False
    notes: list[tuple[Step, str]] = field(default_factory=list)


class Fitter:
    """The fittings of one service while it runs."""

    def __init__(self, context: Context, watcher: Watcher) -> None:
        self._context, self._watcher = context, watcher
        self.running: dict[int, Running] = {}
        self._stretches: tuple[tuple[int, int], ...] = ()
        self._seekers: dict[str, Seeker | KernelSeeker] = {}
        self._controls: dict[str, list[Address]] = {}
        self._fresh = True
        self._told_at = float("-inf")
        self._turn_lock = asyncio.Lock()
        self._looked_at = float("-inf")
        self.lending, self.answers = Lending(context), Answers(context)
        self._turning: asyncio.Task[None] | None = None
        self._beside: set[asyncio.Task[None]] = set()

    def begin(self) -> None:
        """Look from now on."""
        self._turning = asyncio.create_task(self._turn(), name="fittings")

    async def close(self) -> None:
        """Stop; what is not kept yet is kept."""
        for task in (*self._beside, *([self._turning] if self._turning is not None else ())):
            task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await task
        for seeker in self._seekers.values():
            seeker.ended.set()
        self.answers.close()
        await self.lending.close()
        if moved := [one for one in self.running.values() if one.dirty or one.notes]:
            await self._keep(moved)

    def changed(self) -> None:
        """Fittings were begun, closed, or their kinds edited: look at them anew; from any thread."""
        self._fresh = True

    @property
    def looking(self) -> list[str]:
        """The adapters that are looked on now."""
        return sorted(name for name, one in self._seekers.items() if not one.trouble)

    def before(self, identity: int) -> str:
        """Who is at the same address as a device whose settings are to be typed in, and comes first; empty where nobody does."""
        this = self.running.get(identity)
        if this is None or this.progress.found is None or this.progress.found.address == this.target:
            return ""
        for one in sorted(self.running.values(), key=lambda one: one.row.id):
            if one.row.id == identity:
                return ""
            found = one.progress.found
            if found is not None and (found.adapter, found.address) == (
                this.progress.found.adapter,
                this.progress.found.address,
            ):
                return one.row.name or str(Mac(one.row.mac))
        return ""

    @property
    def limited(self) -> bool:
        """True where somebody is looked for without raw frames: at addresses of the own subnets alone."""
        return any(isinstance(one, KernelSeeker) for one in self._seekers.values())

    async def _turn(self) -> None:
        while True:
            await attempt_here(self._once(), "fittings could not be followed")
            await asyncio.sleep(TURN_SECONDS)

    async def refresh(self) -> None:
        """Look at everything anew, and keep what moved, before anything else is done."""
        self._fresh = True
        await self._once()

    async def _once(self) -> None:
        async with self._turn_lock:
            await self._follow()

    async def _follow(self) -> None:
        if self._fresh:
            self._fresh = False
            self._take_in(*await asyncio.to_thread(self._read))
            self._told_at = float("-inf")
        if self._context.monotonic() - self._told_at >= TELL_SECONDS:
            self._told_at = self._context.monotonic()
            await asyncio.to_thread(self._tell)
        for one in self.running.values():
            self._follow_plan(one)
        await self._help()
        if moved := [one for one in self.running.values() if one.dirty or one.notes]:
            await self._keep(moved)
        await self._hunt()

    async def _help(self) -> None:
        """What was lent to reach devices, and who is answered, lasts as long as it is needed."""
        unseen = [identity for identity, one in self.running.items() if one.progress.seen is None]
        for identity in await self.lending.follow(unseen):
            self.note(identity, Step.REACH, "what was lent to reach it was taken back")
        staying = [identity for identity, one in self.running.items() if one.progress.went is None]
        for identity, said in self.answers.follow(staying):
            self.note(identity, Step.REACH, said)

    def note(self, identity: int, step: Step, said: str) -> None:
        """Write something down of a device that is being fitted."""
        one = self.running.get(identity)
        if one is not None:
            one.notes.append((step, said))
            one.moved_at = now_ms()

    def _follow_plan(self, one: Running) -> None:
        """People may move or release an address while it is being fitted."""
        item = self._context.plan.plan.assignments.get(one.row.assignment or 0)
        target = item.address if item is not None and item.mac in (None, one.row.mac) else None
        if target == one.target:
            return
        said = (
            f"the plan gives it {dotted(target)} now"
            if target is not None
            else "the plan has no address for it any more"
        )
        one.target, one.dirty, one.moved_at = target, True, now_ms()
        one.progress = replace(one.progress, seen=None, went=None, kept=None, lost=None, misses=0, against="", signs={})
        one.notes.append((Step.WHERE, said))

    def _tell(self) -> None:
        """Tell the findings who is being fitted, and what stands still."""
        long_ago = now_ms() - IDLE_MS
        idle: dict[int, Idle] = {}
        with self._context.database.read() as connection:
            for one in fitting_records.several(connection, {one.row.fitting for one in self.running.values()}):
                if one.touched_at < long_ago:
                    rows = [running.row for running in self.running.values() if running.row.fitting == one.id]
                    names = tuple(row.name or str(Mac(row.mac)) for row in rows)
                    idle[one.id] = Idle(names, one.who, one.touched_at)
        self._context.findings.fitted({one.row.mac for one in self.running.values()}, idle)

    def _read(self) -> tuple[list[tuple[FittedRow, int | None]], dict[int, Kind]]:
        """Every device that is being fitted with its kind, and all kinds, as they are kept."""
        with self._context.database.read() as connection:
            rows = fitting_records.open_devices(connection)
            kinds = {one.id: one.kind for one in fitting_records.several(connection, {row.fitting for row in rows})}
            kept = {one.id: one.kind for one in kind_records.all_of_them(connection)}
        return [(row, kinds.get(row.fitting)) for row in rows], kept

    def _take_in(self, rows: Sequence[tuple[FittedRow, int | None]], kept: Mapping[int, Kind]) -> None:
        """Of those that are looked for already what is known stays."""
        running: dict[int, Running] = {}
        for row, kind in rows:
            there = self.running.get(row.id) or Running(row, from_json(row.progress), row.address, now_ms())
            there.row, there.kind = row, kept.get(kind) if kind is not None else None
            running[row.id] = there
        known = known_kinds.factory_stretch(list(kept.values()))
        own = [n for one in self._context.machine.adapters() for n in one.networks if n.prefixlen >= LEAST_PREFIX]
        networks = list(dict.fromkeys([*known, *own, *known_kinds.USUAL_SUBNETS]))[:MOST_STRETCHES]
        self._stretches = tuple(
            (address_of(one.network_address) + 1, address_of(one.broadcast_address) - 1)
            for one in networks
            if one.prefixlen < 31
        )
        self.running = running

    async def _keep(self, moved: Sequence[Running]) -> None:
        """Keep what moved, and tell of it. What cannot be kept is tried again with the next turn."""
        now = now_ms()
        batch = [(one.row, one.progress, one.target, tuple(one.notes)) for one in moved]
        for one in moved:
            one.notes, one.dirty, one.kept_at = [], False, now
        try:
            await asyncio.to_thread(self._store, batch, now)
        except BaseException:
            for one, (*_, notes) in zip(moved, batch, strict=True):
                one.notes, one.dirty = [*notes, *one.notes], True
            raise
        for fitting in {row.fitting for row, *_ in batch}:
            self._context.tell(FittingEvent(id=fitting))

    def _store(self, batch: Sequence[Kept], now: int) -> None:
        with self._context.database.write() as connection:
            for row, progress, target, notes in batch:
                if target != row.address:
                    fitting_records.placed(connection, row.id, target)
                fitting_records.progressed(connection, row.id, progress)
                fitting_records.note(connection, row.id, now, notes)
                if notes:
                    fitting_records.touched(connection, row.fitting, now)

    # The hunt

    async def _hunt(self) -> None:
        """Have every adapter looked on while somebody is to be found, and tell the hunts whom to look for."""
        now = self._context.monotonic()
        if now - self._looked_at >= ADAPTERS_SECONDS or (self.running and not self._seekers):
            self._looked_at = now
            await asyncio.to_thread(self._man)
        for name, seeker in self._seekers.items():
            seeker.want([self._sought(one, name) for one in self.running.values()])

    def _man(self) -> None:
        """Begin hunts on adapters that have none, end those of adapters that are gone, changed, or not needed any more."""
        context = self._context
        adapters = {one.name: one for one in context.machine.adapters() if self.running and self._fit(one)}
        for name, seeker in list(self._seekers.items()):
            if seeker.adapter != adapters.get(name) or seeker.trouble:
                seeker.ended.set()
                if seeker.trouble:
                    _log.info("looking for devices on %s: %s", name, seeker.trouble)
                del self._seekers[name]
        # Who is being fitted is switched off and on: that is no control.
        fitted = {one.target for one in list(self.running.values()) if one.target is not None}
        for name, adapter in adapters.items():
            self._controls[name] = context.asking.controls(name, fitted)
            if name in self._seekers:
                continue
            segment = context.machine.open(adapter)
            try:
                fresh = self._seeker(segment, name)
            except SegmentError as error:
                _log.info("looking for devices on %s: %s", name, error)
                continue
            fresh.want([self._sought(one, name) for one in self.running.values()])
            self._seekers[name] = fresh
            context.supervisor.start(f"fitting on {name}", fresh.run, fresh.ended)

    def _seeker(self, segment: Segment, name: str) -> Seeker | KernelSeeker:
        if not segment.abilities().frames:
            return KernelSeeker(segment, self._teller(name))
        return Seeker(segment, self._context.reply_times[name].patience(()), self._teller(name))

    def _fit(self, adapter: Adapter) -> bool:
        """True for an adapter to look on; one without an address is as good as any."""
        elsewhere = self._context.known_links.elsewhere(adapter.name)
        return adapter.medium != "loopback" and adapter.up and adapter.mac is not None and not elsewhere

    def _sought(self, one: Running, adapter: str) -> Sought:
        factory = [one.kind.address] if one.kind is not None and one.kind.address is not None else []
        seen = one.progress.seen is not None and one.progress.seen.adapter == adapter
        controls = tuple(self._controls.get(adapter, ()))[:2] if seen else ()
        quick = now_ms() - one.moved_at < FAST_MS
        return Sought(
            one.row.mac, one.target, asked_for(one.progress, one.target, factory), self._stretches, controls,
            beside=self._helping(one), **({} if quick else {"pace": SLOW_PACE}),
        )  # fmt: skip

    def _helping(self, one: Running) -> Address | None:
        """The address that a person's computer is given to reach a device in a foreign subnet, while it may have it."""
        planned = [subnet.network for subnet in self._context.plan.plan.subnets_of(self._context.plan.site_here)]
        given = helping.given(one.progress, one.target, one.kind, planned)
        return address_of(given.ip) if given is not None else None

    def _teller(self, adapter: str) -> Callable[[Sequence[Event]], None]:
        def tell(events: Sequence[Event]) -> None:
            loop, at = self._context.loop, now_ms()
            if loop is not None and not loop.is_closed():
                loop.call_soon_threadsafe(self.take, adapter, events, at)

        return tell

    def take(self, adapter: str, events: Iterable[Event], at: int) -> None:
        """What happened on an adapter at a time (UTC ms)."""
        for event in events:
            for one in [one for one in self.running.values() if one.row.mac == event.mac]:
                self._take(one, adapter, event, at)

    def _take(self, one: Running, adapter: str, event: Event, at: int) -> None:
        target = one.target
        if isinstance(event, Done):
            here = one.progress.found is None or one.progress.found.adapter == adapter
            if target is None or not (here or any(event.answers.values())):
                return
            self._moved(
                one,
                looked(
                    one.progress,
                    one.row.mac,
                    target,
                    Look(adapter, at, event.answers, event.counts, self._helping(one)),
                ),
                at,
            )
            return
        item = self._context.plan.plan.assignments.get(one.row.assignment or 0)
        static = item is not None and item.kind is AssignmentKind.STATIC
        asks = not static or one.row.id in self.answers.running
        told = showed(one.progress, Sight(adapter, event.address, at, event.means), target, asks)
        if target is not None and event.means is not Means.ANSWER and event.address in (target, 0):
            told = Told(betrayed(told.progress, self._signs(event, target)), told.notes)
        self._moved(one, told, at)

    def _signs(self, event: Shown, target: Address) -> Mapping[str, str]:
        """What a frame betrays of the settings of whoever has the new address."""
        found: dict[str, str] = {}
        if event.message:
            with contextlib.suppress(WireError):
                if name := clean(dhcp.decode(event.message).text(dhcp.Option.HOSTNAME), 63):
                    found[Sign.HOSTNAME] = name
        subnet = self._context.plan.plan.subnet_at(self._context.plan.site_here, target)
        if event.address != target or subnet is None:
            return found
        if event.broadcast:
            found[Sign.BROADCAST] = dotted(event.broadcast)
        if event.asks and event.asks == subnet.gateway:
            found[Sign.GATEWAY] = dotted(event.asks)
        elif event.asks and not subnet.first <= event.asks <= subnet.last:
            found[Sign.OUTSIDE] = dotted(event.asks)
        return found

    def _moved(self, one: Running, told: Told, at: int) -> None:
        before, one.progress = one.progress, told.progress
        one.notes += told.notes
        if told.notes:
            one.moved_at = at
        if told.notes or _differs(before, told.progress) or at - one.kept_at > KEEP_AGAIN_MS:
            one.dirty = True
        fresh = (before.seen is None and told.progress.seen is not None) or (before.kept is None and told.progress.kept)
        if fresh and one.target is not None:
            self._confirm(one.target)

    def _confirm(self, address: Address) -> None:
        """What is proven here is a sighting like any other."""

        async def ask() -> None:
            with contextlib.suppress(SegmentError):
                await self._watcher.confirm([address])

        task = asyncio.create_task(ask())
        self._beside.add(task)
        task.add_done_callback(self._beside.discard)


def _differs(before: Progress, after: Progress) -> bool:
    """True where more differs than the time of the last sign of life."""
    return _timeless(before) != _timeless(after)


def _timeless(one: Progress) -> tuple[object, ...]:
    sights = [(at.adapter, at.address, at.means) if at is not None else None for at in (one.heard, one.found)]
    return (*sights, one.olds, one.seen, one.went, one.kept, one.lost, one.against, dict(one.signs), one.helper)
