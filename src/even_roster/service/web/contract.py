"""What holds for every path of the API: what a path takes and no more, and what there is not (RFC 9110 15.5.5 and 15.5.6)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from difflib import get_close_matches
from typing import Any

from fastapi import APIRouter, Depends, FastAPI, Request
from fastapi.dependencies.models import Dependant
from fastapi.responses import HTMLResponse, JSONResponse
from fastapi.routing import APIRoute
from starlette.routing import Match

from ...api.common import Problem
from .deps import API, Who
from .description import describe, identity
from .problems import Refusal, respond
from .reference import page

METHODS = ["GET", "POST", "PUT", "PATCH", "DELETE", "HEAD", "OPTIONS"]
_known: dict[int, frozenset[str]] = {}
"""What each route takes, by its identity: routes live as long as the application."""


async def no_others(request: Request, who: Who) -> None:
    """Refuse parameters that a path does not know: a mistyped filter must not look like one that lets everything through."""
    route = request.scope.get("route")
    if not isinstance(route, APIRoute):
        return
    known = _known.get(id(route))
    if known is None:
        known = _known[id(route)] = frozenset(_parameters(route.dependant))
    for name in request.query_params:
        if name not in known:
            near = get_close_matches(name, known, 1)
            meant = f"; is it {near[0]!r}?" if near else f"; known are: {', '.join(sorted(known)) or 'none'}"
            raise Refusal(422, "unknown_parameter", f"there is no parameter {name!r} here{meant}", name)


def _methods(routes: Sequence[APIRoute], request: Request) -> set[str]:
    """What a path takes. Where several patterns fit it, it is the path of the one that leaves the least open."""
    scope = {**request.scope, "type": "http"}
    fitting = [route for route in routes if route.matches(scope)[0] is not Match.NONE]
    if not fitting:
        return set()
    own = min((route.path for route in fitting), key=lambda path: (path.count("{"), -len(path)))
    return {method for route in fitting if route.path == own for method in route.methods or ()}


def _parameters(dependant: Dependant) -> Iterator[str]:
    """What a path takes as parameters, and what it depends on."""
    yield from (one.alias for one in dependant.query_params)
    for one in dependant.dependencies:
        yield from _parameters(one)


def paths(prefix: str, tag: str) -> APIRouter:
    """A router for a part of the API. What holds for all its paths stands here, not where the application takes them in: there the
    framework would work out every path once more, with the first request that somebody waits for."""
    return APIRouter(prefix=prefix, tags=[tag], dependencies=[Depends(no_others)], generate_unique_id_function=identity)


def install(app: FastAPI, routers: Sequence[APIRouter]) -> None:
    """Answer for what is no path of the API, and describe what is. Comes behind all routes."""
    kept: dict[str, str] = {}
    routes = [route for router in routers for route in router.routes if isinstance(route, APIRoute)]

    @app.get("/api/docs", include_in_schema=False)
    def docs() -> HTMLResponse:
        """The reference as a page."""
        if "page" not in kept:
            kept["page"] = page(app.openapi())
        return HTMLResponse(kept["page"], headers={"Cache-Control": "no-cache"})

    @app.api_route("/api/{path:path}", methods=METHODS, include_in_schema=False)
    def nothing(path: str, request: Request) -> JSONResponse:
        """A path that is none, or one that does not take this method."""
        allowed = _methods(routes, request)
        if allowed:
            names = ", ".join(sorted(allowed))
            answer = respond(
                Problem(
                    title="Not allowed",
                    status=405,
                    code="not_allowed",
                    detail=f"{request.method} is not for {request.url.path}; it takes {names}",
                )
            )
            answer.headers["Allow"] = names
            return answer
        where = f"there is nothing at {request.url.path}"
        hint = "" if request.url.path.startswith(f"{API}/") else f"; the API of this version begins with {API}/"
        return respond(Problem(title="Not found", status=404, code="no_such_path", detail=where + hint))

    def described() -> dict[str, Any]:
        if app.openapi_schema is None:
            app.openapi_schema = describe(app)
        return app.openapi_schema

    app.openapi = described  # type: ignore[method-assign]
