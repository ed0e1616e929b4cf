"""What is said of a port in a sentence, and how those behind it hang together. Pure."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence

from ..mac import MacNumber
from .port_states import PortState

_PARTS = ((1_000_000_000, "Gbit/s"), (1_000_000, "Mbit/s"), (1_000, "kbit/s"))
_GUESTS = 2


def speed_said(bits: int | None) -> str:
    """Bits a second as people say them; empty where they are not told."""
    if not bits:
        return ""
    size, unit = next(((size, unit) for size, unit in _PARTS if bits >= size), (1, "bit/s"))
    return f"{bits / size:g} {unit}"


def together(macs: Collection[MacNumber], state: PortState | None) -> str:
    """How several behind one port hang together, as far as can be told; empty for one or none, and where it leads to a switch."""
    if len(macs) < 2 or (state is not None and state.uplink):
        return ""
    around = state.neighbours if state is not None else ()
    if any("telephone" in one.capabilities for one in around):
        return "a phone and what hangs behind it"
    prefixes = Counter(mac >> 24 for mac in macs)
    prefix, count = prefixes.most_common(1)[0]
    if count >= _GUESTS and len(prefixes) == 2 and len(macs) - count == 1 and prefix & 0x020000:
        return f"{count} of them look like guests of one computer: their MACs are made up and begin alike"
    return "behind something small that is not read"


def port_said(
    state: PortState | None, names: Sequence[str], count: int, leads_to: str, mark: str = "", *, bridge: bool = True
) -> str:
    """A port as a sentence without times: who is behind it, or what it is; `names` are the first of the `count` behind it."""
    marked = f"{mark}: " if mark else ""
    if state is None:
        return f"{marked}not told by the switch"
    if state.wanted == "down":
        return f"{marked}switched off"
    tail = "".join(f", {part}" for part in _figures(state))
    if not state.up:
        return (
            f"{marked}nothing" if state.link in ("down", "not present", "lower layer down") else f"{marked}{state.link}"
        )
    if state.uplink:
        crowd = "nobody behind it" if not count else f"{count} {'MAC' if count == 1 else 'MACs'} behind it"
        if any("access point" in one.capabilities for one in state.neighbours):
            return f"{marked}{leads_to or 'access point'}, an access point, {crowd}{tail}"
        return f"{marked}uplink{f' to {leads_to}' if leads_to else ''}, {crowd}{tail}"
    if not count:
        around = next((one.name or one.chassis for one in state.neighbours), "")
        alone = "a link, and nobody has spoken" if bridge else "a link"
        return f"{marked}{around or alone}{tail}"
    rest = count - len(names)
    return f"{marked}{', '.join(names)}{f' and {rest} more' if rest > 0 else ''}{tail}"


def _figures(state: PortState) -> list[str]:
    found = [speed_said(state.speed)] if state.speed else []
    if state.duplex == "half":
        found.append("half duplex")
    if state.bundle:
        found.append(f"in the bundle {state.bundle}")
    if state.tree in ("blocking", "discarding", "alternate", "backup"):
        found.append("blocked by the spanning tree")
    if state.power:
        found.append(f"feeds {state.power}")
    return found


def switch_said(ports: int, up: int, uplinks: int, behind: int, pairs: int, *, bridge: bool) -> str:
    """A switch's totals as a sentence; one that is no bridge is a router."""
    if not ports:
        return "not read yet"
    if not bridge:  # a router
        told = f"{pairs} {'address' if pairs == 1 else 'addresses'} with {'its MAC' if pairs == 1 else 'their MACs'}"
        return f"a router: {up} of {ports} interfaces have a link, and it tells {told}"
    plain = [f"{up} of {ports} ports {'has' if up == 1 else 'have'} a link"]
    if uplinks:
        plain.append(f"{uplinks} {'leads' if uplinks == 1 else 'lead'} to other switches")
    plain.append(f"{behind} {'MAC hangs' if behind == 1 else 'MACs hang'} on the others")
    return ", ".join(plain[:-1]) + f" and {plain[-1]}" if len(plain) > 1 else plain[0]
