"""How fast and how completely a link is swept."""

from __future__ import annotations

import contextlib
import json
import shutil
import sqlite3
import statistics
import struct
import sys
import tempfile
import time
from bisect import bisect_left
from collections.abc import Iterator
from itertools import pairwise
from pathlib import Path
from typing import Any

from tests.support.lab import Inside, Namespace, namespace, tap_hosts
from tests.support.service import service

from even_roster.api.plan import SubnetNew
from even_roster.api.scans import ScanRequest

from .table import Table

RUNS = 20
WAITED_RUNS = 10


def sweeps(inside: Namespace, text: str, pace: int, runs: int, known: bool) -> Iterator[dict[str, Any]]:
    """The floor, then one result per run."""
    out = inside.run(sys.executable, "-m", "bench.sweep_child", text, str(pace), str(runs), "known" if known else "new")
    return (json.loads(line) for line in out.splitlines())


def small_link(table: Table) -> None:
    """A /24 with 200 hosts, without and with loss."""
    waits = 254 / 1000 + 3 * 0.4
    with namespace() as inside, tap_hosts(inside, "10.77.0.2/24", 200):
        _, *runs = sweeps(inside, "10.77.0.0/24", 1000, RUNS, False)
        wall = statistics.median(run["wall"] for run in runs)
        found = min(run["found"] for run in runs)
        table.add(
            "/24, 200 hosts, 1,000 probes/s: median wall", f"{wall:.2f} s", "≤ 2.0 s", ratio=wall / waits,
            floor=f"{waits:.2f} s (sends at the pace + three shortest waits)",
        )  # fmt: skip
        table.add(f"/24, 200 hosts: found in the worst of {RUNS} runs", f"{found} of 200", "200")
    with namespace() as inside, tap_hosts(inside, "10.77.0.2/24", 200, "--lose", "0.05"):
        _, *runs = sweeps(inside, "10.77.0.0/24", 1000, RUNS, True)
        total, lost = sum(run["found"] for run in runs), sum(run["lost_known"] for run in runs)
        table.add(f"/24, 5 % of replies lost: found in {RUNS} runs", f"{total:,} of 4,000", "≥ 3,996")
        table.add("/24, 5 % lost: hosts already known that were missed", str(lost), "0")


def waited_for(table: Table) -> None:
    """What a person waits for: the same link through the whole service, from the accepted order to the last address stored."""
    with (
        namespace() as inside,
        tap_hosts(inside, "10.77.0.2/24", 200, "--twice", "2"),
        service("serve", inside=inside, watch=True, anew=True) as running,
        contextlib.closing(Inside(inside)) as within,
    ):
        roster = within.do(running.client)
        within.do(lambda: roster.add_subnet(SubnetNew(range="10.77.0.0/24", name="Bench")))
        times = []
        for _run in range(WAITED_RUNS):
            began = time.monotonic()
            scan = within.do(lambda: roster.start_scan(ScanRequest(targets=["10.77.0.0/24"])))
            while _stored(running.home, scan.id) < 201:
                time.sleep(0.01)
            times.append(time.monotonic() - began)
            while within.do(lambda found=scan: roster.scan(found.id)).state == "running":  # type: ignore[misc]
                time.sleep(0.1)
        twice = {
            f.subjects[0].value for f in within.do(lambda: list(roster.findings())) if f.kind == "duplicate-address"
        }
    table.add(
        f"/24, 200 hosts, two duplicates, names and watching on: order to last address stored, median of {WAITED_RUNS}",
        f"{statistics.median(times):.2f} s", "≤ 2.0 s", floor="0.25 s (sends at the pace)", ratio=statistics.median(times) / 0.254,
    )  # fmt: skip
    table.add("the same: duplicates told", str(len(twice)), "2")


def _stored(home: Path, scan: int) -> int:
    with sqlite3.connect(home / "roster.db") as connection:
        return int(connection.execute("SELECT count(*) FROM scan_results WHERE scan_id = ?", (scan,)).fetchone()[0])


def large_link(table: Table) -> None:
    """A /16 with 40,000 hosts: engine alone, then the whole service with the wire captured."""
    with namespace() as inside, tap_hosts(inside, "10.77.0.2/16", 40_000):
        floor, run = sweeps(inside, "10.77.0.0/16", 10_000, 1, False)
        bound = run["probes"] / 10_000 + 3
        cpu = run["cpu"] / run["probes"] * 1e6
        table.add("/16, 40,000 hosts, 10,000 probes/s: found", f"{run['found']:,}", "40,000")
        table.add(
            "/16: wall of the sweep",
            f"{run['wall']:.1f} s",
            "≤ 1.3 ×",
            floor=f"{bound:.1f} s (probes ÷ pace + 3 s)",
            ratio=run["wall"] / bound,
        )
        table.add(
            "/16: engine processor time per probe",
            f"{cpu:.1f} µs",
            "≤ 15 µs",
            floor=f"{floor['floor_us']:.1f} µs (bare send)",
            ratio=cpu / floor["floor_us"],
        )
    _service(table)


def _service(table: Table) -> None:
    with namespace() as inside, tap_hosts(inside, "10.77.0.2/16", 40_000), tempfile.TemporaryDirectory() as folder:
        Path(folder).chmod(0o777)
        with service("serve", inside=inside, anew=True) as running:
            capture = _capture(inside, Path(folder) / "sent.pcap")
            done = running.json("scan", "10.77.0.0/16", "--pace", "10000", "--confirm", "--no-names", "--ports", "none")
            scan: Any = done["scan"]
            sent: list[float] = []
            if capture is not None:
                capture.terminate()
                capture.communicate(timeout=20)
                sent = _times(Path(folder) / "sent.pcap")
            listed: Any = running.json("devices", "--limit", "1")
            assert listed["items"]
            bound = scan["probes"] / 10_000 + 3
            table.add(
                "/16 through the service: stored and visible",
                f"{scan['seconds']:.1f} s",
                "≤ 1.3 × + 5 s",
                floor=f"{bound:.1f} s (probes ÷ pace + 3 s)",
                ratio=scan["seconds"] / bound,
            )
            if sent:
                rest = scan["seconds"] - (sent[-1] - sent[0])
                table.add("/16: from the last probe to the last result visible", f"{rest:.1f} s", "≤ 5 s")
                _pace(table, sent)
            memory = peak_memory(running.process.pid)
            table.add("/16: peak memory of the service", f"{memory / 1024:.0f} MB", "< 250 MB")


def _capture(inside: Namespace, file: Path) -> Any:
    if shutil.which("dumpcap") is None:
        return None
    mac = json.loads(inside.ip("-j", "link", "show", "site0"))[0]["address"]
    process = inside.start(
        "dumpcap", "-q", "-P", "-s", "64", "-B", "64", "-i", "site0", "-w", str(file), "-f", f"ether src {mac}"
    )
    time.sleep(1.5)
    return process


def _times(file: Path) -> list[float]:
    """Send times of the sweep's frames (ARP requests and echoes) in a pcap file of microseconds."""
    data, at, found = file.read_bytes(), 24, []
    while at + 16 <= len(data):
        seconds, micros, size, _ = struct.unpack_from("=IIII", data, at)
        frame = data[at + 16 : at + 16 + size]
        if frame[12:14] == b"\x08\x06" or (frame[12:14] == b"\x08\0" and frame[23] == 1):
            found.append(seconds + micros / 1e6)
        at += 16 + size
    return found


def _pace(table: Table, sent: list[float]) -> None:
    """Probes in any full second of the steady part, and the longest run of frames without a gap."""
    counts, at = [], sent[0]
    while at < sent[-1] - 2.5:
        counts.append(bisect_left(sent, at + 1) - bisect_left(sent, at))
        at += 0.05
    table.add(
        "/16: probes in the slowest and the fastest full second", f"{min(counts):,} / {max(counts):,}", "10,000 ± 200"
    )
    longest = run = 1
    for one, other in pairwise(sent):
        run = run + 1 if other - one < 0.0002 else 1
        longest = max(longest, run)
    table.add("/16: longest burst", f"{longest} frames", "≤ 64")


def peak_memory(pid: int) -> int:
    """Peak resident memory in kB of a process; 0 when it has ended."""
    try:
        lines = Path(f"/proc/{pid}/status").read_text().splitlines()
    except OSError:
        return 0
    return next((int(line.split()[1]) for line in lines if line.startswith("VmHWM")), 0)
