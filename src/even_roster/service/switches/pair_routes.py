"""/api/v1/pairs: which address belongs to which MAC, by whom."""

from __future__ import annotations

from typing import Annotated

from fastapi import Query

from ...api.common import Word
from ...api.pairs import LonelyMac, LonelyMacPage, PairPage, PairsDone, PairsNew, PairSource, PairView
from ...api.switches import PortRef, SwitchRef
from ...core.address import dotted
from ...core.mac import Mac, MacError
from ...store.edits import EditError
from ..context import Context
from ..naming import request_values
from ..views import device_ref, mac_view, maybe_time
from ..web.contract import paths
from ..web.deps import ContextDep, Who
from ..web.paging import Paging, cut
from . import pair_book
from .pair_book import Paired
from .picture import Names

router = paths("/api/v1", "switches")


@router.get("/pairs")
def pairs(
    context: ContextDep, who: Who, paging: Paging, text: Annotated[str, Query(max_length=1000)] = "",
    source: Annotated[str, Query(max_length=200)] = "",
) -> PairPage:  # fmt: skip
    """Addresses with their MACs; with `text` those with that fragment, with `source` those that it says: seen, lease, hand, or a
    router's or switch's name."""
    with context.database.read() as connection:
        names = Names(context, connection)
        found = pair_book.every(context, connection, lambda one: names.switch(one)[1])
        if source:
            found = [one for one in found if source.casefold() in {said.casefold() for said in one.said}]
        if text.strip():
            word = text.strip().casefold()
            bare = word.replace(":", "").replace("-", "").replace(".", "")
            found = [
                one for one in found
                if word in dotted(one.address) or (bare and bare in f"{one.mac:012x}") or word in one.note.casefold()
            ]  # fmt: skip
        shown, rest = cut(found, lambda one: [one.address, one.mac], paging)
        names.learn(one.mac for one in shown)
        items = [_view(context, names, one) for one in shown]
    return PairPage(items=items, **rest._asdict())


def _view(context: Context, names: Names, one: Paired) -> PairView:
    row = names.device(one.mac)
    said = sorted(one.said.items(), key=lambda pair: (pair[1] is not None, -(pair[1] or 0)))
    return PairView(
        **dict(mac_view(one.mac, context.vendors)), address=dotted(one.address),
        device=device_ref(row) if row is not None else None,
        sources=[PairSource(source=source, at=maybe_time(at)) for source, at in said], notes=one.note,
    )  # fmt: skip


@router.post("/pairs")
def enter(request: PairsNew, context: ContextDep, who: Who) -> PairsDone:
    """Take pairs in that people know: all of them or none."""
    return PairsDone(count=pair_book.enter(context, who, request.text))


@router.delete("/pairs/told")
def clear(context: ContextDep, who: Who) -> PairsDone:
    """Forget what routers and switches told; what people entered stays. The next readings tell anew."""
    return PairsDone(count=pair_book.clear(context))


@router.delete("/pairs/{address}/{mac}", status_code=204)
def remove(address: Word, mac: Word, context: ContextDep, who: Who) -> None:
    """A pair that people entered no more."""
    try:
        which = Mac.parse(mac).value
    except MacError as error:
        raise EditError(str(error), "mac") from error
    pair_book.remove(context, who, request_values.address(address), which)


@router.get("/pairs/without")
def without(context: ContextDep, who: Who, paging: Paging) -> LonelyMacPage:
    """MACs that hang on ports and have no address anywhere, each with whom to ask."""
    with context.database.read() as connection:
        shown, rest = cut(pair_book.without(context, connection), lambda one: [one.switch, one.port, one.mac], paging)
        names = Names(context, connection)
        names.learn(one.mac for one in shown)
        switches = context.switches.switches
        items = []
        for one in shown:
            switch, row = switches[one.switch], names.device(one.mac)
            items.append(LonelyMac(
                **dict(mac_view(one.mac, context.vendors)), device=device_ref(row) if row is not None else None,
                switch=SwitchRef(id=one.switch, name=names.switch(switch)[1]),
                port=PortRef(id=one.port, name=switch.ports[one.port].name), vlans=list(one.vlans), ask=one.ask,
            ))  # fmt: skip
    return LonelyMacPage(items=items, **rest._asdict())
