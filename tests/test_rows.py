"""The shapes of rows that leave the store are those of the tables: mypy believes them."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path
from typing import Any, ClassVar, Literal, NamedTuple, get_args, get_origin, get_type_hints

from sqlalchemy import JSON, Column, Table, select

from even_roster.store import fitting_tables, past_tables, rows, tables
from even_roster.store.address_column import AddressNumber
from even_roster.store.database import Database

BESIDE = "anything"


class Shapes(unittest.TestCase):
    """What leaves the store is typed; mypy believes the shapes, so they must be those of the tables."""

    SHAPES: ClassVar[tuple[tuple[type[NamedTuple], Table, dict[str, Column[Any]]], ...]] = (
        (rows.DeviceRow, tables.devices, {}), (rows.AdapterRow, tables.adapters, {}),
        (rows.StayRow, tables.stays, {
            "subnet": tables.segments.c.subnet, "device_id": tables.devices.c.id, "called": tables.devices.c.called,
            "silent_count": past_tables.silences.c.times, "silent_first": past_tables.silences.c.first,
            "silent_last": past_tables.silences.c.last,
        }),
        (rows.NameStayRow, tables.name_stays, {}), (rows.ChangeRow, tables.changes, {}), (rows.ChangeItemRow, tables.change_items, {}),
        (rows.FindingRow, tables.findings, {}), (rows.TurnRow, tables.finding_turns, {"kind": tables.findings.c.kind}),
        (rows.RouteRow, tables.notice_routes, {}), (rows.ScanRow, tables.scans, {"subnet": tables.segments.c.subnet}),
        (rows.ScanResultRow, tables.scan_results, {}), (rows.DhcpServerRow, tables.dhcp_servers, {}),
        (rows.RangeRow, tables.ranges, {"subnet": tables.segments.c.subnet, "adapter": tables.segments.c.adapter}),
        (rows.FittingRow, fitting_tables.fittings, {}), (rows.FittedRow, fitting_tables.fitted, {}),
        (rows.FittingNoteRow, fitting_tables.fitting_notes, {}), (rows.ReviewRow, tables.reviews, {"called": tables.devices.c.called}),
    )  # fmt: skip
    JOINED_OUTSIDE: ClassVar[set[tuple[type[NamedTuple], str]]] = {
        (rows.StayRow, "device_id"),
        (rows.StayRow, "called"),
    }

    def test_a_shape_has_the_columns_of_its_table_with_their_types(self) -> None:
        for shape, table, beside in self.SHAPES:
            hints = get_type_hints(shape)
            columns = {column.name: column for column in table.columns} | beside
            self.assertEqual(list(hints), list(columns), shape.__name__)
            for name, column in columns.items():
                told = hints[name]
                optional = type(None) in get_args(told)
                inner = next((part for part in get_args(told) if part is not type(None)), told) if optional else told
                with self.subTest(shape=shape.__name__, column=name):
                    may_lack = column.nullable or (shape, name) in self.JOINED_OUTSIDE
                    if inner is Any:
                        self.assertIsInstance(column.type, JSON)
                        continue
                    self.assertEqual(optional, may_lack)
                    kept = column.type
                    stored = (
                        list if isinstance(kept, JSON) else int if isinstance(kept, AddressNumber) else kept.python_type
                    )
                    self.assertIs(self.plain(inner), stored)

    @staticmethod
    def plain(told: Any) -> type:
        """The class behind a NewType, a Literal or a generic."""
        if get_origin(told) is Literal:
            return str
        found = get_origin(told) or getattr(told, "__supertype__", told)
        assert isinstance(found, type)
        return found

    def test_all_shapes_are_looked_at(self) -> None:
        there = {one for one in vars(rows).values() if isinstance(one, type) and hasattr(one, "_fields")}
        self.assertEqual(there - {shape for shape, _, _ in self.SHAPES}, {rows.PairSeen, rows.MaybeMet})

    def test_a_query_for_another_shape_is_refused(self) -> None:
        folder = self.enterContext(tempfile.TemporaryDirectory())
        database = Database(Path(folder) / "roster.db")
        self.addCleanup(database.close)
        with database.read() as connection:
            with self.assertRaisesRegex(TypeError, "AdapterRow has"):
                rows.all_of(connection, rows.AdapterRow, select(tables.devices))
            self.assertIsNone(rows.one_of(connection, rows.AdapterRow, select(tables.adapters)))
