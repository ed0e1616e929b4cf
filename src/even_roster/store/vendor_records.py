"""Own prefixes and loaded registry blocks, kept in the roster."""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import Connection, select
from sqlalchemy.dialects.sqlite import insert as upsert

from ..core.vendors import Prefix, VendorRegistry
from .tables import loaded_blocks, own_prefixes


def fill(connection: Connection, registry: VendorRegistry) -> None:
    """Put what the roster keeps into a registry."""
    for row in connection.execute(select(loaded_blocks)):
        registry.add(Prefix(row.prefix, row.length), row.name, own=False)
    for row in connection.execute(select(own_prefixes)):
        registry.add(Prefix(row.prefix, row.length), row.name, own=True)


def add_blocks(connection: Connection, blocks: Iterable[tuple[Prefix, str]]) -> int:
    """Keep blocks of a registry file; later ones replace earlier ones. How many there were."""
    rows = [{"prefix": prefix.value, "length": prefix.length, "name": name} for prefix, name in blocks]
    if rows:
        statement = upsert(loaded_blocks)
        connection.execute(
            statement.on_conflict_do_update(
                index_elements=["prefix", "length"], set_={"name": statement.excluded.name}
            ),
            rows,
        )
    return len(rows)


def own(connection: Connection) -> list[tuple[Prefix, str]]:
    """The site's own prefixes, in order."""
    query = select(own_prefixes).order_by(own_prefixes.c.prefix, own_prefixes.c.length)
    return [(Prefix(row.prefix, row.length), row.name) for row in connection.execute(query)]
