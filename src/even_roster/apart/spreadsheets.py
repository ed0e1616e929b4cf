"""Reads CSV and XLSX files into tables of text, and writes them. Nothing in a file is evaluated; limits come first."""

from __future__ import annotations

import codecs
import csv
import io
import itertools
import zipfile
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from ..core.columns import SheetError
from ..core.spreadsheets import MOST_ROWS, guarded

MOST_BYTES = 32 << 20
_MOST_UNPACKED = 400 << 20
_MOST_COLUMNS = 200
_OLD_EXCEL = b"\xd0\xcf\x11\xe0"


@dataclass(frozen=True, slots=True)
class Table:
    """Rows of text, and how the file was read, for people to check."""

    rows: list[list[str]]
    read_as: str


def read(data: bytes) -> Table:
    """The first sheet of a workbook, or a CSV file. Raises SheetError."""
    if len(data) > MOST_BYTES:
        raise SheetError(f"the file is over {MOST_BYTES >> 20} MiB; split it")
    if not data.strip():
        raise SheetError("the file is empty; its first row holds headers such as address, name, mac")
    if data.startswith(_OLD_EXCEL):
        raise SheetError("this is an old binary workbook (.xls); save it as .xlsx or CSV")
    if data.startswith(b"PK"):
        return _workbook(data)
    return _csv(data)


def _workbook(data: bytes) -> Table:
    from openpyxl import load_workbook

    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            if sum(info.file_size for info in archive.infolist()) > _MOST_UNPACKED:
                raise SheetError(f"the workbook is over {_MOST_UNPACKED >> 20} MiB unpacked; split it")
        book = load_workbook(io.BytesIO(data), read_only=True, data_only=False, keep_links=False)
        sheet = book.worksheets[0]
        cells = sheet.iter_rows(max_col=_MOST_COLUMNS)
        rows = [_trimmed([_text(cell) for cell in row]) for row in itertools.islice(cells, MOST_ROWS + 1)]
        more = sum(1 for row in cells if any(cell.value is not None for cell in row))
    except (SheetError, MemoryError):
        raise
    except Exception as error:
        raise SheetError(
            f"this is not a workbook that can be read ({type(error).__name__}); save it as .xlsx or CSV"
        ) from error
    return Table(_bounded(rows, more), f"workbook, sheet {sheet.title!r}")


def _bounded(rows: list[list[str]], more: int) -> list[list[str]]:
    """Rows without empty ones at their end. Raises SheetError where there are `more` of them than are taken."""
    if more:
        total = len(rows) - 1 + more
        raise SheetError(f"the table has {total:,} rows; at most {MOST_ROWS:,} can be imported at once")
    while rows and not any(rows[-1]):
        rows.pop()
    return rows


def _trimmed(row: list[str]) -> list[str]:
    while row and not row[-1]:
        row.pop()
    return row


def _text(cell: Any) -> str:
    """A cell as text; formulas keep their equals sign, other texts that look like one are guarded."""
    value = cell.value
    if value is None:
        return ""
    if cell.data_type == "f":
        return str(value)
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    if isinstance(value, datetime | date):
        return value.isoformat()
    text = str(value)
    return guarded(text) if text[:1] == "=" else text


def _csv(data: bytes) -> Table:
    text, encoding = _decode(data)
    if "\0" in text:
        raise SheetError("this is not a spreadsheet: it holds binary data; save it as .xlsx or CSV")
    first = text.split("\n", 1)[0]
    separator = max(",;\t|", key=first.count)
    names = {",": "commas", ";": "semicolons", "\t": "tabs", "|": "bars"}
    rows: list[list[str]] = []
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=separator)
    more = 0
    try:
        for row in reader:
            if len(rows) <= MOST_ROWS:
                rows.append(row[:_MOST_COLUMNS])
            else:
                more += any(row)
    except csv.Error as error:
        raise SheetError(f"row {len(rows) + 1}: {error}; check the quotes there") from error
    return Table(_bounded(rows, more), f"CSV with {names[separator]}, {encoding}")


def _decode(data: bytes) -> tuple[str, str]:
    """The text of a file in the encodings that spreadsheets write."""
    for mark, name in (
        (codecs.BOM_UTF8, "utf-8-sig"),
        (codecs.BOM_UTF16_LE, "utf-16"),
        (codecs.BOM_UTF16_BE, "utf-16"),
    ):
        if data.startswith(mark):
            try:
                return data.decode(name), "UTF-8" if mark == codecs.BOM_UTF8 else "UTF-16"
            except UnicodeDecodeError as error:
                raise SheetError(f"the file says it is {name}, but octet {error.start} is not") from error
    try:
        return data.decode("utf-8"), "UTF-8"
    except UnicodeDecodeError:
        return data.decode("cp1252", "replace"), "Windows-1252"


def write_csv(rows: Iterable[list[str]]) -> bytes:
    """A CSV file (RFC 4180) in UTF-8 with a byte-order mark, so that every spreadsheet reads it right."""
    text = io.StringIO(newline="")
    csv.writer(text).writerows(rows)
    return codecs.BOM_UTF8 + text.getvalue().encode()


def write_workbook(rows: Iterable[list[str]], title: str) -> bytes:
    """A workbook with one sheet of texts."""
    from openpyxl import Workbook
    from openpyxl.cell import WriteOnlyCell

    book = Workbook(write_only=True)
    sheet = book.create_sheet("".join(char if char not in "[]:*?/\\" else " " for char in title))
    for row in rows:
        cells = [WriteOnlyCell(sheet, value=value) for value in row]
        for cell in cells:
            cell.data_type = "s"
        sheet.append(cells)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()
