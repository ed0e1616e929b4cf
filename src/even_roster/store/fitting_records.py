"""Fittings as they are kept: who is being brought in, how far each is, what was written down of it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import Connection, func, insert, select, update

from ..core.address import Address
from ..core.fitting.progress import Progress, Step, as_json
from ..core.mac import MacNumber
from .fitting_tables import fitted, fitting_notes, fittings
from .rows import FittedRow, FittingNoteRow, FittingRow, all_of, one_of


@dataclass(frozen=True, slots=True)
class NewDevice:
    """One device of a new fitting, with its assignment; `made` is False where that was in the plan before. `undo` are the
    changes to take back when it is given up, `progress` how far it is already."""

    mac: MacNumber
    name: str
    address: Address
    assignment: int
    made: bool
    undo: tuple[int, ...] = ()
    progress: Progress = field(default_factory=Progress)


def begin(connection: Connection, values: Mapping[str, Any], devices: Sequence[NewDevice], at: int) -> int:
    """A new fitting; gives its id. `values` are those of its row without times."""
    made = connection.execute(insert(fittings).values(**values, opened_at=at, touched_at=at)).inserted_primary_key
    assert made is not None
    for one in devices:
        connection.execute(
            insert(fitted).values(
                fitting=made[0], mac=one.mac, name=one.name, address=one.address, assignment=one.assignment,
                made=one.made, undo=list(one.undo), state="open", progress=as_json(one.progress),
            )
        )  # fmt: skip
    return int(made[0])


def page(connection: Connection, open_only: bool, after: int | None, limit: int) -> list[FittingRow]:
    """Fittings, the latest first, from behind an id."""
    query = select(fittings).order_by(fittings.c.id.desc()).limit(limit)
    if open_only:
        query = query.where(fittings.c.closed_at.is_(None))
    if after is not None:
        query = query.where(fittings.c.id < after)
    return all_of(connection, FittingRow, query)


def one(connection: Connection, identity: int) -> FittingRow | None:
    """A fitting by its id."""
    return one_of(connection, FittingRow, select(fittings).where(fittings.c.id == identity))


def several(connection: Connection, ids: Iterable[int]) -> list[FittingRow]:
    """Some fittings."""
    return all_of(connection, FittingRow, select(fittings).where(fittings.c.id.in_(list(ids))))


def devices_of(connection: Connection, ids: Iterable[int]) -> list[FittedRow]:
    """The devices of some fittings, in their order."""
    query = select(fitted).where(fitted.c.fitting.in_(list(ids))).order_by(fitted.c.fitting, fitted.c.id)
    return all_of(connection, FittedRow, query)


def open_devices(connection: Connection) -> list[FittedRow]:
    """Every device that is being fitted."""
    return all_of(connection, FittedRow, select(fitted).where(fitted.c.state == "open").order_by(fitted.c.id))


def of_macs(connection: Connection, macs: Iterable[MacNumber]) -> list[FittedRow]:
    """The fittings of some MACs, the latest first."""
    return all_of(
        connection, FittedRow, select(fitted).where(fitted.c.mac.in_(list(macs))).order_by(fitted.c.id.desc())
    )


def placed(connection: Connection, device: int, address: Address | None) -> None:
    """The plan gave a device another address, or took it away."""
    connection.execute(update(fitted).where(fitted.c.id == device).values(address=address))


def of_kind(connection: Connection, fitting: int, kind: int) -> None:
    """Of what kind the devices of a fitting are."""
    connection.execute(update(fittings).where(fittings.c.id == fitting).values(kind=kind))


def notes_of(connection: Connection, device: int) -> list[FittingNoteRow]:
    """What was written down of one device's fitting, in order of time."""
    return all_of(
        connection, FittingNoteRow, select(fitting_notes).where(fitting_notes.c.fitted == device).order_by(fitting_notes.c.id)
    )  # fmt: skip


def note(connection: Connection, device: int, at: int, notes: Iterable[tuple[Step, str]]) -> None:
    """Write something down."""
    rows = [{"fitted": device, "at": at, "step": step.value, "said": said} for step, said in notes]
    if rows:
        connection.execute(insert(fitting_notes), rows)


def progressed(connection: Connection, device: int, progress: Progress) -> None:
    """How far a device is by now; one that is closed stays as it is."""
    here = fitted.c.id == device, fitted.c.state == "open"
    connection.execute(update(fitted).where(*here).values(progress=as_json(progress)))


def close(connection: Connection, device: int, state: str, at: int) -> bool:
    """A device's fitting is over: `done` or `given up`; its fitting is, when it was the last. False when it was over before."""
    changed = connection.execute(
        update(fitted).where(fitted.c.id == device, fitted.c.state == "open").values(state=state, closed_at=at)
    ).rowcount
    fitting = select(fitted.c.fitting).where(fitted.c.id == device).scalar_subquery()
    left = select(func.count()).select_from(fitted).where(fitted.c.fitting == fitting, fitted.c.state == "open")
    over = connection.execute(left).scalar_one() == 0
    values = {"touched_at": at, **({"closed_at": at} if over else {})}
    connection.execute(update(fittings).where(fittings.c.id == fitting).values(**values))
    return changed > 0


def touched(connection: Connection, fitting: int, at: int) -> None:
    """Somebody worked at it, or the wire did."""
    connection.execute(update(fittings).where(fittings.c.id == fitting).values(touched_at=at))
