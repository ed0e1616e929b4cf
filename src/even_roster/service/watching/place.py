"""Finds out where the service stands: whether the link of an adapter is the known network, or another that only looks alike.

What tells is worked out by `core.known_link`; here the questions are asked.
"""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Mapping, Sequence

from ...api.events import WatchEvent
from ...core.adapters import Adapter
from ...core.address import Address, address_of
from ...core.known_link import Signs, Verdict, judge
from ...core.mac import MacNumber
from ...probe import dhcp_ask
from ...probe.confirm import confirm
from ...store import scan_records, world_records
from ..context import Context, now_ms
from ..knowing.known_links import KnownLink

_log = logging.getLogger(__name__)
PLACE_SECONDS = 60.0
FAMILIAR = 12
DAY = 24 * 3600 * 1000


class Place:
    """Where one service stands, judged every minute and whenever an adapter changes."""

    def __init__(self, context: Context) -> None:
        self._context = context
        self._judged: dict[str, tuple[Adapter, float]] = {}

    async def judge_all(self) -> None:
        now = self._context.monotonic()
        adapters = [a for a in self._context.machine.adapters() if a.medium != "loopback" and a.up and a.addresses]
        for adapter in adapters:
            before = self._judged.get(adapter.name)
            if before is not None and before[0] == adapter and now - before[1] < PLACE_SECONDS:
                continue
            self._judged[adapter.name] = adapter, now
            if await asyncio.to_thread(self._is_known, adapter):
                await self.judge(adapter)

    def _is_known(self, adapter: Adapter) -> bool:
        with self._context.database.read() as connection:
            known = set(scan_records.scanned_subnets(connection))
        return any(str(network) in known for network in adapter.networks)

    def _signs_known(
        self, adapter: Adapter, gateway: Address | None
    ) -> tuple[MacNumber | None, list[tuple[Address, MacNumber]], frozenset[MacNumber]]:
        """What is recorded of an adapter's network: the gateway's MAC, familiar devices, DHCP servers' MACs."""
        networks = [str(network) for network in adapter.networks]
        with self._context.database.read() as connection:
            known = learnt_mac(scan_records.gateway_macs(connection), adapter, gateway)
            pairs = scan_records.familiar(connection, networks, gateway, now_ms() - 30 * DAY, FAMILIAR)
            return known, pairs, world_records.server_macs(connection)

    async def judge(self, adapter: Adapter) -> KnownLink:
        """Find out whether an adapter stands on the known network: asks the gateway, then familiar devices, then DHCP."""
        context = self._context
        segment, times = context.machine.open(adapter), context.reply_times[adapter.name]
        gateway = (
            address_of(adapter.gateway) if adapter.gateway is not None and adapter.gateway in adapter.onlink else None
        )
        known, pairs, servers = await asyncio.to_thread(self._signs_known, adapter, gateway)
        try:
            if not segment.abilities().frames:
                return KnownLink(Verdict.UNKNOWN, "without raw frames the network cannot be told from another")
            macs: Sequence[MacNumber] = ()
            if gateway is not None:
                macs = (await confirm(segment, [gateway], times.patience([gateway])))[gateway]
            seen = known if known in macs else (macs[0] if macs else None)
            signs = Signs(known, seen, 0, 0)
            if known is None or seen != known:
                others = [a for a, _ in pairs if a != gateway]  # slow ones are waited for as long as they took before
                answers = await confirm(segment, others, times.patience(others)) if pairs else {}
                familiar = sum(1 for a, mac in pairs if mac in answers.get(a, ()))
                signs = Signs(known, seen, len(pairs), familiar)
                if not familiar and servers:
                    heard = await dhcp_ask.ask(segment, dhcp_ask.WAIT / 2)
                    signs = Signs(
                        known, seen, len(pairs), 0, servers, frozenset(o.mac.value for o in heard)
                    )  # fmt: skip
        finally:
            await segment.close()
        verdict, said = judge(signs)
        link = KnownLink(verdict, said, signs.gateway)
        if context.known_links.put(adapter.name, link):
            _log.info("%s: %s", adapter.name, said)
            context.tell(WatchEvent(adapter=adapter.name, verdict=verdict.value))
        return link


def learnt_mac(
    macs: Mapping[tuple[str, int | None], MacNumber], adapter: Adapter, gateway: Address | None
) -> MacNumber | None:
    """The learnt MAC of an adapter's gateway."""
    return next((macs[key] for n in adapter.networks if (key := (str(n), gateway)) in macs), None)
