"""The one place where the plan and the devices are edited. One call of `save` is one `change` that undo takes back whole.

An edit gives the items as they were and as they are to be. In one transaction the rows are compared with what they
were (a stale edit changes nothing), written, and kept with the change: each row before and after.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import Connection, Table, bindparam, delete, func, insert, not_, select, update
from sqlalchemy.dialects.sqlite import insert as upsert

from ..core.address import dotted
from ..core.mac import Mac
from ..core.owning import Record, Settled, settle
from ..core.plan.model import Assignment, Band, Plan, Site, Subnet, Use, called
from ..core.roster import Adapter, Device
from . import change_queries, plan_records
from .edits import EditError, Missing
from .listing import in_list
from .plan_records import TABLES, Values, from_values, kind_of, to_values
from .rows import ChangeItemRow, ChangeRow
from .tables import adapters, assignments, bands, change_devices, change_items, changes, devices, subnets, uses

# Rows that others point to are written first and removed last.
_ORDER = {"site": 0, "device": 1, "adapter": 2, "subnet": 3, "band": 4, "assignment": 5, "use": 6}
_OBSERVED = {"device": {}, "adapter": {"first_seen": 0, "last_seen": 0}}
"""What a new row of these kinds says of sightings, which no edit touches later."""


class PlanConflict(Exception):
    """Somebody else changed the same item meanwhile; `current` is the item now, None when it is gone."""

    def __init__(self, sentence: str, current: Assignment | Band | Site | Subnet | Use | None) -> None:
        self.current = current
        self.version = current.version if current is not None else 0
        super().__init__(sentence)


@dataclass(frozen=True, slots=True)
class Saved:
    """What was stored: the change's id, and the items as they were and are now, with their real ids."""

    change: int
    before: tuple[Record, ...]
    after: tuple[Record, ...]


@dataclass(frozen=True, slots=True)
class Reverse:
    """The edit that takes a change back: the row of the change, the items as they are and as they are to be again."""

    change: ChangeRow
    before: list[Record]
    after: list[Record]


@dataclass(frozen=True, slots=True)
class PlanEditor:
    """Makes edits of the plan in one transaction, as one person at one time (UTC ms)."""

    connection: Connection
    who: str
    at: int

    def settled(self, plan: Plan, before: Sequence[Record], after: Sequence[Record]) -> Settled:
        """An edit of `plan` with what it means for devices (see `core.owning`), as it is to be checked and saved: with the ids of
        new items and the next versions of others. Raises EditError where a device would be left empty."""
        records = (*before, *after)
        assigned = [one for one in records if isinstance(one, Assignment)]
        adapters_ = [one for one in records if isinstance(one, Adapter)]
        macs = {one.mac for one in assigned if one.mac is not None} | {one.mac for one in adapters_}
        ids = {one.device for one in assigned} | {one.device for one in adapters_}
        ids |= {one.id for one in records if isinstance(one, Device)}
        whole = Settled(tuple(before), tuple(after))
        if macs or ids:
            whole = settle(plan, before, after, plan_records.known(self.connection, macs, ids), self.at)
        if whole.hollow:
            raise EditError(
                f"{whole.hollow[0].title} would be an empty record: what was in it belongs to another device now; undo that first"
            )
        if whole.torn:
            torn = whole.torn[0]
            raise EditError(
                f"{called(torn)} was made since for a MAC that would go to another device; take that back first"
            )
        if whole.gone:
            raise EditError(
                f"{whole.gone[0].title} would be retired though it has an address in the plan; release that first"
            )
        was = {(kind_of(one), one.id): one for one in whole.before}
        same = {key for one in whole.after if was.get(key := (kind_of(one), one.id)) == one}
        then = [one for one in self._numbered(whole.before, whole.after) if (kind_of(one), one.id) not in same]
        return replace(
            whole, before=tuple(one for key, one in was.items() if key not in same),
            after=tuple(_next(one, was.get((kind_of(one), one.id))) for one in then),
        )  # fmt: skip

    def save(
        self, action: str, item: str, before: Sequence[Record], after: Sequence[Record], told: tuple[Any, Any], kind: str,
        undoes: int | None = None, *, as_read: bool = False,
    ) -> Saved:  # fmt: skip
        """Store an edit that was `settled`; `told` is what the list of changes shows as before and after. With `as_read` the items
        before were read in this very transaction, and are not compared with the records again. Raises PlanConflict."""
        if homeless := [one for one in after if isinstance(one, Assignment) and not one.device]:
            raise ValueError(f"{called(homeless[0])} belongs to no device; settle the edit first")
        was = {(kind_of(one), one.id): one for one in before}
        now = {(kind_of(one), one.id): one for one in after}
        if not as_read:
            self._compare(was.values())
        # What points to a removed item may be pointed elsewhere in the same edit: keys are checked when it is committed.
        self.connection.exec_driver_sql("PRAGMA defer_foreign_keys=ON")
        change = self.connection.execute(
            insert(changes).values(
                at=self.at, who=self.who, action=action, kind=kind, item=item, before=told[0], after=told[1], undoes=undoes,
            )
        ).inserted_primary_key  # fmt: skip
        assert change is not None
        gone = was.keys() - now.keys()
        for name in sorted({name for name, _ in gone}, key=lambda name: -_ORDER[name]):
            numbers = [number for kind, number in gone if kind == name]
            self.connection.execute(delete(TABLES[name]).where(in_list(TABLES[name].c.id, numbers)))
        for name in sorted({key[0] for key in now}, key=_ORDER.__getitem__):
            self._write(name, [one for key, one in now.items() if key[0] == name], was)
        rows = [
            {
                "change_id": change[0], "kind": key[0], "item": key[1],
                "before": to_values(was[key]) if key in was else None,
                "after": to_values(now[key]) if key in now else None,
            }
            for key in {**was, **now}
        ]  # fmt: skip
        if rows:
            self.connection.execute(insert(change_items), rows)
        if devices_ := {owner for one in (*was.values(), *now.values()) if (owner := _owner(one)) is not None}:
            about = [{"device": device, "change_id": change[0]} for device in sorted(devices_)]
            self.connection.execute(insert(change_devices), about)
        return Saved(int(change[0]), tuple(was.values()), tuple(now.values()))

    def save_reverse(self, back: Reverse) -> Saved:
        """Store what `reverse` gave, in the same transaction."""
        told = back.change.after, back.change.before
        return self.save(
            "undo", back.change.item, back.before, back.after, told, back.change.kind, back.change.id, as_read=True
        )

    def reverse(self, identity: int) -> Reverse:
        """The edit that takes a whole change back: possible where nothing in it was changed since, no address of it was given
        to somebody else and nothing needs what it made. Raises Missing, EditError."""
        change = change_queries.one(self.connection, identity)
        if change is None:
            raise Missing(f"there is no change {identity}")
        rows = change_queries.items_of(self.connection, identity)
        before: list[Record] = []
        after: list[Record] = []
        there = {
            kind: plan_records.several(self.connection, kind, [row.item for row in rows if row.kind == kind])
            for kind in {row.kind for row in rows}
        }
        kept = self._kept(rows, there)
        for row in rows:
            if (row.kind, row.item) in kept:
                continue
            now = there[row.kind].get(row.item)
            if _differ(row.after, to_values(now) if now is not None else None):
                who = self._who_changed(row.kind, row.item)
                item = now if now is not None else from_values(row.kind, row.after or row.before)
                what = "removed" if now is None else "changed again" if row.after is not None else "entered again"
                raise EditError(f"{named(item)} was {what} since{who}; undo the later change first")
            if now is not None:
                before.append(now)
            if row.before is not None:
                after.append(self._again(row.kind, row.before, now))
        after = self._with_devices(after)
        self._macs_free(identity, before, after)
        self._addresses_free(identity, before, after)
        self._nothing_left_behind(identity, before, after)
        return Reverse(change, before, after)

    def _kept(self, rows: Sequence[ChangeItemRow], there: dict[str, dict[int, Record]]) -> set[tuple[str, int]]:
        """Devices and adapters that came with a change and stay though it is taken back: they were seen since, or somebody wrote
        into them, or something else belongs to them by now."""
        made = [row for row in rows if row.before is None and row.kind in ("device", "adapter")]
        leaving = {row.item for row in rows if row.kind == "assignment"}
        moving = {row.item for row in rows if row.kind == "adapter" and row.before is not None}
        numbers = [row.item for row in made if row.kind == "adapter"]
        query = select(adapters.c.id).where(in_list(adapters.c.id, numbers), adapters.c.last_seen > 0)
        kept = {("adapter", number) for number in self.connection.execute(query).scalars()}
        going = moving | (set(numbers) - {number for _, number in kept})
        devices_made = [row for row in made if row.kind == "device"]
        ids = [row.item for row in devices_made]
        given = select(assignments.c.device, assignments.c.id).where(in_list(assignments.c.device, ids))
        macs = select(adapters.c.device_id, adapters.c.id).where(in_list(adapters.c.device_id, ids))
        owning = {device for device, number in self.connection.execute(given) if number not in leaving}
        owning |= {device for device, number in self.connection.execute(macs) if number not in going}
        for row in devices_made:
            now = there["device"].get(row.item)
            if row.item in owning or (now is not None and _differ(row.after, to_values(now))):
                kept.add(("device", row.item))
        stay = {number for kind, number in kept if kind == "device"}
        kept |= {
            ("adapter", row.item) for row in made if row.kind == "adapter" and row.after["device_id"] in stay
        }  # fmt: skip
        return kept

    def _again(self, kind: str, values: Values, now: Record | None) -> Record:
        """An item as it was, at the next version; one from before devices and assignments were one record gets a device anew."""
        if kind == "adapter":
            return from_values(kind, values)
        version = getattr(now, "version", None) or values.get("version", 0)
        device = {"device": now.device} if isinstance(now, Assignment) and "device" not in values else {}
        return from_values(kind, {**values, **device, "version": version + 1})

    def _with_devices(self, after: Sequence[Record]) -> list[Record]:
        """The same, where an assignment's device is gone without one."""
        coming = {one.id for one in after if isinstance(one, Device)}
        wanted = {one.device for one in after if isinstance(one, Assignment)} - coming
        there = set(self.connection.execute(select(devices.c.id).where(in_list(devices.c.id, wanted))).scalars())
        return [
            replace(one, device=0) if isinstance(one, Assignment) and one.device not in coming | there else one
            for one in after
        ]

    def _macs_free(self, identity: int, before: Sequence[Record], after: Sequence[Record]) -> None:
        """No MAC that comes back belongs to another device by now."""
        leaving = {one.id for one in before if isinstance(one, Adapter)}
        coming = {one.mac: one for one in after if isinstance(one, Adapter)}
        query = select(adapters.c.id, adapters.c.mac, adapters.c.device_id).where(in_list(adapters.c.mac, coming))
        for row in self.connection.execute(query):
            if row.id not in leaving and row.id != coming[row.mac].id:
                raise EditError(
                    f"{Mac(row.mac)} belongs to device {row.device_id} now, so change {identity} cannot be taken back; "
                    "join the two devices instead"
                )

    def _addresses_free(self, identity: int, before: Sequence[Record], after: Sequence[Record]) -> None:
        """No address that comes back belongs to somebody else by now."""
        leaving = {one.id for one in before if isinstance(one, Assignment)}
        coming = {(one.site, one.address) for one in after if isinstance(one, Assignment)}
        query = select(assignments).where(in_list(assignments.c.address, {address for _, address in coming}))
        for row in self.connection.execute(query):
            if (row.site, row.address) in coming and row.id not in leaving:
                whose = row.name or (str(Mac(row.mac)) if row.mac is not None else "somebody else")
                raise EditError(
                    f"{dotted(row.address)} belongs to {whose} now, so change {identity} cannot be taken back; "
                    "free the address first"
                )

    def _nothing_left_behind(self, identity: int, before: Sequence[Record], after: Sequence[Record]) -> None:
        """Nothing stays in a subnet or site that goes, nothing comes back into one that is gone."""
        there = {(kind_of(one), one.id) for one in after}
        touched = {(kind_of(one), one.id) for one in (*before, *after)}
        going = touched - there
        for table, parent in ((bands, "subnet"), (assignments, "subnet"), (subnets, "site"), (uses, "site")):
            gone = [number for kind, number in going if kind == parent]
            moved = in_list(table.c.id, [number for kind, number in touched if TABLES[kind] is table])
            query = select(func.count()).select_from(table).where(in_list(table.c[parent], gone), not_(moved))
            if gone and (left := self.connection.execute(query).scalar_one()):
                what = table.name[:-1] if left == 1 else table.name
                raise EditError(
                    f"the {parent} of change {identity} has {left} {what} by now; remove {'it' if left == 1 else 'them'} first"
                )
        needed = {
            ("subnet", one.subnet) if isinstance(one, Band | Assignment) else ("site", one.site)
            for one in after
            if not isinstance(one, Site | Device | Adapter)
        }
        for kind, number in needed - there:
            if (kind, number) in going or not plan_records.several(self.connection, kind, [number]):
                raise EditError(f"the {kind} that change {identity} needs was removed since; take that back first")

    def is_plan_change(self, identity: int) -> bool:
        """True when a change is one of the plan."""
        query = (
            select(change_items.c.id)
            .where(change_items.c.change_id == identity, change_items.c.kind.in_(TABLES))
            .limit(1)
        )
        return self.connection.execute(query).first() is not None

    def _numbered(self, before: Sequence[Record], after: Sequence[Record]) -> list[Record]:
        """Give new items (ids of 0 and below) their ids, and let what points to them follow."""
        new: dict[tuple[str, int], int] = {}
        next_id: dict[str, int] = {}
        items: list[Record] = []
        for one in sorted(after, key=lambda one: _ORDER[kind_of(one)]):
            kind, values = kind_of(one), dict[str, int]()
            if isinstance(one, Band | Assignment) and ("subnet", one.subnet) in new:
                values["subnet"] = new["subnet", one.subnet]
            if isinstance(one, Adapter | Assignment) and ("device", one.device) in new:
                values["device"] = new["device", one.device]
            if isinstance(one, Subnet | Assignment) and ("site", one.site) in new:
                values["site"] = new["site", one.site]
            if one.id <= 0:
                if kind not in next_id:
                    next_id[kind] = self._highest(kind)
                next_id[kind] += 1
                new[kind, one.id] = values["id"] = next_id[kind]
            items.append(replace(one, **values) if values else one)  # type: ignore[arg-type]
        return items

    def _highest(self, kind: str) -> int:
        """The highest id a kind ever had: ids of removed items are not given again, for undo's sake."""
        table = TABLES[kind]
        there = self.connection.execute(select(table.c.id).order_by(table.c.id.desc()).limit(1)).scalar() or 0
        query = select(change_items.c.item).where(change_items.c.kind == kind).order_by(change_items.c.item.desc())
        return max(int(there), int(self.connection.execute(query.limit(1)).scalar() or 0))

    def _compare(self, items: Iterable[Record]) -> None:
        """Every item must still be as the edit found it."""
        by_kind: dict[str, dict[int, Record]] = {}
        for one in items:
            by_kind.setdefault(kind_of(one), {})[one.id] = one
        for kind, wanted in by_kind.items():
            there = plan_records.several(self.connection, kind, wanted)
            for identity, one in wanted.items():
                now = there.get(identity)
                if now is None:
                    raise PlanConflict(f"{named(one)} was removed meanwhile", None)
                same = (
                    now.version == one.version
                    if not isinstance(one, Adapter) and not isinstance(now, Adapter)
                    else now == one
                )
                if not same:
                    who = self._who_changed(kind, identity)
                    current = now if not isinstance(now, Device | Adapter) else None
                    raise PlanConflict(f"{named(now)} was changed meanwhile{who}", current)

    def _who_changed(self, kind: str, identity: int) -> str:
        query = (
            select(changes.c.who)
            .join(change_items, change_items.c.change_id == changes.c.id)
            .where(change_items.c.kind == kind, change_items.c.item == identity)
            .order_by(changes.c.id.desc())
        )
        who = self.connection.execute(query.limit(1)).scalar()
        return f" by {who}" if who else ""

    def _write(self, kind: str, items: Sequence[Record], was: dict[tuple[str, int], Record]) -> None:
        table = TABLES[kind]
        moving = [one for one in items if isinstance(one, Assignment) and (kind, one.id) in was]
        if len(moving) > 1:
            # Several addresses may change places: get the old ones out of the unique index's way first.
            self.connection.execute(
                update(table).where(in_list(table.c.id, [one.id for one in moving])).values(address=-table.c.id)
            )
        rows = [{name: value for name, value in to_values(one).items() if name in table.c} for one in items]
        if kind in _OBSERVED:
            self._write_observed(table, rows, {identity for what, identity in was if what == kind}, _OBSERVED[kind])
        elif rows:
            statement = upsert(table)
            replaced = {c.name: statement.excluded[c.name] for c in table.columns if not c.primary_key}
            self.connection.execute(statement.on_conflict_do_update(index_elements=["id"], set_=replaced), rows)

    def _write_observed(self, table: Table, rows: Sequence[Values], was: set[int], observed: Values) -> None:
        """Write rows of a table that sightings fill too, and nothing but what people enter."""
        if new := [{**row, **observed} for row in rows if row["id"] not in was]:
            self.connection.execute(insert(table), new)
        if old := [{"key": row["id"], **row} for row in rows if row["id"] in was]:
            values: dict[str, Any] = {name: bindparam(name) for name in old[0] if name not in ("key", "id")}
            self.connection.execute(update(table).where(table.c.id == bindparam("key")).values(values), old)


def named(item: Record) -> str:
    """What to call any record in a sentence."""
    if isinstance(item, Device):
        return item.title
    return f"the MAC {Mac(item.mac)}" if isinstance(item, Adapter) else called(item)


def _owner(one: Record) -> int | None:
    """The device that an item belongs to, if to any."""
    match one:
        case Device():
            return one.id
        case Adapter() | Assignment():
            return one.device
    return None


def _next(one: Record, was: Record | None) -> Record:
    """An edited item at its next version."""
    if was is None or isinstance(one, Adapter) or isinstance(was, Adapter) or one.version > was.version:
        return one
    return replace(one, version=was.version + 1)


def _differ(then: Values | None, now: Values | None) -> bool:
    """True when a row is not as an edit left it; versions do not count, nor what older edits did not tell."""
    if then is None or now is None:
        return then is not now
    left_out = {"version"} if "device" in then or "device" not in now else {"version", "device", "role"}
    return any(then.get(name) != now[name] for name in now if name not in left_out)
