"""The wiring: which ports of switches are joined, the rings that makes, and the way between two devices."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from .common import DeviceRef, Id, Model, Page, Time
from .switches import PortRef, SwitchRef

Known = Literal["stated", "told by both", "told by one", "inferred"]


class LinkEnd(Model):
    """One end of a link: a port of a switch. Without a port it is not known which; without a switch it is one that is not read, by
    what it calls itself."""

    switch: SwitchRef | None
    port: PortRef | None
    called: str


class LinkMember(Model):
    """Two ports that are joined as members of a bundle."""

    one: PortRef
    other: PortRef


class LinkView(Model):
    """Ports that are joined: two, or more where something that is not read hangs `between`. `up` unless one of its ports has no
    link, as one may that a hand states; `blocked` where the spanning tree keeps it shut. `ring` is the number of its ring;
    `falls` are the switches that nothing else joins to this one."""

    id: int
    ends: list[LinkEnd]
    known: Known
    reasons: list[str]
    since: Time
    until: Time | None
    at_least: bool
    up: bool
    blocked: bool
    blocked_at: str
    speed: int | None
    vlans: list[int]
    members: list[LinkMember]
    between: bool
    ring: int | None
    falls: list[str]
    said: str


class RingView(Model):
    """Links each of which can fail without cutting anybody off. `loop` when nothing of it is blocked."""

    number: int
    switches: list[str]
    link_ids: list[int]
    blocked_ids: list[int]
    loop: bool
    said: str


class LinkWordView(Model):
    """What a hand says of two ports: that they are joined, or that they are not."""

    one: LinkEnd
    other: LinkEnd
    joined: bool
    notes: str


class LinkPage(Page[LinkView]):
    """The links between switches, by their ends, the rings they make, and what hands say. `at` is the moment; null: now."""

    at: Time | None
    rings: list[RingView]
    words: list[LinkWordView]


class LinkWordNew(Model):
    """Say of two ports that they are joined, or that they are not."""

    one: Id
    other: Id
    joined: bool = True
    notes: str = Field(default="", max_length=200)


class MapStrip(Model):
    """A switch on the map: its left upper corner, width and height in units of the map; its ports in their order with a mark each:
    `+` a link, `^` one to another switch, `x` switched off, `-` nothing. `node` tells it apart; `fixed` where a hand put it."""

    node: str
    switch: SwitchRef | None
    called: str
    x: float
    y: float
    width: float
    height: float
    port_ids: list[int]
    marks: str
    fixed: bool


class MapCable(Model):
    """A link on the map, or an arm of one: the corners of its way, in pairs of x and y."""

    link_id: int
    points: list[list[float]]
    width: float
    blocked: bool
    known: Known
    said: str
    word: str


class MapView(Model):
    """The wiring as a map, and the same as lines of text. `at` is the moment; null: now."""

    strips: list[MapStrip]
    cables: list[MapCable]
    width: float
    height: float
    lines: list[str]
    at: Time | None


class MapSheet(Model):
    """The map as an SVG document of its own, for print."""

    svg: str


class MapPlaceEdit(Model):
    """Where a hand puts a switch on the map: its left upper corner, in units of the map."""

    x: float = Field(ge=-20_000, le=100_000)
    y: float = Field(ge=-20_000, le=100_000)


class PathPoint(Model):
    """Where a cable ends: a device, or a port of a switch; `called` is what either is called."""

    device: DeviceRef | None
    switch: SwitchRef | None
    port: PortRef | None
    called: str


class PathHop(Model):
    """One cable of a path, from one end to the other. `known` is `on this port` or `behind this port` of a device's own. `seen`
    when the forwarding table of the switch before it says the same, or otherwise; null: it says nothing."""

    link_id: int | None
    one: PathPoint
    other: PathPoint
    known: str
    seen: bool | None
    speed: int | None
    duplex: str
    vlan: int | None
    error_share: float | None
    between: bool
    said: str


class PathView(Model):
    """The way between two devices, cable by cable. `whole` when each is known; `lacks` says what is not. `routed_by` is the router
    where their subnets differ. `said` is all that in a sentence, `by` the switches on the way."""

    begin: PathPoint
    end: PathPoint
    hops: list[PathHop]
    routed_by: DeviceRef | None
    whole: bool
    by: list[str]
    lacks: list[str]
    at: Time | None
    said: str


class PathStretch(Model):
    """A path that was the same from when to when."""

    since: Time
    until: Time | None
    whole: bool
    by: list[str]
    said: str


class PathTurns(Page[PathStretch]):
    """The paths between two devices over time, the latest first."""

    since: Time
