"""Listens on the own links: a thread per adapter takes frames, one more takes in what they tell.

Nothing is ever sent. Queues are bounded: what does not fit is counted and said. Only links of subnets that the roster knows
are listened to, so that a laptop at another site does not fill the roster with strangers.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import queue
import threading
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field

from ...api.events import HeardTold, ListenEvent
from ...core.adapters import Adapter
from ...core.address import Address, address_of
from ...core.mac import NOBODY, Mac, MacNumber
from ...core.stays import Sighting, Source
from ...probe.listen import Batch, Ear, Line
from ...probe.segment import FrameDoor, SegmentError
from ...store import scan_records
from ...store.intake import NameHeard
from ...store.scan_records import SegmentSeen
from ...wire.lldp import Neighbour
from ..aids.repeating import attempt
from ..aids.supervising import Supervisor
from ..context import Context, now_ms
from ..knowing.observing import Batch as Facts

_log = logging.getLogger(__name__)
FLUSH_SECONDS = 0.2
LOOK_SECONDS = 5.0
MOST_BATCHES = 64
STORE_AGAIN_MS = 60_000
STRANGER_AGAIN_MS = 2_000
NEW_MACS_AT_ONCE, NEW_MACS_PER_SECOND = 5_000, 200
MOST_WAITING = 50_000
LINES_KEPT = 200


@dataclass(slots=True)
class Heard:
    """What one adapter's listener has done so far; frames are counts."""

    adapter: str
    since: int
    frames: int = 0
    unread: int = 0
    lost: int = 0
    broken: int = 0
    unforeseen: str = ""
    last_second: int = 0
    storm_at: int | None = None
    trouble: str = ""
    neighbours: dict[str, tuple[Neighbour, int]] = field(default_factory=dict)
    lines: deque[tuple[int, Line]] = field(default_factory=lambda: deque(maxlen=LINES_KEPT))


class _Listener:
    """Takes frames from one door and hands batches on, in a thread of its own."""

    def __init__(
        self, adapter: Adapter, own: frozenset[int], open_door: Callable[[], FrameDoor], supervisor: Supervisor,
        give: Callable[[Batch, int], None],
    ) -> None:  # fmt: skip
        """Raises SegmentError when the link cannot be listened to."""
        self.adapter, self._own, self._open, self._give = adapter, own, open_door, give
        self._first: FrameDoor | None = open_door()
        self.trouble = ""
        self.ended = threading.Event()
        self.thread = supervisor.start(f"listening on {adapter.name}", self._run, self.ended)

    def _run(self) -> None:
        """Until it is told to end or the link is gone."""
        door, self._first = self._first or self._open(), None
        ear = Ear(self._own, tuple(self.adapter.networks))
        due = time.monotonic() + FLUSH_SECONDS
        try:
            while not self.ended.is_set():
                for _, frame in door.receive(FLUSH_SECONDS):
                    ear.take(frame)
                if (now := time.monotonic()) >= due:
                    due = now + FLUSH_SECONDS
                    self._give(ear.batch(now_ms()), door.lost())
        except SegmentError as error:
            self.trouble = str(error)
        finally:
            door.close()


class Listening:
    """All listeners of one service, and the intake of what they hear."""

    def __init__(self, context: Context, alarm: Callable[[], None]) -> None:
        """`alarm` is called, in any thread, when something wants a directed round at once."""
        self._context, self._alarm = context, alarm
        self.heard: dict[str, Heard] = {}
        self.why_not: dict[str, str] = {}
        self._threads: dict[str, _Listener] = {}
        self._queue: queue.Queue[tuple[str, Batch, int]] = queue.Queue(MOST_BATCHES)
        self._waiting: dict[tuple[str, Address, MacNumber], Sighting] = {}
        self._stored: dict[tuple[str, Address, MacNumber], int] = {}
        self._names: list[tuple[str, NameHeard]] = []
        self._strangers: dict[tuple[str, Address, MacNumber], int] = {}
        self._budget, self._budget_at = float(NEW_MACS_AT_ONCE), time.monotonic()
        self._ended = threading.Event()
        self._intake: threading.Thread | None = None
        self._task: asyncio.Task[None] | None = None
        self._counted: dict[str, tuple[float, int]] = {}
        self.taking_since: float | None = None

    def begin(self) -> None:
        """Listen from now on."""
        self._intake = self._context.supervisor.start("taking in what is heard", self._take_all, self._ended)
        self._task = asyncio.create_task(self._follow(), name="listening")

    async def close(self) -> None:
        """Stop; what is waiting is stored."""
        if self._task is None:
            return
        self._task.cancel()
        with contextlib.suppress(asyncio.CancelledError):
            await self._task
        for thread in self._threads.values():
            thread.ended.set()
        self._ended.set()
        await asyncio.to_thread(self._join)

    def _join(self) -> None:
        for thread in [*(one.thread for one in self._threads.values()), self._intake]:
            if thread is not None:
                thread.join(timeout=2)

    async def _follow(self) -> None:
        """Follow the adapters as they come and go."""
        while True:
            await attempt(self.refresh, "the adapters could not be followed")
            await asyncio.sleep(LOOK_SECONDS)

    def refresh(self) -> None:
        """Start listeners for adapters that want one, end those of adapters that are gone or changed."""
        context = self._context
        adapters = {a.name: a for a in context.machine.adapters()}
        own = frozenset(a.mac.value for a in adapters.values() if a.mac is not None)
        for name, thread in list(self._threads.items()):
            if thread.adapter != adapters.get(name) or not thread.thread.is_alive():
                thread.ended.set()
                if thread.trouble:
                    self.why_not[name] = thread.trouble
                del self._threads[name]
        known = self._known()
        for adapter in adapters.values():
            if adapter.name in self._threads or adapter.medium == "loopback" or not adapter.up or not adapter.addresses:
                continue
            if not any(str(network) in known for network in adapter.networks):
                self.why_not[adapter.name] = "its subnet is neither planned nor scanned: scan it once or plan it"
                continue
            self.heard.setdefault(adapter.name, Heard(adapter.name, now_ms()))
            try:
                self._threads[adapter.name] = _Listener(
                    adapter, own, context.machine.open(adapter).listen, context.supervisor, self._giver(adapter.name)
                )
            except SegmentError as error:
                self.why_not[adapter.name] = str(error)
                continue
            self.why_not.pop(adapter.name, None)

    def _known(self) -> set[str]:
        with self._context.database.read() as connection:
            found = set(scan_records.scanned_subnets(connection))
        with self._context.plan.reading() as plan:
            return found | {str(s.network) for s in plan.subnets_of(self._context.plan.site_here)}

    def _giver(self, name: str) -> Callable[[Batch, int], None]:
        def give(batch: Batch, lost: int) -> None:
            if not batch.frames and not lost:
                return
            try:
                self._queue.put_nowait((name, batch, lost))
            except queue.Full:
                heard = self.heard[name]
                heard.frames += batch.frames
                heard.unread += batch.frames
                heard.storm_at = now_ms()

        return give

    def plugged_into(self, name: str) -> str | None:
        """The switch port at the other end of an adapter's cable, as it announced itself last (IEEE 802.1AB)."""
        heard = self.heard.get(name)
        if heard is None or not heard.neighbours:
            return None
        latest, at = max(heard.neighbours.values(), key=lambda one: one[1])
        if now_ms() - at > latest.lifetime * 1000:
            return None
        text = f" ({latest.port_text})" if latest.port_text else ""
        return f"{latest.name or latest.chassis}, port {latest.port}{text}"

    def beside(self) -> dict[str, str]:
        """What announces itself at each adapter, as `plugged_into` has it."""
        return {name: where for name in list(self.heard) if (where := self.plugged_into(name)) is not None}

    def listening(self) -> list[str]:
        """The adapters that are listened on now."""
        return sorted(name for name, thread in self._threads.items() if thread.thread.is_alive())

    def _take_all(self) -> None:
        while not self._ended.is_set() or not self._queue.empty():
            batches: list[tuple[str, Batch, int]] = []
            with contextlib.suppress(queue.Empty):
                batches.append(self._queue.get(timeout=0.25))
                while len(batches) < MOST_BATCHES:
                    batches.append(self._queue.get_nowait())
            for name, batch, lost in batches:
                self.taking_since = time.monotonic()
                try:
                    self.take(name, batch, lost)
                except Exception:
                    _log.exception("what was heard on %s could not be taken in", name)
            self.taking_since = None
            try:
                if self._waiting or self._names:
                    self._store()
            except Exception:
                _log.exception("what was heard could not be stored")

    def take(self, name: str, batch: Batch, lost: int) -> None:
        """Take one batch of an adapter in: findings at once, records with the next `_store`."""
        heard, context = self.heard.setdefault(name, Heard(name, now_ms())), self._context
        heard.frames += batch.frames
        heard.unread += batch.unread
        heard.lost += lost
        heard.broken += batch.broken
        if batch.unforeseen:
            heard.unforeseen = batch.unforeseen
            _log.error("a frame on %s could not be read: %s", name, batch.unforeseen)
        now = now_ms()
        self._rate(heard)
        elsewhere = context.known_links.elsewhere(name)
        answers = context.asking.late(batch.replies, name) if batch.replies and not elsewhere else set()
        heard_now = [
            *batch.sightings,
            *(Sighting(*one, now, Source.OVERHEARD) for one in batch.replies if one not in answers),
        ]
        sightings = [one for one in heard_now if self._affordable(name, one)]
        left_out = len(heard_now) - len(sightings)
        heard.unread += left_out
        if batch.unread or lost or left_out:
            heard.storm_at = now
            context.findings.storm(name, heard.last_second)
        for one in batch.neighbours:
            key = f"{one.neighbour.chassis} {one.neighbour.port}"
            heard.neighbours[key] = (one.neighbour, now)
            if len(heard.neighbours) > 64:
                del heard.neighbours[next(iter(heard.neighbours))]
        for line in batch.lines:
            heard.lines.append((now, line))
        if not elsewhere:  # what is heard of others than those who answer there is asked about
            self._tell_findings(name, batch, sightings, now)
        strangers = []
        for one_sighting in sightings:
            key_of = (name, one_sighting.address, one_sighting.mac or NOBODY)
            stranger = not context.findings.is_device(key_of[2])  # traffic alone makes no device: it is asked about
            if stranger and not _lately(self._strangers.get(key_of), now, STRANGER_AGAIN_MS):
                self._strangers[key_of] = now
                strangers.append(one_sighting)
            if not _lately(self._stored.get(key_of), now, STORE_AGAIN_MS) and len(self._waiting) < MOST_WAITING:
                self._waiting[key_of] = one_sighting
        self._answered(name, answers, now)
        if strangers:
            context.newcomers.heard(name, strangers)
            if len(self._strangers) > MOST_WAITING:
                self._strangers = {key: at for key, at in self._strangers.items() if at == now}
        for told in batch.names:
            findings = context.findings
            if not told.address or not findings.is_device(told.mac):
                continue
            if elsewhere or findings.bears(told.mac, told.name.name):  # more than a device has names are not kept
                self._names.append((name, NameHeard(told.address, told.mac, told.name, now)))
        context.tell(_shown(heard, batch))

    def _tell_findings(self, name: str, batch: Batch, sightings: list[Sighting], now: int) -> None:
        findings = self._context.findings
        findings.saw(sightings, name)
        findings.named(NameHeard(told.address, told.mac, told.name, now) for told in batch.names)
        networks = self._threads[name].adapter.networks if name in self._threads else []
        for offer in dict.fromkeys(batch.offers):
            findings.offer_heard(networks, offer)
        own = {address_of(one.ip) for one in self._threads[name].adapter.addresses} if name in self._threads else set()
        named = [
            one for one in dict.fromkeys(batch.named_servers) if one[1] not in own
        ]  # who is fitted may be answered by us
        if any([findings.server_named(networks, server, client) for client, server in named]):
            self._alarm()
        findings.overheard(
            [(mac, advert.addresses) for mac, advert in batch.adverts], batch.stray_questions, batch.stray_broadcasts
        )
        if self._context.asking.pressing():
            self._alarm()

    def _answered(self, name: str, answers: set[tuple[Address, MacNumber]], now: int) -> None:
        """Late answers are kept like those that a round took in time."""
        context = self._context
        new = list(dict.fromkeys(mac for _, mac in answers if not context.findings.is_device(mac)))
        barred = set(new) - context.newcomers.admitted(name, new, now) if new else set()
        for address, mac in answers:
            if mac not in barred:
                self._waiting[name, address, mac] = Sighting(address, mac, now, Source.ARP)

    def _affordable(self, name: str, sighting: Sighting) -> bool:
        """A flood of made-up MACs must not fill the roster: new ones are taken at a bounded rate."""
        mac = sighting.mac or NOBODY
        if (name, sighting.address, mac) in self._stored or self._context.findings.knows(mac):
            return True
        now = time.monotonic()
        self._budget = min(self._budget + (now - self._budget_at) * NEW_MACS_PER_SECOND, NEW_MACS_AT_ONCE)
        self._budget_at = now
        if self._budget < 1:
            return False
        self._budget -= 1
        return True

    def _rate(self, heard: Heard) -> None:
        """Frames in the last whole second or so."""
        began, count = self._counted.get(heard.adapter, (0.0, 0))
        now = time.monotonic()
        if now - began >= 1.0:
            heard.last_second = round((heard.frames - count) / (now - began)) if began else 0
            self._counted[heard.adapter] = now, heard.frames

    def _store(self) -> None:
        """Write what waits into the records. What cannot be written waits on."""
        context = self._context
        adapters = {a.name: a for a in context.machine.adapters()}
        waiting, names = dict(self._waiting), list(self._names)
        groups: dict[tuple[SegmentSeen, str], tuple[list[Sighting], list[NameHeard]]] = {}
        for (name, address, _), sighting in waiting.items():
            if name in adapters:
                groups.setdefault((self._segment(adapters[name], address), name), ([], []))[0].append(sighting)
        for name, told in names:
            if name in adapters:
                groups.setdefault((self._segment(adapters[name], told.address), name), ([], []))[1].append(told)
        batches = [Facts(segment, name, seen, told) for (segment, name), (seen, told) in groups.items()]
        try:
            context.observer.observe(batches, told=True)
        except Exception as error:
            trouble = f"what is heard cannot be stored: {getattr(error, 'orig', error)}"
            for heard in self.heard.values():
                heard.trouble = trouble
            self._ended.wait(1.0)
            return
        now = now_ms()
        for heard in self.heard.values():
            heard.trouble = ""
        for key in waiting:
            self._waiting.pop(key, None)
            self._stored[key] = now
        del self._names[: len(names)]
        if len(self._stored) > 4 * MOST_WAITING:
            self._stored = {key: at for key, at in self._stored.items() if now - at < STORE_AGAIN_MS}

    def _segment(self, adapter: Adapter, address: Address) -> SegmentSeen:
        networks = adapter.networks
        network = next(
            (n for n in networks if address_of(n.network_address) <= address <= address_of(n.broadcast_address)), networks[0]
        )  # fmt: skip
        other = self._context.known_links.of(adapter.name).gateway_mac or -1
        return SegmentSeen(
            adapter.name, str(network), address_of(adapter.gateway) if adapter.gateway else None,
            other if self._context.known_links.elsewhere(adapter.name) else None,
        )  # fmt: skip


def _lately(at: int | None, now: int, within: int) -> bool:
    """True for a time of the last `within` ms; a clock that was set back ends nothing for longer than that."""
    return at is not None and 0 <= now - at < within


def _shown(heard: Heard, batch: Batch) -> ListenEvent:
    """An event for whoever watches."""
    return ListenEvent(
        adapter=heard.adapter, frames=batch.frames, unread=batch.unread, per_second=heard.last_second,
        lines=[HeardTold(protocol=one.protocol, mac=str(Mac(one.mac)), said=one.said) for one in batch.lines[:20]],
    )  # fmt: skip
