"""How a port stood: what is kept of it over time. Equal readings are one stretch. Pure.

What changes with every reading (counters, who is behind it) is no part of a state.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import asdict, dataclass, replace
from typing import Any

from .reading import Neighbour, Port

FIELDS_OF_NEIGHBOURS = ("chassis", "port", "port_text", "name", "text", "capabilities", "address")


@dataclass(frozen=True, slots=True)
class PortState:
    """What a switch said of one of its ports. `uplink` is what the reasons made of it then (see `uplinks`)."""

    index: int
    alias: str = ""
    wanted: str = "unknown"
    link: str = "unknown"
    speed: int | None = None
    duplex: str = ""
    vlan: int | None = None
    tagged: tuple[int, ...] = ()
    tree: str = ""
    bundle: str = ""
    power: str = ""
    neighbours: tuple[Neighbour, ...] = ()
    uplink: bool = False

    @property
    def up(self) -> bool:
        """Whether it has a link."""
        return self.link == "up"

    def stored(self) -> dict[str, Any]:
        """As a column holds it: what is not said is left out."""
        plain = PortState(self.index)
        found = {
            name: value for name, value in asdict(self).items() if value != getattr(plain, name) or name == "index"
        }
        if self.neighbours:
            found["neighbours"] = [
                {name: getattr(one, name) for name in FIELDS_OF_NEIGHBOURS} for one in self.neighbours
            ]
        return found


def state_of(
    port: Port, neighbours: tuple[Neighbour, ...], before: PortState | None = None, cut: Collection[str] = ()
) -> PortState:
    """What is kept of a port that was read, after how it stood `before`: fields that were `cut`, and are not told of it, stay as
    they were."""
    state = PortState(
        port.index, port.alias, port.wanted.value, port.link.value, port.speed, port.duplex, port.vlan, port.tagged, port.tree,
        port.bundle, port.power, neighbours, before.uplink if before is not None else False,
    )  # fmt: skip
    if before is None or not cut:
        return state
    plain = PortState(port.index)
    lost = [name for name in cut if getattr(state, name) == getattr(plain, name)]
    return replace(state, **{name: getattr(before, name) for name in lost})


def from_stored(values: Mapping[str, Any]) -> PortState:
    """A state as it was stored."""
    plain = dict(values)
    neighbours = tuple(
        Neighbour(plain["index"], **{**one, "capabilities": tuple(one["capabilities"])})
        for one in plain.pop("neighbours", ())
    )
    tagged = tuple(plain.pop("tagged", ()))
    return PortState(**plain, neighbours=neighbours, tagged=tagged)
