"""What holds for every path of the API: what a path takes and no more, what there is not, and how all of it is described.

The description is an OpenAPI 3.1 document; methods and what is allowed by RFC 9110 15.5.6, problems by RFC 9457.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from difflib import get_close_matches
from typing import Any

from fastapi import APIRouter, FastAPI, Request
from fastapi.dependencies.models import Dependant
from fastapi.openapi.utils import get_openapi
from fastapi.responses import JSONResponse
from fastapi.routing import APIRoute
from starlette.routing import Match

from ...api.common import Problem
from .auth import COOKIE
from .deps import API, Who
from .problems import Refusal, respond

METHODS = ["GET", "POST", "PUT", "PATCH", "DELETE", "HEAD", "OPTIONS"]
OPEN_TO_ALL = ("/healthz", "/enter")
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


def _parameters(dependant: Dependant) -> Iterator[str]:
    """What a path takes as parameters, and what it depends on."""
    yield from (one.alias for one in dependant.query_params)
    for one in dependant.dependencies:
        yield from _parameters(one)


def install(app: FastAPI, routers: Sequence[APIRouter]) -> None:
    """Answer for what is no path of the API, and describe what is. Comes behind all routes."""
    routes = [route for router in routers for route in router.routes if isinstance(route, APIRoute)]

    @app.api_route("/api/{path:path}", methods=METHODS, include_in_schema=False)
    def nothing(path: str, request: Request) -> JSONResponse:
        """A path that is none, or one that does not take this method."""
        allowed: set[str] = set()
        for route in routes:
            if route.matches({**request.scope, "type": "http"})[0] is not Match.NONE:
                allowed |= route.methods or set()
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
            app.openapi_schema = _completed(
                get_openapi(
                    title=app.title, version=app.version, routes=app.routes, description=_ABOUT, separate_input_output_schemas=False
                )
            )  # fmt: skip
        return app.openapi_schema

    app.openapi = described  # type: ignore[method-assign]


_ABOUT = (
    "Times are ISO 8601 in UTC, addresses dotted, MACs in lower-case hexadecimal with colons. What is wrong is told by a problem "
    "document (RFC 9457): `code` is for programs, `detail` one sentence for people. Parameters that a path does not know are "
    "refused."
)


def _completed(document: dict[str, Any]) -> dict[str, Any]:
    """A description with how one signs in, and what every path may answer beside its own."""
    schemas = document["components"]["schemas"]
    for name in ("HTTPValidationError", "ValidationError"):
        schemas.pop(name, None)
    schemas.update(_models_of_problems())
    document["components"]["securitySchemes"] = {
        "token": {"type": "http", "scheme": "bearer", "description": "The token in service.json of the service's home folder."},
        "session": {"type": "apiKey", "in": "cookie", "name": COOKIE, "description": "What a browser gets for its ticket."},
    }  # fmt: skip
    document["security"] = [{"token": []}, {"session": []}]
    problem = {
        "description": "What is wrong, and what would be right.",
        "content": {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}},
    }
    for path, operations in document["paths"].items():
        for operation in operations.values():
            operation["responses"].pop("422", None)
            operation["responses"]["default"] = problem
            if path.startswith(OPEN_TO_ALL):
                operation["security"] = []
            else:
                operation["responses"]["401"] = {
                    **problem,
                    "description": "Nobody has signed in.",
                    "headers": {"WWW-Authenticate": {"schema": {"type": "string"}}},
                }
            if "201" in operation["responses"]:
                operation["responses"]["201"]["headers"] = {
                    "Location": {"description": "Where the new one is.", "schema": {"type": "string"}}
                }
    return document


def _models_of_problems() -> dict[str, Any]:
    made = Problem.model_json_schema(ref_template="#/components/schemas/{model}")
    return {**made.pop("$defs", {}), "Problem": made}
