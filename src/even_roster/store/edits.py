"""The one place where people's edits of the roster are made. Nothing else may write what people entered.

Every edit carries the version it was based on, is one transaction, and leaves a `change` behind: who, when, before,
after. A stale edit changes nothing and raises StaleEdit with the values as they are now.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from ipaddress import IPv4Address
from typing import Any

from sqlalchemy import Connection, Row, delete, func, insert, select, update

from ..core.mac import Mac
from ..core.text import clean, clean_note
from . import router_records
from .device_queries import one
from .summaries import VendorOf, refresh
from .tables import adapters, changes, devices, own_prefixes, ranges

MEMBER = "router member"
FIELDS = ("name", "role", "owner", "place", "notes")
ROLES = (
    "network", "server", "storage", "phone", "printer", "camera", "wireless", "workstation", "portable", "control", "other",
)  # fmt: skip
_MOST = {"name": 120, "role": 40, "owner": 120, "place": 120}


class EditError(ValueError):
    """An edit makes no sense; `field` is the one that is wrong, the message says what would be right."""

    def __init__(self, sentence: str, field: str | None = None) -> None:
        self.field = field
        super().__init__(sentence)


class Missing(LookupError):
    """There is no such thing in the roster."""


class StaleEdit(Exception):
    """Somebody else changed the item meanwhile; `current` holds its fields now, `version` its version."""

    def __init__(self, identity: int, version: int, current: dict[str, Any]) -> None:
        self.identity, self.version, self.current = identity, version, current
        super().__init__(f"device {identity} was changed meanwhile: it is at version {version}")


@dataclass(frozen=True, slots=True)
class Editor:
    """Makes edits in one transaction, as one person at one time (UTC ms)."""

    connection: Connection
    who: str
    at: int
    vendor_of: VendorOf

    def set_fields(
        self, identity: int, version: int | None, fields: Mapping[str, str], together: str | None = None
    ) -> None:
        """Set some of FIELDS; `version` None means whatever it is now. Raises EditError, Missing, StaleEdit."""
        row = self._device(identity, version)
        values = {name: _checked(name, value) for name, value in fields.items()}
        before = {name: getattr(row, name) for name in values}
        if values == before:
            return
        self._write(row, values)
        self._record("set", "device", str(identity), before, values, together)

    def retire(self, identity: int, version: int | None, retired: bool) -> None:
        """Take a device out of the lists, or bring it back; its history stays. Raises Missing, StaleEdit."""
        row = self._device(identity, version)
        if row.retired == retired:
            return
        self._write(row, {"retired": retired})
        self._record(
            "retire" if retired else "restore", "device", str(identity), {"retired": row.retired}, {"retired": retired}
        )

    def join(self, identity: int, others: Sequence[int]) -> None:
        """Make several devices one: their adapters go to the first, their own texts fill its empty fields, and they
        are retired. Raises EditError, Missing."""
        keep = self._device(identity, None)
        others = [other for other in dict.fromkeys(others) if other != identity]
        if not others:
            raise EditError("a join needs at least two different devices", "devices")
        before: dict[str, Any] = {"adapters": {str(identity): self._macs(identity)}, "fields": _fields(keep)}
        values: dict[str, Any] = {}
        for other in others:
            row = self._device(other, None)
            before["adapters"][str(other)] = self._macs(other)
            for name in FIELDS:
                if not getattr(keep, name) and name not in values and getattr(row, name):
                    values[name] = getattr(row, name)
            self.connection.execute(update(adapters).where(adapters.c.device_id == other).values(device_id=identity))
            self._write(row, {"retired": True})
        self._write(keep, values)
        after = {"adapters": {str(identity): self._macs(identity)}, "fields": _fields(self._device(identity, None))}
        self._record("join", "device", str(identity), before, after)

    def split(self, identity: int, macs: Sequence[int]) -> int:
        """Take adapters out of a device and make them a new one; gives its id. Raises EditError, Missing."""
        row = self._device(identity, None)
        there = self._macs(identity)
        moved = [mac for mac in dict.fromkeys(macs) if mac in there]
        if not moved or len(moved) != len(set(macs)):
            raise EditError("name adapters that belong to this device", "macs")
        if len(moved) == len(there):
            raise EditError("a split leaves at least one adapter behind", "macs")
        new = self.connection.execute(insert(devices).values(created_at=self.at)).inserted_primary_key
        assert new is not None
        self.connection.execute(update(adapters).where(adapters.c.mac.in_(moved)).values(device_id=new[0]))
        self._write(row, {})
        refresh(self.connection, [new[0]], self.vendor_of)
        self._record(
            "split", "device", str(identity), {"adapters": there}, {"adapters": self._macs(identity), "new": new[0]}
        )
        return int(new[0])

    def set_prefix(self, prefix: int, length: int, name: str) -> None:
        """Give an own prefix a vendor's name, or with an empty name take it away. Raises EditError."""
        where = (own_prefixes.c.prefix == prefix, own_prefixes.c.length == length)
        before = self.connection.execute(select(own_prefixes.c.name).where(*where)).scalar()
        name = clean(name, 120)
        if not name and before is None:
            raise EditError("a vendor needs a name", "name")
        self.connection.execute(delete(own_prefixes).where(*where))
        if name:
            self.connection.execute(insert(own_prefixes).values(prefix=prefix, length=length, name=name))
        self._record("set", "prefix", f"{prefix:012x}/{length}", {"name": before}, {"name": name or None})

    def name_range(self, identity: int, name: str) -> None:
        """Give a remembered range a name to scan it by. Raises EditError, Missing."""
        row = self.connection.execute(select(ranges).where(ranges.c.id == identity)).first()
        if row is None:
            raise Missing(f"there is no range {identity}")
        value = clean(name, 60) or None
        if value and any(char.isdigit() for char in value[:1]):
            raise EditError("a range's name begins with a letter", "name")
        taken = select(func.count()).select_from(ranges)
        taken = taken.where(func.lower(ranges.c.name) == (value or "").lower(), ranges.c.id != identity)
        if value and self.connection.execute(taken).scalar_one():
            raise EditError(f"another range is called {value!r} already; choose another name", "name")
        self.connection.execute(
            update(ranges).where(ranges.c.id == identity).values(name=value, version=row.version + 1)
        )
        self._record("set", "range", str(identity), {"name": row.name}, {"name": value})

    def forget_range(self, identity: int) -> None:
        """Remember a range no longer. Raises Missing."""
        row = self.connection.execute(select(ranges).where(ranges.c.id == identity)).first()
        if row is None:
            raise Missing(f"there is no range {identity}")
        self.connection.execute(delete(ranges).where(ranges.c.id == identity))
        self._record("forget", "range", str(identity), {"text": row.text, "name": row.name}, None)

    def name_member(self, site: int, address: int, mac: int) -> int | None:
        """Name a MAC as a member of the router group that shares an address; gives the change's id, None when it is one already."""
        if not router_records.add(self.connection, site, address, mac, self.who, self.at):
            return None
        shared = str(IPv4Address(address))
        return self._record("add", MEMBER, shared, None, {"site": site, "address": shared, "mac": str(Mac(mac))})

    def _undo_member(self, row: Row[Any]) -> None:
        """A member is none any more, or is one again."""
        told = row.after or row.before
        site, address, mac = told["site"], int(IPv4Address(told["address"])), Mac.parse(told["mac"]).value
        done = (
            router_records.remove(self.connection, site, address, mac)
            if row.after
            else router_records.add(self.connection, site, address, mac, self.who, self.at)
        )
        if not done:
            raise EditError(
                f"{told['mac']} at {told['address']} was changed again since; there is nothing to take back"
            )
        self._record("undo", MEMBER, row.item, row.after, row.before, undoes=row.id)

    def undo(self, identity: int) -> None:
        """Take back one change of a device's fields, where nobody has changed them since, or of a router group's member. Raises
        EditError, Missing."""
        row = self.connection.execute(select(changes).where(changes.c.id == identity)).first()
        if row is None:
            raise Missing(f"there is no change {identity}")
        if row.kind == MEMBER:
            self._undo_member(row)
            return
        if row.kind != "device" or row.action not in ("set", "retire", "restore"):
            raise EditError(f"a {row.action} of a {row.kind} is taken back by hand, not by undo")
        device = self._device(int(row.item), None)
        now = {name: getattr(device, name) for name in row.after}
        if now != row.after:
            raise EditError("the same fields were changed again since; undo the later change first")
        self._write(device, row.before)
        self._record("undo", "device", row.item, row.after, row.before, undoes=identity)

    def _device(self, identity: int, version: int | None) -> Row[Any]:
        row = one(self.connection, identity)
        if row is None:
            raise Missing(f"there is no device {identity} in the roster")
        if version is not None and version != row.version:
            raise StaleEdit(identity, row.version, _fields(row))
        return row

    def _write(self, row: Row[Any], values: Mapping[str, Any]) -> None:
        self.connection.execute(update(devices).where(devices.c.id == row.id).values(version=row.version + 1, **values))
        refresh(self.connection, [row.id], self.vendor_of)

    def _macs(self, identity: int) -> list[int]:
        return list(self.connection.execute(select(adapters.c.mac).where(adapters.c.device_id == identity)).scalars())

    def _record(
        self, action: str, kind: str, item: str, before: Any, after: Any, together: str | None = None,
        undoes: int | None = None,
    ) -> int:  # fmt: skip
        made = self.connection.execute(
            insert(changes).values(
                at=self.at, who=self.who, action=action, kind=kind, item=item, before=before, after=after,
                together=together, undoes=undoes,
            )
        ).inserted_primary_key  # fmt: skip
        assert made is not None
        return int(made[0])


def _fields(row: Row[Any]) -> dict[str, Any]:
    return {name: getattr(row, name) for name in FIELDS}


def _checked(name: str, value: str) -> str:
    if name not in FIELDS:
        raise EditError(f"a device has no field {name!r}; there are: {', '.join(FIELDS)}", name)
    if name == "notes":
        return clean_note(value)
    if len(value) > _MOST[name]:
        raise EditError(f"{name} has {len(value)} characters; at most {_MOST[name]} fit", name)
    cleaned = clean(value, _MOST[name])
    return cleaned.casefold() if name == "role" else cleaned
