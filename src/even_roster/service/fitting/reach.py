"""How a device is reached that is in a foreign subnet or has no address: what this machine can do, and what a person types on a
computer."""

from __future__ import annotations

from collections.abc import Iterator
from ipaddress import IPv4Address, IPv4Interface, IPv4Network

from sqlalchemy import Connection

from ...api.fitting import HandCommand, LentView, ReachView
from ...core.adapters import Adapter
from ...core.fitting import helping, lending
from ...core.fitting.progress import Means, Step
from ...core.fitting.words import Fitted
from ...core.mac import Mac
from ...store import device_queries
from ...store.rows import FittedRow
from .. import views
from ..context import Context
from .fitter import Fitter


def view(context: Context, fitter: Fitter, row: FittedRow, fitted: Fitted, step: Step) -> ReachView | None:
    """How a device is reached; None where it is reached as it is, or is not to be."""
    answering = row.id in fitter.answers.running
    lent = fitter.lending.lent.get(row.id)
    far = step in (Step.REACH, Step.TYPE) and not fitted.near
    if not far and not answering and lent is None:
        return None
    progress = fitted.progress
    asks = progress.heard is not None and progress.heard.means in (Means.DHCP, Means.BOOTP)
    own = helping.given(progress, fitted.target, fitted.kind, _planned(context)) if far else None
    return ReachView(
        lent=LentView(adapter=lent.adapter, address=str(lent.own), until=views.time_of(lent.until)) if lent else None,
        lend_refused=fitter.lending.why_not(progress, fitted.kind) if far else "it is reached already",
        answering=answering, answer_said=fitter.answers.said(row.id),
        answer_refused=fitter.answers.why_not(progress, fitted.target) if asks else "it does not ask for an address",
        bootp=progress.heard is not None and progress.heard.means is Means.BOOTP,
        address=str(own.ip) if own else None, mask=str(own.netmask) if own else None,
        commands=list(_commands(own, progress.found.adapter)) if own is not None and progress.found else [],
    )  # fmt: skip


def _commands(own: IPv4Interface, adapter: str) -> Iterator[HandCommand]:
    yield HandCommand(
        system="Linux", do=f"sudo ip addr add {own} dev {adapter}", undo=f"sudo ip addr del {own} dev {adapter}"
    )
    yield HandCommand(
        system="Windows, as administrator", do=f'netsh interface ipv4 add address "Ethernet" {own.ip} {own.netmask}',
        undo=f'netsh interface ipv4 delete address "Ethernet" {own.ip}',
    )  # fmt: skip
    yield HandCommand(
        system="macOS", do=f"sudo ifconfig en0 alias {own.ip} {own.netmask}", undo=f"sudo ifconfig en0 -alias {own.ip}"
    )


def remind(context: Context, connection: Connection, fitted: Fitted) -> str:
    """What is still to be put back: an address that this machine, or a person's computer, was given to reach a device that is
    reached otherwise by now."""
    progress = fitted.progress
    if progress.seen is None:
        return ""
    planned = _planned(context)
    for old in progress.olds:
        network = lending.foreign_subnet(old, fitted.kind)
        if any(network.overlaps(one) for one in planned):
            continue
        for adapter, one in _addresses(context.machine.adapters()):
            if one.ip in network and one.ip != IPv4Address(old):
                return f"{one.ip} is still on {adapter}; put it back: sudo ip addr del {one} dev {adapter}"
    given = helping.given(progress, fitted.target, fitted.kind, planned)
    if progress.helper is None or given is None:
        return ""
    identity = device_queries.device_of_mac(connection, progress.helper)
    device = device_queries.one(connection, identity) if identity is not None else None
    who = (
        f"{device.called} ({Mac(progress.helper)})"
        if device is not None and device.called
        else str(Mac(progress.helper))
    )
    return f"{who} still has {given.ip}, which was to reach it; put that back"


def _planned(context: Context) -> list[IPv4Network]:
    return [one.network for one in context.plan.plan.subnets_of(context.plan.site_here)]


def _addresses(adapters: list[Adapter]) -> Iterator[tuple[str, IPv4Interface]]:
    for adapter in adapters:
        for one in adapter.addresses:
            yield adapter.name, one
