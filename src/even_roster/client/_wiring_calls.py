"""The calls about links, paths and the map of the wiring as values. Both clients run these; errors are those of the package."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING

from ._calls import Call, ListCall, call, listing

if TYPE_CHECKING:
    from ..api.chases import ChaseEdit, ChaseFound, ChaseNew, ChasePage, ChaseView
    from ..api.port_orders import PortOrderNew, PortOrderPage, PortOrderView, PortSwitching
    from ..api.switches import SwitchMoments
    from ..api.wiring import (
        LinkPage,
        LinkView,
        LinkWordNew,
        LinkWordView,
        MapPlaceEdit,
        MapSheet,
        MapView,
        PathStretch,
        PathTurns,
        PathView,
    )


def links(switch: str | None = None, at: datetime | None = None) -> ListCall[LinkView, LinkPage]:
    """The links between switches, or those of one; with `at` as they were then."""
    return listing("LinkPage", "/api/v1/links", {"switch": switch, "at": at})


def wiring(switch: str | None = None, at: datetime | None = None) -> Call[LinkPage]:
    """As `links`, with the rings they make and what hands say; the first 2,000 of them."""
    return call("LinkPage", "GET", "/api/v1/links", {"switch": switch, "at": at, "limit": 2000})


def say_link(new: LinkWordNew) -> Call[LinkWordView]:
    """Say of two ports, by their ids, that they are joined, or that they are not. Raises BadInput, NotFound."""
    return call("LinkWordView", "POST", "/api/v1/links/words", body=new)


def forget_link(one: int, other: int) -> Call[None]:
    """Say nothing of two ports any more. Raises NotFound."""
    return call("None", "DELETE", f"/api/v1/links/words/{one}/{other}")


def path(begin: str, end: str = "", at: datetime | None = None) -> Call[PathView]:
    """The way between two devices, addresses or switches, cable by cable; without `end` the way to the gateway, with `at` as it was
    then. Raises NotFound, Ambiguous."""
    return call("PathView", "GET", "/api/v1/paths", {"begin": begin, "end": end, "at": at})


def path_turns(begin: str, end: str, since: datetime) -> ListCall[PathStretch, PathTurns]:
    """The ways between two devices since a moment, the latest first."""
    return listing("PathTurns", "/api/v1/paths/turns", {"begin": begin, "end": end, "since": since})


def wiring_map(at: datetime | None = None) -> Call[MapView]:
    """The map of the wiring, drawn and as lines of text; with `at` as it was then."""
    return call("MapView", "GET", "/api/v1/wiring/map", {"at": at})


def map_sheet(at: datetime | None = None, begin: str | None = None, end: str | None = None) -> Call[MapSheet]:
    """The map as an SVG document; the way between `begin` and `end` is drawn strong. Raises BadInput, NotFound."""
    return call("MapSheet", "GET", "/api/v1/wiring/sheet", {"at": at, "begin": begin, "end": end})


def place_switch(identity: int, place: MapPlaceEdit) -> Call[None]:
    """Put a switch somewhere on the map, for good. Raises NotFound."""
    return call("None", "PUT", f"/api/v1/wiring/places/{identity}", body=place)


def free_switch(identity: int) -> Call[None]:
    """Let a switch stand where the map puts it. Raises NotFound."""
    return call("None", "DELETE", f"/api/v1/wiring/places/{identity}")


def port_switching(identity: int, my_device: str = "", by: str = "") -> Call[PortSwitching]:
    """What is to be known before a port is switched off by a credential; `my_device` as in PortOrderNew. Takes seconds: switches on
    the way are read anew. Raises NotFound, BadInput."""
    asked = {"my_device": my_device or None, "by": by or None}
    return call("PortSwitching", "POST", f"/api/v1/ports/{identity}/switching", asked)


def order_port(identity: int, new: PortOrderNew) -> Call[PortOrderView]:
    """Switch a port, or its power, off or on. The order is `sent` where its switch has not answered within some seconds: see
    `port_order`. Raises Conflict where that could cut this service off, ServiceFault (`busy`) where it cannot be done soon,
    BadInput, NotFound."""
    return call("PortOrderView", "POST", f"/api/v1/ports/{identity}/orders", body=new)


def port_order(identity: int) -> Call[PortOrderView]:
    """An order to switch a port, as it stands. Raises NotFound."""
    return call("PortOrderView", "GET", f"/api/v1/port-orders/{identity}")


def port_orders(port: int | None = None) -> ListCall[PortOrderView, PortOrderPage]:
    """The orders to switch ports, the latest first; those of one port, or of all."""
    return listing("PortOrderPage", "/api/v1/port-orders", {"port": port})


def chases() -> ListCall[ChaseView, ChasePage]:
    """The chases, the latest first."""
    return listing("ChasePage", "/api/v1/chases")


def chase(identity: int) -> Call[ChaseView]:
    """One chase: what turned in it, and the cables that are looked for. Raises NotFound."""
    return call("ChaseView", "GET", f"/api/v1/chases/{identity}")


def begin_chase(new: ChaseNew) -> Call[ChaseView]:
    """Watch some switches, and devices on the own links, from now on. Raises BadInput, NotFound."""
    return call("ChaseView", "POST", "/api/v1/chases", body=new)


def edit_chase(identity: int, edit: ChaseEdit) -> Call[ChaseView]:
    """Watch on or no longer, or look for more cables. Raises NotFound."""
    return call("ChaseView", "PATCH", f"/api/v1/chases/{identity}", body=edit)


def cable_found(identity: int, found: ChaseFound) -> Call[ChaseView]:
    """A cable was found at a port: what it is called becomes the port's note. Raises NotFound."""
    return call("ChaseView", "POST", f"/api/v1/chases/{identity}/found", body=found)


def remove_chase(identity: int) -> Call[None]:
    """Keep a chase no longer. Raises NotFound."""
    return call("None", "DELETE", f"/api/v1/chases/{identity}")


def wiring_moments(buckets: int = 100) -> Call[SwitchMoments]:
    """When links began or ended: how many in each of equal stretches, from the first that is known until now."""
    return call("SwitchMoments", "GET", "/api/v1/wiring/moments", {"buckets": buckets})
