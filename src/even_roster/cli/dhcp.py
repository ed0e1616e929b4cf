"""`roster dhcp …`: DHCP servers, what publishing would change, publish, adopt, leases, pools, exports."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from ..dhcp.kind import SETTINGS, WORDS
from . import dhcp_looking
from .common import PARTLY, bad_input, called, connect, counted, pick_server
from .grammar import Noun
from .output import Out, Text, ago

if TYPE_CHECKING:
    from ..api.dhcp import AdoptDone, DhcpPreview, DhcpServerView, DifferenceLine

_MARKS = {"add": ("+", "green"), "change": ("~", "yellow"), "remove": ("-", "red")}


def add_commands(commands: Any, shared: argparse.ArgumentParser) -> None:
    """Add this module's commands."""
    dhcp = Noun(commands, shared, "dhcp", _servers)
    allow = dhcp.verb("allow", "on the service's machine: let the service reach a server, with these files", _allow)
    allow.description = (
        "Writes servers.toml in the service's home folder. Nothing else decides which files it reads and writes."
    )
    allow.add_argument("name", metavar="NAME")
    allow.add_argument("kind", metavar="KIND", help="kea, dnsmasq, …; another word lists them")
    for one in [one for one in SETTINGS if one != "password"]:
        allow.add_argument(f"--{one}", metavar="FILE" if one not in WORDS else one.upper(), help=SETTINGS[one])
    allow.add_argument(
        "--ask-password", action="store_true", help="read the password from the terminal or standard input"
    )
    add = dhcp.verb("add", "manage a server that the service's host allows", _add)
    add.add_argument("name", metavar="NAME")
    add.add_argument("--site", metavar="NAME")
    add.add_argument(
        "--by-hand", action="store_true", help="only a person can tell it anything: publishing gives a sheet to enter"
    )
    setting = dhcp.verb("set", "change a server's name, or how it is reached", _set)
    setting.add_argument("name", metavar="SERVER")
    setting.add_argument("--rename", metavar="NAME")
    for parser in (add, setting):
        parser.add_argument(
            "--reach", metavar="ALLOWED", help="the name that the host allows it under, where it is another"
        )
        parser.add_argument(
            "--address", action="append", metavar="ADDRESS", help="an address it answers from; usually learnt by itself"
        )
    remove = dhcp.verb("remove", "manage a server no longer; it stays as it is", _remove)
    remove.add_argument("name", metavar="SERVER")
    preview = dhcp.verb("preview", "the exact difference between plan and server", _preview)
    preview.add_argument("--text", action="store_true", help="the configuration's lines too")
    publish = dhcp.verb("publish", "send the plan: checked, verified, rolled back on failure", _publish)
    publish.add_argument("--yes", action="store_true", help="do not ask")
    publish.add_argument("--take-over", action="store_true", help="from another roster that publishes to this server")
    adopt = dhcp.verb("adopt", "take a server's pools and reservations into the plan", _adopt)
    adopt.add_argument("--dry-run", action="store_true", help="only say what that would be")
    for parser in (preview, publish, adopt):
        parser.add_argument("name", nargs="?", metavar="SERVER", help="the only one when left out")
    dhcp.verb("pools", "how full every pool is", _pools)
    export = dhcp.verb("export", "pools and reservations for servers edited by hand", _export)
    export.add_argument("name", nargs="?", metavar="SERVER")
    export.add_argument(
        "--form", choices=("json", "hosts", "sheet"), default="json", help="sheet is for typing into web forms"
    )
    export.add_argument("--in", dest="subnet", metavar="SUBNET")
    export.add_argument(
        "--notation",
        default="colons",
        metavar="HOW",
        help="MACs as colons, dashes, dots, bare; or COLONS, DASHES, BARE",
    )
    dhcp_looking.add_actions(dhcp)


def _servers(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = roster.dhcp_servers()
    _print_servers(out, list(found))
    return 0


def _print_servers(out: Out, found: list[DhcpServerView]) -> None:
    if out.as_json:
        out.json_list(found)
        return
    if not found:
        out.say(
            "No DHCP server is managed yet. On the service's machine: roster dhcp allow NAME kea --config FILE --socket FILE"
        )
        out.say("Then: roster dhcp add NAME")
        return
    rows = [
        (
            str(s.id), s.name, s.kind, str(s.pool_count), f"{s.published} of {s.reservation_count}", ago(s.published_at),
            ago(s.read_at),
        )
        for s in found
    ]  # fmt: skip
    out.table(
        ("id", "server", "kind", "pools", "reservations there", "published", "leases read"), rows, right=("id", "pools")
    )
    for server in found:
        if server.trouble:
            out.say(f"{server.name}: {server.trouble}", "yellow")
        if server.held_trouble and server.held_trouble != server.trouble:
            out.say(f"{server.name}: what it holds cannot be read: {server.held_trouble}", "yellow")
        if server.not_understood:
            many = "part of its configuration is" if server.not_understood == 1 else "parts of its configuration are"
            out.say(
                f"{server.name}: {server.not_understood} {many} not understood: "
                f"roster dhcp holdings {server.name} --part 'not understood'", "yellow",
            )  # fmt: skip


def _allow(options: argparse.Namespace) -> int:
    from . import allowing

    return allowing.run(options)


def _add(options: argparse.Namespace) -> int:
    from ..api.dhcp import DhcpServerNew

    out = Out(options.json)
    new = DhcpServerNew(
        name=options.name,
        site=options.site,
        reach=options.reach or "",
        edited_by_hand=options.by_hand,
        addresses=options.address or [],
    )
    with connect(options) as roster:
        _print_servers(out, [roster.add_dhcp_server(new)])
    return 0


def _set(options: argparse.Namespace) -> int:
    from ..api.dhcp import DhcpServerEdit

    out = Out(options.json)
    with connect(options) as roster:
        server = pick_server(roster, options.name)
        edit = DhcpServerEdit(
            name=options.rename, reach=options.reach, addresses=options.address
        )  # fmt: skip
        _print_servers(out, [roster.edit_dhcp_server(server.id, edit, server.version)])
    return 0


def _remove(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        server = pick_server(roster, options.name)
        roster.remove_dhcp_server(server.id)
    if options.json:
        out.json({"removed": server})
    else:
        out.say(f"{server.name} is managed no longer; what it hands out stays as it is.")
    return 0


def _preview(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster, out.waiting("reading the server"):
        server = pick_server(roster, options.name)
        found = roster.dhcp_preview(server.id)
    if options.json:
        out.json(found)
    else:
        print_preview(out, server.name, found)
        if options.text:
            _print_text(out, found)
    return 1 if found.conflicts else 0


def print_preview(out: Out, name: str, found: DhcpPreview) -> None:
    """A preview in words."""
    if not found.lines and not found.conflicts:
        out.say(
            f"{name} has everything as planned."
            if not found.by_hand
            else f"Nothing can be published to {name}; what differs is to be done by hand:"
        )
    _print_lines(out, found.lines)
    for conflict in found.conflicts:
        out.line(Text.assemble(("! ", "bold red"), conflict, "."))
    for by_hand in found.by_hand:
        out.line(Text.assemble(("by hand  ", "yellow"), by_hand, "."))
    if found.left:
        out.say(
            f"{found.left} part{'' if found.left == 1 else 's'} of the configuration that people wrote stay as they are.",
            "dim",
        )
    if found.conflicts:
        out.say("Nothing can be published while these stand against it.", "bold")


def _print_lines(out: Out, lines: list[DifferenceLine]) -> None:
    subnet = None
    for line in lines:
        if line.subnet != subnet:
            subnet = line.subnet
            out.say(called(subnet), "bold")
        mark, style = _MARKS[line.action]
        what = f"{line.before} → {line.after}" if line.action == "change" else line.after or line.before
        out.line(Text.assemble((f"  {mark} ", style), f"{line.what:12} {what}"))


def _print_text(out: Out, found: DhcpPreview) -> None:
    marks = {"added": ("+", "green"), "removed": ("-", "red"), "kept": (" ", ""), "skipped": ("…", "dim")}
    out.say("")
    for line in found.text_lines:
        mark, style = marks[line.kind]
        out.line(Text(f"{line.line_before or '':>6} {line.line_after or '':>6} {mark} {line.text}", style=style))


def _publish(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        with out.waiting("reading the server"):
            server = pick_server(roster, options.name)
            found = roster.dhcp_preview(server.id, options.take_over)
        if not options.json:
            print_preview(out, server.name, found)
        if found.conflicts:
            if options.json:
                out.json({"published": False, "preview": found})
            return 1
        if found.lines and not options.yes and not _confirmed(out):
            if options.json:
                out.json({"published": False, "preview": found})
            else:
                out.say("Nothing was published; say --yes to publish without being asked.")
            return 1
        with out.waiting("publishing"):
            done = roster.dhcp_publish(server.id, found.digest, options.take_over)
    if options.json:
        out.json({"published": True, "lines": done.lines, "remarks": done.remarks, "by_hand": done.by_hand})
    else:
        out.say(f"{server.name}: {'; '.join(done.remarks)}.", "bold")
        if done.by_hand:
            out.say(f"Still to be done by hand: {len(done.by_hand)}, see above.", "yellow")
    return PARTLY if done.by_hand else 0


def _confirmed(out: Out) -> bool:
    if out.as_json or not out.terminal:
        return False
    answer = input("Publish this? [y/N] ")
    return answer.strip().lower() in ("y", "yes")


def _adopt(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster, out.waiting("reading the server"):
        server = pick_server(roster, options.name)
        found = roster.dhcp_adopt(server.id, options.dry_run)
    if options.json:
        out.json(found)
    else:
        _print_adopt(out, server.name, found)
    return 1 if found.in_the_way else 0


def _print_adopt(out: Out, name: str, found: AdoptDone) -> None:
    word = "would be" if found.dry_run else "are now"
    total = len(found.subnets) + len(found.pools) + len(found.reservations)
    if not total and not found.in_the_way:
        out.say(f"Everything that {name} hands out is in the plan already.")
    for subnet in found.subnets:
        out.say(f"  + subnet       {subnet.subnet.cidr}  gateway {subnet.options.gateway or 'none'}")
    for pool in found.pools:
        out.say(f"  + pool         {pool.first} to {pool.last}")
    for one in found.reservations:
        out.say(f"  + reservation  {one.mac}  {one.address}  {one.name}")
    for refused in found.in_the_way:
        out.line(Text.assemble(("! ", "bold red"), refused, "."))
    if total:
        out.say(
            f"{len(found.subnets)} subnets, {len(found.pools)} pools and {len(found.reservations)} reservations of {name} "
            f"{word} in the plan.", "bold",
        )  # fmt: skip
    if found.beside:
        told = ", ".join(f"{count:,} {counted(part, count)}" for part, count in found.beside.items())
        out.say(f"{name} holds beside that, and keeps: {told} that the plan does not know.")
    for text in found.not_understood:
        out.line(Text.assemble(("? ", "yellow"), f"not understood: {text}."))


def _pools(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = roster.dhcp_pools()
    if options.json:
        out.json_list(found)
    elif not found:
        out.say("No pool is planned yet; draw one with: roster band add Office pool 100-199")
    else:
        rows = [
            (
                called(p.subnet),
                f"{p.first} - {p.last}",
                p.server.name if p.server else "nobody",
                str(p.size),
                str(p.leased),
                str(p.reserved),
                Text(str(p.left), style="red" if p.left * 10 < p.size else ""),
                f"{100 * p.leased // p.size} %",
                ago(p.read_at),
            )
            for p in found
        ]
        out.table(
            ("subnet", "pool", "handed out by", "size", "leased", "reserved", "left", "full", "read"), rows,
            right=("size", "leased", "reserved", "left", "full"),
        )  # fmt: skip
    return 0


def _export(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        server = pick_server(roster, options.name).id if options.name else None
        text = roster.dhcp_export(options.form, server, options.subnet, options.notation).text
    if options.json and options.form != "json":
        raise bad_input("--json goes with --form json; the other forms are texts")
    out.raw(text)
    return 0
