"""Asks for the names of a responder, by every open way at once: DNS, mDNS, LLMNR and NetBIOS. Each with its source."""

from __future__ import annotations

import asyncio
import random
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from ipaddress import IPv4Address

from ..core.names import Name, NameSource, heard
from ..wire import dns_messages, netbios
from ..wire.errors import WireError
from .segment import Segment

DNS_TIMEOUT, LINK_TIMEOUT = 1.0, 0.8


@dataclass(frozen=True, slots=True)
class NameAsker:
    """Asks through one segment. `servers` are the DNS servers of the subnet; `random_source` makes transactions."""

    segment: Segment
    servers: Sequence[IPv4Address]
    random_source: random.Random

    async def names_of(self, address: IPv4Address, *, onlink: bool) -> list[Name]:
        """Every name of one address, in the order of belief. mDNS and LLMNR only reach the own link."""
        ways = [self._dns(address), self._netbios(address)]
        if onlink:
            ways += [self._mdns(address), self._llmnr(address)]
        found = [name for names in await asyncio.gather(*ways) for name in names]
        return list(dict.fromkeys(found))

    async def _dns(self, address: IPv4Address) -> list[Name]:
        """RFC 1035, the servers in turn; the second only when the first is silent."""
        for server in self.servers[:2]:
            transaction = self._transaction()
            question = dns_messages.encode_question(address, transaction, recursion=True)
            texts = await self.segment.datagram(
                server, dns_messages.DNS_PORT, question, _answer(transaction, address),
                answers_from=server, timeout=DNS_TIMEOUT,
            )  # fmt: skip
            if texts is not None:
                return _names(texts, NameSource.DNS)
        return []

    async def _mdns(self, address: IPv4Address) -> list[Name]:
        """A direct unicast question (RFC 6762 5.5); the answer's transaction may be anything."""
        question = dns_messages.encode_question(address, self._transaction(), unicast=True)
        texts = await self.segment.datagram(
            address, dns_messages.MDNS_PORT, question, _answer(None, address),
            answers_from=address, timeout=LINK_TIMEOUT,
        )  # fmt: skip
        return _names(texts or (), NameSource.MDNS)

    async def _llmnr(self, address: IPv4Address) -> list[Name]:
        """A question to the group (RFC 4795 2.1); only the holder of the address answers."""
        transaction = self._transaction()
        texts = await self.segment.datagram(
            dns_messages.LLMNR_GROUP, dns_messages.LLMNR_PORT, dns_messages.encode_question(address, transaction),
            _answer(transaction, address), answers_from=address, timeout=LINK_TIMEOUT,
        )  # fmt: skip
        return _names(texts or (), NameSource.LLMNR)

    async def _netbios(self, address: IPv4Address) -> list[Name]:
        """Node status (RFC 1002 4.2.17)."""
        transaction = self._transaction()

        def accept(data: bytes) -> netbios.NodeStatus | None:
            try:
                status = netbios.decode_status(data)
            except WireError:
                return None
            return status if status.transaction == transaction else None

        status = await self.segment.datagram(
            address, netbios.PORT, netbios.encode_request(transaction), accept,
            answers_from=address, timeout=LINK_TIMEOUT,
        )  # fmt: skip
        return _names((status.host_name,) if status and status.host_name else (), NameSource.NETBIOS)

    def _transaction(self) -> int:
        return self.random_source.randrange(1, 1 << 16)


def _answer(transaction: int | None, address: IPv4Address) -> Callable[[bytes], tuple[str, ...] | None]:
    def accept(data: bytes) -> tuple[str, ...] | None:
        try:
            answer = dns_messages.decode_answer(data)
        except WireError:
            return None
        if transaction is not None and answer.transaction != transaction:
            return None
        return answer.names if answer.address == address else None

    return accept


def _names(texts: Sequence[str], source: NameSource) -> list[Name]:
    found = [heard(text, source) for text in texts[:4]]
    return [name for name in found if name is not None]
