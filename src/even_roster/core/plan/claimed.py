"""Where the plan gives an address that a DHCP server holds for somebody else. Pure.

Entries that the plan itself published are no claim against it: publishing changes or removes them.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator

from ..address import dotted
from ..holdings import Claim, Claims, Part
from ..mac import Mac
from .checks import Problem, Severity
from .model import Assignment, AssignmentKind, Plan

IsOurs = Callable[[Claim], bool]


def problems(plan: Plan, items: Iterable[Assignment], claims: Claims, is_ours: IsOurs) -> Iterator[Problem]:
    """What some assignments of one site have against them at its DHCP servers."""
    for item in items:
        if item.on:
            yield from _held_for_others(item, claims, is_ours)
            yield from _held_elsewhere(plan, item, claims, is_ours)


def _held_for_others(item: Assignment, claims: Claims, is_ours: IsOurs) -> Iterator[Problem]:
    """The address is reserved for somebody else, by whatever identifier."""
    for claim in claims.reserved(item.address):
        held = claim.holding
        if held.part is Part.EXCLUDED and item.kind is AssignmentKind.RESERVED:
            yield Problem(
                "excluded at the server", Severity.REFUSED,
                f"{claim.server_name} excludes {dotted(item.address)} ({held.place})",
                "choose another address, or take the exclusion out there", _about(item),
            )  # fmt: skip
        if held.part is not Part.RESERVATION or is_ours(claim) or item.mac in held.macs:
            continue
        reserved = item.kind is AssignmentKind.RESERVED
        yield Problem(
            "reserved otherwise", Severity.REFUSED if reserved else Severity.MISTAKE,
            f"{claim.server_name} reserves {dotted(item.address)} for {held.whom or 'somebody'} ({held.place}), "
            f"the plan has it for {item.title}",
            "choose another address, or take the entry out there", _about(item),
        )  # fmt: skip


def _held_elsewhere(plan: Plan, item: Assignment, claims: Claims, is_ours: IsOurs) -> Iterator[Problem]:
    """The device is reserved another address of the same subnet already."""
    if (
        item.mac is None
        or item.kind is not AssignmentKind.RESERVED
        or (subnet := plan.subnets.get(item.subnet)) is None
    ):
        return
    for claim in claims.by_mac.get(item.mac, ()):
        address = claim.holding.first
        if address is None or address == item.address or not subnet.first <= address <= subnet.last or is_ours(claim):
            continue
        other = plan.at(item.site, address)
        if other is not None and other.mac == item.mac:
            continue  # the plan says so twice, which is told as that
        yield Problem(
            "reserved otherwise", Severity.REFUSED,
            f"{claim.server_name} reserves {dotted(address)} for {Mac(item.mac)} already ({claim.holding.place}), "
            f"the plan has {dotted(item.address)}",
            "adopt the server's entry and move it, or take it out there", _about(item),
        )  # fmt: skip


def _about(item: Assignment) -> tuple[tuple[str, str], ...]:
    return (("address", dotted(item.address)),)
