"""/healthz, /metrics, /api/v1/events, and signing in."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Header, Request
from fastapi.responses import Response, StreamingResponse

from ... import __version__
from ...api.common import Word
from ...api.events import Events
from ...api.network import Health, PhoneSignIn, PhoneWanted, SessionView, SignIn, Ticket
from ..context import now_ms
from ..scans.scan_routes import ScansDep
from ..views import maybe_time
from ..web.admission import SIGN_IN
from ..web.auth import BROWSER, COOKIE, SESSION_SECONDS, Gate
from ..web.contract import no_others
from ..web.deps import ContextDep, Who
from ..web.description import identity
from ..web.problems import Refusal
from . import phones
from .metrics import render
from .pulse import Pulse

router = APIRouter(tags=["system"], generate_unique_id_function=identity)


@router.get("/healthz")
async def healthz(request: Request, context: ContextDep) -> Health:
    """Whether the service is well: 200 while it and its records answer, impaired when nothing can be written, standing work ended
    by an error, more happens on a link than can be looked at or asked about, or others will soon find no place. It tells what was
    found within the last seconds, and waits for nothing."""
    pulse: Pulse = request.app.state.pulse
    if pulse.trouble:
        raise Refusal(503, "database", pulse.trouble)
    trouble = (
        context.database.trouble
        or context.findings.trouble
        or context.supervisor.trouble
        or request.app.state.strain.trouble
        or request.app.state.places.near()
    )
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
def metrics(request: Request, context: ContextDep, scans: ScansDep, who: Who) -> Response:
    """Counters and gauges in the OpenMetrics text format."""
    return Response(
        render(context, scans, request.app.state.places, request.app.state.listening),
        media_type=f"{_METRICS}; version=1.0.0; charset=utf-8",
    )


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
    """A one-time sign-in for a browser, for whoever is signed in already: a page of the console with a button."""
    gate: Gate = request.app.state.gate
    return Ticket(path=f"/enter?ticket={gate.ticket()}")


@router.post("/api/v1/session/phone", dependencies=[Depends(no_others)])
def phone(wanted: PhoneWanted, request: Request, context: ContextDep, who: Who) -> PhoneSignIn:
    """A one-time sign-in for a phone, as an address and as a QR code; only where the service can be reached beyond this machine."""
    gate: Gate = request.app.state.gate
    return phones.sign_in(context, gate, wanted, request.scope)


@router.post(SIGN_IN, status_code=204)
async def sign_in(signing: SignIn, request: Request, response: Response) -> None:
    """Turn a one-time ticket into a session, as a cookie. A browser does so when a person says so: whoever only looks at the
    address (a preview of a link, a page that is fetched ahead) uses nothing up."""
    gate: Gate = request.app.state.gate
    session = gate.redeem(signing.ticket)
    if session is None:
        raise Refusal(
            403,
            "sign_in_used",
            "that sign-in was used already, or is too old; 'roster console' prints another",
            "ticket",
        )
    secure = request.url.scheme == "https"
    response.set_cookie(COOKIE, session, SESSION_SECONDS, httponly=True, samesite="strict", secure=secure)


@router.get("/api/v1/session", dependencies=[Depends(no_others)])
def session(context: ContextDep, who: Who) -> SessionView:
    """Who is signed in, and when the token was last renewed."""
    return SessionView(who=who, renewed=maybe_time(context.sign_ins.renewed))


@router.delete("/api/v1/session", status_code=204, dependencies=[Depends(no_others)])
def sign_out(request: Request, response: Response, who: Who) -> None:
    """Sign this browser out: its session is no good any more, also to somebody who has a copy of it. The token of programs stays;
    see the renewal."""
    if who != BROWSER:
        raise Refusal(422, "no_session", "a token is not signed out; renew it, and every sign-in ends")
    gate: Gate = request.app.state.gate
    gate.end(request.cookies.get(COOKIE, ""))
    response.delete_cookie(COOKIE, httponly=True, samesite="strict", secure=request.url.scheme == "https")


@router.post("/api/v1/session/renewal", dependencies=[Depends(no_others)])
def renew(request: Request, context: ContextDep, who: Who) -> SessionView:
    """End every sign-in, this one too: the service has another token from now on, in `service.json` of its home, and browsers have
    to sign in again. Stored passwords stay sealed as they are."""
    gate: Gate = request.app.state.gate
    gate.renew()
    if context.loop is not None:
        context.loop.call_soon_threadsafe(context.hub.end_streams)
    return SessionView(who=who, renewed=maybe_time(context.sign_ins.renewed))
