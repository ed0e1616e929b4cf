"""The calls of findings, history and watching as values. Both clients run these; errors are those of the package."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING
from urllib.parse import quote

from ._calls import Call, ListCall, call, listing, or_any

if TYPE_CHECKING:
    from ..api.calling import (
        CallLine,
        CallLinePage,
        ReplyTimesView,
        RollCallEdit,
        RollCallNew,
        RollCallPage,
        RollCallView,
    )
    from ..api.findings import (
        FindingList,
        FindingSheet,
        FindingView,
        KindPage,
        KindView,
        StepDone,
    )
    from ..api.history import History, HistorySpan, Moment, Why
    from ..api.watching import (
        AskAnswer,
        Keeping,
        KeepingEdit,
        ListeningPage,
        ListeningView,
        RouteEdit,
        RouteNew,
        RoutePage,
        RouteTest,
        RouteView,
        WatchEdit,
        WatchPage,
        WatchView,
    )


def findings(
    state: str = "open", kind: str | None = None, subject: str | None = None, limit: int | None = None
) -> ListCall[FindingView, FindingList]:
    """Findings, what needs attention first; `state` is open, accepted, closed, standing or all."""
    return listing("FindingList", "/api/v1/findings", {"state": state, "kind": kind, "subject": subject}, limit)


def finding_kinds() -> ListCall[KindView, KindPage]:
    """Every kind of finding there is."""
    return listing("KindPage", "/api/v1/findings/kinds")


def finding(identity: int) -> Call[FindingSheet]:
    """One finding with its history."""
    return call("FindingSheet", "GET", f"/api/v1/findings/{identity}")


def accept(identity: int, reason: str, until: datetime | None = None) -> Call[FindingSheet]:
    """Accept a finding: it stands, but nobody is called."""
    return call("FindingSheet", "POST", f"/api/v1/findings/{identity}/accept", body={"reason": reason, "until": until}
    )  # fmt: skip


def resume(identity: int) -> Call[FindingSheet]:
    """Accept a finding no longer."""
    return call("FindingSheet", "DELETE", f"/api/v1/findings/{identity}/accept")


def do_step(identity: int, key: str, anyway: bool = False) -> Call[StepDone]:
    """Do one of a finding's steps, named by its key. Raises Conflict when the finding does not offer it any more."""
    body = {"key": key, "anyway": anyway}
    return call("StepDone", "POST", f"/api/v1/findings/{identity}/steps", body=body)


def history(
    subject: str, since: datetime | None = None, until: datetime | None = None, limit: int = 500
) -> Call[History]:  # fmt: skip
    """Everything about an address, MAC, name or subnet between two times."""
    given = {"subject": subject, "since": since, "until": until, "limit": limit}
    return call("History", "GET", "/api/v1/history", given)


def history_span(subject: str) -> Call[HistorySpan]:
    """How far the records of an address or subnet reach back."""
    return call("HistorySpan", "GET", "/api/v1/history/span", {"subject": subject})


def at(subject: str, time: datetime) -> Call[Moment]:
    """Who was there at a moment."""
    return call("Moment", "GET", "/api/v1/at", {"subject": subject, "time": time})


def why(address: str) -> Call[Why]:
    """Why an address is silent; asks the network, takes a few seconds."""
    return call("Why", "GET", f"/api/v1/why/{quote(address, safe='')}")


def watches() -> ListCall[WatchView, WatchPage]:
    """How every planned subnet is watched."""
    return listing("WatchPage", "/api/v1/watches")


def watch(subnet: int) -> Call[WatchView]:
    """How one planned subnet is watched."""
    return call("WatchView", "GET", f"/api/v1/watches/{subnet}")


def edit_watch(subnet: int, edit: WatchEdit, version: int | None = None) -> Call[WatchView]:
    """Change how a subnet is watched."""
    return call("WatchView", "PUT", f"/api/v1/watches/{subnet}", body=edit, version=or_any(version))


def listening() -> ListCall[ListeningView, ListeningPage]:
    """What is listened to and was heard."""
    return listing("ListeningPage", "/api/v1/listening")


def dhcp_ask(adapter: str | None = None, wait: float = 4.0) -> Call[AskAnswer]:
    """Ask who hands out addresses: one DISCOVER, never a REQUEST."""
    return call("AskAnswer", "POST", "/api/v1/dhcp/ask", body={"adapter": adapter, "wait": wait})


def notice_routes() -> ListCall[RouteView, RoutePage]:
    """Where notices go."""
    return listing("RoutePage", "/api/v1/notices")


def add_notice_route(new: RouteNew) -> Call[RouteView]:
    """A new way for notices."""
    return call("RouteView", "POST", "/api/v1/notices", body=new)


def edit_notice_route(identity: int, edit: RouteEdit, version: int | None = None) -> Call[RouteView]:
    """Change a way for notices."""
    return call("RouteView", "PATCH", f"/api/v1/notices/{identity}", body=edit, version=or_any(version))


def remove_notice_route(identity: int, version: int | None = None) -> Call[None]:
    """No notices over this way any more."""
    return call("None", "DELETE", f"/api/v1/notices/{identity}", version=version)


def test_notice_route(identity: int) -> Call[RouteTest]:
    """Send a notice that says it is a test."""
    return call("RouteTest", "POST", f"/api/v1/notices/{identity}/test")


def keeping() -> Call[Keeping]:
    """What is kept how long, and from when on findings are told."""
    return call("Keeping", "GET", "/api/v1/keeping")


def edit_keeping(edit: KeepingEdit, version: int | None = None) -> Call[Keeping]:
    """Change it."""
    return call("Keeping", "PUT", "/api/v1/keeping", body=edit, version=or_any(version))


def roll_calls() -> ListCall[RollCallView, RollCallPage]:
    """Every roll call, with how its lines stand in numbers."""
    return listing("RollCallPage", "/api/v1/calls")


def roll_call(identity: int) -> Call[RollCallView]:
    """One roll call."""
    return call("RollCallView", "GET", f"/api/v1/calls/{identity}")


def add_roll_call(new: RollCallNew) -> Call[RollCallView]:
    """A new roll call."""
    return call("RollCallView", "POST", "/api/v1/calls", body=new)


def edit_roll_call(identity: int, edit: RollCallEdit, version: int | None = None) -> Call[RollCallView]:
    """Change a roll call: its name, how often, or its lines."""
    return call("RollCallView", "PATCH", f"/api/v1/calls/{identity}", body=edit, version=or_any(version))


def remove_roll_call(identity: int, version: int | None = None) -> Call[None]:
    """A roll call no more."""
    return call("None", "DELETE", f"/api/v1/calls/{identity}", version=version)


def call_lines(identity: int) -> ListCall[CallLine, CallLinePage]:
    """The lines of a roll call in their order, as they stand."""
    return listing("CallLinePage", f"/api/v1/calls/{identity}/lines")


def reply_times(subject: str, hours: int = 24) -> Call[ReplyTimesView]:
    """How fast an address, or that of a device, answered roll calls in the last hours (744 at most), hour by hour."""
    return call("ReplyTimesView", "GET", f"/api/v1/reply-times/{quote(subject, safe='')}", {"hours": hours})


def ask_roll_call(identity: int) -> Call[RollCallView]:
    """Look for all of its lines now; the answer comes when that is done."""
    return call("RollCallView", "POST", f"/api/v1/calls/{identity}/ask")
