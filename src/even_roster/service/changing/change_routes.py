"""/api/v1/changes: recorded edits, and a way back."""

from __future__ import annotations

from ...api.common import Word
from ...api.devices import ChangePage, UndoRequest
from ...store import change_queries
from ..devices import device_views
from ..naming import resolving
from ..web.contract import paths
from ..web.deps import ContextDep, Who
from ..web.paging import Paging
from ..web.problems import Refusal
from . import undoing

router = paths("/api/v1", "changes")


@router.get("/changes")
def changes(context: ContextDep, who: Who, paging: Paging, device: Word | None = None) -> ChangePage:
    """Recorded edits, the latest first; of everything, or of one device."""
    with context.database.read() as connection:
        about = resolving.device_to_read(context, connection, device) if device else None
        rows = change_queries.latest(connection, paging.limit + 1, paging.after_number(), about)
        total = change_queries.count(connection, about)
        shown = device_views.change_rows(connection, rows[: paging.limit])
    following = paging.next([shown[-1].id]) if len(rows) > paging.limit else None
    return ChangePage(items=shown, next=following, total=total)


@router.post("/changes/undo", status_code=204)
def undo(request: UndoRequest, context: ContextDep, who: Who) -> None:
    """Take edits back, the latest first, where nobody changed the same fields since: all of them or none."""
    if len(request.change_ids) > context.settings.undo:
        most = context.settings.undo
        said = f"{len(request.change_ids):,} changes at once; {most:,} may be taken back at once (EVEN_ROSTER_UNDO)"
        raise Refusal(422, "too_many", said, "change_ids")
    undoing.undo(context, who, request.change_ids)
