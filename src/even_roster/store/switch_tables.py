"""The tables of switches: what they are read by, their ports, who was behind each, and what their tables pair. See `tables`.

What has no `last` stands as it did in the switch's latest reading, so that a quiet reading writes one row. Ports and their history
outlive their switch's row: taking a switch back by undo brings them back.
"""

from __future__ import annotations

from sqlalchemy import JSON, BigInteger, Boolean, Column, ForeignKey, Index, Integer, Table, Text, text

from .address_column import AddressNumber
from .tables import metadata

credentials = Table(
    "credentials", metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Text, nullable=False, unique=True),
    Column("snmp", Text, nullable=False),
    Column("user", Text, nullable=False, server_default=""),
    Column("auth", Text, nullable=False, server_default="none"),
    Column("privacy", Text, nullable=False, server_default="none"),
    Column("secret", Text, nullable=False),
)  # fmt: skip

switches = Table(
    "switches", metadata,
    Column("id", Integer, primary_key=True),
    Column("site", ForeignKey("sites.id"), nullable=False),
    Column("address", AddressNumber, nullable=False),
    Column("credential", ForeignKey("credentials.id")),
    Column("every_seconds", Integer, nullable=False),
    Column("on", Boolean, nullable=False, server_default=text("1")),
    Column("works", Integer),
    Column("refused", BigInteger),
    Column("asked", BigInteger),
    Column("read", BigInteger),
    Column("learnt", BigInteger),
    Column("trouble", Text, nullable=False, server_default=""),
    Column("told", JSON, nullable=False, server_default="{}"),
    Index("ix_switches_address", "site", "address", unique=True),
)  # fmt: skip

switch_ports = Table(
    "switch_ports", metadata,
    Column("id", Integer, primary_key=True),
    Column("switch", Integer, nullable=False),
    Column("name", Text, nullable=False),
    Column("place", Integer, nullable=False),
    Column("there", Boolean, nullable=False, server_default=text("1")),
    Index("ix_switch_ports_name", "switch", "name", unique=True),
)  # fmt: skip

port_words = Table(
    "port_words", metadata,
    Column("port", Integer, primary_key=True),
    Column("note", Text, nullable=False),
    Column("mark", Text, nullable=False),
    Column("uplink", Boolean),
)  # fmt: skip

port_states = Table(
    "port_states", metadata,
    Column("id", Integer, primary_key=True),
    Column("port", Integer, nullable=False),
    Column("first", BigInteger, nullable=False),
    Column("last", BigInteger),
    Column("state", JSON, nullable=False),
    Index("ix_port_states_port", "port", "first"),
)  # fmt: skip

port_stays = Table(
    "port_stays", metadata,
    Column("id", Integer, primary_key=True),
    Column("switch", Integer, nullable=False),
    Column("port", Integer, nullable=False),
    Column("mac", BigInteger, nullable=False),
    Column("vlans", Text, nullable=False),
    Column("first", BigInteger, nullable=False),
    Column("last", BigInteger),
    Column("ended", Integer, nullable=False, server_default=text("0")),
    Index("ix_port_stays_mac", "mac", "first"),
    Index("ix_port_stays_switch", "switch", "last"),
    Index("ix_port_stays_port", "port", "first"),
)  # fmt: skip

port_counters = Table(
    "port_counters", metadata,
    Column("port", Integer, primary_key=True),
    Column("at", BigInteger, nullable=False),
    Column("values", JSON, nullable=False),
    Column("before_at", BigInteger),
    Column("before", JSON),
)  # fmt: skip

port_days = Table(
    "port_days", metadata,
    Column("port", Integer, primary_key=True),
    Column("day", Integer, primary_key=True),
    Column("octets_in", BigInteger, nullable=False),
    Column("octets_out", BigInteger, nullable=False),
    Column("errors_in", BigInteger, nullable=False),
    Column("errors_out", BigInteger, nullable=False),
    sqlite_with_rowid=False,
)  # fmt: skip

told_pairs = Table(
    "told_pairs", metadata,
    Column("switch", Integer, primary_key=True),
    Column("address", AddressNumber, primary_key=True),
    Column("mac", BigInteger, primary_key=True),
    Column("first", BigInteger, nullable=False),
    Column("last", BigInteger),
    Index("ix_told_pairs_mac", "mac"),
    Index("ix_told_pairs_address", "address"),
    sqlite_with_rowid=False,
)  # fmt: skip

hand_pairs = Table(
    "hand_pairs", metadata,
    Column("site", Integer, primary_key=True),
    Column("address", AddressNumber, primary_key=True),
    Column("mac", BigInteger, primary_key=True),
    Column("note", Text, nullable=False),
    sqlite_with_rowid=False,
)  # fmt: skip
