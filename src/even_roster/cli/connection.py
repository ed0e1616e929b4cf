"""How the command line speaks to a service: the client's calls over the standard library's HTTP, so that nothing waits for imports.

Answers are `Told`: they have the attributes of the models that the calls name, and that is how they are typed.
"""

from __future__ import annotations

import http.client
import json
import time
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar, cast
from urllib.parse import urlencode, urlsplit

from .. import __version__
from ..api.home import VERSION_HEADER
from ..client._blocking import Blocking
from ..client._calls import Call
from ..client._errors import RosterError, Unreachable, error_of
from ..client._place import Place, locate
from . import output
from .told import Told, told

if TYPE_CHECKING:
    from ..client._events import Happening

T = TypeVar("T")
CONNECT_SECONDS = 5.0
UNKNOWN = 401
"""Nobody is signed in (RFC 9110 15.5.2)."""
IDLE_SECONDS = 4.0  # before the service gives up a connection (see service/run.py)


class Service(Blocking):
    """A connection to a service. Raises Unreachable when there is none; every call raises RosterError and nothing else."""

    def __init__(self, server: str | None = None, token: str | None = None, home: Path | str | None = None) -> None:
        self.place = locate(home, server, token)
        self._line: http.client.HTTPConnection | None = None
        self._used = 0.0
        self._told = False

    def run(self, call: Call[T]) -> T:
        """Make one call."""
        body, kind = call.content, "application/octet-stream"
        if call.body is not None:
            body, kind = json.dumps(call.body).encode(), "application/json"
        answer = self._send(call.method, _path(call), body, kind, call.patience, call.headers)
        octets = _octets(self.place, answer)
        self._used = time.monotonic()
        self._look_at_version(answer)
        if answer.status == UNKNOWN:
            raise self._not_signed_in(octets)
        if answer.status >= 400:
            raise _problem(answer.status, octets)
        return cast(T, octets if call.answer == "bytes" else told(json.loads(octets or b"null")))

    def _not_signed_in(self, octets: bytes) -> RosterError:
        """Which token was missing, or not good, and where the right one is."""
        error = _problem(UNKNOWN, octets)
        if self.place.token:
            said = f"the token is not good at {self.place.url}; the one in its home folder is, until it is renewed"
        else:
            said = (
                f"{self.place.url} wants a token: EVEN_ROSTER_TOKEN, or --token-file FILE. "
                "The one in a home folder is sent to that home's own service alone"
            )
        error.args = (said,)
        return error

    def _look_at_version(self, answer: http.client.HTTPResponse) -> None:
        """Say once when the service is of another version than this command: it may not understand all of it."""
        theirs = answer.headers.get(VERSION_HEADER)
        if theirs is not None and theirs != __version__ and not self._told:
            self._told = True
            output.error(
                f"the service is of version {theirs[:20]}, this command of {__version__}: update the older one"
            )

    def events(self, after: str | None = None) -> Iterator[Happening]:
        """Everything that changes, as it happens; `after` is the id to resume behind. Ends when the service stops."""
        path = f"/api/v1/events?{urlencode({'after': after})}" if after else "/api/v1/events"
        answer = self._send("GET", path, None, "", None)
        if answer.status >= 400:
            raise _problem(answer.status, _octets(self.place, answer))
        from ..client._events import happenings

        try:
            yield from happenings(line.decode("utf-8", "replace").rstrip("\r\n") for line in answer)
        except (OSError, http.client.HTTPException) as error:
            raise _unreachable(self.place, error) from error
        finally:
            self.close()

    def close(self) -> None:
        """Close the connection."""
        if self._line is not None:
            self._line.close()
            self._line = None

    def _send(
        self,
        method: str,
        path: str,
        body: bytes | None,
        kind: str,
        patience: float | None,
        beside: dict[str, str] | None = None,
    ) -> http.client.HTTPResponse:
        headers = {**(beside or {}), "Accept": "application/json", "User-Agent": f"roster/{__version__}"}
        if self.place.token:
            headers["Authorization"] = f"Bearer {self.place.token}"
        if body is not None:
            headers["Content-Type"] = kind
        if self._line is not None and time.monotonic() - self._used > IDLE_SECONDS:
            self.close()
        try:
            if self._line is None:
                self._line = _connected(self.place)
            if self._line.sock is not None:
                self._line.sock.settimeout(patience)
            self._line.request(method, self._below(path), body, headers)
            return self._line.getresponse()
        except (OSError, http.client.HTTPException) as error:
            self.close()
            raise _unreachable(self.place, error) from error

    def _below(self, path: str) -> str:
        """A path of the API at a service that stands below a path of its server."""
        return urlsplit(self.place.url).path.rstrip("/") + path


def _connected(place: Place) -> http.client.HTTPConnection:
    """Raises OSError, Unreachable."""
    parts = urlsplit(place.url)
    if parts.scheme not in ("http", "https") or not parts.hostname:
        raise Unreachable(f"{place.url} is no address of a service; write it as http://HOST:PORT")
    try:
        port = parts.port
    except ValueError as error:
        raise Unreachable(f"{place.url} is no address of a service: {error}") from error
    if parts.scheme == "http":
        line = http.client.HTTPConnection(parts.hostname, port, timeout=CONNECT_SECONDS)
    else:
        import ssl

        checked = place.verification()
        context = checked if isinstance(checked, ssl.SSLContext) else ssl.create_default_context()
        line = http.client.HTTPSConnection(parts.hostname, port, timeout=CONNECT_SECONDS, context=context)
    line.connect()
    return line


def _path(call: Call[Any]) -> str:
    """A call's path with its parameters."""
    if not call.params:
        return call.path
    return f"{call.path}?{urlencode({name: _word(value) for name, value in call.params.items()}, doseq=True)}"


def _word(value: Any) -> Any:
    if isinstance(value, bool):
        return "true" if value else "false"
    return [_word(one) for one in value] if isinstance(value, list | tuple) else value


def _octets(place: Place, answer: http.client.HTTPResponse) -> bytes:
    try:
        return answer.read()
    except (OSError, http.client.HTTPException) as error:
        raise _unreachable(place, error) from error


def _problem(status: int, octets: bytes) -> RosterError:
    problem = {"title": "Error", "status": status, "code": "http", "detail": f"the service answered {status}"}
    try:
        found = json.loads(octets)
        if isinstance(found, dict) and isinstance(found.get("detail"), str):
            problem |= found
    except ValueError:
        pass
    usual = dict.fromkeys(
        ("field", "start", "end", "current", "given", "version", "anyway", "kinds", "candidates", "headers")
    )
    return error_of(cast(Any, Told({**usual, **problem})))


def _unreachable(place: Place, error: Exception) -> RosterError:
    distrusted = getattr(error, "verify_message", None)  # of ssl.SSLCertVerificationError
    if distrusted:
        return Unreachable(f"the service at {place.url} shows a certificate that cannot be trusted: {distrusted}")
    if isinstance(error, ConnectionResetError) or type(error).__name__ == "SSLEOFError":
        return Unreachable(
            f"the service at {place.url} closed the connection: it was stopped, or has as many as it takes; try again"
        )
    why = "it took too long to answer" if isinstance(error, TimeoutError) else "nothing answers there"
    return Unreachable(f"the service at {place.url} is not reachable: {why}; is it running?")
