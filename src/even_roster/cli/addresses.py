"""`roster free`, `prove`, `assignment`, `assign`, `reserve`, `release`, `move`, `use`: who has which address."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from ..client import BadInput, Conflict, NotFound
from .common import PARTLY, bad_input, called, connect, missing, several
from .grammar import Noun, verb
from .output import Out, Text, ago
from .plan import print_problems

if TYPE_CHECKING:
    from ..api.plan import (
        AssignmentNew,
        AssignmentRow,
        AssignmentView,
        Candidate,
        UseView,
    )

MOST = 64
LOOKING = "looking for a free address and asking the wire"
GRADES = {"clear": "green", "doubtful": "yellow", "taken": "red"}


def add_commands(commands: Any, shared: argparse.ArgumentParser) -> None:
    """Add this module's commands."""
    free = verb(commands, shared, "free", _free)
    free.add_argument("where", nargs="?", metavar="SUBNET|BAND", help="left out: the subnet with a band for the role")
    free.add_argument("--role", default="", metavar="ROLE")
    free.add_argument("--count", type=int, default=1, metavar="N")
    free.add_argument("--adjacent", action="store_true", help="next to each other")
    free.add_argument("--no-ask", dest="ask", action="store_false", help="do not ask the wire (then nothing is clear)")
    prove = verb(commands, shared, "prove", _prove)
    prove.add_argument("address", metavar="ADDRESS")
    prove.add_argument("--no-ask", dest="ask", action="store_false", help="do not ask the wire")
    assignment = Noun(commands, shared, "assignment", _assignments)
    many = assignment.list
    many.add_argument("--search", "-q", default="", metavar="TEXT", help="words that must be contained somewhere")
    many.add_argument("--in", dest="subnet", metavar="SUBNET")
    many.add_argument("--kind", choices=("static", "reserved"))
    many.add_argument("--role", metavar="ROLE")
    many.add_argument("--sort", choices=("address", "name", "role", "mac", "kind"), default="address")
    many.add_argument("--descending", action="store_true")
    show = assignment.verb("show", "one, with all that depends on it", _assignment_show, "10.44.10.30")
    setting = assignment.verb("set", "change one", _assignment_set, "printer-1 --notes 'by the door'")
    for parser in (show, setting):
        parser.add_argument("address", metavar="ADDRESS|HOSTNAME")
    setting.add_argument("--name", metavar="HOSTNAME")
    setting.add_argument("--role", metavar="ROLE")
    setting.add_argument("--mac", metavar="MAC", help="'' takes it away")
    setting.add_argument("--notes", metavar="TEXT")
    setting.add_argument("--kind", choices=("static", "reserved"))
    setting.add_argument("--on", action=argparse.BooleanOptionalAction, default=None)
    setting.add_argument("--version", type=int, metavar="N", help="refuse when it is not at this version")
    setting.add_argument("--anyway", action="store_true")
    assign = verb(commands, shared, "assign", _assign)
    assign.add_argument(
        "address", metavar="ADDRESS|SUBNET|BAND", help="an address, or where a free one is to be chosen"
    )
    assign.add_argument("device", nargs="?", metavar="DEVICE|MAC", help="left out: to a name that was not seen yet")
    assign.set_defaults(kind="static")
    reserve = verb(commands, shared, "reserve", _reserve)
    reserve.add_argument(
        "devices",
        nargs="+",
        metavar="MAC|DEVICE",
        help="several too; '-' reads standard input, where a hostname may stand behind a MAC",
    )
    reserve.add_argument("--address", metavar="ADDRESS", help="this one; else a free one is chosen")
    reserve.add_argument("--in", dest="where", metavar="SUBNET|BAND", help="left out: where the role's band is")
    reserve.set_defaults(kind="reserved")
    for parser in (assign, reserve):
        parser.add_argument("--name", default="", metavar="HOSTNAME")
        parser.add_argument("--role", default="", metavar="ROLE")
        parser.add_argument("--notes", default="", metavar="TEXT")
        parser.add_argument("--off", action="store_true", help="keep it, but switched off")
        parser.add_argument("--anyway", action="store_true", help="in spite of mistakes that are not refused outright")
    release = verb(commands, shared, "release", _release)
    release.add_argument("address", metavar="ADDRESS|HOSTNAME")
    move = verb(commands, shared, "move", _move)
    move.add_argument("address", metavar="ADDRESS|HOSTNAME")
    move.add_argument("new", metavar="NEW")
    move.add_argument("--yes", action="store_true", help="move, although others use the old address")
    move.add_argument("--anyway", action="store_true", help="in spite of mistakes that are not refused outright")
    for parser in (free, prove, many, show, setting, assign, reserve, release, move):
        parser.add_argument("--site", metavar="NAME", help="the one here when left out")
    _add_use(Noun(commands, shared, "use", _uses))


def _add_use(use: Noun) -> None:
    use.list.add_argument("--about", dest="address", metavar="ADDRESS", help="only of this one")
    add = use.verb("add", "record one", _use_add, "'light desk' 10.44.20.42 'dimmer control'")
    add.add_argument("user", metavar="WHO")
    add.add_argument("address", metavar="ADDRESS")
    add.add_argument("purpose", metavar="FOR")
    done = use.verb("done", "after a move: the new address was entered there", _use_done)
    remove = use.verb("remove", "forget one", _use_remove)
    for parser in (done, remove):
        parser.add_argument("id", type=int, metavar="ID")


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
    where = f"  {found.band.name}" if found.band else ""
    out.line(Text.assemble((found.address, "bold"), "  ", (found.grade, GRADES[found.grade]), (where, "dim")))
    for reason in found.reasons:
        out.say(f"    {reason}")


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
    with connect(options) as roster:
        found = roster.assignments(
            q=options.search, subnet=options.subnet, site=options.site, kind=options.kind, role=options.role, sort=options.sort,
            descending=options.descending,
        )  # fmt: skip
        if options.json:
            out.json_list(found)
        elif not found:
            out.say("No address is assigned yet; 'roster assign' does that.")
        else:
            print_assignments(out, list(found))
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
    out = Out(options.json)
    is_address = _is_address(options.address)
    with connect(options) as roster, out.waiting("" if is_address else LOOKING):
        done = roster.assign(
            _new(
                options,
                options.device,
                options.address if is_address else None,
                None if is_address else options.address,
            )
        )
    _print_assignment(out, done)
    return 0


def _is_address(text: str) -> bool:
    return text.count(".") == 3 and text.replace(".", "").isdigit()


def _new(options: argparse.Namespace, device: str | None, address: str | None, where: str | None) -> AssignmentNew:
    from ..api.plan import AssignmentNew

    mac, named = _mac_or_device(device)
    return AssignmentNew(
        address=address, where=where, site=options.site, kind=options.kind, mac=mac, device=named, name=options.name,
        role=options.role, notes=options.notes, on=not options.off, anyway=options.anyway,
    )  # fmt: skip


def _reserve(options: argparse.Namespace) -> int:
    out = Out(options.json)
    which = several(options.devices)
    address: str | None = options.address
    if len(which) == 2 and address is None and _is_address(which[1]):
        which, address = which[:1], which[1]  # a device and its address, as people say it
    if len(which) == 1:
        with connect(options) as roster, out.waiting("" if address else LOOKING):
            done = roster.assign(_new(options, which[0], address, options.where))
        _print_assignment(out, done)
        return 0
    if address or options.name:
        what = "--address" if address else "--name"
        raise bad_input(
            f"{what} is of one device, and {len(which)} are named: {', '.join(which[:4])}; where free addresses are to be found "
            "is said with --in"
        )
    reserved, refused = [], []
    with connect(options) as roster, out.waiting(LOOKING):
        for one in which:
            device, name = _and_name(one)
            try:
                new = _new(options, device, None, options.where)
                reserved.append(roster.assign(new.model_copy(update={"name": name}) if name else new))
            except (BadInput, NotFound, Conflict) as error:
                refused.append((one, str(error)))
    if options.json:
        out.json({"reserved": reserved, "refused": [{"device": one, "why": why} for one, why in refused]})
    else:
        rows = [(one.address, one.name, one.mac if one.mac else "", called(one.subnet)) for one in reserved]
        if rows:
            out.table(("address", "name", "mac", "subnet"), rows)
        for one, why in refused:
            out.say(f"{one}: {why}.", "yellow")
    return PARTLY if refused else 0


def _and_name(line: str) -> tuple[str, str]:
    """A MAC, and the hostname that may stand behind it on its line."""
    from ..core.mac import Mac, MacError

    mac, _, name = line.replace(",", " ").replace("\t", " ").partition(" ")
    try:
        return str(Mac.parse(mac)), name.strip()
    except MacError:
        return line, ""


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
        out.json(one)
        return
    whom = one.name or (one.mac if one.mac else "")
    out.say(f"{one.address} is {'reserved for' if one.kind == 'reserved' else 'assigned to'} {whom}.", "bold")
    device = f"{one.device.name or 'without a name'} (device {one.device.id})" if one.device else None
    vendor = f" ({one.vendor})" if one.vendor else ""
    seen = f"{one.seen_at}, {ago(one.last_seen)}" if one.last_seen else "never"
    out.facts(
        [
            ("subnet", called(one.subnet)), ("band", one.band.name if one.band else None), ("role", one.role),
            ("mac", f"{one.mac}{vendor}" if one.mac else None), ("device", device), ("notes", one.notes),
            ("seen", seen if one.mac else None), ("switched", None if one.on else "off"),
            ("reservation", f"{one.reservation.state}: {one.reservation.sentence}" if one.reservation else None),
            ("version", str(one.version)),
        ]
    )  # fmt: skip
    if one.uses:
        out.say("\nUsed by", "bold")
        print_uses(out, one.uses)
    print_problems(out, one.problems)


def _assignment_show(options: argparse.Namespace) -> int:
    with connect(options) as roster:
        _print_assignment(Out(options.json), roster.assignment(options.address, options.site))
    return 0


def _assignment_set(options: argparse.Namespace) -> int:
    from ..api.plan import AssignmentEdit

    edit = AssignmentEdit(
        kind=options.kind, mac=options.mac, name=options.name, role=options.role,
        notes=options.notes, on=options.on, anyway=options.anyway,
    )  # fmt: skip
    if not edit.model_dump(exclude={"anyway"}, exclude_none=True):
        raise bad_input("say what is to change: --name, --role, --mac, --notes, --kind, --on or --no-on")
    with connect(options) as roster:
        _print_assignment(
            Out(options.json), roster.edit_assignment(options.address, edit, options.site, options.version)
        )
    return 0


def _release(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        one = roster.assignment(options.address, options.site)
        roster.release(one.id)
    if options.json:
        out.json(one)
        return 0
    out.say(f"{one.address} is nobody's any more (it was {one.name or (one.mac if one.mac else 'a name')}'s).")
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
                    "Nothing was moved. Move it with --yes, then change these and tick them off with 'roster use done'."
                )
            return 1
        moved = roster.move_assignment(one.id, options.new, one.version, options.anyway)
    if options.json:
        out.json({"moved": True, "assignment": moved.assignment, "uses": moved.uses})
        return 0
    out.say(f"{one.address} moved to {moved.assignment.address} ({moved.assignment.name}).", "bold")
    if moved.uses:
        out.say(f"Enter {moved.assignment.address} there, then tick each off with 'roster use done ID':")
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
        out.json_list(found)
    elif found:
        print_uses(out, list(found))
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
        out.json(use)
    else:
        print_uses(out, [use])
    return 0


def _use_remove(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        there = [use for use in roster.uses() if use.id == options.id]
        if not there:
            raise missing(f"there is no use {options.id}; 'roster use' shows them")
        roster.remove_use(options.id)
    if options.json:
        out.json(there[0])
    else:
        out.say(f"{there[0].user} is no longer recorded as using {there[0].address}.")
    return 0
