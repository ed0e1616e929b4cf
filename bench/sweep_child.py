"""Runs inside a network namespace: sweeps through raw frames in this process, and bare sends as their floor.

Prints one JSON line per run: wall and processor seconds, probes, addresses found; before them the floor.
"""

from __future__ import annotations

import json
import sys
import threading
import time

from even_roster.core.adapters import choose
from even_roster.core.mac import Mac, MacNumber
from even_roster.core.ranges import parse
from even_roster.core.targets import scannable
from even_roster.probe.machine import adapters
from even_roster.probe.packet import PacketSegment
from even_roster.probe.sweep import SweepJob, run_job
from even_roster.probe.sweep_engine import Answer, SweepPlan
from even_roster.wire import arp, ethernet

FLOOR_SENDS = 20_000


def main() -> None:
    """Arguments: range, pace, runs, 'known' or 'new' (whether hosts found before are expected)."""
    text, pace, runs, known = sys.argv[1], float(sys.argv[2]), int(sys.argv[3]), sys.argv[4] == "known"
    adapter = choose(adapters(), parse(text), None).adapter
    segment = PacketSegment(adapter)
    print(json.dumps({"floor_us": floor(segment)}), flush=True)
    targets = scannable(parse(text), adapter.networks)
    expected: set[int] = set()
    for _ in range(runs):
        found: set[int] = set()

        def report(answers: list[Answer], _progress: object, found: set[int] = found) -> None:
            found.update(answer.address for answer in answers if not answer.foreign)

        plan = SweepPlan(targets, 3, 2, expected if known else set())
        done = run_job(segment, SweepJob(adapter, plan, pace, 7), threading.Event(), report)
        print(
            json.dumps(
                {
                    "wall": done.seconds,
                    "cpu": done.cpu_seconds,
                    "probes": done.probes,
                    "found": len(found),
                    "lost_known": len(expected - found),
                }
            ),
            flush=True,
        )
        expected |= found


def floor(segment: PacketSegment) -> float:
    """Processor microseconds of a bare send of one ready frame on the same kind of socket."""
    adapter = segment.adapter
    assert adapter.mac is not None
    frame = ethernet.encode(
        arp.reply_to(
            arp.Arp(
                arp.Operation.REQUEST,
                Mac(MacNumber(2)),
                adapter.addresses[0].ip,
                Mac(MacNumber(0)),
                adapter.addresses[0].ip,
            ),
            adapter.mac,
            adapter.addresses[0].ip,
        )
    )
    door = segment.frames()
    began = time.thread_time()
    for _ in range(FLOOR_SENDS):
        door.send(frame)
    spent = time.thread_time() - began
    door.close()
    return spent / FLOOR_SENDS * 1e6


if __name__ == "__main__":
    main()
