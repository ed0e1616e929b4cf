"""Puts the service together: guards, routers, errors, the built console."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import secrets
import time
from collections.abc import AsyncIterator
from http.cookies import SimpleCookie
from pathlib import Path
from urllib.parse import urlsplit

from fastapi import FastAPI
from fastapi.responses import FileResponse, HTMLResponse
from starlette.datastructures import Headers, MutableHeaders
from starlette.middleware.gzip import GZipMiddleware
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from .. import __version__
from ..api.common import Problem
from .aids.repeating import hold_memory_still
from .calling import call_routes, wake_routes
from .calling.caller import Caller
from .calling.waker import Waker
from .changing import change_routes
from .context import Context
from .demo import carton_routes, lead_routes
from .devices import device_routes
from .dhcp import dhcp_routes
from .dhcp.dhcp_servers import DhcpServers
from .findings import finding_routes
from .findings.notices import Notices
from .fitting import fitting_routes, kind_routes
from .fitting.fitter import Fitter
from .health import system_routes
from .health.pulse import Pulse
from .health.strain import Strain
from .lookup import find_routes, history_routes, network_routes
from .plan import assignment_routes, spreadsheet_routes, subnet_routes
from .scans import scan_routes
from .scans.running_scans import RunningScans
from .switches import credential_routes, pair_routes, port_routes, switch_routes
from .switches.switch_reader import SwitchReader
from .vendors import vendor_routes
from .watching import watch_routes
from .watching.deafness import DeafTimes
from .watching.listening import Listening
from .watching.watcher import Watcher
from .web import contract
from .web.accepting import Places
from .web.admission import SIGNED_IN, Admission
from .web.auth import Gate
from .web.connections import CONNECTION
from .web.description import identity
from .web.etags import EntityTags
from .web.problems import install, respond, respond_and_close
from .web.shares import Limits, Shares
from .wiring import chase_routes, link_routes, map_routes, order_routes, path_routes, wiring_findings
from .wiring.chaser import Chaser
from .wiring.port_orders import PortOrders

STATIC = Path(__file__).parent / "static"
_log = logging.getLogger("even_roster.request")
_SAFE = {"GET", "HEAD", "OPTIONS"}
_POLICY = "default-src 'self'; img-src 'self' data:; style-src 'self' 'unsafe-inline'; frame-ancestors 'none'; base-uri 'none'"


_TOO_MANY_CONNECTIONS = Problem(
    title="Too many", status=503, code="too_many_connections",
    detail="this sign-in has as many connections as it may have; close some of them",
)  # fmt: skip


class Guard:
    """Knows who asks, refuses foreign hosts and foreign pages, adds security headers and a request id, and logs."""

    def __init__(self, app: ASGIApp, gate: Gate, loopback_only: bool) -> None:
        self._app, self._gate, self._loopback_only = app, gate, loopback_only

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """One request."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        request_id = secrets.token_hex(6)
        began = time.perf_counter()

        async def send_more(message: Message) -> None:
            if message["type"] == "http.response.start":
                out = MutableHeaders(scope=message)
                out["X-Request-Id"] = request_id
                out["X-Content-Type-Options"] = "nosniff"
                out["Referrer-Policy"] = "no-referrer"
                out["Content-Security-Policy"] = _POLICY
                took = (time.perf_counter() - began) * 1000
                _log.info("%s %s %s %d %.1f ms", request_id, scope["method"], scope["path"], message["status"], took)
            await send(message)

        refused = self._refused(scope, headers)
        if refused is not None:
            await respond(refused)(scope, receive, send_more)
            return
        cookies = {name: morsel.value for name, morsel in SimpleCookie(headers.get("cookie", "")).items()}
        known = self._gate.who(headers, cookies)
        if known is not None:
            scope["roster_who"], scope[SIGNED_IN] = known
            connection = scope.get(CONNECTION)
            if connection is not None and not connection.signed(known.sign_in):
                await respond_and_close(_TOO_MANY_CONNECTIONS)(scope, receive, send_more)
                return
        await self._app(scope, receive, send_more)

    def _refused(self, scope: Scope, headers: Headers) -> Problem | None:
        """A name that is not this machine's points at a rebound page; a foreign Origin at a forged request."""
        host = headers.get("host", "")
        name = urlsplit(f"//{host}").hostname or ""
        if self._loopback_only and name not in ("127.0.0.1", "localhost", "::1"):
            return Problem(
                title="Not permitted", status=403, code="bad_host",
                detail=f"{name!r} is not a name of this service; use 127.0.0.1 or localhost",
            )  # fmt: skip
        origin = headers.get("origin")
        if (
            origin is not None
            and scope["method"] not in _SAFE
            and origin.lower() != f"{scope['scheme']}://{host}".lower()
        ):
            return Problem(
                title="Not permitted", status=403, code="bad_origin", detail="the request comes from another page"
            )
        return None


def create_app(context: Context, places: Places | None = None) -> FastAPI:
    """The application of one context; `places` are who has how many of its connections, which its server fills."""
    places = places if places is not None else Shares(Limits())

    @contextlib.asynccontextmanager
    async def lifespan(_app: FastAPI) -> AsyncIterator[None]:
        context.loop = asyncio.get_running_loop()
        pulse.begin()
        await deaf_times.begin()
        servers.begin()
        watcher.begin()
        notices.begin()
        caller.begin()
        fitter.begin()
        switch_reader.begin()
        port_orders.begin()
        chaser.begin()
        if context.settings.watch:
            listening.begin()
        holding = asyncio.create_task(hold_memory_still(), name="memory")
        yield
        holding.cancel()
        await pulse.close()
        await notices.close()
        await caller.close()
        await chaser.close()
        await port_orders.close()
        await switch_reader.close()
        await fitter.close()
        await waker.close()
        await watcher.close()
        await listening.close()
        await servers.close()
        await running.close()
        await deaf_times.close()
        context.hub.close()
        context.close()

    app = FastAPI(
        title="Even Roster", version=__version__, lifespan=lifespan, docs_url=None, redoc_url=None,
        openapi_url="/api/v1/openapi.json", generate_unique_id_function=identity,
    )  # fmt: skip
    pulse = Pulse(context.database.check)
    app.state.pulse = pulse
    app.state.places = places
    running = RunningScans(context)
    servers = DhcpServers(context)
    watcher = Watcher(context, running)
    listening = Listening(context, watcher.alarm)
    app.state.strain = Strain(context, listening)
    deaf_times = DeafTimes(context, listening)
    notices = Notices(context)
    caller = Caller(context, watcher)
    app.state.caller = caller
    fitter = Fitter(context, watcher)
    app.state.fitter = fitter
    waker = Waker(context, watcher)
    app.state.waker = waker
    switch_reader = SwitchReader(context, watcher, wiring_findings.troubles)
    app.state.switch_reader = switch_reader
    port_orders = PortOrders(context, watcher, switch_reader)
    app.state.port_orders = port_orders
    chaser = Chaser(context, watcher, switch_reader, listening.beside)
    app.state.chaser = chaser
    app.state.context = context
    app.state.scans = running
    app.state.dhcp = servers
    app.state.watcher = watcher
    app.state.listening = listening
    app.state.notices = notices
    app.state.gate = Gate(context)
    modules = (
        system_routes, network_routes, scan_routes, device_routes, change_routes, find_routes, vendor_routes, subnet_routes,
        assignment_routes, dhcp_routes, spreadsheet_routes, finding_routes, history_routes, watch_routes, call_routes,
        fitting_routes, kind_routes, carton_routes, wake_routes, switch_routes, port_routes,
        credential_routes, pair_routes, link_routes, path_routes, map_routes, lead_routes, order_routes, chase_routes,
    )  # fmt: skip
    for module in modules:
        app.router.routes.extend(module.router.routes)
    install(app)
    contract.install(app, [module.router for module in modules])
    _serve_console(app)
    app.add_middleware(EntityTags)
    app.add_middleware(GZipMiddleware, minimum_size=2048, compresslevel=4)
    app.add_middleware(Admission, places=places)
    app.add_middleware(Guard, gate=app.state.gate, loopback_only=context.settings.loopback_only)
    return app


def _serve_console(app: FastAPI) -> None:
    """Files of the built console; every other path is a page of it."""

    @app.get("/{path:path}", include_in_schema=False, response_model=None)
    def page(path: str) -> FileResponse | HTMLResponse:
        if not path.isprintable():
            return HTMLResponse("not found", 404)
        file = (STATIC / path).resolve()
        if path and file.is_relative_to(STATIC.resolve()) and file.is_file():
            immutable = path.startswith("assets/")
            keep = "public, max-age=31536000, immutable" if immutable else "no-cache"
            return FileResponse(file, headers={"Cache-Control": keep})
        if path.startswith("assets/"):
            return HTMLResponse("not found", 404)
        index = STATIC / "index.html"
        if index.is_file():
            return FileResponse(index, headers={"Cache-Control": "no-cache"})
        return HTMLResponse("<p>The console is not built. Run <code>make console</code>.</p>", 503)
