"""Gathers the facts for 'why is it silent': asks the network for one address, and the records for its past."""

from __future__ import annotations

import asyncio
from ipaddress import IPv4Address, IPv4Network

from sqlalchemy import Connection

from ...api.history import Check, Why
from ...core import why as weighing
from ...core.adapters import Adapter, AdapterError, choose
from ...core.address import Address, address_of
from ...core.mac import Mac, MacNumber
from ...core.plan.model import Plan
from ...core.span import Span, SpanSet, usable
from ...core.stays import Source
from ...probe import reaching
from ...probe.confirm import confirm
from ...probe.reaching import Came
from ...probe.results import Result
from ...probe.scan import DEFAULT_PORTS, Scan, ScanOrder, Stage
from ...probe.segment import Reached, Segment, SegmentError
from ...probe.sweep_engine import Answer
from ...store import device_queries, lease_records, scan_records
from ..context import Context, now_ms
from ..naming import resolving
from ..watching.watcher import Watcher

OTHERS = 4
DAY = 24 * 3600 * 1000
_CONNECT_SECONDS = 1.0
WORDS_FIRST = 1.2


class _Sink:
    """Keeps what a scan of one address finds."""

    def __init__(self) -> None:
        self.found_by = Source(0)

    async def found(self, results: list[Result], answers: list[Answer]) -> None:
        """See Sink.found."""
        for result in results:
            self.found_by |= result.by

    async def stage(self, stage: Stage) -> None:
        """See Sink.stage."""


def _address(context: Context, text: str) -> Address:
    with context.database.read() as connection:
        return resolving.address(context, connection, text)


async def ask(context: Context, watcher: Watcher, text: str) -> Why:
    """Why an address, or that of a device, is silent; what ARP finds out on a known link is kept like every other answer. Raises
    EditError, Missing, Ambiguous for what is none."""
    address = await asyncio.to_thread(_address, context, text)
    target = IPv4Address(address)
    adapters = context.machine.adapters()
    adapter: Adapter | None = None
    try:
        choice = choose(adapters, SpanSet.of([target]), context.settings.adapter)
        adapter, reason = choice.adapter, choice.reason
    except AdapterError as error:
        reason = str(error)
    own = any(target == one.ip for a in adapters for one in a.addresses)
    arp: tuple[MacNumber, ...] | None = None
    echo, gateway, others = False, None, None
    came = Came()
    ports: dict[int, Reached] = {}
    if adapter is not None and not own:
        segment = context.machine.open(adapter)
        try:
            arp, others = await _by_arp(context, watcher, segment, address)
            if segment.abilities().frames:
                hop, gateway = await _next_hop(segment, target, arp)
                asking = asyncio.create_task(_came(segment, hop, address))
                # Routers say few words a second (RFC 1812 4.3.2.8): connects would use them up before the echoes get theirs.
                await asyncio.wait({asking}, timeout=WORDS_FIRST)
                ports = await _ports(segment, target)
                came = await asking
                echo = bool(came.replies)
            else:
                echo, ports = await asyncio.gather(_echo(segment, address), _ports(segment, target))
                if target not in adapter.onlink and adapter.gateway is not None:
                    gateway = await _echo(segment, address_of(adapter.gateway))
        finally:
            await segment.close()
    facts = await asyncio.to_thread(
        _facts, context, address, adapter, reason, own, arp, echo, came, ports, gateway, others
    )  # fmt: skip
    told = weighing.reason(facts)
    return Why(
        address=str(target), answers=told.answers, verdict=told.verdict,
        checks=[Check(what=c.what, found=c.found, state=c.word.value) for c in told.checks], by_hand=list(told.by_hand),
    )  # fmt: skip


async def _by_arp(
    context: Context, watcher: Watcher, segment: Segment, address: Address
) -> tuple[tuple[MacNumber, ...] | None, int | None]:  # fmt: skip
    """Who answers for the address by ARP, and how many of a few other known devices do; None where ARP is not possible."""
    if address not in segment.adapter.onlink or not segment.abilities().frames:
        return None, None
    network = next(n for n in segment.adapter.networks if IPv4Address(address) in n)
    held = await asyncio.to_thread(_held, context, network)
    near = sorted((a for a in held if a != address), key=lambda a: abs(a - address))[:OTHERS]
    if context.known_links.elsewhere(segment.adapter.name):
        try:
            answers = await confirm(segment, [address, *near])
        except SegmentError:
            return None, None
    else:
        answers = await watcher.confirm([address, *near])
        if address not in answers:
            return None, None
    answered = sum(1 for a in near if answers.get(a))
    return answers.get(address, ()), answered if near else None


def _held(context: Context, network: IPv4Network) -> list[Address]:
    with context.database.read() as connection:
        return list(scan_records.held_lately(connection, context.plan.site_here, network, now_ms() - 7 * DAY))


async def _next_hop(
    segment: Segment, target: IPv4Address, arp: tuple[MacNumber, ...] | None
) -> tuple[Mac | None, bool | None]:  # fmt: skip
    """The MAC that packets to an address go to, and whether the gateway answered by ARP (None when it is not on the way)."""
    if target in segment.adapter.onlink:
        return (Mac(arp[0]) if arp else None), None
    gateway = segment.adapter.gateway
    if gateway is None:
        return None, None
    try:
        macs = (await confirm(segment, [address_of(gateway)])).get(address_of(gateway), ())
    except SegmentError:
        return None, None
    return (Mac(macs[0]) if macs else None), bool(macs)


async def _came(segment: Segment, hop: Mac | None, address: Address) -> Came:
    if hop is None:
        return Came()
    try:
        return await reaching.ask(segment, hop, address)
    except SegmentError:
        return Came()


async def _echo(segment: Segment, address: Address) -> bool:
    sink = _Sink()
    order = ScanOrder(SpanSet.of([Span.of_ints(address, address)]), pace=20.0, names=False, ports=())
    try:
        await Scan(segment, order, sink).run()
    except SegmentError:
        return False
    return Source.ECHO in sink.found_by


async def _ports(segment: Segment, target: IPv4Address) -> dict[int, Reached]:
    reached = await asyncio.gather(*(segment.stream(target, port, _CONNECT_SECONDS) for port in DEFAULT_PORTS))
    return dict(zip(DEFAULT_PORTS, reached, strict=True))


def _facts(
    context: Context, address: Address, adapter: Adapter | None, reason: str, own: bool, arp: tuple[MacNumber, ...] | None,
    echo: bool, came: Came, ports: dict[int, Reached], gateway: bool | None, others: int | None,
) -> weighing.Facts:  # fmt: skip
    here = context.plan.site_here
    now = now_ms()
    with context.plan.reading() as plan:
        subnet = plan.subnet_at(here, address)
        band = plan.band_at(subnet.id, address) if subnet is not None else None
        item = plan.at(here, address)
    with context.findings.looking() as world:
        silent = subnet is not None and world.dhcp.asks.get(subnet.id, (0, 0))[1] >= 2
    with context.database.read() as connection:
        stays = device_queries.stays_at(connection, here, address, 5)
        lease = next(iter(lease_records.at_addresses(connection, here, [address]).get(address, [])), None)
        owner = item.mac if item is not None and item.mac is not None else (stays[0].mac if stays else None)
        moved = []
        if owner is not None:
            at_home = max((s.last for s in stays if s.mac == owner), default=0)
            moved = [
                (s.address, s.last)
                for s in device_queries.stays_of(connection, [owner], 5)
                if s.address != address and s.last > at_home and now - s.last < DAY
            ]
        words = [
            weighing.PathWord(one.source, _called(connection, plan, here, one.source), one.kind, one.code)
            for one in came.words
        ]
        devices = {}
        for stay in stays:
            if stay.mac is not None and (found := device_queries.device_of_mac(connection, stay.mac)) is not None:
                row = device_queries.one(connection, found)
                devices[stay.mac] = row.called if row is not None else ""
    network = (
        subnet.network
        if subnet is not None
        else next((n for a in ([adapter] if adapter else []) for n in a.networks if IPv4Address(address) in n), None)
    )
    inside = network is None or IPv4Address(address) in usable(network)
    elsewhere = (
        context.known_links.of(adapter.name).said if adapter and context.known_links.elsewhere(adapter.name) else ""
    )
    seen = [weighing.SeenBefore(s.mac, devices.get(s.mac, "") if s.mac is not None else "", s.last) for s in stays]
    return weighing.Facts(
        address=address, now=now, adapter=adapter.name if adapter else None, why_adapter=reason,
        onlink=adapter is not None and address in adapter.onlink, own=own, elsewhere=elsewhere, usable=inside,
        subnet=subnet, band=band, assignment=item, arp=arp, echo=echo,
        ports=[port for port, how in ports.items() if how is Reached.OPEN], asked_ports=len(DEFAULT_PORTS),
        gateway=gateway, others_answer=others, lease_to=lease.lease.mac if lease else None,
        lease_name=lease.lease.name if lease else "", lease_until=lease.lease.expires if lease else None, stays=seen,
        moved_to=moved, dhcp_silent=silent, slowest=max((one.after for one in came.replies), default=None),
        refused=[port for port, how in ports.items() if how is Reached.REFUSED], words=words,
    )  # fmt: skip


def _called(connection: Connection, plan: Plan, site: int, address: Address) -> str:
    """How whoever has an address is called: its device in the plan, or whoever was seen there last."""
    item = plan.at(site, address)
    device = item.device if item is not None else None
    if device is None and (holders := device_queries.last_holders(connection, site, [address])):
        device = device_queries.device_of_mac(connection, holders[address])
    row = device_queries.one(connection, device) if device is not None else None
    return row.called if row is not None else ""
