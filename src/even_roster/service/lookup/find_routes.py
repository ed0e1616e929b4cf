"""/api/v1/find and /api/v1/explain: where is it, and what is known about it."""

from __future__ import annotations

from ipaddress import AddressValueError, IPv4Address
from typing import Annotated, Any

from fastapi import Query
from sqlalchemy import Connection

from ...api.common import Word
from ...api.devices import FindAnswer, Found
from ...api.network import Explanation
from ...core.address import dotted
from ...core.mac import Mac, MacError, MacNumber, fragment_digits
from ...store import assignment_queries, device_queries, scan_records, seen_records
from ...store.address_column import NO_ADDRESS
from ...store.assignment_queries import AssignmentFilter
from ...store.device_queries import DeviceFilter
from ...store.rows import DeviceRow
from ...store.tables import NO_MAC
from .. import views
from ..context import Context
from ..naming import resolving
from ..web.contract import paths
from ..web.deps import ContextDep, Who
from .explain import explain_address, explain_mac

router = paths("/api/v1", "find")
_FIELDS = ("name", "seen_name", "address", "mac", "vendor", "owner", "place", "role", "notes")


@router.get("/find")
def find(
    context: ContextDep, who: Who, text: Annotated[str, Query(min_length=1, max_length=200)],
    limit: Annotated[int, Query(ge=1, le=200)] = 20,
) -> FindAnswer:  # fmt: skip
    """Devices, assigned addresses, ranges and subnets by any fragment of name, address, MAC in any notation, vendor or
    note."""
    with context.database.read() as connection:
        found = [
            *_address(text),
            *_ranges(connection, text),
            *_planned(context, connection, text),
            *_ports(context, text),
        ]
        page = device_queries.page(connection, DeviceFilter(text=text), "last_seen", True, None, limit)
        plugged = context.plugged(MacNumber(row.mac) for row in page.rows)
        found += [_device(row, text, plugged.get(MacNumber(row.mac), "")) for row in page.rows]
    return FindAnswer(
        text=text, items=found[:limit], next=None, total=None, more=page.next is not None or len(found) > limit
    )


def _address(text: str) -> list[Found]:
    try:
        address = IPv4Address(text.strip())
    except AddressValueError:
        return []
    return [
        Found(
            kind="address", title=str(address), detail="everything known about this address", matched="address",
            link=f"/address/{address}",
        )
    ]  # fmt: skip


def _ranges(connection: Connection, text: str) -> list[Found]:
    word = text.strip().casefold()
    named = [(row.name, row) for row in scan_records.remembered(connection) if row.name]
    return [
        Found(kind="range", title=name, detail=row.text, matched="name", link=f"/subnets/{row.subnet}")
        for name, row in named
        if word in name.casefold()
    ][:5]


def _planned(context: Context, connection: Connection, text: str) -> list[Found]:
    """Planned subnets by name, and assignments whose device was not seen yet: the others are found as devices."""
    word = text.strip().casefold()
    with context.plan.reading() as plan:
        subnets = [s for s in plan.subnets.values() if s.name and word in s.name.casefold()][:5]
        found = [
            Found(kind="range", title=s.name, detail=str(s.network), matched="name", link=f"/subnets/{s.network}")
            for s in subnets
        ]
        page = assignment_queries.page(
            connection, AssignmentFilter(text=text, own_words=True), "address", False, None, 20
        )
        seen = seen_records.known_macs(connection, [item.mac for item in page.items if item.mac is not None])
        for item in page.items:
            if item.mac is None or item.mac not in seen:
                detail = f"{dotted(item.address)} · {item.kind}" + (
                    f" · {Mac(item.mac)}" if item.mac is not None else ""
                )
                link = f"/address/{dotted(item.address)}"
                found.append(Found(kind="address", title=item.title, detail=detail, matched="plan", link=link))
    return found[:8]


def _ports(context: Context, text: str) -> list[Found]:
    """Ports that people or their switches describe so, and switches that are read by what they call themselves."""
    word = text.strip().casefold()
    found = []
    for switch in context.switches.switches.values():
        for port in switch.ports.values():
            alias = port.state.alias if port.state is not None else ""
            said = next((one for one in (port.words.note, alias) if word in one.casefold()), "") if port.there else ""
            if said:
                title, matched = (
                    f"port {port.name} of {switch.called}",
                    "notes" if said == port.words.note else "description",
                )
                link = f"/switches/{switch.row.id}?open=port:{port.id}"
                found.append(Found(kind="port", title=title, detail=said, matched=matched, link=link))
    return found[:6]


def _device(row: DeviceRow, text: str, port: str) -> Found:
    device = views.device_row(row)
    title = device.called or device.address or device.mac or f"device {device.id}"
    detail = " · ".join(part for part in (device.address, device.mac, device.vendor, device.place, port) if part)
    return Found(
        kind="device", title=title, detail=detail, matched=_matched(row, device.model_dump(), text),
        link=f"/devices/{device.id}", web=device.web, device=device,
    )  # fmt: skip


def _matched(row: DeviceRow, values: dict[str, Any], text: str) -> str:
    """Which field the first word of the search stands in."""
    word = (text.split() or [""])[0].casefold()
    digits = fragment_digits(word)
    for name in _FIELDS:
        value = str(values.get(name) or "").casefold()
        if word in value or (name == "mac" and digits and digits in value.replace(":", "")):
            planned = values.get("called_because") == "planned hostname" and values.get("called") == values["seen_name"]
            return name if name != "seen_name" else "planned hostname" if planned else "name heard"
    return "history"


@router.get("/explain/{subject}")
def explain(subject: Word, context: ContextDep, who: Who) -> Explanation:
    """Everything known about one address or MAC."""
    with context.database.read() as connection:
        return _explain(context, connection, subject.strip())


def _explain(context: Context, connection: Connection, subject: str) -> Explanation:
    try:
        return explain_address(context, connection, IPv4Address(subject))
    except AddressValueError:
        pass
    try:
        return explain_mac(context, connection, Mac.parse(subject))
    except MacError:
        pass
    identity = resolving.device_to_read(context, connection, subject)
    row = device_queries.one(connection, identity)
    assert row is not None
    if row.address != NO_ADDRESS:
        return explain_address(context, connection, IPv4Address(row.address))
    if row.mac != NO_MAC:
        return explain_mac(context, connection, Mac(row.mac))
    return explain_address(context, connection, IPv4Address(resolving.address(context, connection, subject)))
