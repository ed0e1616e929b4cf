"""Silence in the records: what looks in vain say of the latest stay of a pair."""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy import Connection, bindparam, select, update

from ..core.absence import Silence
from ..core.address import Address
from ..core.mac import MacNumber
from .of_site import at_site
from .tables import stays


def keep(connection: Connection, site: int, silences: Mapping[tuple[Address, MacNumber], Silence]) -> None:
    """Enter the silence of pairs of address and MAC at a site; times are UTC ms. A pair that has no stay there is left out."""
    if not silences:
        return
    latest = (
        select(stays.c.id)
        .where(stays.c.address == bindparam("at_address"), stays.c.mac == bindparam("of_mac"))
        .where(at_site(site))
        .order_by(stays.c.last.desc())
        .limit(1)
        .scalar_subquery()
    )
    statement = (
        update(stays)
        .where(stays.c.id == latest, stays.c.last < bindparam("until"))
        .values(
            silent_count=bindparam("count"), silent_first=bindparam("since"), silent_last=bindparam("until"),
            reason=bindparam("why"),
        )
    )  # fmt: skip
    connection.execute(
        statement,
        [
            {
                "at_address": address,
                "of_mac": mac,
                "count": one.count,
                "since": one.first,
                "until": one.last,
                "why": int(one.reason),
            }
            for (address, mac), one in silences.items()
        ],
    )  # fmt: skip
