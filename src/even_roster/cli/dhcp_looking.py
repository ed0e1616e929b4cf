"""`roster dhcp holdings|sheet|renewal|leases|ask`: what DHCP servers have, and what the wire shows of them."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, get_args

from ..api.words import HoldingPart
from .common import called, connect, counted, pick_server
from .grammar import Noun
from .output import Out, Text, ago, clock, plain

if TYPE_CHECKING:
    from ..api.dhcp import HoldingView

PARTS = get_args(HoldingPart)
_TICKS = {
    "in effect": ("[x]", "green"), "entered": ("[x]", "green"), "not yet": ("[!]", "bold red"),
    "not shown yet": ("[ ]", ""), "cannot be seen from here": ("[?]", "dim"),
}  # fmt: skip


def add_actions(dhcp: Noun) -> None:
    """Add this module's verbs of `roster dhcp`."""
    holdings = dhcp.verb("holdings", "all that a server holds, whoever wrote it, and where it stands", _holdings)
    holdings.add_argument("--part", choices=PARTS, help="only these")
    holdings.add_argument("--search", metavar="TEXT", default="", help="an address, or a part of what stands there")
    holdings.add_argument("--now", action="store_true", help="read the server first")
    holdings.add_argument("--limit", type=int, default=500, metavar="N", help="show at most N (default 500)")
    sheet = dhcp.verb("sheet", "what is to be entered into a server by hand, ticked off by what the wire shows", _sheet)
    sheet.add_argument("--look", action="store_true", help="ask the wire first: DISCOVERs alone, no lease is taken")
    sheet.add_argument("--open", action="store_true", help="only what is not in effect or entered")
    renewal = dhcp.verb("renewal", "how a device that waits for its reservation comes to it", _renewal)
    renewal.add_argument("address", metavar="ADDRESS", help="the reserved one")
    renewal.add_argument(
        "--end-lease",
        action="store_true",
        help="end its old lease at the server; refused unless that address is silent",
    )
    leases = dhcp.verb("leases", "leases as the servers tell them", _leases)
    leases.add_argument("--now", action="store_true", help="read the servers first")
    leases.add_argument("--all", action="store_true", help="ended ones too")
    for parser in (holdings, sheet, leases):
        parser.add_argument("name", nargs="?", metavar="SERVER", help="the only one when left out")
    ask = dhcp.verb("ask", "who answers a DISCOVER, with which offers; takes no lease", _ask)
    ask.add_argument("--adapter", metavar="NAME", help="on this link")
    ask.add_argument(
        "--wait", type=float, default=4.0, metavar="SECONDS", help="how long to collect offers (0.5 to 60)"
    )
    ask.add_argument("--options", action="store_true", help="every option of every offer")


def _holdings(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster, out.waiting("reading what the server holds"):
        server = pick_server(roster, options.name)
        listed = roster.dhcp_holdings(
            server.id, part=options.part, search=options.search, now=options.now, limit=max(options.limit, 1)
        )
        holdings, found = list(listed), listed.page
    if options.json:
        head = {
            "server": found.server,
            "read_at": plain(found)["read_at"],
            "trouble": found.trouble,
            "counts": found.counts,
        }
        out.json_list(holdings, **head, total=found.total)
        return 0
    counts = ", ".join(f"{count:,} {counted(part, count)}" for part, count in found.counts.items())
    out.say(f"{found.server.name} holds {counts or 'nothing'}; read {ago(found.read_at)}.")
    if found.trouble:
        out.say(f"It cannot be read now: {found.trouble}.", "yellow")
    rows = [(one.part, one.text, one.within, _hanging(one), _where(one)) for one in holdings]
    if rows:
        out.table(("part", "what it says", "in", "with it", "where"), rows)
    if (found.total or 0) > len(holdings):
        out.say(
            f"{(found.total or 0) - len(holdings):,} more: raise --limit, or narrow with --part or --search.", "dim"
        )
    return 0


def _hanging(one: HoldingView) -> str:
    return ", ".join(f"{mark.what} {mark.value}" for mark in one.hangs)


def _where(one: HoldingView) -> str:
    return f"{one.source}:{one.line}" if one.line else one.source


def _sheet(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        server = pick_server(roster, options.name)
        if options.look:
            with out.waiting("asking the wire"):
                found = roster.dhcp_look(server.id)
        else:
            found = roster.dhcp_sheet(server.id)
    done = ("in effect", "entered")
    lines = [line for line in found.lines if not options.open or line.tick not in done]
    if options.json:
        out.json({**plain(found), "lines": lines})
        return 0
    if found.handed_out_at is None:
        out.say(f"Nothing was handed out for {found.server.name} yet: roster dhcp publish {found.server.name}")
        return 0
    asked = f"the wire was asked {ago(found.asked_at)}" if found.asked_at else "the wire was not asked yet: --look"
    out.say(f"To be entered into {found.server.name}, handed out {ago(found.handed_out_at)}; {asked}.")
    subnet = None
    for line in lines:
        if line.subnet != subnet:
            subnet = line.subnet
            out.say(called(subnet), "bold")
        mark, style = _TICKS[line.tick]
        said = f"{line.tick}: {line.said}" if line.said else line.tick
        out.line(Text.assemble((f"  {mark} ", style), f"{line.what:13} {line.value:48} ", (said, style)))
    for note in found.remarks:
        out.say(f"{note}.", "yellow")
    return 0


def _renewal(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        item = roster.assignment(options.address)
        if options.end_lease:
            with out.waiting("asking its old address"):
                ended = roster.end_lease(item.id)
            if options.json:
                out.json(ended)
            else:
                out.say(f"{ended.said}: the lease was ended at {ended.server.name}.")
                out.say(f"The device gets {item.address} when it asks the next time.")
            return 0
        found = roster.renewal(item.id)
    if options.json:
        out.json(found)
        return 0
    if found is None:
        state = item.reservation
        out.say(f"{item.address}: {state.state}, {state.sentence}." if state else f"{item.address} is not reserved.")
        return 0
    out.say(
        f"{item.name or (item.mac if item.mac else item.address)} holds the lease of {found.address} from {found.server.name}."
    )
    out.facts(
        [
            ("asks again by itself", clock(found.renews) if found.renews else None),
            ("asks any server", clock(found.rebinds) if found.rebinds else None),
            ("its lease ends", clock(found.ends) if found.ends else "never, so it has to be made to ask"),
        ]
    )
    out.say("At once:", "bold")
    for one in found.how:
        out.say(f"  {one}")
    if found.can_end:
        out.say(f"If it is gone from {found.address}: roster dhcp renewal {item.address} --end-lease", "dim")
    return 0


def _leases(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        server = pick_server(roster, options.name) if options.name else None
        if options.now:
            with out.waiting("reading the servers"):
                for one in [server] if server else roster.dhcp_servers():
                    roster.dhcp_read(one.id)
        found = [lease for lease in roster.dhcp_leases(server.id if server else None) if lease.active or options.all]
    if options.json:
        out.json_list(found)
    elif not found:
        out.say("No lease is known.")
    else:
        out.table(
            ("address", "mac", "name", "vendor", "until", "server"),
            [
                (
                    x.address, x.mac, x.name or (f"({x.device.name})" if x.device and x.device.name else ""),
                    x.vendor or ("locally administered" if x.local else ""),
                    clock(x.expires) if x.expires else "for ever", x.server.name,
                )
                for x in found
            ],
        )  # fmt: skip
    return 0


def _ask(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster, out.waiting("asking who hands out addresses"):
        found = roster.dhcp_ask(options.adapter, options.wait)
    if out.as_json:
        out.json(found)
        return 0 if found.well else 1
    out.say(f"{found.verdict[:1].upper()}{found.verdict[1:]}.", "bold")
    for offer in found.offers:
        planned = f"planned, {offer.server.name}" if offer.server else "not in the plan"
        out.say("")
        out.say(f"{offer.server_address} ({planned}) after {offer.after_ms:.0f} ms", "" if offer.server else "bold red")
        out.facts(
            [
                ("sender", f"{offer.mac} {offer.vendor or ''}"), ("relay", offer.relay), ("offers", offer.address),
                ("mask", offer.mask), ("gateway", offer.gateway), ("DNS", ", ".join(offer.dns)), ("domain", offer.domain),
                ("lease", f"{offer.lease_seconds} s" if offer.lease_seconds is not None else None),
            ]
        )  # fmt: skip
        for said in offer.differences:
            out.say(f"  ! {said}", "yellow")
        if options.options:
            out.table(
                ("code", "option", "value", "source"), ((str(o.code), o.name, o.value, o.source) for o in offer.options)
            )
    return 0 if found.well else 1
