"""Gathers what the guard of ports judges by: where this service is connected, the way to a switch, who must stay in reach. Only
reads."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import Connection

from ...core.adapters import Adapter
from ...core.address import Address, dotted
from ...core.findings.engine import BY_KIND
from ...core.findings.model import State
from ...core.mac import Mac, MacNumber
from ...core.switches.columns import CALLED, Column
from ...core.switches.placing import Grade
from ...core.wiring.guard import Desk, PortFacts, Sight, Verdict, contests, judge
from ...store import device_queries, order_records
from ..context import Context, now_ms
from ..knowing.switch_now import PortNow, SwitchNow
from ..switches import credential_edits
from ..switches.agent_reading import authenticates
from ..switches.where import Places
from .grounds import Ground, grounds
from .link_picture import Wiring
from .seats import Seat, person
from .who_must_stay import DHCP, GATEWAY, SERVICE, Kept, gather


@dataclass(frozen=True, slots=True)
class Judged:
    """What the guard says of a port, the way to its switch in words, and whom it knows nothing of. `weakly` are switches on the way
    whose readings could be forged, with why, and `unproven` says so of the power that is taken for that of this port."""

    verdict: Verdict
    way: list[str]
    unsure: list[str]
    weakly: Mapping[int, str]
    grounds: list[Ground]
    unproven: str = ""
    ask: tuple[Address, ...] = ()
    """The gateways and DHCP servers of the own links: who answers there is in the forwarding tables."""

    def unverified(self, what: str) -> list[str]:
        """What could be forged of that on which switching the link, or the power, is permitted."""
        power = [self.unproven] if what == "power" and self.unproven else []
        return [*self.weakly.values(), *self.verdict.unverified, *power]


_JUDGED = frozenset({"wanted", "link", "neighbours", "bundle", "tree"})
"""Fields of a port by which the guard judges: where they were told of some ports only, those of the others are of earlier."""


def judged(context: Context, switch: SwitchNow, port: PortNow, seat: Seat, key: int | None = None) -> Judged:
    """Whether a port may be switched off now by whoever sits somewhere, with a credential. Raises EditError for a seat that means
    nothing."""
    with context.database.read() as connection:
        wiring = Wiring(context, connection)
        desk = _desk(context, connection, switch)
        whoever = person(context, connection, seat)
        kept = gather(context, connection, whoever, _adapter(context, switch))
        linked = any(port.id in one.link.ports for one in wiring.kept)
        lead = any(other.state is not None and other.state.bundle == port.name for other in switch.ports.values())
        facts = PortFacts(
            switch.row.id, port.id, port.state, list(port.stays), linked, lead, **_interface(switch, port),
            strangers=_strangers(connection, port),
        )  # fmt: skip
        verdict = judge(desk, facts, _sight(context, connection, wiring, desk, kept), now_ms())
        own = ("whoever orders it says to be connected there",) if port.id == whoever.port else ()
        unknown = (whoever.unknown,) if whoever.unknown else ()
        lately = kept.lately(connection, port)
        verdict = replace(verdict, refusals=(*verdict.refusals, *lately, *own, *unknown))
        way = [wiring.called(f"s{number}") for number in verdict.switches]
        unsure = [why for why in (GATEWAY, DHCP) if why not in kept.kinds]
        weakly = _weakly(context, wiring, dict.fromkeys([*verdict.switches, switch.row.id]), switch.row.id, key)
        stands_on = [] if verdict.refusals else grounds(context, wiring, switch, port, verdict, kept, whoever)
        return Judged(verdict, way, unsure, weakly, stands_on, _unproven(switch, port), kept.ask)


def _strangers(connection: Connection, port: PortNow) -> set[MacNumber]:
    """Who is at a port and is no device that people have entered."""
    macs = {stay.mac for stay in port.here}
    return macs - device_queries.vouched_for(connection, macs)


def _weakly(
    context: Context, wiring: Wiring, switches: Iterable[int], target: int, key: int | None
) -> dict[int, str]:  # fmt: skip
    """Switches whose readings anybody on the way could have answered, or that another may be than the one which is ordered."""
    known, found = credential_edits.opened(context), {}
    for number in switches:
        switch = context.switches.switches.get(number)
        if switch is None:
            continue
        name, by = wiring.called(f"s{number}"), switch.told.get("by")
        credential = known.get(by) if by is not None else None
        if credential is None:
            found[number] = f"what {name} tells: by what it was read is not known any more"
        elif not authenticates(credential):
            version = {"1": "version 1", "2c": "version 2c"}.get(credential.snmp, "version 3 without authentication")
            found[number] = f"what {name} tells: it was read by SNMP {version}, and others can answer in its place"
        elif number == target and key is not None and by != key:
            found[number] = f"that {name} is the switch that is ordered: it was not read by the same credential"
    return found


def _unproven(switch: SwitchNow, port: PortNow) -> str:
    """What is taken for granted of the power that a port feeds; empty where a reading has shown it."""
    feeds = switch.told.get("feeds", {}).get(port.name)
    if feeds is None or port.name in switch.told.get("fed", ()):
        return ""
    return f"that the power numbered {feeds[0]}.{feeds[1]} is that of port {port.name}: only the numbers say so"


def _interface(switch: SwitchNow, port: PortNow) -> dict[str, Any]:
    """What a switch tells of the interface of a port, and what a person says of it."""
    addressed, ends = switch.told.get("addressed"), switch.told.get("ends", {})
    return {
        "base": ends.get(port.name, [None])[0], "addressed": port.name in addressed if addressed is not None else None,
        "learnt_whole": bool(switch.told.get("learnt_whole", False)), "partly": frozenset(switch.told.get("cut", _JUDGED)) &
        _JUDGED, "lldp": not any(what == CALLED[Column.NEIGHBOURS] for what, _ in switch.told.get("lacks", ())), "own_learnt":
        port.name in switch.told.get("own_learnt", ()), "marked_uplink": bool(port.words.uplink),
    }  # fmt: skip


def _contested(context: Context) -> dict[int, str]:
    """Switches whose address, or one of whose MACs, an open finding is about; this service itself is 0."""
    with context.findings.looking():
        opened = [one for one in context.findings.engine.standing.values() if one.state is State.OPEN]
    about: dict[str, str] = {}
    for one in opened:
        for place, subject in enumerate(one.subjects):
            if contests(one.kind, place == 0):
                about.setdefault(subject.value, BY_KIND[one.kind].title.lower() if one.kind in BY_KIND else one.kind)
    found, own = dict[int, str](), list[str]()
    for adapter in context.machine.adapters():
        if adapter.mac is not None and adapter.medium != "loopback":
            own += [str(adapter.mac), *(str(one.ip) for one in adapter.addresses)]
    names = {0: own} | {
        key: [dotted(switch.row.address), *(str(Mac(mac)) for mac in switch.own)]
        for key, switch in context.switches.switches.items()
    }
    for key, called in names.items():
        if (why := next((about[one] for one in called if one in about), None)) is not None:
            found[key] = why
    return found


def _adapter(context: Context, switch: SwitchNow) -> Adapter | None:
    """The adapter on the link of a switch."""
    adapters = (
        one for one in context.machine.adapters() if one.mac is not None and one.up and one.medium != "loopback"
    )
    return next((one for one in adapters if switch.row.address in one.onlink), None)


def _desk(context: Context, connection: Connection, switch: SwitchNow) -> Desk:
    """Where this service is connected on the link of a switch."""
    near = _adapter(context, switch)
    if near is None or near.mac is None:
        return Desk(None, on_link=False)
    mac = near.mac.value
    placed = Places(context, connection, None).of([mac])[mac]
    if placed is None or placed.grade is not Grade.ON or not placed.at.here or placed.others:
        return Desk(mac)
    return Desk(mac, placed.at.switch, placed.at.port)


def _sight(context: Context, connection: Connection, wiring: Wiring, desk: Desk, kept: Kept) -> Sight:
    switches = context.switches.switches
    ours = {
        key: frozenset(
            port.id for port in one.ports.values()
            if desk.mac is not None and (stay := port.stays.get(desk.mac)) is not None and stay.here
        )
        for key, one in switches.items()
    }  # fmt: skip
    called = {-key: wiring.called(f"s{key}") for key in switches}
    called |= {key: port.name for key, (_, port) in context.switches.by_port.items()}
    known = {mac for one in switches.values() for port in one.ports.values() for mac in port.stays}
    nowhere = {why for mac, why in kept.critical.items() if mac not in known and why != SERVICE}
    read = {key: one.row.learnt or 0 for key, one in switches.items()}
    return Sight(
        wiring.graph, wiring.routers, read, ours, kept.macs, called, nowhere, _contested(context), _switched(connection, read),
        kept.seen(context),
    )  # fmt: skip


def _switched(connection: Connection, read: Mapping[int, int]) -> frozenset[int]:
    """Ports that were told to be off, whether that was answered or not: what was read since tells of them itself."""
    rows = order_records.counted_as_off(connection, min(read.values(), default=0))
    late = (one for one in rows if one.state in order_records.OPEN or (one.said_at or 0) >= read.get(one.switch, 0))
    return frozenset(one.port for one in late)
