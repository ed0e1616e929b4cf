"""`roster file`, `dns`, `card`: spreadsheets in and out, names as texts, settings to type in."""

from __future__ import annotations

import argparse
import shlex
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

from .common import bad_input, called, connect
from .grammar import Noun, verb
from .output import Out, Text

if TYPE_CHECKING:
    from ..api.spreadsheets import CardView, ImportReport

_MARKS = {"add": ("+", "green"), "change": ("~", "yellow"), "refused": ("!", "bold red"), "same": ("=", "dim")}
SNIPPETS = ("networkd", "netplan", "ifupdown", "powershell")


def add_commands(commands: Any, shared: argparse.ArgumentParser) -> None:
    """Add this module's commands."""
    file = Noun(commands, shared, "file", _how)
    taking = file.verb("in", "assignments from a spreadsheet (CSV or XLSX), all or none", _import)
    taking.add_argument("file", metavar="FILE", help="'-' for standard input")
    taking.add_argument(
        "--dry-run", action="store_true", help="only say what would be added, changed and refused, and why"
    )
    taking.add_argument(
        "--map",
        action="append",
        default=[],
        metavar="FIELD=HEADER",
        help="which column is which, where the headers leave it open",
    )
    giving = file.verb("out", "assignments as a spreadsheet that can be taken in again", _export, "- --in Office")
    giving.add_argument("file", metavar="FILE", help="ends in .csv or .xlsx; '-' for CSV on standard output")
    giving.add_argument("--in", dest="subnet", metavar="SUBNET")
    card = verb(commands, shared, "card", _card)
    card.add_argument("address", metavar="ADDRESS|DEVICE")
    card.add_argument("--snippet", choices=SNIPPETS, help="as a piece of a host's configuration")
    card.add_argument("--adapter", default="eth0", metavar="NAME", help="the adapter's name there, for snippets")
    dns = Noun(commands, shared, "dns", _names)
    dns.verb("hosts", "the names as a hosts file", _hosts, "")
    zone = dns.verb("zone", "as a zone: of a domain, or of a subnet's reverse names", _zone, "larkspur.example")
    zone.add_argument("zone", nargs="?", metavar="DOMAIN|SUBNET", help="all when left out")
    zone.add_argument(
        "--nameserver",
        action="append",
        default=[],
        metavar="NAME[=ADDRESS]",
        help="the zone's own DNS servers, the first is primary; left out, those that the site hands out",
    )
    check = dns.verb("check", "does the site's DNS say what the roster says", _check, "--in Office")
    check.add_argument("--nameserver", metavar="ADDRESS", help="ask this one; else the planned one")
    check.add_argument("--in", dest="subnet", metavar="SUBNET")


def _how(options: argparse.Namespace) -> int:
    """Standing alone there is nothing to list: it says what there is."""
    out = Out(options.json)
    ways = {"in": "roster file in FILE [--dry-run]", "out": "roster file out FILE [--in SUBNET]"}
    out.json({"ways": ways}) if options.json else out.facts(ways.items())
    return 0


def _names(options: argparse.Namespace) -> int:
    """The zones there are, and how many names are in each."""
    out = Out(options.json)
    with connect(options) as roster:
        found = roster.names_text()
    zones = [{"zone": one.zone, "names": _count(one.text)} for one in found.zones]
    if options.json:
        out.json({"zones": zones})
    else:
        out.table(("zone", "records"), [(str(one["zone"]), f"{one['names']:,}") for one in zones], right=("records",))
    return 0


def _count(text: str) -> int:
    return sum(1 for line in text.splitlines() if {"A", "AAAA", "PTR"} & set(line.split()[1:4]))


def _import(options: argparse.Namespace) -> int:
    out = Out(options.json)
    mapping = {}
    for pair in options.map:
        field, equals, header = pair.partition("=")
        if not equals:
            raise bad_input(f"{pair!r} is not FIELD=HEADER; write one such as address=IP")
        mapping[field] = header
    try:
        data = sys.stdin.buffer.read() if options.file == "-" else Path(options.file).read_bytes()
    except OSError as bad:
        raise bad_input(f"{options.file} cannot be read: {bad.strerror}") from bad
    with connect(options) as roster, out.waiting("reading the table"):
        report = roster.import_sheet(data, options.dry_run, mapping, 100_000 if options.json else 200)
    if options.json:
        out.json(report)
    else:
        _print_report(out, report)
    return 1 if report.refused_count else 0


def _print_report(out: Out, report: ImportReport) -> None:
    taken = ", ".join(
        f"{header} → {field}" if header.casefold() != field else field for field, header in report.columns.items()
    )
    out.say(f"Read as {report.read_as}; columns: {taken}.", "dim")
    if report.ignored:
        out.say(f"Not used: {', '.join(report.ignored)}.", "dim")
    if report.columns_by_values:
        told = " and ".join(
            f"{report.columns[field]} as the {'MAC' if field == 'mac' else field}" for field in report.columns_by_values
        )
        out.say(f"Taken by what stands in it: {told}; look whether that is so.", "yellow")
    grouped = any(cause.count > 1 or cause.remedies for cause in report.causes)  # else the rows say the same
    for cause in report.causes if grouped else ():
        where = f", {cause.column}" if cause.column else ""
        more = " …" if cause.count > len(cause.rows) else ""
        rows = ", ".join(map(str, cause.rows))
        rows_word = "row" if cause.count == 1 else "rows"
        many = "1 row" if cause.count == 1 else f"{cause.count:,} rows"
        out.line(
            Text(
                f"{many} refused{where}: {cause.cause} ({rows_word} {rows}{more})",
                style="bold",
            )
        )
        for remedy in cause.remedies:
            changed = [pair for pair in remedy.mapping if pair not in _as_read(report)]
            out.say(f"    {remedy.said}: {' '.join(f'--map {shlex.quote(pair)}' for pair in changed)}")
    for row in report.rows:
        mark, style = _MARKS[row.action]
        told = row.reason if row.action == "refused" else _values(row.before, row.after)
        where = f" {row.column}:" if row.action == "refused" and row.column else ""
        out.line(Text.assemble((f"{mark} ", style), f"row {row.row:<6} {row.address:15}", (where, "bold"), f" {told}"))
        if row.warning:
            out.line(Text(f"    but {row.warning}", style="yellow"))
    total = report.added_count + report.changed_count + report.refused_count
    if total > len(report.rows):
        out.say(f"… and {total - len(report.rows):,} rows more", "dim")
    word = "would be" if report.dry_run else "were"
    out.say(
        f"{report.added_count:,} {word} added, {report.changed_count:,} changed, {report.same_count:,} are the same, "
        f"{report.refused_count:,} refused.",
        "bold",
    )
    if report.change_id:
        out.say(f"'roster change undo {report.change_id}' takes all of it back.", "dim")
    elif report.dry_run and report.refused_count:
        out.say("Nothing can be imported while rows are refused: correct them first.")


def _as_read(report: ImportReport) -> set[str]:
    return {f"{field}={header}" for field, header in report.columns.items()}


def _values(before: dict[str, str], after: dict[str, str]) -> str:
    if not before:
        return ", ".join(
            f"{name} {value}" for name, value in after.items() if name not in ("on", "kind") or value != "True"
        )
    return ", ".join(f"{name} {before.get(name) or 'nothing'} → {value}" for name, value in after.items())


def _export(options: argparse.Namespace) -> int:
    out = Out(options.json)
    form = "xlsx" if options.file.casefold().endswith(".xlsx") else "csv"
    if options.file != "-" and not options.file.casefold().endswith((".csv", ".xlsx")):
        raise bad_input(f"{options.file!r} ends in neither .csv nor .xlsx")
    with connect(options) as roster:
        data = roster.export_sheet(form, options.subnet)
    if options.file == "-":
        sys.stdout.buffer.write(data)
        return 0
    try:
        Path(options.file).write_bytes(data)
    except OSError as bad:
        raise bad_input(f"{options.file} cannot be written: {bad.strerror}") from bad
    if options.json:
        out.json({"file": options.file, "octets": len(data)})
    else:
        out.say(f"Written: {options.file} ({len(data):,} octets).")
    return 0


def _card(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        card = roster.card(options.address, options.adapter)
    if options.json:
        out.json(card)
    elif options.snippet:
        out.raw(card.snippets[options.snippet])
    else:
        print_card(out, card)
    return 0


def print_card(out: Out, card: CardView) -> None:
    """A card as text."""
    out.say(f"{card.full_name or card.address}  {called(card.subnet)}".rstrip(), "bold")
    out.facts([(line.name, line.value) for line in card.lines])


def _hosts(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = roster.names_text()
    if options.json:
        out.json({"hosts_file": found.hosts_file})
    else:
        out.raw(found.hosts_file)
    return 0


def _zone(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = roster.names_text(options.zone, options.nameserver)
    if found.trouble:
        raise bad_input(f"{found.trouble}: --nameserver NAME[=ADDRESS]")
    if options.json:
        out.json_list(found.zones)
    else:
        out.raw("\n".join(zone.text for zone in found.zones))
    return 0 if found.zones else 1


def _check(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster, out.waiting("asking the DNS"):
        found = roster.check_names(options.nameserver, options.subnet)
    if options.json:
        out.json(found)
    else:
        for one in found.disagreements:
            out.say(f"{one.sentence}.")
            out.say(f"    → {one.remedy}", "dim")
        silent = f"; it did not answer for {found.unanswered}" if found.unanswered else ""
        agree = "no disagreement" if not found.disagreements else f"{len(found.disagreements)} disagreements"
        out.say(f"{found.dns_server} was asked about {found.asked} names: {agree}{silent}.", "bold")
    return 1 if found.disagreements or (found.asked and found.unanswered == found.asked) else 0
