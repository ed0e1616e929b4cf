"""Makes the addresses that devices have now lasting: reserved where they are leased, static where they are typed in; a role that
must not depend on a pool gets a static address of its band instead. What becomes of several devices is one change."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial
from ipaddress import IPv4Address

from ...api.common import DeviceRef
from ...api.plan import AssignmentNew, Search, SettleDone, SettledRow, SettleRequest
from ...core.address import Address, address_of, dotted
from ...core.mac import MacNumber
from ...core.names import as_hostname
from ...core.owning import planned
from ...core.plan.model import AssignmentKind, BandKind, Item, Plan, Subnet
from ...core.plan.roles import OnPool
from ...store import device_queries, lease_records
from ...store.edits import EditError, Missing
from ..context import Context, Promise, now_ms
from ..knowing.plan_book import Edit, PlanRefused
from ..naming import resolving
from ..web.problems import Ambiguous, NotByThat
from . import planning, proving

MOST = 200
PRESENT_MS = 24 * 3600 * 1000


@dataclass(frozen=True, slots=True)
class _Device:
    """A device and what it has now; `why_not` says why nothing can be made of it."""

    id: int
    name: str
    role: str
    mac: MacNumber | None = None
    address: Address | None = None
    subnet: Subnet | None = None
    kind: AssignmentKind = AssignmentKind.STATIC
    moves: bool = False
    why_not: str = ""


async def settle(context: Context, who: str, request: SettleRequest) -> SettleDone:
    """See the route. Raises EditError, PlanRefused; then nothing was changed. One device that is refused holds up none."""
    ids = list(dict.fromkeys(request.devices))
    if not 0 < len(ids) <= MOST:
        raise EditError(f"name 1 to {MOST} devices", "devices")
    found = await asyncio.to_thread(_look, context, ids)
    async with proving.promising(context) as mine:
        found = await _moved(context, found, mine)
        settled = [one for one in found if not one.why_not]
        change = None
        if settled and not request.dry_run:
            change, refused = await asyncio.to_thread(_store, context, who, settled)
            found = [replace(one, why_not=refused.get(one.id, one.why_not)) for one in found]
    return SettleDone(change_id=change, dry_run=request.dry_run, devices=[_row(one) for one in found])


def _row(one: _Device) -> SettledRow:
    return SettledRow.model_validate(
        {
            "device": DeviceRef(id=one.id, name=one.name or None) if one.id else None,
            "name": one.name,
            "address": dotted(one.address) if one.address is not None else None,
            "kind": None if one.why_not else one.kind.value,
            "moves": one.moves and not one.why_not,
            "why_not": one.why_not,
        }
    )


def _look(context: Context, named: Sequence[int | str]) -> list[_Device]:
    """What each device has now, and what its role wants."""
    now, here = now_ms(), context.plan.site_here
    with context.database.read() as connection, context.plan.reading() as plan:
        found = []
        for reference in named:
            try:
                identity = resolving.device_or_holder(context, connection, str(reference))
            except (Missing, Ambiguous, NotByThat) as error:
                found.append(_Device(0, str(reference), "", why_not=str(error)))
                continue
            if any(other.id == identity for other in found):
                continue
            device = device_queries.one(connection, identity)
            assert device is not None
            one = _Device(identity, device.called, device.role)
            has = list(plan.of_device(identity))
            macs = [adapter.mac for adapter in device_queries.adapters_of(connection, identity)]
            told = lease_records.of_macs(connection, here, macs).values()
            leases = [row.lease for rows in told for row in rows if row.lease.active(now)]
            if has:
                one = replace(one, why_not=f"it has {dotted(has[0].address)} in the plan already")
            elif leases:
                newest = max(leases, key=lambda lease: lease.expires or 1 << 60)
                one = _wanted(plan, replace(one, mac=newest.mac, address=newest.address), here, leased=True)
            elif device.last_seen and now - device.last_seen < PRESENT_MS and device.mac:
                one = _wanted(plan, replace(one, mac=device.mac, address=device.address), here, leased=False)
            else:
                one = replace(one, why_not="it has no lease and was not seen within a day")
            found.append(one)
    return found


def _wanted(plan: Plan, one: _Device, site: int, leased: bool) -> _Device:
    """What the role's policy makes of an address: reserved, static, or static elsewhere."""
    assert one.address is not None
    subnet = plan.subnet_at(site, one.address)
    if subnet is None:
        return replace(one, why_not=f"{dotted(one.address)} lies in no planned subnet")
    there = plan.at(site, one.address)
    if there is not None:
        return replace(one, why_not=planning.taken_sentence(there))
    band = plan.band_at(subnet.id, one.address)
    in_pool = band is not None and band.kind is BandKind.POOL
    if (in_pool or leased) and plan.rule(one.role).on_pool is OnPool.NEVER:
        return replace(one, subnet=subnet, moves=True)
    kind = AssignmentKind.RESERVED if in_pool or leased else AssignmentKind.STATIC
    return replace(one, subnet=subnet, kind=kind)


async def _moved(context: Context, found: Sequence[_Device], mine: set[Promise]) -> list[_Device]:
    """The same devices, those that move with proven free addresses of their roles' bands: one search for each subnet and role."""
    groups: dict[tuple[int, str], list[_Device]] = {}
    for one in found:
        if one.moves and not one.why_not and one.subnet is not None:
            groups.setdefault((one.subnet.id, one.role), []).append(one)
    moved: dict[int, _Device] = {}
    for (_, role), group in groups.items():
        subnet = group[0].subnet
        assert subnet is not None
        answer = await proving.search(
            context, Search(where=str(subnet.network), role=role, count=len(group), ask=True), mine
        )
        free = [address_of(IPv4Address(one.address)) for one in answer.candidates]
        none_left = f"no address for the role {role} is free in {subnet.name or subnet.network}"
        for number, one in enumerate(group):
            moved[one.id] = (
                replace(one, address=free[number]) if number < len(free) else replace(one, why_not=none_left)
            )
    return [moved.get(one.id, one) for one in found]


def _store(context: Context, who: str, settled: Sequence[_Device]) -> tuple[int | None, dict[int, str]]:
    """One change for all that can be; gives its id, and by device why nothing was made of the others."""
    refused: dict[int, str] = {}
    left = list(settled)
    while left:
        try:
            return context.plan.edit(
                who, partial(_edit, context.plan.site_here, left), anyway=True
            ).change or None, refused
        except PlanRefused as error:
            said = {about[1]: problem.sentence for problem in error.problems for about in problem.subjects}
            against = {one.id: said[dotted(one.address)] for one in left if one.address and dotted(one.address) in said}
            if not against:
                raise
            refused |= against
            left = [one for one in left if one.id not in against]
    return None, refused


def _edit(here: int, settled: Sequence[_Device], plan: Plan) -> Edit:
    after: list[Item] = []
    for one in settled:
        assert one.address is not None
        new = AssignmentNew(
            address=dotted(one.address), kind=one.kind.value, device=one.id, name=as_hostname(one.name), role=one.role
        )  # fmt: skip
        after += planned(planning.assign(new, here, one.address, one.mac)(plan).after)
    addresses = ", ".join(dotted(one.address) for one in settled[:8] if one.address)
    return Edit(
        "settle", "assignment", f"{len(settled)} devices", (), tuple(after),
        (None, {"devices": len(settled), "addresses": addresses}),
    )  # fmt: skip
