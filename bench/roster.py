"""How quick a roster of 50,000 devices answers."""

from __future__ import annotations

import json
import sqlite3
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import psutil
from tests.support.lab import environment
from tests.support.service import demo

from even_roster.client import Roster
from even_roster.core.address import Address
from even_roster.core.mac import MacNumber
from even_roster.core.measure import measure
from even_roster.core.names import Name, NameSource
from even_roster.core.ranges import parse
from even_roster.core.stays import Sighting, Source
from even_roster.store import scan_records
from even_roster.store.database import Database
from even_roster.store.intake import NameHeard, take_in
from even_roster.store.scan_records import SegmentSeen

from .scanning import peak_memory
from .table import Table

DEVICES = 50_000
_BASE = 0x0A2C0000


def fill(path: Path) -> None:
    """A roster of DEVICES devices with names, as scans would have left it."""
    database = Database(path)
    now = time.time_ns() // 1_000_000
    with database.write() as connection:
        segment = scan_records.segment_id(connection, SegmentSeen("office0", "10.44.0.0/16", None), now)
    for start in range(0, DEVICES, 5000):
        numbers = range(start, start + 5000)
        sightings = [
            Sighting(Address(_BASE + n), MacNumber(0x02C044000000 + n), now - start, Source.ARP) for n in numbers
        ]
        names = [
            NameHeard(
                Address(_BASE + n),
                MacNumber(0x02C044000000 + n),
                Name(f"host-{n:05}.larkspur.example", NameSource.DNS),
                now,
            )
            for n in numbers
        ]
        with database.write() as connection:
            take_in(connection, segment, sightings, names, {}, lambda _: "Quillmark Printing")
    database.close()


def p95(ask: Callable[[int], object], times: int = 60) -> float:
    """The 95th percentile of a call's milliseconds."""
    spent = []
    for number in range(times):
        began = time.perf_counter()
        ask(number)
        spent.append((time.perf_counter() - began) * 1000)
    return sorted(spent)[int(times * 0.95)]


def rested(process: psutil.Process, seconds: float = 30.0) -> float:
    """Wait until a service that has just started has looked at everything; gives the seconds that took."""
    began = time.monotonic()
    spent = -1.0
    while time.monotonic() - began < seconds:
        now = sum(process.cpu_times()[:2])
        if spent >= 0 and now - spent < 0.05:
            break
        spent = now
        time.sleep(0.5)
    return time.monotonic() - began


def questions(table: Table) -> None:
    """List, search and explain through the client, beside the cheapest call there is."""
    with tempfile.TemporaryDirectory() as folder:
        home = Path(folder) / "home"
        home.mkdir()
        fill(home / "roster.db")
        with demo("--new-key", home=home, anew=True) as running, running.client() as roster:
            seconds = rested(psutil.Process(running.process.pid))
            table.add(
                "50,000 devices: from the first answer until the service rests, to half a second",
                f"{seconds:.1f} s",
                "",
            )
            floor = p95(lambda _: roster.health())
            asks: tuple[tuple[str, Callable[[int], object]], ...] = (
                ("list, 200 rows", lambda _: roster.devices(total=True, limit=200)),
                (
                    "list by name, descending",
                    lambda _: roster.devices(sort="name", descending=True, total=True, limit=200),
                ),
                ("search that finds one", lambda n: roster.devices(q=f"host-0{n:04}", total=True, limit=200)),
                ("search that finds nothing", lambda _: roster.devices(q="nothing at all", total=True, limit=200)),
                ("find a MAC fragment", lambda n: roster.find(f"44-00-0{n % 10}")),
                ("explain an address", lambda n: roster.explain(f"10.44.{n}.7")),
                ("a device's sheet", lambda n: roster.device(100 + n)),
            )
            for name, ask in asks:
                took = p95(ask)
                table.add(
                    f"50,000 devices: {name}, p95",
                    f"{took:.0f} ms",
                    "≤ 50 ms",
                    floor=f"{floor:.1f} ms (healthz)",
                    ratio=took / floor,
                )
            _stream(table, roster, home)


def _stream(table: Table, roster: Roster, home: Path) -> None:
    began = time.perf_counter()
    with sqlite3.connect(home / "roster.db") as connection:
        rows = connection.execute("SELECT * FROM devices").fetchall()
    floor_size = len(json.dumps(rows))
    floor = time.perf_counter() - began
    began = time.perf_counter()
    command = [sys.executable, "-m", "even_roster.cli.main", "--home", str(home), "device", "--json"]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, env=environment())
    assert process.stdout is not None
    size = peak = 0
    while block := process.stdout.read(1 << 18):
        size += len(block)
        peak = max(peak, peak_memory(process.pid))
    process.wait()
    took = time.perf_counter() - began
    assert size > floor_size / 2
    table.add(
        "50,000 devices: roster device --json",
        f"{took:.1f} s",
        "streams",
        floor=f"{floor:.2f} s (SQLite and json alone)",
        ratio=took / floor,
    )
    table.add("the same: peak memory of the command", f"{peak / 1024:.0f} MB", "streams: not all held")


def sums(table: Table) -> None:
    """Set arithmetic on a /8, beside the same on a /24."""

    def work(text: str) -> Callable[[int], object]:
        other = parse("10.44.10.0/24, 10.44.20.7-99, 10.200.0.0/13")

        def ask(_: int) -> object:
            found = measure(text)
            return found.spans - other, found.spans & other, found.spans | other, found.spans.covers(other)

        return ask

    small, large = p95(work("10.44.10.0/24"), 300), p95(work("10.0.0.0/8"), 300)
    table.add(
        "measure and all set operations on 10.0.0.0/8, p95",
        f"{large:.2f} ms",
        "≤ 5 ms",
        floor=f"{small:.2f} ms (a /24)",
        ratio=large / small,
    )
