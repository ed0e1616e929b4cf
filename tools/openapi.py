"""Prints the service's OpenAPI document: what the console's types are generated from."""

from __future__ import annotations

import json
import tempfile
from pathlib import Path

from even_roster.service.app import create_app
from even_roster.service.context import open_context
from even_roster.service.settings import Settings
from even_roster.standin import larkspur
from even_roster.standin.segment import StandinMachine


def document() -> str:
    """The document as JSON text."""
    with tempfile.TemporaryDirectory() as home:
        context = open_context(Settings(home=Path(home)), StandinMachine(larkspur.build()))
        text = json.dumps(create_app(context).openapi(), indent=1)
        context.close()
    return text


if __name__ == "__main__":
    print(document())
