"""On what a port may be switched off: each thing that is known, in a sentence, with when that was told. Only reads."""

from __future__ import annotations

from typing import NamedTuple

from ...core.mac import Mac
from ...core.wiring.facts import Known
from ...core.wiring.guard import Verdict
from ...core.wiring.standing_places import Seen
from ..context import Context, now_ms
from ..knowing.switch_now import PortNow, SwitchNow
from .link_picture import Kept as KeptLink
from .link_picture import Wiring
from .seats import Person
from .who_must_stay import SERVICE, Kept


class Ground(NamedTuple):
    """A thing that is known, and since when or from what time (UTC ms)."""

    said: str
    at: int


def grounds(
    context: Context, wiring: Wiring, switch: SwitchNow, port: PortNow, verdict: Verdict, kept: Kept, whoever: Person
) -> list[Ground]:  # fmt: skip
    """What a verdict that refuses nothing stands on."""
    read = {key: one.row.learnt or 0 for key, one in context.switches.switches.items()}
    seen = kept.seen(context)
    found = [Ground(_orderer(wiring, whoever), now_ms())]
    for number in verdict.switches:
        ports = [one.port for one in seen if one.who == SERVICE and one.switch == number]
        at = ", ".join(context.switches.by_port[one][1].name for one in ports)
        found.append(Ground(f"{wiring.called(f's{number}')} has learnt this service at port {at}", read.get(number, 0)))
    on_way = set(verdict.ports)
    for one in wiring.kept:
        if one.link.known is Known.BOTH and one.link.ports <= on_way:
            found.append(_link(wiring, one, read))
    found.append(Ground("no open finding is about this service or a switch on the way", now_ms()))
    base = switch.told.get("ends", {}).get(port.name, [None])[0]
    interface = f"port {port.name} is number {base} of the bridge, and its interface has no address of the switch"
    found.append(Ground(interface, read[switch.row.id]))
    found.append(Ground(_connected(wiring, port), read[switch.row.id]))
    return [*found, *_others(context, wiring, seen)]


def _orderer(wiring: Wiring, whoever: Person) -> str:
    if whoever.macs:
        names = wiring.names
        names.learn(whoever.macs)
        return f"it is ordered from {', '.join(names.said(mac) for mac in whoever.macs)}"
    return (
        "it is ordered from a port that was named" if whoever.port else "it is ordered at this service's machine itself"
    )


def _link(wiring: Wiring, one: KeptLink, read: dict[int, int]) -> Ground:
    by_port = wiring.context.switches.by_port
    ends = " and ".join(f"{wiring.called(f's{end.switch}')} port {by_port[end.port][1].name}" for end in one.link.ends)
    at = min((read.get(end.switch, 0) for end in one.link.ends), default=0)
    return Ground(f"{ends} confirm each other", at)


def _connected(wiring: Wiring, port: PortNow) -> str:
    macs = [stay.mac for stay in port.here]
    if not macs:
        dark = port.state is None or not port.state.up
        return (
            "nothing is connected to it: it has no link"
            if dark
            else "the device that was connected has sent nothing lately"
        )
    wiring.names.learn(macs)
    return f"connected to it: {', '.join(wiring.names.said(mac) for mac in macs)}"


def _others(context: Context, wiring: Wiring, seen: list[Seen]) -> list[Ground]:
    """Where those are who must stay in any case: at the port that leads nowhere else, where that is known."""
    found = {}
    for one in sorted(seen, key=lambda one: context.switches.by_port[one.port][1].verdict.uplink):
        if one.who != SERVICE and one.mac not in found:
            name, port = wiring.called(f"s{one.switch}"), context.switches.by_port[one.port][1]
            how = "is behind" if port.verdict.uplink else "is connected to"
            found[one.mac] = Ground(
                f"{one.who} ({Mac(one.mac)}) {how} port {port.name} of {name}, in every reading since", one.first
            )
    return list(found.values())
