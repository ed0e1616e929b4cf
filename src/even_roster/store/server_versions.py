"""What stood on DHCP servers before each publishing, so that what is taken back is there again octet for octet."""

from __future__ import annotations

import secrets
from dataclasses import asdict, dataclass
from typing import Any

from sqlalchemy import Connection, delete, func, insert, select
from sqlalchemy.dialects.sqlite import insert as insert_or

from .tables import dhcp_versions, kept_settings

MOST_VERSIONS = 60
MOST_OCTETS = 32 << 20


@dataclass(frozen=True, slots=True)
class Version:
    """One publishing: the texts before it, sealed by whoever keeps them, the digest of the open ones, what they meant, their
    ownership record, and the digest of the texts after it."""

    texts: dict[str, str]
    before: str
    meaning: str
    owned: dict[str, list[str]]
    after: str


def keep(connection: Connection, server: int, version: Version, at: int) -> None:
    """Remember one publishing; of very many, or very large ones, the oldest go. One that brought earlier texts back ends what was
    remembered since."""
    again = select(func.max(dhcp_versions.c.id)).where(
        dhcp_versions.c.server == server, dhcp_versions.c.before == version.after
    )
    if (earlier := connection.execute(again).scalar()) is not None:
        connection.execute(delete(dhcp_versions).where(dhcp_versions.c.server == server, dhcp_versions.c.id >= earlier))
        return
    connection.execute(insert(dhcp_versions).values(server=server, at=at, **asdict(version)))
    query = select(dhcp_versions.c.id, dhcp_versions.c.texts).where(dhcp_versions.c.server == server)
    size = 0
    for number, row in enumerate(connection.execute(query.order_by(dhcp_versions.c.id.desc())).all()):
        size += sum(len(text) for text in row.texts.values())
        if number and (number >= MOST_VERSIONS or size > MOST_OCTETS):
            connection.execute(
                delete(dhcp_versions).where(dhcp_versions.c.server == server, dhcp_versions.c.id <= row.id)
            )
            return


def former(connection: Connection, server: int, now: str, meaning: str) -> Version | None:
    """The earlier state that meant this, reached back from the texts with the digest `now` without a gap: as soon as somebody else
    has written, nothing from before that is brought back."""
    columns = (dhcp_versions.c.id, dhcp_versions.c.meaning, dhcp_versions.c.after, dhcp_versions.c.before)
    query = select(*columns).where(dhcp_versions.c.server == server).order_by(dhcp_versions.c.id.desc())
    for row in connection.execute(query).all():
        if row.after != now:
            continue
        if row.meaning == meaning:
            whole: Any = connection.execute(select(dhcp_versions).where(dhcp_versions.c.id == row.id)).one()
            return Version(whole.texts, whole.before, whole.meaning, whole.owned, whole.after)
        now = row.before
    return None


def roster_id(connection: Connection) -> str:
    """What this roster is called in the marks that it leaves on servers: made once, never changed."""
    name = "roster id"
    connection.execute(
        insert_or(kept_settings).values(name=name, value={"id": secrets.token_hex(4)}).on_conflict_do_nothing()
    )
    value: Any = connection.execute(select(kept_settings.c.value).where(kept_settings.c.name == name)).scalar_one()
    return str(value["id"])
