"""/healthz, /metrics, /api/v1/events, and signing in."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Header, Request
from fastapi.responses import RedirectResponse, Response, StreamingResponse

from ... import __version__
from ...api.common import Line, Word
from ...api.events import Events
from ...api.network import Health, PhoneSignIn, PhoneWanted, Ticket
from ..context import now_ms
from ..scans.scan_routes import ScansDep
from ..web.auth import COOKIE, SESSION_SECONDS, Gate
from ..web.contract import no_others
from ..web.deps import ContextDep, Who
from ..web.description import identity
from ..web.problems import Refusal
from . import phones
from .metrics import render

router = APIRouter(tags=["system"], generate_unique_id_function=identity)


@router.get("/healthz")
def healthz(context: ContextDep) -> Health:
    """Whether the service is well: 200 while it and its database answer, impaired when nothing can be written or standing
    work ended by an error."""
    if not context.database.check():
        raise Refusal(503, "database", "the database does not answer")
    trouble = context.database.trouble or context.findings.trouble or context.supervisor.trouble
    return Health(
        status="ok" if not trouble else "impaired",
        trouble=trouble,
        version=__version__,
        uptime_seconds=round((now_ms() - context.started) / 1000, 1),
    )


_METRICS = "application/openmetrics-text"


@router.get(
    "/metrics", response_class=Response, responses={200: {"content": {_METRICS: {"schema": {"type": "string"}}}}}
)
def metrics(context: ContextDep, scans: ScansDep, who: Who) -> Response:
    """Counters and gauges in the OpenMetrics text format."""
    return Response(render(context, scans), media_type=f"{_METRICS}; version=1.0.0; charset=utf-8")


class EventStream(StreamingResponse):
    """Server-sent events (WHATWG HTML 9.2)."""

    media_type = "text/event-stream"


@router.get(
    "/api/v1/events", response_class=EventStream, responses={200: {"model": Events}}, dependencies=[Depends(no_others)]
)
async def events(
    context: ContextDep, who: Who, last_event_id: Annotated[Word | None, Header()] = None, after: Word | None = None
) -> EventStream:
    """Everything that changes, as server-sent events; Last-Event-ID (or `after`) resumes behind an event."""
    return EventStream(
        context.hub.stream(last_event_id or after),
        headers={"Cache-Control": "no-store", "X-Accel-Buffering": "no"},
    )


@router.post("/api/v1/session/ticket", dependencies=[Depends(no_others)])
def ticket(request: Request, who: Who) -> Ticket:
    """A one-time sign-in for a browser, for whoever is signed in already."""
    gate: Gate = request.app.state.gate
    return Ticket(path=f"/enter?ticket={gate.ticket()}")


@router.post("/api/v1/session/phone", dependencies=[Depends(no_others)])
def phone(wanted: PhoneWanted, request: Request, context: ContextDep, who: Who) -> PhoneSignIn:
    """A one-time sign-in for a phone, as an address and as a QR code; only where the service can be reached beyond this machine."""
    gate: Gate = request.app.state.gate
    return phones.sign_in(context, gate, wanted, request.scope)


@router.get("/enter", include_in_schema=False)
def enter(request: Request, ticket: Word = "", to: Line = "/") -> Response:
    """Turn a one-time ticket into a session, and open a page of the console."""
    gate: Gate = request.app.state.gate
    session = gate.redeem(ticket)
    if session is None:
        return RedirectResponse("/?signin=expired", 303)
    response = RedirectResponse(phones.page(to), 303)
    secure = request.url.scheme == "https"
    response.set_cookie(COOKIE, session, SESSION_SECONDS, httponly=True, samesite="strict", secure=secure)
    return response
