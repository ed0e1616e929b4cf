"""`roster scan`, `roster range`."""

from __future__ import annotations

import argparse
import time
from typing import TYPE_CHECKING, Any

from ..client import BadInput
from .common import called, connect, words
from .grammar import Noun, verb
from .output import Out, Progress, Text, ago, clock, duration, error, plain, point_at

if TYPE_CHECKING:
    from ..client import AddressResult, ScanInfo
    from .connection import Service

POLL, BAR = 0.25, 24
SILENT_UP_TO = 4096
_STATE_WORDS = {
    "running": "running", "done": "done", "stopped": "stopped by hand", "interrupted": "interrupted", "failed": "failed",
}  # fmt: skip


def add_commands(commands: Any, shared: argparse.ArgumentParser) -> None:
    """Add this module's commands."""
    scan = verb(commands, shared, "scan", _scan)
    scan.description = (
        "Scan ranges: 10.44.10.0/24, 10.44.10.20-60, one address, or a remembered range's or planned subnet's name. "
        "Without a target: the remembered ranges of this segment, or the adapter's own subnet."
    )
    scan.add_argument("targets", nargs="*", metavar="TARGET", help="a range, in any of the usual forms")
    scan.add_argument(
        "--except", dest="exceptions", action="append", default=[], metavar="T", help="a range to leave out"
    )
    scan.add_argument("--pace", type=float, default=1000.0, metavar="N", help="probes a second (default 1000)")
    scan.add_argument(
        "--rounds", type=int, default=3, metavar="N", help="how often a silent address is asked (default 3)"
    )
    scan.add_argument("--adapter", metavar="NAME", help="the adapter to scan from")
    scan.add_argument("--ports", metavar="LIST", help="TCP ports to try, as 22,80,443; 'none' for none")
    scan.add_argument("--no-names", action="store_true", help="do not ask responders for their names")
    scan.add_argument("--confirm", action="store_true", help="yes, scan a range of over 4,096 addresses")
    earlier = scan.add_mutually_exclusive_group()
    earlier.add_argument("--earlier", action="store_true", help="scan nothing: list the scans there were")
    earlier.add_argument("--show", type=int, metavar="ID", help="scan nothing: what an earlier scan found")
    earlier.add_argument("--stop", type=int, metavar="ID", help="end a scan that runs, and keep what it found")
    scan.add_argument("--limit", type=int, default=20, metavar="N", help="of earlier ones at most so many (default 20)")
    ranges = Noun(commands, shared, "range", _ranges)
    setting = ranges.verb("set", "give a range a name to scan it by", _name_range)
    setting.add_argument("id", type=int, metavar="ID")
    setting.add_argument("--name", required=True, metavar="NAME")
    ranges.verb("remove", "remember a range no longer", _forget_range).add_argument("id", type=int, metavar="ID")


def _ports(text: str | None) -> list[int] | None:
    if text is None:
        return None
    if text.strip().lower() == "none":
        return []
    ports = []
    for word in words(text):
        if not word.isdigit() or not 1 <= int(word) <= 65535:
            raise argparse.ArgumentTypeError(f"{word!r} is not a TCP port; write numbers from 1 to 65535, as 22,80,443")
        ports.append(int(word))
    return ports


def _scan(options: argparse.Namespace) -> int:
    from ..client import ScanRequest

    if options.earlier or options.show is not None or options.stop is not None:
        return _scans(options)
    out = Out(options.json)
    try:
        request = ScanRequest(
            targets=options.targets, exceptions=options.exceptions, pace=options.pace, rounds=options.rounds,
            adapter=options.adapter, ports=_ports(options.ports), with_names=not options.no_names, confirm=options.confirm,
        )  # fmt: skip
    except argparse.ArgumentTypeError as bad:
        error(str(bad))
        return 2
    with connect(options) as roster:
        try:
            scan = roster.start_scan(request)
        except BadInput as bad:
            error(str(bad))
            if bad.problem.start is not None and bad.problem.end is not None:
                point_at(", ".join(options.targets), bad.problem.start, bad.problem.end)
            return 2
        if not options.json:
            out.notice(f"Scanning {scan.targets} from {scan.adapter}: {scan.reason}.")
        scan = _follow(roster, scan, out)
        _show(roster, scan, out)
    return 0 if scan.state in ("done", "stopped") else 1


def _follow(roster: Service, scan: ScanInfo, out: Out) -> ScanInfo:
    """Wait for the end, with progress on a terminal; Ctrl-C stops the scan and keeps what it found."""
    with Progress() as progress:
        try:
            while scan.state == "running":
                time.sleep(POLL)
                scan = roster.scan(scan.id)
                phase = "asking names" if scan.phase == "names" else f"round {scan.round or 1} of {scan.rounds}"
                left = f"  about {duration(scan.seconds_left)} left" if scan.seconds_left else ""
                done = round(scan.done_part * BAR)
                bar = "=" * done + "." * (BAR - done)
                progress.show(f"{phase}  [{bar}] {scan.done_part:4.0%}  {scan.answered_count:,} answered{left}")
        except KeyboardInterrupt:
            progress.show("stopping")
            scan = roster.stop_scan(scan.id)
    return scan


def _show(roster: Service, scan: ScanInfo, out: Out) -> None:
    silent = scan.total <= SILENT_UP_TO
    if out.as_json:
        head = (
            "id",
            "state",
            "segment",
            "adapter",
            "targets",
            "probes",
            "started",
            "seconds",
            "answered_count",
            "silent_count",
        )
        record = {
            name: value for name, value in plain(scan).items() if name in {*head, "door", "foreign_count", "remarks"}
        }
        out.json_list(roster.results(scan.id, silent=silent), scan=record)
        return
    rows = [_row(result) for result in roster.results(scan.id)]
    if rows:
        out.table(("address", "name", "mac", "vendor", "reply", "by", "ports"), rows, right=("reply",))
        out.say("")
    out.say(_summary(scan), "bold")
    for note in scan.remarks:
        out.say(f"Note: {note}.")


def _summary(scan: ScanInfo) -> str:
    foreign = f", {scan.foreign_count} at foreign addresses" if scan.foreign_count else ""
    return (
        f"Scan {scan.id} of {scan.targets}: {_STATE_WORDS[scan.state]} after {duration(scan.seconds)}. "
        f"{scan.answered_count:,} answered, {scan.silent_count:,} silent{foreign}; {scan.probes:,} probes."
    )


def _row(result: AddressResult) -> tuple[str | Text, ...]:
    name = (result.device.name if result.device else None) or (result.names[0].name if result.names else "")
    two = len(result.claims) > 1
    address = Text(result.address)
    if two:
        address.append(f"  claimed by {'two' if len(result.claims) == 2 else len(result.claims)}", style="bold red")
    elif result.foreign:
        address.append("  foreign", style="yellow")
    mac = Text("\n".join(m.mac for m in result.claims))
    vendor = "\n".join(m.vendor or ("locally administered" if m.local else "") for m in result.claims)
    reply = f"{result.rtt_ms.min:.1f} ms" if result.rtt_ms else ""
    by = "+".join(result.by) or ("overheard" if result.foreign else "this machine")
    return address, name, mac, vendor, reply, by, " ".join(str(port) for port in result.ports)


def _scans(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        if not options.earlier:
            _show(roster, roster.scan(options.show) if options.stop is None else roster.stop_scan(options.stop), out)
            return 0
        found = list(roster.scans(limit=max(1, options.limit)))
        if options.json:
            out.json_list(found)
            return 0
        if not found:
            out.say("No scan yet. 'roster scan' makes the first.")
            return 1
        out.table(
            ("id", "state", "started", "took", "targets", "adapter", "answered", "silent", "foreign"),
            [
                (
                    str(s.id), _STATE_WORDS[s.state], clock(s.started), duration(s.seconds), s.targets, s.adapter,
                    f"{s.answered_count:,}", f"{s.silent_count:,}", str(s.foreign_count),
                )
                for s in found
            ],
            right=("id", "took", "answered", "silent", "foreign"),
        )  # fmt: skip
    return 0


def _ranges(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = roster.ranges()
    if options.json:
        out.json_list(found)
    elif not found:
        out.say("No range is remembered yet; a scan remembers its range.")
    else:
        rows = [(str(r.id), r.name or "", r.text, f"{r.count:,}", called(r.subnet), ago(r.last_scan)) for r in found]
        out.table(("id", "name", "range", "addresses", "segment", "last scan"), rows, right=("id", "addresses"))
    return 0


def _name_range(options: argparse.Namespace) -> int:
    with connect(options) as roster:
        roster.name_range(options.id, options.name)
    return _ranges(options)


def _forget_range(options: argparse.Namespace) -> int:
    with connect(options) as roster:
        roster.forget_range(options.id)
    return _ranges(options)
