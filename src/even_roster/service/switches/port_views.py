"""Puts together what the API tells of switches, ports and where somebody is plugged in."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, cast

from sqlalchemy import Connection, func, select

from ...api.switches import (
    CredentialRef,
    KeptBehind,
    KeptPort,
    LackView,
    PortNeighbour,
    SwitchRef,
    SwitchView,
)
from ...core.address import dotted
from ...core.switches.port_stays import PortStay
from ...core.switches.reading import Neighbour
from ...core.switches.sentences import port_said, switch_said, together
from ...store import change_queries, switch_records
from ...store.switch_tables import credentials, port_stays
from ..context import Context
from ..knowing.switch_now import SwitchNow
from ..views import device_ref, mac_view, maybe_time, time_of
from . import picture, switch_edits
from .picture import Names, PortThen
from .switch_reader import HOUR_MS, SwitchReader

SHOWN = 8
NAMED = 3


def neighbour_view(one: Neighbour) -> PortNeighbour:
    """Who announces itself at a port."""
    return PortNeighbour(
        name=one.name, chassis=one.chassis, port=one.port, port_text=one.port_text, text=one.text,
        capabilities=list(one.capabilities), address=one.address,
    )  # fmt: skip


def switch_view(
    context: Context, connection: Connection, reader: SwitchReader, one: SwitchNow, names: Names
) -> SwitchView:
    """A switch that is read."""
    row, told = one.row, one.told
    device, called = names.switch(one)
    ports = [port for port in one.ports.values() if port.there and port.state is not None]
    up = [port for port in ports if port.state is not None and port.state.up]
    uplinks = [port for port in ports if port.state is not None and port.state.uplink]
    edges = sum(len(port.here) for port in ports if port not in uplinks)
    behind = {stay.mac for port in ports for stay in port.here}
    credential = connection.execute(
        select(credentials.c.id, credentials.c.name).where(credentials.c.id == row.credential)
    ).first()  # fmt: skip
    ticks = told.get("up_ticks")
    return SwitchView(
        id=row.id, version=switch_edits.version_of(connection, switch_edits.SWITCH, row.id), name=called,
        address=dotted(row.address), device=device,
        credential=CredentialRef(id=credential.id, name=credential.name) if credential is not None else None,
        every_seconds=row.every_seconds, on=row.on, reading=row.id in reader.reading, asked_at=maybe_time(row.asked),
        read_at=maybe_time(row.read), refused_until=maybe_time(row.refused + HOUR_MS if row.refused is not None else None),
        trouble=row.trouble, text=told.get("text", ""), contact=told.get("contact", ""), place=told.get("place", ""),
        model=told.get("model", ""), serial=told.get("serial", ""), firmware=told.get("firmware", ""),
        up_seconds=ticks // 100 if ticks is not None else None, port_count=len(ports), up_count=len(up),
        uplink_count=len(uplinks), behind_count=len(behind),
        said=switch_said(
            len(ports), len(up), len(uplinks), edges, told.get("pairs", 0), bridge=told.get("bridge", True)
        ),
        missing=[LackView(what=what, why=why) for what, why in told.get("lacks", [])],
    )  # fmt: skip


def ports(
    context: Context, connection: Connection, names: Names, wanted: Sequence[tuple[SwitchNow, PortThen]], *, whole: bool = False
) -> list[KeptPort]:  # fmt: skip
    """Some ports as they are or were; `whole` with all who are behind them."""
    most = 1 << 30 if whole else SHOWN
    names.learn({stay.mac for _, one in wanted for stay in picture.first_behind(one, most)})
    empty = [one.port.id for _, one in wanted if not one.behind]
    last = _last_there(connection, empty)
    versions = change_queries.last_of_all(connection, switch_edits.PORT)
    return [_port(context, names, switch, one, most, last, versions) for switch, one in wanted]


def _port(
    context: Context, names: Names, switch: SwitchNow, one: PortThen, most: int, last: Mapping[int, int],
    versions: Mapping[int, int],
) -> KeptPort:  # fmt: skip
    port, state, words = one.port, one.state, one.port.words
    shown = sorted(
        picture.first_behind(one, most), key=lambda stay: (names.device(stay.mac) is None, names.said(stay.mac))
    )
    leads = picture.leads_to(switch, one, names, context.switches.owners) if state is not None and state.uplink else ""
    hang = together([stay.mac for stay in one.behind], state)
    return KeptPort(
        id=port.id, version=versions.get(port.id, 0),
        switch=SwitchRef(id=switch.row.id, name=names.switch(switch)[1]), name=port.name, place=port.place, there=port.there,
        alias=state.alias if state is not None else "", notes=words.note, mark=cast(Any, words.mark or None),
        disagrees=_disagree(words.note, state.alias if state is not None else ""),
        wanted=state.wanted if state is not None else "unknown", link=state.link if state is not None else "unknown",
        speed=state.speed if state is not None else None, duplex=state.duplex if state is not None else "",
        vlan=state.vlan if state is not None else None, vlans=list(state.tagged) if state is not None else [],
        tree=state.tree if state is not None else "", bundle=state.bundle if state is not None else "",
        power=state.power if state is not None else "", since=maybe_time(one.since),
        at_least=one.since is not None and one.since == switch.begun,
        uplink=state is not None and state.uplink, uplink_word=words.uplink,
        reasons=[reason.said for reason in port.verdict.reasons],
        neighbours=[neighbour_view(around) for around in state.neighbours] if state is not None else [],
        behind_count=len(one.behind), behind=[behind_view(context, names, switch, stay) for stay in shown], together=hang,
        last_seen=maybe_time(last.get(port.id)) if not one.behind else None,
        said=port_said(
            state, [names.said(stay.mac) for stay in shown[:NAMED]], len(one.behind), leads, words.mark,
            bridge=switch.told.get("bridge", True),
        ),
    )  # fmt: skip


def behind_view(context: Context, names: Names, switch: SwitchNow, stay: PortStay) -> KeptBehind:
    """Who is or was behind a port."""
    row = names.device(stay.mac)
    return KeptBehind(
        **dict(mac_view(stay.mac, context.vendors)), device=device_ref(row) if row is not None else None,
        vlans=list(stay.vlans), address=names.address(stay.mac), first_seen=time_of(stay.first), last_seen=time_of(stay.last),
        at_least=stay.first == switch.begun, here=stay.here,
    )  # fmt: skip


def _disagree(note: str, alias: str) -> bool:
    """Whether people and the switch say different things of a port."""
    return bool(note.strip() and alias.strip()) and note.strip().casefold() != alias.strip().casefold()


def _last_there(connection: Connection, ports: Sequence[int]) -> dict[int, int]:
    """When anybody was behind some ports last."""
    if not ports:
        return {}
    query = (
        select(port_stays.c.port, func.max(port_stays.c.last))
        .where(port_stays.c.port.in_(list(ports)))
        .group_by(port_stays.c.port)
    )
    return {row[0]: row[1] for row in connection.execute(query) if row[1] is not None}


def stay_of(row: switch_records.StayRow, learnt: int | None) -> PortStay:
    """A row as a stay: what stands in the latest reading was there when that was made."""
    last = row.last if row.last is not None else learnt or row.first
    return PortStay(row.port, row.mac, row.in_vlans, row.first, last, row.last is None)
