"""Simulated DHCP clients: hosts that get their address by DISCOVER and REQUEST and renew it (RFC 2131 4.4)."""

from __future__ import annotations

import heapq
from collections.abc import Callable
from ipaddress import IPv4Address

from ..wire import dhcp
from ..wire.dhcp import Kind, Message, Option
from .hosts import Host

Exchange = Callable[[Host, bytes], bytes | None]
_RETRY = 60.0


class Clients:
    """All DHCP clients of a site. `exchange` carries a client's message to the server and back, as bytes."""

    def __init__(self, exchange: Exchange, settle: Callable[[Host, IPv4Address], None]) -> None:
        self._exchange, self._settle = exchange, settle
        self._due: list[tuple[float, int, Host]] = []
        self._serial = 0
        self._gone: set[Host] = set()

    def leave(self, host: Host) -> None:
        """A host is taken away: it renews nothing any more."""
        self._gone.add(host)

    def join(self, host: Host, now: float) -> None:
        """A host is switched on: it asks for the address it had before."""
        self._put(now + self._acquire(host, next(iter(host.addresses), None)), host)

    def catch_up(self, now: float) -> None:
        """Do every renewal that is due."""
        while self._due and self._due[0][0] <= now:
            due, _, host = heapq.heappop(self._due)
            if host in self._gone or host.stubborn:
                continue
            asleep = host.awake.sleeps_on(due)
            self._put(due + (max(asleep, _RETRY) if asleep else self._renew(host)), host)

    def _put(self, at: float, host: Host) -> None:
        self._serial += 1
        heapq.heappush(self._due, (at, self._serial, host))

    def _acquire(self, host: Host, wanted: IPv4Address | None) -> float:
        """DISCOVER, then REQUEST what is offered; gives the seconds until the renewal (T1)."""
        asked = ((Option.ADDRESS, wanted.packed),) if wanted is not None else ()
        offer = self._say(host, Kind.DISCOVER, asked)
        server = offer.option(Option.SERVER) if offer is not None else None
        if offer is None or offer.kind is not Kind.OFFER or server is None:
            return _RETRY
        chosen = ((Option.ADDRESS, offer.yours.packed), (Option.SERVER, server))
        return self._take(host, self._say(host, Kind.REQUEST, chosen))

    def _renew(self, host: Host) -> float:
        """REQUEST the address it has; after a NAK, or without one, begin anew (RFC 2131 4.4.5)."""
        if not host.addresses:
            return self._acquire(host, None)
        answer = self._say(host, Kind.REQUEST, (), client=next(iter(host.addresses), dhcp.NOBODY))
        if answer is not None and answer.kind is Kind.NAK:
            return self._acquire(host, None)
        return self._take(host, answer)

    def _take(self, host: Host, answer: Message | None) -> float:
        if answer is None or answer.kind is not Kind.ACK:
            return _RETRY
        if answer.yours != next(iter(host.addresses), None):
            self._settle(host, answer.yours)
        return (answer.number(Option.LEASE_TIME) or 3600) / 2

    def _say(
        self, host: Host, kind: Kind, options: tuple[tuple[int, bytes], ...], client: IPv4Address = dhcp.NOBODY
    ) -> Message | None:
        self._serial += 1
        name = host.label.encode()[:63]
        told = (*options, (Option.HOSTNAME, name)) if host.says_name else options
        message = Message(False, self._serial, host.mac, kind, client=client, options=told)
        answer = self._exchange(host, dhcp.encode(message))
        return dhcp.decode(answer) if answer is not None else None
