"""/api/v1/dhcp/…: servers, preview, publish, adopt, leases, pools, and exports for servers edited by hand."""

from __future__ import annotations

import asyncio
from typing import Annotated, Any, Literal

from fastapi import Depends, Query, Request, Response

from ...api.common import Id, Line, Word
from ...api.common import ServerRef as ServerRefView
from ...api.dhcp import (
    AdoptDone,
    AdoptRequest,
    AllowedPage,
    AllowedServer,
    DhcpPreview,
    DhcpServerEdit,
    DhcpServerNew,
    DhcpServerPage,
    DhcpServerView,
    DhcpSheet,
    ExportText,
    HoldingPart,
    HoldingsPage,
    LeasePage,
    PoolPage,
    PublishDone,
    PublishRequest,
)
from ...api.events import DhcpEvent
from ...api.plan import LeaseEnded, Renewal
from ...core import dhcp_export
from ...core.address import address_of, dotted
from ...core.dhcp import Scope, desired
from ...core.plan.model import BandKind, Plan
from ...core.text import clean
from ...store import lease_records
from ...store.edits import StaleEdit
from ...store.lease_records import LeaseRow
from ...store.rows import DhcpServerRow
from .. import setting_edits
from ..context import Context
from ..naming import request_values, resolving
from ..naming.references import ServerRef
from ..refs import Subnets
from ..web.contract import paths
from ..web.deps import ContextDep, Who, located
from ..web.matching import IfMatch, tagged
from ..web.paging import Paging, cut
from ..web.problems import Refusal
from . import dhcp_views, renewing, sheets
from .dhcp_servers import DhcpServers

router = paths("/api/v1/dhcp", "dhcp")


async def _servers(request: Request) -> DhcpServers:
    servers: DhcpServers = request.app.state.dhcp
    return servers


ServersDep = Annotated[DhcpServers, Depends(_servers)]


@router.get("/servers")
def servers(context: ContextDep, servers: ServersDep, who: Who, paging: Paging) -> DhcpServerPage:
    """All DHCP servers."""
    with context.database.read() as connection, context.plan.reading() as plan:
        rows, rest = cut(sorted(lease_records.servers(connection), key=_server_place), _server_place, paging)
        found = [dhcp_views.server_view(plan, connection, row, servers.allowed.values(row)) for row in rows]
    return DhcpServerPage(items=found, **rest._asdict())


@router.get("/allowed")
def allowed(context: ContextDep, servers: ServersDep, who: Who, paging: Paging) -> AllowedPage:
    """The servers that the host allows to be reached, by their names in `servers.toml`."""
    with context.database.read() as connection:
        used = {
            row.settings.get("reach"): ServerRefView(id=row.id, name=row.name)
            for row in lease_records.servers(connection)
        }
    found = servers.allowed.all()
    for one in found.values():
        if one.name in used and "partner" in one.values:
            used.setdefault(one.values["partner"], used[one.name])  # it is managed along with the other
    shown, rest = cut(sorted(found.values(), key=lambda one: one.name), lambda one: [one.name], paging)
    rows = [AllowedServer(reach=one.name, kind=one.kind, used_by=used.get(one.name)) for one in shown]
    return AllowedPage(items=rows, **rest._asdict())


@router.post("/servers", status_code=201)
def add_server(
    request: DhcpServerNew, context: ContextDep, servers: ServersDep, who: Who, response: Response
) -> DhcpServerView:
    """Manage a server. It is asked at once whether it can be read."""
    with context.plan.reading() as plan:
        site = request_values.site(plan, request.site, context.plan.site_here)
    name = _name(context, request.name, 0)
    kind, settings = servers.allowed.reached(name, request.reach.strip(), request.edited_by_hand)
    addresses = list(request_values.addresses(request.addresses, "addresses"))
    values = {"site": site, "name": name, "kind": kind, "settings": settings, "addresses": addresses}
    identity = setting_edits.add_server(context, who, values)
    servers.try_out(identity)
    located(response, f"dhcp/servers/{identity}")
    view = _view(context, servers, identity)
    tagged(response, view.version)
    return view


@router.get("/servers/{which}")
def one_server(
    identity: ServerRef, context: ContextDep, servers: ServersDep, who: Who, response: Response
) -> DhcpServerView:
    """One DHCP server."""
    with context.database.read() as connection, context.plan.reading() as plan:
        row = servers.row(identity)
        tagged(response, row.version)
        return dhcp_views.server_view(plan, connection, row, servers.allowed.values(row))


@router.patch("/servers/{which}")
def edit_server(
    identity: ServerRef,
    versions: IfMatch,
    request: DhcpServerEdit,
    response: Response,
    context: ContextDep,
    servers: ServersDep,
    who: Who,
) -> DhcpServerView:
    """Change a server's name, how it is reached, or the addresses it answers from."""
    row = servers.row(identity)
    if versions is not None and row.version not in versions:
        now = {
            "name": row.name,
            "reach": row.settings.get("reach", ""),
            "addresses": ", ".join(map(dotted, row.addresses)),
        }
        raise StaleEdit(f"DHCP server {row.name}", row.version, now)
    values: dict[str, Any] = {}
    if request.reach is not None:
        values["kind"], values["settings"] = servers.allowed.reached(row.name, request.reach.strip())
    if request.addresses is not None:
        values["addresses"] = list(request_values.addresses(request.addresses, "addresses"))
    if request.name is not None:
        values["name"] = _name(context, request.name, identity)
    setting_edits.edit_server(context, who, identity, values)
    servers.try_out(identity)
    view = _view(context, servers, identity)
    tagged(response, view.version)
    return view


@router.delete("/servers/{which}", status_code=204)
def remove_server(identity: ServerRef, context: ContextDep, servers: ServersDep, who: Who) -> None:
    """Manage a server no longer; what it has stays as it is."""
    row = servers.row(identity)
    with context.plan.reading() as plan:
        mine = [band for band in plan.bands.values() if band.kind is BandKind.POOL and band.server == identity]
    if mine:
        raise Refusal(
            422, "in_the_way", f"{row.name} still hands out {len(mine)} pools of the plan; give them to another"
        )
    setting_edits.remove_server(context, who, identity)


def _name(context: Context, text: str, identity: int) -> str:
    name = clean(text, 80)
    if not name:
        raise Refusal(422, "bad_edit", "a server needs a name", "name")
    with context.database.read() as connection:
        for row in lease_records.servers(connection):
            if row.name.casefold() == name.casefold() and row.id != identity:
                raise Refusal(422, "bad_edit", f"there is a DHCP server called {name!r} already", "name")
    return name


def _view(context: Context, servers: DhcpServers, identity: int) -> DhcpServerView:
    context.tell(DhcpEvent(server_id=identity))
    with context.database.read() as connection, context.plan.reading() as plan:
        row = servers.row(identity)
        return dhcp_views.server_view(plan, connection, row, servers.allowed.values(row))


@router.post("/servers/{which}/preview")
def preview(
    identity: ServerRef, context: ContextDep, servers: ServersDep, who: Who, take_over: bool = False
) -> DhcpPreview:
    """The exact difference between the plan and the server. Nothing is changed. That another roster publishes to the server is a
    conflict, unless it is to be taken over."""
    shown = servers.publishing.preview(identity, take_over)
    return dhcp_views.preview_view(context, servers.row(identity), servers.holdings(identity), shown)


@router.post("/servers/{which}/publish")
def publish(
    identity: ServerRef, request: PublishRequest, context: ContextDep, servers: ServersDep, who: Who
) -> PublishDone:
    """Send the plan to the server: checked by it first, verified by reading back, rolled back on failure."""
    done = servers.publishing.publish(identity, request.digest, request.take_over)
    row = servers.row(identity)
    subnets = _subnets(context, row.site)
    return PublishDone(
        server=ServerRefView(id=identity, name=row.name),
        lines=[dhcp_views.line_view(line, subnets) for line in done.lines],
        remarks=list(done.notes),
        by_hand=list(done.by_hand),
    )


@router.post("/servers/{which}/adopt")
def adopt(identity: ServerRef, request: AdoptRequest, context: ContextDep, servers: ServersDep, who: Who) -> AdoptDone:
    """Take the server's pools and reservations into the plan; with `dry_run` only say what that would be."""
    servers.read_holdings(identity)
    held, subnets = servers.holdings(identity), _subnets(context, servers.row(identity).site)
    if request.dry_run:
        return dhcp_views.adoption_view(subnets, servers.adoption(identity)[0], held, True, None)
    found, change = servers.adopt(identity, who)
    return dhcp_views.adoption_view(subnets, found, held, False, change or None)


@router.post("/servers/{which}/read")
def read(identity: ServerRef, context: ContextDep, servers: ServersDep, who: Who) -> DhcpServerView:
    """Read the server's leases now."""
    servers.read_leases(identity)
    return _view(context, servers, identity)


@router.get("/servers/{which}/sheet")
def sheet(identity: ServerRef, context: ContextDep, servers: ServersDep, who: Who) -> DhcpSheet:
    """What was handed out to be entered into a server by hand, ticked off by what the wire showed last."""
    return sheets.sheet(context, servers.row(identity))


@router.post("/servers/{which}/sheet/look")
async def look(identity: ServerRef, context: ContextDep, servers: ServersDep, who: Who) -> DhcpSheet:
    """Ask the wire now: one DISCOVER as a made-up MAC for each subnet, one as each device that an address is reserved for (64 at
    most, those not shown yet first). Takes some seconds; no lease is taken."""
    row = await asyncio.to_thread(servers.row, identity)
    await asyncio.to_thread(sheets.sheet, context, row)  # refused for other servers
    notes = await sheets.look(context, row)
    return await asyncio.to_thread(lambda: sheets.sheet(context, servers.row(identity), notes))


@router.get("/servers/{which}/holdings")
def holdings(
    identity: ServerRef, context: ContextDep, servers: ServersDep, who: Who, paging: Paging, part: HoldingPart | None = None,
    search: Line = "", now: bool = False, offset: Annotated[int, Query(ge=0, le=1 << 32)] = 0,
) -> HoldingsPage:  # fmt: skip
    """All that a server holds, whoever wrote it, with where it stands; with `now` it is read first."""
    if now and paging.cursor is None:
        servers.read_holdings(identity)
    row, held = servers.row(identity), servers.holdings(identity)
    return dhcp_views.holdings_page(context, row, held, part, search, paging, offset)


@router.get("/renewals/{assignment}")
def renewal(assignment: Id, context: ContextDep, servers: ServersDep, who: Who) -> Renewal | None:
    """How a device that waits for its reservation comes to it; null when it holds no other lease."""
    return renewing.renewal(context, servers, assignment)


@router.post("/renewals/{assignment}/end")
async def end_lease(assignment: Id, context: ContextDep, servers: ServersDep, who: Who) -> LeaseEnded:
    """End the old lease of a device that waits for its reservation, at its server. Only when the old address, asked now, is silent
    while another device of the link answers; takes some seconds."""
    return await renewing.end_lease(context, servers, assignment)


@router.get("/leases")
def leases(context: ContextDep, who: Who, paging: Paging, server: Word | None = None) -> LeasePage:
    """Leases as the servers told them last, by address."""
    with context.database.read() as connection:
        of = resolving.server(connection, server).id if server else None
        rows = sorted(lease_records.all_leases(connection, of), key=_lease_place)
        shown, rest = cut(rows, _lease_place, paging)
        return LeasePage(items=dhcp_views.lease_views(context, connection, shown), **rest._asdict())


def _server_place(row: DhcpServerRow) -> list[Any]:
    """What servers are listed by: their names."""
    return [row.name.casefold(), row.id]


def _lease_place(row: LeaseRow) -> list[int]:
    """What leases are listed by: their address, then their server."""
    return [row.lease.address, row.server]


@router.get("/pools")
def pools(context: ContextDep, who: Who, paging: Paging) -> PoolPage:
    """How full every pool is."""
    with context.database.read() as connection, context.plan.reading() as plan:
        found = dhcp_views.pool_views(context, connection, plan)
        places = {one.band.id: [plan.subnets[one.subnet.id or 0].site, plan.bands[one.band.id].first] for one in found}
    shown, rest = cut(found, lambda one: places[one.band.id], paging)
    return PoolPage(items=shown, **rest._asdict())


@router.get("/export")
def export(
    context: ContextDep, who: Who, form: Literal["json", "hosts", "sheet"] = "json", server: Word | None = None,
    subnet: Word | None = None, notation: Word = "colons",
) -> ExportText:  # fmt: skip
    """Pools and reservations as a text: our JSON form, host blocks, or a sheet to type into a web form."""
    with context.database.read() as connection:
        one = resolving.server(connection, server).id if server else None
    with context.plan.reading() as plan:
        scopes = _scopes(plan, one)
        if subnet is not None:
            network = request_values.known_subnet(plan, context.plan.site_here, subnet).network
            scopes = [scope for scope in scopes if scope.network == network]
    if form == "json":
        return ExportText(text=dhcp_export.to_json(scopes))
    if form == "hosts":
        return ExportText(text=dhcp_export.host_blocks(scopes))
    if notation not in dhcp_export.NOTATIONS:
        shown = ", ".join(dhcp_export.NOTATIONS)
        raise Refusal(422, "bad_edit", f"{notation!r} is no MAC notation; there are: {shown}", "notation")
    return ExportText(text=dhcp_export.form_text(scopes, notation))


def _subnets(context: Context, site: int) -> Subnets:
    with context.plan.reading() as plan:
        return Subnets(plan, site)


def _scopes(plan: Plan, server: int | None) -> list[Scope]:
    """What one server should hand out, or all of them, those pools included that nobody hands out yet."""
    if server is not None:
        return desired(plan, server)
    owners = {band.server for band in plan.pools() if band.server is not None}
    return sorted(
        (scope for owner in owners for scope in desired(plan, owner)),
        key=lambda s: address_of(s.network.network_address),
    )
