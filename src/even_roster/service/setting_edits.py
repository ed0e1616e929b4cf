"""People's edits of settings: own prefixes, names of ranges, roles, watches, what is kept, members of router groups.

Each is one change of the journal; whoever keeps a picture of what was edited is told by `changed`.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from typing import Any

from sqlalchemy import Connection, func, select

from ..api.events import (
    CallEvent,
    DevicesEvent,
    DhcpEvent,
    KindsEvent,
    PlanEvent,
    RangesEvent,
    RoutesEvent,
    SwitchEvent,
    WatchEvent,
)
from ..core.address import Address, dotted
from ..core.mac import Mac, MacNumber
from ..core.plan.roles import DEFAULT_RULES, RoleRule
from ..core.text import clean
from ..core.vendors import Prefix
from ..store import watch_records
from ..store.edits import EditError, Missing, Versions
from ..store.journal import Journal, Written
from ..store.summaries import refresh_all
from ..store.tables import ranges
from ..store.watch_records import Watch
from .context import Context, now_ms

SERVER, WATCH = "dhcp server", "watch"
KEPT = {
    "keeping": watch_records.USUAL_KEEPING, "limits": watch_records.USUAL_LIMITS, "intake": watch_records.USUAL_INTAKE,
}  # fmt: skip


@contextmanager
def writing(context: Context, who: str) -> Iterator[Journal]:
    """One edit: a transaction with a journal in it."""
    with context.database.write() as connection:
        yield Journal(connection, who, now_ms())


def changed(context: Context, kinds: set[str]) -> None:
    """Settings of some kinds were edited: everybody who keeps a picture of them looks again."""
    if "role" in kinds:
        context.plan.rules_changed()
        context.tell(PlanEvent(change_id=0, kinds=["role"]))
    if "prefix" in kinds:
        context.reload_own_vendors()
        refresh_all(context.database, context.vendor_of)
        context.tell(DevicesEvent(ids=None, new=0, edited=True))
    if kinds & {"watch", "setting"}:
        context.findings.settings_changed()
        context.tell(WatchEvent())
    if "dhcp server" in kinds:
        context.plan.leases_changed()
        context.plan.holdings_changed()
        context.findings.servers_changed()
        context.tell(DhcpEvent(server_id=None))
    if "router member" in kinds:
        context.findings.members_changed()
    if "notice route" in kinds:
        context.tell(RoutesEvent(id=None))
    if "roll call" in kinds:
        context.rolls_edited += 1
        context.tell(CallEvent(id=None))
    if kinds & {"credential", "switch", "port", "hand pair", "link", "map place"}:
        context.switches.reload()
        context.tell(SwitchEvent(id=None))
    if "kind" in kinds:
        context.tell(KindsEvent())
    if "range" in kinds:
        context.tell(RangesEvent())


def set_prefix(context: Context, who: str, prefix: Prefix, name: str) -> None:
    """Give an own prefix a vendor's name, or with an empty name take it away. Raises EditError."""
    name = clean(name, 120)
    key = prefix.value, prefix.length
    with writing(context, who) as journal:
        before = journal.row("prefix", key)
        if not name and before is None:
            raise EditError("a vendor needs a name", "name")
        values = {"name": name} if name else None
        told = {"name": before["name"] if before else None}, {"name": name or None}
        journal.save("set", "prefix", str(prefix), [Written("prefix", key, values)], told)
    changed(context, {"prefix"})


def name_range(context: Context, who: str, identity: int, name: str) -> None:
    """Give a remembered range a name to scan it by. Raises EditError, Missing."""
    with writing(context, who) as journal:
        before = _range(journal, identity)
        value = clean(name, 60) or None
        if value and any(char.isdigit() for char in value[:1]):
            raise EditError("a range's name begins with a letter", "name")
        taken = select(func.count()).select_from(ranges)
        taken = taken.where(func.lower(ranges.c.name) == (value or "").lower(), ranges.c.id != identity)
        if value and journal.connection.execute(taken).scalar_one():
            raise EditError(f"another range is called {value!r} already; choose another name", "name")
        rows = [Written("range", (identity,), {**before, "name": value})]
        journal.save("set", "range", before["text"], rows, ({"name": before["name"]}, {"name": value}))
    changed(context, {"range"})


def forget_range(context: Context, who: str, identity: int) -> None:
    """Remember a range no longer. Raises Missing."""
    with writing(context, who) as journal:
        before = _range(journal, identity)
        told = {"text": before["text"], "name": before["name"]}, None
        journal.save("forget", "range", before["text"], [Written("range", (identity,), None)], told)
    changed(context, {"range"})


def _range(journal: Journal, identity: int) -> dict[str, Any]:
    before = journal.row("range", (identity,))
    if before is None:
        raise Missing(f"there is no range {identity}")
    return before


def name_member(context: Context, who: str, site: int, address: Address, mac: MacNumber) -> int | None:
    """Name a MAC as a member of the router group that shares an address; gives the change's id, None when it is one already."""
    shared = dotted(address)
    with writing(context, who) as journal:
        if journal.row("router member", (site, address, mac)) is not None:
            return None
        rows = [Written("router member", (site, address, mac), {"who": who, "at": journal.at})]
        told = None, {"site": site, "address": shared, "mac": str(Mac(mac))}
        change = journal.save("add", "router member", shared, rows, told)
    changed(context, {"router member"})
    return change


def set_role(context: Context, who: str, rule: RoleRule) -> None:
    """Set a role's rule, or add a role of the site's own."""
    values = {"on_pool": rule.on_pool.value, "travels": rule.travels}
    with writing(context, who) as journal:
        before = journal.row("role", (rule.name,))
        journal.save("set", "role", rule.name, [Written("role", (rule.name,), values)], (before, values))
    changed(context, {"role"})


def forget_role(context: Context, who: str, name: str) -> None:
    """Back to the usual rule; a role of the site's own goes away. Raises Missing, EditError where it is in use."""
    usual = {rule.name: rule for rule in DEFAULT_RULES}
    with writing(context, who) as journal:
        before = journal.row("role", (name,))
        if before is None and name not in usual:
            raise Missing(f"there is no role {name!r}")
        journal.save("forget", "role", name, [Written("role", (name,), None)], (before, None))
    changed(context, {"role"})


def set_watch(
    context: Context, who: str, subnet: int, called: str, given: Mapping[str, Any], versions: Versions = None
) -> None:
    """Change how a subnet is watched; `called` is what the list of changes calls it. Raises StaleEdit."""
    with writing(context, who) as journal:
        usual = {name: getattr(Watch(subnet), name) for name in Watch.__slots__ if name != "subnet"}
        before = journal.row(WATCH, (subnet,)) or usual
        journal.expect(WATCH, (subnet,), versions, f"the watch of {called}", before)
        values = {**before, **given}
        told = differing(_watch_told(before), _watch_told(values))
        journal.save("set", WATCH, called, [Written(WATCH, (subnet,), values)], told)
    changed(context, {WATCH})


def _watch_told(values: Mapping[str, Any]) -> dict[str, Any]:
    """A watch as the list of changes shows it."""
    first, last = values["quiet_first"], values["quiet_last"]
    quiet = "" if first is None else f"{first // 60:02}:{first % 60:02}-{last // 60:02}:{last % 60:02}"
    words = {"every_minutes": "scan, minutes", "light_minutes": "check, minutes", "ask_minutes": "DHCP, minutes"}
    told = {words.get(name, name): value for name, value in values.items() if not name.startswith("quiet")}
    return {**told, "quiet hours": quiet}


def keep(context: Context, who: str, given: Mapping[str, int], versions: Versions = None) -> None:
    """Change what is kept how long, and from when on findings are told: all as one change. Raises StaleEdit."""
    rows: list[Written] = []
    was: dict[str, int] = {}
    with writing(context, who) as journal:
        journal.expect("setting", None, versions, "what is kept", kept(journal.connection))
        for name, usual in KEPT.items():
            before = watch_records.kept(journal.connection, name, usual)
            after = {**before, **{key: value for key, value in given.items() if key in usual}}
            if after != before:
                rows.append(Written("setting", (name,), {"value": after}))
                was |= before
        told = differing(was, {**was, **{key: value for key, value in given.items() if key in was}})
        journal.save("set", "setting", "what is kept", rows, told)
    changed(context, {"setting"})


def kept(connection: Connection) -> dict[str, int]:
    """What is kept how long, and from when on findings are told."""
    groups = [watch_records.kept(connection, name, usual) for name, usual in KEPT.items()]
    return {name: value for group in groups for name, value in group.items()}


def add_server(context: Context, who: str, values: Mapping[str, Any]) -> int:
    """Manage a DHCP server from now on; gives its id."""
    with writing(context, who) as journal:
        identity = journal.new_id(SERVER)
        rows = [Written(SERVER, (identity,), dict(values))]
        journal.save("add", SERVER, values["name"], rows, (None, _server_told(values)))
    changed(context, {SERVER})
    return identity


def edit_server(context: Context, who: str, identity: int, given: Mapping[str, Any]) -> None:
    """Change how a DHCP server is reached. Raises Missing."""
    with writing(context, who) as journal:
        before = _server(journal, identity)
        after = {**before, **given}
        told = differing(_server_told(before), _server_told(after))
        journal.save("set", SERVER, before["name"], [Written(SERVER, (identity,), after)], told)
    changed(context, {SERVER})


def remove_server(context: Context, who: str, identity: int) -> None:
    """Manage a DHCP server no longer. Raises Missing, EditError."""
    with writing(context, who) as journal:
        before = _server(journal, identity)
        rows = [Written(SERVER, (identity,), None)]
        journal.save("remove", SERVER, before["name"], rows, (_server_told(before), None))
    changed(context, {SERVER})


def _server(journal: Journal, identity: int) -> dict[str, Any]:
    before = journal.row(SERVER, (identity,))
    if before is None:
        raise Missing(f"there is no DHCP server {identity}")
    return before


def _server_told(values: Mapping[str, Any]) -> dict[str, Any]:
    addresses = ", ".join(dotted(one) for one in values["addresses"])
    return {
        "name": values["name"],
        "kind": values["kind"],
        **values["settings"],
        **({"addresses": addresses} if addresses else {}),
    }


def differing(before: Mapping[str, Any], after: Mapping[str, Any]) -> tuple[dict[str, Any], dict[str, Any]]:
    """What an edit changed, as the list of changes shows it: before and after."""
    names = [name for name in after if before.get(name) != after[name]]
    return {name: before.get(name) for name in names}, {name: after[name] for name in names}
