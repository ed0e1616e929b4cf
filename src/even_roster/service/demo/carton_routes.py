"""/api/v1/demo: what a person does at the simulated site. On a real machine there is nothing of it."""

from __future__ import annotations

from ipaddress import IPv4Address, IPv4Interface

from ...api.common import Word
from ...api.demo import CartonPage, CartonView, PowerSet, TypedIn
from ...standin.cartons import Carton, CartonError, Settings, Shelf, StockedSite
from ...standin.segment import StandinMachine
from ...store.edits import EditError, Missing
from ..context import Context
from ..web.contract import paths
from ..web.deps import ContextDep, Who
from ..web.paging import Paging, cut

router = paths("/api/v1/demo", "demo")


@router.get("/cartons")
def cartons(context: ContextDep, who: Who, paging: Paging) -> CartonPage:
    """The devices that stand there in their cartons, or stood there."""
    shelf = _shelf(context)
    shown, rest = cut(list(enumerate(shelf.cartons.values())), lambda one: [one[0]], paging)
    return CartonPage(items=[_view(context, one) for _, one in shown], **rest._asdict())


@router.post("/cartons/{label}/power")
def power(label: Word, request: PowerSet, context: ContextDep, who: Who) -> CartonView:
    """Plug a device in, or pull its plug."""
    try:
        return _view(context, _shelf(context).power(label, request.on))
    except CartonError as error:
        raise Missing(str(error)) from error


@router.post("/cartons/{label}/settings")
def type_in(label: Word, request: TypedIn, context: ContextDep, who: Who) -> CartonView:
    """Type settings into a device's page."""
    try:
        interface = IPv4Interface(f"{request.address.strip()}/{request.mask.strip().lstrip('/')}")
        gateway = IPv4Address(request.gateway.strip()) if request.gateway.strip() else None
    except ValueError as error:
        raise EditError(f"the device's page says: {error}", "address") from error
    try:
        return _view(context, _shelf(context).type_in(label, Settings(interface, gateway, request.name), request.store))
    except CartonError as error:
        raise EditError(str(error), "label") from error


def _shelf(context: Context) -> Shelf:
    machine = context.machine
    if isinstance(machine, StandinMachine) and isinstance(machine.site, StockedSite):
        return machine.site.shelf
    raise Missing("there are no cartons: this is no simulated site")


def _view(context: Context, one: Carton) -> CartonView:
    machine = context.machine
    assert isinstance(machine, StandinMachine)
    subnet = next((subnet.name for subnet in machine.site.subnets if subnet.vlan == one.vlan), "")
    return CartonView(
        label=one.label, what=one.what, mac=str(one.mac), where=subnet, powered=one.powered,
        address=str(one.address) if one.address is not None else None, open=one.address is not None, forgets=one.forgets,
    )  # fmt: skip
