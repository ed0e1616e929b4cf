"""`roster chase`: finding which cable is where by pulling one and watching, live in a terminal."""

from __future__ import annotations

import argparse
import time
from typing import TYPE_CHECKING, Any

from .common import connect, text_of
from .grammar import Noun
from .output import Out, Text, ago, clock
from .ports_of import pick_port

if TYPE_CHECKING:
    from ..client import ChaseView
    from .connection import Service

LOOK_SECONDS = 0.3


def add_commands(commands: Any, shared: argparse.ArgumentParser) -> None:
    """Add this module's commands."""
    chase = Noun(commands, shared, "chase", _list)
    start = chase.verb("start", "watch switches and say at once which port turns", _start, "switch-office-1 --no-wait")
    start.add_argument("switches", nargs="*", metavar="SWITCH", help="the switches to watch")
    start.add_argument("--ask", action="append", default=[], metavar="DEVICE", help="a device of the own links, by ARP")
    start.add_argument("--cables", metavar="FILE|-", help="the cables to find, one a line")
    start.add_argument("--name", default="", metavar="NAME", help="what it is called")
    start.add_argument("--no-wait", action="store_true", help="start it, and do not follow")
    follow = chase.verb("follow", "say at once which port turns", _follow, "1 --once")
    show = chase.verb("show", "what turned, and which cables are found", _show, "1")
    found = chase.verb("found", "a cable was found at a port: its name becomes the port's note", _found)
    stop = chase.verb("stop", "watch no longer", _stop, "1")
    for one in (follow, show, found, stop):
        one.add_argument("id", type=int, metavar="ID", help="the chase's id")
    for one in (start, follow):
        one.add_argument("--sound", action="store_true", help="ring the terminal's bell at each turn")
    follow.add_argument("--once", action="store_true", help="print what turned so far, and end")
    found.add_argument("cable", type=int, metavar="CABLE", help="the number of the cable")
    found.add_argument("switch", metavar="SWITCH", help="the switch it was found at")
    found.add_argument("port", metavar="PORT", help="the port")


def _list(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = list(roster.chases())
    if out.as_json:
        out.json_list(found)
    elif not found:
        out.say("No chase yet: 'roster chase start SWITCH' watches one.")
    else:
        out.table(
            ("id", "name", "", "switches", "cables found", "begun"),
            (
                (
                    str(one.id), one.name, Text("on", "green") if one.on else Text("over", "dim"),
                    ", ".join(watched.switch.name for watched in one.switches), _count(one), ago(one.begun_at),
                )
                for one in found
            ),
        )  # fmt: skip
    return 0


def _count(one: ChaseView) -> str:
    return f"{sum(cable.port is not None for cable in one.cables)} of {len(one.cables)}" if one.cables else ""


def _start(options: argparse.Namespace) -> int:
    from ..api.chases import ChaseNew

    out = Out(options.json)
    cables = text_of(options.cables).splitlines() if options.cables else []
    with connect(options) as roster:
        one = roster.begin_chase(
            ChaseNew(name=options.name, switches=options.switches, devices=options.ask, cables=cables)
        )
        if out.as_json or options.no_wait:
            if out.as_json:
                out.json(one)
            else:
                out.say(f"Chase {one.id} watches {_watched(one)} until {clock(one.until)}.")
            return 0
        out.say(f"Chase {one.id} watches {_watched(one)}. Pull a cable; Ctrl-C ends watching it here.")
        return _live(out, roster, one.id, options.sound)


def _watched(one: ChaseView) -> str:
    return ", ".join([*(watched.switch.name for watched in one.switches), *(device.name for device in one.devices)])


def _follow(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        if options.once or out.as_json:
            return _print(out, roster.chase(options.id))
        return _live(out, roster, options.id, options.sound)


def _live(out: Out, roster: Service, identity: int, sound: bool) -> int:
    """Print each turn as it comes, until Ctrl-C or the end of the chase."""
    last = 0
    troubles: dict[str, str] = {}
    while True:
        one = roster.chase(identity)
        for watched in one.switches:
            if watched.trouble != troubles.get(watched.switch.name, ""):
                troubles[watched.switch.name] = watched.trouble
                out.say(f"  {watched.switch.name}: {watched.trouble or 'it answers again'}", "yellow")
        for turn in sorted((turn for turn in one.turns if turn.number > last), key=lambda turn: turn.number):
            last = turn.number
            bell = "\a" if sound else ""
            out.say(f"{clock(turn.at)}  {turn.said}{bell}", "green" if turn.up else "bold")
        if not one.on:
            out.say("The chase is over.")
            return 0
        time.sleep(LOOK_SECONDS)


def _show(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        return _print(out, roster.chase(options.id))


def _print(out: Out, one: ChaseView) -> int:
    if out.as_json:
        out.json(one)
        return 0
    out.say(f"Chase {one.id} watches {_watched(one)}{'' if one.on else '; it is over'}", "bold")
    for watched in one.switches:
        if watched.trouble:
            out.say(f"  {watched.switch.name}: {watched.trouble}", "yellow")
    for device in one.devices:
        if device.answers is None:
            out.say(f"  {device.name} did not answer yet", "yellow")
    for turn in one.turns[:40]:
        out.say(f"  {clock(turn.at)}  {turn.said}")
    if not one.turns:
        out.say("  nothing turned yet")
    if one.cables:
        out.table(
            ("cable", "what it is called", "found at"),
            (
                (str(cable.number), cable.text, f"{cable.switch.name} {cable.port.name}" if cable.switch and cable.port else "")
                for cable in one.cables
            ),
        )  # fmt: skip
    return 0


def _found(options: argparse.Namespace) -> int:
    from ..api.chases import ChaseFound

    out = Out(options.json)
    with connect(options) as roster:
        port = pick_port(roster, options.switch, options.port)
        one = roster.cable_found(options.id, ChaseFound(cable=options.cable, port=port.id))
    if out.as_json:
        out.json(one)
    else:
        out.say(
            f"{one.cables[options.cable].text} is at port {port.name} of {port.switch.name}; the port's note says so."
        )
    return 0


def _stop(options: argparse.Namespace) -> int:
    from ..api.chases import ChaseEdit

    out = Out(options.json)
    with connect(options) as roster:
        one = roster.edit_chase(options.id, ChaseEdit(on=False))
    if out.as_json:
        out.json(one)
    else:
        out.say(f"Chase {one.id} is over: {_count(one) or 'no'} cables were found.")
    return 0
