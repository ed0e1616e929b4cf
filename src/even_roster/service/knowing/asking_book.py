"""Which addresses want a directed question, who is to be asked apart, and what came of it. The world is the findings' own, under
their lock; times that come in are wall time, UTC ms."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from ...core.address import Address
from ...core.findings import asking, rounds
from ...core.mac import MacNumber
from ...core.stays import Source
from .findings_book import FindingsBook


class AskingBook:
    """The questions of one service. May be called from any thread."""

    def __init__(self, findings: FindingsBook) -> None:
        self._findings = findings

    def want(self, addresses: Iterable[Address]) -> None:
        """What is known of these addresses is contradicted."""
        with self._findings.looking() as world:
            for address in addresses:
                asking.want(world, address)

    def pressing(self) -> bool:
        """True when some address may be asked for now."""
        with self._findings.looking() as world:
            return world.questions.due(self._findings.steady)

    def take(self) -> list[Address]:
        """Addresses that want a directed round and may have it now; they are taken to be asked."""
        with self._findings.looking() as world:
            return world.questions.take(self._findings.steady)

    def standing(self) -> list[Address]:
        """Addresses of standing findings that a directed round decides, some of them each time."""
        with self._findings.looking() as world:
            return self._findings.engine.watching(world.is_near)

    def begin(self, addresses: Iterable[Address]) -> dict[Address, tuple[MacNumber, ...]]:
        """A round asks for these addresses from now on; gives whom of those who claim them it should ask apart, by unicast."""
        with self._findings.looking() as world:
            now, found = self._findings.steady, {}
            for address in addresses:
                world.questions.asked(address, now)
                if macs := asking.apart(world, address):
                    found[address] = macs
            return found

    def over(
        self, answers: Mapping[Address, tuple[MacNumber, ...]], link: str, *, controlled: bool, by: Source = Source.ARP,
        began: int | None = None,
    ) -> None:  # fmt: skip
        """A round on an adapter's link is over; `controlled` when anybody at all answered in it, `by` how."""
        with self._findings.looking() as world:
            now = self._findings.steady
            since = began + self._findings.offset if began is not None else None
            for address, macs in answers.items():
                rounds.over(world, address, macs, now, link, controlled=controlled, by=by, began=since)
        self._findings.keep_silences()

    def late(self, replies: Iterable[tuple[Address, MacNumber]], link: str) -> set[tuple[Address, MacNumber]]:
        """Replies to this machine, which any device can send unasked. Those whose question is still open are answers, and given."""
        with self._findings.looking() as world:
            now = self._findings.steady
            found = {one for one in replies if world.questions.is_open(one[0], now)}
            for address, mac in found:
                rounds.late(world, address, mac, now, link)
        return found

    def controls(self, link: str, but: Iterable[Address]) -> list[Address]:
        """Addresses to ask along on a link, that answered last."""
        with self._findings.looking() as world:
            return world.controls(link, but)

    def heard_on(self, address: Address) -> str:
        """The adapter on whose link an address was heard last; empty for none."""
        world = self._findings.world
        return world.heard_on.get(address) or world.hearsay.link(address) or ""

    def proxy_suspects(self) -> list[tuple[MacNumber, list[Address]]]:
        """MACs that may stand in for others, each with some of the addresses it answers for."""
        with self._findings.looking() as world:
            return world.proxy_suspects()

    def proxy_answer(self, mac: MacNumber, told: Mapping[int, bool]) -> None:
        """For which of these a MAC stands in, and which it has itself."""
        with self._findings.looking() as world:
            world.proxy_answer(mac, told, self._findings.steady)
