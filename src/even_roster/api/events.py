"""What is told of everything that changes: one model for each kind of server-sent event, from which the console's types are made.

On the wire an event's kind is its `event:` line and the model its `data:`. `hello` begins a stream and `reset` says that too much
was missed; both hold nothing.
"""

from __future__ import annotations

from typing import ClassVar, Literal

from .common import Model
from .scans import AddressResult, ScanInfo


class Event(Model):
    """Something that happened; `kind` tells which."""

    kind: ClassVar[str]


class ScanEvent(Event):
    """What happened to a scan: its record, and the results that are new or changed (of many,
    `left_out` counts those that are not here)."""

    kind = "scan"
    scan: ScanInfo
    addresses: list[AddressResult]
    left_out: int = 0


class DevicesEvent(Event):
    """Devices that were seen, planned or edited (None: any may be), how many of them are new, and whether a hand did it."""

    kind = "devices"
    ids: list[int] | None
    new: int = 0
    edited: bool = False


class PlanEvent(Event):
    """The plan was edited: the change's id (0: rules of roles), and the kinds of items in it."""

    kind = "plan"
    change_id: int
    kinds: list[str]


class DhcpEvent(Event):
    """A DHCP server was edited, read or published to (None: any)."""

    kind = "dhcp"
    server_id: int | None = None


class RangesEvent(Event):
    """Remembered ranges changed."""

    kind = "ranges"


class TurnTold(Model):
    """A finding that turned: its id, what happened, its kind."""

    id: int
    turn: Literal["opened", "reopened", "updated", "accepted", "resumed", "closed"]
    kind: str


class FindingsEvent(Event):
    """Findings turned: the latest of them, and how many there are by state and severity."""

    kind = "findings"
    turns: list[TurnTold]
    counts: dict[str, int]


class HeardTold(Model):
    """One frame that was heard: its protocol, the sender's MAC, and what it said."""

    protocol: str
    mac: str
    said: str


class ListenEvent(Event):
    """What was heard on an adapter's link since the last event; `unread` frames were left out."""

    kind = "listen"
    adapter: str
    frames: int
    unread: int
    per_second: int
    lines: list[HeardTold]


class WatchEvent(Event):
    """How subnets are watched changed, or where an adapter stands was found out."""

    kind = "watch"
    adapter: str | None = None
    verdict: str | None = None


class RoutesEvent(Event):
    """A notice route was edited or used (None: any)."""

    kind = "routes"
    id: int | None = None


class CallEvent(Event):
    """A roll call was edited, or its lines were looked at (None: any)."""

    kind = "call"
    id: int | None = None


class ChaseEvent(Event):
    """Something turned in a chase, or it was edited."""

    kind = "chase"
    id: int | None = None


class SwitchEvent(Event):
    """A switch was edited or read, or its ports were (None: any)."""

    kind = "switch"
    id: int | None = None


class FittingEvent(Event):
    """A fitting was begun, moved, or is over (None: any)."""

    kind = "fitting"
    id: int | None = None


class KindsEvent(Event):
    """Kinds of devices were edited."""

    kind = "kinds"


class WakeEvent(Event):
    """A device that was woken came up, or nothing came of it."""

    kind = "wake"
    id: int


class ProofEvent(Event):
    """How far the wire was asked for some addresses, 0 to 1."""

    kind = "proof"
    addresses: list[str]
    done_part: float


class NamesEvent(Event):
    """How many of the site's names were asked for."""

    kind = "names"
    done: int
    total: int


class Events(Model):
    """The data of every kind of event, by kind."""

    scan: ScanEvent
    devices: DevicesEvent
    plan: PlanEvent
    dhcp: DhcpEvent
    ranges: RangesEvent
    findings: FindingsEvent
    listen: ListenEvent
    watch: WatchEvent
    routes: RoutesEvent
    call: CallEvent
    switch: SwitchEvent
    chase: ChaseEvent
    fitting: FittingEvent
    kinds: KindsEvent
    wake: WakeEvent
    proof: ProofEvent
    names: NamesEvent
