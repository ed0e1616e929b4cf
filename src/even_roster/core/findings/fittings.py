"""What a world knows of fittings: whose devices are being brought in, and which fittings nobody has moved for long."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

from ..mac import MacNumber


@dataclass(frozen=True, slots=True)
class Idle:
    """A fitting that stands still: of which devices, who began it, and since when (UTC ms) nothing happened."""

    names: tuple[str, ...]
    who: str
    since: int


class Fittings:
    """`macs` are being fitted: that they are where they are not planned yet is no news. `idle` are fittings that stand still."""

    def __init__(self) -> None:
        self.macs: frozenset[MacNumber] = frozenset()
        self.idle: dict[int, Idle] = {}

    def told(self, macs: Collection[MacNumber], idle: Mapping[int, Idle]) -> set[int]:
        """Who is being fitted now, and what stands still; gives the fittings it concerns."""
        concerned = {*self.idle, *idle}
        self.macs, self.idle = frozenset(macs), dict(idle)
        return concerned
