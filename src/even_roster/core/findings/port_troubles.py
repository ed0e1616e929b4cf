"""Works out what is wrong with switches and their ports from what all of them said last. Pure; times are UTC milliseconds.

Healthy churn is quiet: who travels or has a made-up MAC may move, access points have their clients, and who moved just now is not
at two ports until both switches have been read long enough after that.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

from ..mac import Mac, MacNumber
from ..switches.port_states import PortState
from ..switches.port_stays import PortStay
from ..switches.reading import Counted
from ..switches.sentences import speed_said
from .model import DAY, HOUR, MINUTE, Evidence, Severity, Subject
from .wiring import Name, Trouble

AGEING = 6 * MINUTE
SETTLED = HOUR
UNKNOWN_FOR = 10 * MINUTE
FEW = 2
"""Where more hang together, behind access points say, coming and going is usual."""
FLAPS = 4
LEAST_ERRORS, ERROR_SHARE = 20, 0.001
SILENT_READINGS, SILENT_LEAST = 3, 15 * MINUTE
_VIRTUAL = 0x00005E
"""The block of virtual routers' MACs (RFC 9542 2.1, RFC 9568 7.3): two routers may share one."""


@dataclass(frozen=True, slots=True)
class PortSeen:
    """A port as it was read last; `more` is what its counters grew by between its last two readings, `since` when it stands so."""

    id: int
    name: str
    state: PortState | None
    here: Sequence[PortStay]
    turns: Sequence[int] = ()
    more: Counted | None = None
    since: int = 0


@dataclass(frozen=True, slots=True)
class SwitchSeen:
    """A switch as it was read last: `asked_since` is when it was read or entered, `ended` are the stays at its ports that ended
    lately."""

    id: int
    name: str
    address: str
    own: frozenset[MacNumber]
    learnt: int
    every_ms: int
    asked_since: int
    trouble: str
    restarted: int | None
    ports: Mapping[int, PortSeen]
    ended: Sequence[PortStay] = ()


@dataclass(frozen=True, slots=True)
class Who:
    """What is known of MACs: whom they are called, whether anybody knows them, whether they may move as they like; and in which
    VLANs somebody who is there would be known by now: others nobody looks at."""

    called: Callable[[MacNumber], str]
    known: Callable[[MacNumber], bool]
    moves: Callable[[MacNumber], bool]
    visible: Callable[[tuple[int, ...]], bool] = lambda vlans: True


def troubles(switches: Sequence[SwitchSeen], who: Who, now: int) -> dict[Name, Trouble]:
    """Everything that is wrong, by kind and key."""
    found: dict[Name, Trouble] = {}
    for one in (_two_ports(switches, who), _moved(switches, who, now), _unknown(switches, who, now), _ports(switches, now),
                _ends(switches), _switches(switches, now)):  # fmt: skip
        found.update(one)
    return found


Told = Iterator[tuple[Name, Trouble]]


def _edges(switches: Sequence[SwitchSeen]) -> Iterator[tuple[SwitchSeen, PortSeen, PortStay]]:
    for switch in switches:
        for port in switch.ports.values():
            if port.state is not None and not port.state.uplink:
                for stay in port.here:
                    yield switch, port, stay


def _at(switch: SwitchSeen, port: PortSeen) -> str:
    return f"port {port.name} of {switch.name}"


def _subjects(switch: SwitchSeen, mac: MacNumber | None = None, port: PortSeen | None = None) -> tuple[Subject, ...]:
    macs = (Subject("mac", str(Mac(mac))),) if mac is not None else ()
    what = _at(switch, port) if port is not None else switch.name
    return (*macs, Subject("switch", what), Subject("address", switch.address))


def _two_ports(switches: Sequence[SwitchSeen], who: Who) -> Told:
    places: dict[MacNumber, list[tuple[SwitchSeen, PortSeen, PortStay]]] = defaultdict(list)
    for one in _edges(switches):
        places[one[2].mac].append(one)
    for mac, found in places.items():
        if len(found) < 2 or mac >> 24 == _VIRTUAL or not _share(found):
            continue
        begun = max(stay.first for _, _, stay in found)
        if any(switch.learnt < begun + AGEING for switch, _, _ in found):
            continue
        where = [_at(switch, port) for switch, port, _ in found]
        yield (
            ("mac-on-two-ports", str(Mac(mac))),
            Trouble(
                Severity.WRONG, _subjects(found[0][0], mac),
                (Evidence(f"{who.called(mac)} is learnt behind {' and behind '.join(sorted(where))}, both at once", begun),),
                "Follow both cables; of two devices with one MAC one has a MAC typed in, and in a loop one cable is too many",
            ),
        )  # fmt: skip


def _share(found: Sequence[tuple[SwitchSeen, PortSeen, PortStay]]) -> bool:
    """Whether two of the places are in one VLAN, or in VLANs that are not told."""
    return any(
        not a.vlans or not b.vlans or set(a.vlans) & set(b.vlans) for (_, _, a), (_, _, b) in combinations(found, 2)
    )


def _moved(switches: Sequence[SwitchSeen], who: Who, now: int) -> Told:
    ended: dict[MacNumber, list[tuple[SwitchSeen, PortSeen, PortStay]]] = defaultdict(list)
    for switch in switches:
        for stay in switch.ended:
            port = switch.ports.get(stay.port)
            edge = port is not None and (port.state is None or not port.state.uplink)
            if port is not None and edge and stay.last - stay.first >= SETTLED:
                ended[stay.mac].append((switch, port, stay))
    for switch, port, stay in _edges(switches):
        before = max(ended.get(stay.mac, ()), key=lambda one: one[2].last, default=None)
        if before is None or now - stay.first > DAY or who.moves(stay.mac) or not who.known(stay.mac):
            continue
        was_at, was_port, was = before
        if was.port == stay.port or was.last > stay.first or max(len(port.here), len(was_port.here)) > FEW:
            continue
        yield (
            ("moved-port", str(Mac(stay.mac))),
            Trouble(
                Severity.NOTICE, _subjects(switch, stay.mac),
                (Evidence(f"{who.called(stay.mac)} hung on {_at(was_at, was_port)}", was.last),
                 Evidence(f"it hangs on {_at(switch, port)} now", stay.first)),
                "If that was meant, write it down at the port; if not, find out who plugged it in there",
            ),
        )  # fmt: skip


def _unknown(switches: Sequence[SwitchSeen], who: Who, now: int) -> Told:
    own = {mac for switch in switches for mac in switch.own}
    for switch, port, stay in _edges(switches):
        if stay.mac in own or who.known(stay.mac) or who.moves(stay.mac) or switch.learnt - stay.first < UNKNOWN_FOR:
            continue
        vlan = port.state.vlan if port.state is not None else None
        if not who.visible(stay.vlans or ((vlan,) if vlan else ())):
            continue
        yield (
            ("unknown-on-port", str(Mac(stay.mac))),
            Trouble(
                Severity.NOTICE, _subjects(switch, stay.mac),
                (Evidence(f"{who.called(stay.mac)} is learnt behind {_at(switch, port)}", stay.first),
                 Evidence("it has never answered a question, and no plan names it")),
                "Follow the cable of that port; if it belongs there, enter it with 'roster device add'",
            ),
        )  # fmt: skip


def _ports(switches: Sequence[SwitchSeen], now: int) -> Told:
    for switch in switches:
        for port in switch.ports.values():
            turns = [at for at in port.turns if now - at < HOUR]
            if len(turns) >= FLAPS:
                yield (
                    ("flapping-port", f"port {port.id}"),
                    Trouble(
                        Severity.WRONG, _subjects(switch, port=port),
                        (Evidence(f"{_at(switch, port)} lost or got its link again and again within an hour", turns[-1]),),
                        "Change its cable first, then the plug at the other end; see what the device there does",
                    ),
                )  # fmt: skip
            more = port.more
            if more is None:
                continue
            errors, packets = more.errors_in + more.errors_out, more.packets_in + more.packets_out
            if errors >= LEAST_ERRORS and errors > ERROR_SHARE * (packets + errors):
                yield (
                    ("errors-on-port", f"port {port.id}"),
                    Trouble(
                        Severity.WRONG, _subjects(switch, port=port),
                        (Evidence(f"of what goes through {_at(switch, port)} {_share_said(errors, packets)} is damaged"),),
                        "Change its cable first; then compare speed and duplex of both ends",
                    ),
                )  # fmt: skip


def _share_said(errors: int, packets: int) -> str:
    share = errors / (packets + errors)
    return next((said for least, said in ((0.5, "most"), (0.1, "more than a tenth"), (0.01, "more than a hundredth"))
                 if share >= least), "more than a thousandth")  # fmt: skip


def _ends(switches: Sequence[SwitchSeen]) -> Told:
    owners = {str(Mac(mac)): switch for switch in switches for mac in switch.own}
    for switch in switches:
        for port in switch.ports.values():
            for around in port.state.neighbours if port.state is not None else ():
                other = owners.get(around.chassis)
                end = next((one for one in other.ports.values() if one.name == around.port), None) if other else None
                if other is None or end is None or end.state is None or (switch.id, port.id) > (other.id, end.id):
                    continue
                if switch.learnt < end.since or other.learnt < port.since:
                    continue  # one end turned, and the other was not read after that
                said = _disagree(port.state, end.state)
                if said is not None and port.state is not None:
                    yield (
                        ("ends-disagree", f"link {port.id} {end.id}"),
                        Trouble(
                            Severity.WRONG, (*_subjects(switch, port=port), Subject("switch", _at(other, end))),
                            (Evidence(f"{_at(switch, port)} runs at {said[0]}"),
                             Evidence(f"{_at(other, end)}, the other end of its link, at {said[1]}")),
                            "Let both ends find out by themselves, or set both to the same",
                        ),
                    )  # fmt: skip


def _disagree(one: PortState | None, other: PortState) -> tuple[str, str] | None:
    if one is None or not one.up or not other.up:
        return None
    if one.duplex and other.duplex and one.duplex != other.duplex:
        return f"{one.duplex} duplex", f"{other.duplex} duplex"
    if one.speed and other.speed and one.speed != other.speed and not one.bundle and not other.bundle:
        return speed_said(one.speed), speed_said(other.speed)
    return None


def _switches(switches: Sequence[SwitchSeen], now: int) -> Told:
    for switch in switches:
        key = f"switch {switch.id}"
        if switch.restarted is not None and now - switch.restarted < DAY:
            yield (
                ("switch-restarted", key),
                Trouble(
                    Severity.NOTICE, _subjects(switch),
                    (Evidence(f"{switch.name} has run for less time than since it was read before", switch.restarted),),
                    "See whether its power failed or somebody restarted it, and whether its settings are as they were",
                ),
            )  # fmt: skip
        if switch.trouble and now - switch.asked_since > max(SILENT_READINGS * switch.every_ms, SILENT_LEAST):
            yield (
                ("switch-silent", key),
                Trouble(
                    Severity.WRONG, _subjects(switch), (Evidence(switch.trouble, switch.asked_since),),
                    "See whether it answers at all, then whether its credential is still right: 'roster switch set'",
                ),
            )  # fmt: skip
