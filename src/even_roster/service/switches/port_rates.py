"""How much goes through ports, and how much of it is damaged, between their last two readings. Only reads."""

from __future__ import annotations

from collections.abc import Collection

from sqlalchemy import Connection

from ...core.switches.counting import grown
from ...core.switches.reading import Counted
from ...store import switch_counters


def rates(connection: Connection, ports: Collection[int]) -> dict[int, tuple[int, int, float]]:
    """Bits a second in and out, and the share of frames that were damaged, of those ports that were read twice."""
    found = {}
    for port, row in switch_counters.latest(connection, list(ports)).items():
        if row.before is None or row.before_at is None:
            continue
        more = grown(Counted(*row.before), Counted(*row.values), row.before_at, row.at)
        if more is None:
            continue
        seconds = (row.at - row.before_at) / 1000
        packets, errors = more.packets_in + more.packets_out, more.errors_in + more.errors_out
        share = errors / (packets + errors) if packets + errors else 0.0
        found[port] = round(more.octets_in * 8 / seconds), round(more.octets_out * 8 / seconds), round(share, 6)
    return found


def error_shares(connection: Connection, ports: Collection[int]) -> dict[int, float]:
    """The share of frames that were damaged, of those ports of which it is known."""
    return {port: one[2] for port, one in rates(connection, ports).items()}
