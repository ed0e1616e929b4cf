"""`roster fit`: bringing new devices in, from the carton to proven in place, live in a terminal."""

from __future__ import annotations

import argparse
import time
from typing import TYPE_CHECKING, Any

from .common import bad_input, connect, several
from .grammar import Noun
from .output import Out, Text, ago

if TYPE_CHECKING:
    from ..client import FittedView, FittingView
    from .connection import Service

AGAIN_SECONDS = 0.5
MARKS = {"passed": ("+", "green"), "now": (">", "bold"), "ahead": (" ", "dim"), "not needed": ("-", "dim")}
OVER = {"done": ("in place", "green"), "given up": ("given up", "dim")}


def add_commands(commands: Any, shared: argparse.ArgumentParser) -> None:
    """Add this module's commands."""
    fit = Noun(commands, shared, "fit", _fittings)
    fit.list.add_argument("--all", action="store_true", help="those that are over, too")
    new = fit.verb(
        "new", "begin: whose MACs stand on the labels, and where they are to go", _new,
        "02-c0-44-0c-77-01 --role printer --in Office --name printer-{n}",
    )  # fmt: skip
    new.add_argument(
        "macs", nargs="+", metavar="MAC", help="as on the label; several of one kind at once, - reads them"
    )
    new.add_argument("--kind", metavar="KIND", help="what the site knows of its kind: see roster kind")
    new.add_argument(
        "--name", default="", metavar="NAME", help="the hostname; for several with {n}, such as camera-{n:02}"
    )
    new.add_argument("--role", default="", metavar="ROLE", help="what it is to the network; left out, that of its kind")
    new.add_argument("--in", dest="where", default="", metavar="WHERE", help="the subnet or band it is to stand in")
    new.add_argument("--address", default="", metavar="ADDRESS", help="this address; left out, a free one is chosen")
    new.add_argument("--anyway", action="store_true", help="in spite of mistakes that the plan tells")
    how = new.add_mutually_exclusive_group()
    how.add_argument("--static", dest="policy", action="store_const", const="static", help="typed into the device")
    how.add_argument(
        "--reserved", dest="policy", action="store_const", const="reserved", help="kept for it at the DHCP server"
    )
    _once(new)
    over = fit.verb(
        "over", "move a device, or put a new box in its place, until that is proven", _over, "printer-1 --address 10.44.10.37"
    )  # fmt: skip
    over.add_argument("device", metavar="DEVICE", help="its name, MAC or id")
    over.add_argument("--box", default="", metavar="MAC", help="the new box's MAC")
    over.add_argument("--address", default="", metavar="ADDRESS", help="the new address")
    over.add_argument("--anyway", action="store_true", help="in spite of mistakes that the plan tells")
    over.add_argument(
        "--in", dest="where", default="", metavar="WHERE", help="the best free one of this subnet or band"
    )
    _once(over)
    show = fit.verb("show", "how far a fitting is, live", _show)
    show.add_argument(
        "id", nargs="?", type=int, metavar="ID", help="the fitting; left out, the latest that is not over"
    )
    _once(show)
    reach = fit.verb("reach", "help to reach a device in a foreign subnet, or one that asks for an address", _reach)
    _one(reach)
    helps = reach.add_mutually_exclusive_group()
    for flag, what in (
        ("--lend", "lend this machine's adapter an address beside the device's, which goes by itself"),
        ("--take-back", "take that back now"),
        ("--answer", "consent: answer what it asks by DHCP or BOOTP, where no server is"),
        ("--answer-no-more", "answer it no more"),
    ):
        helps.add_argument(flag, dest="help_by", action="store_const", const=flag[2:].replace("-", "_"), help=what)
    record = fit.verb("record", "a device is in place: write down what is to be known of it", _record)
    _one(record)
    for name, what in (("name", "what people call it"), ("place", "where it stands"), ("owner", "who answers for it"),
                       ("notes", "anything else"), ("kind", "remember its kind by this name")):  # fmt: skip
        record.add_argument(f"--{name}", default="", metavar=name.upper(), help=what)
    record.add_argument("--anyway", action="store_true", help="although not everything is proven")
    _one(fit.verb("give-up", "end it: what was taken for a device, or for all of them, is free again", _give_up))


def _once(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--once", action="store_true", help="print how it stands, and end")


def _one(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("id", type=int, metavar="ID", help="the fitting")
    parser.add_argument("device", nargs="?", metavar="DEVICE", help="one of its devices, by hostname or MAC")


def _fittings(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = list(roster.fittings(open=not options.all))
    if options.json:
        out.json_list(found)
        return 0
    if not found:
        out.say("Nothing is being fitted: roster fit new MAC --role ROLE --in SUBNET begins with a device.")
        return 0
    rows = [
        (
            str(one.id), ", ".join(one.names[:3]) + (" …" if one.device_count > 3 else ""), one.kind.name if one.kind else one.role,
            one.where, f"{one.done_count} of {one.device_count}", ago(one.touched_at), one.who,
        )
        for one in found
    ]  # fmt: skip
    out.table(("id", "devices", "kind", "where", "in place", "moved", "by"), rows)
    return 0


def _new(options: argparse.Namespace) -> int:
    from ..api.fitting import FittingNew

    out = Out(options.json)
    new = FittingNew(
        macs=several(options.macs), kind=options.kind, name=options.name, role=options.role, where=options.where,
        address=options.address, policy=options.policy, anyway=options.anyway,
    )  # fmt: skip
    with connect(options) as roster:
        with out.waiting("asking the wire for free addresses"):
            made = roster.begin_fitting(new)
        return _follow(out, roster, made, options.once)


def _over(options: argparse.Namespace) -> int:
    from ..api.fitting import ChangeOverNew

    out = Out(options.json)
    new = ChangeOverNew(
        device=options.device, mac=options.box, address=options.address, where=options.where, anyway=options.anyway
    )
    with connect(options) as roster:
        with out.waiting("asking the wire"):
            made = roster.begin_change_over(new)
        return _follow(out, roster, made, options.once)


def _show(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        identity = options.id
        if identity is None:
            there = next(iter(roster.fittings(open=True)), None)
            if there is None:
                raise bad_input("nothing is being fitted; name a fitting that is over by its id: roster fit --all")
            identity = there.id
        return _follow(out, roster, roster.fitting(identity), options.once)


def _follow(out: Out, roster: Service, one: FittingView, once: bool) -> int:
    """Print how it stands; on a terminal what happens from then on, until it is over or Ctrl-C."""
    if out.as_json:
        out.json(one)
        return 0
    _print(out, one, roster.place.url)
    _dependants(out, roster, one)
    if once or not out.terminal or one.closed_at is not None:
        return 0
    out.notice("what happens is told here; Ctrl-C ends the telling, not the fitting")
    told = {device.id: (len(device.written), device.said) for device in one.devices}
    try:
        while one.closed_at is None:
            time.sleep(AGAIN_SECONDS)
            one = roster.fitting(one.id)
            for device in one.devices:
                _tell(out, device, *told[device.id])
                told[device.id] = len(device.written), device.said
    except KeyboardInterrupt:
        return 0
    return 0


def _dependants(out: Out, roster: Service, one: FittingView) -> None:
    """Who has a device's address entered, and where another one must be."""
    for device in one.devices if len(one.devices) == 1 and one.closed_at is None else []:
        for use in roster.uses(device.address) if device.address else ():
            changed = f", and must be told {use.moved_to}: roster use done {use.id}" if use.moved_to else ""
            out.say(f"   {use.user} uses {use.address} for {use.purpose}{changed}")


def _tell(out: Out, device: FittedView, written: int, said: str) -> None:
    for note in device.written[written:]:
        out.say(f"{note.at.astimezone():%H:%M:%S}  {_called(device)}: {note.said}")
    if device.said != said:
        out.line(Text.assemble(f"          {_called(device)}: ", (device.said, "bold")))


def _print(out: Out, one: FittingView, place: str) -> None:
    kind = one.kind.name if one.kind else one.role or "devices"
    where = f" in {one.where}" if one.where else ""
    out.line(Text.assemble((f"Fitting {one.id}", "bold"), f": {kind}{where}, begun {ago(one.opened_at)} by {one.who}"))
    if len(one.devices) > 1:
        rows = [(_called(two), two.mac, two.address, *_stands(two)) for two in one.devices]
        out.table(("name", "MAC", "address", "step", "what to do"), rows)
        return
    for device in one.devices:
        _device(out, device, place)


def _stands(device: FittedView) -> tuple[Text, str]:
    word, style = OVER.get(device.state, (device.step, ""))
    return Text(word, style), device.against or ("" if device.state != "open" else device.said)


def _device(out: Out, device: FittedView, place: str) -> None:
    for step in device.steps:
        mark, style = MARKS[step.state]
        out.line(Text.assemble((f" {mark} {step.step:7}", style), f" {step.said or ''}"))
    if device.remind:
        out.line(Text.assemble(("   put back ", "yellow"), device.remind))
    if device.against:
        out.line(Text.assemble(("   but     ", "red"), device.against))
    for number, reason in enumerate(device.reasons, start=1):
        out.say(f"   {number}. {reason}")
    if device.card and device.step in ("reach", "type"):
        out.say("Type in:")
        out.facts([(f"  {line.name}", line.value) for line in device.card])
    if device.page and device.step in ("reach", "type"):
        out.say(f"Its page now: {place if device.page.startswith('/') else ''}{device.page}")
    shown = [one for one in device.settings if one.state != "unseen"]
    for setting in shown:
        word, style = ("seen", "green") if setting.state == "seen" else ("seen otherwise", "red")
        out.line(Text.assemble(f"   {setting.name} {setting.wanted}: ", (word, style), f", {setting.said}"))
    unseen = [one.name for one in device.settings if one.state == "unseen"]
    if unseen:
        out.say(f"   cannot be seen from here: {', '.join(unseen)}")


def _called(device: FittedView) -> str:
    return device.name or device.mac


def _pick(one: FittingView, named: str) -> FittedView:
    digits = "".join(char for char in named.lower() if char in "0123456789abcdef")
    found = [
        two for two in one.devices
        if named.casefold() == two.name.casefold() or named == two.address
        or (len(digits) >= 4 and two.mac.replace(":", "").endswith(digits) and set(named.lower()) <= set("0123456789abcdef:-. "))
    ]  # fmt: skip
    if len(found) != 1:
        there = ", ".join(_called(two) for two in one.devices)
        raise bad_input(f"fitting {one.id} has {'no' if not found else 'several'} {named!r}; it is of: {there}")
    return found[0]


def _reach(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        one = roster.fitting(options.id)
        if options.device is None and len(one.devices) > 1:
            raise bad_input(f"fitting {one.id} is of {len(one.devices)} devices; name the one that is to be reached")
        device = _pick(one, options.device) if options.device is not None else one.devices[0]
        if options.help_by == "answer":
            with out.waiting("asking the link for DHCP servers first, ten seconds"):
                one = roster.answer_device(one.id, device.id)
        elif options.help_by is not None:
            calls = {"lend": roster.lend, "take_back": roster.take_back, "answer_no_more": roster.answer_no_more}
            one = calls[options.help_by](one.id, device.id)
    device = next(two for two in one.devices if two.id == device.id)
    if out.as_json:
        out.json(device)
        return 0
    _reached(out, device)
    return 0


def _reached(out: Out, device: FittedView) -> None:
    """How a device is reached, and what helps."""
    reach = device.reach
    if reach is None:
        out.say(f"{_called(device)} is reached as it is." if device.found else f"{_called(device)}: {device.said}")
        return
    if reach.lent is not None:
        lent = reach.lent
        out.say(
            f"{lent.adapter} has {lent.address} to reach it; by itself that goes {lent.until.astimezone():%H:%M:%S},"
        )
        out.say("and is renewed until the device is seen at its new address.")
    elif reach.lend_refused and device.found:
        out.say(f"This machine cannot reach it: {reach.lend_refused}.")
    elif device.found:
        out.say(f"This machine can reach it: roster fit reach ID {_called(device)} --lend")
    if reach.answering:
        out.say(f"Answered from here: {reach.answer_said}.")
    elif device.step == "reach":
        how = "" if not reach.answer_refused else f" This machine cannot answer it: {reach.answer_refused}."
        out.say(f"It asks for an address.{how or ' It can be answered from here, for it alone: --answer'}")
        out.say("A guarded switch may shut our own port for answering." if not how else "")
    if reach.address is not None:
        out.say(f"A computer reaches it with {reach.address}, mask {reach.mask}; afterwards that is to be put back:")
        out.facts([(f"  {one.system}", one.do) for one in reach.commands])
        out.facts([("  back", one.undo) for one in reach.commands])


def _record(options: argparse.Namespace) -> int:
    from ..api.fitting import Record

    out = Out(options.json)
    with connect(options) as roster:
        one = roster.fitting(options.id)
        if options.device is None and len(one.devices) > 1:
            raise bad_input(f"fitting {one.id} is of {len(one.devices)} devices; name the one that is in place")
        device = _pick(one, options.device) if options.device is not None else one.devices[0]
        record = Record(
            fitted_id=device.id, name=options.name, place=options.place, owner=options.owner, notes=options.notes,
            kind=options.kind, anyway=options.anyway,
        )  # fmt: skip
        done = roster.record_fitting(one.id, record)
    if options.json:
        out.json(done)
    else:
        out.say(f"{_called(device)} is in place at {device.address}, and in the roster.")
    return 0


def _give_up(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        one = roster.fitting(options.id)
        chosen = [_pick(one, options.device)] if options.device is not None else []
        done = roster.give_up_fitting(one.id, [device.id for device in chosen])
    if options.json:
        out.json(done)
        return 0
    for device in chosen or [two for two in one.devices if two.state == "open"]:
        out.say(f"{_called(device)} is given up; what was taken for it is free again.")
    return 0
