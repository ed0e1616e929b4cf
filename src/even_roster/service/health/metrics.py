"""What /metrics says, in the OpenMetrics text format (RFC-track openmetrics 1.0)."""

from __future__ import annotations

import os
from collections.abc import Iterable

import psutil

from ... import __version__
from ...store import device_queries, finding_records, scan_records
from ..context import Context, now_ms
from ..scans.running_scans import RunningScans
from ..watching.listening import Listening
from ..web.accepting import Places


def render(context: Context, scans: RunningScans, places: Places, listening: Listening) -> str:
    """The whole exposition, ended by '# EOF'."""
    with context.database.read() as connection:
        totals = device_queries.totals(connection)
        states = scan_records.count_by_state(connection)
        found = finding_records.counts(connection)
    memory = psutil.Process(os.getpid()).memory_info().rss
    lines: list[str] = []
    lines += _family("roster_build", "info", "The version that runs", [({"version": __version__}, 1)], "_info")
    lines += _family(
        "roster_uptime_seconds", "gauge", "Seconds since start", [({}, (now_ms() - context.started) / 1000)]
    )
    lines += _family("roster_devices", "gauge", "Devices in the roster", [({}, totals["devices"])])
    lines += _family("roster_devices_unknown", "gauge", "Devices that nobody has named", [({}, totals["unknown"])])
    told = "Devices that are planned and were never seen"
    lines += _family("roster_devices_expected", "gauge", told, [({}, totals["expected"])])
    lines += _family("roster_adapters", "gauge", "Adapters in the roster", [({}, totals["adapters"])])
    lines += _family("roster_stays", "gauge", "Recorded stays", [({}, totals["stays"])])
    lines += _family("roster_scans", "gauge", "Scans by state", [({"state": s}, n) for s, n in sorted(states.items())])
    lines += _family("roster_scans_running", "gauge", "Scans that run now", [({}, len(scans.running))])
    lines += _family(
        "roster_findings", "gauge", "Findings by severity", [({"severity": s}, n) for s, n in found.items()]
    )
    lines += _family("roster_event_listeners", "gauge", "Clients that listen for events", [({}, context.hub.listeners)])
    lines += _family("roster_connections", "gauge", "Connections", [
        ({"signed_in": "no"}, places.strangers), ({"signed_in": "yes"}, places.connections - places.strangers),
    ])  # fmt: skip
    told = "Connections, requests and streams that found no place"
    lines += _family("roster_refused", "counter", told, [({}, places.refused)], "_total")
    heard = sorted(listening.heard.items())
    told = "Frames that came on an adapter that is listened on"
    lines += _family("roster_frames", "counter", told, [({"adapter": n}, h.frames) for n, h in heard], "_total")
    told = "Frames that came and were not looked at"
    left = [({"adapter": name}, one.unread + one.lost) for name, one in heard]
    lines += _family("roster_frames_left_out", "counter", told, left, "_total")
    questions = context.findings.world.questions
    told = "Addresses that are in question and wait to be asked for"
    lines += _family("roster_questions_waiting", "gauge", told, [({}, len(questions))])
    told = "Addresses in question that found no room"
    lines += _family("roster_questions_held_back", "counter", told, [({}, questions.held_back)], "_total")
    told = "How long the rules took at most for one piece of work"
    lines += _family("roster_rules_seconds_most", "gauge", told, [({}, round(context.findings.longest, 3))])
    ended = [({"work": name}, one.times) for name, one in sorted(context.supervisor.ended.items())]
    lines += _family("roster_work_restarts", "counter", "Standing work that ended by an error", ended, "_total")
    lines += _family("roster_memory_bytes", "gauge", "Resident memory", [({}, memory)])
    return "\n".join([*lines, "# EOF", ""])


def _family(
    name: str, kind: str, about: str, samples: Iterable[tuple[dict[str, str], float]], suffix: str = ""
) -> list[str]:
    lines = [f"# TYPE {name} {kind}", f"# HELP {name} {about}."]
    for labels, value in samples:
        inside = ",".join(f'{key}="{text}"' for key, text in labels.items())
        lines.append(f"{name}{suffix}{{{inside}}} {value}" if inside else f"{name}{suffix} {value}")
    return lines
