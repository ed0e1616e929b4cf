"""The one table of addresses and MACs, from everybody who tells."""

from __future__ import annotations

from pydantic import Field

from .common import DeviceRef, MacView, Model, Page, Time
from .switches import PortRef, SwitchRef


class PairSource(Model):
    """Who says that a MAC has an address: `seen` (it answered or was heard), `lease`, `hand`, or the name of a router or switch
    whose table has it; and when it said so last (null: a hand, for good)."""

    source: str
    at: Time | None


class PairView(MacView):
    """An address and a MAC, the device it belongs to, who says so, the latest first, and a hand's note."""

    address: str
    device: DeviceRef | None
    sources: list[PairSource]
    notes: str


class PairPage(Page[PairView]):
    """Addresses with their MACs, in the order of addresses."""


class PairsNew(Model):
    """Pairs to take in, one a line: address, MAC, note. They stay when what routers and switches told is cleared."""

    text: str = Field(max_length=4_000_000)


class PairsDone(Model):
    """How many pairs are new, otherwise than before, or gone."""

    count: int


class LonelyMac(MacView):
    """A MAC on a port of which nobody knows an address, and whom to `ask` for it."""

    device: DeviceRef | None
    switch: SwitchRef
    port: PortRef
    vlans: list[int]
    ask: str


class LonelyMacPage(Page[LonelyMac]):
    """MACs without an address, by switch and port."""
