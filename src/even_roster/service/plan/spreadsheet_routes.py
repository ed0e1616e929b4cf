"""/api/v1/sheets, /api/v1/names, /api/v1/cards: spreadsheets in and out, names as texts, settings to type in."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from ipaddress import IPv4Address
from typing import Annotated, Literal

import dns.exception
import dns.zone
from fastapi import Query, Request, Response

from ...apart import running as apart
from ...apart.spreadsheets import write_csv
from ...api.common import Word
from ...api.events import NamesEvent
from ...api.spreadsheets import (
    CardLine,
    CardView,
    ImportReport,
    NameCheck,
    NameDisagreement,
    NamesText,
    TableOut,
    ZoneText,
)
from ...core import cards, spreadsheets, zones
from ...core.adapters import choose
from ...core.address import dotted
from ...core.columns import Columns
from ...core.plan.checks import Problem, Severity
from ...core.plan.model import Item, Plan
from ...core.span import SpanSet
from ...core.spreadsheets import RowPlan
from ...probe import dns_check
from ...store.edits import EditError
from ..context import Context, now_ms
from ..knowing.plan_book import Edit
from ..naming import request_values, resolving
from ..refs import Subnets
from ..web.contract import paths
from ..web.deps import ContextDep, Who
from ..web.problems import Refusal
from .import_report import report

router = paths("/api/v1", "sheets")
_AGAINST = "the plan's rules speak against it"
_XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
_OCTETS = {"schema": {"type": "string", "format": "binary"}}


@router.post(
    "/sheets/import",
    openapi_extra={"requestBody": {"required": True, "content": {"text/csv": _OCTETS, _XLSX: _OCTETS}}},
)
async def import_sheet(
    request: Request, context: ContextDep, who: Who, dry_run: bool = True,
    mapping: Annotated[list[Word] | None, Query(max_length=32)] = None, limit: Annotated[int, Query(ge=0, le=100_000)] = 2000,
) -> ImportReport:  # fmt: skip
    """Assignments from a CSV or XLSX file (the request's body). `mapping` are field=HEADER pairs; a field
    without a header is not read. All rows or none."""
    data = await request.body()
    return await asyncio.to_thread(_import, context, who, data, _mapping(mapping or []), dry_run, limit)


def _mapping(pairs: list[str]) -> dict[str, str]:
    found = {}
    for pair in pairs:
        field, equals, header = pair.partition("=")
        if not equals:
            raise Refusal(422, "bad_sheet", f"{pair!r} is not field=HEADER, such as address=IP", "mapping")
        found[field.strip().casefold()] = header.strip()
    return found


def _import(
    context: Context, who: str, data: bytes, mapping: dict[str, str], dry_run: bool, limit: int
) -> ImportReport:
    table = apart.read(data)
    planned: list[RowPlan] = []
    columns: Columns | None = None

    def make(plan: Plan) -> Edit:
        nonlocal planned, columns
        made = spreadsheets.plan_table(plan, context.plan.site_here, table.rows, mapping)
        planned, columns = made.rows, made.columns
        before, after = _items(planned)
        counts = {"added": len(after) - len(before), "changed": len(before)}
        return Edit("import", "assignment", f"{len(planned)} rows", before, after, (None, counts), review=True)

    def judge(problems: list[Problem]) -> None:
        nonlocal planned
        planned = _judged(planned, {v: (p.severity, p.said) for p in problems for k, v in p.subjects if k == "address"})
        refused = [row for row in planned if row.action == "refused"]
        if refused and not dry_run:
            worst = refused[0]
            where = f"row {worst.row}, column {worst.column}" if worst.column else f"row {worst.row}"
            raise Refusal(
                422, "rows_refused",
                f"{len(refused):,} of {len(planned):,} rows cannot be imported, so none was; the first: {where}: {worst.reason}",
            )  # fmt: skip

    change = None
    if dry_run:
        judge(context.plan.draft(make))
    else:
        change = context.plan.edit(who, make, anyway=True, judge=judge).change or None
    assert columns is not None
    return report(table, columns, planned, dry_run, limit, change)


def _items(planned: Sequence[RowPlan]) -> tuple[tuple[Item, ...], tuple[Item, ...]]:
    """The edit of the rows that do something. New items get ids of their own below 0, so that a draft can hold them all."""
    before = tuple(row.before for row in planned if row.action == "change" and row.before is not None)
    after: list[Item] = []
    for row in planned:
        if row.action == "add" and row.after is not None:
            after.append(spreadsheets.numbered(row.after, -row.row))
        elif row.action == "change" and row.after is not None:
            after.append(row.after)
    return before, tuple(after)


def _judged(planned: list[RowPlan], problems: dict[str, tuple[Severity, str]]) -> list[RowPlan]:
    """Rows that the plan's rules speak against: refused, or with a warning."""
    found = []
    for row in planned:
        problem = problems.get(row.address) if row.action in ("add", "change") else None
        if problem is not None and problem[0] is Severity.REFUSED:
            row = RowPlan(
                row.row,
                "refused",
                row.address,
                row.before,
                row.after,
                problem[1],
                cause=_AGAINST,
            )
        elif problem is not None:
            row = RowPlan(row.row, row.action, row.address, row.before, row.after, warning=problem[1])
        found.append(row)
    return found


@router.get(
    "/sheets/export", response_class=Response, responses={200: {"content": {"text/csv": _OCTETS, _XLSX: _OCTETS}}}
)
def export_sheet(
    context: ContextDep,
    who: Who,
    form: Literal["csv", "xlsx"] = "csv",
    subnet: Word | None = None,
    site: Word | None = None,
) -> Response:
    """All assignments, or those of one subnet, as a file that can be imported again."""
    with context.plan.reading() as plan:
        place = request_values.site(plan, site, context.plan.site_here)
        if subnet is not None:
            one = request_values.known_subnet(plan, place, subnet)
            items = [a for a in plan.assigned_in(place, one.first, one.last) if a.subnet == one.id]
        else:
            chosen = [place] if site else sorted(plan.sites)
            items = [a for number in chosen for a in plan.assigned_in(number, 0, 0xFFFFFFFF)]
        rows = list(spreadsheets.export_rows(plan, items))
    if form == "csv":
        return _file(write_csv(rows), "text/csv; charset=utf-8", "assignments.csv")
    return _file(apart.write_workbook(rows, "assignments"), _XLSX, "assignments.xlsx")


@router.post("/sheets/workbook", response_class=Response, responses={200: {"content": {_XLSX: _OCTETS}}})
def workbook(request: TableOut, who: Who) -> Response:
    """A table as a workbook: what a list shows, to be taken out as it is filtered."""
    rows = [[spreadsheets.guarded(text) for text in row] for row in (request.header, *request.rows)]
    return _file(apart.write_workbook(rows, request.title), _XLSX, "table.xlsx")


def _file(data: bytes, kind: str, name: str) -> Response:
    return Response(data, media_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})


@router.get("/names")
def names(
    context: ContextDep, who: Who, zone: Word | None = None, server: Annotated[list[Word] | None, Query(max_length=8)] = None,
    site: Word | None = None,
) -> NamesText:  # fmt: skip
    """The roster's names as a hosts file, and as zones: of a domain, or of a subnet's reverse names; all when none is
    named. `server` are the zones' own DNS servers, NAME or NAME=ADDRESS; left out, those that the site hands out. Every zone
    is read by a parser before it is given out."""
    with context.plan.reading() as plan:
        place = request_values.site(plan, site, context.plan.site_here)
        found = zones.names_of(plan, place)
        subnet = request_values.find_subnet(plan, place, zone) if zone else None
        networks = [subnet.network] if subnet else [s.network for s in plan.subnets_of(place) if not s.supernet]
    serial = now_ms() // 1000
    with context.plan.reading() as plan:
        servers = [_zone_server(one) for one in server or []] or zones.usual_servers(plan, place, found)
    domains = sorted({one.domain for one in found if one.domain})
    if zone and subnet is None:
        wanted = request_values.domain(zone)
        if wanted not in domains:
            raise EditError(
                f"no name of the roster is in {wanted}; there are names in: {', '.join(domains) or 'no domain'}", "zone"
            )
        domains, networks = [wanted], []
    elif subnet is not None:
        domains = []
    reverse = sorted({part for network in networks for part in zones.reverse_zones(network)})
    try:
        texts = [ZoneText(zone=d, text=zones.forward_zone(d, found, serial, servers)) for d in domains]
        for part in reverse:
            if any(IPv4Address(one.address) in part and one.domain for one in found):
                text = zones.reverse_zone(part, found, serial, servers)
                texts.append(ZoneText(zone=text.split("$ORIGIN ")[1].split(".\n")[0], text=text))
        for one in texts:
            dns.zone.from_text(one.text, one.zone)
    except (zones.ZoneError, dns.exception.DNSException) as error:
        if zone:
            raise EditError(str(error), "server") from error
        return NamesText(hosts_file=zones.hosts_file(found), zones=[], trouble=str(error))
    return NamesText(hosts_file=zones.hosts_file(found), zones=texts, trouble="")


def _zone_server(text: str) -> zones.Server:
    name, equals, address = text.partition("=")
    return zones.Server(request_values.domain(name), request_values.address(address, "server") if equals else None)


@router.post("/names/check")
async def check_names(
    context: ContextDep, who: Who, server: Word | None = None, subnet: Word | None = None
) -> NameCheck:
    """Ask the site's DNS about every name of the roster, forward and reverse."""
    found, address = await asyncio.to_thread(_to_ask, context, server, subnet)
    adapter = choose(context.machine.adapters(), SpanSet.of([IPv4Address(address)]), context.settings.adapter).adapter
    segment = context.machine.open(adapter)

    def told(done: int) -> None:
        if done % 25 == 0 or done == len(found):
            context.hub.publish(NamesEvent(done=done, total=len(found)))

    try:
        answers = await dns_check.ask(segment, IPv4Address(address), found, told)
    finally:
        await segment.close()
    differ = zones.compare(answers)
    return NameCheck(
        dns_server=dotted(address), asked=len(answers),
        unanswered=sum(1 for one in answers if one.addresses is None and one.names is None),
        disagreements=[
            NameDisagreement(address=dotted(d.address), name=d.name, kind=d.kind, sentence=d.sentence, remedy=d.remedy)
            for d in differ
        ],
    )  # fmt: skip


def _to_ask(context: Context, server: str | None, subnet: str | None) -> tuple[list[zones.Named], int]:
    with context.plan.reading() as plan:
        here = context.plan.site_here
        found = [one for one in zones.names_of(plan, here) if one.domain]
        one = request_values.known_subnet(plan, here, subnet) if subnet else None
        if one is not None:
            found = [named for named in found if one.first <= named.address <= one.last]
        planned = [a for s in ([one] if one else plan.subnets_of(here)) for a in s.dns]
    if server is not None:
        return found, request_values.address(server, "server")
    machine = [int(a) for adapter in context.machine.adapters() for a in adapter.dns]
    choice = next(iter([*planned, *machine]), None)
    if choice is None:
        raise EditError("no DNS server is planned and this machine has none; name one", "server")
    return found, choice


@router.get("/cards/{address}")
def card(
    address: Word, context: ContextDep, who: Who, adapter: Annotated[str, Query(max_length=60)] = "eth0",
    site: Word | None = None,
) -> CardView:  # fmt: skip
    """What to type into the device that has, or is to have, an address; with snippets for host configurations."""
    with context.database.read() as connection:
        wanted = resolving.address(context, connection, address, site)
    with context.plan.reading() as plan:
        place = request_values.site(plan, site, context.plan.site_here)
        one = cards.card(plan, place, wanted)
        subnet = Subnets(plan, place).of(one.network)
    return CardView(
        address=one.address, prefix_length=one.prefix, mask=one.mask, subnet=subnet, broadcast=one.broadcast or None,
        gateway=one.gateway or None, dns=list(one.dns), domain=one.domain, ntp=list(one.ntp),
        vlan=one.vlan, name=one.name, full_name=one.full_name, mac=one.mac or None, role=one.role, notes=one.notes,
        stays_on_dhcp=one.reserved, lines=[CardLine(name=name, value=value) for name, value in cards.lines(one)],
        snippets={kind: cards.snippet(one, kind, adapter) for kind in cards.SNIPPETS},
    )  # fmt: skip
