"""What the plan said at a moment, as rows and sentences."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import Connection

from ...api.common import SubnetRef
from ...api.history import PlannedThen
from ...core.address import Address, dotted
from ...core.mac import Mac, MacNumber
from ...core.plan.model import Assignment, AssignmentKind, Plan
from ...store import past_plan_queries
from ..context import Context
from ..refs import band_ref, subnet_ref

Told = tuple[list[PlannedThen], list[str]]
PLAN = "The plan at that time"
_OFF = {True: "", False: ", but switched off"}


def of_macs(context: Context, connection: Connection, macs: Sequence[MacNumber], moment: int) -> Told:
    """Where some MACs were planned to be at a moment (UTC ms): the assignments, and a sentence."""
    plan = past_plan_queries.of_macs(connection, moment, macs)
    site = _here(context, plan)
    items = [item for mac in macs for item in plan.of_mac(mac) if item.site == site]
    return [_row(plan, item) for item in items], [_at(items)]


def of_subnet(context: Context, connection: Connection, first: int, last: int, moment: int) -> Told:
    """How many addresses of first..last were assigned at a moment (UTC ms): no assignments, only a sentence."""
    count = past_plan_queries.count_on(connection, moment, context.plan.site_here, first, last)
    return [], [f"{PLAN}: {count:,} of its addresses assigned."]


def of_address(context: Context, connection: Connection, address: Address, moment: int) -> Told:
    """Whom an address was planned for at a moment (UTC ms): the assignment, and a sentence."""
    plan = past_plan_queries.around(connection, moment, address, address)
    site = _here(context, plan)
    item = plan.at(site, address)
    return ([_row(plan, item)], [_for(item)]) if item is not None else ([], [_unplanned(plan, site, address)])


def _here(context: Context, plan: Plan) -> int:
    return plan.here.id if plan.here is not None else context.plan.site_here


def _row(plan: Plan, item: Assignment) -> PlannedThen:
    band = plan.band_at(item.subnet, item.address)
    subnet = plan.subnets.get(item.subnet)
    return PlannedThen(
        address=dotted(item.address), kind=item.kind.value, on=item.on,
        mac=str(Mac(item.mac)) if item.mac is not None else None, name=item.name, role=item.role,
        subnet=subnet_ref(subnet) if subnet is not None else SubnetRef(id=None, cidr="", name=""),
        band=band_ref(band) if band else None,
    )  # fmt: skip


def _for(item: Assignment) -> str:
    """Whom an address was planned for."""
    who = item.title
    if item.mac is not None and item.name:
        who += f" ({Mac(item.mac)})"
    how = "reserved for" if item.kind is AssignmentKind.RESERVED else "assigned to"
    return f"{PLAN}: {how} {who}{_OFF[item.on]}."


def _at(items: list[Assignment]) -> str:
    """Where a device was planned to be."""
    if not items:
        return f"{PLAN}: no address for it."
    places = [
        f"{dotted(item.address)} {'reserved' if item.kind is AssignmentKind.RESERVED else 'assigned'}{_OFF[item.on]}"
        for item in items
    ]
    return f"{PLAN}: {', '.join(places)}."


def _unplanned(plan: Plan, site: int, address: Address) -> str:
    subnet = plan.subnet_at(site, address)
    if subnet is None:
        return f"{PLAN}: no subnet around it."
    band = plan.band_at(subnet.id, address)
    where = f", in {band.title}" if band is not None else ""
    return f"{PLAN}: for nobody{where}."
