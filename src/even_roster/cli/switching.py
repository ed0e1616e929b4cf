"""`roster port off`, `on` and `orders`: switch ports, after showing the connected devices."""

from __future__ import annotations

import argparse
import os
import sys
import time
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

from .common import bad_input, connect
from .grammar import Noun
from .output import Out, ago, clock
from .ports_of import pick_port

if TYPE_CHECKING:
    from ..api.port_orders import PortOrderNew
    from ..client import KeptPort, PortOrderView, PortSwitching
    from .connection import Service

FOLLOW_SECONDS, AGAIN_SECONDS = 60.0, 0.5
NOT_DONE = ("failed", "not known")
UNITS = {"s": 1, "min": 60, "h": 3600}


def add_verbs(port: Noun) -> None:
    """Add the verbs to `roster port`."""
    off = port.verb(
        "off", "switch a port off, or its power; shows the connected devices first", _off,
        "switch-office-2 6 --by machinist --for 5s --name 'switch-office-2 port 6'",
    )  # fmt: skip
    on = port.verb("on", "switch a port on, or its power", _on, "switch-office-2 6 --by machinist")
    for one in (off, on):
        one.add_argument("switch", metavar="SWITCH", help="its name, address or id")
        one.add_argument("port", metavar="PORT", help="what the switch calls it")
        one.add_argument("--by", metavar="CREDENTIAL", help="the credential with write access, by name")
        one.add_argument("--power", action="store_true", help="its power over Ethernet instead of its link")
        one.add_argument("--weak", action="store_true", help="consent to a credential that does not encrypt")
    off.add_argument("--for", dest="time", metavar="TIME", help="it comes back by itself after this: 30s, 5min, 2h")
    off.add_argument("--name", metavar="NAME", help="the name that is asked for, given beforehand")
    off.add_argument(
        "--my-device",
        metavar="MAC|ADDRESS|SWITCH:PORT",
        help="your own device, so that you are not cut off; 'here' at the service's machine",
    )
    off.add_argument(
        "--consent",
        action="store_true",
        help="accept what cannot be verified; each point is printed",
    )
    off.add_argument("--look", action="store_true", help="only show the connected devices and what prevents it")
    orders = port.verb("orders", "which ports were switched, by whom, and how that stands", _orders)
    orders.add_argument("--limit", type=int, default=20, metavar="N", help="how many of them at most")


def seconds(text: str | None) -> int | None:
    """How long something is: 30s, 5min, 2h, in seconds. Raises BadInput."""
    if text is None:
        return None
    unit = next((unit for unit in ("min", "h", "s") if text.endswith(unit)), "")
    number = text.removesuffix(unit).strip()
    if not number.isdigit() or not unit:
        raise bad_input(f"{text!r} is no time: write 30s, 5min or 2h")
    return int(number) * UNITS[unit]


def seat(said: str | None, environ: Mapping[str, str]) -> str:
    """Where whoever types this sits: as is said, else by the line of SSH, else at this machine itself. Behind sudo, and in a
    terminal that outlives its line (tmux, screen), that is not known."""
    if said:
        return said
    line = environ.get("SSH_CONNECTION", "").split()
    if environ.get("TMUX") or environ.get("STY") or (environ.get("SUDO_USER") and not line):
        return "unknown"
    return line[0] if line else "here"


def _off(options: argparse.Namespace) -> int:
    from ..api.port_orders import PortOrderNew

    out, lasts = Out(options.json), seconds(options.time)
    with connect(options) as roster:
        one = pick_port(roster, options.switch, options.port)
        mine = seat(options.my_device, os.environ)
        with out.waiting("reading the switches on the way"):
            found = roster.port_switching(one.id, mine, options.by or "")
        unverified = [*found.unverified, *(found.power_unverified if options.power else [])]
        if options.look or found.refusals:
            if out.as_json:
                out.json(found)
            else:
                _show(out, found, unverified)
            return 1 if found.refusals else 0
        if not options.by:
            raise bad_input("give the credential with write access: --by NAME")
        if unverified and not options.consent:
            raise bad_input(f"not verified: {'; '.join(unverified)}; give --consent if you have checked this yourself")
        if unverified and options.name is not None and not out.as_json:
            for sentence in unverified:
                out.say(f"not verified: {sentence}", "yellow")
        name = options.name
        if name is None:
            if out.as_json or not sys.stdin.isatty():
                raise bad_input(f"type the name of what is connected: --name {found.ask_for!r}")
            _show(out, found, unverified)
            name = input(f"Type {found.ask_for!r} to switch it off: ")
        done = _ordered(out, roster, one, PortOrderNew(
            what=_what(options), to="off", credential=options.by, name=name, for_seconds=lasts, weak=options.weak, my_device=mine,
            consents=unverified,
        ))  # fmt: skip
    return _told(out, done)


def _ordered(out: Out, roster: Service, port: KeptPort, new: PortOrderNew) -> PortOrderView:
    """An order when its switch has answered, or as it stands after FOLLOW_SECONDS; while its switch is busy it is given again."""
    from ..client import ServiceFault

    until = time.monotonic() + FOLLOW_SECONDS
    with out.waiting(f"waiting for {port.switch.name}"):
        order: PortOrderView | None = None
        while order is None or (order.state in ("given", "sent") and time.monotonic() < until):
            try:
                order = roster.order_port(port.id, new) if order is None else roster.port_order(order.id)
            except ServiceFault as error:
                if error.problem.code != "busy" or time.monotonic() > until:
                    raise
            if order is None or order.state in ("given", "sent"):
                time.sleep(AGAIN_SECONDS)
    return order


def _on(options: argparse.Namespace) -> int:
    from ..api.port_orders import PortOrderNew

    out = Out(options.json)
    if not options.by:
        raise bad_input("give the credential with write access: --by NAME")
    with connect(options) as roster:
        one = pick_port(roster, options.switch, options.port)
        new = PortOrderNew(what=_what(options), to="on", credential=options.by, weak=options.weak)
        done = _ordered(out, roster, one, new)
    return _told(out, done)


def _what(options: argparse.Namespace) -> Any:
    return "power" if options.power else "link"


def _show(out: Out, found: PortSwitching, unverified: Sequence[str]) -> None:
    out.say(f"Port {found.port.name} of {found.switch.name}: {found.said}", "bold")
    for who in found.behind[:20]:
        name = (who.device.name if who.device else None) or who.mac
        out.say(f"  {name}{f' ({who.address})' if who.address else ''}, {who.mac}")
    if found.way:
        out.say(f"  the way there: {', '.join(found.way)}")
    for refusal in found.refusals:
        out.say(f"  it stays on: {refusal}", "yellow")
    for ground in found.grounds:
        out.say(f"  known: {ground.said} ({ago(ground.at)})")
    if not found.refusals:
        for one in unverified:
            out.say(f"  not verified: {one}", "yellow")
        for warning in found.warnings:
            out.say(f"  bear in mind: {warning}")


def _told(out: Out, done: PortOrderView) -> int:
    if out.as_json:
        out.json(done)
    else:
        back = f" It comes back at {clock(done.until)}." if done.until and done.state == "off for now" else ""
        out.say(f"{done.said[:1].upper()}{done.said[1:]}.{back}", "red" if done.state in NOT_DONE else "")
        if done.state in ("given", "sent"):
            out.say("It is followed: 'roster port orders' tells how it ended.")
    return 1 if done.state in NOT_DONE else 0


def _orders(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = list(roster.port_orders())[: options.limit]
    if out.as_json:
        out.json_list(found)
    elif not found:
        out.say("No port was switched by this service yet.")
    else:
        out.table(
            ("when", "who", "port", "what", "until", "how it stands", "since"),
            (
                (
                    ago(one.at), one.who, f"{one.switch.name} {one.port.name}", f"{one.what} {one.to}",
                    clock(one.until) if one.until else "", f"{one.state}: {one.said}", ago(one.said_at) if one.said_at else "",
                )
                for one in found
            ),
        )  # fmt: skip
    return 0
