"""`roster finding`: what is wrong or needs a decision, and what to do about it."""

from __future__ import annotations

import argparse
from datetime import datetime
from typing import TYPE_CHECKING, Any

from ..core.moments import MomentError, parse
from .common import bad_input, connect, missing
from .grammar import Noun
from .output import Out, Text, ago, clock, plain

if TYPE_CHECKING:
    from ..api.findings import FindingView
    from .connection import Service

STYLES = {"urgent": "bold red", "wrong": "yellow", "notice": ""}


def add_commands(commands: Any, shared: argparse.ArgumentParser) -> None:
    """Add this module's commands."""
    finding = Noun(commands, shared, "finding", _findings)
    which = finding.list.add_mutually_exclusive_group()
    which.add_argument("--open", dest="state", action="store_const", const="open", help="only open ones (the usual)")
    which.add_argument("--accepted", dest="state", action="store_const", const="accepted", help="only accepted ones")
    which.add_argument("--all", dest="state", action="store_const", const="all", help="accepted and closed ones too")
    finding.list.add_argument("--kind", metavar="KIND", help="only of one kind; 'finding kinds' lists them")
    finding.list.add_argument("--about", metavar="WHAT", help="only about an address, MAC or name")
    finding.list.add_argument("--check", action="store_true", help="exit with 1 when any is open")
    finding.list.add_argument("--brief", action="store_true", help="one line each")
    finding.list.set_defaults(state="open")
    finding.verb("show", "one finding, with its history", _show).add_argument("id", type=int, metavar="ID")
    finding.verb("kinds", "the kinds of findings", _list_kinds)
    accept = finding.verb("accept", "it is all right so: it stands, but nobody is called", _accept)
    accept.add_argument("id", type=int, metavar="ID")
    accept.add_argument("--reason", metavar="TEXT", help="why it is all right; others will read it")
    accept.add_argument("--until", metavar="DAY", help="from then on it is told again")
    accept.add_argument("--undo", action="store_true", help="accept it no longer")
    do = finding.verb("do", "do one of the steps it offers", _remedy)
    do.add_argument("id", type=int, metavar="ID")
    do.add_argument(
        "step", nargs="?", metavar="STEP", help="as it is listed when STEP is left out: what it does, and to what"
    )
    do.add_argument("--anyway", action="store_true", help="in spite of mistakes it would put into the plan")


def _show(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        return _one(out, roster, options.id)


def _list_kinds(options: argparse.Namespace) -> int:
    with connect(options) as roster:
        return _kinds(Out(options.json), roster)


def _plain(found: FindingView) -> dict[str, Any]:
    """The form programs get: the evidence as objects with their moments, the remedy as a sentence."""
    return {
        "id": found.id, "kind": found.kind, "severity": found.severity, "heard": found.heard,
        "subjects": [{"type": s.type, "value": s.value} for s in found.subjects],
        "since": plain(found)["since"],
        "evidence": plain(found.evidence), "remedy": found.remedy, "state": found.state,
        "title": found.title, "times": found.times, "steps": plain(found.steps),
    }  # fmt: skip


def _findings(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        listed = roster.findings(options.state, options.kind, options.about)
        found = list(listed)
    if out.as_json:
        page = listed.page
        out.json_list((_plain(one) for one in found), counts=page.counts, trouble=page.trouble)
    else:
        for one in found:
            _print(out, one, brief=options.brief)
        only = [f"of kind {options.kind}"] if options.kind else []
        only += [f"about {options.about}"] if options.about else []
        if only and not found:
            out.say(f"no finding {' '.join(only)}; in all:")
        counts = listed.page.counts
        told = [
            f"{n} {what}"
            for n, what in ((counts.urgent, "urgent"), (counts.wrong, "wrong"), (counts.notice, "to decide"))
            if n
        ]
        out.say(f"{', '.join(told) if told else 'nothing is open'}; {counts.accepted} accepted", "dim")
        if listed.page.trouble:
            out.notice(listed.page.trouble)
    return 1 if options.check and any(one.state == "open" for one in found) else 0


def _print(out: Out, one: FindingView, *, brief: bool) -> None:
    state = "".join(f" [{word}]" for word in (*(["heard"] if one.heard else []), one.state) if word != "open")
    head = Text.assemble(
        (f"{one.id:>4}  ", "dim"), (f"{one.severity:<7} ", STYLES[one.severity]), (one.title, "bold"), state
    )
    subjects = ", ".join(
        s.value for s in one.subjects if s.type in ("address", "mac", "name", "server", "subnet", "switch")
    )[:70]
    if brief:
        out.line(Text.assemble(head, "  ", (subjects, ""), (f"  {ago(one.since)}", "dim")))
        return
    again = f", the {one.times}th time" if one.times > 3 else ", again" if one.times > 1 else ""
    out.line(Text.assemble(head, (f"  since {clock(one.since)}{again}", "dim")))
    for evidence in one.evidence:
        out.line(Text(f"        {evidence.said}"))
    out.line(Text(f"        → {one.remedy}.", style="green"))
    if one.acceptance is not None:
        until = f" until {clock(one.acceptance.until)}" if one.acceptance.until else ""
        out.line(Text(f"        accepted by {one.acceptance.who}{until}: {one.acceptance.reason}", style="dim"))


def _kinds(out: Out, roster: Service) -> int:
    found = roster.finding_kinds()
    if out.as_json:
        out.json_list(found)
    else:
        out.table(("kind", "title", "what"), ((k.kind, k.title, k.means) for k in found))
    return 0


def _one(out: Out, roster: Service, identity: int) -> int:
    sheet = roster.finding(identity)
    if out.as_json:
        out.json({**_plain(sheet.finding), "means": sheet.finding.means, "turns": sheet.turns})
        return 0
    _print(out, sheet.finding, brief=False)
    out.say(f"        {sheet.finding.means}.", "dim")
    _steps(out, sheet.finding)
    out.say("")
    out.table(("when", "turn", "what"), ((clock(t.at), t.turn, t.said) for t in sheet.turns))
    return 0


def _steps(out: Out, found: FindingView) -> None:
    for step in found.steps:
        if step.action != "accept":
            how = f"in the console at {step.link}" if step.link else f"roster finding do {found.id} {step.key}"
            out.say(f"        {step.label}: {how}")


def _accept(options: argparse.Namespace) -> int:
    out = Out(options.json)
    until: datetime | None = None
    if options.until:
        until = future(options.until)
    with connect(options) as roster:
        if options.undo:
            sheet = roster.resume(options.id)
        elif not options.reason:
            raise bad_input("give a --reason: others will read it")
        else:
            sheet = roster.accept(options.id, options.reason, until)
    if out.as_json:
        out.json(_plain(sheet.finding))
    else:
        told = (
            "it is told again"
            if options.undo
            else "accepted"
            if sheet.finding.state == "accepted"
            else "kept for when it is found again"
        )
        out.say(f"{options.id}, {sheet.finding.title.lower()}: {told}")
    return 0


def future(text: str) -> datetime:
    """A day or time to come. Raises BadInput."""
    now = datetime.now().astimezone()
    try:
        found = parse(text, now)
    except MomentError as error:
        raise bad_input(str(error)) from error
    return found


def _remedy(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        if options.step is None:
            found = roster.finding(options.id).finding
            if out.as_json:
                out.json_list(found.steps)
            elif all(step.action == "accept" for step in found.steps):
                raise missing(f"nothing can be done about {options.id} by a press; {found.remedy}")
            else:
                _steps(out, found)
            return 0
        done = roster.do_step(options.id, options.step, options.anyway)
    if out.as_json:
        out.json(done)
    else:
        undo = f"; 'roster change undo {done.change_id}' takes it back" if done.change_id else ""
        out.say(f"{done.said}{undo}")
    return 0
