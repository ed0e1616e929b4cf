"""The tables of the wiring: which ports were joined when, what hands say of that, where they put switches on the map, and which
ports were switched off and on; chases with the cables that they look for. See `tables`.

A link that has no `last` stands as the latest readings have it, else it was read so last then, and found `gone` later; `shared`:
something that is not read hangs between. Its ends are [switch, port, called], with the port 0 where it is not known and the
switch 0 where it is not read.
"""

from __future__ import annotations

from sqlalchemy import JSON, BigInteger, Boolean, Column, Float, Index, Integer, Table, Text

from .tables import metadata

chases = Table(
    "chases", metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Text, nullable=False),
    Column("switches", JSON, nullable=False),
    Column("devices", JSON, nullable=False),
    Column("cables", JSON, nullable=False),
    Column("begun", BigInteger, nullable=False),
    Column("until", BigInteger, nullable=False),
    Column("on", Boolean, nullable=False),
)  # fmt: skip

port_orders = Table(
    "port_orders", metadata,
    Column("id", Integer, primary_key=True),
    Column("switch", Integer, nullable=False),
    Column("port", Integer, nullable=False),
    Column("what", Text, nullable=False),
    Column("to", Text, nullable=False),
    Column("who", Text, nullable=False),
    Column("at", BigInteger, nullable=False),
    Column("credential", Integer, nullable=False),
    Column("until", BigInteger),
    Column("state", Text, nullable=False),
    Column("said", Text, nullable=False, server_default=""),
    Column("said_at", BigInteger),
    Column("consents", JSON, nullable=False, server_default="[]"),
    Index("ix_port_orders_port", "port", "at"),
    Index("ix_port_orders_state", "state"),
)  # fmt: skip

link_stays = Table(
    "link_stays", metadata,
    Column("id", Integer, primary_key=True),
    Column("ends", JSON, nullable=False),
    Column("known", Text, nullable=False),
    Column("shared", Boolean, nullable=False),
    Column("members", JSON, nullable=False),
    Column("first", BigInteger, nullable=False),
    Column("last", BigInteger),
    Column("gone", BigInteger),
    Index("ix_link_stays_gone", "gone"),
)  # fmt: skip

hand_links = Table(
    "hand_links", metadata,
    Column("one", Integer, primary_key=True),
    Column("other", Integer, primary_key=True),
    Column("joined", Boolean, nullable=False),
    Column("note", Text, nullable=False),
    sqlite_with_rowid=False,
)  # fmt: skip

map_places = Table(
    "map_places", metadata,
    Column("switch", Integer, primary_key=True),
    Column("x", Float, nullable=False),
    Column("y", Float, nullable=False),
)  # fmt: skip
