"""Finds the switches of some ranges and has them read from now on. Communities are sent only to who has the role `network`, by plan
or by hand: a range is no address that somebody picked."""

from __future__ import annotations

import asyncio

from sqlalchemy import Connection, select

from ...api.common import DeviceRef
from ...api.switches import Credential, SwitchSearch
from ...core.address import Address
from ...core.switches.reading import Reading
from ...store import device_queries
from ...store.address_column import NO_ADDRESS
from ...store.edits import EditError
from ...store.tables import devices
from ..context import Context, now_ms
from ..naming import resolving
from ..views import device_ref
from . import credential_edits, switch_edits
from .switch_reader import SwitchReader, Unread

NETWORK = "network"
MOST = 500
AT_ONCE = 8


async def search(
    context: Context, reader: SwitchReader, who: str, request: SwitchSearch
) -> tuple[list[int], list[tuple[Address, str]]]:  # fmt: skip
    """The switches that were added, and the addresses that were not, with why. Raises EditError, Missing."""
    wanted, ways = await asyncio.to_thread(_wanted, context, request)
    await reader.fill()
    gate = asyncio.Semaphore(AT_ONCE)

    async def ask(address: Address) -> tuple[Address, int, tuple[Reading, int] | Unread]:
        async with gate:
            told = await reader.ask(address, ways)
        return address, now_ms(), told

    added: list[int] = []
    refused: list[tuple[Address, str]] = []
    claimed: set[Address] = set()
    # In the order of their addresses, whoever answered first: of an agent with several of them it is always the same that is kept.
    for address, at, told in await asyncio.gather(*(ask(address) for address in wanted)):
        if isinstance(told, Unread):
            refused.append((address, told.why))
            continue
        reading, works = told
        if not reading.ports:
            refused.append(
                (address, "it answers, and tells nothing of its interfaces: its credential may see too little")
            )
            continue
        other = reader.same_agent(reading, address)
        mine = {*reading.addresses, address}
        if other is not None or mine & claimed:
            name = other.called if other is not None else reading.description.name
            refused.append((address, f"it is {name}, which is read already by another of its addresses"))
            continue
        claimed.update(mine)
        name = await asyncio.to_thread(called, context, address)
        credential = works if request.credential is not None else None
        try:
            identity = await asyncio.to_thread(
                switch_edits.add, context, who, address, name, credential, request.every_seconds
            )
        except EditError as error:
            refused.append((address, str(error)))
            continue
        await asyncio.to_thread(context.switches.take, identity, reading, at, works)
        added.append(identity)
    await reader.weigh()
    return sorted(added), sorted(refused)


def _wanted(context: Context, request: SwitchSearch) -> tuple[list[Address], dict[int, Credential]]:
    stretches = resolving.stretches(context, request.within)
    ways = credential_edits.opened(context)
    if request.credential is not None:
        with context.database.read() as connection:
            identity = credential_edits.find(connection, request.credential).id
        ways = {identity: ways[identity]} if identity in ways else {}
    if not ways:
        raise EditError("there is no credential to read switches by: 'roster credential add NAME'", "credential")
    site, known = context.plan.site_here, {one.row.address for one in context.switches.switches.values()}
    with context.database.read() as connection:
        rows = connection.execute(
            select(devices.c.id, devices.c.address).where(devices.c.role == NETWORK, ~devices.c.retired)
        ).all()
    addresses = {row.address for row in rows if row.address != NO_ADDRESS}
    addresses |= {item.address for row in rows for item in context.plan.plan.of_device(row.id) if item.site == site}
    found = sorted(
        address for address in addresses - known if any(first <= address <= last for first, last in stretches)
    )
    if not found:
        raise EditError(
            "nobody there has the role network, or all are read already; give switches that role, or add one by its address",
            "within",
        )
    if len(found) > MOST:
        raise EditError(f"{len(found)} devices have the role network there; take {MOST} at once at most", "within")
    return found, ways


def device(context: Context, connection: Connection, address: Address) -> DeviceRef | None:
    """The device that is planned at an address, else the one that held it last."""
    site = context.plan.site_here
    item = context.plan.plan.at(site, address)
    identity = item.device if item is not None and item.device else None
    if identity is None:
        holder = device_queries.last_holders(connection, site, [address]).get(address)
        identity = device_queries.device_of_mac(connection, holder) if holder is not None else None
    row = device_queries.one(connection, identity) if identity is not None else None
    return device_ref(row) if row is not None else None


def called(context: Context, address: Address) -> str:
    """What the device at an address is called; empty where nobody knows."""
    with context.database.read() as connection:
        found = device(context, connection, address)
    return found.name or "" if found is not None else ""
