"""What ends sign-ins before their time, over restarts: what the token and sessions were made anew with, and ended sessions."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import Connection, select
from sqlalchemy.dialects.sqlite import insert as insert_or

from .tables import kept_settings

NAME = "sign-ins"
MOST_ENDED = 5_000
"""Sessions that were ended and have not run out yet; those that run out first are forgotten beyond it."""


@dataclass(frozen=True, slots=True)
class SignIns:
    """`salt` is empty as long as the token was never renewed, `renewed` (UTC ms) None; `ended` are sessions by what names them,
    with the second (UTC) at which they would have run out."""

    salt: bytes = b""
    renewed: int | None = None
    ended: Mapping[str, int] = field(default_factory=dict)


def read(connection: Connection) -> SignIns:
    """What is kept."""
    value: Any = connection.execute(select(kept_settings.c.value).where(kept_settings.c.name == NAME)).scalar()
    if value is None:
        return SignIns()
    return SignIns(bytes.fromhex(value["salt"]), value["renewed"], value["ended"])


def renew(connection: Connection, salt: bytes, now: int) -> SignIns:
    """Make the token and all sessions anew, at `now` (UTC ms): what was ended before is no good in any case."""
    return _keep(connection, SignIns(salt, now))


def end(connection: Connection, session: str, until: int, now: int) -> SignIns:
    """End one session that would run out at `until`; both are seconds (UTC)."""
    before = read(connection)
    left = sorted(
        ((name, at) for name, at in {**before.ended, session: until}.items() if at > now), key=lambda one: one[1]
    )
    return _keep(connection, SignIns(before.salt, before.renewed, dict(left[-MOST_ENDED:])))


def _keep(connection: Connection, given: SignIns) -> SignIns:
    value = {"salt": given.salt.hex(), "renewed": given.renewed, "ended": dict(given.ended)}
    statement = insert_or(kept_settings).values(name=NAME, value=value)
    connection.execute(statement.on_conflict_do_update(index_elements=["name"], set_={"value": value}))
    return given
