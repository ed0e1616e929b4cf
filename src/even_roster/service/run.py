"""Runs the service: listens, writes service.json, prints where the console is, ends cleanly on a signal."""

from __future__ import annotations

import contextlib
import logging
import os
import resource
import socket
import sys
from collections.abc import Callable
from datetime import UTC, datetime
from types import FrameType

import uvicorn

from .. import __version__
from ..api.home import VERSION_HEADER
from ..probe.machine import adapters
from ..probe.segment import Machine
from .aids import home_folder
from .app import create_app
from .context import Context, open_context, write_service_file
from .settings import Settings, SettingsError
from .web import own_certificate
from .web.accepting import Places, Server
from .web.connections import Connection
from .web.shares import Limits, Shares

STOP_SECONDS = 2
KEEP_ALIVE_SECONDS = 30
MOST_FILES = 16_384
BACKLOG = 4096
"""Connections that the kernel queues until the service accepts them, so that a burst is not refused."""
OWN_FILES = 1024
"""Of the files that the process may open, kept for its records, its scans and what it asks; a quarter where there are few."""
_log = logging.getLogger(__name__)


class _Server(Server):
    """The server, told to end event streams and scans as soon as a signal comes."""

    def __init__(
        self, config: uvicorn.Config, places: Places, context: Context, stop_scans: Callable[[], None]
    ) -> None:  # fmt: skip
        super().__init__(config, places)
        self._context, self._stop_scans = context, stop_scans

    def handle_exit(self, sig: int, frame: FrameType | None) -> None:
        """A signal came: end cleanly, and at once when it comes again. It is not raised anew afterwards, so that what
        has to be put away is put away."""
        if self._context.loop is not None:
            self._context.loop.call_soon_threadsafe(self._stop_scans)
            self._context.loop.call_soon_threadsafe(self._context.hub.close)
        self.force_exit = self.should_exit
        self.should_exit = True


def serve(
    settings: Settings,
    machine: Machine,
    announce: Callable[[str, Callable[[], str], str], None],
    prepare: Callable[[Context], None] | None = None,
) -> None:
    """Serve until a signal. `announce` gets the console's URL and what makes a one-time sign-in; `prepare` runs before.

    It gets the fingerprint of a certificate of the service's own, too. Raises SettingsError when the address cannot be listened
    on, and what `open_context` raises."""
    os.umask(0o077)  # nothing that it makes is for others, unless it says so itself
    host, port = settings.address()
    if settings.own_certificate and not settings.tls_certificate:
        settings = _with_own_certificate(settings, machine)
    listener = _listen(host, port)
    places: Places = Shares(limits(settings, _raise_file_limit()))
    sys.setswitchinterval(0.001)
    context = open_context(settings, machine)
    if prepare is not None:
        prepare(context)
    app = create_app(context, places)
    scheme = "https" if settings.tls_certificate else "http"
    shown = f"[{host}]" if ":" in host else host
    url = f"{scheme}://{shown}:{listener.getsockname()[1]}"
    local = url.replace("//0.0.0.0:", "//127.0.0.1:").replace("//[::]:", "//[::1]:")
    config = uvicorn.Config(
        app, log_config=None, access_log=False, timeout_graceful_shutdown=STOP_SECONDS, lifespan="on",
        timeout_keep_alive=KEEP_ALIVE_SECONDS, http=Connection, ws="none",
        ssl_certfile=settings.tls_certificate, ssl_keyfile=settings.tls_key, server_header=False,
        headers=[(VERSION_HEADER, __version__)], proxy_headers=False,  # where a request comes from, its connection says
    )  # fmt: skip

    def stop_scans() -> None:
        for identity in app.state.scans.running:
            app.state.scans.stop(identity)

    context.url = local
    path = write_service_file(context)
    try:
        own = settings.own_certificate and settings.tls_certificate
        shown_to = own_certificate.fingerprint(own) if own else ""
        announce(url, lambda: f"{url}/enter?ticket={app.state.gate.ticket()}", shown_to)
        _Server(config, places, context, stop_scans).run(sockets=[listener])
    finally:
        path.unlink(missing_ok=True)
        listener.close()


def _with_own_certificate(settings: Settings, machine: Machine) -> Settings:
    """The same, with the certificate that the service makes for itself. Raises SettingsError."""
    addresses = [str(one.ip) for adapter in adapters() for one in adapter.addresses]
    try:
        home_folder.make(settings.home)
        own = own_certificate.have(settings.home, machine.hostname, addresses, datetime.now(UTC))
    except OSError as error:
        raise SettingsError(f"no certificate can be kept in {settings.home}: {error.strerror}") from error
    return settings.model_copy(update={"tls_certificate": own.certificate, "tls_key": own.key})


def _listen(host: str, port: int) -> socket.socket:
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    # Named as TCP, so that asyncio turns Nagle's delay off on the connections it accepts.
    listener = socket.socket(family, socket.SOCK_STREAM, socket.IPPROTO_TCP)
    listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listener.bind((host, port))
        listener.listen(BACKLOG)
    except OSError as error:
        listener.close()
        raise SettingsError(
            f"{host}:{port} cannot be listened on ({error.strerror}); another service may run there: choose --listen HOST:PORT"
        ) from error
    return listener


def limits(settings: Settings, files: int) -> Limits:
    """How many may come at once, as people set it; what they left open follows from how many files the process may open."""
    connections = settings.connections or max(16, files - min(OWN_FILES, files // 4))
    usual = Limits()
    strangers = settings.strangers or min(usual.strangers, max(8, connections // 4))
    return Limits(
        connections, strangers, settings.strangers_each or min(usual.strangers_each, strangers),
        max(8, connections // 8), settings.streams or max(8, connections // 2), max(8, connections // 16), usual.requests_each,
        settings.body,
    )  # fmt: skip


def _raise_file_limit() -> int:
    """A scan asks many hosts at once; take as many open files as the system lets an account have. Gives how many."""
    with contextlib.suppress(ValueError, OSError):
        _, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
        resource.setrlimit(resource.RLIMIT_NOFILE, (min(hard, MOST_FILES), hard))
    return min(resource.getrlimit(resource.RLIMIT_NOFILE)[0], MOST_FILES)
