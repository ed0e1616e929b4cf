"""/api/v1/demo/cables: pulling and plugging cables at the simulated site. On a real machine there is nothing of it."""

from __future__ import annotations

from ...api.demo import LeadPage, LeadPlug, LeadPull, LeadView
from ...standin.cartons import StockedSite
from ...standin.moved_cables import CableError, Lead, Leads
from ...standin.segment import StandinMachine
from ...store.edits import EditError, Missing
from ..context import Context
from ..web.contract import paths
from ..web.deps import ContextDep, Who
from ..web.paging import Paging, cut

router = paths("/api/v1/demo", "demo")


@router.get("/cables")
def cables(context: ContextDep, who: Who, paging: Paging) -> LeadPage:
    """The cables of the simulated site; of those between switches each end is one."""
    shown, rest = cut(list(enumerate(_leads(context).every())), lambda one: [one[0]], paging)
    return LeadPage(items=[_view(one) for _, one in shown], **rest._asdict())


@router.post("/cables/pull", status_code=204)
def pull(request: LeadPull, context: ContextDep, who: Who) -> None:
    """Pull what is plugged into a port."""
    try:
        _leads(context).pull((request.switch, request.port))
    except CableError as error:
        raise EditError(str(error), "port") from error


@router.post("/cables/plug", status_code=204)
def plug(request: LeadPlug, context: ContextDep, who: Who) -> None:
    """Plug the free end of a cable into a port."""
    try:
        _leads(context).plug(request.called, (request.switch, request.port))
    except CableError as error:
        raise EditError(str(error), "port") from error


def _leads(context: Context) -> Leads:
    machine = context.machine
    if isinstance(machine, StandinMachine) and isinstance(machine.site, StockedSite):
        return Leads(machine.site, machine.site.cabling)
    raise Missing("there are no cables to pull: this is no simulated site with switches")


def _view(one: Lead) -> LeadView:
    switch, port = one.socket if one.socket is not None else (None, None)
    return LeadView(called=one.called, to_switch=one.to_switch, switch=switch, port=port)
