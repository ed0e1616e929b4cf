"""What DHCP servers hold, as they were read last."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import Connection, delete, func, insert, select, update

from ..core.holdings import By, Holding, Part, Place
from ..core.mac import MacNumber
from .tables import dhcp_servers, holdings, published


def replace(
    connection: Connection, server: int, found: Sequence[Holding], at: int, said: str = "", known: Sequence[Holding] | None = None
) -> bool:  # fmt: skip
    """What was read now in the place of what was read before, and what was wrong with it; tells whether it differs. `known` is what
    was stored last, where the caller has it at hand."""
    changed = (of_server(connection, server) if known is None else known) != found
    if changed:
        connection.execute(delete(holdings).where(holdings.c.server == server))
        if found:
            connection.execute(insert(holdings), [_row(server, number, one) for number, one in enumerate(found)])
    connection.execute(
        update(dhcp_servers).where(dhcp_servers.c.id == server).values(holdings_at=at, holdings_trouble=said)
    )
    return changed


def read_again(connection: Connection, server: int, at: int) -> None:
    """It was looked at again, and nothing has changed."""
    connection.execute(update(dhcp_servers).where(dhcp_servers.c.id == server).values(holdings_at=at))


def trouble(connection: Connection, server: int, sentence: str) -> None:
    """The configuration cannot be read; what was read before stays."""
    connection.execute(update(dhcp_servers).where(dhcp_servers.c.id == server).values(holdings_trouble=sentence))


def drifted(connection: Connection, server: int, drift: dict[str, Any]) -> None:
    """How a server and the plan differ now."""
    connection.execute(update(dhcp_servers).where(dhcp_servers.c.id == server).values(drift=drift))


def of_server(connection: Connection, server: int) -> list[Holding]:
    """All that a server holds, in the order in which it was read."""
    query = select(holdings).where(holdings.c.server == server).order_by(holdings.c.number)
    return [_holding(row) for row in connection.execute(query)]


def counts(connection: Connection, server: int) -> dict[str, int]:
    """How many parts of each kind a server holds."""
    query = select(holdings.c.part, func.count()).where(holdings.c.server == server).group_by(holdings.c.part)
    return {part: count for part, count in connection.execute(query)}


def ours(connection: Connection) -> set[tuple[int, int, MacNumber]]:
    """What the plan published: server, address and MAC of each reservation."""
    query = select(published.c.server, published.c.address, published.c.mac)
    return {(row.server, row.address, row.mac) for row in connection.execute(query)}


def _row(server: int, number: int, one: Holding) -> dict[str, Any]:
    return {
        "server": server, "number": number, "part": one.part.value, "source": one.place.source, "line": one.place.line,
        "text": one.text, "within": one.within, "first": one.first, "last": one.last,
        "identifiers": [[by.value, text] for by, text in one.identifiers], "name": one.name,
        "hangs": [[what, value] for what, value in one.hangs],
    }  # fmt: skip


def _holding(row: Any) -> Holding:
    return Holding(
        Part(row.part), Place(row.source, row.line), row.text, row.within, row.first, row.last,
        tuple((By(by), text) for by, text in row.identifiers), row.name, tuple((what, value) for what, value in row.hangs),
    )  # fmt: skip
