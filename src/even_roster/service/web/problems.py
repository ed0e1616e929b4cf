"""Turns every error into an RFC 9457 problem document: a code for programs, one sentence for people, the field."""

from __future__ import annotations

import logging
from collections.abc import Sequence
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from starlette.exceptions import HTTPException

from ...api.common import Meant, Problem
from ...core.adapters import AdapterError
from ...core.cards import CardError
from ...core.columns import SheetError
from ...core.dhcp import PlanError
from ...core.mac import MacError
from ...core.plan.reshape import ReshapeError
from ...core.plan.told import said
from ...core.ranges import RangeError
from ...core.targets import TargetError
from ...core.vendors import VendorError
from ...dhcp.server import ChangedMeanwhile, ServerRefused, ServerTrouble
from ...probe.segment import SegmentError
from ...store.database import DiskFull
from ...store.edits import AddressTaken, EditError, Missing, StaleEdit
from ...store.listing import CursorError
from ...store.plan_edits import PlanConflict
from ..knowing.plan_book import PlanRefused

_log = logging.getLogger(__name__)
MEDIA_TYPE = "application/problem+json"
SHOWN = 6
"""Of so many things that a name may mean the sentence tells; the document has all."""


class Refusal(Exception):
    """The service refuses a request for a reason of its own."""

    def __init__(self, status: int, code: str, detail: str, field: str | None = None) -> None:
        self.problem = Problem(
            title=TITLES.get(status, "Refused"), status=status, code=code, detail=detail, field=field
        )
        super().__init__(detail)


class Ambiguous(Exception):
    """A name means several things; `candidates` are what it may mean."""

    def __init__(self, what: str, text: str, candidates: Sequence[Meant]) -> None:
        self.candidates = list(candidates)
        shown = "; ".join(one.said for one in candidates[:SHOWN])
        more = f"; and {len(candidates) - SHOWN} more" if len(candidates) > SHOWN else ""
        super().__init__(f"{text!r} means {len(candidates)} {what}: {shown}{more}")


class NotByThat(Exception):
    """Something can be found so, but not changed: the message says how to name it."""

    def __init__(self, sentence: str, candidates: Sequence[Meant]) -> None:
        self.candidates = list(candidates)
        super().__init__(sentence)


TITLES = {
    400: "Bad request", 401: "Not signed in", 403: "Not permitted", 404: "Not found", 405: "Not allowed", 408: "Too slow",
    409: "Conflict", 412: "Changed meanwhile", 413: "Too much", 422: "Cannot be done as asked",
    428: "Not without its version", 500: "Internal error", 503: "Network not usable", 507: "No room on the disk",
}  # fmt: skip


def respond(problem: Problem) -> JSONResponse:
    """A problem as a response; who has not signed in is told how (RFC 9110 11.6.1)."""
    headers = {"WWW-Authenticate": 'Bearer realm="Even Roster"'} if problem.status == 401 else None
    return JSONResponse(problem.model_dump(exclude_none=True), problem.status, headers, media_type=MEDIA_TYPE)


def respond_and_close(problem: Problem) -> JSONResponse:
    """A problem as the last response of its connection."""
    answer = respond(problem)
    answer.headers["Connection"] = "close"
    return answer


def _problem(status: int, code: str, error: Exception, **more: Any) -> Problem:
    return Problem(title=TITLES[status], status=status, code=code, detail=str(error), **more)


def of(error: Exception) -> Problem:
    """The problem document of an error that somebody caused; a bug becomes 'internal'."""
    match error:
        case Refusal():
            return error.problem
        case RangeError():
            return _problem(422, "bad_range", error, field="targets", start=error.start, end=error.end)
        case TargetError():
            return _problem(422, error.code, error, field="targets")
        case AdapterError():
            return _problem(422, "bad_adapter", error, field="adapter")
        case MacError():
            return _problem(422, "bad_mac", error, field="mac")
        case VendorError():
            return _problem(422, "bad_vendor", error, field="prefix")
        case EditError():
            return _problem(422, "bad_edit", error, field=error.field)
        case CursorError():
            return _problem(422, "bad_cursor", error, field="cursor")
        case Missing():
            return _problem(404, "missing", error)
        case Ambiguous():
            return _problem(409, "ambiguous", error, candidates=error.candidates)
        case NotByThat():
            return _problem(422, "not_by_that", error, candidates=error.candidates)
        case StaleEdit():
            current = {name: str(value) for name, value in error.current.items()}
            return _problem(412, "stale", error, current=current, version=error.version)
        case PlanRefused():
            kinds = [problem.kind for problem in error.problems]
            sentence = str(error) + ("" if not error.anyway else " (it can be saved anyway)")
            return _problem(422, "mistakes", error, anyway=error.anyway, kinds=kinds).model_copy(
                update={"detail": sentence}
            )
        case ReshapeError() | PlanError():
            return _problem(422, "in_the_way", error)
        case ChangedMeanwhile():
            return _problem(409, "stale", error)
        case ServerRefused():
            return _problem(422, "server_refused", error)
        case ServerTrouble():
            return _problem(503, "dhcp_server", error)
        case SheetError():
            return _problem(422, "bad_sheet", error, headers=list(error.headers) or None)
        case CardError():
            return _problem(422, "no_card", error, field="address")
        case AddressTaken():
            return _problem(409, "taken", error, field="address")
        case PlanConflict():
            values = said(error.current) if error.current is not None else {}
            current = {name: str(value) for name, value in values.items()}
            return _problem(412, "stale", error, current=current, version=error.version)
        case SegmentError():
            return _problem(503, "network", error)
        case DiskFull():
            return _problem(507, "disk_full", error)
    return Problem(
        title=TITLES[500], status=500, code="internal",
        detail="something went wrong inside the service; its log says what",
    )  # fmt: skip


async def _with_what_was_wanted(request: Request, problem: Problem) -> Problem:
    """A stale edit's problem with the values that it wanted, beside those that are there now. It is a conflict and no failed
    condition where the request had none: then it was overtaken while it was done."""
    wanted = await request.json() if request.headers.get("content-type", "").startswith("application/json") else {}
    current = problem.current or {}
    given = {name: str(value) for name, value in wanted.items() if name in current} if isinstance(wanted, dict) else {}
    return problem.model_copy(update={"given": given, "status": 412 if "if-match" in request.headers else 409})


def install(app: FastAPI) -> None:
    """Register the handlers."""

    async def known(request: Request, error: Exception) -> JSONResponse:
        problem = of(error)
        if problem.current is not None:
            problem = await _with_what_was_wanted(request, problem)
        return respond(problem)

    async def invalid(_request: Request, error: Exception) -> JSONResponse:
        assert isinstance(error, RequestValidationError)
        first = error.errors()[0]
        field = ".".join(str(part) for part in first["loc"][1:]) or str(first["loc"][0])
        detail = f"{field}: {first['msg'][:1].lower()}{first['msg'][1:]}"
        return respond(Problem(title=TITLES[422], status=422, code="bad_input", detail=detail, field=field))

    async def plain(_request: Request, error: Exception) -> JSONResponse:
        assert isinstance(error, HTTPException)
        if error.status_code == 400:  # of a body that cannot be read, whatever it is
            said = "the body is no JSON in UTF-8"
            return respond(Problem(title=TITLES[422], status=422, code="bad_input", detail=said, field="body"))
        title = TITLES.get(error.status_code, "Error")
        return respond(Problem(title=title, status=error.status_code, code="http", detail=str(error.detail)))

    async def bug(request: Request, error: Exception) -> JSONResponse:
        _log.exception("%s %s failed", request.method, request.url.path, exc_info=error)
        response = respond(of(error))
        response.headers["Connection"] = "close"  # the server closes it after a fault; say so, or it is used again
        return response

    for kind in (
        Refusal, RangeError, TargetError, AdapterError, MacError, VendorError, EditError, CursorError, Missing,
        StaleEdit, Ambiguous, NotByThat,
        SegmentError, PlanRefused, ReshapeError, PlanError, AddressTaken, PlanConflict, ServerTrouble, SheetError,
        CardError, DiskFull,
    ):  # fmt: skip
        app.add_exception_handler(kind, known)
    app.add_exception_handler(RequestValidationError, invalid)
    app.add_exception_handler(HTTPException, plain)
    app.add_exception_handler(Exception, bug)
