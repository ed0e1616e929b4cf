"""/api/v1/wakes: waking sleeping devices."""

from __future__ import annotations

from typing import Annotated

from fastapi import Depends, Request, Response

from ...api.calling import WakeNew, WakePage, WakePassword, WakeView
from ...api.common import Id
from ...core.address import dotted
from ...core.mac import Mac
from ...store.edits import Missing
from ..naming.references import DeviceToChange
from ..views import maybe_time, time_of
from ..web.contract import paths
from ..web.deps import Who, located
from ..web.paging import Paging, cut
from .waker import Wake, Waker

router = paths("/api/v1", "calls")


async def _waker(request: Request) -> Waker:
    found: Waker = request.app.state.waker
    return found


WakerDep = Annotated[Waker, Depends(_waker)]


@router.get("/wakes")
def wakes(waker: WakerDep, who: Who, paging: Paging) -> WakePage:
    """Who was woken since the service started, the latest first."""
    shown, rest = cut(sorted(waker.wakes.values(), key=lambda one: -one.id), lambda one: [-one.id], paging)
    return WakePage(items=[_view(one) for one in shown], **rest._asdict())


@router.post("/wakes", status_code=201)
async def wake(request: WakeNew, waker: WakerDep, who: Who, response: Response) -> WakeView:
    """Wake a device by magic packets on the link where it was seen last; the answer comes when they are sent. Whether it came up
    is told by the wake's state, and by an event."""
    one = await waker.wake(str(request.device), request.password)
    located(response, f"wakes/{one.id}")
    return _view(one)


@router.get("/wakes/{identity}")
def one_wake(identity: Id, waker: WakerDep, who: Who) -> WakeView:
    """How a wake stands: waiting, up, or silent when nothing came of it."""
    found = waker.wakes.get(identity)
    if found is None:
        raise Missing(f"there is no wake {identity}: they are remembered until the service stops")
    return _view(found)


@router.put("/wake-passwords/{which:path}", status_code=204)
def keep_password(device: DeviceToChange, request: WakePassword, waker: WakerDep, who: Who) -> None:
    """Keep the SecureOn password of a device's adapters for whenever it is woken, or with an empty one forget it."""
    waker.keep_password(who, device, request.password)


def _view(one: Wake) -> WakeView:
    return WakeView.model_validate(
        {
            "id": one.id, "device": one.device, "macs": [str(Mac(mac)) for mac in one.macs],
            "address": dotted(one.address) if one.address is not None else None, "adapters": list(one.adapters),
            "sent_at": time_of(one.sent_at), "up_at": maybe_time(one.up_at), "state": one.state, "said": one.said,
            "secured": one.secured,
        }
    )  # fmt: skip
