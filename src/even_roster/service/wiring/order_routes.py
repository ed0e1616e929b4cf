"""/api/v1/ports/…/switching and /api/v1/port-orders: switching ports off and on."""

from __future__ import annotations

import asyncio
from typing import Annotated

from fastapi import Depends, Request

from ...api.common import Id, Word
from ...api.port_orders import Ground, PortOrderNew, PortOrderPage, PortOrderView, PortSwitching
from ...api.switches import CredentialRef, PortRef, SwitchRef
from ...core.wiring.guard import asked_name
from ...store import order_records
from ...store.order_records import OrderRow
from ..context import Context
from ..switches import credential_edits, port_views
from ..switches.picture import Names, PortThen
from ..views import maybe_time, time_of
from ..web.contract import paths
from ..web.deps import ContextDep, Who
from ..web.paging import Paging, cut
from .guard_facts import Judged
from .port_orders import PortOrders
from .seats import seat

router = paths("/api/v1", "wiring")
MOST = 500
_WARNINGS = (
    "what is off for a time stays off while this service does not run, and for good if its machine dies",
    "a switch that restarts may forget what it was told, and be on again",
)


async def _orders(request: Request) -> PortOrders:
    found: PortOrders = request.app.state.port_orders
    return found


OrdersDep = Annotated[PortOrders, Depends(_orders)]


@router.post("/ports/{identity}/switching")
async def switching(
    identity: Id, context: ContextDep, orders: OrdersDep, who: Who, request: Request, my_device: Word = "", by: Word = ""
) -> PortSwitching:  # fmt: skip
    """What is to be known before a port is switched off: which devices are connected, why it may not be, what of that could be
    forged, and the way there. The switches on the way are read anew where that is older than half a minute, and where the
    credential that is to order (`by`) reads them with more certainty; nothing is changed."""
    found = await orders.look(identity, seat(request, my_device), by)
    return await asyncio.to_thread(_look_view, context, orders, identity, found)


def _look_view(context: Context, orders: PortOrders, identity: int, found: Judged) -> PortSwitching:
    switch, port = orders.known(identity)
    with context.database.read() as connection:
        names = Names(context, connection)
        then = PortThen(port, port.state, port.since, tuple(port.here))
        view = port_views.ports(context, connection, names, [(switch, then)], whole=True)[0]
        credentials = [CredentialRef(id=row.id, name=row.name) for row in credential_edits.every(connection)]
        called = f"{names.switch(switch)[1]} port {port.name}"
        name = asked_name([names.said(stay.mac) for stay in port.here], called)
    return PortSwitching(
        switch=view.switch, port=PortRef(id=port.id, name=port.name), said=view.said, on=view.wanted != "down",
        power=port.name in switch.told.get("feeds", {}), behind=view.behind, ask_for=name,
        refusals=list(found.verdict.refusals), way=found.way,
        grounds=[Ground(said=one.said, at=time_of(one.at)) for one in found.grounds], unverified=found.unverified("link"),
        power_unverified=[found.unproven] if found.unproven else [], credentials=credentials,
        warnings=[*(f"{who} is not known yet: whether one is connected there cannot be told" for who in found.unsure), *_WARNINGS],
    )  # fmt: skip


@router.post("/ports/{identity}/orders")
async def give(
    identity: Id, new: PortOrderNew, context: ContextDep, orders: OrdersDep, who: Who, request: Request
) -> PortOrderView:  # fmt: skip
    """Switch a port, or its power, off or on; the answer comes when the switch was read back, and after some seconds in any case:
    the order is followed then (`sent`). Refused where this service, or whoever orders it, could be cut off, and where that cannot
    be told; `busy` where it cannot be done soon."""
    row = await orders.give(identity, new, who, seat(request, new.my_device), request.is_disconnected)
    return await asyncio.to_thread(_view_alone, context, row)


@router.get("/port-orders")
def port_orders(
    context: ContextDep, who: Who, paging: Paging, port: Id | None = None
) -> PortOrderPage:  # fmt: skip
    """The orders to switch ports, the latest first, at most 500; with `port` those of one."""
    with context.database.read() as connection:
        rows = order_records.latest(connection, None if port is None else [port], MOST)
        rows = [row for row in rows if row.port in context.switches.by_port]
        shown, rest = cut(rows, lambda one: [-one.id], paging)
        names = Names(context, connection)
        return PortOrderPage(items=[_view(context, names, one) for one in shown], **rest._asdict())


@router.get("/port-orders/{identity}")
def port_order(identity: Id, context: ContextDep, orders: OrdersDep, who: Who) -> PortOrderView:
    """One order, as it stands."""
    return _view_alone(context, orders.order(identity))


def _view_alone(context: Context, row: OrderRow) -> PortOrderView:
    with context.database.read() as connection:
        return _view(context, Names(context, connection), row)


def _view(context: Context, names: Names, row: OrderRow) -> PortOrderView:
    switch, port = context.switches.by_port[row.port]
    stands = switch.switched(port) if row.what == "link" else ""
    return PortOrderView.model_validate({
        "id": row.id, "switch": SwitchRef(id=switch.row.id, name=names.switch(switch)[1]),
        "port": PortRef(id=port.id, name=port.name), "what": row.what, "to": row.to, "who": row.who, "at": time_of(row.at),
        "until": maybe_time(row.until), "state": row.state, "said": row.said,
        "said_at": maybe_time(row.said_at), "consents": list(row.consents), "read_at": maybe_time(switch.row.learnt),
        "stands": stands or "not known",
    })  # fmt: skip
