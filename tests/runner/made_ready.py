"""What the tests of a run would otherwise each do anew, done once in the process that they are forks of: the program is imported, and
what it works out with its first start and never again is worked out."""

from __future__ import annotations

import gc
import importlib
import pkgutil
import threading
from typing import Any
from unittest.mock import patch

from sqlalchemy import create_engine

import even_roster
from tests.support.patience import until

IMPORTED_ONCE = (
    "pyroute2",
    "psutil",
    "openpyxl",
    "segno",
    "dns.resolver",
    "importlib.readers",
    "encodings.idna",
    "multiprocessing.spawn",
    "tests.support.drawing",
    "selenium.webdriver",
    "unittest.mock",
    "rich.live",
    "rich.table",
    "alembic.command",
    "http.client",
    "netaddr",
    "uvloop",
    "uvicorn.loops.uvloop",
    "uvicorn.lifespan.on",
    "fastapi.telemetry._runtime",
    "httpcore",
    "certifi",
    "anyio._backends._asyncio",
    "anyio.streams.tls",
)
"""What most modules need beside the program itself: each process would import it anew, for a second or two."""


def make_ready() -> None:
    """Import the program and what most modules need, and let it run once; forks share what came of that. Leaves no thread behind. What
    is wrong with the program is for the tests to tell: they go on without this."""
    try:
        _make_ready()
    except Exception as error:
        print(f"what all tests share could not be made ready, so each begins anew: {error!r}", flush=True)
    gc.collect()
    gc.freeze()


def _make_ready() -> None:
    for module in pkgutil.walk_packages(even_roster.__path__, "even_roster."):
        if ".migrations" not in module.name:  # those are loaded by the library that runs them
            importlib.import_module(module.name)
    for name in IMPORTED_ONCE:
        importlib.import_module(name)
    share_statements()
    _run_once()
    until(lambda: threading.active_count() == 1, lambda: f"what runs still: {threading.enumerate()}")


def share_statements() -> None:
    """Let all rosters of a process share the statements that the database library has put into words: it does so for each file anew,
    a quarter of the time of a test that opens one for a few questions."""
    first: list[Any] = []

    def shared(*given: Any, **named: Any) -> Any:
        engine = create_engine(*given, **named)
        if first:
            engine.dialect = engine.pool._dialect = first[0].dialect
            engine._compiled_cache = first[0]._compiled_cache
        else:
            first.append(engine)
        return engine

    patch("even_roster.store.database.create_engine", shared).start()


def _run_once() -> None:
    from tests.support.days import days, hall, prepared

    with days(hall, prepared) as site:
        site.scan("10.44.40.0/26")
