"""`roster link` and `roster path`: how the switches hang together, and the way between two devices."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from .common import bad_input, connect, write
from .grammar import Noun, verb
from .history import moment
from .output import Out, Text, ago, clock, plain
from .ports_of import pick_port
from .switches import pick

if TYPE_CHECKING:
    from ..client import LinkPage, LinkView, PathHop, PathView


def add_commands(commands: Any, shared: argparse.ArgumentParser) -> None:
    """Add this module's commands."""
    link = Noun(commands, shared, "link", _list)
    link.list.add_argument("--of", metavar="SWITCH", help="only those of this switch")
    link.list.add_argument("--at", metavar="TIME", help="as they were then")
    ends = "switch-office-3 20 switch-attic 3"
    join = link.verb("join", "say that two ports are joined", _join, ends)
    part = link.verb("part", "say that two ports are not joined", _part, "switch-office-3 21 switch-attic 4")
    forget = link.verb("forget", "say nothing of two ports any more", _forget, ends)
    for one in (join, part, forget):
        one.add_argument("switch", metavar="SWITCH", help="the switch at one end, by name, address or id")
        one.add_argument("port", metavar="PORT", help="its port, as it calls it")
        one.add_argument("other", metavar="OTHER", help="the switch at the other end")
        one.add_argument("its", metavar="PORT", help="its port")
    for one in (join, part):
        one.add_argument("--note", default="", metavar="TEXT", help="a note")
    drawn = Noun(commands, shared, "map", _map)
    drawn.list.add_argument("--at", metavar="TIME", help="as it was then")
    drawn.list.add_argument("--svg", metavar="FILE|-", help="write it as SVG instead, for print")
    drawn.list.add_argument("--light", nargs=2, metavar=("BEGIN", "END"), help="with --svg: draw this way strong")
    put = drawn.verb("put", "put a switch somewhere on the map, for good", _put, "switch-attic 320 96")
    put.add_argument("switch", metavar="SWITCH", help="its name, address or id")
    put.add_argument("x", metavar="X", type=float, help="how far from the left, in units of the map")
    put.add_argument("y", metavar="Y", type=float, help="how far from the top")
    free = drawn.verb("free", "let a switch stand where the map puts it", _free, "switch-attic")
    free.add_argument("switch", metavar="SWITCH", help="its name, address or id")
    path = verb(commands, shared, "path", _path)
    path.add_argument("begin", metavar="BEGIN", help="where it begins: a device, an address, a switch")
    path.add_argument("end", metavar="END", help="where it ends")
    path.add_argument("--at", metavar="TIME", help="as it was then")
    path.add_argument("--since", metavar="TIME", help="which ways it went since then")


def _list(options: argparse.Namespace) -> int:
    out, at = Out(options.json), moment(options.at)
    with connect(options) as roster:
        found = list(roster.links(options.of, at))
        page = roster.wiring(options.of, at)
    if out.as_json:
        out.json({**plain(page), "items": [plain(one) for one in found], "next": None})
        return 0
    if not found:
        out.say(
            "No link between switches is known: 'roster switch add ADDRESS' reads one, 'roster link join' states one."
        )
    else:
        out.table(
            ("link", "", "speed", "how it is known", "since", "what hangs on it alone"),
            ((_ends(one), _sign(one), _speed(one), _known(one), _since(one), _listed(one.falls)) for one in found),
        )
    _rings(out, page)
    return 0


def _ends(one: LinkView) -> str:
    return " – ".join(end.called for end in one.ends)


def _sign(one: LinkView) -> Text:
    if not one.up:
        return Text("no link", "red")
    return Text("shut", "yellow") if one.blocked else Text("")


def _speed(one: LinkView) -> str:
    from ..core.switches.sentences import speed_said

    return f"{speed_said(one.speed)}{f', {len(one.members)} cables' if one.members else ''}"


def _known(one: LinkView) -> str:
    return f"{one.known}; something between" if one.between else one.known


def _since(one: LinkView) -> str:
    return f"at least {ago(one.since)}" if one.at_least else ago(one.since)


def _listed(names: list[str]) -> str:
    return ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")


def _rings(out: Out, page: LinkPage) -> None:
    for ring in page.rings:
        out.say(f"Ring {ring.number}: {ring.said}.")
    for word in page.words:
        said = "are joined" if word.joined else "are not joined"
        out.say(
            f"A hand says: {word.one.called} and {word.other.called} {said}{f' ({word.notes})' if word.notes else ''}."
        )


def _join(options: argparse.Namespace) -> int:
    return _say(options, joined=True)


def _part(options: argparse.Namespace) -> int:
    return _say(options, joined=False)


def _say(options: argparse.Namespace, *, joined: bool) -> int:
    from ..api.wiring import LinkWordNew

    out = Out(options.json)
    with connect(options) as roster:
        one, other = pick_port(roster, options.switch, options.port), pick_port(roster, options.other, options.its)
        said = roster.say_link(LinkWordNew(one=one.id, other=other.id, joined=joined, notes=options.note))
    if out.as_json:
        out.json(said)
    else:
        out.say(f"{said.one.called} and {said.other.called} {'are' if joined else 'are not'} joined, by your word.")
    return 0


def _forget(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        one, other = pick_port(roster, options.switch, options.port), pick_port(roster, options.other, options.its)
        roster.forget_link(one.id, other.id)
    if out.as_json:
        out.json({"forgotten": [one.id, other.id]})
    else:
        out.say("What is told and inferred of these two ports counts again.")
    return 0


def _map(options: argparse.Namespace) -> int:
    out, at = Out(options.json), moment(options.at)
    if options.light and not options.svg:
        raise bad_input("'--light' draws a way into a document: give '--svg FILE', too")
    with connect(options) as roster:
        if options.svg:
            begin, end = options.light or (None, None)
            made = roster.map_sheet(at, begin, end)
            if out.as_json:
                out.json(made)
            elif options.svg == "-":
                out.raw(made.svg)
            else:
                write(options.svg, made.svg)
                out.say(f"The map is in {options.svg}.")
            return 0
        found = roster.wiring_map(at)
    if out.as_json:
        out.json(found)
    elif not found.lines:
        out.say("No switch is read yet: 'roster switch add ADDRESS'.")
    else:
        for line in found.lines:
            out.say(line)
    return 0


def _put(options: argparse.Namespace) -> int:
    from ..api.wiring import MapPlaceEdit

    out = Out(options.json)
    with connect(options) as roster:
        switch = pick(roster, options.switch)
        roster.place_switch(switch.id, MapPlaceEdit(x=options.x, y=options.y))
    if out.as_json:
        out.json({"switch": switch.name, "x": options.x, "y": options.y})
    else:
        out.say(f"{switch.name} stands there from now on.")
    return 0


def _free(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        switch = pick(roster, options.switch)
        roster.free_switch(switch.id)
    if out.as_json:
        out.json({"switch": switch.name})
    else:
        out.say(f"{switch.name} stands where the map puts it.")
    return 0


def _path(options: argparse.Namespace) -> int:
    out, since = Out(options.json), moment(options.since)
    with connect(options) as roster:
        if since is not None:
            turns = list(roster.path_turns(options.begin, options.end, since))
            if out.as_json:
                out.json_list(turns)
            else:
                out.table(
                    ("since", "until", "which way"),
                    ((clock(one.since), clock(one.until) if one.until else "now", one.said) for one in turns),
                )
            return 0
        found = roster.path(options.begin, options.end, moment(options.at))
    if out.as_json:
        out.json(found)
    else:
        _print(out, found)
    return 0 if found.whole else 1


def _print(out: Out, found: PathView) -> None:
    out.say(found.said, "bold")
    before: PathHop | None = None
    for hop in found.hops:
        out.say(f"  {_between(before, hop)}")
        vlan = f", VLAN {hop.vlan}" if hop.vlan else ""
        out.say(f"    {hop.said}{vlan}", "dim")
        before = hop
    if before is not None:
        out.say(f"  {before.other.called}")
    for lack in found.lacks:
        out.say(f"  not known: {lack}", "yellow")


def _between(before: PathHop | None, hop: PathHop) -> str:
    """What stands between two cables: a switch with the port that the way comes in at and the one that it goes on by."""
    if before is None or before.other.switch is None or hop.one.switch is None:
        return hop.one.called
    came = before.other.port.name if before.other.port else "an unknown port"
    goes = hop.one.port.name if hop.one.port else "an unknown port"
    return f"{hop.one.switch.name}, in by {came}, out by {goes}"
