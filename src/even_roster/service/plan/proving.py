"""Finds free addresses and proves them: candidates by the plan, evidence from the records, the word of the wire."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Mapping, Sequence
from contextlib import asynccontextmanager
from ipaddress import IPv4Address

from sqlalchemy import Connection

from ...api.events import ProofEvent
from ...api.plan import AssignmentNew, Candidate, FreeAnswer, Search
from ...core.adapters import Adapter, AdapterError, choose
from ...core.address import Address, address_of, dotted
from ...core.mac import Mac, MacNumber
from ...core.past.looks import Kind, Look
from ...core.plan.free import Wanted, candidates
from ...core.plan.model import Band, Plan, Subnet
from ...core.plan.proof import DOUBT_MS, Asked, Evidence, Grade, Heard, LeaseSeen, Proof, prove
from ...core.span import Span, SpanSet
from ...core.stays import Sighting, Source
from ...probe.prover import BY_ARP, MOST, WireWord, ask
from ...store import lease_records, seen_records
from ...store.edits import EditError, Missing
from .. import views
from ..context import Context, Promise, now_ms
from ..knowing.observing import Batch
from ..naming import request_values
from ..refs import band_ref, subnet_ref
from ..scans.running_scans import describe_segment

_FOR_EVER = 1 << 52
BY_MEANS = {Asked.PROBES: Source.ARP, Asked.KERNEL: Source.NEIGHBOUR}
"""How a device on the own link answers, by how it was asked."""
ROUNDS = 4
PATIENCE = 0.2


def candidate(proof: Proof) -> Candidate:
    """A proof as the API gives it."""
    seen = proof.last_seen
    return Candidate(
        address=dotted(proof.address),
        grade=proof.grade.value,
        band=band_ref(proof.band) if proof.band else None,
        reasons=list(proof.reasons),
        last_seen=views.maybe_time(seen.at) if seen else None,
        last_mac=str(Mac(seen.mac)) if seen and seen.mac is not None else None,
    )


async def search(context: Context, request: Search, mine: set[Promise] | None = None) -> FreeAnswer:
    """Free addresses, proven. Raises Missing, EditError.

    Those that turn out to be taken on the wire are left out and others are tried in their place, ever more at once. With `mine`
    each is promised to whoever asks before it is proven, so that nobody who asks beside it gets the same; where all that is left
    is promised to others, it waits until they have made up their minds.
    """
    site, subnet, band = await asyncio.to_thread(_where, context, request)
    proven: list[Proof] = []
    refused: set[int] = set()
    rounds = 0
    while rounds < ROUNDS and len(proven) < request.count:
        more = request.count - len(proven)
        at_once = more if request.adjacent else min(more * 8**rounds, max(MOST, more))
        others = set() if mine is None else {one for place, one in context.promised - mine if place == site}
        left_out = refused | others | {proof.address for proof in proven}
        asked = request.model_copy(update={"count": at_once})
        fresh = await asyncio.to_thread(_candidates, context, subnet, band, asked, left_out)
        clash = mine is not None and any((site, address) in context.promised for address in fresh)
        if clash or (others and not fresh):
            await asyncio.sleep(PATIENCE)  # promised to somebody else meanwhile
            continue
        if not fresh:
            break
        promised = {(site, address) for address in fresh}
        if mine is not None:
            mine |= promised
            context.promised |= promised
        rounds += 1
        proofs = await prove_all(context, site, fresh, request.ask)
        taken = {p.address for p in proofs if p.grade is Grade.TAKEN}
        refused |= taken
        if request.adjacent and taken:
            fit: list[Proof] = []
        else:
            fit = sorted((p for p in proofs if p.grade is not Grade.TAKEN), key=lambda p: p.grade is not Grade.CLEAR)[
                :more
            ]
        proven += fit
        if mine is not None:
            spare = promised - {(site, proof.address) for proof in fit}
            mine -= spare
            context.promised -= spare
    if not request.adjacent:
        proven.sort(key=lambda p: p.grade is not Grade.CLEAR)
    return FreeAnswer(subnet=subnet_ref(subnet), candidates=[candidate(p) for p in proven])


@asynccontextmanager
async def promising(context: Context) -> AsyncIterator[set[Promise]]:
    """Addresses that are promised to nobody else until the block ends."""
    mine: set[Promise] = set()
    try:
        yield mine
    finally:
        context.promised -= mine


@asynccontextmanager
async def chosen(context: Context, request: AssignmentNew) -> AsyncIterator[Address]:
    """The best free address for a new assignment, promised to nobody else until the block ends. Raises Missing, EditError."""
    async with promising(context) as mine:
        wanted = Search(where=request.where, site=request.site, role=request.role, count=1, ask=True)
        answer = await search(context, wanted, mine)
        if not answer.candidates:
            found = answer.subnet
            where = request.where or (found.name or found.cidr if found else "the plan")
            raise EditError(f"no free address is left in {where}; widen a band or name another", "where")
        yield address_of(IPv4Address(answer.candidates[0].address))


def _where(context: Context, request: Search) -> tuple[int, Subnet, Band | None]:
    with context.plan.reading() as plan:
        site = request_values.site(plan, request.site, context.plan.site_here)
        if request.where:
            band = request_values.find_band(plan, site, request.where)
            if band is not None:
                return site, plan.subnets[band.subnet], band
            stretch = request_values.find_stretch(plan, site, request.where)
            if stretch is not None:
                return site, plan.subnets[stretch.subnet], stretch
            subnet = request_values.known_subnet(plan, site, request.where)
        else:
            subnet = _for_role(plan, site, request.role)
        if subnet.supernet:
            raise EditError(f"{subnet.name or subnet.network} is a supernet; name one of its subnets", "where")
        return site, subnet, None


def _for_role(plan: Plan, site: int, role: str) -> Subnet:
    """The one subnet that a role is planned in."""
    if not role:
        raise EditError("say where: name a subnet or a band, or a role that has a band of its own", "where")
    found = [s for s in plan.subnets_of(site) if any(role in b.roles for b in plan.bands_of(s.id))]
    if len(found) == 1:
        return found[0]
    if not found:
        raise Missing(f"no band is planned for the role {role!r}; name the subnet")
    names = ", ".join(s.name or str(s.network) for s in found)
    raise EditError(f"several subnets have a band for {role}: {names}; name one", "where")


def _candidates(
    context: Context, subnet: Subnet, band: Band | None, request: Search, refused: set[int]
) -> list[Address]:
    plan, held = context.plan.plan, context.plan.held(subnet.site).copy()
    for address in refused:
        held.add(address)
    for first, last in context.plan.claims(subnet.site).runs():
        held.cover(first, last)
    wanted = Wanted(request.count, request.adjacent, request_values.role(request.role, plan))
    with context.plan.seeing(subnet.site) as seen:
        return [Address(one) for one in candidates(plan, subnet, wanted, seen, held, band)]


async def prove_all(context: Context, site: int, addresses: Sequence[Address], ask_wire: bool) -> list[Proof]:
    """Prove addresses of one site, in the order given."""
    words: dict[Address, WireWord] = {}
    alone: tuple[Address, ...] = ()
    if ask_wire and site == context.plan.site_here:
        words, alone = await _ask_wire(context, list(addresses)[:MOST])
    return await asyncio.to_thread(_weigh, context, site, addresses, words, alone)


async def _ask_wire(context: Context, addresses: list[Address]) -> tuple[dict[Address, WireWord], tuple[Address, ...]]:
    """What the wire says of some addresses. Devices that answered last are asked along on their link, as controls: gives where, if
    none of them answered, nor any other there."""
    targets = SpanSet.of(Span.of_ints(a, a) for a in addresses)
    try:
        # An adapter on the addresses' own link sees most; the service's usual one is for what no adapter is on.
        choice = choose(context.machine.adapters(), targets, None)
        if not choice.adapter.onlink & targets and context.settings.adapter:
            choice = choose(context.machine.adapters(), targets, context.settings.adapter)
    except AdapterError as error:
        return {a: WireWord(Asked.FAILED, why_not=str(error)) for a in addresses}, ()
    segment = context.machine.open(choice.adapter)

    def told(part: float) -> None:
        context.hub.publish(ProofEvent(addresses=[dotted(a) for a in addresses], done_part=round(part, 2)))

    onlink = choice.adapter.onlink
    near = [a for a in addresses if a in onlink]
    controls = await asyncio.to_thread(context.asking.controls, choice.adapter.name, near) if near else []
    controls = [a for a in controls if a in onlink]
    began = now_ms()
    words = await ask(segment, [*addresses, *controls], told)
    answers = {
        a: tuple(heard.mac for heard in words[a].heard if heard.mac is not None and _is_answer(heard))
        for a in (*near, *controls)
        if words[a].asked in BY_MEANS
    }
    if not answers:
        return words, ()
    answered = any(answers.values())
    await asyncio.to_thread(_looked, context, choice.adapter, near, answers, words, began)
    return words, () if answered else tuple(controls)


def _looked(
    context: Context, adapter: Adapter, near: Sequence[Address], answers: Mapping[Address, tuple[MacNumber, ...]],
    words: Mapping[Address, WireWord], began: int,
) -> None:  # fmt: skip
    """What a proof found on the own link is a look like any other."""
    controlled, by = any(answers.values()), BY_MEANS[words[near[0]].asked]
    context.asking.over(answers, adapter.name, controlled=controlled, by=by)
    spans = SpanSet.of(Span.of_ints(a, a) for a in near)
    context.looks.over([Look(Kind.ROUND, by, adapter.name, spans, began, now_ms(), controlled)])
    sightings = [
        Sighting(address, heard.mac, now_ms(), Source.OVERHEARD if heard.overheard else by)
        for address in answers
        for heard in words[address].heard
        if heard.mac is not None and (heard.overheard or _is_answer(heard))
    ]
    if sightings:
        seen = describe_segment(adapter, spans, context.known_links)
        context.observer.observe([Batch(seen, seen.adapter, sightings)])


def _is_answer(heard: Heard) -> bool:
    """True for a reply to us, or one that the system's own ARP had."""
    return not heard.overheard and (heard.by == BY_ARP or "neighbour" in heard.by)


def _weigh(
    context: Context, site: int, addresses: Sequence[Address], words: dict[Address, WireWord], alone: tuple[Address, ...]
) -> list[Proof]:  # fmt: skip
    now = now_ms()
    here = site == context.plan.site_here
    own = {int(a.ip) for adapter in context.machine.adapters() for a in adapter.addresses} if here else set()
    with context.database.read() as connection:
        evidence = gather(connection, site, addresses, words, own, now, alone)
    claims = context.plan.claims(site)
    with context.plan.reading() as plan:
        return [prove(plan, site, address, evidence[address], now, claims.at(address)) for address in addresses]


def gather(
    connection: Connection,
    site: int,
    addresses: Sequence[Address],
    words: dict[Address, WireWord],
    own: set[int],
    now: int,
    alone: tuple[Address, ...] = (),
) -> dict[Address, Evidence]:
    """Everything the records and the wire say of some addresses."""
    wanted = list(addresses)
    leases = lease_records.at_addresses(connection, site, wanted)
    holders = seen_records.last_holders(connection, site, wanted)
    names = seen_records.names_for(connection, wanted, now - DOUBT_MS)
    found = {}
    for address in wanted:
        word = words.get(address, WireWord(Asked.NO))
        row = next(iter(leases.get(address, ())), None)
        lease = None
        if row is not None:
            until = row.lease.expires if row.lease.expires is not None else now + _FOR_EVER
            lease = LeaseSeen(row.lease.mac, row.lease.name, until, row.server_name)
        found[address] = Evidence(
            word.asked, word.heard, lease, holders.get(address), tuple(names.get(address, ())), address in own,
            word.why_not, alone if word.asked in BY_MEANS else (),
        )  # fmt: skip
    return found
