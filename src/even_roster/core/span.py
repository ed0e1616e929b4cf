"""Spans of IPv4 addresses and sets of them, by interval arithmetic.

A set is a sorted tuple of disjoint, non-touching spans, so every operation costs time in the number of spans
and none in the number of addresses: a /8 is as cheap as a /24. Nothing here enumerates a range
except `SpanSet.addresses`, which is lazy.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from ipaddress import IPv4Address, IPv4Network, summarize_address_range

from .address import address_of


@dataclass(frozen=True, slots=True, order=True)
class Span:
    """An inclusive stretch of IPv4 addresses, first <= last."""

    first: IPv4Address
    last: IPv4Address

    def __post_init__(self) -> None:
        if self.last < self.first:
            raise ValueError(f"a span runs upwards: {self.first} comes after {self.last}")

    @classmethod
    def of_network(cls, network: IPv4Network) -> Span:
        """The whole network, its network and broadcast address included."""
        return cls(network.network_address, network.broadcast_address)

    @classmethod
    def of_ints(cls, first: int, last: int) -> Span:
        """Both ends as 32-bit integers."""
        return cls(IPv4Address(first), IPv4Address(last))

    def __len__(self) -> int:
        return int(self.last) - int(self.first) + 1

    def __contains__(self, address: object) -> bool:
        return isinstance(address, IPv4Address) and self.first <= address <= self.last

    def __str__(self) -> str:
        if self.first == self.last:
            return str(self.first)
        blocks = list(summarize_address_range(self.first, self.last)) if len(self) & (len(self) - 1) == 0 else []
        if len(blocks) == 1:
            return str(blocks[0])
        return f"{self.first}-{self.last}"


@dataclass(frozen=True, slots=True)
class SpanSet:
    """An immutable set of addresses; `pairs` are (first, last) integers, sorted, disjoint, not touching."""

    pairs: tuple[tuple[int, int], ...] = ()

    @classmethod
    def of(cls, spans: Iterable[Span | IPv4Network | IPv4Address]) -> SpanSet:
        """The union of the given spans, networks and single addresses."""
        return cls._normal(_ends(span) for span in spans)

    @classmethod
    def _normal(cls, pairs: Iterable[tuple[int, int]]) -> SpanSet:
        merged: list[tuple[int, int]] = []
        for first, last in sorted(pairs):
            if merged and first <= merged[-1][1] + 1:
                if last > merged[-1][1]:
                    merged[-1] = (merged[-1][0], last)
            else:
                merged.append((first, last))
        return cls(tuple(merged))

    def __or__(self, other: SpanSet) -> SpanSet:
        return self._normal((*self.pairs, *other.pairs))

    def __and__(self, other: SpanSet) -> SpanSet:
        kept: list[tuple[int, int]] = []
        i = j = 0
        while i < len(self.pairs) and j < len(other.pairs):
            first = max(self.pairs[i][0], other.pairs[j][0])
            last = min(self.pairs[i][1], other.pairs[j][1])
            if first <= last:
                kept.append((first, last))
            if self.pairs[i][1] < other.pairs[j][1]:
                i += 1
            else:
                j += 1
        return SpanSet(tuple(kept))

    def __sub__(self, other: SpanSet) -> SpanSet:
        kept: list[tuple[int, int]] = []
        j = 0
        for first, last in self.pairs:
            while j < len(other.pairs) and other.pairs[j][1] < first:
                j += 1
            k = j
            while k < len(other.pairs) and other.pairs[k][0] <= last:
                if other.pairs[k][0] > first:
                    kept.append((first, other.pairs[k][0] - 1))
                first = other.pairs[k][1] + 1
                k += 1
            if first <= last:
                kept.append((first, last))
        return SpanSet(tuple(kept))

    def __len__(self) -> int:
        return sum(last - first + 1 for first, last in self.pairs)

    def __bool__(self) -> bool:
        return bool(self.pairs)

    def __contains__(self, address: object) -> bool:
        if isinstance(address, IPv4Address):
            address = int(address)
        return isinstance(address, int) and self.index(address) is not None

    def index(self, address: int) -> int | None:
        """The place of an address among all addresses of the set, from 0; None if it is not in the set.

        Linear in the number of spans; `Positions` answers many such questions faster.
        """
        before = 0
        for first, last in self.pairs:
            if address < first:
                return None
            if address <= last:
                return before + address - first
            before += last - first + 1
        return None

    def covers(self, other: SpanSet) -> bool:
        """True when every address of `other` is in this set."""
        return not other - self

    @property
    def spans(self) -> tuple[Span, ...]:
        """The set as spans, in order."""
        return tuple(Span.of_ints(first, last) for first, last in self.pairs)

    def networks(self) -> Iterator[IPv4Network]:
        """The fewest networks (RFC 4632) that cover exactly this set, in order."""
        for span in self.spans:
            yield from summarize_address_range(span.first, span.last)

    def addresses(self) -> Iterator[IPv4Address]:
        """Every address in order, lazily. For small sets only: nothing that answers a question may use it."""
        for first, last in self.pairs:
            for value in range(first, last + 1):
                yield IPv4Address(value)

    def __str__(self) -> str:
        return ", ".join(str(span) for span in self.spans) or "nothing"


class Positions:
    """Maps addresses of a set to 0..n-1 and back in O(log spans); built once, for engines with flat arrays."""

    def __init__(self, spans: SpanSet) -> None:
        self._firsts = [first for first, _ in spans.pairs]
        self._lasts = [last for _, last in spans.pairs]
        self._before: list[int] = []
        total = 0
        for first, last in spans.pairs:
            self._before.append(total)
            total += last - first + 1
        self.total = total

    def index(self, address: int) -> int:
        """The position of an address, or -1 when it is not in the set."""
        at = bisect_right(self._firsts, address) - 1
        if at < 0 or address > self._lasts[at]:
            return -1
        return self._before[at] + address - self._firsts[at]

    def address(self, index: int) -> int:
        """The address at a position, 0 <= index < total."""
        at = bisect_right(self._before, index) - 1
        return self._firsts[at] + index - self._before[at]


def usable(network: IPv4Network) -> Span:
    """The addresses a host may have: network and broadcast left out, but all of a /31 (RFC 3021) and a /32."""
    if network.prefixlen >= 31:
        return Span.of_network(network)
    return Span.of_ints(address_of(network.network_address) + 1, address_of(network.broadcast_address) - 1)


def _ends(span: Span | IPv4Network | IPv4Address) -> tuple[int, int]:
    if isinstance(span, Span):
        return int(span.first), int(span.last)
    if isinstance(span, IPv4Network):
        return address_of(span.network_address), address_of(span.broadcast_address)
    return int(span), int(span)
