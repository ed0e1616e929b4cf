"""Orders to switch ports off and on, as they are kept: before anything is sent, so that what is off for a time comes back whatever
happens to the service. Times are UTC milliseconds."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

from sqlalchemy import Connection, insert, select, update

from .rows import all_of
from .wiring_tables import port_orders

GIVEN, DONE, OFF_FOR_NOW, BACK, FAILED = "given", "done", "off for now", "back", "failed"
"""given: it is being carried out, or the service ended meanwhile; done; off for now: it comes back by itself; back: it did; failed:
it was refused or did not come about."""
OPEN = (GIVEN, OFF_FOR_NOW)


class OrderRow(NamedTuple):
    """A row of `port_orders`."""

    id: int
    switch: int
    port: int
    what: str
    to: str
    who: str
    at: int
    credential: int
    until: int | None
    state: str
    said: str


def add(connection: Connection, values: dict[str, Any]) -> int:
    """Keep an order; gives its id."""
    return int(connection.execute(insert(port_orders).values(**values)).inserted_primary_key[0])  # type: ignore[index]


def change(connection: Connection, identity: int, state: str, said: str) -> None:
    """How an order stands by now."""
    connection.execute(update(port_orders).where(port_orders.c.id == identity).values(state=state, said=said))


def one(connection: Connection, identity: int) -> OrderRow | None:
    """One order."""
    return next(iter(all_of(connection, OrderRow, select(port_orders).where(port_orders.c.id == identity))), None)


def open_ones(connection: Connection) -> list[OrderRow]:
    """Those that are not over: being carried out, or off for now."""
    return all_of(
        connection, OrderRow, select(port_orders).where(port_orders.c.state.in_(OPEN)).order_by(port_orders.c.id)
    )


def latest(connection: Connection, ports: Sequence[int] | None, most: int) -> list[OrderRow]:
    """The latest orders, of some ports or of all."""
    query = select(port_orders).order_by(port_orders.c.id.desc()).limit(most)
    return all_of(connection, OrderRow, query if ports is None else query.where(port_orders.c.port.in_(ports)))
