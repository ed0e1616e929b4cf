"""/api/v1/watches, /api/v1/listening, /api/v1/dhcp/ask, /api/v1/notices, /api/v1/keeping: what the service does by itself."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import Depends, Request, Response
from sqlalchemy import Connection

from ...api.common import Id
from ...api.watching import (
    AskAnswer,
    AskRequest,
    HeardLine,
    HeardOnlyView,
    Keeping,
    KeepingEdit,
    ListeningPage,
    ListeningView,
    NeighbourView,
    RouteEdit,
    RouteNew,
    RoutePage,
    RouteTest,
    RouteView,
    WatchEdit,
    WatchPage,
    WatchView,
)
from ...core.address import dotted
from ...core.mac import Mac
from ...core.plan.model import Subnet
from ...core.schedule import Due
from ...store import watch_records
from ...store.edits import Missing
from ...store.journal import version
from .. import setting_edits
from ..context import Context, now_ms
from ..findings.notices import Notices
from ..naming import request_values
from ..refs import subnet_ref
from ..views import clock, mac_view, maybe_time, time_of
from ..web.contract import paths
from ..web.deps import ContextDep, Who, located
from ..web.matching import IfMatch, MaybeMatch, tagged
from ..web.paging import Paging, cut
from . import asking
from .listening import Heard, Listening
from .watcher import Watcher

router = paths("/api/v1", "watching")
_LINES = 60


async def _watcher(request: Request) -> Watcher:
    found: Watcher = request.app.state.watcher
    return found


async def _listening(request: Request) -> Listening:
    found: Listening = request.app.state.listening
    return found


async def _notices(request: Request) -> Notices:
    found: Notices = request.app.state.notices
    return found


WatcherDep = Annotated[Watcher, Depends(_watcher)]
ListeningDep = Annotated[Listening, Depends(_listening)]
NoticesDep = Annotated[Notices, Depends(_notices)]


@router.get("/watches")
def watches(context: ContextDep, watcher: WatcherDep, who: Who, paging: Paging) -> WatchPage:
    """How every planned subnet of the site here is watched."""
    with context.plan.reading() as plan:
        planned = [s for s in plan.subnets_of(context.plan.site_here) if not s.supernet]
    subnets, rest = cut(sorted(planned, key=lambda s: s.first), lambda s: [s.first], paging)
    with context.database.read() as connection:
        items = [_watch(context, watcher, subnet, connection) for subnet in subnets]
    return WatchPage(items=items, **rest._asdict())


@router.get("/watches/{subnet}")
def one_watch(subnet: Id, context: ContextDep, watcher: WatcherDep, who: Who, response: Response) -> WatchView:
    """How one planned subnet is watched."""
    return _one_watch(context, watcher, _planned(context, subnet), response)


@router.put("/watches/{subnet}")
def edit_watch(
    subnet: Id, versions: IfMatch, request: WatchEdit, context: ContextDep, watcher: WatcherDep, who: Who, response: Response,
) -> WatchView:  # fmt: skip
    """Change how a subnet is watched."""
    found = _planned(context, subnet)
    given = request.model_dump(exclude={"quiet"}, exclude_none=True)
    if request.quiet is not None:
        given["quiet_first"], given["quiet_last"] = request_values.quiet_hours(request.quiet)
    setting_edits.set_watch(context, who, subnet, found.name or str(found.network), given, versions)
    return _one_watch(context, watcher, found, response)


def _planned(context: Context, subnet: int) -> Subnet:
    with context.plan.reading() as plan:
        found = plan.subnets.get(subnet)
    if found is None:
        raise Missing(f"there is no subnet {subnet} in the plan")
    return found


def _one_watch(context: Context, watcher: Watcher, subnet: Subnet, response: Response) -> WatchView:
    with context.database.read() as connection:
        view = _watch(context, watcher, subnet, connection)
    tagged(response, view.version)
    return view


def _watch(context: Context, watcher: Watcher, subnet: Subnet, connection: Connection) -> WatchView:
    watch = watch_records.watch_of(connection, subnet.id)
    watched = watcher.watched.get(subnet.id)
    last = watched.schedule.last(Due.SCAN) if watched is not None else 0
    running = watched is not None and watch.on and watch.every_minutes and not watched.why_not
    following = watched.schedule.next(Due.SCAN, now_ms(), watch.every_minutes) if running and watched else 0
    why_not = (
        watched.why_not if watched is not None else ("" if context.settings.watch else "nothing is watched by itself")
    )
    return WatchView.model_validate(dict(
        subnet=subnet_ref(subnet), version=version(connection, setting_edits.WATCH, (subnet.id,)),
        on=watch.on, every_minutes=watch.every_minutes,
        light_minutes=watch.light_minutes, ask_minutes=watch.ask_minutes, quiet_first=clock(watch.quiet_first),
        quiet_last=clock(watch.quiet_last), strangers=watch.strangers, last_scan=maybe_time(last),
        next_scan=maybe_time(max(following, now_ms())) if running else None, doing=watched.doing if watched else "",
        why_not=why_not,
    ))  # fmt: skip


@router.get("/listening")
def listening(context: ContextDep, listeners: ListeningDep, who: Who, paging: Paging) -> ListeningPage:
    """What is listened to, what was heard, and why not where it is not."""
    active = set(listeners.listening())
    names, rest = cut(sorted({*listeners.heard, *listeners.why_not}), lambda name: [name], paging)
    found = [
        _heard(context, name, listeners.heard.get(name), name in active, listeners.why_not.get(name, ""))
        for name in names
    ]
    return ListeningPage(items=found, **rest._asdict())


def _ended(context: Context, adapter: str) -> str:
    """What befell the listener of an adapter."""
    ended = context.supervisor.ended.get(f"listening on {adapter}")
    return f"ended by an error {ended.times} times and was begun again, last by {ended.said}" if ended else ""


def _heard(context: Context, name: str, heard: Heard | None, active: bool, why_not: str) -> ListeningView:
    place = context.known_links.of(name)
    neighbours = list(heard.neighbours.values()) if heard is not None else []
    lines = list(heard.lines)[-_LINES:] if heard is not None else []
    return ListeningView(
        adapter=name, listening=active, why_not="" if active else why_not,
        since=maybe_time(heard.since) if heard else None, frames=heard.frames if heard else 0,
        unread=heard.unread if heard else 0, lost=heard.lost if heard else 0,
        per_second=heard.last_second if heard else 0, storm=maybe_time(heard.storm_at) if heard else None,
        trouble=(heard.trouble or _ended(context, name)) if heard else "", broken=heard.broken if heard else 0,
        unforeseen=heard.unforeseen if heard else "", held_back=context.newcomers.held_back(name),
        heard_only=[
            HeardOnlyView(
                **dict(mac_view(one.mac, context.vendors)), address=dotted(one.address), first_seen=time_of(one.first),
                last_seen=time_of(one.last),
            )
            for one in context.newcomers.listed(name)
            if not context.findings.is_device(one.mac)
        ], place=place.said, verdict=place.verdict.value,
        neighbours=[
            NeighbourView(
                switch=n.name or n.chassis, chassis=n.chassis, port=n.port, port_text=n.port_text, vlan=n.vlan,
                address=str(n.address) if n.address is not None else None, last_seen=time_of(at),
            )
            for n, at in neighbours
        ],
        lines=[HeardLine(at=time_of(at), protocol=x.protocol, mac=str(Mac(x.mac)), said=x.said) for at, x in reversed(lines)],
    )  # fmt: skip


@router.post("/dhcp/ask")
async def ask(request: AskRequest, context: ContextDep, watcher: WatcherDep, who: Who) -> AskAnswer:
    """Ask who hands out addresses: one DISCOVER, never a REQUEST; all offers, held against the plan."""
    return await asking.ask(context, watcher, request)


@router.get("/notices")
def routes(notices: NoticesDep, who: Who, paging: Paging) -> RoutePage:
    """Where notices go."""
    shown, rest = cut(sorted(notices.views(), key=_route_place), _route_place, paging)
    return RoutePage(items=shown, **rest._asdict())


def _route_place(one: RouteView) -> list[Any]:
    """What notice routes are listed by: their names."""
    return [one.name.casefold(), one.id]


@router.post("/notices", status_code=201)
def add_route(request: RouteNew, notices: NoticesDep, who: Who, response: Response) -> RouteView:
    """A new way for notices."""
    made = notices.add(who, request)
    located(response, f"notices/{made.id}")
    tagged(response, made.version)
    return made


@router.get("/notices/{identity}")
def one_route(identity: Id, notices: NoticesDep, who: Who, response: Response) -> RouteView:
    """One way for notices."""
    found = notices.view(identity)
    tagged(response, found.version)
    return found


@router.patch("/notices/{identity}")
def edit_route(
    identity: Id, versions: IfMatch, request: RouteEdit, notices: NoticesDep, who: Who, response: Response
) -> RouteView:
    """Change a way for notices."""
    edited = notices.edit(who, identity, request, versions)
    tagged(response, edited.version)
    return edited


@router.delete("/notices/{identity}", status_code=204)
def remove_route(identity: Id, versions: MaybeMatch, notices: NoticesDep, who: Who) -> None:
    """No notices over this way any more."""
    notices.remove(who, identity, versions)


@router.post("/notices/{identity}/test")
def test_route(identity: Id, notices: NoticesDep, who: Who) -> RouteTest:
    """Send a notice that says it is a test, and say how it went."""
    return notices.test(identity)


@router.get("/keeping")
def keeping(context: ContextDep, who: Who, response: Response) -> Keeping:
    """What is kept how long, and from when on findings are told."""
    with context.database.read() as connection:
        view = Keeping(version=version(connection, "setting", None), **setting_edits.kept(connection))
    tagged(response, view.version)
    return view


@router.put("/keeping")
def edit_keeping(versions: IfMatch, request: KeepingEdit, context: ContextDep, who: Who, response: Response) -> Keeping:
    """Change it."""
    setting_edits.keep(context, who, request.model_dump(exclude_none=True), versions)
    return keeping(context, who, response)
