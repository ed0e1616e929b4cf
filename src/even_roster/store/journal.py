"""The one place where people's settings are edited: roles, watches, what is kept, notice routes, DHCP servers, own prefixes,
names of ranges, members of router groups. One call of `save` is one `change` that undo takes back whole.

What the plan and the devices hold is edited in `plan_edits`; both write the same list of changes. Rows are kept as people entered
them: what the service learns in the same table (when a route was used last, what a server told) is no part of an edit.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, Table, delete, func, insert, select, update
from sqlalchemy.exc import IntegrityError

from ..core.address import ipv4
from ..core.mac import Mac
from ..core.plan.roles import DEFAULT_RULES
from . import change_queries
from .calling_tables import wake_passwords
from .edits import EditError, StaleEdit, Versions
from .fitting_tables import kinds
from .rows import ChangeRow
from .switch_tables import credentials, hand_pairs, port_words, switches
from .tables import (
    bands,
    change_items,
    changes,
    devices,
    dhcp_servers,
    kept_settings,
    notice_routes,
    own_prefixes,
    ranges,
    role_rules,
    roll_calls,
    router_members,
    watches,
)
from .wiring_tables import hand_links, map_places

Key = tuple[int | str, ...]
Values = dict[str, Any]


@dataclass(frozen=True, slots=True)
class Kind:
    """A kind of setting: its table, what tells rows apart, what people enter, and what is kept beside that when one is removed."""

    table: Table
    keys: tuple[str, ...]
    columns: tuple[str, ...]
    along: tuple[str, ...] = ()


KINDS: Mapping[str, Kind] = {
    "role": Kind(role_rules, ("name",), ("on_pool", "travels")),
    "watch": Kind(
        watches, ("subnet",),
        ("on", "every_minutes", "light_minutes", "ask_minutes", "quiet_first", "quiet_last", "strangers"),
    ),
    "setting": Kind(kept_settings, ("name",), ("value",)),
    "notice route": Kind(notice_routes, ("id",), ("name", "kind", "settings", "secret", "least", "on")),
    "dhcp server": Kind(dhcp_servers, ("id",), ("site", "name", "kind", "settings", "addresses"), ("owned",)),
    "roll call": Kind(
        roll_calls, ("id",), ("name", "every_seconds", "lines", "warn_minutes", "quiet_first", "quiet_last")
    ),
    "kind": Kind(
        kinds, ("id",),
        ("name", "comes", "factory", "page", "reset", "store", "fields", "notation", "role", "notes"),
    ),
    "wake password": Kind(wake_passwords, ("mac",), ("secret",)),
    "credential": Kind(credentials, ("id",), ("name", "snmp", "user", "auth", "privacy", "secret")),
    "switch": Kind(
        switches, ("id",), ("site", "address", "credential", "every_seconds", "on"),
        ("works", "refused", "asked", "read", "learnt", "trouble", "told"),
    ),
    "port": Kind(port_words, ("port",), ("note", "mark", "uplink")),
    "link": Kind(hand_links, ("one", "other"), ("joined", "note")),
    "map place": Kind(map_places, ("switch",), ("x", "y")),
    "hand pair": Kind(hand_pairs, ("site", "address", "mac"), ("note",)),
    "prefix": Kind(own_prefixes, ("prefix", "length"), ("name",)),
    "range": Kind(ranges, ("id",), ("segment_id", "text", "name"), ("last_scan",)),
    "router member": Kind(router_members, ("site", "address", "mac"), ("who", "at")),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Written:
    """One row of an edit: its kind and key, and what people enter as it is to be; None takes it away."""

    kind: str
    key: Key
    values: Values | None


@dataclass(frozen=True, slots=True)
class Journal:
    """Makes edits of settings in one transaction, as one person at one time (UTC ms)."""

    connection: Connection
    who: str
    at: int

    def row(self, kind: str, key: Key) -> Values | None:
        """What people entered in a row, None when there is none."""
        found = self._row(kind, key)
        return {name: found[name] for name in KINDS[kind].columns} if found is not None else None

    def expect(self, kind: str, key: Key | None, versions: Versions, called: str, now: Values) -> None:
        """A setting, or all of a kind together, is at one of some versions. Raises StaleEdit with what it says `now`."""
        there = version(self.connection, kind, key)
        if versions is not None and there not in versions:
            raise StaleEdit(called, there, now)

    def new_id(self, kind: str) -> int:
        """The id of a new row: one that no row of this kind ever had, for undo's sake."""
        there = self.connection.execute(select(func.max(KINDS[kind].table.c.id))).scalar() or 0
        edited = select(func.max(change_items.c.item)).where(change_items.c.kind == kind)
        return max(int(there), int(self.connection.execute(edited).scalar() or 0)) + 1

    def save(
        self, action: str, kind: str, item: str, rows: Sequence[Written], told: tuple[Any, Any], undoes: int | None = None
    ) -> int | None:  # fmt: skip
        """Store an edit and gives its change's id, None where nothing differs. `told` is what the list of changes shows."""
        before = {(one.kind, one.key): self.row(one.kind, one.key) for one in rows}
        differing = [one for one in rows if before[one.kind, one.key] != one.values]
        if not differing:
            return None
        kept = {(one.kind, one.key): self._along(one.kind, one.key) for one in differing if one.values is None}
        for one in differing:
            self._write(one, before[one.kind, one.key])
        change = self.connection.execute(
            insert(changes).values(
                at=self.at, who=self.who, action=action, kind=kind, item=item, before=told[0], after=told[1], undoes=undoes,
            )
        ).inserted_primary_key  # fmt: skip
        assert change is not None
        self.connection.execute(
            insert(change_items),
            [
                {
                    "change_id": change[0], "kind": one.kind, "item": _number(one.key), "key": json.dumps(one.key),
                    "before": _with(before[one.kind, one.key], kept.get((one.kind, one.key))), "after": one.values,
                }
                for one in differing
            ],
        )  # fmt: skip
        return int(change[0])

    def undo(self, identity: int) -> set[str]:
        """Take back one change of settings whole, where nothing in it was changed since; gives the kinds it concerns, none when it
        is no such change. Raises EditError."""
        change = change_queries.one(self.connection, identity)
        rows = [row for row in change_queries.items_of(self.connection, identity) if row.kind in KINDS]
        if change is None:
            return set()
        if not rows and change.kind == "router member":
            return self._undo_older(change)
        back: list[Written] = []
        for row in rows:
            key = tuple(json.loads(row.key or "[]"))
            now = self.row(row.kind, key)
            then = {name: row.after[name] for name in KINDS[row.kind].columns} if row.after is not None else None
            if now != then:
                raise EditError(f"{change.kind} {change.item} was changed again since; undo the later change first")
            columns = (*KINDS[row.kind].columns, *(KINDS[row.kind].along if now is None else ()))
            values = (
                {name: row.before[name] for name in columns if name in row.before} if row.before is not None else None
            )
            back.append(Written(row.kind, key, values))
        if back:
            self.save("undo", change.kind, change.item, back, (change.after, change.before), identity)
        return {row.kind for row in rows}

    def _undo_older(self, change: ChangeRow) -> set[str]:
        """A change of a router group's member that an older version made: it kept everything in what it told."""
        told = change.after or change.before
        key = told["site"], ipv4(told["address"]), Mac.parse(told["mac"]).value
        there = self.row(change.kind, key) is not None
        if there != (change.after is not None):
            raise EditError(
                f"{told['mac']} at {told['address']} was changed again since; there is nothing to take back"
            )
        values = None if there else {"who": self.who, "at": self.at}
        rows = [Written(change.kind, key, values)]
        self.save("undo", change.kind, change.item, rows, (change.after, change.before), change.id)
        return {change.kind}

    def _where(self, kind: str, key: Key) -> list[Any]:
        table = KINDS[kind].table
        return [table.c[name] == value for name, value in zip(KINDS[kind].keys, key, strict=True)]

    def _row(self, kind: str, key: Key) -> Any:
        return self.connection.execute(select(KINDS[kind].table).where(*self._where(kind, key))).mappings().first()

    def _along(self, kind: str, key: Key) -> Values:
        found = self._row(kind, key)
        return {name: found[name] for name in KINDS[kind].along} if found is not None else {}

    def _write(self, one: Written, before: Values | None) -> None:
        kind = KINDS[one.kind]
        where = self._where(one.kind, one.key)
        try:
            if one.values is None:
                self._free(one)
                self.connection.execute(delete(kind.table).where(*where))
            elif before is None:
                keys = dict(zip(kind.keys, one.key, strict=True))
                self.connection.execute(insert(kind.table).values(**keys, **one.values))
            else:
                bump = {"version": kind.table.c.version + 1} if "version" in kind.table.c else {}
                self.connection.execute(update(kind.table).where(*where).values(**one.values, **bump))
        except IntegrityError as error:
            raise EditError(
                f"{one.kind} {' '.join(str(part) for part in one.key)} cannot be {'removed' if one.values is None else 'entered'}: "
                "something else depends on it, has its name by now, or what it belongs to is gone"
            ) from error

    def _free(self, one: Written) -> None:
        """Nothing uses what goes. Raises EditError."""
        name = str(one.key[0])
        if one.kind != "role" or any(rule.name == name for rule in DEFAULT_RULES):
            return
        count = select(func.count()).select_from(devices).where(devices.c.role == name)
        if used := self.connection.execute(count).scalar_one():
            raise EditError(
                f"{used} {'device has' if used == 1 else 'devices have'} the role {name!r}; give another first"
            )
        for row in self.connection.execute(select(bands.c.roles, bands.c.name)):
            if name in row.roles:
                raise EditError(f"the band {row.name!r} is for the role {name!r}; change the band first")


def version(connection: Connection, kind: str, key: Key | None) -> int:
    """At which version a setting is, or all of a kind together: the last edit of it."""
    return change_queries.last_of(connection, kind, json.dumps(key) if key is not None else None, _number(key or ()))


def _number(key: Key) -> int:
    """What tells a row apart within its kind, where that is one number; 0 otherwise."""
    return key[0] if len(key) == 1 and isinstance(key[0], int) else 0


def _with(values: Values | None, along: Values | None) -> Values | None:
    return {**values, **(along or {})} if values is not None else None
