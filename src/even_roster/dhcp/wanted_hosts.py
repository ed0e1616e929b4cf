"""Reservations that are wanted in a file of hosts, beside those that stand in it already. No I/O."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from ipaddress import IPv4Address, IPv4Network

from ..core.dhcp import Reservation, Scope, key_of
from ..core.mac import MacNumber

NOWHERE = IPv4Network("0.0.0.0/32")
"""The subnet of entries that lie in none that is planned."""


class WantedHosts:
    """What is wanted of a file, by subnet and MAC: a device may be reserved an address in each of several subnets."""

    def __init__(self, wanted: Sequence[Scope], owned: Mapping[str, frozenset[str]]) -> None:
        self._new = {(scope.network, one.mac): one for scope in wanted for one in scope.reservations}
        self._mine = {key for keys in owned.values() for key in keys}
        self._networks = [*dict.fromkeys([*(scope.network for scope in wanted), *map(IPv4Network, owned)])]
        self._done: set[tuple[IPv4Network, MacNumber]] = set()

    def _where(self, one: Reservation) -> tuple[IPv4Network, MacNumber]:
        return next((network for network in self._networks if IPv4Address(one.address) in network), NOWHERE), one.mac

    def is_ours(self, one: Reservation) -> bool:
        """True for an entry that the plan wrote or adopted."""
        return key_of(one) in self._mine

    def stands_elsewhere(self, one: Reservation) -> None:
        """An entry of another file, which is not entered twice."""
        self._done.add(self._where(one))

    def in_place_of(self, one: Reservation) -> Reservation | None:
        """What is wanted where an entry stands; from now on that is entered."""
        target = self._new.get(self._where(one))
        if target is not None:
            self._done.add(self._where(one))
        return target

    def missing(self) -> list[Reservation]:
        """What has still to be entered."""
        return [one for at, one in self._new.items() if at not in self._done]


def line_end(text: str) -> str:
    """How the lines of a text end."""
    return "\r\n" if text.partition("\n")[0].endswith("\r") else "\n"
