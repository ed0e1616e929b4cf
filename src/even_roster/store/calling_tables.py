"""The tables of roll calls beside what people enter: how lines stood last, reply times hour by hour; and SecureOn passwords. See
`tables`."""

from __future__ import annotations

from sqlalchemy import BigInteger, Column, Integer, Table, Text

from .address_column import AddressNumber
from .tables import metadata

roll_standings = Table(
    "roll_standings", metadata,
    Column("call", Integer, primary_key=True),
    Column("subject", Text, primary_key=True),
    Column("state", Text, nullable=False),
    Column("since", BigInteger),
    Column("seen", BigInteger),
    Column("asked", BigInteger, nullable=False),
    sqlite_with_rowid=False,
)  # fmt: skip

reply_hours = Table(
    "reply_hours", metadata,
    Column("site", Integer, primary_key=True),
    Column("address", AddressNumber, primary_key=True),
    Column("hour", Integer, primary_key=True),
    Column("looks", Integer, nullable=False),
    Column("here", Integer, nullable=False),
    Column("timed", Integer, nullable=False),
    Column("least", Integer, nullable=False),
    Column("total", Integer, nullable=False),
    Column("most", Integer, nullable=False),
    sqlite_with_rowid=False,
)  # fmt: skip

wake_passwords = Table(
    "wake_passwords", metadata,
    Column("mac", BigInteger, primary_key=True),
    Column("secret", Text, nullable=False),
    sqlite_with_rowid=False,
)  # fmt: skip
