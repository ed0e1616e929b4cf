"""Tables of what was asked and heard: silences of stays, looks, deaf times, who was only heard. Times are UTC milliseconds."""

from __future__ import annotations

from sqlalchemy import BigInteger, Boolean, Column, ForeignKey, Index, Integer, Table, Text, literal_column, text

from ..core.stays import ANSWER_BITS
from .address_column import AddressNumber
from .tables import metadata, segments, stays

silences = Table(
    "silences", metadata,
    Column("stay_id", ForeignKey(stays.c.id), primary_key=True),
    Column("first", BigInteger, primary_key=True),
    Column("last", BigInteger, nullable=False),
    Column("times", Integer, nullable=False),
    Column("before", BigInteger, nullable=False),
    Column("after", BigInteger, nullable=False, default=0),
    Column("reason", Integer, nullable=False, default=0),
    Index("ix_silences_open", "stay_id", sqlite_where=text("after = 0")),
    sqlite_with_rowid=False,
)  # fmt: skip
"""When the pair of a stay was asked without an answer: `times` looks in a row, between its answers `before` and `after` (0: not
yet)."""

OPEN = silences.c.after == literal_column("0")
"""The silences that last still; written so that SQLite sees that `ix_silences_open` has them."""

ANSWERED = stays.c.sources.op("&")(ANSWER_BITS) != 0
"""The stays in which a device answered: of the others nothing is known but that a server leased an address."""

looks = Table(
    "looks", metadata,
    Column("id", Integer, primary_key=True),
    Column("site", Integer, nullable=False),
    Column("adapter", Text, nullable=False),
    Column("kind", Integer, nullable=False),
    Column("by", Integer, nullable=False),
    Column("controlled", Boolean, nullable=False),
    Column("low", AddressNumber, nullable=False),
    Column("high", AddressNumber, nullable=False),
    Column("spans", Text, nullable=False),
    Column("first", BigInteger, nullable=False),
    Column("began", BigInteger, nullable=False),
    Column("last", BigInteger, nullable=False),
    Column("times", Integer, nullable=False),
    Column("every", BigInteger, nullable=False),
    Index("ix_looks_low", "low", "last"),
    Index("ix_looks_last", "last"),
)  # fmt: skip
"""Series of looks; `spans` is empty where it is all from `low` to `high`."""

deaf_times = Table(
    "deaf_times", metadata,
    Column("id", Integer, primary_key=True),
    Column("adapter", Text, nullable=False),
    Column("why", Integer, nullable=False),
    Column("first", BigInteger, nullable=False),
    Column("last", BigInteger, nullable=False),
    Index("ix_deaf_times_first", "first"),
)  # fmt: skip

heartbeat = Table(
    "heartbeat", metadata,
    Column("id", Integer, primary_key=True),
    Column("at", BigInteger, nullable=False),
    Column("stopped", Boolean, nullable=False),
)  # fmt: skip
"""One row: when the service was alive last, and whether it was stopped in order then."""

heard_only = Table(
    "heard_only", metadata,
    Column("segment_id", ForeignKey(segments.c.id), primary_key=True),
    Column("mac", BigInteger, primary_key=True),
    Column("address", AddressNumber, primary_key=True),
    Column("first", BigInteger, nullable=False),
    Column("last", BigInteger, nullable=False),
    Column("times", Integer, nullable=False),
    Index("ix_heard_only_address", "address"),
    sqlite_with_rowid=False,
)  # fmt: skip
"""Who was heard to speak as an address and has not answered there. Anybody can send such a frame: nothing follows from it."""
