"""Finds the service of the same account: its URL and token."""

from __future__ import annotations

import json
import os
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple
from urllib.parse import urlsplit

from ..api.home import SERVER_VARIABLE, SERVICE_FILE, TOKEN_VARIABLE, default_home
from ._errors import Unreachable

if TYPE_CHECKING:
    import ssl


class Place(NamedTuple):
    """Where a service is, and what opens it."""

    url: str
    token: str | None
    certificate: str | None = None

    def verification(self) -> ssl.SSLContext | bool:
        """How to check the service: by the very certificate that it named in its home folder, else as the system does.

        That file is this account's own, so the name in the certificate need not be the one we connect to.
        Raises Unreachable when the certificate cannot be read.
        """
        if self.certificate is None and not self.url.startswith("http:"):
            return True
        import ssl

        if self.certificate is None:
            # Nothing is checked without TLS, and reading whom the system trusts takes a sixth of a second; this trusts nobody.
            return ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
        try:
            context = ssl.create_default_context(cafile=self.certificate)
        except OSError as error:
            raise Unreachable(f"the service's certificate {self.certificate} cannot be read: {error}") from error
        context.check_hostname = False
        return context


def locate(home: Path | str | None = None, server: str | None = None, token: str | None = None) -> Place:
    """The service at `server`, or the one whose home folder this is. Raises Unreachable.

    What is left out is taken from EVEN_ROSTER_SERVER and EVEN_ROSTER_TOKEN, unless a home is named; that token opens the service
    of that variable, or whichever is named where only the token is set. The token in a home folder opens the service that the same
    file names and is sent to no other."""
    given_server, given_token = os.environ.get(SERVER_VARIABLE) or None, os.environ.get(TOKEN_VARIABLE) or None
    if server is None and home is None:
        server = given_server
    if server is not None:
        server = server.rstrip("/")
        if token is None and (given_server is None or _same(given_server, server)):
            token = given_token
    folder = Path(home) if home is not None else default_home()
    found = _written(folder / SERVICE_FILE)
    if server is not None:
        if found is None or not _same(found.url, server):
            return Place(server, token)
        return Place(server, token or found.token, found.certificate)
    if found is None:
        raise Unreachable(
            f"no service runs with its home in {folder}; start one with 'roster serve' or 'roster demo', "
            "or name its home with --home"
        )
    return found if token is None else found._replace(token=token)


def _written(path: Path) -> Place | None:
    """What a service wrote down in its home folder; None where none runs there."""
    try:
        written = json.loads(path.read_text())
        return Place(str(written["url"]), str(written["token"]), written.get("certificate"))
    except (OSError, ValueError, KeyError, TypeError, AttributeError):
        return None


def _same(one: str, other: str) -> bool:
    """Whether two addresses are one service's: the same scheme, host, port and path."""
    try:
        return _parts(one) == _parts(other)
    except ValueError:  # a port that is no number
        return False


def _parts(url: str) -> tuple[str, str, int | None, str]:
    parts = urlsplit(url)
    usual = {"http": 80, "https": 443}.get(parts.scheme)
    return parts.scheme, (parts.hostname or "").lower(), parts.port or usual, parts.path.rstrip("/")
