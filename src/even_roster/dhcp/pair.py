"""Two servers that stand in for each other (Kea's high availability, any kind's failover), treated as one. Blocks; in a thread.

Both have the same subnets and are always told the same: checked by both before either is written, and where one cannot be written
the other gets back what it had. Leases are those that either tells, so one that is away takes nothing with it.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from ipaddress import IPv4Network
from typing import TypeVar

from ..core.address import Address
from ..core.dhcp import Scope, ScopeThere
from ..core.holdings import Holding, Part
from ..core.plan.following import Lease
from .server import READ_BACK, DhcpServer, Owned, Rendered, Seen, ServerTrouble, Texts, There

_BETWEEN = ": "
T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class PairServer:
    """Two servers, each with what the host calls it."""

    first: DhcpServer
    second: DhcpServer
    names: tuple[str, str]
    verified = READ_BACK

    @property
    def pools_by_hand(self) -> bool:
        """See DhcpServer.pools_by_hand."""
        return self.first.pools_by_hand

    @property
    def reserves_in_pools(self) -> bool:
        """See DhcpServer.reserves_in_pools."""
        return self.first.reserves_in_pools

    @property
    def tells_leases(self) -> bool:
        """See DhcpServer.tells_leases."""
        return self.first.tells_leases

    @property
    def ends_leases(self) -> bool:
        """See DhcpServer.ends_leases."""
        return self.first.ends_leases and self.second.ends_leases

    @property
    def tells_anew(self) -> bool:
        """See DhcpServer.tells_anew."""
        return self.first.tells_anew or self.second.tells_anew

    def read(self, owned: Owned, hints: Sequence[IPv4Network]) -> There:
        """See DhcpServer.read. Raises ServerTrouble also when the two differ in what they hand out."""
        both = self._both(lambda server: server.read(owned, hints))
        known = {one.scope.network: _meaning(one.scope) for one in both[1].scopes}
        for one in both[0].scopes:
            if known.pop(one.scope.network, None) != _meaning(one.scope):
                raise self._differ(one.scope.network)
        if known:
            raise self._differ(next(iter(known)))
        running = [one.running for one in both]
        other = both[0].other_roster or both[1].other_roster
        texts = self._joined(both[0].texts, both[1].texts)
        return There(texts, both[0].scopes, running, other, self._joined(both[0].seen, both[1].seen))

    def _differ(self, network: IPv4Network) -> ServerTrouble:
        return ServerTrouble(
            f"{self.names[0]} and {self.names[1]} stand in for each other, but differ in {network}: "
            "bring one's configuration over to the other first"
        )

    def _both(self, what: Callable[[DhcpServer], T]) -> tuple[T, T]:
        """Do something with both; trouble tells with which."""
        return self._do(0, what), self._do(1, what)

    def _do(self, number: int, what: Callable[[DhcpServer], T]) -> T:
        try:
            return what(self.second if number else self.first)
        except ServerTrouble as error:
            raise type(error)(f"{self.names[number]}: {error}") from error

    def _joined(self, one: Mapping[str, str], two: Mapping[str, str]) -> dict[str, str]:
        """The texts of both in one, each under its server's name."""
        return {
            f"{name}{_BETWEEN}{path}": text
            for name, texts in zip(self.names, (one, two), strict=True)
            for path, text in texts.items()
        }

    def _texts(self, number: int, texts: Mapping[str, str]) -> dict[str, str]:
        begin = f"{self.names[number]}{_BETWEEN}"
        return {path.removeprefix(begin): text for path, text in texts.items() if path.startswith(begin)}

    def _there(self, number: int, there: There) -> There:
        return replace(
            there, texts=self._texts(number, there.texts), running=there.running[number],
            seen=self._texts(number, there.seen),
        )  # fmt: skip

    def as_seen(self, seen: Seen) -> bool:
        """See DhcpServer.as_seen."""
        return self.first.as_seen(self._texts(0, seen)) and self.second.as_seen(self._texts(1, seen))

    def understand(self, texts: Texts, owned: Owned, hints: Sequence[IPv4Network]) -> tuple[ScopeThere, ...]:
        """See DhcpServer.understand."""
        return self.first.understand(self._texts(0, texts), owned, hints)

    def render(self, there: There, scopes: Sequence[Scope], owned: Owned) -> Rendered:
        """See DhcpServer.render."""
        one, two = (
            server.render(self._there(number, there), scopes, owned)
            for number, server in enumerate((self.first, self.second))
        )
        by_hand = tuple(
            f"{name}: {said}" for name, done in zip(self.names, (one, two), strict=True) for said in done.by_hand
        )
        return Rendered(self._joined(one.texts, two.texts), by_hand)

    def beyond(self, there: There, after: Texts, back: There) -> list[str]:
        """See DhcpServer.beyond."""
        return [
            f"{self.names[number]}: {said}"
            for number, server in enumerate((self.first, self.second))
            for said in server.beyond(self._there(number, there), self._texts(number, after), self._there(number, back))
        ]

    def check(self, texts: Texts) -> str:
        """See DhcpServer.check: by both, before either is written."""
        first = self._do(0, lambda server: server.check(self._texts(0, texts)))
        return _once(first, self._do(1, lambda server: server.check(self._texts(1, texts))))

    def write(self, before: Texts, after: Texts) -> str:
        """See DhcpServer.write: one after the other; where the second cannot be written, the first gets back what it had."""
        first = self._do(0, lambda server: server.write(self._texts(0, before), self._texts(0, after)))
        try:
            second = self._do(1, lambda server: server.write(self._texts(1, before), self._texts(1, after)))
        except ServerTrouble as error:
            told = self.first.restore(self._texts(0, before), self._texts(0, after))
            raise type(error)(f"{error}; {self.names[0]}: {told}") from error
        return _once(first, second)

    def restore(self, before: Texts, after: Texts) -> str:
        """See DhcpServer.restore."""
        told = []
        for number, server in enumerate((self.first, self.second)):
            try:
                said = server.restore(self._texts(number, before), self._texts(number, after))
            except ServerTrouble as error:
                said = f"what it had could not be brought back ({error})"
            told.append(f"{self.names[number]}: {said}")
        return "; ".join(told)

    def holdings(self, networks: Sequence[IPv4Network], there: There | None = None) -> list[Holding]:
        """See DhcpServer.holdings: those of the first, and of the second what the first has not."""
        one, two = (
            [
                replace(held, place=replace(held.place, source=f"{self.names[number]}{_BETWEEN}{held.place.source}"))
                for held in server.holdings(networks, self._there(number, there) if there is not None else None)
            ]
            for number, server in enumerate((self.first, self.second))
        )
        known = {(held.part, held.text, held.within) for held in one}
        about = (Part.POOL, Part.RESERVATION, Part.SUBNET, Part.UNKNOWN)
        return one + [held for held in two if held.part in about and (held.part, held.text, held.within) not in known]

    def end_lease(self, address: Address) -> None:
        """See DhcpServer.end_lease: at both, for either would give it back to the other."""
        self._both(lambda server: server.end_lease(address))

    def leases(self) -> list[Lease]:
        """See DhcpServer.leases: what either tells; of one address what runs longest."""
        found: dict[Address, Lease] = {}
        troubles = []
        for number in (0, 1):
            try:
                told = self._do(number, lambda server: server.leases())
            except ServerTrouble as error:
                troubles.append(error)
                continue
            for lease in told:
                before = found.get(lease.address)
                if before is None or _end(lease) > _end(before):
                    found[lease.address] = lease
        if len(troubles) == 2:
            raise troubles[0]
        return list(found.values())


def _meaning(scope: Scope) -> tuple[object, ...]:
    return set(scope.pools), scope.options, set(scope.reservations)


def _end(lease: Lease) -> float:
    return float("inf") if lease.expires is None else lease.expires


def _once(one: str, two: str) -> str:
    return f"both {one}" if one == two else f"{one}; {two}"
