"""The tables of fittings and of kinds of devices; see `tables`."""

from __future__ import annotations

from sqlalchemy import JSON, BigInteger, Boolean, Column, ForeignKey, Integer, Table, Text

from .address_column import AddressNumber
from .tables import metadata

kinds = Table(
    "kinds", metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Text, nullable=False, unique=True),
    Column("comes", Text, nullable=False),
    Column("factory", Text, nullable=False),
    Column("page", Text, nullable=False),
    Column("reset", Text, nullable=False),
    Column("store", Text, nullable=False),
    Column("fields", JSON, nullable=False),
    Column("notation", Text, nullable=False),
    Column("role", Text, nullable=False),
    Column("notes", Text, nullable=False),
)  # fmt: skip

fittings = Table(
    "fittings", metadata,
    Column("id", Integer, primary_key=True),
    Column("site", Integer, nullable=False),
    Column("kind", Integer, nullable=True),
    Column("role", Text, nullable=False),
    Column("place", Text, nullable=False),
    Column("who", Text, nullable=False),
    Column("opened_at", BigInteger, nullable=False),
    Column("touched_at", BigInteger, nullable=False),
    Column("closed_at", BigInteger, nullable=True),
)  # fmt: skip

fitted = Table(
    "fitted", metadata,
    Column("id", Integer, primary_key=True),
    Column("fitting", Integer, ForeignKey("fittings.id"), nullable=False, index=True),
    Column("mac", BigInteger, nullable=False, index=True),
    Column("name", Text, nullable=False),
    Column("address", AddressNumber, nullable=True),
    Column("assignment", Integer, nullable=True),
    Column("made", Boolean, nullable=False),
    Column("undo", JSON, nullable=False),
    Column("state", Text, nullable=False),
    Column("progress", JSON, nullable=False),
    Column("closed_at", BigInteger, nullable=True),
)  # fmt: skip

fitting_notes = Table(
    "fitting_notes", metadata,
    Column("id", Integer, primary_key=True),
    Column("fitted", Integer, ForeignKey("fitted.id"), nullable=False, index=True),
    Column("at", BigInteger, nullable=False),
    Column("step", Text, nullable=False),
    Column("said", Text, nullable=False),
)  # fmt: skip
