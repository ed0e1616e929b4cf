"""Starts, follows and stops scans; writes what they find into the roster; tells everybody by events."""

from __future__ import annotations

import asyncio
import logging
import random
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection

from ...api.common import DeviceRef
from ...api.events import ScanEvent
from ...api.scans import AddressResult, ScanInfo, ScanRequest
from ...core import targets as target_rules
from ...core.absence import ANSWERS
from ...core.adapters import Adapter, AdapterError, Choice, choose
from ...core.address import Address, address_of
from ...core.mac import NOBODY, MacNumber
from ...core.past.looks import Kind, Look
from ...core.ranges import RangeError, parse
from ...core.span import SpanSet
from ...core.stays import Sighting, Source
from ...probe.results import Result
from ...probe.scan import DEFAULT_PORTS, Outcome, Scan, ScanOrder, Stage
from ...probe.segment import SegmentError
from ...probe.sweep_engine import Answer
from ...store import device_queries, scan_records, watch_records
from ...store.database import DiskFull
from ...store.intake import NameHeard
from ...store.rows import RangeRow
from ...store.scan_records import ResultRow, SegmentSeen
from .. import views
from ..context import Context, now_ms
from ..knowing.known_links import KnownLinks
from ..knowing.observing import Batch
from ..web.problems import Refusal

_log = logging.getLogger(__name__)
EXPECTED_FOR_MS = 60 * 24 * 3600 * 1000
MOST_IN_EVENT = 300
FULL_SECONDS = 2.0
SPOT_CHECK = 16  # a shorter range is a look at a few addresses, not one to be scanned again tomorrow
NO_PORTS = "more than 4,096 addresses: open ports were not asked; name the ports to have them asked"
UNCONTROLLED = (
    "nobody answered who was known before: this look says nothing of who is gone; look whether this machine's own cable and port "
    "are well"
)


@dataclass(frozen=True, slots=True)
class Resolved:
    """A request made definite: what is scanned, from where, and why just that."""

    spans: SpanSet
    canonical: str
    adapter: Adapter
    reason: str
    segment: SegmentSeen
    remember: bool


def describe_segment(adapter: Adapter, spans: SpanSet, links: KnownLinks) -> SegmentSeen:
    """The segment a scan is made on: the adapter's subnet that holds most of the range; another network with the same
    addresses is a segment of its own."""
    networks = adapter.networks
    best = max(networks, key=lambda network: len(SpanSet.of([network]) & spans))
    link = links.of(adapter.name)
    other = link.gateway_mac or -1 if links.elsewhere(adapter.name) else None
    return SegmentSeen(adapter.name, str(best), address_of(adapter.gateway) if adapter.gateway else None, other)


class RunningScans:
    """All scans of one service. At most one runs per segment."""

    def __init__(self, context: Context) -> None:
        self._context = context
        self._running: dict[int, RunningScan] = {}

    @property
    def running(self) -> list[int]:
        """The ids of running scans."""
        return sorted(self._running)

    def resolve(self, request: ScanRequest) -> Resolved:
        """What a request means here and now. Raises RangeError, TargetError, AdapterError."""
        adapters = self._context.machine.adapters()
        wanted = request.adapter or self._context.settings.adapter
        with self._context.database.read() as connection:
            ranges = scan_records.remembered(connection)
            subnets = scan_records.known_subnets(connection)
        names = {**self._context.plan.named_ranges(), **{row.name: parse(row.text) for row in ranges if row.name}}
        if request.targets:
            text = ", ".join(target.strip() for target in request.targets)
            if not text.strip(", ") or any(not target.strip() for target in request.targets):
                raise RangeError(text, 0, len(text), "the target is empty", "write a range such as 10.44.10.0/24")
            if request.exceptions:
                text += f" except {', '.join(request.exceptions)}"
            spans = parse(text, names)
            choice = choose(adapters, spans, wanted)
            reason = choice.reason
        else:
            choice, text, reason = self._untyped(adapters, wanted, ranges, request.exceptions)
            spans = parse(text)
        canonical = str(spans)
        spans = target_rules.scannable(spans, choice.adapter.networks)
        if not spans:
            raise RangeError(text, 0, len(text), f"{text} holds no host's address", "scan a subnet or a host")
        known = self._context.plan.known()
        for subnet in subnets:
            known |= parse(subnet)
        onlink = choice.adapter.onlink
        target_rules.check(
            spans, canonical, pace=request.pace, rounds=request.rounds, confirmed=request.confirm, known=known | onlink
        )
        segment = describe_segment(choice.adapter, spans, self._context.known_links)
        remember = bool(request.targets) and len(spans) >= SPOT_CHECK
        return Resolved(spans, canonical, choice.adapter, reason, segment, remember)

    def _untyped(
        self, adapters: list[Adapter], wanted: str | None, ranges: list[RangeRow], exceptions: list[str]
    ) -> tuple[Choice, str, str]:
        """Nothing was named: the remembered ranges of this segment, else the adapter's own subnet."""
        choice = choose(adapters, None, wanted)
        adapter = choice.adapter
        own = {str(network) for network in adapter.networks}
        here = [row.text for row in ranges if row.subnet in own]
        text = ", ".join(here) if here else ", ".join(sorted(own))
        what = "the remembered ranges of this segment" if here else "nothing was named, so the adapter's own subnet"
        if exceptions:
            text += f" except {', '.join(exceptions)}"
        return choice, text, f"{what}: {text}; {choice.reason}"

    async def start(self, request: ScanRequest, who: str) -> ScanInfo:
        """Begin a scan. Raises Refusal when one runs on the segment already, and what `resolve` raises."""
        resolved = await asyncio.to_thread(self.resolve, request)
        for scan in self._running.values():
            if scan.info.segment == resolved.segment.subnet:
                raise Refusal(409, "busy", f"scan {scan.info.id} runs on {scan.info.segment}; wait or stop it first")
        running = await asyncio.to_thread(self._prepare, request, resolved, who)
        self._running[running.info.id] = running
        running.task = asyncio.create_task(running.run(), name=f"scan-{running.info.id}")
        running.task.add_done_callback(lambda _: self._running.pop(running.info.id, None))
        return running.info

    def _prepare(self, request: ScanRequest, resolved: Resolved, who: str) -> RunningScan:
        context = self._context
        segment = context.machine.open(resolved.adapter)
        ports, notes = request.ports, []
        if ports is None:
            small = len(resolved.spans) <= target_rules.CONFIRM_OVER
            ports = list(DEFAULT_PORTS) if small else []
            notes = [] if small else [NO_PORTS]
        at = now_ms()
        with context.database.write() as connection:
            segment_id = scan_records.segment_id(connection, resolved.segment, at)
            if resolved.remember:
                scan_records.remember(connection, segment_id, resolved.canonical, at)
            expected = set(
                scan_records.expected_addresses(connection, segment_id, resolved.spans, at - EXPECTED_FOR_MS)
            )
            identity = scan_records.begin(
                connection, segment_id=segment_id, door=segment.kind, adapter=resolved.adapter.name,
                targets=resolved.canonical, total=len(resolved.spans), started=at, who=who,
                options={"pace": request.pace, "rounds": request.rounds, "names": request.with_names, "ports": ports},
            )  # fmt: skip
        order = ScanOrder(
            targets=resolved.spans, pace=request.pace, rounds=request.rounds, names=request.with_names, ports=ports,
            expected=expected, dns=resolved.adapter.dns, own_name=context.machine.hostname,
            slow=context.reply_times[resolved.adapter.name].addresses, seed=random.randrange(1 << 30),
        )  # fmt: skip
        info = ScanInfo(
            id=identity, state="running", segment=resolved.segment.subnet, adapter=resolved.adapter.name,
            door=segment.kind, targets=resolved.canonical, total=len(resolved.spans), probes=0,
            started=views.time_of(at), seconds=0.0, answered_count=0, silent_count=len(resolved.spans),
            foreign_count=0, remarks=notes,
            who=who, reason=resolved.reason, phase="sweep", round=1, rounds=request.rounds, done_part=0.0,
        )  # fmt: skip
        running = RunningScan(
            context, segment_id, resolved.segment, info, resolved.spans, context.known_links.elsewhere(resolved.adapter.name),
            bool(expected),
        )  # fmt: skip
        running.scan = Scan(segment, order, running)
        return running

    def live(self, identity: int) -> ScanInfo | None:
        """The record of a running scan as it is now."""
        running = self._running.get(identity)
        return running.info if running else None

    def stop(self, identity: int) -> bool:
        """Ask a scan to end and keep what it found; False when it does not run."""
        running = self._running.get(identity)
        if running is None or running.scan is None:
            return False
        running.scan.stop()
        return True

    async def wait(self, identity: int) -> ScanInfo | None:
        """Until a scan has ended and its record is closed; gives how it ended, None when it was over already."""
        running = self._running.get(identity)
        if running is None or running.task is None:
            return None
        await asyncio.wait({running.task})
        return running.info

    async def close(self, seconds: float = 2.0) -> None:
        """Stop everything; scans still running after `seconds` are left to be marked interrupted at the next start."""
        tasks = {running.task for running in self._running.values() if running.task}
        for identity in self.running:
            self.stop(identity)
        if tasks:
            await asyncio.wait(tasks, timeout=seconds)


class RunningScan:
    """One scan under way: the sink that stores what it finds, and its record as it changes."""

    def __init__(
        self, context: Context, segment_id: int, where: SegmentSeen, info: ScanInfo, spans: SpanSet, elsewhere: bool,
        expected: bool,
    ) -> None:  # fmt: skip
        self._context, self._segment, self._expected = context, segment_id, expected
        self._where, self._spans, self._gateway, self._elsewhere = where, spans, where.gateway, elsewhere
        self.info = info
        self.scan: Scan | None = None
        self.task: asyncio.Task[None] | None = None
        self._began = context.monotonic()
        self._wall = now_ms()
        self._named: set[tuple[int, str, str]] = set()
        self._known_answered = False
        self._foreign: set[int] = set()

    async def run(self) -> None:
        """Run to the end and close the record, whatever happens."""
        assert self.scan is not None
        try:
            outcome: Outcome = await self.scan.run()
            state = "stopped" if outcome.stopped else "done"
            notes, probes = [*self.info.remarks, *outcome.notes], outcome.progress.probes
        except (SegmentError, AdapterError) as error:
            state, notes, probes = "failed", [*self.info.remarks, str(error)], self.info.probes
        except DiskFull as error:
            state, notes, probes = "failed", [*self.info.remarks, str(error)], self.info.probes
        except Exception:
            _log.exception("scan %d failed", self.info.id)
            state, notes, probes = (
                "failed",
                [*self.info.remarks, "the scan failed inside the service; its log says why"],
                self.info.probes,
            )
        answered = self.info.answered_count
        at = now_ms()
        if state == "done" and self._expected and not self._known_answered and not self._elsewhere:
            notes.append(UNCONTROLLED)

        def close_record() -> None:
            with self._context.database.write() as connection:
                scan_records.end(connection, self.info.id, state, at, probes, answered, notes)

        while True:
            try:
                await asyncio.to_thread(close_record)
                break
            except DiskFull as error:
                # The scan is over, but its record cannot say so yet; it is tried until there is room again.
                self._update(phase="waiting for room on the disk", remarks=[*notes, str(error)])
                self._publish([], 0)
                await asyncio.sleep(FULL_SECONDS)
        await asyncio.to_thread(self._conclude, state)
        self._update(state=state, remarks=notes, probes=probes, phase=None, seconds_left=None, done_part=1.0)
        self._publish([], 0)

    def _conclude(self, state: str) -> None:
        """Tell the findings that this look is over: who was not seen is not there; doubly claimed addresses are asked
        once more, all at once."""
        findings = self._context.findings
        if self._elsewhere:
            return
        if state == "done" and self._spans:
            found = [one.by for one in self.scan_results.values()]
            # The system's own ARP tells one MAC of an address.
            one_apiece = any(by & Source.NEIGHBOUR for by in found) and not any(by & Source.ARP for by in found)
            findings.looked(self._spans, self._wall, controlled=self._known_answered, one_apiece=one_apiece)
            answered = any(by & ANSWERS for by in found)
            controlled = self._known_answered or (answered and not self._expected)  # at first no device is known
            look = Look(Kind.SCAN, ANSWERS, self.info.adapter, self._spans, self._wall, now_ms(), controlled)
            self._context.looks.over([look])
        twice = [address for address, result in self.scan_results.items() if len(result.macs) > 1]
        self._context.asking.want(twice)
        if self._gateway is not None and (result := self.scan_results.get(self._gateway)) and len(result.macs) == 1:
            with self._context.database.write() as connection:
                if watch_records.gateway_mac(connection, self._segment) is None:
                    watch_records.learn_gateway(connection, self._segment, result.macs[0])

    async def found(self, results: list[Result], answers: list[Answer]) -> None:
        """See Sink.found: one transaction, then one event."""
        self._note_times(answers)
        self._foreign |= {result.address for result in results if result.foreign}
        # Counted here: while the thread stores, the book grows.
        known, foreign = len(self.scan_results), len(self._foreign)
        refs = await asyncio.to_thread(self._store, results, answers, known - foreign, foreign)
        shown = [self._view(result, refs) for result in results[:MOST_IN_EVENT]]
        self._publish(shown, len(results) - len(shown))

    def _note_times(self, answers: Sequence[Answer]) -> None:
        times = self._context.reply_times[self.info.adapter]
        for answer in answers:
            if answer.late:
                times.late(answer.address)
            elif answer.rtt is not None:
                times.measured(answer.address, answer.rtt)

    async def stage(self, stage: Stage) -> None:
        """See Sink.stage."""
        progress = stage.progress
        known = len(self.scan_results) - len(self._foreign)
        done = progress.probes / max(progress.probes + progress.probes_left, 1)
        self._update(
            phase=stage.phase, probes=progress.probes, answered_count=known, silent_count=self.info.total - known,
            foreign_count=len(self._foreign), round=progress.round, seconds_left=round(progress.seconds_left, 1),
            done_part=round(min(done, 0.99), 3),
        )  # fmt: skip
        self._publish([], 0)

    @property
    def scan_results(self) -> dict[Address, Result]:
        """The running book."""
        assert self.scan is not None
        return self.scan.book.results

    def _store(
        self, results: list[Result], answers: list[Answer], known: int, foreign: int
    ) -> dict[MacNumber, DeviceRef]:  # fmt: skip
        book = self.scan_results
        sightings = self._sightings(answers, book)
        names, ports = self._names_and_ports(results)
        rows = [_row(result) for result in results]
        macs = {mac for result in results[:MOST_IN_EVENT] for mac in result.macs}
        refs: dict[MacNumber, DeviceRef] = {}

        def also(connection: Connection) -> None:
            scan_records.add_results(connection, self.info.id, rows)
            scan_records.progress(connection, self.info.id, self.info.probes, known, foreign)
            refs.update(refs_of_macs(connection, macs))

        findings = self._context.findings
        heard = [
            one for one in sightings if one.source == Source.OVERHEARD and not findings.is_device(one.mac or NOBODY)
        ]
        self._context.newcomers.heard(self.info.adapter, heard)
        if not self._elsewhere:
            self._known_answered |= findings.any_known(sightings)
        self._context.observer.observe([Batch(self._where, self.info.adapter, sightings, names, ports)], also=also)
        self._named.update((one.address, one.name.name, one.name.source.value) for one in names)
        return refs

    def _sightings(self, answers: Sequence[Answer], book: dict[Address, Result]) -> list[Sighting]:
        """One sighting per pair and batch; on the link an answer without a MAC belongs to the pair that has one."""
        merged: dict[tuple[int, MacNumber | None, bool], Sighting] = {}
        for answer in answers:
            mac = answer.mac.value if answer.mac else None
            if mac is None and (result := book.get(answer.address)) and result.macs:
                continue
            at = self._wall + round((answer.at - self._began) * 1000) if answer.at else self._wall
            at = min(max(at, self._wall), now_ms())
            key = answer.address, mac, answer.by == Source.OVERHEARD
            before = merged.get(key)
            source = answer.by | before.source if before else answer.by
            merged[key] = Sighting(answer.address, mac, at, source)
        return list(merged.values())

    def _names_and_ports(self, results: Sequence[Result]) -> tuple[list[NameHeard], dict[MacNumber, list[int]]]:
        """Names and ports belong to a MAC only where one MAC holds the address; else nobody knows whose they are."""
        at, names, ports = now_ms(), [], {}
        for result in results:
            mac = result.macs[0] if len(result.macs) == 1 else None
            if mac is not None and result.ports:
                ports[mac] = result.ports
            for name in result.names:
                if (result.address, name.name, name.source.value) not in self._named:
                    names.append(NameHeard(result.address, mac, name, at))
        return names, ports

    def _view(self, result: Result, refs: dict[MacNumber, DeviceRef]) -> AddressResult:
        row = _row(result)
        rtt = (row.rtt_min, row.rtt_avg) if row.rtt_min is not None and row.rtt_avg is not None else None
        names = [(name.name, name.source.value) for name in row.names]
        return views.result(
            row.address, row.by, row.macs, names, row.ports, rtt, row.foreign, self._context.vendors, refs
        )  # fmt: skip

    def _update(self, **values: Any) -> None:
        seconds = round(self._context.monotonic() - self._began, 3)
        self.info = self.info.model_copy(update={**values, "seconds": seconds})

    def _publish(self, addresses: list[AddressResult], more: int) -> None:
        event = ScanEvent(scan=self.info, addresses=addresses, left_out=more)
        self._context.hub.publish(event)


def refs_of_macs(connection: Any, macs: set[MacNumber]) -> dict[MacNumber, DeviceRef]:
    """The devices behind MACs, by MAC."""
    owners = device_queries.devices_of_macs(connection, macs)
    refs = {row.id: views.device_ref(row) for row in device_queries.several(connection, sorted(set(owners.values())))}
    return {mac: refs[device] for mac, device in owners.items()}


def _row(result: Result) -> ResultRow:
    return ResultRow(
        result.address, int(result.by), list(result.macs), list(result.names), list(result.ports), result.rtt_min,
        result.rtt_avg, result.foreign,
    )  # fmt: skip
