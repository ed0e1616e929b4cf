"""Runs the service: listens, writes service.json, prints where the console is, ends cleanly on a signal."""

from __future__ import annotations

import contextlib
import logging
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
from .app import create_app
from .context import Context, open_context, write_service_file
from .settings import Settings, SettingsError
from .web import own_certificate
from .web.connections import Connection

STOP_SECONDS = 2
KEEP_ALIVE_SECONDS = 30
_log = logging.getLogger(__name__)


class _Server(uvicorn.Server):
    """uvicorn, told to end event streams and scans as soon as a signal comes."""

    def __init__(self, config: uvicorn.Config, context: Context, stop_scans: Callable[[], None]) -> None:
        super().__init__(config)
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
    announce: Callable[[str, str, str], None],
    prepare: Callable[[Context], None] | None = None,
) -> None:
    """Serve until a signal. `announce` gets the console's URL and its one-time sign-in; `prepare` runs before.

    It gets the fingerprint of a certificate of the service's own, too. Raises SettingsError when the address cannot be listened
    on, and what `open_context` raises."""
    host, port = settings.address()
    if settings.own_certificate and not settings.tls_certificate:
        settings = _with_own_certificate(settings, machine)
    listener = _listen(host, port)
    _raise_file_limit()
    sys.setswitchinterval(0.001)
    context = open_context(settings, machine)
    if prepare is not None:
        prepare(context)
    app = create_app(context)
    scheme = "https" if settings.tls_certificate else "http"
    shown = f"[{host}]" if ":" in host else host
    url = f"{scheme}://{shown}:{listener.getsockname()[1]}"
    local = url.replace("//0.0.0.0:", "//127.0.0.1:").replace("//[::]:", "//[::1]:")
    config = uvicorn.Config(
        app, log_config=None, access_log=False, timeout_graceful_shutdown=STOP_SECONDS, lifespan="on",
        timeout_keep_alive=KEEP_ALIVE_SECONDS, http=Connection, ws="none",
        ssl_certfile=settings.tls_certificate, ssl_keyfile=settings.tls_key, server_header=False,
        headers=[(VERSION_HEADER, __version__)],
    )  # fmt: skip

    def stop_scans() -> None:
        for identity in app.state.scans.running:
            app.state.scans.stop(identity)

    path = write_service_file(context, local)
    try:
        own = settings.own_certificate and settings.tls_certificate
        shown_to = own_certificate.fingerprint(own) if own else ""
        announce(url, f"{url}/enter?ticket={app.state.gate.ticket()}", shown_to)
        _Server(config, context, stop_scans).run(sockets=[listener])
    finally:
        path.unlink(missing_ok=True)
        listener.close()


def _with_own_certificate(settings: Settings, machine: Machine) -> Settings:
    """The same, with the certificate that the service makes for itself. Raises SettingsError."""
    addresses = [str(one.ip) for adapter in adapters() for one in adapter.addresses]
    try:
        settings.home.mkdir(parents=True, exist_ok=True, mode=0o700)
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
        listener.listen(128)
    except OSError as error:
        listener.close()
        raise SettingsError(
            f"{host}:{port} cannot be listened on ({error.strerror}); another service may run there: choose --listen HOST:PORT"
        ) from error
    return listener


def _raise_file_limit() -> None:
    """A scan asks many hosts at once; take as many open files as the system lets an account have."""
    with contextlib.suppress(ValueError, OSError):
        _, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
        resource.setrlimit(resource.RLIMIT_NOFILE, (min(hard, 16384), hard))
