"""`roster free`, `prove`, `assignments`, `assign`, `reserve`, `release`, `move`, `uses`: who has which address."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from .common import PARTLY, add_json, bad_input, connect, missing
from .output import Out, Text, ago
from .plan import print_problems

if TYPE_CHECKING:
    from ..api.plan import (
        AssignmentRow,
        AssignmentView,
        Candidate,
        UseView,
    )

MOST = 64
GRADES = {"clear": "green", "doubtful": "yellow", "taken": "red"}


def add_commands(commands: Any, shared: argparse.ArgumentParser) -> None:
    """Add this module's commands."""
    free = commands.add_parser("free", parents=[shared], help="free addresses, each with its proof")
    free.add_argument("where", nargs="?", metavar="SUBNET|BAND", help="left out: the subnet with a band for the role")
    free.add_argument("--role", default="", metavar="ROLE")
    free.add_argument("--count", type=int, default=1, metavar="N")
    free.add_argument("--adjacent", action="store_true", help="next to each other")
    free.add_argument("--no-ask", dest="ask", action="store_false", help="do not ask the wire (then nothing is clear)")
    free.add_argument("--site", metavar="NAME")
    free.set_defaults(run=_free)
    prove = commands.add_parser("prove", parents=[shared], help="is this address free, and how do we know")
    prove.add_argument("address", metavar="ADDRESS")
    prove.add_argument("--no-ask", dest="ask", action="store_false", help="do not ask the wire")
    prove.add_argument("--site", metavar="NAME")
    prove.set_defaults(run=_prove)
    many = commands.add_parser("assignments", parents=[shared], help="every assigned address")
    many.add_argument("--search", "-q", default="", metavar="TEXT", help="words that must be contained somewhere")
    many.add_argument("--in", dest="subnet", metavar="SUBNET")
    many.add_argument("--kind", choices=("static", "reserved"))
    many.add_argument("--role", metavar="ROLE")
    many.add_argument("--site", metavar="NAME")
    many.add_argument("--sort", choices=("address", "name", "role", "mac", "kind"), default="address")
    many.add_argument("--descending", action="store_true")
    many.set_defaults(run=_assignments)
    assign = commands.add_parser("assign", parents=[shared], help="give an address to a device that has it typed in")
    assign.add_argument(
        "address", metavar="ADDRESS|SUBNET|BAND", help="an address, or where a free one is to be chosen"
    )
    assign.add_argument("device", nargs="?", metavar="DEVICE|MAC", help="left out: to a name that was not seen yet")
    assign.set_defaults(run=_assign, kind="static")
    reserve = commands.add_parser("reserve", parents=[shared], help="keep an address for a MAC at the DHCP server")
    reserve.add_argument("device", metavar="MAC|DEVICE")
    reserve.add_argument("address", nargs="?", metavar="ADDRESS|SUBNET|BAND", help="left out: where the role's band is")
    reserve.set_defaults(run=_assign, kind="reserved")
    settle = commands.add_parser(
        "settle", parents=[shared], help="make the addresses that devices have now lasting",
        description="Reserved where it is leased, static where it is typed in; a role that must not depend on a pool gets a static "
        "address of its band.",
    )  # fmt: skip
    settle.add_argument("devices", nargs="+", metavar="DEVICE")
    settle.add_argument("--dry-run", action="store_true", help="only say what that would be")
    add_json(settle)
    settle.set_defaults(run=_settle)
    for parser in (assign, reserve):
        parser.add_argument("--name", default="", metavar="HOSTNAME")
        parser.add_argument("--role", default="", metavar="ROLE")
        parser.add_argument("--note", default="", metavar="TEXT")
        parser.add_argument("--off", action="store_true", help="keep it, but switched off")
        parser.add_argument("--anyway", action="store_true", help="in spite of mistakes that are not refused outright")
        parser.add_argument("--site", metavar="NAME")
    setting = commands.add_parser("assignment", parents=[shared], help="show or change an assignment")
    setting.add_argument("address", metavar="ADDRESS")
    setting.add_argument("--name", metavar="HOSTNAME")
    setting.add_argument("--role", metavar="ROLE")
    setting.add_argument("--mac", metavar="MAC", help="'' takes it away")
    setting.add_argument("--note", metavar="TEXT")
    setting.add_argument("--kind", choices=("static", "reserved"))
    setting.add_argument("--on", action=argparse.BooleanOptionalAction, default=None)
    setting.add_argument("--version", type=int, metavar="N", help="refuse when it is not at this version")
    setting.add_argument("--anyway", action="store_true")
    setting.add_argument("--site", metavar="NAME")
    setting.set_defaults(run=_assignment)
    release = commands.add_parser("release", parents=[shared], help="the address is nobody's any more")
    release.add_argument("address", metavar="ADDRESS")
    release.add_argument("--site", metavar="NAME")
    release.set_defaults(run=_release)
    move = commands.add_parser(
        "move", parents=[shared], help="another address; lists what depends on the old one first"
    )
    move.add_argument("address", metavar="ADDRESS")
    move.add_argument("new", metavar="NEW")
    move.add_argument("--yes", action="store_true", help="move, although others use the old address")
    move.add_argument("--anyway", action="store_true", help="in spite of mistakes that are not refused outright")
    move.add_argument("--site", metavar="NAME")
    move.set_defaults(run=_move)
    for parser in (free, prove, many, assign, reserve, setting, release, move):
        add_json(parser)
    _add_uses(commands, shared)


def _add_uses(commands: Any, shared: argparse.ArgumentParser) -> None:
    uses = commands.add_parser("uses", parents=[shared], help="who uses whose address, and for what")
    actions = uses.add_subparsers(dest="action", metavar="ACTION", required=True)
    listing = actions.add_parser("list", parents=[shared], help="of one address, or all")
    listing.add_argument("address", nargs="?", metavar="ADDRESS")
    add = actions.add_parser(
        "add", parents=[shared], help="record one: uses add 'light desk' 10.44.20.41 'dimmer control'"
    )
    add.add_argument("user", metavar="WHO")
    add.add_argument("address", metavar="ADDRESS")
    add.add_argument("purpose", metavar="FOR")
    done = actions.add_parser("done", parents=[shared], help="after a move: the new address was entered there")
    remove = actions.add_parser("remove", parents=[shared], help="forget one")
    for parser in (done, remove):
        parser.add_argument("id", type=int, metavar="ID")
    for parser, run in ((listing, _uses), (add, _use_add), (done, _use_done), (remove, _use_remove)):
        add_json(parser)
        parser.set_defaults(run=run)


def _free(options: argparse.Namespace) -> int:
    from ..api.plan import Search

    out = Out(options.json)
    if not 1 <= options.count <= MOST:
        raise bad_input(f"--count goes from 1 to {MOST}; {options.count} does not fit")
    search = Search(
        where=options.where, site=options.site, role=options.role, count=options.count,
        adjacent=options.adjacent, ask=options.ask,
    )  # fmt: skip
    with connect(options) as roster, out.waiting("asking the wire" if options.ask else "looking"):
        answer = roster.free(search)
    if options.json:
        out.json(answer)
        return 0 if answer.candidates else 1
    if not answer.candidates:
        row = " in a row" if options.adjacent else ""
        out.say(f"No {search.count} free addresses{row} are left in {options.where or answer.subnet}.")
        return 1
    for candidate in answer.candidates:
        _print_candidate(out, candidate)
    if len(answer.candidates) < search.count:
        out.say(f"Only {len(answer.candidates)} of {search.count} are left.", "yellow")
    return 0


def _print_candidate(out: Out, found: Candidate) -> None:
    where = f"  {found.band}" if found.band else ""
    out.line(Text.assemble((found.address, "bold"), "  ", (found.grade, GRADES[found.grade]), (where, "dim")))
    for reason in found.reasons:
        out.say(f"    {reason}")


def _settle(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster, out.waiting("looking at what they have"):
        found = roster.settle(options.devices, options.dry_run)
    if options.json:
        out.json(found)
        return PARTLY if any(one.why_not for one in found.devices) else 0
    for one in found.devices:
        name = one.name or f"device {one.device}"
        if one.why_not:
            out.say(f"{name}: nothing to do: {one.why_not}.", "yellow")
        elif one.moves:
            out.say(
                f"{name}: static {one.address}, since its role must not depend on a pool; type it in: roster card {one.address}"
            )
        elif one.kind == "reserved":
            out.say(f"{name}: {one.address} is reserved for it; publish it with: roster dhcp publish")
        else:
            out.say(f"{name}: {one.address} is static, as it is typed in")
    if options.dry_run:
        out.say("Nothing was changed.", "dim")
    return PARTLY if any(one.why_not for one in found.devices) else 0


def _prove(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster, out.waiting("asking the wire" if options.ask else "looking"):
        found = roster.prove(options.address, options.site, options.ask)
    if options.json:
        out.json(found)
    else:
        _print_candidate(out, found)
    return 0 if found.grade == "clear" else 1


def _assignments(options: argparse.Namespace) -> int:
    out = Out(options.json)
    filters = {
        "q": options.search, "subnet": options.subnet, "site": options.site, "kind": options.kind,
        "role": options.role, "sort": options.sort, "descending": options.descending, "limit": 1000,
    }  # fmt: skip
    with connect(options) as roster:
        rows: list[AssignmentRow] = []
        cursor: str | None = None
        while True:
            page = roster.assignment_page(**filters, cursor=cursor)
            rows += page.assignments
            cursor = page.next
            if cursor is None:
                break
    if options.json:
        out.json({"assignments": rows})
    elif not rows:
        out.say("No address is assigned yet; 'roster assign' does that.")
    else:
        print_assignments(out, rows)
    return 0


def print_assignments(out: Out, rows: list[AssignmentRow]) -> None:
    """Assignments as a table."""
    out.table(
        ("address", "name", "role", "kind", "mac", "vendor", "seen at", "last seen", "state"),
        [
            (
                r.address, r.name or (f"({r.device.name})" if r.device and r.device.name else ""), r.role,
                r.kind if r.on else f"{r.kind}, off", r.mac, r.vendor,
                "" if r.seen_at in (None, r.address) else r.seen_at, ago(r.last_seen) if r.last_seen else "",
                r.reservation.state if r.reservation else "",
            )
            for r in rows
        ],
    )  # fmt: skip


def _assign(options: argparse.Namespace) -> int:
    from ..api.plan import AssignmentNew

    out = Out(options.json)
    place = options.address
    is_address = bool(place) and place.count(".") == 3 and place.replace(".", "").isdigit()
    with connect(options) as roster:
        mac, device = _mac_or_device(options.device)
        new = AssignmentNew(
            address=place if is_address else None, where=None if is_address else place, site=options.site,
            kind=options.kind, mac=mac, device=device, name=options.name, role=options.role, note=options.note,
            on=not options.off, anyway=options.anyway,
        )  # fmt: skip
        with out.waiting("" if is_address else "looking for a free address and asking the wire"):
            done = roster.assign(new)
    _print_assignment(out, done)
    return 0


def _mac_or_device(text: str | None) -> tuple[str | None, str | None]:
    from ..core.mac import Mac, MacError

    if text is None:
        return None, None
    try:
        return str(Mac.parse(text)), None
    except MacError:
        return None, text


def _print_assignment(out: Out, one: AssignmentView) -> None:
    if out.as_json:
        out.json({"assignment": one})
        return
    whom = one.name or (one.mac.mac if one.mac else "")
    out.say(f"{one.address} is {'reserved for' if one.kind == 'reserved' else 'assigned to'} {whom}.", "bold")
    device = f"{one.device.name or 'without a name'} (device {one.device.id})" if one.device else None
    vendor = f" ({one.mac.vendor})" if one.mac and one.mac.vendor else ""
    seen = f"{one.seen_at}, {ago(one.last_seen)}" if one.last_seen else "never"
    out.facts(
        [
            ("subnet", one.subnet_name), ("band", one.band), ("role", one.role),
            ("mac", f"{one.mac.mac}{vendor}" if one.mac else None), ("device", device), ("note", one.note),
            ("seen", seen if one.mac else None), ("switched", None if one.on else "off"),
            ("reservation", f"{one.reservation.state}: {one.reservation.sentence}" if one.reservation else None),
            ("version", str(one.version)),
        ]
    )  # fmt: skip
    if one.uses:
        out.say("\nUsed by", "bold")
        print_uses(out, one.uses)
    print_problems(out, one.problems)


def _assignment(options: argparse.Namespace) -> int:
    from ..api.plan import AssignmentEdit

    out = Out(options.json)
    edit = AssignmentEdit(
        version=options.version, kind=options.kind, mac=options.mac, name=options.name, role=options.role,
        note=options.note, on=options.on, anyway=options.anyway,
    )  # fmt: skip
    with connect(options) as roster:
        if edit.model_dump(exclude={"version", "anyway"}, exclude_none=True):
            one = roster.edit_assignment(options.address, edit, options.site)
        else:
            one = roster.assignment(options.address, options.site)
    _print_assignment(out, one)
    return 0


def _release(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        one = roster.assignment(options.address, options.site)
        roster.release(one.id)
    if options.json:
        out.json({"released": one})
        return 0
    out.say(f"{one.address} is nobody's any more (it was {one.name or (one.mac.mac if one.mac else 'a name')}'s).")
    if one.uses:
        out.say("Still entered elsewhere:", "yellow")
        print_uses(out, one.uses)
    return 0


def _move(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        one = roster.assignment(options.address, options.site)
        if one.uses and not options.yes:
            if options.json:
                out.json({"moved": False, "uses": one.uses})
            else:
                out.say(f"{one.address} ({one.name}) is entered elsewhere; these must change with it:", "bold")
                print_uses(out, one.uses)
                out.say(
                    "Nothing was moved. Move it with --yes, then change these and tick them off with 'roster uses done'."
                )
            return 1
        moved = roster.move_assignment(one.id, options.new, one.version, options.anyway)
    if options.json:
        out.json({"moved": True, "assignment": moved.assignment, "uses": moved.uses})
        return 0
    out.say(f"{one.address} moved to {moved.assignment.address} ({moved.assignment.name}).", "bold")
    if moved.uses:
        out.say(f"Enter {moved.assignment.address} there, then tick each off with 'roster uses done ID':")
        print_uses(out, moved.uses)
    return 0


def print_uses(out: Out, uses: list[UseView]) -> None:
    """Uses as a table."""
    rows = [(str(u.id), u.user, u.address, u.purpose, f"enter {u.moved_to} there" if u.moved_to else "") for u in uses]
    out.table(("id", "who", "address", "for", "to do"), rows, right=("id",))


def _uses(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = roster.uses(options.address)
    if options.json:
        out.json({"uses": found})
    elif found:
        print_uses(out, found)
    else:
        out.say("No use is recorded." if options.address is None else f"Nobody is recorded as using {options.address}.")
    return 0


def _use_add(options: argparse.Namespace) -> int:
    from ..api.plan import UseNew

    with connect(options) as roster:
        return _use(
            options, roster.add_use(UseNew(user=options.user, address=options.address, purpose=options.purpose))
        )


def _use_done(options: argparse.Namespace) -> int:
    with connect(options) as roster:
        return _use(options, roster.finish_use(options.id))


def _use(options: argparse.Namespace, use: UseView) -> int:
    out = Out(options.json)
    if options.json:
        out.json({"use": use})
    else:
        print_uses(out, [use])
    return 0


def _use_remove(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        there = [use for use in roster.uses() if use.id == options.id]
        if not there:
            raise missing(f"there is no use {options.id}; 'roster uses list' shows them")
        roster.remove_use(options.id)
    if options.json:
        out.json({"removed": there[0]})
    else:
        out.say(f"{there[0].user} is no longer recorded as using {there[0].address}.")
    return 0
