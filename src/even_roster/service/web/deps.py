"""What a path function asks for: the context, the running scans, who is asking. They are coroutines: a thread for each would cost
more than they do."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Annotated, Any

from fastapi import Depends, Request, Response
from pydantic import BaseModel
from pydantic_core import to_json

from ..context import Context
from .problems import Refusal


async def _context(request: Request) -> Context:
    context: Context = request.app.state.context
    return context


async def _who(request: Request) -> str:
    who: str | None = request.scope.get("roster_who")
    if who is None:
        raise Refusal(401, "not_signed_in", "sign in with the address that the service printed when it started")
    return who


API = "/api/v1"


def located(response: Response, path: str) -> None:
    """Tell with what was made where it is (RFC 9110 15.3.2); `path` is below that of the API."""
    response.headers["Location"] = f"{API}/{path}"


ContextDep = Annotated[Context, Depends(_context)]
Who = Annotated[str, Depends(_who)]


def listed_as_json(items: Sequence[Mapping[str, Any]], following: str | None, total: int | None) -> Response:
    """A page of a long list as a response: its items are as their model would write them."""
    page = {"items": items, "next": following, "total": total}
    return Response(to_json(page), media_type="application/json")


def as_json(model: BaseModel) -> Response:
    """A long list as a response: the models were built from records, so they are not validated once more."""
    return Response(model.__pydantic_serializer__.to_json(model), media_type="application/json")
