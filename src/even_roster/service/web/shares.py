"""Who gets how many of the service's places: a share for each address as long as nobody has signed in, then one for each sign-in.
Pure.

A stranger is a connection that has not signed in yet: also one that has said nothing so far, or is still agreeing on TLS. Those who
have signed in never make room for strangers.
"""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass, field
from ipaddress import ip_address
from typing import Generic, NamedTuple, TypeVar

C = TypeVar("C", bound=Hashable)
SETTLED_SECONDS = 1.0
"""A stranger that came later than so is given the time to say who it is, whoever else comes from its address."""
NEAR = 0.8
"""A limit is near when so much of it is used."""


@dataclass(frozen=True, slots=True)
class Limits:
    """How many there may be at once. `connections`: all together, what the process may open less what it needs itself. `strangers`:
    all together, each with up to 250 kB for an answer that it leaves; and of one address, ten browsers behind one router with
    room to spare. `signed_each`, `streams_each`, `requests_each`: of one sign-in, so that a program that went wrong leaves the
    others theirs. `body`: octets that a request may send which is no file."""

    connections: int = 8_192
    strangers: int = 128
    strangers_each: int = 64
    signed_each: int = 1_024
    streams: int = 4_096
    streams_each: int = 512
    requests_each: int = 128
    body: int = 1 << 20


class Came(NamedTuple, Generic[C]):
    """Whether a connection may stay, and which other one has to go for it."""

    stays: bool
    goes: C | None = None


def peer(host: str) -> str:
    """Whose share an address counts for: its own; of IPv6 the /64, of which each host has all addresses (RFC 6177)."""
    try:
        address = ip_address(host.partition("%")[0])
    except ValueError:
        return host
    if address.version == 4:
        return str(address)
    if address.ipv4_mapped is not None:
        return str(address.ipv4_mapped)
    return f"{ip_address(int(address) >> 64 << 64)}/64"


@dataclass(slots=True)
class Shares(Generic[C]):
    """The places of one service and who has them. Times are steady seconds."""

    limits: Limits
    _strangers: dict[str, dict[C, float]] = field(default_factory=dict)
    """By peer, each with when it came; the longest there first."""
    _signed: dict[str, set[C]] = field(default_factory=dict)
    _whose: dict[C, str] = field(default_factory=dict)
    """The peer of a stranger, the sign-in of the others."""
    _streams: dict[str, int] = field(default_factory=dict)
    _requests: dict[str, int] = field(default_factory=dict)
    refused: int = 0
    """How many connections, requests and streams found no place."""

    @property
    def connections(self) -> int:
        """How many there are."""
        return len(self._whose)

    @property
    def strangers(self) -> int:
        """How many have not signed in."""
        return sum(map(len, self._strangers.values()))

    @property
    def streams(self) -> int:
        """How many listen to events."""
        return sum(self._streams.values())

    def come(self, one: C, host: str, now: float) -> Came[C]:
        """A connection arrives."""
        whose = peer(host)
        goes: C | None = None
        mine = self._strangers.get(whose, {})
        if len(mine) >= self.limits.strangers_each:
            goes = self._settled(mine, now)
        elif self.strangers >= self.limits.strangers or self.connections >= self.limits.connections:
            most = max(self._strangers.values(), key=len, default={})
            goes = next(iter(most), None) if len(most) > len(mine) else self._settled(mine, now)
        else:
            self._enter(one, whose, now)
            return Came(True)
        if goes is None:
            self.refused += 1
            return Came(False)
        self.gone(goes)
        self._enter(one, whose, now)
        return Came(True, goes)

    def _settled(self, mine: dict[C, float], now: float) -> C | None:
        """The one of an address that has waited longest, if it has had its time."""
        first = next(iter(mine), None)
        return first if first is not None and now - mine[first] >= SETTLED_SECONDS else None

    def _enter(self, one: C, whose: str, now: float) -> None:
        self._strangers.setdefault(whose, {})[one] = now
        self._whose[one] = whose

    def signed(self, one: C, who: str) -> bool:
        """A connection has said who it is; False where that sign-in has as many as it may have."""
        before = self._whose.get(one)
        if before is None or one in self._signed.get(who, ()):
            return before is not None
        if len(self._signed.get(who, ())) >= self.limits.signed_each:
            self.refused += 1
            return False
        self.gone(one)
        self._signed.setdefault(who, set()).add(one)
        self._whose[one] = who
        return True

    def gone(self, one: C) -> None:
        """A connection has ended; one that has no place is none."""
        whose = self._whose.pop(one, None)
        if whose is None:
            return
        for places in (self._strangers, self._signed):
            there = places.get(whose)
            if there is None or one not in there:
                continue
            if isinstance(there, set):
                there.discard(one)
            else:
                del there[one]
            if not there:
                del places[whose]

    def begin(self, who: str) -> bool:
        """A request begins, of a sign-in or of an address; False where that has as many open as it may have."""
        return self._take(self._requests, who, self.limits.requests_each, None)

    def end(self, who: str) -> None:
        """A request that began is answered."""
        self._give(self._requests, who)

    def listen(self, who: str) -> bool:
        """A stream of events begins; False where there is no place for it."""
        return self._take(self._streams, who, self.limits.streams_each, self.limits.streams)

    def leave(self, who: str) -> None:
        """A stream that began has ended."""
        self._give(self._streams, who)

    def _take(self, places: dict[str, int], who: str, each: int, together: int | None) -> bool:
        if places.get(who, 0) >= each or (together is not None and sum(places.values()) >= together):
            self.refused += 1
            return False
        places[who] = places.get(who, 0) + 1
        return True

    def _give(self, places: dict[str, int], who: str) -> None:
        left = places[who] - 1
        if left:
            places[who] = left
        else:
            del places[who]

    def near(self) -> str:
        """Which limits are nearly reached, as a sentence; empty when none is."""
        used = (
            ("connections", self.connections, self.limits.connections),
            ("connections that have not signed in", self.strangers, self.limits.strangers),
            ("streams of events", self.streams, self.limits.streams),
        )  # fmt: skip
        return "; ".join(f"{count} of {most} {what} are taken" for what, count, most in used if count >= NEAR * most)
