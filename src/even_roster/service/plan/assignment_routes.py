"""/api/v1/assignments, /api/v1/uses, /api/v1/free, /api/v1/prove: who has which address, and which is free."""

from __future__ import annotations

import asyncio
from typing import Annotated, Literal

from fastapi import Query, Response

from ...api.common import Id, Line, Word
from ...api.plan import (
    AssignmentEdit,
    AssignmentKind,
    AssignmentNew,
    AssignmentPage,
    AssignmentView,
    Candidate,
    FreeAnswer,
    Move,
    Moved,
    ProveRequest,
    Search,
    SettleDone,
    SettleRequest,
    UseNew,
    UsePage,
    UseView,
)
from ...core.address import Address
from ...core.mac import MacNumber
from ...core.names import as_hostname
from ...core.plan.model import Assignment, Use
from ...store import assignment_queries, device_queries
from ...store.assignment_queries import AssignmentFilter
from ...store.edits import EditError
from ...store.plan_edits import Saved
from ..context import Context
from ..naming import request_values, resolving
from ..naming.references import AssignmentRef
from ..web.contract import paths
from ..web.deps import ContextDep, Who, as_json, located
from ..web.matching import IfMatch, MaybeMatch, tagged
from ..web.paging import USUAL, Cursor, Limit, Paging, cut
from ..web.problems import Refusal
from . import plan_views, planning, proving, settling

router = paths("/api/v1", "plan")
Sort = Literal["address", "name", "role", "mac", "kind"]


@router.get("/assignments", response_model=AssignmentPage)
def page(
    context: ContextDep, who: Who, q: Line = "", subnet: Word | None = None, site: Word | None = None,
    kind: AssignmentKind | None = None, role: Word | None = None, on: bool | None = None, sort: Sort = "address",
    descending: bool = False, cursor: Cursor = None, offset: Annotated[int, Query(ge=0, le=1 << 32)] = 0, limit: Limit = USUAL,
) -> Response:  # fmt: skip
    """Assignments that match all filters, a page at a time, by cursor or by position."""
    with context.database.read() as connection, context.plan.reading() as plan:
        place = request_values.site(plan, site, context.plan.site_here) if site or subnet else None
        chosen = resolving.subnet(context, subnet, site, reading=True).id if subnet else None
        wanted = AssignmentFilter(place, chosen, kind, role, on, q)
        found = assignment_queries.page(connection, wanted, sort, descending, cursor, limit, offset)
        total = assignment_queries.count(connection, wanted)
        # An edit may be between its commit and the plan's image: what is gone there is shown at the next look.
        items = [item for item in found.items if item.subnet in plan.subnets]
        around = plan_views.look_around(connection, plan, items)
        rows = [plan_views.assignment_row(context, plan, item, around) for item in items]
    return as_json(AssignmentPage(items=rows, next=found.next, total=total))


@router.get("/assignments/{which:path}")
def one(identity: AssignmentRef, context: ContextDep, who: Who, response: Response) -> AssignmentView:
    """One assignment."""
    with context.database.read() as connection, context.plan.reading() as plan:
        tagged(response, plan.assignments[identity].version)
        return plan_views.assignment_view(context, connection, plan, plan.assignments[identity])


@router.post("/assignments", status_code=201)
async def assign(request: AssignmentNew, context: ContextDep, who: Who, response: Response) -> AssignmentView:
    """Give an address to a device: the one named, or the best free one for the role. 409 says who has it."""
    request, mac = await asyncio.to_thread(_settled, context, request)

    def store(address: Address) -> AssignmentView:
        with context.plan.reading() as plan:
            site = request_values.site(plan, request.site, context.plan.site_here)
        made = _view(
            context, context.plan.edit(who, planning.assign(request, site, address, mac), anyway=request.anyway)
        )
        located(response, f"assignments/{made.id}")
        tagged(response, made.version)
        return made

    if request.address:
        return await asyncio.to_thread(store, request_values.address(request.address))
    async with proving.chosen(context, request) as address:
        return await asyncio.to_thread(store, address)


@router.post("/assignments/settle")
async def settle(request: SettleRequest, context: ContextDep, who: Who) -> SettleDone:
    """Make what devices have now lasting: reserved where it is leased, static where it is typed in, and for roles that must not
    depend on a pool a free static address of their band. All as one change."""
    return await settling.settle(context, who, request)


def _settled(context: Context, request: AssignmentNew) -> tuple[AssignmentNew, MacNumber | None]:
    """Fill in what the roster knows of the device: its MAC, and its name and role where none is given."""
    mac = request_values.maybe_mac(request.mac)
    with context.database.read() as connection:
        device = resolving.device_or_holder(context, connection, str(request.device)) if request.device else None
        if device is None and mac is not None:
            device = device_queries.device_of_mac(connection, mac)
        row = device_queries.one(connection, device) if device is not None else None
        if row is not None and mac is None:
            adapters = device_queries.adapters_of(connection, row.id)
            if len(adapters) > 1:
                raise EditError(f"device {row.id} has {len(adapters)} adapters; name the MAC of the one", "mac")
            mac = adapters[0].mac if adapters else None
    if row is None:
        return request, mac
    name = request.name or as_hostname(row.called)
    return request.model_copy(update={"name": name, "role": request.role or row.role, "device": row.id}), mac


@router.patch("/assignments/{which:path}")
def edit(
    identity: AssignmentRef,
    versions: IfMatch,
    request: AssignmentEdit,
    context: ContextDep,
    who: Who,
    response: Response,
) -> AssignmentView:
    """Change an assignment; another address is a move."""
    saved = context.plan.edit(who, planning.edit_assignment(identity, versions, request), anyway=request.anyway)
    made = _view(context, saved)
    tagged(response, made.version)
    return made


@router.post("/assignments/{which:path}/move")
def move(identity: AssignmentRef, versions: MaybeMatch, request: Move, context: ContextDep, who: Who) -> Moved:
    """Another address; gives what still has the old one entered."""
    make = planning.move(identity, request_values.address(request.address), versions)
    saved = context.plan.edit(who, make, anyway=request.anyway)
    with context.plan.reading() as plan:
        uses = [plan_views.use_view(plan, item) for item in saved.after if isinstance(item, Use)]
    return Moved(assignment=_view(context, saved), uses=uses)


@router.delete("/assignments/{which:path}", status_code=204)
def release(identity: AssignmentRef, versions: MaybeMatch, context: ContextDep, who: Who) -> None:
    """The address is nobody's any more."""
    context.plan.edit(who, planning.release(identity, versions))


def _view(context: Context, saved: Saved) -> AssignmentView:
    item = next(item for item in saved.after if isinstance(item, Assignment))
    with context.database.read() as connection, context.plan.reading() as plan:
        return plan_views.assignment_view(context, connection, plan, plan.assignments[item.id])


@router.get("/uses")
def uses(
    context: ContextDep, who: Who, paging: Paging, address: Word | None = None, site: Word | None = None
) -> UsePage:
    """Who uses which address; of one address (and where it must still be entered after a move), or all."""
    with context.plan.reading() as plan:
        place = request_values.site(plan, site, context.plan.site_here)
        if address is not None:
            wanted = request_values.address(address)
            moving = [u for u in plan.uses.values() if u.site == place and u.moved_to == wanted]
            found = [*plan.uses_at(place, wanted), *moving]
        else:
            found = [u for u in plan.uses.values() if u.site == place]
        shown, rest = cut(sorted(found, key=lambda u: (u.address, u.id)), lambda u: [u.address, u.id], paging)
        return UsePage(items=[plan_views.use_view(plan, use) for use in shown], **rest._asdict())


@router.post("/uses", status_code=201)
def add_use(request: UseNew, context: ContextDep, who: Who, response: Response) -> UseView:
    """Record who uses an address for what."""
    made = _use(context, context.plan.edit(who, planning.add_use(request, context.plan.site_here)))
    located(response, f"uses/{made.id}")
    return made


@router.get("/uses/{identity}")
def one_use(identity: Id, context: ContextDep, who: Who) -> UseView:
    """One use."""
    with context.plan.reading() as plan:
        if identity not in plan.uses:
            raise Refusal(404, "missing", f"there is no use {identity}")
        return plan_views.use_view(plan, plan.uses[identity])


@router.post("/uses/{identity}/done")
def finish_use(identity: Id, context: ContextDep, who: Who) -> UseView:
    """After a move: the new address was entered there."""
    return _use(context, context.plan.edit(who, planning.finish_use(identity)))


@router.delete("/uses/{identity}", status_code=204)
def remove_use(identity: Id, context: ContextDep, who: Who) -> None:
    """Forget a use."""
    context.plan.edit(who, planning.remove_use(identity))


def _use(context: Context, saved: Saved) -> UseView:
    with context.plan.reading() as plan:
        return plan_views.use_view(plan, next(item for item in saved.after if isinstance(item, Use)))


@router.post("/free")
async def free(request: Search, context: ContextDep, who: Who) -> FreeAnswer:
    """Free addresses, the best first, each with its proof. Asking the wire takes about three seconds."""
    return await proving.search(context, request)


@router.post("/prove")
async def prove(request: ProveRequest, context: ContextDep, who: Who) -> Candidate:
    """Whether one address is free, with the evidence."""
    address = request_values.address(request.address)

    def place() -> int:
        with context.plan.reading() as plan:
            return request_values.site(plan, request.site, context.plan.site_here)

    site = await asyncio.to_thread(place)
    return proving.candidate((await proving.prove_all(context, site, [address], request.ask))[0])
