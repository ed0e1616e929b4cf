"""Orders to switch ports off and on, as they are kept: before anything is sent, so that what is off for a time comes back whatever
happens to the service. Times are UTC milliseconds."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

from sqlalchemy import Connection, insert, select, update

from .rows import Json, all_of
from .wiring_tables import port_orders

GIVEN, SENT, DONE, OFF_FOR_NOW, BACK, FAILED, UNKNOWN = (
    "given", "sent", "done", "off for now", "back", "failed", "not known",
)  # fmt: skip
"""given: it is kept and about to be sent; sent: its switch has not answered yet; done; off for now: it comes back by itself; back:
it did; failed: it was refused, or the port is as it was; not known: no answer came, the next reading tells."""
OPEN = (GIVEN, SENT, OFF_FOR_NOW)
"""What somebody has yet to end: a credential and a switch that it needs stay until then."""
UNSETTLED = (*OPEN, UNKNOWN)


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
    said_at: int | None = None
    """When it came to stand so, by what its switch said or did not say."""
    consents: Json = ()
    """What was not verified, as whoever ordered it was told."""


def add(connection: Connection, values: dict[str, Any]) -> int:
    """Keep an order; gives its id."""
    return int(connection.execute(insert(port_orders).values(**values)).inserted_primary_key[0])  # type: ignore[index]


def change(connection: Connection, identity: int, state: str, said: str, at: int) -> None:
    """How an order stands by now."""
    values = {"state": state, "said": said, "said_at": at}
    connection.execute(update(port_orders).where(port_orders.c.id == identity).values(values))


def one(connection: Connection, identity: int) -> OrderRow | None:
    """One order."""
    return next(iter(all_of(connection, OrderRow, select(port_orders).where(port_orders.c.id == identity))), None)


def open_ones(connection: Connection) -> list[OrderRow]:
    """Those that are not over: being carried out, or off for now."""
    return _in(connection, OPEN)


def unsettled(connection: Connection) -> list[OrderRow]:
    """Those of which a reading may tell more: they are not over, or no answer came."""
    return _in(connection, UNSETTLED)


def _in(connection: Connection, states: Sequence[str]) -> list[OrderRow]:
    query = select(port_orders).where(port_orders.c.state.in_(states))
    return all_of(connection, OrderRow, query.order_by(port_orders.c.id))


def counted_as_off(connection: Connection, since: int) -> list[OrderRow]:
    """Orders by which a port is off, or may be: those that are unsettled, and those that are done since a time."""
    late = (port_orders.c.state == DONE) & (port_orders.c.said_at >= since)
    query = select(port_orders).where(port_orders.c.to == "off", port_orders.c.state.in_(UNSETTLED) | late)
    return all_of(connection, OrderRow, query)


def latest(connection: Connection, ports: Sequence[int] | None, most: int) -> list[OrderRow]:
    """The latest orders, of some ports or of all."""
    query = select(port_orders).order_by(port_orders.c.id.desc()).limit(most)
    return all_of(connection, OrderRow, query if ports is None else query.where(port_orders.c.port.in_(ports)))
