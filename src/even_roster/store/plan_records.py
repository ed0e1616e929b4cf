"""Reads and writes the rows of the plan as the values of core.plan. The only place that knows both forms."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import asdict
from ipaddress import IPv4Network
from typing import Any

from sqlalchemy import Connection, Table, select

from ..core.plan.model import Assignment, AssignmentKind, Band, BandKind, HandedOut, Item, Plan, Site, Subnet, Use
from ..core.plan.roles import DEFAULT_RULES, OnPool, RoleRule
from .listing import in_list
from .tables import assignments, bands, role_rules, sites, subnets, uses

Values = dict[str, Any]
TABLES: dict[str, Table] = {
    "site": sites, "subnet": subnets, "band": bands, "assignment": assignments, "use": uses,
}  # fmt: skip
KINDS: dict[type, str] = {Site: "site", Subnet: "subnet", Band: "band", Assignment: "assignment", Use: "use"}


def kind_of(item: Item) -> str:
    """The kind of an item as records name it."""
    return KINDS[type(item)]


def to_values(item: Item) -> Values:
    """An item as the values of its row, JSON types only."""
    match item:
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
                "role": item.role, "note": item.note, "on": item.on,
            }  # fmt: skip
        case Site():
            return {"id": item.id, "version": item.version, "name": item.name, "here": item.here, "notes": item.notes}
    return {
        "id": item.id, "version": item.version, "site": item.site, "user": item.user, "address": item.address,
        "purpose": item.purpose, "moved_to": item.moved_to,
    }  # fmt: skip


def from_values(kind: str, values: Values) -> Item:
    """The item that a row's values stand for."""
    match kind:
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


def _items(connection: Connection) -> Iterator[Item]:
    for kind, table in TABLES.items():
        for row in connection.execute(select(table)).mappings():
            yield from_values(kind, dict(row))


def several(connection: Connection, kind: str, identities: Iterable[int]) -> dict[int, Item]:
    """Items of one kind by id, those that there are."""
    table = TABLES[kind]
    rows = connection.execute(select(table).where(in_list(table.c.id, identities))).mappings()
    return {row["id"]: from_values(kind, dict(row)) for row in rows}
