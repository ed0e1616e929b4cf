"""/api/v1/sites, /api/v1/plan/…, /api/v1/bands, /api/v1/roles: what is planned, and its mistakes."""

from __future__ import annotations

from typing import Any, TypeVar

from fastapi import Response

from ...api.common import Id, Word
from ...api.plan import (
    BandDraft,
    BandEdit,
    BandNew,
    BandPage,
    BandView,
    JoinSubnets,
    Problems,
    RolePage,
    RoleRule,
    SiteEdit,
    SitePage,
    SiteView,
    SplitSubnet,
    SubnetEdit,
    SubnetNew,
    SubnetPage,
    SubnetPlan,
)
from ...core.address import address_of
from ...core.plan import checks
from ...core.plan import roles as planning_roles
from ...core.plan.model import Band, BandKind, Site, Subnet
from ...core.plan.roles import OnPool
from ...store import seen_records
from ...store.plan_edits import Saved
from .. import setting_edits
from ..context import Context
from ..naming import request_values, resolving
from ..naming.references import BandRef, SubnetToChange, SubnetToRead
from ..web.contract import paths
from ..web.deps import ContextDep, Who, located
from ..web.matching import IfMatch, tagged
from ..web.paging import Paging, cut
from ..web.problems import Refusal
from . import plan_views, planning

T = TypeVar("T", BandNew, BandEdit, BandDraft)
router = paths("/api/v1", "plan")


@router.get("/sites")
def sites(context: ContextDep, who: Who, paging: Paging) -> SitePage:
    """All sites."""
    with context.plan.reading() as plan:
        shown, rest = cut(sorted(plan.sites.values(), key=lambda s: s.id), lambda s: [s.id], paging)
        return SitePage(items=[plan_views.site_view(plan, site) for site in shown], **rest._asdict())


@router.post("/sites", status_code=201)
def add_site(request: SiteEdit, context: ContextDep, who: Who, response: Response) -> SiteView:
    """A further site; it may use the same ranges."""
    made = _site(context, context.plan.edit(who, planning.add_site(request.name or "", request.notes or "")), response)
    located(response, f"sites/{made.id}")
    return made


@router.get("/sites/{identity}")
def one_site(identity: Id, context: ContextDep, who: Who, response: Response) -> SiteView:
    """One site."""
    with context.plan.reading() as plan:
        if identity not in plan.sites:
            raise Refusal(404, "missing", f"there is no site {identity}")
        tagged(response, plan.sites[identity].version)
        return plan_views.site_view(plan, plan.sites[identity])


@router.patch("/sites/{identity}")
def edit_site(
    identity: Id, versions: IfMatch, request: SiteEdit, context: ContextDep, who: Who, response: Response
) -> SiteView:
    """Rename a site, or say that this service stands in it."""
    return _site(context, context.plan.edit(who, planning.edit_site(identity, versions, request)), response)


@router.delete("/sites/{identity}", status_code=204)
def remove_site(identity: Id, context: ContextDep, who: Who) -> None:
    """Take an empty site away."""
    context.plan.edit(who, planning.remove_site(identity))


def _site(context: Context, saved: Saved, response: Response) -> SiteView:
    site = next(item for item in saved.after if isinstance(item, Site))
    with context.plan.reading() as plan:
        tagged(response, plan.sites[site.id].version)
        return plan_views.site_view(plan, plan.sites[site.id])


@router.get("/plan/subnets")
def subnets(context: ContextDep, who: Who, paging: Paging, site: Word | None = None) -> SubnetPage:
    """Planned subnets of a site, or of all sites, by address."""
    with context.plan.reading() as plan:
        chosen = [request_values.site(plan, site, 0)] if site else sorted(plan.sites)
        found = sorted((subnet for one in chosen for subnet in plan.subnets_of(one)), key=_place)
        shown, rest = cut(found, _place, paging)
        return SubnetPage(items=[plan_views.subnet_view(plan, subnet) for subnet in shown], **rest._asdict())


def _place(subnet: Subnet) -> list[int]:
    """What subnets are listed by: their site, their first address, the larger first."""
    return [subnet.site, subnet.first, -subnet.last, subnet.id]


@router.post("/plan/subnets", status_code=201)
def add_subnet(request: SubnetNew, context: ContextDep, who: Who, response: Response) -> SubnetPlan:
    """Plan a subnet."""
    made = _subnet(context, context.plan.edit(who, planning.add_subnet(request, context.plan.site_here)), response)
    located(response, f"plan/subnets/{made.subnet.id}")
    return made


@router.post("/plan/subnets/draft")
def draft_subnet(request: SubnetNew, context: ContextDep, who: Who) -> Problems:
    """The mistakes that a new subnet would be or bring."""
    found = context.plan.draft(planning.add_subnet(request, context.plan.site_here))
    return Problems(items=[plan_views.problem_view(p) for p in found], next=None, total=len(found))


@router.get("/plan/subnets/{which:path}")
def subnet(identity: SubnetToRead, context: ContextDep, who: Who, response: Response) -> SubnetPlan:
    """One planned subnet; also by a band or an address in it."""
    with context.plan.reading() as plan, context.database.read() as connection:
        tagged(response, plan.subnets[identity].version)
        return plan_views.subnet_plan(context, connection, plan, plan.subnets[identity])


@router.patch("/plan/subnets/{which:path}")
def edit_subnet(
    identity: SubnetToChange, versions: IfMatch, request: SubnetEdit, context: ContextDep, who: Who, response: Response
) -> SubnetPlan:
    """Change a subnet; its range only where everything in it fits."""
    return _subnet(context, context.plan.edit(who, planning.edit_subnet(identity, versions, request)), response)


@router.delete("/plan/subnets/{which:path}", status_code=204)
def remove_subnet(identity: SubnetToChange, context: ContextDep, who: Who) -> None:
    """Take a subnet without assignments away, with its bands."""
    context.plan.edit(who, planning.remove_subnet(identity))


@router.post("/plan/subnets/{which:path}/split")
def split_subnet(identity: SubnetToChange, request: SplitSubnet, context: ContextDep, who: Who) -> SubnetPage:
    """Cut a subnet into equal parts with everything in it."""
    saved = context.plan.edit(who, planning.split_subnet(identity, request.prefix_length), anyway=True)
    with context.plan.reading() as plan:
        parts = [plan_views.subnet_view(plan, item) for item in saved.after if isinstance(item, Subnet)]
    return SubnetPage(items=parts, next=None, total=len(parts))


@router.post("/plan/subnets/{which:path}/join")
def join_subnets(
    identity: SubnetToChange, request: JoinSubnets, context: ContextDep, who: Who, response: Response
) -> SubnetPlan:
    """Make neighbours one subnet with everything in them."""
    site = context.plan.plan.sites[context.plan.plan.subnets[identity].site].name
    others = [resolving.subnet(context, str(text), site).id for text in request.others]
    return _subnet(context, context.plan.edit(who, planning.join_subnets(identity, others), anyway=True), response)


def _subnet(context: Context, saved: Saved, response: Response) -> SubnetPlan:
    with context.plan.reading() as plan, context.database.read() as connection:
        item = next(item for item in saved.after if isinstance(item, Subnet))
        tagged(response, plan.subnets[item.id].version)
        return plan_views.subnet_plan(context, connection, plan, plan.subnets[item.id])


@router.get("/bands")
def bands(
    context: ContextDep, who: Who, paging: Paging, subnet: Word | None = None, site: Word | None = None
) -> BandPage:
    """Bands of one subnet or of all, by address."""
    inside = resolving.subnet(context, subnet, site, reading=True).id if subnet else None
    with context.plan.reading() as plan, context.database.read() as connection:
        chosen = [b for b in plan.bands.values() if inside is None or b.subnet == inside]

        def place(band: Band) -> list[int]:
            return [plan.subnets[band.subnet].site, band.first, band.id]

        shown, rest = cut(sorted(chosen, key=place), place, paging)
        return BandPage(items=plan_views.bands_of(context, connection, plan, shown), **rest._asdict())


@router.get("/bands/{which:path}")
def one_band(identity: BandRef, context: ContextDep, who: Who, response: Response) -> BandView:
    """One band."""
    with context.plan.reading() as plan, context.database.read() as connection:
        tagged(response, plan.bands[identity].version)
        return plan_views.bands_of(context, connection, plan, [plan.bands[identity]])[0]


@router.post("/bands", status_code=201)
def add_band(request: BandNew, context: ContextDep, who: Who, response: Response) -> BandView:
    """Draw a band."""
    made = _band(context, context.plan.edit(who, planning.add_band(_found(context, request)), anyway=True), response)
    located(response, f"bands/{made.id}")
    return made


@router.post("/bands/draft")
def draft_band(request: BandDraft, context: ContextDep, who: Who) -> Problems:
    """The mistakes that a band would be or bring, while it is being drawn."""
    found = context.plan.draft(planning.draft_band(_found(context, request)))
    return Problems(items=[plan_views.problem_view(p) for p in found], next=None, total=len(found))


@router.patch("/bands/{which:path}")
def edit_band(
    identity: BandRef, versions: IfMatch, request: BandEdit, context: ContextDep, who: Who, response: Response
) -> BandView:
    """Change a band."""
    return _band(
        context,
        context.plan.edit(who, planning.edit_band(identity, versions, _found(context, request)), anyway=True),
        response,
    )


@router.delete("/bands/{which:path}", status_code=204)
def remove_band(identity: BandRef, context: ContextDep, who: Who) -> None:
    """Take a band away; what is assigned in it stays."""
    context.plan.edit(who, planning.remove_band(identity))


def _found(context: Context, request: T) -> T:
    """A band's request with the ids of what it names. Raises Missing."""
    found: dict[str, int] = {}
    if not isinstance(request, BandEdit):
        found["subnet"] = resolving.subnet(context, str(request.subnet)).id
    if isinstance(request.server, str):
        with context.database.read() as connection:
            found["server"] = resolving.server(connection, request.server).id if request.server.strip() else 0
    return request.model_copy(update=found)


def _band(context: Context, saved: Saved, response: Response) -> BandView:
    item = next(item for item in saved.after if isinstance(item, Band))
    with context.plan.reading() as plan, context.database.read() as connection:
        tagged(response, plan.bands[item.id].version)
        return plan_views.bands_of(context, connection, plan, [plan.bands[item.id]])[0]


@router.get("/plan/problems")
def problems(context: ContextDep, who: Who, paging: Paging, subnet: Word | None = None) -> Problems:
    """Every mistake in the plan, and where this machine and the roles' policy disagree with it."""
    with context.plan.reading() as plan:
        found = context.plan.problems
        pools = [(b.first, b.last) for b in plan.bands.values() if b.kind is BandKind.POOL]
        roles = [rule.name for rule in plan.rules.values() if rule.on_pool is not OnPool.FINE]
        own = [
            (adapter.name, address_of(address.ip), address.network)
            for adapter in context.machine.adapters()
            if adapter.medium != "loopback"
            for address in adapter.addresses
        ]
        found += checks.mask_problems(plan, own)
        with context.database.read() as connection:
            devices = seen_records.in_pools(connection, pools, roles)
        found += checks.policy_problems(plan, devices)
        if subnet is not None:
            wanted = resolving.subnet(context, subnet, reading=True)
            found = [p for p in found if plan_views.concerns(plan, p, wanted)]
    order = {severity: place for place, severity in enumerate(checks.Severity)}

    def place(problem: checks.Problem) -> list[Any]:
        return [order[problem.severity], problem.kind, [list(one) for one in problem.subjects], problem.sentence]

    shown, rest = cut(sorted(found, key=place), place, paging)
    return Problems(items=[plan_views.problem_view(p) for p in shown], **rest._asdict())


@router.get("/roles")
def roles(context: ContextDep, who: Who, paging: Paging) -> RolePage:
    """The roles and what they mean for planning."""
    with context.plan.reading() as plan:
        shown, rest = cut(sorted(plan.rules.values(), key=lambda r: r.name), lambda r: [r.name], paging)
    return RolePage(
        items=[RoleRule(name=r.name, on_pool=r.on_pool.value, travels=r.travels) for r in shown], **rest._asdict()
    )


@router.put("/roles", status_code=204)
def set_role(request: RoleRule, context: ContextDep, who: Who) -> None:
    """Set a role's rule, or add a role of the site's own."""
    name = request_values.role_name(request.name)
    if not name:
        raise Refusal(422, "bad_edit", "a role needs a name", "name")
    setting_edits.set_role(context, who, planning_roles.RoleRule(name, OnPool(request.on_pool), request.travels))


@router.delete("/roles/{name}", status_code=204)
def forget_role(name: Word, context: ContextDep, who: Who) -> None:
    """Back to the usual rule; a role of the site's own goes away."""
    setting_edits.forget_role(context, who, request_values.role_name(name))
