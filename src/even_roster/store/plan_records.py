"""Reads and writes the rows of the plan and of the devices as the values of core. The only place that knows both forms."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import asdict, fields
from ipaddress import IPv4Network
from typing import Any

from sqlalchemy import Connection, Select, Table, func, select

from ..core.mac import MacNumber
from ..core.owning import Record, planned
from ..core.plan.model import Assignment, AssignmentKind, Band, BandKind, HandedOut, Item, Plan, Site, Subnet, Use
from ..core.plan.roles import DEFAULT_RULES, OnPool, RoleRule
from ..core.roster import Adapter, Device, Known
from .listing import in_list
from .tables import adapters, assignments, bands, devices, role_rules, sites, subnets, uses

Values = dict[str, Any]
PLANNED: dict[str, Table] = {
    "site": sites, "subnet": subnets, "band": bands, "assignment": assignments, "use": uses,
}  # fmt: skip
TABLES: dict[str, Table] = {**PLANNED, "device": devices, "adapter": adapters}
KINDS: dict[type, str] = {
    Site: "site", Subnet: "subnet", Band: "band", Assignment: "assignment", Use: "use", Device: "device", Adapter: "adapter",
}  # fmt: skip


def kind_of(item: Record) -> str:
    """The kind of an item as records name it."""
    return KINDS[type(item)]


def to_values(item: Record) -> Values:
    """An item as the values of its row, JSON types only. An assignment's role is told along, as it is then; it is stored with its
    device."""
    match item:
        case Device():
            return {
                "id": item.id, "name": item.name, "role": item.role, "owner": item.owner, "place": item.place,
                "notes": item.notes, "retired": item.retired, "created_at": item.created_at, "version": item.version,
            }  # fmt: skip
        case Adapter():
            return {"id": item.id, "device_id": item.device, "mac": item.mac, "label": item.label}
        case Subnet():
            return {
                "id": item.id, "version": item.version, "site": item.site, "name": item.name, "first": item.first,
                "prefix": item.network.prefixlen, "gateway": item.gateway, "dns": list(item.dns), "domain": item.domain,
                "ntp": list(item.ntp), "vlan": item.vlan, "supernet": item.supernet, "notes": item.notes,
            }  # fmt: skip
        case Band():
            return {
                "id": item.id, "version": item.version, "subnet": item.subnet, "kind": item.kind.value,
                "first": item.first, "last": item.last, "name": item.name, "roles": list(item.roles),
                "options": options_to_json(item.options), "server": item.server, "notes": item.notes,
            }  # fmt: skip
        case Assignment():
            return {
                "id": item.id, "version": item.version, "site": item.site, "subnet": item.subnet,
                "address": item.address, "kind": item.kind.value, "mac": item.mac, "name": item.name,
                "role": item.role, "note": item.notes, "on": item.on, "device": item.device or None,
            }  # fmt: skip
        case Site():
            return {"id": item.id, "version": item.version, "name": item.name, "here": item.here, "notes": item.notes}
    return {
        "id": item.id, "version": item.version, "site": item.site, "user": item.user, "address": item.address,
        "purpose": item.purpose, "moved_to": item.moved_to,
    }  # fmt: skip


def from_values(kind: str, values: Values) -> Record:
    """The item that a row's values stand for."""
    match kind:
        case "device":
            return Device(
                values["id"], values["name"], values["role"], values["owner"], values["place"], values["notes"],
                values["retired"], values["created_at"], values["version"],
            )  # fmt: skip
        case "adapter":
            return Adapter(values["id"], values["device_id"], values["mac"], values["label"])
        case "site":
            return Site(values["id"], values["name"], values["here"], values["notes"], values["version"])
        case "subnet":
            return Subnet(
                values["id"], values["site"], values["name"], IPv4Network((values["first"], values["prefix"])),
                values["gateway"], tuple(values["dns"]), values["domain"], tuple(values["ntp"]), values["vlan"],
                values["supernet"], values["notes"], values["version"],
            )  # fmt: skip
        case "band":
            return Band(
                values["id"], values["subnet"], BandKind(values["kind"]), values["first"], values["last"],
                values["name"], tuple(values["roles"]), options_from_json(values["options"]), values["server"],
                values["notes"], values["version"],
            )  # fmt: skip
        case "assignment":
            return Assignment(
                values["id"], values["site"], values["subnet"], values["address"], AssignmentKind(values["kind"]),
                values["mac"], values["name"], values["role"], values["note"], values["on"], values["version"],
                values.get("device") or 0,
            )  # fmt: skip
        case "use":
            return Use(
                values["id"], values["site"], values["user"], values["address"], values["purpose"],
                values["moved_to"], values["version"],
            )  # fmt: skip
    raise ValueError(f"there are no items of kind {kind}")


def options_to_json(options: HandedOut) -> Values:
    """What a pool hands out, as JSON; empty values are left out."""
    found = {name: value for name, value in asdict(options).items() if value not in (0, None, (), "")}
    return {name: list(value) if isinstance(value, tuple) else value for name, value in found.items()}


def options_from_json(values: Values) -> HandedOut:
    """The reverse of `options_to_json`."""
    return HandedOut(
        values.get("lease_seconds", 0), values.get("gateway"), tuple(values.get("dns", ())), values.get("domain", ""),
        tuple(values.get("ntp", ())), values.get("boot_server", ""), values.get("boot_file", ""),
        tuple((code, text) for code, text in values.get("vendor_options", ())),
    )  # fmt: skip


def load(connection: Connection) -> Plan:
    """The whole plan."""
    return Plan(_items(connection), rules(connection))


def rules(connection: Connection) -> list[RoleRule]:
    """The roles of the site: the usual ones, with the site's own rules over them."""
    found = {rule.name: rule for rule in DEFAULT_RULES}
    for row in connection.execute(select(role_rules)):
        found[row.name] = RoleRule(row.name, OnPool(row.on_pool), row.travels)
    return list(found.values())


def rows_of(kind: str) -> Select[Any]:
    """What a kind's rows are read by: a device by what people enter, an assignment with the role of its device."""
    if kind == "device":
        return select(*(devices.c[one.name] for one in fields(Device)))
    if kind != "assignment":
        return select(TABLES[kind])
    role = func.coalesce(devices.c.role, "").label("role")
    return select(assignments, role).join(devices, devices.c.id == assignments.c.device, isouter=True)


def _items(connection: Connection) -> Iterator[Item]:
    for kind in PLANNED:
        yield from planned(from_values(kind, dict(row)) for row in connection.execute(rows_of(kind)).mappings())


def several(connection: Connection, kind: str, identities: Iterable[int]) -> dict[int, Record]:
    """Items of one kind by id, those that there are."""
    rows = connection.execute(rows_of(kind).where(in_list(TABLES[kind].c.id, identities))).mappings()
    return {row["id"]: from_values(kind, dict(row)) for row in rows}


def known(connection: Connection, macs: Iterable[MacNumber], identities: Iterable[int]) -> Known:
    """What is recorded of the devices of some MACs and of some devices by id, with all adapters of those."""
    owners = connection.execute(select(adapters.c.device_id).where(in_list(adapters.c.mac, macs))).scalars()
    wanted = {*owners, *(one for one in identities if one > 0)}
    found = several(connection, "device", wanted)
    theirs: dict[int, Adapter] = {}
    seen: set[int] = set()
    columns = adapters.c.id, adapters.c.device_id, adapters.c.mac, adapters.c.label, adapters.c.last_seen
    for row in connection.execute(select(*columns).where(in_list(adapters.c.device_id, wanted))):
        theirs[row.mac] = Adapter(row.id, row.device_id, row.mac, row.label)
        if row.last_seen:
            seen.add(row.mac)
    return Known({key: one for key, one in found.items() if isinstance(one, Device)}, theirs, frozenset(seen))
