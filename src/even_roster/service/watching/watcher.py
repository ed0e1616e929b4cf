"""What the service does by itself: scans subnets again, checks known devices, asks for DHCP servers, confirms suspects, runs
the rules. Never two scans of one segment at once, nothing within quiet hours, nothing on a network that is not the known one.

When what is due is worked out by `core.schedule`; here it is done.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import random
import time
from collections.abc import Coroutine, Iterable, Sequence
from dataclasses import dataclass, replace
from ipaddress import IPv4Address, IPv4Network

from ...api.scans import ScanRequest
from ...core.adapters import Adapter, AdapterError
from ...core.address import Address, address_of
from ...core.findings.facts import Link
from ...core.mac import Mac, MacNumber
from ...core.past.looks import Kind, Look
from ...core.schedule import Due, Repeats, Schedule
from ...core.span import SpanSet
from ...core.stays import Sighting, Source
from ...probe import dhcp_ask, prover, stand_in
from ...probe.confirm import MOST, confirm
from ...probe.dhcp_ask import OfferHeard
from ...probe.segment import Segment, SegmentError
from ...store import (
    finding_records,
    heard_records,
    history_queries,
    scan_records,
    switch_records,
    watch_records,
)
from ...store.watch_records import Watch
from ..context import Context, now_ms
from ..knowing.observing import Batch
from ..scans.running_scans import RunningScans, describe_segment
from ..web.problems import Refusal
from .place import Place, learnt_mac

_log = logging.getLogger(__name__)
SETTLE_SECONDS = 0.5
LOOK_SECONDS = 2.0
LINK_SECONDS = 4.0
RECHECK_SECONDS = 5.0
SERVER_WAIT = 1.5
CONTROLS = 2
FOLD_AT_ONCE = 500
FOLD_REST_SECONDS = 0.05
TIDY_SECONDS = 6 * 3600.0
LARGEST = 4096
DAY = 24 * 3600 * 1000
WHO = "schedule"


@dataclass(slots=True)
class Watched:
    """One subnet that is watched: when what was done, when it is due, and why it is not."""

    schedule: Schedule
    doing: str = ""
    why_not: str = ""


class Watcher:
    """The standing work of one service."""

    def __init__(self, context: Context, scans: RunningScans) -> None:
        self._context, self._scans = context, scans
        self._wake = asyncio.Event()
        self._tasks: list[asyncio.Task[None]] = []
        self._random = random.Random()
        self._busy: dict[str, asyncio.Lock] = {}
        self.place = Place(context)
        self._servers = Repeats()
        self._client = dhcp_ask.random_mac(self._random)
        self.watched: dict[int, Watched] = {}
        self._off: tuple[tuple[int, int], ...] = ()

    def begin(self) -> None:
        """Work from now on; without `settings.watch` only rules are run and suspects confirmed."""
        work = [self._settle_all(), self._confirm_all(), self._tidy_all()]
        if self._context.settings.watch:
            work.append(self._watch_all())
        self._tasks = [asyncio.create_task(one) for one in work]

    async def close(self) -> None:
        """Stop."""
        tasks = list(self._tasks)
        for task in tasks:
            task.cancel()
        for task in tasks:
            with contextlib.suppress(asyncio.CancelledError):
                await task

    def alarm(self) -> None:
        """Something wants a directed round now; from any thread."""
        if self._context.loop is not None and not self._context.loop.is_closed():
            self._context.loop.call_soon_threadsafe(self._wake.set)

    # Rules and directed rounds

    async def _settle_all(self) -> None:
        looked = float("-inf")
        while True:
            try:
                if (now := self._context.monotonic()) - looked >= LINK_SECONDS:
                    looked = now
                    await asyncio.to_thread(self.know_links)
                await asyncio.to_thread(self._context.findings.settle)
                if await asyncio.to_thread(self._context.asking.pressing):
                    self._wake.set()
            except Exception:
                _log.exception("the rules could not be run")
            await asyncio.sleep(SETTLE_SECONDS)

    def know_links(self) -> None:
        """Tell the findings what links this machine stands on."""
        context = self._context
        links, macs, addresses = [], [], []
        adapters = [a for a in context.machine.adapters() if a.medium != "loopback" and a.addresses]
        with context.database.read() as connection:
            learnt = scan_records.gateway_macs(connection)
        for adapter in adapters:
            if adapter.mac is not None:
                macs.append(adapter.mac.value)
            addresses += [address_of(one.ip) for one in adapter.addresses]
            if context.known_links.elsewhere(adapter.name):
                continue
            gateway = address_of(adapter.gateway) if adapter.gateway is not None else None
            links.append(Link(adapter.name, tuple(adapter.networks), gateway, learnt_mac(learnt, adapter, gateway)))
        context.findings.links(links, macs, addresses)

    async def _confirm_all(self) -> None:
        loop = asyncio.get_running_loop()
        again = loop.time() + RECHECK_SECONDS
        while True:
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(self._wake.wait(), max(min(again, self._servers.due) - loop.time(), 0.05))
            self._wake.clear()
            recheck = loop.time() >= again
            if recheck:
                again = loop.time() + RECHECK_SECONDS
            try:
                addresses, subnets, proxies = await asyncio.to_thread(self._in_question, recheck)
                for subnet in self._servers.take(subnets, loop.time()):
                    self._beside(self._ask_again(subnet))
                for mac, strange in proxies:
                    self._beside(self._ask_proxy(mac, strange))
                if addresses:
                    await self.confirm(addresses)
                    await asyncio.to_thread(self._context.findings.settle)
            except Exception:
                _log.exception("a directed round failed")
                await asyncio.sleep(1.0)

    def _beside(self, asking: Coroutine[None, None, None]) -> None:
        """Ask something that takes seconds; directed rounds do not wait for it."""

        async def ask() -> None:
            try:
                await asking
                await asyncio.to_thread(self._context.findings.settle)
            except Exception:
                _log.exception("a question failed")

        task = asyncio.create_task(ask())
        self._tasks.append(task)
        task.add_done_callback(self._tasks.remove)

    def _in_question(self, recheck: bool) -> tuple[set[Address], set[int], list[tuple[MacNumber, list[Address]]]]:
        """The addresses that want a directed round now, with `recheck` those of standing findings too; the subnets whose DHCP
        servers are in question; MACs that may stand in for others, with what to ask for."""
        asking = self._context.asking
        proxies = asking.proxy_suspects() if recheck else []
        wanted = {*asking.take(), *(asking.standing() if recheck else ())}
        return {a for a in wanted if not self._is_off(a)}, self._context.findings.servers_in_question(), proxies

    def _is_off(self, address: Address) -> bool:
        """True where people switched asking off."""
        return any(first <= address <= last for first, last in self._off)

    async def _ask_again(self, identity: int) -> None:
        """Ask a link once more who hands out addresses, always as the same client, so that no pool is eaten."""
        subnet = self._context.plan.plan.subnets.get(identity)
        adapter = self._adapter(subnet.network) if subnet is not None else None
        if subnet is None or adapter is None or subnet.network not in adapter.networks:
            return
        try:
            await self.ask(adapter, subnet.network, SERVER_WAIT, client=self._client)
        except SegmentError as error:
            _log.info("the question for DHCP servers on %s: %s", adapter.name, error)

    async def _ask_proxy(self, mac: MacNumber, addresses: Sequence[Address]) -> None:
        """Find out whether a MAC has the many addresses it answers for, or stands in for others."""
        adapters = self._context.machine.adapters()
        adapter = next((a for a in adapters if a.mac is not None and addresses[0] in a.onlink), None)
        if adapter is None or self._context.known_links.elsewhere(adapter.name):
            return
        segment = self._context.machine.open(adapter)
        try:
            if segment.abilities().frames:
                told = await stand_in.ask(segment, Mac(mac), addresses)
                await asyncio.to_thread(self._context.asking.proxy_answer, mac, told)
        except SegmentError as error:
            _log.info("the question whether %s stands in for others: %s", Mac(mac), error)
        finally:
            await segment.close()

    async def confirm(
        self,
        addresses: Iterable[Address],
        doubtful: set[Address] | None = None,
        took: dict[Address, float] | None = None,
        whole: SpanSet | None = None,
    ) -> dict[Address, tuple[MacNumber, ...]]:
        """Ask on the own links who answers for some addresses, and along with them for devices that answered last, as controls;
        the findings and the records are told. To `doubtful` come those asked for where nobody answered at all, controls neither:
        of them nothing is known; to `took` the reply times that are certain, in seconds. `whole` is a range of which
        these are all that somebody held lately."""
        wanted = sorted(addresses)
        found: dict[Address, tuple[MacNumber, ...]] = {}
        looks: list[Look] = []
        for adapter in self._context.machine.adapters() if wanted else ():
            # Who speaks from a foreign address (at its factory settings) is asked on the link it was heard on.
            near = [a for a in wanted if a in adapter.onlink or self._context.asking.heard_on(a) == adapter.name]
            elsewhere = self._context.known_links.elsewhere(adapter.name)
            if not near or adapter.mac is None or adapter.medium == "loopback" or elsewhere:
                continue
            segment = self._context.machine.open(adapter)
            try:
                by = Source.ARP if segment.abilities().frames else Source.NEIGHBOUR
                for start in range(0, len(near), MOST - CONTROLS):
                    part = near[start : start + MOST - CONTROLS]
                    controls = await asyncio.to_thread(self._context.asking.controls, adapter.name, part)
                    began = now_ms()
                    patience = self._context.reply_times[adapter.name].patience([*part, *controls])
                    asking = [*part, *controls]
                    apart = await asyncio.to_thread(self._context.asking.begin, part)
                    answers = (
                        await confirm(segment, asking, patience, took, apart)
                        if by is Source.ARP
                        else await prover.by_kernel(segment, asking, took)
                    )
                    answered = any(answers.values())
                    if not answered and doubtful is not None:
                        doubtful.update(part)
                    asked = {a: macs for a, macs in answers.items() if a in set(part) or macs}
                    spans = SpanSet.of(IPv4Address(a) for a in part)
                    looks.append(Look(Kind.ROUND, by, adapter.name, spans, began, now_ms(), answered))
                    await asyncio.to_thread(self._confirmed, adapter, asked, answered, by, began)
                    found |= {a: macs for a, macs in asked.items() if a in set(part)}
            except SegmentError as error:
                _log.info("directed round on %s: %s", adapter.name, error)
            finally:
                await segment.close()
        if whole is not None and looks and all(one.controlled for one in looks) and len(found) == len(wanted):
            looks = [replace(looks[0], kind=Kind.LIGHT, spans=whole, ended=looks[-1].ended)]
        await asyncio.to_thread(self._context.looks.over, looks)
        return found

    def _confirmed(
        self, adapter: Adapter, answers: dict[Address, tuple[MacNumber, ...]], answered: bool, by: Source, began: int
    ) -> None:
        """What answered is a sighting like any other; who did not was silent, if anybody answered."""
        context, now = self._context, now_ms()
        context.asking.over(answers, adapter.name, controlled=answered, by=by, began=began)
        new = [mac for macs in answers.values() for mac in macs if not context.findings.is_device(mac)]
        barred = set(new) - context.newcomers.admitted(adapter.name, list(dict.fromkeys(new)), now)
        sightings = [Sighting(a, mac, now, by) for a, macs in answers.items() for mac in macs if mac not in barred]
        if sightings:
            seen = describe_segment(adapter, SpanSet(tuple((a, a) for a in sorted(answers))), context.known_links)
            context.observer.observe([Batch(seen, adapter.name, sightings)], told=True)

    # Schedules

    async def _watch_all(self) -> None:
        while True:
            try:
                await self.look()
            except Exception:
                _log.exception("the schedule stumbled")
            await asyncio.sleep(LOOK_SECONDS)

    async def look(self) -> None:
        """Do what is due now; at most one thing per link at a time."""
        await self.place.judge_all()
        watches = await asyncio.to_thread(self._watches)
        self.watched = {identity: one for identity, one in self.watched.items() if identity in watches}
        minute = _minute_of_day()
        off = [network for network, watch in watches.values() if not watch.on]
        self._off = tuple((address_of(n.network_address), address_of(n.broadcast_address)) for n in off)
        for identity, (network, watch) in watches.items():
            watched = self.watched.get(identity)
            if watched is None:
                last = await asyncio.to_thread(self._last_scan, network)
                schedule = Schedule(now_ms(), last, eager=self._context.settings.eager, chance=self._random.random)
                watched = self.watched[identity] = Watched(schedule)
            adapter = self._adapter(network)
            watched.why_not = self._why_not(network, watch, adapter, minute)
            if watched.why_not or watched.doing:
                continue
            due = watched.schedule.due(now_ms(), watch.every_minutes, watch.light_minutes, watch.ask_minutes)
            if adapter is None or network not in adapter.networks:
                due = [one for one in due if one is Due.SCAN]
            if due:
                watched.doing = due[0].value
                task = asyncio.create_task(
                    self._do(due[0], network, watched, adapter), name=f"{due[0].value}-{network}"
                )
                self._tasks.append(task)
                task.add_done_callback(self._tasks.remove)

    def _last_scan(self, network: IPv4Network) -> int:
        with self._context.database.read() as connection:
            return scan_records.last_full_scan(connection, self._context.plan.site_here, network)

    def _watches(self) -> dict[int, tuple[IPv4Network, Watch]]:
        context = self._context
        with context.plan.reading() as plan:
            subnets = [s for s in plan.subnets_of(context.plan.site_here) if not s.supernet]
        with context.database.read() as connection:
            set_by_hand = watch_records.all_watches(connection)
        return {s.id: (s.network, set_by_hand.get(s.id, Watch(s.id))) for s in subnets}

    def _adapter(self, network: IPv4Network) -> Adapter | None:
        """The adapter on a subnet's link, else the one whose gateway leads there."""
        adapters = [a for a in self._context.machine.adapters() if a.medium != "loopback" and a.up and a.addresses]
        near = next((a for a in adapters if network in a.networks), None)
        return near or next((a for a in adapters if a.gateway is not None), None)

    def towards(self, address: Address) -> tuple[Adapter | None, str]:
        """The adapter on an address's link, else the one whose gateway leads there; or none, and why: no way leads there, or one
        by a network that is not the known one."""
        adapters = [a for a in self._context.machine.adapters() if a.medium != "loopback" and a.up and a.addresses]
        near = next((a for a in adapters if address in a.onlink), None)
        found = near or next((a for a in adapters if a.gateway is not None), None)
        if found is None:
            return None, "no adapter leads there"
        elsewhere = self._context.known_links.elsewhere(found.name)
        return (None, self._context.known_links.of(found.name).said) if elsewhere else (found, "")

    def _why_not(self, network: IPv4Network, watch: Watch, adapter: Adapter | None, minute: int) -> str:
        if not watch.on:
            return "switched off"
        if watch.quiet(minute):
            return "quiet hours"
        if network.num_addresses > LARGEST:
            return f"larger than {LARGEST:,} addresses: scan it by hand"
        if adapter is None:
            return "no adapter leads there"
        if self._context.known_links.elsewhere(adapter.name):
            return self._context.known_links.of(adapter.name).said
        return ""

    async def _do(self, due: Due, network: IPv4Network, watched: Watched, adapter: Adapter | None) -> None:
        """One piece of work; while a link is busy the others wait for their turn."""
        assert adapter is not None
        lock = self._busy.setdefault(adapter.name, asyncio.Lock())
        try:
            async with lock:
                if due is Due.SCAN:
                    await self._scan(network)
                elif due is Due.LIGHT:
                    await self.light_check(network)
                else:
                    await self.ask(adapter, network)
            watched.schedule.done(due, now_ms())
        except (Refusal, AdapterError, ValueError, SegmentError) as error:
            watched.schedule.put_off(due, now_ms())
            _log.info("%s of %s: %s", due.value, network, error)
        except Exception:
            watched.schedule.put_off(due, now_ms())
            _log.exception("%s of %s failed", due.value, network)
        finally:
            watched.doing = ""

    async def _scan(self, network: IPv4Network) -> None:
        info = await self._scans.start(ScanRequest(targets=[str(network)], ports=[]), WHO)
        ended = await self._scans.wait(info.id)
        if ended is not None and ended.state == "failed":
            raise SegmentError("; ".join(ended.remarks) or "the scan failed")

    def _held_lately(self, network: IPv4Network) -> list[Address]:
        with self._context.database.read() as connection:
            return scan_records.held_lately(connection, self._context.plan.site_here, network, now_ms() - 7 * DAY)

    async def light_check(self, network: IPv4Network) -> int:
        """Ask for the known devices of a subnet by ARP; gives how many answered."""
        whole = SpanSet.of([network])
        answers = await self.confirm(await asyncio.to_thread(self._held_lately, network), whole=whole)
        return sum(1 for macs in answers.values() if macs)

    async def ask(
        self, adapter: Adapter, network: IPv4Network, wait: float = dhcp_ask.WAIT, client: Mac | None = None
    ) -> list[OfferHeard]:
        """Ask who hands out addresses on a subnet's link; as a certain client, or as one made up for this question unless a server
        is in question there. Raises SegmentError."""
        if client is None and await asyncio.to_thread(self._context.findings.in_question, network):
            client = self._client
        segment = self._context.machine.open(adapter)
        try:
            heard = await dhcp_ask.ask(segment, wait, client=client)
            counts = bool(heard) or await self._link_lives(segment)
        finally:
            await segment.close()
        if counts and not self._context.known_links.elsewhere(adapter.name):
            await asyncio.to_thread(self._context.findings.asked, network, [one.offer for one in heard])
        return heard

    async def _link_lives(self, segment: Segment) -> bool:
        """True unless devices that answered last on a link are all silent too: then silence says nothing of anybody."""
        controls = await asyncio.to_thread(self._context.asking.controls, segment.adapter.name, [])
        patience = self._context.reply_times[segment.adapter.name].patience(controls)
        return not controls or any((await confirm(segment, controls, patience)).values())

    # Tidying

    async def _tidy_all(self) -> None:
        while True:
            await asyncio.sleep(TIDY_SECONDS)
            try:
                await asyncio.to_thread(self.tidy)
            except Exception:
                _log.exception("old records could not be tidied")

    def tidy(self) -> tuple[int, int]:
        """Fold old stays and drop old names and findings as the settings say; gives how many stays and findings went. Others may
        write between one slice and the next."""
        database, now = self._context.database, now_ms()
        with database.read() as connection:
            kept = watch_records.kept(connection, "keeping", watch_records.USUAL_KEEPING)
        old = now - kept["stay_days"] * DAY
        stays, more = 0, True
        while more:
            with database.write() as connection:
                folded, more = history_queries.compact(connection, old, FOLD_AT_ONCE)
            stays += folded
            if more:
                time.sleep(FOLD_REST_SECONDS)
        with database.write() as connection:
            history_queries.forget_names(connection, old)
            heard_records.forget(connection, now - heard_records.KEPT_MS)
            switch_records.forget(connection, old, old // DAY)
            gone = finding_records.forget(connection, now - kept["finding_days"] * DAY)
        return stays, gone


def _minute_of_day() -> int:
    local = time.localtime(now_ms() / 1000)
    return local.tm_hour * 60 + local.tm_min
