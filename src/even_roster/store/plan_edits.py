"""The one place where the plan is edited. One call of `save` is one `change` that undo takes back whole.

An edit gives the items as they were and as they are to be. In one transaction the rows are compared with what they
were (a stale edit changes nothing), written, and kept with the change: each row before and after.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import Connection, Row, delete, func, insert, not_, select, update
from sqlalchemy.dialects.sqlite import insert as upsert

from ..core.mac import Mac
from ..core.plan.model import Assignment, Band, Item, Site, Subnet, called, dotted
from . import plan_records
from .edits import EditError, Missing
from .listing import in_list
from .plan_records import TABLES, Values, from_values, kind_of, to_values
from .tables import assignments, bands, change_items, changes, subnets, uses

# Rows that others point to are written first and removed last.
_ORDER = {"site": 0, "subnet": 1, "band": 2, "assignment": 3, "use": 4}


class PlanConflict(Exception):
    """Somebody else changed the same item meanwhile; `current` is the item now, None when it is gone."""

    def __init__(self, sentence: str, current: Item | None) -> None:
        self.current = current
        self.version = current.version if current is not None else 0
        super().__init__(sentence)


@dataclass(frozen=True, slots=True)
class Saved:
    """What was stored: the change's id, and the items as they were and are now, with their real ids."""

    change: int
    before: tuple[Item, ...]
    after: tuple[Item, ...]


@dataclass(frozen=True, slots=True)
class Reverse:
    """The edit that takes a change back: the row of the change, the items as they are and as they are to be again."""

    change: Row[Any]
    before: list[Item]
    after: list[Item]


@dataclass(frozen=True, slots=True)
class PlanEditor:
    """Makes edits of the plan in one transaction, as one person at one time (UTC ms)."""

    connection: Connection
    who: str
    at: int

    def save(
        self, action: str, item: str, before: Sequence[Item], after: Sequence[Item], told: tuple[Any, Any], kind: str,
        undoes: int | None = None,
    ) -> Saved:  # fmt: skip
        """Store an edit; `told` is what the list of changes shows as before and after. Raises PlanConflict."""
        after = self._numbered(before, after)
        was = {(kind_of(one), one.id): one for one in before}
        now = {(kind_of(one), one.id): one for one in after}
        self._compare(was.values())
        # What points to a removed item may be pointed elsewhere in the same edit: keys are checked when it is committed.
        self.connection.exec_driver_sql("PRAGMA defer_foreign_keys=ON")
        change = self.connection.execute(
            insert(changes).values(
                at=self.at, who=self.who, action=action, kind=kind, item=item, before=told[0], after=told[1], undoes=undoes,
            )
        ).inserted_primary_key  # fmt: skip
        assert change is not None
        gone = sorted(was.keys() - now.keys(), key=lambda key: -_ORDER[key[0]])
        for name, identity in gone:
            self.connection.execute(delete(TABLES[name]).where(TABLES[name].c.id == identity))
        stored = {
            key: replace(one, version=was[key].version + 1) if key in was and undoes is None else one
            for key, one in now.items()
        }
        for name in sorted({key[0] for key in stored}, key=_ORDER.__getitem__):
            self._write(name, [one for key, one in stored.items() if key[0] == name], was)
        rows = [
            {
                "change_id": change[0], "kind": key[0], "item": key[1],
                "before": to_values(was[key]) if key in was else None,
                "after": to_values(stored[key]) if key in stored else None,
            }
            for key in {**was, **stored}
        ]  # fmt: skip
        if rows:
            self.connection.execute(insert(change_items), rows)
        return Saved(int(change[0]), tuple(was.values()), tuple(stored.values()))

    def undo(self, identity: int) -> Saved:
        """Take a whole change back; see `reverse`. Raises Missing, EditError."""
        return self.save_reverse(self.reverse(identity))

    def save_reverse(self, back: Reverse) -> Saved:
        """Store what `reverse` gave, in the same transaction."""
        told = back.change.after, back.change.before
        return self.save("undo", back.change.item, back.before, back.after, told, back.change.kind, back.change.id)

    def reverse(self, identity: int) -> Reverse:
        """The edit that takes a whole change back: possible where nothing in it was changed since, no address of it was given
        to somebody else and nothing needs what it made. Raises Missing, EditError."""
        change = self.connection.execute(select(changes).where(changes.c.id == identity)).first()
        if change is None:
            raise Missing(f"there is no change {identity}")
        rows = list(self.connection.execute(select(change_items).where(change_items.c.change_id == identity)))
        before: list[Item] = []
        after: list[Item] = []
        there = {
            kind: plan_records.several(self.connection, kind, [row.item for row in rows if row.kind == kind])
            for kind in {row.kind for row in rows}
        }
        for row in rows:
            now = there[row.kind].get(row.item)
            if _bare(row.after) != _bare(to_values(now) if now is not None else None):
                who = self._who_changed(row.kind, row.item)
                item = now if now is not None else from_values(row.kind, row.after or row.before)
                raise EditError(f"{called(item)} was changed again since{who}; undo the later change first")
            version = now.version if now is not None else (row.before or {}).get("version", 0)
            if now is not None:
                before.append(now)
            if row.before is not None:
                after.append(from_values(row.kind, {**row.before, "version": version + 1}))
        self._addresses_free(identity, before, after)
        self._nothing_left_behind(identity, before, after)
        return Reverse(change, before, after)

    def _addresses_free(self, identity: int, before: Sequence[Item], after: Sequence[Item]) -> None:
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

    def _nothing_left_behind(self, identity: int, before: Sequence[Item], after: Sequence[Item]) -> None:
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
            if not isinstance(one, Site)
        }
        for kind, number in needed - there:
            if (kind, number) in going or not plan_records.several(self.connection, kind, [number]):
                raise EditError(f"the {kind} that change {identity} needs was removed since; take that back first")

    def is_plan_change(self, identity: int) -> bool:
        """True when a change is one of the plan."""
        query = select(change_items.c.id).where(change_items.c.change_id == identity).limit(1)
        return self.connection.execute(query).first() is not None

    def _numbered(self, before: Sequence[Item], after: Sequence[Item]) -> list[Item]:
        """Give new items (ids of 0 and below) their ids, and let what points to them follow."""
        new: dict[tuple[str, int], int] = {}
        next_id: dict[str, int] = {}
        items: list[Item] = []
        for one in sorted(after, key=lambda one: _ORDER[kind_of(one)]):
            kind = kind_of(one)
            if isinstance(one, Band | Assignment) and ("subnet", one.subnet) in new:
                one = replace(one, subnet=new["subnet", one.subnet])
            if isinstance(one, Subnet | Assignment) and ("site", one.site) in new:
                one = replace(one, site=new["site", one.site])
            if one.id <= 0:
                if kind not in next_id:
                    next_id[kind] = self._highest(kind)
                next_id[kind] += 1
                new[kind, one.id] = next_id[kind]
                one = replace(one, id=next_id[kind])
            items.append(one)
        return items

    def _highest(self, kind: str) -> int:
        """The highest id a kind ever had: ids of removed items are not given again, for undo's sake."""
        table = TABLES[kind]
        there = self.connection.execute(select(table.c.id).order_by(table.c.id.desc()).limit(1)).scalar() or 0
        query = select(change_items.c.item).where(change_items.c.kind == kind).order_by(change_items.c.item.desc())
        return max(int(there), int(self.connection.execute(query.limit(1)).scalar() or 0))

    def _compare(self, items: Iterable[Item]) -> None:
        """Every item must still be as the edit found it."""
        by_kind: dict[str, dict[int, Item]] = {}
        for one in items:
            by_kind.setdefault(kind_of(one), {})[one.id] = one
        for kind, wanted in by_kind.items():
            table = TABLES[kind]
            rows = self.connection.execute(select(table).where(in_list(table.c.id, wanted))).mappings()
            there = {row["id"]: dict(row) for row in rows}
            for identity, one in wanted.items():
                values = there.get(identity)
                if values is None:
                    raise PlanConflict(f"{called(one)} was removed meanwhile", None)
                if values["version"] != one.version:
                    who = self._who_changed(kind, identity)
                    item = from_values(kind, values)
                    raise PlanConflict(f"{called(item)} was changed meanwhile{who}", item)

    def _who_changed(self, kind: str, identity: int) -> str:
        query = (
            select(changes.c.who)
            .join(change_items, change_items.c.change_id == changes.c.id)
            .where(change_items.c.kind == kind, change_items.c.item == identity)
            .order_by(changes.c.id.desc())
        )
        who = self.connection.execute(query.limit(1)).scalar()
        return f" by {who}" if who else ""

    def _write(self, kind: str, items: Sequence[Item], was: dict[tuple[str, int], Item]) -> None:
        table = TABLES[kind]
        moving = [one for one in items if isinstance(one, Assignment) and (kind, one.id) in was]
        if len(moving) > 1:
            # Several addresses may change places: get the old ones out of the unique index's way first.
            self.connection.execute(
                update(table).where(in_list(table.c.id, [one.id for one in moving])).values(address=-table.c.id)
            )
        rows = [to_values(one) for one in items]
        if rows:
            statement = upsert(table)
            replaced = {c.name: statement.excluded[c.name] for c in table.columns if not c.primary_key}
            self.connection.execute(statement.on_conflict_do_update(index_elements=["id"], set_=replaced), rows)


def _bare(values: Values | None) -> Values | None:
    """A row's values without its version: what an undo compares."""
    return {name: value for name, value in values.items() if name != "version"} if values is not None else None
