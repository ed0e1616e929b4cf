"""Who answered last on each link: they are asked along with others, so that silence can be told from a link that is dead."""

from __future__ import annotations

from collections.abc import Container

from ..address import Address

KEPT = 16


class Answering:
    """A few addresses per link, the latest last."""

    def __init__(self) -> None:
        self._links: dict[str, dict[Address, None]] = {}

    def answered(self, link: str, address: Address) -> None:
        """A device at an address answered a question on a link."""
        there = self._links.setdefault(link, {})
        there.pop(address, None)
        there[address] = None
        while len(there) > KEPT:
            del there[next(iter(there))]

    def latest(self, link: str, but: Container[int]) -> list[Address]:
        """Those that answered last on a link, the latest first."""
        return [address for address in reversed(self._links.get(link, {})) if address not in but]
