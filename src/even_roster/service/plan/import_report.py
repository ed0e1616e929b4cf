"""What a spreadsheet would do or did, told: its rows, and the refused ones by what is wrong with them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from ...apart.spreadsheets import Table
from ...api.spreadsheets import ImportCause, ImportRemedy, ImportReport, ImportRow
from ...core.columns import Columns
from ...core.plan.told import told
from ...core.spreadsheets import NOBODYS, RowPlan

_ORDER = {"refused": 0, "add": 1, "change": 2, "same": 3}
_FIRST = 10  # rows named of a cause
_OFFERED = 4  # columns offered for one field
_MAY_GO = frozenset(("name", "kind", "role", "on", "site"))  # fields that a table can do without


def report(
    table: Table,
    columns: Columns,
    planned: list[RowPlan],
    dry_run: bool,
    limit: int,
    change: int | None,
) -> ImportReport:
    counts = dict.fromkeys(_ORDER, 0)
    for row in planned:
        counts[row.action] += 1
    shown = sorted((r for r in planned if r.action != "same"), key=lambda r: (_ORDER[r.action], not r.warning, r.row))
    places = columns.places
    used = set(places.values())
    headers = {field: columns.headers[at] for field, at in places.items()}
    return ImportReport(
        dry_run=dry_run, read_as=table.read_as, columns=headers, columns_by_values=list(columns.by_values),
        ignored=[h.strip() for at, h in enumerate(table.rows[0]) if at not in used and h.strip()], added_count=counts["add"],
        changed_count=counts["change"], same_count=counts["same"], refused_count=counts["refused"],
        warning_count=sum(1 for row in planned if row.warning), rows=[_row(row) for row in shown[:limit]],
        causes=_causes(planned, headers, [header.strip() for header in table.rows[0]]), change_id=change,
    )  # fmt: skip


def _causes(planned: Sequence[RowPlan], headers: Mapping[str, str], all_headers: Sequence[str]) -> list[ImportCause]:
    """The refused rows by what is wrong with them, the most frequent cause first."""
    found: dict[tuple[str, str], list[RowPlan]] = {}
    for row in planned:
        if row.action == "refused":
            found.setdefault((row.column, row.cause), []).append(row)
    fields = {header: field for field, header in headers.items()}
    unread = [header for header in all_headers if header and header not in fields]
    return [
        ImportCause(
            cause=cause, column=column, count=len(rows), rows=[row.row for row in rows[:_FIRST]], example=rows[0].reason,
            remedies=remedies_of(fields.get(column, ""), cause, headers, unread, whole=len(rows) * 2 >= len(planned)),
        )
        for (column, cause), rows in sorted(found.items(), key=lambda one: -len(one[1]))
    ]  # fmt: skip


def remedies_of(
    field: str, cause: str, headers: Mapping[str, str], unread: Sequence[str], whole: bool
) -> list[ImportRemedy]:
    """What a different mapping would do about a cause: a column that is not what its header says is not read, or as notes;
    where nothing says whose an address is, one that is not read yet may be the name. `whole` says that at least half of the rows
    are refused for the cause: for a few cells a column is not given up."""
    if cause == NOBODYS and "name" not in headers:
        read = [f"{name}={header}" for name, header in headers.items()]
        return [
            ImportRemedy(said=f"Read {one!r} as the name", mapping=[*read, f"name={one}"]) for one in unread[:_OFFERED]
        ]
    said = [f"{name}={header}" for name, header in headers.items() if name != field]
    header = headers.get(field, "")
    found: list[ImportRemedy] = []
    if not whole or (field == "name" and "mac" not in headers):
        return found  # without a name it would not be clear whose an address is
    if (field, cause) == ("name", "not a hostname") and "notes" not in headers:
        found.append(ImportRemedy(said=f"Read {header!r} as notes", mapping=[*said, "name=", f"notes={header}"]))
    if field in _MAY_GO and cause != "a formula instead of a value":
        found.append(ImportRemedy(said=f"Do not read {header!r}", mapping=[*said, f"{field}="]))
    return found


def _row(row: RowPlan) -> ImportRow:
    before, after = told(row.before, row.after) if row.after is not None else (None, None)
    return ImportRow(
        row=row.row, action=row.action, address=row.address,  # type: ignore[arg-type]
        before={k: "" if v is None else str(v) for k, v in (before or {}).items()},
        after={
            k: "" if v is None else str(v)
            for k, v in (after or {}).items()
            if k not in ("subnet", "address") and (k, v) != ("on", True)
        },
        reason=row.reason, column=row.column, warning=row.warning,
    )  # fmt: skip
