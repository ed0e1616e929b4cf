"""`roster call`: standing lists of whom to look for, live in a terminal."""

from __future__ import annotations

import argparse
import json
import sys
import time
from typing import TYPE_CHECKING, Any

from .common import bad_input, connect, secret, text_of
from .grammar import Noun, verb
from .output import Out, Text, ago, clock

if TYPE_CHECKING:
    from ..client import CallLine, RollCallView
    from .connection import Service

LOOKS = {"here": ("+ here", "green"), "silent": ("- silent", "red"), "unknown": ("? cannot say", "yellow")}
ASKING = "~ being asked", "yellow"
MARKS = {1: "+", 0: "-", -1: "?"}
SHOWN = 20
UNSURE, MOSTLY = "~", 0.9
"""The mark of a share of a time of which less than so much is known."""
AGAIN_SECONDS = 1.0
BAR = 24


def add_commands(commands: Any, shared: argparse.ArgumentParser) -> None:
    """Add this module's commands."""
    call = Noun(commands, shared, "call", _calls)
    _once(call.list)
    show = call.verb("show", "the lines of one roll call, live", _show)
    _name(show)
    _once(show)
    for word, helped, run, example in (
        ("add", "a new roll call, its lines from a file or '-'", _add, ""),
        ("set", "other lines, name or interval", _set, ""),
    ):
        one = call.verb(word, helped, run, example)
        _name(one)
        one.add_argument(
            "file",
            nargs="?",
            metavar="FILE|-",
            help="lines of address, MAC or device, name, note; behind it warn=MINUTES, until=YYYY-MM-DD; or JSON of 'call text'",
        )
        one.add_argument("--warn", type=int, metavar="MINUTES", help="tell of an absence after so long; 0: of none")
        one.add_argument("--quiet", metavar="HH:MM-HH:MM", help="hours in which no absence is told; none")
        one.add_argument("--every", type=int, metavar="SECONDS", help="seconds between two looks")
        if word == "set":
            one.add_argument("--name", dest="new_name", metavar="NEW", help="call it so")
    times = call.verb("times", "how fast somebody answered, hour by hour", _times, "printer-1")
    times.add_argument("subject", metavar="ADDRESS|DEVICE", help="whose reply times")
    times.add_argument("--hours", type=int, default=24, metavar="N", help="how many hours back; 744 at most")
    _name(call.verb("text", "its lines as text, to keep or carry elsewhere", _text))
    wake = verb(commands, shared, "wake", _wake)
    wake.add_argument("device", metavar="DEVICE", help="its name, MAC or id")
    wake.add_argument(
        "--secure-on", action="store_true", help="read its SecureOn password, from the terminal or standard input"
    )
    wake.add_argument("--keep", action="store_true", help="keep that password, encrypted, for the next time")
    wake.add_argument("--forget", action="store_true", help="forget the password that is kept, and send nothing")
    wake.add_argument("--no-wait", action="store_true", help="send, and do not wait until it is up")
    _name(call.verb("remove", "a roll call no more", _remove))


def _name(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("name", metavar="NAME", help="how the roll call is called, or its id")


def _once(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--once", action="store_true", help="look once, print, and end")


def _calls(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        rolls = list(roster.roll_calls())
        if options.json:
            if options.once:
                rolls = [roster.ask_roll_call(one.id) for one in rolls]
            out.json_list(rolls)
            return 1 if any(one.silent_count for one in rolls) else 0
        if not rolls:
            out.say("There is no roll call yet: roster call add NAME FILE, one address, MAC or device a line.")
            return 0
        return _live(out, roster, [one.id for one in rolls], options.once)


def _show(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        one = _pick(roster, options.name)
        if options.json:
            if options.once or one.asked_at is None:
                one = roster.ask_roll_call(one.id)
            out.json_list(roster.call_lines(one.id), call=one)
            return 1 if one.silent_count else 0
        return _live(out, roster, [one.id], options.once)


def _live(out: Out, roster: Service, ids: list[int], once: bool) -> int:
    """Print how they stand; on a terminal again and again, in the place of what was printed before, until Ctrl-C."""
    if once or not out.terminal:
        silent = False
        for identity in ids:
            with out.waiting("looking"):
                view = roster.ask_roll_call(identity)
            silent = silent or view.silent_count > 0
            _print(out, view, list(roster.call_lines(identity)))
        return 1 if silent else 0
    try:
        while True:
            sys.stdout.write("\x1b[H\x1b[2J")
            for identity in ids:
                _print(out, roster.roll_call(identity), list(roster.call_lines(identity)))
            out.notice("Ctrl-C ends it")
            sys.stdout.flush()
            time.sleep(AGAIN_SECONDS)
    except KeyboardInterrupt:
        return 0


def _print(out: Out, view: RollCallView, lines: list[CallLine]) -> None:
    told = f"{view.here_count} here, {view.silent_count} silent"
    told += f", {view.unknown_count} cannot be told" if view.unknown_count else ""
    told = f"{told}; " if view.asked_at or not view.asking else ""
    asked = "being asked" if view.asking else f"asked {ago(view.asked_at)}" if view.asked_at else "not asked yet"
    out.line(Text.assemble((view.name, "bold"), f": {told}{asked}, every {view.every_seconds} s"))
    if not lines:
        out.say("It has no lines.")
        return
    rows = []
    for one in lines:
        word, style = ASKING if one.asking and one.state == "unknown" else LOOKS[one.state]
        called = one.name or (one.device.name if one.device else None) or ""
        course = "".join(MARKS[mark] for mark in one.course[-SHOWN:])
        plain = f"answers at {one.address}", f"nobody answers at {one.address}"  # state and address say so already
        why = "" if one.said in plain else one.said
        parts = (one.day_share, one.day_known), (one.week_share, one.week_known), (one.month_share, one.month_known)
        there = " ".join(_share(*part) for part in parts if any(share is not None for share, _ in parts))
        since = ago(one.since) if one.since else ""
        reply = _ms(one.reply_ms)
        rows.append((one.subject, called, Text(word, style), since, course, reply, there, why or one.notes))
    out.table(("address", "name", "state", "since", "course", "reply", "day week month", "what"), rows)
    if any(UNSURE in row[6] for row in rows):
        out.say(f"{UNSURE}: of less than {MOSTLY:.0%} of that time is it known; the share is that of what is known.")


def _share(share: float | None, known: float) -> str:
    """How much of a time a line was there, marked where little of it is known."""
    return "-" if share is None else f"{UNSURE if known < MOSTLY else ''}{share:.0%}"


def _ms(value: float | None) -> str:
    return "" if value is None else f"{value:.2f} ms" if value < 10 else f"{value:.0f} ms"


def _times(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = roster.reply_times(options.subject, options.hours)
    if out.as_json:
        out.json(found)
        return 0
    if not found.hours:
        out.say(f"No roll call looked for {found.address} in the last {options.hours} hours.")
        return 0
    most = max((one.mean_ms or 0.0 for one in found.hours), default=0.0)
    rows = []
    for one in found.hours:
        bar = "" if one.mean_ms is None or not most else "#" * max(round(one.mean_ms / most * BAR), 1)
        times = [_ms(value) for value in (one.least_ms, one.mean_ms, one.most_ms)]
        rows.append((clock(one.at), f"{one.here_count} of {one.look_count}", *times, bar))
    out.say(f"How {found.address} answered roll calls, hour by hour", "bold")
    out.table(("hour", "here", "shortest", "mean", "longest", ""), rows)
    return 0


def _lines(source: str | None) -> str | None:
    return text_of(source) if source is not None else None


def _carried(text: str | None) -> dict[str, Any]:
    """What a file says of a roll call: its lines as text, or all of it as the JSON document of `roster call text --json`."""
    if text is None or not text.lstrip().startswith("{"):
        return {} if text is None else {"text": text}
    try:
        given = json.loads(text)
    except ValueError as error:
        raise bad_input(f"this is no JSON document: {error}") from error
    if not isinstance(given.get("text"), str):
        raise bad_input(
            "a roll call's JSON document has its lines as 'text', as 'roster call text NAME --json' gives it"
        )
    first, last = given.get("quiet_first"), given.get("quiet_last")
    carried = {name: given[name] for name in ("text", "every_seconds", "warn_minutes") if name in given}
    return carried | ({"quiet": f"{first}-{last}"} if first and last else {})


def _add(options: argparse.Namespace) -> int:
    from ..api.calling import RollCallNew

    said = {"every_seconds": options.every, "warn_minutes": options.warn, "quiet": options.quiet}
    carried = _carried(_lines(options.file))
    new = RollCallNew(
        **{"name": options.name, **carried, **{name: one for name, one in said.items() if one is not None}}
    )
    return _told(options, lambda roster: roster.add_roll_call(new))


def _set(options: argparse.Namespace) -> int:
    from ..api.calling import RollCallEdit

    said = {
        "name": options.new_name, "every_seconds": options.every, "warn_minutes": options.warn, "quiet": options.quiet,
    }  # fmt: skip
    carried = _carried(_lines(options.file))
    edit = RollCallEdit(**{**carried, **{name: one for name, one in said.items() if one is not None}})
    if all(value is None for value in edit.model_dump().values()):
        raise bad_input("say what is to change: a file with its lines, --every, --warn, --quiet or --name")

    def change(roster: Service) -> RollCallView:
        one = _pick(roster, options.name)
        return roster.edit_roll_call(one.id, edit, one.version)

    return _told(options, change)


def _told(options: argparse.Namespace, make: Any) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        one = make(roster)
    if options.json:
        out.json(one)
    else:
        count = "1 line" if one.line_count == 1 else f"{one.line_count} lines"
        out.say(f"The roll call {one.name} has {count} and is asked every {one.every_seconds} s.")
    return 0


def _text(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        one = _pick(roster, options.name)
    if options.json:
        out.json(one)
    else:
        out.raw(one.text)
    return 0


def _remove(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        one = _pick(roster, options.name)
        roster.remove_roll_call(one.id, one.version)
    if options.json:
        out.json({"removed": one.name})
    else:
        out.say(f"The roll call {one.name} is no more; 'roster change' lists it, and can take that back.")
    return 0


def _pick(roster: Service, name: str) -> RollCallView:
    rolls = list(roster.roll_calls())
    for one in rolls:
        if (name.isdigit() and one.id == int(name)) or one.name.casefold() == name.casefold():
            return one
    there = ", ".join(one.name for one in rolls) or "none yet"
    raise bad_input(f"there is no roll call {name!r}; there are: {there}")


def _wake(options: argparse.Namespace) -> int:
    out = Out(options.json)
    if options.keep and not options.secure_on:
        raise bad_input("--keep keeps the password that --secure-on reads; give both")
    if options.forget:
        with connect(options) as roster:
            roster.keep_wake_password(options.device, "")
        if out.as_json:
            out.json({"forgotten": options.device})
        else:
            out.say(f"No SecureOn password of {options.device} is kept.")
        return 0
    password = secret("SecureOn password") if options.secure_on else ""
    with connect(options) as roster:
        if options.keep:
            roster.keep_wake_password(options.device, password)
        one = roster.wake(options.device, password)
        if not out.as_json:
            secured = " with a SecureOn password" if one.secured else ""
            out.say(f"Magic packets for {', '.join(one.macs)} went out on {', '.join(one.adapters)}{secured}.")
        with out.waiting("waiting until it is up"):
            while one.state == "waiting" and not options.no_wait:
                time.sleep(AGAIN_SECONDS)
                one = roster.wake_state(one.id)
    if out.as_json:
        out.json(one)
    elif one.state != "waiting":
        out.say(f"{one.device.name or one.device.id}: {one.said}.")
    return 1 if one.state == "silent" else 0
