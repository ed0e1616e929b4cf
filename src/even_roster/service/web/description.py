"""Describes the API: an OpenAPI 3.1 document that is complete. What each model's fields are stands in api/field_words.py."""

from __future__ import annotations

import re
from typing import Any

from fastapi import FastAPI
from fastapi.openapi.utils import get_openapi
from fastapi.routing import APIRoute

from ...api.common import Problem
from . import parameter_words
from .admission import is_open
from .auth import COOKIE

ABOUT = (
    "Times are ISO 8601 in UTC, addresses dotted, MACs in lower-case hexadecimal with colons; in requests any "
    "notation of a MAC is taken. Lists come in pages: `items`, the cursor of the `next` page, and how many there are "
    "in `total`. What is wrong is told by a problem document (RFC 9457): `code` is for programs, `detail` one "
    "sentence for people. Parameters and fields that are not known are refused. Items send their version as an ETag; "
    "an edit names it in If-Match, or '*' for whatever it is now. Within v1 fields and paths are added and none is "
    "taken away: leave aside what you do not know."
)
_PROBLEM = {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}}
_SAID = {
    "304": "It is as it was when its tag was sent.",
    "401": "Nobody has signed in.",
    "403": "The request comes by a foreign name, or from another page.",
    "404": "There is no such thing; near matches are named.",
    "408": "The body did not come.",
    "409": "It cannot be done now, or a name means several things: `candidates` lists them.",
    "412": "The item was changed meanwhile: `current` are its values now, `given` those that were wanted.",
    "413": "The body is too large.",
    "422": "Something that was given is wrong; `field` says what.",
    "431": "The request's line and fields are too long.",
    "428": "The edit does not say in If-Match which version it is based on.",
    "500": "Something went wrong inside the service; its log says what.",
    "503": "The network, a server or the database cannot be used, or too much is asked for at once.",
    "507": "There is no room on the disk.",
}


def describe(app: FastAPI) -> dict[str, Any]:
    """The whole description of an application."""
    document = get_openapi(
        title=app.title, version=app.version, routes=app.routes, description=ABOUT, separate_input_output_schemas=True
    )
    schemas = document["components"]["schemas"]
    for name in ("HTTPValidationError", "ValidationError"):
        schemas.pop(name, None)
    made = Problem.model_json_schema(ref_template="#/components/schemas/{model}")
    schemas.update({**made.pop("$defs", {}), "Problem": made})
    document["components"]["securitySchemes"] = {
        "token": {"type": "http", "scheme": "bearer", "description": "The token in service.json of the service's home folder."},
        "session": {"type": "apiKey", "in": "cookie", "name": COOKIE, "description": "What a browser gets for its ticket."},
    }  # fmt: skip
    document["components"]["responses"] = {status: _response(status) for status in _SAID}
    document["security"] = [{"token": []}, {"session": []}]
    for path, operations in document["paths"].items():
        for method, operation in operations.items():
            _complete(path, method, operation)
    stream = document["paths"]["/api/v1/events"]["get"]["responses"]["200"]["content"]["text/event-stream"]
    stream["schema"] = _events(schemas["Events"]["properties"])
    return document


def _events(kinds: dict[str, Any]) -> dict[str, Any]:
    """The stream's events (WHATWG HTML 9.2): each has a kind, and as its data the JSON of that kind's model."""

    def event(kind: str, model: dict[str, Any]) -> dict[str, Any]:
        data = {"type": "string", "contentMediaType": "application/json", "contentSchema": model}
        fields = {"id": {"type": "string"}, "event": {"const": kind}, "data": data}
        return {"type": "object", "title": kind, "properties": fields, "required": ["id", "event", "data"]}

    told = [event(kind, {"$ref": model["$ref"]}) for kind, model in kinds.items()]
    return {"oneOf": [*told, event("hello", {"type": "object"}), event("reset", {"type": "object"})]}


def identity(route: APIRoute) -> str:
    """What an operation is called: its group and what it does."""
    return f"{route.tags[0] if route.tags else 'system'}.{route.name}"


def _response(status: str) -> dict[str, Any]:
    if status == "304":
        return {"description": _SAID[status]}
    headers = {"WWW-Authenticate": {"description": "How one signs in.", "schema": {"type": "string"}}}
    return {"description": _SAID[status], "content": _PROBLEM, **({"headers": headers} if status == "401" else {})}


def _complete(path: str, method: str, operation: dict[str, Any]) -> None:
    """What every operation has beside its own: parameters in words, and all that it may answer."""
    said = operation.get("description", "")
    first, _, rest = said.partition(". ")
    operation["summary"] = re.sub(r"\s+", " ", first).rstrip(".")
    operation["description"] = re.sub(r"[ \t]*\n[ \t]*", " ", rest or said)
    parameters = operation.get("parameters", [])
    for parameter in parameters:
        parameter_words.describe(path, parameter)
        if parameter["name"] == "if-match" and method in DEMANDING:
            parameter["required"] = True
    answers = operation["responses"]
    for status in _statuses(path, method, operation, parameters):
        answers[status] = {"$ref": f"#/components/responses/{status}"}
    for status in ("200", "201"):
        if status in answers:
            answers[status]["description"] = "What was asked for." if status == "200" else "What was made."
    tagged = any(one["name"] == "if-match" for one in parameters)
    if "201" in answers:
        answers["201"]["headers"] = {"Location": {"description": "Where the new one is.", "schema": {"type": "string"}}}
    if tagged and "200" in answers:
        answers["200"]["headers"] = {"ETag": {"description": "The version of the item.", "schema": {"type": "string"}}}
    if is_open(path):
        operation["security"] = []


DEMANDING = ("patch", "put")
"""The methods whose edits have to name a version, where an item has one; others may."""


def _statuses(path: str, method: str, operation: dict[str, Any], parameters: list[dict[str, Any]]) -> list[str]:
    operation["responses"].pop("422", None)
    found = ["403", "500", "503"]
    if not is_open(path):
        found.append("401")
    if method == "get" and path.startswith("/api/v1/") and "events" not in path:
        found.append("304")
    if parameters or "requestBody" in operation or not is_open(path):
        found += ["404", "409", "422", "431"]
    if "requestBody" in operation:
        found += ["408", "413"]
    if method != "get":
        found.append("507")
    match = next((one for one in parameters if one["name"] == "if-match"), None)
    if match is not None:
        found += ["412", "428"] if method in DEMANDING else ["412"]
    return sorted(found)
