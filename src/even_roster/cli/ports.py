"""`roster port` and `roster where`: what is plugged in where, and what people say of ports."""

from __future__ import annotations

import argparse
from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING, Any

from .common import connect, write
from .grammar import Noun, verb
from .history import moment
from .output import Out, Text, ago, clock, plain
from .ports_of import pick_port
from .switching import add_verbs

if TYPE_CHECKING:
    from ..client import KeptBehind, KeptPort, Placing, PortSheet, PortTurn

SAYS = ("notes", "description", "hangs")
MARKS = ("spare", "kept", "faulty", "none")
UPLINKS = ("yes", "no", "weigh")
BYTES = ((1 << 40, "TiB"), (1 << 30, "GiB"), (1 << 20, "MiB"), (1 << 10, "KiB"))


def add_commands(commands: Any, shared: argparse.ArgumentParser) -> None:
    """Add this module's commands."""
    port = Noun(commands, shared, "port", _list)
    port.list.add_argument("--of", metavar="SWITCH", help="only the ports of this switch")
    port.list.add_argument("--at", metavar="TIME", help="as they were then")
    port.list.add_argument("--find", metavar="TEXT", help="those that say this: a name, a note, a MAC, 'uplink'")
    show = port.verb("show", "everything about a port", _show, "switch-office-1 17")
    note = port.verb(
        "note", "write a note at a port; an empty one takes it away", _note, "switch-office-1 17 'desk left'"
    )
    mark = port.verb("mark", "mark a port: spare, kept, faulty, none", _mark, "switch-office-1 18 spare")
    uplink = port.verb(
        "uplink", "say whether it leads to another switch: yes, no, weigh", _uplink, "switch-office-1 23 yes"
    )
    label = port.verb("label", "a sheet of labels for a switch's ports, as SVG", _label, "switch-office-1 -")
    label.add_argument("switch", metavar="SWITCH", help="its name, address or id")
    label.add_argument("file", metavar="FILE|-", help="where it is written")
    label.add_argument("--pitch", type=float, default=16.0, metavar="MM", help="the width of a label")
    label.add_argument("--height", type=float, default=10.0, metavar="MM", help="its height")
    label.add_argument(
        "--rows", type=int, default=2, metavar="N", help="rows of ports above one another; 2: odd above even"
    )
    label.add_argument("--say", choices=SAYS, default="notes", help="what goes before, where there is such")
    for one in (show, note, mark, uplink):
        one.add_argument("switch", metavar="SWITCH", help="its name, address or id")
        one.add_argument("port", metavar="PORT", help="what the switch calls it")
    note.add_argument("note", metavar="TEXT", help="the note")
    mark.add_argument("mark", choices=MARKS, help="the mark")
    uplink.add_argument("uplink", choices=UPLINKS, help="'weigh': as the reasons have it")
    add_verbs(port)
    where = verb(commands, shared, "where", _where)
    where.add_argument("what", metavar="WHAT", help="a name, address, MAC, or a fragment of one")
    where.add_argument("--at", metavar="TIME", help="where it was then")


def _list(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = list(roster.ports(options.of, moment(options.at), options.find))
        read = bool(found) or bool(list(roster.switches()))
    if out.as_json:
        out.json_list(found)
    elif found:
        port_table(out, found, with_switch=options.of is None)
    else:
        out.say("No port says that." if read else "No switch is read yet: 'roster switch add ADDRESS'.")
    return 0


def port_table(out: Out, ports: Sequence[KeptPort], with_switch: bool = False) -> None:
    """Ports, one a line."""
    heads = ("port", "", "what hangs there", "since", "description", "note")
    rows = [
        (
            one.name,
            _sign(one),
            _said(one),
            _since(one),
            one.alias,
            f"{one.notes} (disagrees)" if one.disagrees else one.notes,
        )
        for one in ports
    ]
    if with_switch:
        out.table(("switch", *heads), [(one.switch.name, *row) for one, row in zip(ports, rows, strict=True)])
    else:
        out.table(heads, rows)


def _since_then(at_least: bool) -> str:
    """What was so when its switch was read first may have been so for longer."""
    return "at least since" if at_least else "since"


def _sign(one: KeptPort) -> Text:
    """How its link is, as a mark: up, an uplink, switched off, nothing."""
    if one.wanted == "down":
        return Text("x", "yellow")
    if one.link != "up":
        return Text("-", "dim")
    return Text("^" if one.uplink else "+", "cyan" if one.uplink else "green")


def _said(one: KeptPort) -> str:
    return f"{one.said}; {one.together}" if one.together else one.said


def _since(one: KeptPort) -> str:
    """Since when who hangs there does; of an empty one, when anybody did last."""
    if one.behind_count and not one.uplink:
        first = min((who.first_seen for who in one.behind), default=None)
        return ago(first) if first else ""
    if one.last_seen is not None and one.link != "up":
        return f"last used {ago(one.last_seen)}"
    return ago(one.since) if one.since else ""


def _show(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        sheet = roster.port(pick_port(roster, options.switch, options.port).id)
    if out.as_json:
        out.json(sheet)
    else:
        _print(out, sheet)
    return 0


def _print(out: Out, sheet: PortSheet) -> None:
    one = sheet.port
    out.say(f"Port {one.name} of {one.switch.name}: {_said(one)}", "bold")
    vlans = f"{one.vlan or 'none'} without a tag" + (
        f"; {', '.join(map(str, one.vlans))} with one" if one.vlans else ""
    )
    why = "a hand says so" if one.uplink_word is not None else "; ".join(one.reasons)
    out.facts((name, value) for name, value in (
        ("description", one.alias), ("note", f"{one.notes} (the switch says otherwise)" if one.disagrees else one.notes),
        ("mark", one.mark or ""), ("stands so", f"{_since_then(one.at_least)} {clock(one.since)}" if one.since else ""),
        ("VLANs", vlans if one.vlan or one.vlans else ""), ("spanning tree", one.tree), ("power", one.power),
        ("uplink", f"{'yes' if one.uplink else 'no'}{f': {why}' if why else ''}"),
        ("last seen there", ago(one.last_seen) if one.last_seen else ""), ("traffic now", _traffic(sheet)),
    ) if value)  # fmt: skip
    if one.behind:
        _people(out, "Behind it now", one.behind)
    if sheet.earlier:
        _people(out, "Earlier", sheet.earlier)
    if len(sheet.stretches) > 1:
        out.say("How it stood", "bold")
        out.table(
            ("since", "until", "how"),
            ((ago(part.since), ago(part.until) if part.until else "now", part.said) for part in sheet.stretches),
        )
    if sheet.days:
        out.say("Day by day (UTC)", "bold")
        rows = (
            (day.day, _size(day.octets_in), _size(day.octets_out), str(day.errors_in), str(day.errors_out))
            for day in sheet.days
        )
        out.table(("day", "in", "out", "errors in", "errors out"), rows, right=("in", "out", "errors in", "errors out"))


def _traffic(sheet: PortSheet) -> str:
    if sheet.in_bits is None or sheet.out_bits is None:
        return ""
    share = f", {sheet.error_share:.2%} errors" if sheet.error_share else ""
    return f"{sheet.in_bits / 1_000_000:.1f} Mbit/s in, {sheet.out_bits / 1_000_000:.1f} Mbit/s out{share}"


def _size(octets: int) -> str:
    size, unit = next(((size, unit) for size, unit in BYTES if octets >= size), (1, "B"))
    return f"{octets / size:.1f} {unit}" if size > 1 else f"{octets} B"


def _people(out: Out, head: str, found: Sequence[KeptBehind]) -> None:
    out.say(head, "bold")
    out.table(
        ("who", "address", "MAC", "vendor", "VLANs", "since", "until"),
        (
            (
                (one.device.name if one.device else None) or "", one.address or "", one.mac, one.vendor or "",
                ", ".join(map(str, one.vlans)), ago(one.first_seen), "now" if one.here else ago(one.last_seen),
            )
            for one in found
        ),
    )  # fmt: skip


def print_turns(out: Out, turns: Iterable[PortTurn]) -> None:
    """What is different between two moments, port by port."""
    out.table(
        ("port", "then", "after", "came", "went"),
        ((one.port.name, one.before, one.after, _names(one.came), _names(one.went)) for one in turns),
    )


def _names(found: Sequence[KeptBehind]) -> str:
    return ", ".join((one.device.name if one.device else None) or one.mac for one in found)


def _label(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        made = roster.port_labels(options.switch, options.pitch, options.height, options.rows, options.say)
    if out.as_json:
        out.json(made)
    elif options.file == "-":
        out.raw(made.svg)
    else:
        write(options.file, made.svg)
        out.say(f"The labels are in {options.file}; print it at 100 %.")
    return 0


def _note(options: argparse.Namespace) -> int:
    return _edit(options, notes=options.note)


def _mark(options: argparse.Namespace) -> int:
    return _edit(options, mark=options.mark)


def _uplink(options: argparse.Namespace) -> int:
    return _edit(options, uplink=options.uplink)


def _edit(options: argparse.Namespace, **said: Any) -> int:
    from ..api.switches import PortEdit

    out = Out(options.json)
    with connect(options) as roster:
        one = pick_port(roster, options.switch, options.port)
        one = roster.edit_port(one.id, PortEdit(**said), one.version)
    if out.as_json:
        out.json(one)
        return 0
    parts = [one.said, *([f"note: {one.notes}"] if one.notes else []), *(["it is an uplink"] if one.uplink else [])]
    out.say(f"Port {one.name} of {one.switch.name}: {'; '.join(parts)}.")
    return 0


def _where(options: argparse.Namespace) -> int:
    out, at = Out(options.json), moment(options.at)
    with connect(options) as roster:
        found = roster.where(options.what, at)
    if out.as_json:
        out.json(plain(found))
    else:
        for one in found.items:
            _place(out, one)
        earlier = [one for one in found.earlier if not one.here]
        if earlier:
            out.say("Before", "bold")
            out.table(
                ("switch", "port", "from", "until", "ended because"),
                (
                    (one.switch.name, one.port.name, ago(one.first_seen), ago(one.last_seen), one.ended)
                    for one in earlier
                ),
            )
    return 0 if any(one.grade in ("on", "behind") for one in found.items) else 1


def _place(out: Out, one: Placing) -> None:
    called = (one.device.name if one.device else None) or one.mac
    where = f" ({one.address})" if one.address else ""
    times = ""
    if one.grade in ("on", "behind") and one.first_seen:
        times = f", {_since_then(one.at_least)} {clock(one.first_seen)}"
    elif one.last_seen:
        times = f", {ago(one.last_seen)}"
    out.say(f"{called}{where}: {one.said}{times}", "bold")
    facts = ((one.alias, "the switch says: "), (one.notes, "noted: "))
    for value, what in facts:
        if value:
            out.say(f"  {what}{value}")
    for reason in one.reasons:
        out.say(f"  {reason}")
    if one.read_at:
        out.say(f"  the switch was read {ago(one.read_at)}")
