"""Spreadsheet rows into assignments and back: which column is what, how cells are read, what would change. Pure.

A table is rows of text cells, the first one the headers. Nothing in a cell is ever evaluated; `guarded` makes a text safe to
write into a spreadsheet, and `unguarded` takes that back, so that an export comes back as it was.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from ipaddress import AddressValueError

from .address import Address, dotted, ipv4
from .columns import FIELDS, OFF, ON, RESERVED, STATIC, Columns, SheetError, recognise
from .mac import Mac, MacError, MacNumber
from .names import is_hostname, no_hostname
from .plan.model import Assignment, AssignmentKind, Plan
from .ranges import RangeError, parse
from .text import clean

MOST_ROWS = 50_000
NOBODYS = "neither a name nor a MAC"
_PLAIN = re.compile(r"(?:[0-9]{1,3}\.){3}[0-9]{1,3}")
_RISKY = ("=", "+", "-", "@", "\t", "\r")


@dataclass(frozen=True, slots=True)
class RowPlan:
    """What one row would do: `action` is add, change, same or refused; `reason` says why, with the column, and `cause` the
    same without the row's own values, so that rows refused for one cause stand together."""

    row: int
    action: str
    address: str
    before: Assignment | None
    after: Assignment | None
    reason: str = ""
    column: str = ""
    warning: str = ""
    cause: str = ""


@dataclass(frozen=True, slots=True)
class TablePlan:
    """What a table would do: which column was taken as what, and its rows."""

    columns: Columns
    rows: list[RowPlan]


@dataclass(frozen=True, slots=True)
class _Read:
    """A row's cells as values."""

    site: int
    address: Address
    name: str
    mac: MacNumber | None
    kind: AssignmentKind | None
    role: str
    notes: str
    on: bool


class _Bad(Exception):
    def __init__(self, column: str, reason: str, cause: str) -> None:
        self.column, self.reason, self.cause = column, reason, cause


def plan_table(
    plan: Plan, here: int, rows: Sequence[Sequence[str]], mapping: Mapping[str, str] | None = None,
    first_row: int = 1,
) -> TablePlan:  # fmt: skip
    """What a table would do to the plan, row by row; the first row holds the headers. Raises SheetError.

    An address that is assigned is changed where cells say something else; empty cells change nothing. A row that
    another row of the table speaks against is refused.
    """
    if not rows:
        raise SheetError("the table is empty; its first row holds headers such as address, name, mac")
    if len(rows) - 1 > MOST_ROWS:
        raise SheetError(f"the table has {len(rows) - 1:,} rows; at most {MOST_ROWS:,} can be imported at once")
    recognised = recognise(rows, mapping, plan.rules, [site.name for site in plan.sites.values()])
    columns, shown = recognised.places, recognised.headers
    headers = {field: shown[at] for field, at in columns.items()}
    sites = {site.name.casefold(): site.id for site in plan.sites.values()}
    seen: dict[tuple[int, int], int] = {}
    macs: dict[tuple[int, int], int] = {}
    found = []
    for number, row in enumerate(rows[1:], start=first_row + 1):
        cells = {field: unguarded(row[at]).strip() if at < len(row) else "" for field, at in columns.items()}
        if not any(cells.values()):
            continue
        try:
            _no_formulas(row, columns, headers)
            read = _read(cells, headers, sites, here)
            if read.role and read.role not in plan.rules:
                raise _Bad(
                    headers["role"],
                    f"there is no role {read.role!r}; add it to the site's roles first, or leave the cell empty",
                    "no role that the site has",
                )
            planned = _against(plan, read, cells, headers, columns, number)
            _doubles(planned, read, seen, macs, number, headers)
        except _Bad as bad:
            found.append(
                RowPlan(number, "refused", cells["address"][:40], None, None, bad.reason, bad.column, cause=bad.cause)
            )
            continue
        found.append(planned)
    return TablePlan(recognised, found)


def _no_formulas(row: Sequence[str], columns: Mapping[str, int], headers: Mapping[str, str]) -> None:
    for field, at in columns.items():
        if at < len(row) and row[at].lstrip().startswith("="):
            raise _Bad(
                headers[field],
                f"the cell holds a formula ({row[at][:30]}); paste its value instead",
                "a formula instead of a value",
            )


def _read(cells: Mapping[str, str], headers: Mapping[str, str], sites: Mapping[str, int], here: int) -> _Read:
    site = here
    if cells.get("site"):
        known = sites.get(cells["site"].casefold())
        if known is None:
            raise _Bad(headers["site"], f"there is no site {cells['site'][:40]!r}", "no site of the plan")
        site = known
    kind = None
    written = cells.get("kind", "").casefold()
    if written in STATIC:
        kind = AssignmentKind.STATIC
    elif written in RESERVED:
        kind = AssignmentKind.RESERVED
    elif written:
        raise _Bad(headers["kind"], f"{written[:40]!r} is neither static nor reserved", "neither static nor reserved")
    on = cells.get("on", "").casefold()
    if on and on not in ON | OFF:
        raise _Bad(headers["on"], f"{on[:40]!r} is neither on nor off", "neither on nor off")
    return _Read(
        site, _address(cells["address"], headers["address"]), _name(cells.get("name", ""), headers.get("name", "")),
        _mac(cells.get("mac", ""), headers.get("mac", "")), kind, clean(cells.get("role", ""), 40).casefold(),
        clean(cells.get("notes", ""), 1000), on not in OFF,
    )  # fmt: skip


def _address(text: str, column: str) -> Address:
    bare = text.partition("/")[0].strip()
    if not bare:
        raise _Bad(column, "the address is missing", "no address")
    if _PLAIN.fullmatch(bare):  # nearly every cell; what is wrong with another is said below
        with suppress(AddressValueError):
            return ipv4(bare)
    try:
        spans = parse(bare)
    except RangeError as error:
        raise _Bad(column, str(error), "not an address") from error
    if len(spans) != 1:
        raise _Bad(column, f"{text[:40]!r} is more than one address; write one a row", "more than one address")
    return Address(spans.pairs[0][0])


def _mac(text: str, column: str) -> MacNumber | None:
    if not text or text in ("-", "?", "n/a"):
        return None
    try:
        mac = Mac.parse(text)
    except MacError as error:
        raise _Bad(column, str(error), "not a MAC") from error
    if mac.unusable_as_source:
        raise _Bad(
            column, f"{mac} is a group or empty address: no adapter has it", "not a MAC that an adapter can have"
        )
    return mac.value


def _name(text: str, column: str) -> str:
    name = clean(text, 120).rstrip(".")
    if name and not is_hostname(name):
        raise _Bad(column, no_hostname(name), "not a hostname")
    return name


def _against(
    plan: Plan,
    read: _Read,
    cells: Mapping[str, str],
    headers: Mapping[str, str],
    columns: Mapping[str, int],
    number: int,
) -> RowPlan:
    """A row against the assignment that its address has, if any."""
    address = dotted(read.address)
    there = plan.at(read.site, read.address)
    if there is not None:
        new = replace(
            there, name=read.name or there.name, mac=read.mac if read.mac is not None else there.mac,
            kind=read.kind or there.kind, role=read.role or there.role, notes=read.notes or there.notes,
            on=read.on if cells.get("on") else there.on,
        )  # fmt: skip
        return RowPlan(number, "same" if new == there else "change", address, there, new)
    subnet = plan.subnet_at(read.site, read.address)
    if subnet is None:
        raise _Bad(
            headers["address"], f"{address} lies in no planned subnet; plan the subnet first", "in no planned subnet"
        )
    if read.mac is None and not read.name:
        column = headers.get("name") or headers.get("mac") or headers["address"]
        raise _Bad(
            column,
            f"{address} has neither a name nor a MAC, so it is not clear whose it is",
            "neither a name nor a MAC",
        )
    item = Assignment(
        0, read.site, subnet.id, read.address, read.kind or AssignmentKind.STATIC, read.mac, read.name, read.role,
        read.notes, read.on,
    )  # fmt: skip
    return RowPlan(number, "add", address, None, item)


def _doubles(
    planned: RowPlan, read: _Read, seen: dict[tuple[int, int], int], macs: dict[tuple[int, int], int], number: int,
    headers: Mapping[str, str],
) -> None:  # fmt: skip
    other = seen.setdefault((read.site, read.address), number)
    if other != number:
        raise _Bad(headers["address"], f"{planned.address} stands in row {other} already", "an address twice")
    after = planned.after
    if after is not None and after.kind is AssignmentKind.RESERVED and after.mac is not None:
        first = macs.setdefault((after.subnet, after.mac), number)
        if first != number:
            raise _Bad(
                headers.get("mac", ""),
                f"{Mac(after.mac)} is reserved in row {first} already, in the same subnet",
                "a MAC reserved twice in one subnet",
            )


def numbered(item: Assignment, identity: int) -> Assignment:
    """A new assignment with an id of its own, below 0, until it is stored."""
    return replace(item, id=identity)


def guarded(text: str) -> str:
    """A text that no spreadsheet takes for a formula: an apostrophe is put before a risky first character."""
    return f"'{text}" if text[:1] in _RISKY or (text[:1] == "'" and text[1:2] in (*_RISKY, "'")) else text


def unguarded(text: str) -> str:
    """What `guarded` was given."""
    return text[1:] if text[:1] == "'" and text[1:2] in (*_RISKY, "'") else text


def export_rows(plan: Plan, items: Iterable[Assignment]) -> Iterable[list[str]]:
    """Headers and a row for each assignment; every text guarded."""
    yield list(FIELDS)
    for item in items:
        subnet = plan.subnets[item.subnet]
        yield [
            guarded(cell) for cell in (
                dotted(item.address), item.name, str(Mac(item.mac)) if item.mac is not None else "",
                item.kind.value, item.role, item.notes, "on" if item.on else "off", subnet.name or str(subnet.network),
                plan.sites[item.site].name,
            )
        ]  # fmt: skip
