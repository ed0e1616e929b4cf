"""A simulated DHCP server: messages in, messages out (RFC 2131), with a control door in our open JSON form.

It serves its own VLAN and, as if by a relay (RFC 1542), every other VLAN it has a subnet for. Leases are kept in memory; its
clock is the site's.
"""

from __future__ import annotations

import itertools
import json
from collections.abc import Callable
from contextlib import AbstractContextManager
from dataclasses import dataclass
from ipaddress import IPv4Address, IPv4Network
from typing import Any

from ..core.address import dotted
from ..core.dhcp import Reservation, Scope
from ..core.dhcp_export import FormatError, from_json, to_json
from ..core.mac import Mac
from ..core.text import clean
from ..wire import dhcp
from ..wire.dhcp import Kind, Message, Option

USUAL_SECONDS = 8 * 3600
_OFFER_SECONDS = 60.0


@dataclass(slots=True)
class _Lease:
    mac: Mac
    name: str
    since: float
    until: float
    offered: bool


class StandinDhcp:
    """One server. `clock` gives the site's seconds, `epoch` the UTC seconds at its zero; who controls it waits for their `turn`."""

    def __init__(
        self, name: str, address: IPv4Address, scopes: list[Scope], clock: Callable[[], float], epoch: float,
        turn: AbstractContextManager[Any],
    ) -> None:  # fmt: skip
        self.name, self.address = name, address
        self._scopes = {scope.network: scope for scope in scopes}
        self._clock, self._epoch, self._turn = clock, epoch, turn
        self._leases: dict[int, _Lease] = {}
        self._held: dict[Mac, dict[int, None]] = {}

    def answer(self, message: Message, network: IPv4Network) -> Message | None:
        """The server's word on a client's message from one subnet; None when it has none (RFC 2131 4.3)."""
        scope = self._scopes.get(network)
        if scope is None or message.reply:
            return None
        if message.kind is Kind.DISCOVER:
            return self._offer(message, scope)
        if message.kind is Kind.REQUEST:
            return self._request(message, scope)
        if message.kind is Kind.RELEASE:
            lease = self._leases.get(int(message.client))
            if lease is not None and lease.mac == message.mac:
                self._take_back(int(message.client))
        elif message.kind is Kind.INFORM:
            return self._reply(message, Kind.ACK, dhcp.NOBODY, scope, 0)
        return None

    def _offer(self, message: Message, scope: Scope) -> Message | None:
        address = self._choose(message, scope)
        if address is None:
            return None
        held = self._leases.get(address)
        if held is None or held.until <= self._clock():
            now = self._clock()
            self._lend(address, _Lease(message.mac, "", now, now + _OFFER_SECONDS, True))
        return self._reply(message, Kind.OFFER, IPv4Address(address), scope, _seconds(scope))

    def _request(self, message: Message, scope: Scope) -> Message | None:
        chosen = message.address(Option.SERVER)
        if chosen is not None and chosen != self.address:
            return None
        wanted = message.address(Option.ADDRESS) or message.client
        address = int(wanted)
        reserved = _reserved(scope, message.mac)
        if not self._may_have(address, message.mac, scope, reserved):
            return self._reply(message, Kind.NAK, dhcp.NOBODY, scope, 0)
        for other in list(self._held.get(message.mac, ())):
            if other != address and IPv4Address(other) in scope.network:
                self._take_back(other)
        now = self._clock()
        seconds = _seconds(scope)
        name = reserved.name if reserved is not None and reserved.name else clean(message.text(Option.HOSTNAME), 63)
        self._lend(address, _Lease(message.mac, name, now, now + seconds, False))
        return self._reply(message, Kind.ACK, wanted, scope, seconds)

    def _choose(self, message: Message, scope: Scope) -> int | None:
        """RFC 2131 4.3.1: the reserved address, the one it has, the one it asks for, else the first free one."""
        reserved = _reserved(scope, message.mac)
        if reserved is not None:
            return reserved.address if self._may_have(reserved.address, message.mac, scope, reserved) else None
        for address in self._held.get(message.mac, ()):
            if IPv4Address(address) in scope.network:
                return address
        asked = message.address(Option.ADDRESS)
        if asked is not None and self._may_have(int(asked), message.mac, scope, None):
            return int(asked)
        for pool in scope.pools:
            for address in range(pool.first, pool.last + 1):
                if self._may_have(address, message.mac, scope, None):
                    return address
        return None

    def _lend(self, address: int, lease: _Lease) -> None:
        self._take_back(address)
        self._leases[address] = lease
        self._held.setdefault(lease.mac, {})[address] = None

    def _take_back(self, address: int) -> None:
        before = self._leases.pop(address, None)
        if before is not None:
            held = self._held[before.mac]
            del held[address]
            if not held:
                del self._held[before.mac]

    def _may_have(self, address: int, mac: Mac, scope: Scope, reserved: Reservation | None) -> bool:
        lease = self._leases.get(address)
        if lease is not None and lease.mac != mac and lease.until > self._clock():
            return False
        if reserved is not None:
            return address == reserved.address
        if any(one.address == address for one in scope.reservations):
            return False
        return any(pool.first <= address <= pool.last for pool in scope.pools)

    def _reply(self, message: Message, kind: Kind, yours: IPv4Address, scope: Scope, seconds: int) -> Message:
        given = scope.options
        options: list[tuple[int, bytes]] = [(Option.SERVER, self.address.packed)]
        if kind is not Kind.NAK:
            options.append((Option.MASK, scope.network.netmask.packed))
            if seconds:
                options.append((Option.LEASE_TIME, seconds.to_bytes(4, "big")))
            if given.gateway is not None:
                options.append((Option.ROUTERS, IPv4Address(given.gateway).packed))
            if given.dns:
                options.append((Option.DNS, dhcp.packed(IPv4Address(a) for a in given.dns)))
            if given.domain:
                options.append((Option.DOMAIN, given.domain.encode()))
            if given.ntp:
                options.append((Option.NTP, dhcp.packed(IPv4Address(a) for a in given.ntp)))
        return Message(
            True, message.transaction, message.mac, kind, message.client if kind is Kind.ACK else dhcp.NOBODY, yours,
            relay=message.relay, broadcast=message.broadcast, options=tuple(options),
        )  # fmt: skip

    def control(self, request: bytes) -> bytes:
        """The control door: get, test, set, leases and end, as JSON."""
        try:
            asked = json.loads(request)
            with self._turn:
                answer = self._control(asked)
        except (ValueError, KeyError, TypeError) as error:
            answer = {"error": f"the request cannot be read: {error}"}
        return json.dumps(answer).encode()

    def _control(self, asked: dict[str, Any]) -> dict[str, Any]:
        command = asked["command"]
        if command == "get":
            return {"configuration": json.loads(to_json(self._scopes.values()))}
        if command == "leases":
            return {"leases": [self._told(address, lease) for address, lease in self._given()]}
        if command == "end":
            self._take_back(int(IPv4Address(asked["address"])))
            return {}
        try:
            scopes = _checked(from_json(json.dumps(asked["configuration"])))
        except FormatError as error:
            return {"error": str(error)}
        if command == "set":
            self._scopes = scopes
        return {}

    def _given(self) -> list[tuple[int, _Lease]]:
        return sorted((address, lease) for address, lease in self._leases.items() if not lease.offered)

    def _told(self, address: int, lease: _Lease) -> dict[str, Any]:
        return {
            "address": dotted(address), "mac": str(lease.mac), "name": lease.name,
            "since": round((self._epoch + lease.since) * 1000), "expires": round((self._epoch + lease.until) * 1000),
        }  # fmt: skip


def _seconds(scope: Scope) -> int:
    return scope.options.lease_seconds or USUAL_SECONDS


def _reserved(scope: Scope, mac: Mac) -> Reservation | None:
    return next((one for one in scope.reservations if one.mac == mac.value), None)


def _checked(scopes: list[Scope]) -> dict[IPv4Network, Scope]:
    """A server's own check: overlaps and doubles are refused. Raises FormatError."""
    found: dict[IPv4Network, Scope] = {}
    for scope in scopes:
        if any(scope.network.overlaps(other) for other in found):
            raise FormatError(f"{scope.network} overlaps another subnet")
        pools = sorted(scope.pools, key=lambda pool: pool.first)
        for before, after in itertools.pairwise(pools):
            if after.first <= before.last:
                raise FormatError(f"the pools {before} and {after} overlap")
        for what, values in (
            ("address", [r.address for r in scope.reservations]),
            ("MAC", [r.mac for r in scope.reservations]),
        ):
            if len(set(values)) != len(values):
                raise FormatError(f"two reservations in {scope.network} have the same {what}")
        found[scope.network] = scope
    return found
