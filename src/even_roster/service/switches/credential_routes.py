"""/api/v1/credentials: by what switches are read."""

from __future__ import annotations

from typing import Any, cast

from fastapi import Response
from sqlalchemy import Connection, select

from ...api.common import Id
from ...api.switches import CredentialEdit, CredentialNew, CredentialPage, CredentialView
from ...store.edits import Missing
from ...store.switch_tables import credentials
from ..context import Context
from ..web.contract import paths
from ..web.deps import ContextDep, Who, located
from ..web.matching import IfMatch, MaybeMatch, tagged
from ..web.paging import Paging, cut
from . import credential_edits

router = paths("/api/v1", "switches")


@router.get("/credentials")
def all_credentials(context: ContextDep, who: Who, paging: Paging) -> CredentialPage:
    """The credentials that are kept, by name; their secrets are never shown."""
    with context.database.read() as connection:
        rows = sorted(connection.execute(select(credentials)).all(), key=lambda row: (row.name.casefold(), row.id))
        shown, rest = cut(rows, lambda row: [row.name.casefold(), row.id], paging)
        return CredentialPage(items=[_view(context, connection, row) for row in shown], **rest._asdict())


@router.post("/credentials", status_code=201)
def add_credential(request: CredentialNew, context: ContextDep, who: Who, response: Response) -> CredentialView:
    """Keep a credential, encrypted."""
    identity = credential_edits.add(context, who, request)
    located(response, f"credentials/{identity}")
    return _one(context, identity, response)


@router.get("/credentials/{identity}")
def one_credential(identity: Id, context: ContextDep, who: Who, response: Response) -> CredentialView:
    """One credential, without its secrets."""
    return _one(context, identity, response)


@router.patch("/credentials/{identity}")
def edit_credential(
    identity: Id, versions: IfMatch, request: CredentialEdit, context: ContextDep, who: Who, response: Response
) -> CredentialView:
    """Change a credential; what is left out stays, secrets too."""
    credential_edits.edit(context, who, identity, request, versions)
    return _one(context, identity, response)


@router.delete("/credentials/{identity}", status_code=204)
def remove_credential(identity: Id, versions: MaybeMatch, context: ContextDep, who: Who) -> None:
    """Keep a credential no longer; refused while switches are read by it."""
    credential_edits.remove(context, who, identity, versions)


def _one(context: Context, identity: int, response: Response) -> CredentialView:
    with context.database.read() as connection:
        row = connection.execute(select(credentials).where(credentials.c.id == identity)).first()
        if row is None:
            raise Missing(f"there is no credential {identity}")
        view = _view(context, connection, row)
    tagged(response, view.version)
    return view


def _view(context: Context, connection: Connection, row: Any) -> CredentialView:
    count = sum(1 for switch in context.switches.switches.values() if switch.row.credential == row.id)
    return CredentialView(
        id=row.id, version=credential_edits.version_of(connection, row.id), name=row.name, snmp=cast(Any, row.snmp),
        user=row.user, auth=cast(Any, row.auth), privacy=cast(Any, row.privacy), switch_count=count,
    )  # fmt: skip
