"""/api/v1/kinds: what the site knows of kinds of devices."""

from __future__ import annotations

from fastapi import Response

from ...api.common import Id
from ...api.fitting import DeviceKindEdit, DeviceKindNew, DeviceKindPage, DeviceKindView, KindFile, KindsTaken
from ...core.fitting import kinds
from ...store import kind_records
from ...store.edits import Missing
from ...store.kind_records import KindKept
from ..context import Context
from ..web.contract import paths
from ..web.deps import ContextDep, Who, located
from ..web.matching import IfMatch, MaybeMatch, tagged
from ..web.paging import Paging, cut
from . import kind_edits
from .fitting_routes import FitterDep

router = paths("/api/v1", "fittings")


@router.get("/kinds")
def kinds_page(context: ContextDep, who: Who, paging: Paging) -> DeviceKindPage:
    """The kinds of devices that the site knows, by name."""
    with context.database.read() as connection:
        found, used = kind_records.all_of_them(connection), kind_records.used(connection)
    shown, rest = cut(found, lambda one: [one.kind.name.lower(), one.id], paging)
    return DeviceKindPage(items=[_view(context, one, used) for one in shown], **rest._asdict())


@router.post("/kinds", status_code=201)
def add_kind(
    request: DeviceKindNew, context: ContextDep, fitter: FitterDep, who: Who, response: Response
) -> DeviceKindView:
    """A new kind of device."""
    identity = kind_edits.add(context, who, request)
    fitter.changed()
    located(response, f"kinds/{identity}")
    return _one(context, identity, response)


@router.get("/kinds/file")
def kinds_out(context: ContextDep, who: Who) -> KindFile:
    """All kinds as one JSON document, to be carried elsewhere. It holds no passwords."""
    with context.database.read() as connection:
        return KindFile(text=kinds.written(one.kind for one in kind_records.all_of_them(connection)))


@router.post("/kinds/file")
def kinds_in(request: KindFile, context: ContextDep, fitter: FitterDep, who: Who) -> KindsTaken:
    """Take such a document in: kinds whose name is known are changed, the others added, as one change."""
    done = kind_edits.take_in(context, who, request.text)
    fitter.changed()
    return done


@router.get("/kinds/{identity}")
def one_kind(identity: Id, context: ContextDep, who: Who, response: Response) -> DeviceKindView:
    """One kind."""
    return _one(context, identity, response)


@router.patch("/kinds/{identity}")
def edit_kind(
    identity: Id,
    versions: IfMatch,
    request: DeviceKindEdit,
    context: ContextDep,
    fitter: FitterDep,
    who: Who,
    response: Response,
) -> DeviceKindView:
    """Change a kind."""
    kind_edits.edit(context, who, identity, request, versions)
    fitter.changed()
    return _one(context, identity, response)


@router.delete("/kinds/{identity}", status_code=204)
def remove_kind(identity: Id, versions: MaybeMatch, context: ContextDep, who: Who) -> None:
    """A kind no more."""
    kind_edits.remove(context, who, identity, versions)


def _one(context: Context, identity: int, response: Response) -> DeviceKindView:
    with context.database.read() as connection:
        found, used = kind_records.one(connection, identity), kind_records.used(connection)
    if found is None:
        raise Missing(f"there is no kind {identity}")
    view = _view(context, found, used)
    tagged(response, view.version)
    return view


def _view(context: Context, one: KindKept, used: dict[int, int]) -> DeviceKindView:
    values = kind_records.values(one.kind)
    return DeviceKindView(
        id=one.id, version=kind_edits.version_of(context, one.id), **values, fitted_count=used.get(one.id, 0)
    )  # fmt: skip
