"""Moving a device to another address, and putting a new box in the place of an old one: fittings of what is in the roster already.
What they change is changed at once, so that nobody else takes it, and taken back when they are given up."""

from __future__ import annotations

import asyncio
from ipaddress import IPv4Address

from ...api.fitting import ChangeOverNew
from ...api.plan import Search
from ...core.address import Address, address_of, dotted
from ...core.fitting.progress import Progress
from ...core.mac import Mac, MacNumber
from ...core.plan.model import Assignment
from ...store import fitting_records
from ...store.edits import EditError
from ...store.fitting_records import NewDevice
from ..changing import undoing
from ..context import Context, now_ms
from ..devices import device_edits
from ..naming import request_values, resolving
from ..plan import planning, proving
from . import fitting_edits


async def begin(context: Context, who: str, request: ChangeOverNew) -> int:
    """Begin to move a device, to replace its box, or both; gives the fitting's id. Raises EditError, Missing, Ambiguous,
    PlanRefused."""
    identity, item, mac = await asyncio.to_thread(_understood, context, request)
    moves = bool(request.address or request.where)
    async with proving.promising(context) as mine:
        address = await _address(context, request, item, mine) if moves else item.address
        return await asyncio.to_thread(_store, context, who, request, identity, item, mac, address)


def _understood(context: Context, request: ChangeOverNew) -> tuple[int, Assignment, MacNumber | None]:
    """The device, its assignment here, and the new box's MAC where there is one."""
    mac = request_values.maybe_mac(request.mac)
    if mac is None and not request.address and not request.where:
        raise EditError("say what is to change: the new box's MAC, or another address, or where that is to be", "mac")
    with context.database.read() as connection, context.plan.reading() as plan:
        identity = resolving.device_to_change(context, connection, str(request.device))
        items = [one for one in plan.of_device(identity) if one.site == context.plan.site_here]
        if len(items) != 1:
            has = "no address" if not items else f"{len(items)} addresses"
            raise EditError(f"it has {has} in the plan; a change-over is of a device that has one", "device")
        item = items[0]
        if mac is None and item.mac is None:
            raise EditError(f"{dotted(item.address)} is planned without a MAC; say which box it is", "mac")
        for row in fitting_records.open_devices(connection):
            if row.mac in (mac, item.mac):
                raise EditError(f"{Mac(row.mac)} is being fitted already, in fitting {row.fitting}", "device")
    return identity, item, mac


async def _address(
    context: Context, request: ChangeOverNew, item: Assignment, mine: set[tuple[int, Address]]
) -> Address:
    """The new address: the one asked for where nobody has it, or the best free one."""
    if request.address:
        return await fitting_edits.given(context, item.site, request.address, item.mac)
    answer = await proving.search(context, Search(where=request.where, role=item.role, count=1, ask=True), mine)
    if not answer.candidates:
        raise EditError(f"no free address is left in {request.where}; widen a band or name another", "where")
    return address_of(IPv4Address(answer.candidates[0].address))


def _store(
    context: Context, who: str, request: ChangeOverNew, identity: int, item: Assignment, mac: MacNumber | None, address: Address
) -> int:  # fmt: skip
    done: list[int] = []
    try:
        if mac is not None:
            make = device_edits.swap_hardware(identity, mac, item.mac)
            done.append(context.plan.edit_records(who, make, anyway=True).change)
        if address != item.address:
            done.append(context.plan.edit(who, planning.move(item.id, address, None), anyway=request.anyway).change)
    except Exception:
        undoing.undo(context, who, done)
        raise
    box = mac if mac is not None else item.mac
    assert box is not None
    olds = (item.address,) if address != item.address else ()
    new = NewDevice(box, item.name, address, item.id, False, tuple(done), Progress(olds=olds))
    with context.plan.reading() as plan:
        subnet = plan.subnets.get(plan.assignments[item.id].subnet)
    values = {
        "site": item.site, "kind": None, "role": item.role, "place": subnet.name if subnet is not None else "", "who": who,
    }  # fmt: skip
    with context.database.write() as connection:
        return fitting_records.begin(connection, values, [new], now_ms())
