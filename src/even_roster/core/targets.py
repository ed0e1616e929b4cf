"""Decides whether a range may be scanned: how large, how long, whether anybody must confirm, and why not.

Pure; the service asks it before a scan and the console while a person types.
"""

from __future__ import annotations

from dataclasses import dataclass
from ipaddress import IPv4Network

from .address import address_of
from .measure import kind_of
from .ranges import parse
from .span import SpanSet

CONFIRM_OVER = 4_096
REFUSE_OVER = 1_048_576
ROUND_WAIT = 0.5


class TargetError(ValueError):
    """A range may not be scanned; `code` is 'too_large', 'needs_confirm', 'public' or 'not_scannable'."""

    def __init__(self, code: str, sentence: str) -> None:
        self.code = code
        super().__init__(sentence)


@dataclass(frozen=True, slots=True)
class Size:
    """How much work a scan is: addresses, most probes it may send, and seconds it may take at its pace."""

    addresses: int
    most_probes: int
    seconds: float


def size_up(addresses: int, pace: float, rounds: int) -> Size:
    """The upper bound of a sweep that nobody answers: every address asked in every round."""
    probes = addresses * rounds
    return Size(addresses, probes, probes / pace + rounds * ROUND_WAIT)


def scannable(spans: SpanSet, onlink: list[IPv4Network]) -> SpanSet:
    """The addresses of a range that can be a host's: network and broadcast addresses of own subnets left out."""
    never: list[tuple[int, int]] = []
    for network in onlink:
        if network.prefixlen < 31:
            edges = (address_of(network.network_address), address_of(network.broadcast_address))
            never += [(edge, edge) for edge in edges]
    return spans - SpanSet(tuple(sorted(never)))


def asked(targets: str, subnet: str) -> SpanSet:
    """The addresses that a recorded scan of `targets` from a segment asked."""
    return scannable(parse(targets), [IPv4Network(subnet)])


def check(spans: SpanSet, written: str, *, pace: float, rounds: int, confirmed: bool, known: SpanSet) -> Size:
    """Let a range pass, or raise TargetError with the one sentence why not. `known` are subnets in the roster,
    `written` is the range as people read it."""
    size = size_up(len(spans), pace, rounds)
    said = f"{size.addresses:,} addresses, about {duration(size.seconds)} at {pace:,.0f} probes a second"
    if size.addresses > REFUSE_OVER:
        raise TargetError(
            "too_large",
            f"{written} is {said}: too large to scan at once; scan parts of at most {REFUSE_OVER:,} addresses",
        )
    for span in spans.spans:
        kind = kind_of(SpanSet.of([span]))
        if kind in ("multicast", "reserved", "loopback"):
            raise TargetError(
                "not_scannable", f"{span} is {kind}: no device of a site has such an address; scan a subnet"
            )
        if kind in ("public", "mixed", "documentation") and not known.covers(SpanSet.of([span])):
            raise TargetError(
                "public",
                f"{span} is not private address space and no subnet of the roster covers it; "
                "scan a private range, or one this machine stands in",
            )
    if size.addresses > CONFIRM_OVER and not confirmed:
        raise TargetError("needs_confirm", f"{written} is {said}; confirm the scan to start it (--confirm)")
    return size


def duration(seconds: float) -> str:
    """A length of time for people: '40 s', '3 min', '2 h 5 min', '1 day 6 h'."""
    if seconds < 90:
        return f"{max(1, round(seconds))} s"
    minutes = round(seconds / 60)
    if minutes < 90:
        return f"{minutes} min"
    hours, minutes = divmod(minutes, 60)
    if hours < 36:
        return f"{hours} h {minutes} min" if minutes else f"{hours} h"
    days, hours = divmod(hours, 24)
    return f"{days} days {hours} h" if hours else f"{days} days"
