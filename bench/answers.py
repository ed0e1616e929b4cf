"""How long a person waits for the first word of a command, and what a request costs the service's processor."""

from __future__ import annotations

import http.client
import json
import statistics
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from urllib.parse import urlsplit

import psutil
from tests.support.service import Service, demo

from .table import Table

TIMES = 15
GOALS = (
    ("healthz", "/healthz", "≤ 1 ms"), ("200 of the demo's devices", "/api/v1/devices?limit=200", "≤ 6 ms"),
    ("a device, by its name", "/api/v1/devices/printer-1", "≤ 4 ms"), ("the demo's findings", "/api/v1/findings", "≤ 4 ms"),
)  # fmt: skip


def starting(table: Table) -> None:
    """The command line from its start to its end, beside an interpreter that does nothing."""
    script = Path(sys.executable).parent / "roster"
    with demo(watch=False) as running:
        running.json("scan")
        home = ["--home", str(running.home)]
        bare = _median([sys.executable, "-c", "pass"])
        for name, words, goal in (
            ("roster --version", ["--version"], "≤ 4 × bare"), ("roster find printer", ["find", "printer", *home], "≤ 10 × bare"),
            ("roster device: 228 rows", ["device", *home], ""),
        ):  # fmt: skip
            took = _median([str(script), *words])
            floor = f"{bare * 1000:.0f} ms (python -c pass)"
            table.add(f"{name}, median", f"{took * 1000:.0f} ms", goal, floor=floor, ratio=took / bare)
        _requests(table, running)


def _requests(table: Table, running: Service) -> None:
    token = json.loads((running.home / "service.json").read_text())["token"]
    line = http.client.HTTPConnection(urlsplit(running.url).netloc)
    process = psutil.Process(running.process.pid)
    headers = {"Authorization": f"Bearer {token}"}

    def ask(path: str) -> Callable[[], None]:
        def once() -> None:
            line.request("GET", path, headers=headers)
            answer = line.getresponse()
            assert answer.status == 200, answer.status
            answer.read()

        return once

    floor = 0.0
    for name, path, goal in GOALS:
        spent = _processor_time(process, ask(path))
        floor = floor or spent
        told = f"{floor:.1f} ms (healthz)" if path != "/healthz" else ""
        table.add(
            f"processor time of a request: {name}, median", f"{spent:.1f} ms", goal, floor=told,
            ratio=spent / floor if path != "/healthz" else None,
        )  # fmt: skip


def _processor_time(process: psutil.Process, once: Callable[[], None], times: int = 60) -> float:
    found = []
    for _ in range(5):
        before = sum(process.cpu_times()[:2])
        for _ in range(times):
            once()
        found.append((sum(process.cpu_times()[:2]) - before) * 1000 / times)
    return statistics.median(found)


def _median(command: list[str]) -> float:
    found = []
    for _ in range(TIMES):
        began = time.perf_counter()
        subprocess.run(command, stdout=subprocess.DEVNULL, check=True)
        found.append(time.perf_counter() - began)
    return statistics.median(found)
