"""Where a service and the clients of the same account meet: the home folder and the file with URL and token in it."""

from __future__ import annotations

import os
from pathlib import Path

SERVICE_FILE = "service.json"
VERSION_HEADER = "Roster-Version"
"""In which each answer of a service names its version."""
HOME_VARIABLE = "EVEN_ROSTER_HOME"
SERVER_VARIABLE, TOKEN_VARIABLE = "EVEN_ROSTER_SERVER", "EVEN_ROSTER_TOKEN"
"""A service elsewhere, and what opens it: an option would show the token to everybody on the machine."""


def default_home() -> Path:
    """EVEN_ROSTER_HOME, else the platform's folder for user data."""
    given = os.environ.get(HOME_VARIABLE)
    if given:
        return Path(given)
    from platformdirs import user_data_path

    return user_data_path("even-roster", appauthor=False)
