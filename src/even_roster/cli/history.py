"""`roster history`, `roster at`, `roster why`: what was true when, and why an address is silent."""

from __future__ import annotations

import argparse
from datetime import datetime
from typing import TYPE_CHECKING, Any

from ..core.moments import HINT, MomentError, parse
from .common import bad_input, connect
from .grammar import verb
from .output import Out, Text, clock

if TYPE_CHECKING:
    from ..api.devices import StayRow

MARKS = {"well": ("✓", "green"), "bad": ("✗", "red"), "open": ("·", "dim")}


def add_commands(commands: Any, shared: argparse.ArgumentParser) -> None:
    """Add this module's commands."""
    history = verb(commands, shared, "history", _history)
    history.add_argument("subject", metavar="WHAT", help="an address, a MAC, a name or a subnet")
    history.add_argument("--from", dest="since", metavar="TIME", help=HINT.replace("%", "%%"))
    history.add_argument("--to", dest="until", metavar="TIME")
    history.add_argument("--limit", type=int, default=200, metavar="N")
    at = verb(commands, shared, "at", _at)
    at.add_argument("time", metavar="TIME", help=HINT.replace("%", "%%"))
    at.add_argument("subject", metavar="WHAT", help="an address, a MAC, a name or a subnet")
    verb(commands, shared, "why", _why).add_argument("address", metavar="ADDRESS|DEVICE")


def moment(text: str | None) -> datetime | None:
    """A time as people write it. Raises BadInput."""
    if text is None:
        return None
    try:
        return parse(text, datetime.now().astimezone())
    except MomentError as error:
        raise bad_input(str(error)) from error


def _history(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = roster.history(options.subject, moment(options.since), moment(options.until), options.limit)
    if out.as_json:
        out.json(found)
        return 0
    if not found.stays and not found.turns and not found.heard_only:
        out.say(f"nothing was seen of {found.subject} in that time")
        return 0
    if found.kind == "subnet":
        out.say(f"What changed in {found.subject}, the latest first", "bold")
        out.table(
            ("when", "what", "address", "mac", "device"),
            ((clock(h.at), h.what, h.address, h.mac or "", (h.device.name if h.device else "") or "") for h in found.happened),
        )  # fmt: skip
    else:
        _stays(out, found.stays)
    if found.silences:
        out.say("\nAsked without an answer", "bold")
        out.table(
            ("address", "mac", "from", "to", "times", "answered before", "and after", "then"),
            (
                (
                    s.address, s.mac or "", clock(s.silent_from), clock(s.silent_until), f"{s.count:,}", clock(s.answered_before),
                    clock(s.answered_after) if s.answered_after else "not yet", s.ended,
                )
                for s in found.silences
            ),
            right=("times",),
        )  # fmt: skip
    if found.heard_only:
        out.say("\nOnly heard, without an answer", "bold")
        out.table(
            ("address", "mac", "from", "to", "times"),
            ((h.address, h.mac, clock(h.first_seen), clock(h.last_seen), f"{h.count:,}") for h in found.heard_only),
            right=("times",),
        )
    if found.deaf:
        out.say("\nNothing could be learnt", "bold")
        out.table(
            ("from", "to", "why"), ((clock(d.since), clock(d.until) if d.until else "now", d.said) for d in found.deaf)
        )
    if found.names and found.kind != "subnet":
        out.say("")
        out.table(
            ("name", "by", "address", "from", "to"),
            ((n.name, n.source, n.address, clock(n.first_seen), clock(n.last_seen)) for n in found.names),
        )
    if found.turns:
        out.say("")
        out.table(
            ("when", "finding", "turn", "what"),
            ((clock(t.at), f"{t.finding_id} {t.kind}", t.turn, t.said) for t in found.turns),
        )
    if found.more:
        out.notice(f"only the latest {options.limit} are shown; --limit shows more")
    return 0


def _stays(out: Out, stays: list[StayRow]) -> None:
    out.table(
        ("address", "mac", "device", "from", "to", "then", "seen", "by"),
        (
            (
                s.address, s.mac or "", (s.device.name if s.device else None) or s.vendor or "", clock(s.first_seen),
                clock(s.last_seen), _then(s), f"{s.count:,}", ", ".join(s.sources),
            )
            for s in stays
        ),
        right=("seen",),
    )  # fmt: skip


def _then(stay: StayRow) -> str:
    """What became of a stay."""
    heard = f"heard {clock(stay.heard_at)}" if stay.heard_at and stay.heard_at > stay.last_seen else ""
    silent = f"silent since {clock(stay.silent_since)}" if stay.silent_since else ""
    return ", ".join(filter(None, (stay.ended or silent, heard)))


def _at(options: argparse.Namespace) -> int:
    out = Out(options.json)
    when = moment(options.time)
    assert when is not None
    with connect(options) as roster:
        found = roster.at(options.subject, when)
    if out.as_json:
        out.json(found)
    else:
        out.say(f"{found.subject} at {clock(found.at)}", "bold")
        for sentence in found.sentences:
            out.say(sentence)
        if found.stays:
            _stays(out, found.stays)
    return 0 if found.stays else 1


def _why(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster, out.waiting(f"asking for {options.address}"):
        found = roster.why(options.address)
    if out.as_json:
        out.json(found)
        return 0 if found.answers else 1
    out.say(found.verdict, "bold")
    for check in found.checks:
        mark, style = MARKS[check.state]
        out.line(Text.assemble((f"  {mark} ", style), (f"{check.what:<12} ", "dim"), check.found))
    if found.by_hand:
        out.say("What only a person can check:", "bold")
        for question in found.by_hand:
            out.say(f"  - {question}")
    return 0 if found.answers else 1
