"""Finds the service of the same account: its URL and token."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path

from ..api.places import SERVICE_FILE, default_home
from ._errors import Unreachable


@dataclass(frozen=True, slots=True)
class Place:
    """Where a service is, and what opens it."""

    url: str
    token: str | None


def locate(home: Path | str | None = None, server: str | None = None, token: str | None = None) -> Place:
    """The service at `server`, or the one whose home folder this is. Raises Unreachable."""
    if server is not None and token is not None:
        return Place(server.rstrip("/"), token)
    folder = Path(home) if home is not None else default_home()
    try:
        written = json.loads((folder / SERVICE_FILE).read_text())
        found = Place(str(written["url"]), str(written["token"]))
    except (OSError, ValueError, KeyError, TypeError):
        if server is not None:
            return Place(server.rstrip("/"), token)
        raise Unreachable(
            f"no service runs with its home in {folder}; start one with 'roster serve' or 'roster demo', "
            "or name its home with --home"
        ) from None
    return Place(server.rstrip("/") if server else found.url, token or found.token)
