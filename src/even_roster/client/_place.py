"""Finds the service of the same account: its URL and token."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from ..api.home import SERVICE_FILE, default_home
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
    """The service at `server`, or the one whose home folder this is. Raises Unreachable."""
    if server is not None and token is not None:
        return Place(server.rstrip("/"), token)
    folder = Path(home) if home is not None else default_home()
    try:
        written = json.loads((folder / SERVICE_FILE).read_text())
        found = Place(str(written["url"]), str(written["token"]), written.get("certificate"))
    except (OSError, ValueError, KeyError, TypeError, AttributeError):
        if server is not None:
            return Place(server.rstrip("/"), token)
        raise Unreachable(
            f"no service runs with its home in {folder}; start one with 'roster serve' or 'roster demo', "
            "or name its home with --home"
        ) from None
    if server is not None:
        return Place(server.rstrip("/"), token or found.token)
    return Place(found.url, token or found.token, found.certificate)
