"""Asks the site's DNS about the roster's names: the addresses of each name, and the names of each address."""

from __future__ import annotations

import asyncio
import random
from collections.abc import Callable, Sequence
from ipaddress import IPv4Address
from typing import TypeVar

from ..core.address import Address
from ..core.zones import Named, Told
from ..wire import dns_messages
from ..wire.errors import WireError
from .segment import Segment

TIMEOUT = 1.0
_AT_ONCE = 64
T = TypeVar("T")


async def ask(
    segment: Segment, server: IPv4Address, names: Sequence[Named], progress: Callable[[int], None] = lambda done: None
) -> list[Told]:
    """Ask one DNS server (RFC 1035) about every name; `progress` gets how many are done."""
    gate = asyncio.Semaphore(_AT_ONCE)
    source = random.Random()
    done = 0

    async def one(named: Named) -> Told:
        nonlocal done
        async with gate:
            addresses = await _addresses(segment, server, named.full, source.randrange(1, 1 << 16))
            reverse = await _names(segment, server, IPv4Address(named.address), source.randrange(1, 1 << 16))
        done += 1
        progress(done)
        return Told(named, addresses, reverse)

    return list(await asyncio.gather(*(one(named) for named in names)))


async def _addresses(segment: Segment, server: IPv4Address, name: str, transaction: int) -> tuple[Address, ...] | None:
    def read(data: bytes) -> tuple[Address, ...] | None:
        number, addresses = dns_messages.decode_addresses(data)
        return tuple(Address(int(address)) for address in addresses) if number == transaction else None

    return await _exchange(segment, server, dns_messages.encode_name_question(name, transaction), read)


async def _names(
    segment: Segment, server: IPv4Address, address: IPv4Address, transaction: int
) -> tuple[str, ...] | None:
    def read(data: bytes) -> tuple[str, ...] | None:
        answer = dns_messages.decode_answer(data)
        return answer.names if (answer.transaction, answer.address) == (transaction, address) else None

    return await _exchange(segment, server, dns_messages.encode_question(address, transaction, recursion=True), read)


async def _exchange(
    segment: Segment, server: IPv4Address, question: bytes, read: Callable[[bytes], T | None]
) -> T | None:
    def accept(data: bytes) -> T | None:
        try:
            return read(data)
        except WireError:
            return None

    return await segment.datagram(
        server, dns_messages.DNS_PORT, question, accept, answers_from=server, timeout=TIMEOUT
    )  # fmt: skip
