"""One scan from beginning to end: the sweep in a thread, names and ports of responders beside it, batches to a sink.

Runs on any segment. It never touches the store: what it finds goes to the sink it is given.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import random
import threading
from collections.abc import Collection, Coroutine, Sequence
from dataclasses import dataclass, field
from ipaddress import IPv4Address
from typing import Protocol

from ..core.address import address_of
from ..core.names import Name, NameSource, heard
from ..core.span import SpanSet
from ..core.stays import Source
from .hostnames import NameAsker
from .results import Result, ResultBook
from .segment import Reached, Segment
from .sweep import Progress, Report, SweepJob, run_job
from .sweep_engine import Answer, SweepPlan
from .sweep_process import run_in_process, start_sweeper

_log = logging.getLogger(__name__)
DEFAULT_PORTS = (22, 80, 443, 445, 631, 8080, 9100)
PORT_TIMEOUT = 0.7
BATCH_SECONDS = 0.5
_NAMES_AT_ONCE = 512
_PORTS_AT_ONCE = 160
_CONNECT_PORTS = (443, 80, 22, 445)


@dataclass(frozen=True, slots=True)
class ScanOrder:
    """What to scan and how. `pace` in probes a second; `dns` are the subnet's servers; no ports means none asked; `slow` are
    addresses that answered late before."""

    targets: SpanSet
    pace: float = 1000.0
    rounds: int = 3
    names: bool = True
    ports: Sequence[int] = DEFAULT_PORTS
    expected: Collection[int] = ()
    slow: Collection[int] = ()
    echo: bool = True
    dns: Sequence[IPv4Address] = ()
    own_name: str = ""
    seed: int | None = None


@dataclass(frozen=True, slots=True)
class Stage:
    """Where a scan stands: `phase` is 'sweep' or 'names' (names and ports still being asked), `left` to come."""

    phase: str
    progress: Progress
    left: int


class Sink(Protocol):
    """Takes what a scan finds. Called from the event loop, in order."""

    async def found(self, results: list[Result], answers: list[Answer]) -> None:
        """Results that are new or changed, and the observations behind them. Called at least once a second. Where it raises,
        it has taken nothing and is called again with all of it."""

    async def stage(self, stage: Stage) -> None:
        """How far it is."""


@dataclass(slots=True)
class Outcome:
    """How a scan ended. `stopped` by hand; `notes` are sentences about what could not be seen."""

    progress: Progress
    stopped: bool
    book: ResultBook
    notes: list[str] = field(default_factory=list)


class Scan:
    """A scan that runs once."""

    def __init__(self, segment: Segment, order: ScanOrder, sink: Sink) -> None:
        self._segment, self._order, self._sink = segment, order, sink
        self._stop = threading.Event()
        self._ended = asyncio.Event()
        self.book = ResultBook()
        self._answers: list[Answer] = []
        self._random = random.Random(order.seed)
        self._asker = NameAsker(segment, order.dns, self._random)
        self._names_gate = asyncio.Semaphore(_NAMES_AT_ONCE)
        self._ports_gate = asyncio.Semaphore(_PORTS_AT_ONCE)
        self._asking: set[asyncio.Task[None]] = set()
        self._progress: Progress | None = None
        self._onlink = segment.adapter.onlink
        self._notes: list[str] = list(segment.abilities().limits)

    def stop(self) -> None:
        """End soon and keep what was found; safe from any thread."""
        self._stop.set()

    async def run(self) -> Outcome:
        """Scan. Raises SegmentError when the network cannot be used at all; what was found is in the sink then."""
        self._see_self()
        loop = asyncio.get_running_loop()
        inbox: asyncio.Queue[tuple[list[Answer], Progress]] = asyncio.Queue()

        def report(answers: list[Answer], progress: Progress) -> None:
            loop.call_soon_threadsafe(inbox.put_nowait, (answers, progress))

        sweeping = asyncio.create_task(asyncio.to_thread(self._sweep, report))
        flushing = asyncio.create_task(self._flush_often())
        try:
            await self._until(sweeping, inbox)
            progress = sweeping.result()
            if not self._segment.abilities().frames and not self._segment.abilities().echo:
                await self._connect_far()
            await self._drain()
        finally:
            self._stop_asking()
            if not sweeping.done():
                self._stop.set()
            self._ended.set()
            await asyncio.gather(sweeping, flushing, return_exceptions=True)
            await self._flush("names")
        return Outcome(progress, self._stop.is_set(), self.book, self._notes)

    async def _until(
        self, sweeping: asyncio.Task[Progress], inbox: asyncio.Queue[tuple[list[Answer], Progress]]
    ) -> None:
        while True:
            getting = asyncio.create_task(inbox.get())
            await asyncio.wait({getting, sweeping}, return_when=asyncio.FIRST_COMPLETED)
            if getting.done():
                self._take(*getting.result())
                continue
            getting.cancel()
            while not inbox.empty():
                self._take(*inbox.get_nowait())
            return

    def _sweep(self, report: Report) -> Progress:
        order, segment = self._order, self._segment
        plan = SweepPlan(order.targets, order.rounds, 2, order.expected, order.echo, order.slow)
        job = SweepJob(segment.adapter, plan, order.pace, self._random.randrange(1, 1 << 16))
        process = start_sweeper() if segment.own_process else None
        if process is not None:
            progress = run_in_process(process, job, self._stop, report)
        else:
            progress = run_job(segment, job, self._stop, report)
        if progress.unreached:
            self._notes.append(
                f"{progress.unreached:,} addresses lie off this link and no gateway answered: they were not asked"
            )
        if progress.lost:
            self._notes.append(
                f"{progress.lost:,} frames came faster than this machine could read them: somebody who answered may be "
                "missing; scan again with a lower pace"
            )
        if progress.unasked:
            self._notes.append(
                f"the kernel's neighbour table stayed full: {progress.unasked:,} addresses were not asked; "
                "scan with CAP_NET_RAW, or raise net.ipv4.neigh.default.gc_thresh3"
            )
        return progress

    def _see_self(self) -> None:
        """This machine is on the link too, and does not answer its own questions."""
        adapter = self._segment.adapter
        for address in adapter.addresses:
            if address.ip in self._order.targets and adapter.mac:
                self._enter(Answer(address_of(address.ip), adapter.mac, Source.SELF, 0.0, None, False))
                own = heard(self._order.own_name, NameSource.SELF)
                self.book.names(address_of(address.ip), [own] if own else [])

    def _take(self, answers: list[Answer], progress: Progress) -> None:
        self._progress = progress
        for answer in answers:
            self._enter(answer)

    def _enter(self, answer: Answer) -> None:
        self._answers.append(answer)
        if not answer.foreign and (answer.by is Source.OVERHEARD or answer.address not in self._order.targets):
            return  # it is no answer to this scan; what was heard is told all the same
        if self.book.answer(answer) and not answer.foreign and not self._stop.is_set():
            self._ask(IPv4Address(answer.address), answer.by is Source.SELF)

    def _ask(self, address: IPv4Address, own: bool) -> None:
        if self._order.names and not own:
            self._begin(self._ask_names(address))
        if self._order.ports and not own:
            self._begin(self._ask_ports(address))

    def _begin(self, asking: Coroutine[None, None, None]) -> None:
        task = asyncio.create_task(asking)
        self._asking.add(task)
        task.add_done_callback(self._asking.discard)

    async def _ask_names(self, address: IPv4Address) -> None:
        async with self._names_gate:
            names: list[Name] = await self._asker.names_of(address, onlink=address in self._onlink)
            self.book.names(address_of(address), names)

    async def _ask_ports(self, address: IPv4Address) -> None:
        async with self._ports_gate:
            outcomes = await asyncio.gather(
                *(self._segment.stream(address, port, PORT_TIMEOUT) for port in self._order.ports)
            )
        is_open = [port for port, how in zip(self._order.ports, outcomes, strict=True) if how is Reached.OPEN]
        self.book.ports(address_of(address), is_open)

    async def _connect_far(self) -> None:
        """The last resort behind the gateway: a host that accepts or refuses a TCP connection is there."""
        far = self._order.targets - self._onlink
        if not far:
            return
        addresses = far.addresses()

        async def worker() -> None:
            for address in addresses:
                if self._stop.is_set():
                    return
                outcomes = await asyncio.gather(
                    *(self._segment.stream(address, port, PORT_TIMEOUT) for port in _CONNECT_PORTS)
                )
                if any(how is not Reached.SILENT for how in outcomes):
                    loop_time = asyncio.get_running_loop().time()
                    self._enter(Answer(address_of(address), None, Source.CONNECT, loop_time, None, False))

        await asyncio.gather(*(worker() for _ in range(64)))

    async def _drain(self) -> None:
        """Wait for names and ports, unless stopped."""
        while self._asking and not self._stop.is_set():
            await asyncio.wait(set(self._asking), timeout=0.1)

    def _stop_asking(self) -> None:
        for task in list(self._asking):
            task.cancel()

    async def _flush_often(self) -> None:
        trouble = ""
        while not self._ended.is_set():
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(self._ended.wait(), BATCH_SECONDS)
            try:
                await self._flush("sweep" if not self._asking or self._sweep_under_way() else "names")
                trouble = ""
            except Exception as error:  # what was not taken is offered again, at the latest by the last flush
                if str(error) != trouble:
                    _log.warning("results were not taken and are kept for the next time: %s", error)
                trouble = str(error)

    def _sweep_under_way(self) -> bool:
        return self._progress is None or self._progress.probes_left > 0

    async def _flush(self, phase: str) -> None:
        answers, self._answers = self._answers, []
        results = self.book.news()
        if results or answers:
            try:
                await self._sink.found(results, answers)
            except BaseException:
                self._answers[:0] = answers
                self.book.again(results)
                raise
        if self._progress is not None:
            await self._sink.stage(Stage(phase, self._progress, len(self._asking)))
