"""Helps a device that waits for its reservation: when it asks by itself, what has it ask at once, and ending its old lease.

A device goes on using what it was given, whatever its server remembers. So an old lease is ended only when its address, asked now,
is silent while another device of the link answers."""

from __future__ import annotations

import asyncio
from dataclasses import dataclass
from ipaddress import IPv4Network

from ...api.common import ServerRef
from ...api.plan import LeaseEnded, Renewal
from ...core.address import Address, dotted
from ...core.mac import Mac
from ...core.plan.following import Lease, State
from ...core.plan.model import Assignment, HandedOut
from ...core.plan.renewing import how, times
from ...dhcp.server import ServerTrouble
from ...probe.confirm import confirm
from ...store import lease_records
from ...store.edits import Missing
from .. import views
from ..context import Context, now_ms
from ..plan import plan_views
from ..web.problems import Refusal
from .dhcp_servers import DhcpServers
from .sheets import adapter_on

PATIENCE = 1.5


@dataclass(frozen=True, slots=True)
class _Waiting:
    """A reservation that waits for its device, and the lease that the device holds instead."""

    item: Assignment
    lease: Lease
    server: int
    server_name: str
    network: IPv4Network
    seconds: int
    role: str


def renewal(context: Context, servers: DhcpServers, assignment: int) -> Renewal | None:
    """How a reservation comes into effect; None when nothing stands in its way. Raises Missing."""
    found = _waiting(context, assignment)
    if found is None:
        return None
    when = times(found.lease, found.seconds, now_ms())
    return Renewal(
        address=dotted(found.lease.address), server=ServerRef(id=found.server, name=found.server_name),
        renews=views.maybe_time(when.renews), rebinds=views.maybe_time(when.rebinds), ends=views.maybe_time(when.ends),
        how=list(how(found.role)), can_end=_can_end(servers, found.server),
    )  # fmt: skip


def _can_end(servers: DhcpServers, identity: int) -> bool:
    try:
        return servers.server(servers.row(identity)).ends_leases
    except ServerTrouble:
        return False


def _waiting(context: Context, assignment: int) -> _Waiting | None:
    with context.database.read() as connection, context.plan.reading() as plan:
        item = plan.assignments.get(assignment)
        if item is None:
            raise Missing(f"there is no assignment {assignment}")
        followed = plan_views.look_around(connection, plan, [item]).followed.get(item.id)
        if item.mac is None or followed is None or followed.state is not State.WAITING:
            return None
        now = now_ms()
        rows = lease_records.of_macs(connection, item.site, [item.mac]).get(item.mac, [])
        row = next((one for one in rows if one.lease.active(now)), None)
        if row is None:
            return None
        subnet = plan.subnet_at(item.site, row.lease.address)
        if subnet is None:
            return None
        band = plan.band_at(subnet.id, row.lease.address)
        options = (band.options if band is not None else HandedOut()).over(subnet.handed_out)
        return _Waiting(item, row.lease, row.server, row.server_name, subnet.network, options.lease_seconds, item.role)


async def end_lease(context: Context, servers: DhcpServers, assignment: int) -> LeaseEnded:
    """End the old lease of a device that waits for its reservation. Raises Missing, ServerTrouble, SegmentError, and Refusal: when
    it holds none, when its address still answers, and when nobody can say whether it does."""
    found = await asyncio.to_thread(_waiting, context, assignment)
    if found is None:
        raise Refusal(409, "nothing_to_end", "the device holds no other lease that could be ended")
    if not await asyncio.to_thread(_can_end, servers, found.server):
        raise Refusal(
            409,
            "cannot_end",
            f"{found.server_name} has no command that ends a lease; its device renews, or it runs out",
        )
    await asyncio.to_thread(servers.read_leases, found.server)  # by now somebody else may have been given that address
    if await asyncio.to_thread(_waiting, context, assignment) != found:
        raise Refusal(409, "nothing_to_end", "the server tells otherwise by now; look at the reservation again")
    said = await _silent(context, found)
    await asyncio.to_thread(servers.end_lease, found.server, found.lease.address)
    return LeaseEnded(
        address=dotted(found.lease.address), server=ServerRef(id=found.server, name=found.server_name), said=said
    )


async def _silent(context: Context, found: _Waiting) -> str:
    """By what it is known that nobody uses an address; Refusal where it is used, or where nobody can say."""
    address, old = found.lease.address, dotted(found.lease.address)
    adapter = adapter_on(context, found.item.site, found.network)
    if adapter is None:
        raise Refusal(
            409,
            "cannot_say",
            f"this machine is not on the link of {found.network}, so nobody can say whether {old} is used",
        )
    controls: list[Address] = await asyncio.to_thread(context.asking.controls, adapter.name, [address])
    segment = context.machine.open(adapter)
    try:
        answers = await confirm(segment, [address, *controls], PATIENCE)
    finally:
        await segment.close()
    if macs := answers.get(address):
        whose = "its device" if found.item.mac in macs else str(Mac(macs[0]))
        raise Refusal(409, "in_use", f"{whose} answers at {old}: it goes on using it, so its lease must stay")
    control = next((one for one in controls if answers.get(one)), None)
    if control is None:
        raise Refusal(
            409,
            "cannot_say",
            f"{old} is silent, but so is every other device that was asked along: that says nothing of it",
        )
    return f"{old} was silent when asked now, while {dotted(control)} answered"
