"""`roster watch`, `roster listen`, `roster notice`: what the service does by itself."""

from __future__ import annotations

import argparse
import getpass
import json
import re
import sys
from typing import TYPE_CHECKING, Any, cast

from .common import bad_input, called, connect, missing
from .grammar import Noun, verb
from .output import Out, Text, ago, clock

if TYPE_CHECKING:
    from ..api.watching import ListeningView, RouteView, WatchView
    from .connection import Service

_EVERY = re.compile(r"(\d+)\s*(m|min|h|d)?$")
_MINUTES = {"m": 1, "h": 60, "d": 1440}


def add_commands(commands: Any, shared: argparse.ArgumentParser) -> None:
    """Add this module's commands."""
    watch = Noun(commands, shared, "watch", _watches)
    setting = watch.verb("set", "change how a subnet is watched", _watch_set, "Office --every 2h --quiet 22:00-06:00")
    setting.add_argument("subnet", metavar="SUBNET")
    setting.add_argument("--every", metavar="TIME", help="a full scan every 30m, 2h, 1d; never")
    setting.add_argument("--light", metavar="TIME", help="a check of known devices in between")
    setting.add_argument("--ask", metavar="TIME", help="a question for DHCP servers")
    setting.add_argument("--quiet", metavar="HH:MM-HH:MM", help="hours in which nothing is done by itself; none")
    setting.add_argument(
        "--strangers", choices=("all", "named", "none"),
        help="which unknown devices are told: all, all but those that tell a name (named), none",
    )  # fmt: skip
    power = setting.add_mutually_exclusive_group()
    power.add_argument("--on", dest="on", action="store_const", const=True, help="watch it")
    power.add_argument("--off", dest="on", action="store_const", const=False, help="do not watch it")
    keep = watch.verb("keep", "what is kept how long, and from when findings are told", _keep)
    keep.add_argument("--history", type=int, metavar="DAYS", help="older stays are folded into one per pair")
    keep.add_argument("--findings", type=int, metavar="DAYS", help="closed findings are dropped after that")
    keep.add_argument("--missing-after", type=int, metavar="DAYS", help="a silent device is told as missing")
    keep.add_argument(
        "--stale-after", type=int, metavar="DAYS", help="a reservation of a silent device is told as stale"
    )
    keep.add_argument("--pool-full", type=int, metavar="PERCENT", help="a pool is told as nearly full")
    keep.add_argument(
        "--new-per-hour", type=int, metavar="N", help="so many devices an hour and link may arise from what is heard"
    )
    listen = verb(commands, shared, "listen", _listen)
    listen.add_argument("--adapter", metavar="NAME", help="only on this one")
    listen.add_argument("--once", action="store_true", help="what was heard so far, then end")
    notice = Noun(commands, shared, "notice", _routes)
    for kind, what, helped, example in (
        ("webhook", "URL", "add a POST to a URL, signed as in RFC 9421", "alarms http://127.0.0.1:8080/alarms"),
        ("mail", "ADDRESS", "add a mail through an SMTP server", ""),
        ("syslog", "HOST:PORT", "add messages by RFC 5424 over UDP", "loghost 127.0.0.1:5514 --least notice"),
    ):
        add = notice.verb(kind, helped, _add_route, example)
        add.add_argument("name", metavar="NAME", help="how you call this route")
        add.add_argument("to", metavar=what)
        add.add_argument(
            "--least", choices=("urgent", "wrong", "notice"), default="wrong", help="from this severity on"
        )
        if kind == "mail":
            add.add_argument("--sender", required=True, metavar="ADDRESS")
            add.add_argument("--smtp", required=True, metavar="HOST:PORT")
            add.add_argument("--user", default="", metavar="NAME")
            add.add_argument("--tls", choices=("none", "starttls", "tls"), default="starttls")
        if kind != "syslog":
            add.add_argument("--secret", action="store_true", help="ask for the secret (webhook) or password (mail)")
        add.set_defaults(kind=kind)
    for action, helped, run in (
        ("test", "send a notice that says it is a test", _test_route), ("on", "send notices again", _switch),
        ("off", "send no notices", _switch), ("remove", "drop the route", _remove_route),
    ):  # fmt: skip
        notice.verb(action, helped, run).add_argument("name", metavar="NAME")


def minutes(text: str | None) -> int | None:
    """'30m', '2h', '1d', 'never' as minutes. Raises BadInput."""
    if text is None:
        return None
    if text.casefold() in ("never", "none", "0"):
        return 0
    match = _EVERY.match(text.strip().casefold())
    if match is None:
        raise bad_input(f"{text!r} is no interval; write 30m, 2h, 1d or never")
    return int(match[1]) * _MINUTES[(match[2] or "m")[0]]


def _every(count: int) -> str:
    if not count:
        return "never"
    for size, unit in ((1440, "d"), (60, "h")):
        if count % size == 0:
            return f"{count // size} {unit}"
    return f"{count} min"


def _watches(options: argparse.Namespace) -> int:
    with connect(options) as roster:
        _print_watches(Out(options.json), list(roster.watches()))
    return 0


def _watch_set(options: argparse.Namespace) -> int:
    from ..api.watching import WatchEdit

    edit = WatchEdit(
        on=options.on, every_minutes=minutes(options.every), light_minutes=minutes(options.light),
        ask_minutes=minutes(options.ask), quiet=options.quiet, strangers=options.strangers,
    )  # fmt: skip
    if all(value is None for value in edit.model_dump().values()):
        raise bad_input("say what is to change: --every, --light, --ask, --quiet, --strangers, --on or --off")
    with connect(options) as roster:
        one = _pick(list(roster.watches()), options.subnet)
        _print_watches(Out(options.json), [roster.edit_watch(one.subnet.id or 0, edit, one.version)])
    return 0


def _print_watches(out: Out, found: list[WatchView]) -> None:
    if out.as_json:
        out.json_list(found)
        return
    out.table(
        ("subnet", "scan", "last", "next", "check", "ask dhcp", "quiet", "strangers told", "state"),
        (
            (
                called(w.subnet), _every(w.every_minutes) if w.on else "off", ago(w.last_scan),
                clock(w.next_scan) if w.next_scan else "-", _every(w.light_minutes), _every(w.ask_minutes),
                f"{w.quiet_first}-{w.quiet_last}" if w.quiet_first else "-", w.strangers, w.doing or w.why_not or "waiting",
            )
            for w in found
        ),
    )  # fmt: skip


def _pick(found: list[WatchView], text: str) -> WatchView:
    for one in found:
        if text.casefold() in (one.subnet.name.casefold(), one.subnet.cidr, str(one.subnet.id)):
            return one
    there = ", ".join(called(one.subnet) for one in found)
    raise missing(f"there is no planned subnet {text!r} here; there are: {there or 'none'}")


def _listen(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = [one for one in roster.listening() if options.adapter in (None, one.adapter)]
        if not found:
            raise missing(
                f"nothing is known of an adapter {options.adapter!r}" if options.adapter else "nothing is listened to"
            )
        if options.once:
            if out.as_json:
                out.json_list(found)
            else:
                _listening(out, found)
            return 0
        if not out.as_json:
            _listening(out, found)
        _follow(out, roster, options.adapter)
    return 0


def _listening(out: Out, found: list[ListeningView]) -> None:
    for one in found:
        state = (
            f"listening since {clock(one.since)}, {one.frames:,} frames"
            if one.listening
            else f"not listened to: {one.why_not}"
        )
        out.say(f"{one.adapter}: {state}", "bold")
        if one.unread or one.lost:
            out.say(f"  {one.unread:,} frames were left out in a storm, {one.lost:,} lost by the kernel", "yellow")
        if one.trouble:
            out.say(f"  {one.trouble}", "red")
        if one.unforeseen:
            out.say(f"  a frame could not be read, which should not be: {one.unforeseen}", "red")
        if one.heard_only:
            who = ", ".join(f"{h.mac} at {h.address}" for h in one.heard_only[:3])
            more = f" and {len(one.heard_only) - 3} more" if len(one.heard_only) > 3 else ""
            out.say(
                f"  only heard, no answer to a question yet: {who}{more} ('roster device add --mac' makes one a device)"
            )
        if one.held_back:
            out.say(
                f"  {one.held_back:,} that answered were too many an hour to become devices ('roster watch keep --new-per-hour')",
                "yellow",
            )
        for n in one.neighbours:
            vlan = f", VLAN {n.vlan}" if n.vlan else ""
            out.say(f"  plugged into {n.switch}, port {n.port}{f' ({n.port_text})' if n.port_text else ''}{vlan}")
        for line in reversed(one.lines[:20]):
            _line(out, clock(line.at)[11:], one.adapter, line.protocol, line.mac, line.said)


def _line(out: Out, when: str, adapter: str, protocol: str, mac: str, said: str) -> None:
    out.line(
        Text.assemble((f"  {when}  ", "dim"), f"{adapter:<10} ", (f"{protocol:<5} ", "cyan"), f"{mac}  ", said),
        cut=True,
    )


def _follow(out: Out, roster: Service, adapter: str | None) -> None:
    """Print what is heard until Ctrl-C; with --json one document a line."""
    from datetime import datetime

    for happening in roster.events():
        if happening.kind != "listen" or adapter not in (None, happening.data["adapter"]):
            continue
        if out.as_json:
            sys.stdout.write(json.dumps(happening.data) + "\n")
            sys.stdout.flush()
            continue
        now = datetime.now().strftime("%H:%M:%S")
        for line in happening.data["lines"]:
            _line(out, now, happening.data["adapter"], line["protocol"], line["mac"], line["said"])
        if happening.data["unread"]:
            out.notice(f"{happening.data['unread']:,} frames were left out: too many came")


def _pick_route(roster: Service, name: str) -> RouteView:
    found = roster.notice_routes()
    for one in found:
        if name.casefold() == one.name.casefold() or name == str(one.id):
            return one
    raise missing(f"there is no route {name!r}; there are: {', '.join(one.name for one in found) or 'none'}")


def _print_routes(out: Out, found: list[RouteView]) -> None:
    if out.as_json:
        out.json_list(found)
        return
    out.table(
        ("name", "kind", "to", "from severity", "state", "last sent"),
        (
            (
                r.name,
                r.kind,
                r.to,
                r.least,
                ("on" if r.on else "off") + (f": {r.trouble}" if r.trouble else ""),
                ago(r.sent),
            )
            for r in found
        ),
    )


def _routes(options: argparse.Namespace) -> int:
    with connect(options) as roster:
        _print_routes(Out(options.json), list(roster.notice_routes()))
    return 0


def _add_route(options: argparse.Namespace) -> int:
    from ..api.watching import RouteNew

    secret = ""
    if getattr(options, "secret", False):
        secret = getpass.getpass("secret: ") if sys.stdin.isatty() else sys.stdin.readline().rstrip("\n")
    new = RouteNew(
        name=options.name, kind=options.kind, to=options.to, sender=getattr(options, "sender", ""),
        smtp_server=getattr(options, "smtp", ""), user=getattr(options, "user", ""), secret=secret,
        tls=cast(Any, getattr(options, "tls", "none")), least=options.least,
    )  # fmt: skip
    with connect(options) as roster:
        _print_routes(Out(options.json), [roster.add_notice_route(new)])
    return 0


def _test_route(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster, out.waiting("sending"):
        done = roster.test_notice_route(_pick_route(roster, options.name).id)
    if out.as_json:
        out.json(done)
    else:
        out.say(done.said)
    return 0 if done.ok else 1


def _switch(options: argparse.Namespace) -> int:
    from ..api.watching import RouteEdit

    with connect(options) as roster:
        one = _pick_route(roster, options.name)
        _print_routes(
            Out(options.json), [roster.edit_notice_route(one.id, RouteEdit(on=options.verb == "on"), one.version)]
        )
    return 0


def _remove_route(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        one = _pick_route(roster, options.name)
        roster.remove_notice_route(one.id, one.version)
    if out.as_json:
        out.json({"removed": one.name})
    else:
        out.say(f"no notices go to {one.name} any more")
    return 0


def _keep(options: argparse.Namespace) -> int:
    from ..api.watching import KeepingEdit

    out = Out(options.json)
    edit = KeepingEdit(
        stay_days=options.history, finding_days=options.findings, missing_days=options.missing_after,
        stale_days=options.stale_after, pool_percent=options.pool_full, new_per_hour=options.new_per_hour,
    )  # fmt: skip
    with connect(options) as roster:
        changed = any(value is not None for value in edit.model_dump().values())
        kept = roster.edit_keeping(edit) if changed else roster.keeping()
    if out.as_json:
        out.json(kept)
        return 0
    out.facts(
        [
            ("history", f"every stay for {kept.stay_days} days, then one per pair with its first and last time"),
            ("closed findings", f"{kept.finding_days} days"), ("missing", f"told after {kept.missing_days} days of silence"),
            ("stale reservation", f"told after {kept.stale_days} days of silence"),
            ("pool nearly full", f"told from {kept.pool_percent} % on"),
            ("new devices", f"at most {kept.new_per_hour:,} an hour and link from what is heard"),
        ]
    )  # fmt: skip
    return 0
