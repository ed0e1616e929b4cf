"""Keeps the plan of a running service: the values in memory, their problems, what was seen where, and every edit.

The records are the truth; this is their image, so that questions about free addresses and mistakes cost no query.
All edits of the plan go through `edit`, one after the other, so that two people can never both get an address.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection

from ..core.plan.checks import Checker, Problem, Severity, apply
from ..core.plan.free import Seen
from ..core.plan.model import Assignment, Item, Plan
from ..core.plan.runs import Runs
from ..core.span import SpanSet
from ..core.stays import Sighting
from ..store import device_queries, lease_records, plan_records, seen_records
from ..store.database import Database
from ..store.plan_edits import PlanEditor, Saved
from ..store.summaries import VendorOf, refresh


class PlanRefused(ValueError):
    """An edit would put mistakes into the plan; `problems` are those it would add. `anyway` helps where none is refused."""

    def __init__(self, problems: Sequence[Problem]) -> None:
        self.problems = tuple(problems)
        self.anyway = not any(problem.severity is Severity.REFUSED for problem in problems)
        super().__init__(". ".join(problem.said for problem in problems))


@dataclass(frozen=True, slots=True)
class Edit:
    """One edit: items before and after, and what the list of changes says: action, kind, item, before, after."""

    action: str
    kind: str
    item: str
    before: tuple[Item, ...] = ()
    after: tuple[Item, ...] = ()
    told: tuple[Any, Any] = (None, None)


class PlanKeeper:
    """The plan of one service."""

    def __init__(
        self, database: Database, tell: Callable[[str, Any], None], now: Callable[[], int], vendor_of: VendorOf
    ) -> None:
        self._database, self._tell, self._now, self._vendor_of = database, tell, now, vendor_of
        self._lock = threading.RLock()
        self._last_seen: dict[int, dict[int, int]] = {}
        self._seen: dict[int, Seen] = {}
        self._held: dict[int, Runs] = {}
        self.listeners: list[Callable[[Sequence[Item]], None]] = []
        self.reload()

    def reload(self) -> None:
        """Read everything again from the records."""
        with self._lock, self._database.read() as connection:
            self.plan: Plan = plan_records.load(connection)
            self.checker = Checker(self.plan)
            self._last_seen = seen_records.last_seen_by_site(connection)
            self._seen = {}
            self._read_held(connection)
        for listener in self.listeners:
            listener(())

    def _read_held(self, connection: Connection) -> None:
        self._held = {
            site: Runs(addresses) for site, addresses in lease_records.active_by_site(connection, self._now()).items()
        }

    @contextmanager
    def reading(self) -> Iterator[Plan]:
        """The plan, not changing while the block runs; keep it short."""
        with self._lock:
            yield self.plan

    @property
    def site_here(self) -> int:
        """The id of the site this service stands in."""
        here = self.plan.here
        return here.id if here is not None else min(self.plan.sites)

    def named_ranges(self) -> dict[str, SpanSet]:
        """The planned subnets of the site here by name, for whoever writes a name instead of a range."""
        with self._lock:
            return {s.name: SpanSet.of([s.network]) for s in self.plan.subnets_of(self.site_here) if s.name}

    def known(self) -> SpanSet:
        """Every address of the planned subnets of the site here, supernets left out."""
        with self._lock:
            return SpanSet.of(s.network for s in self.plan.subnets_of(self.site_here) if not s.supernet)

    def seen(self, site: int) -> Seen:
        """What was ever seen at a site."""
        with self._lock:
            if site not in self._seen:
                self._seen[site] = Seen.of(self.plan, site, self._last_seen.setdefault(site, {}))
            return self._seen[site]

    def held(self, site: int) -> Runs:
        """Leased addresses of a site, as the servers told last."""
        return self._held.get(site, Runs())

    def saw(self, sightings: Iterable[Sighting]) -> None:
        """Sightings came in from the site here."""
        with self._lock:
            seen = self.seen(self.site_here)
            last = self._last_seen[self.site_here]
            for sighting in sightings:
                if sighting.address:
                    seen.runs.add(sighting.address)
                    seen.used.add(sighting.address)
                    last[sighting.address] = max(sighting.at, last.get(sighting.address, 0))

    def leases_changed(self) -> None:
        """The servers told their leases anew."""
        with self._lock, self._database.read() as connection:
            self._read_held(connection)

    def draft(self, make: Callable[[Plan], Edit]) -> list[Problem]:
        """The problems an edit would add; nothing is changed."""
        with self._lock:
            edit = make(self.plan)
            return self.checker.draft(edit.before, edit.after)

    def edit(self, who: str, make: Callable[[Plan], Edit], *, anyway: bool = False) -> Saved:
        """Make one edit. `make` sees the plan as it is at that moment and may raise.

        Raises PlanRefused, PlanConflict and what `make` raises; then nothing has changed.
        """
        with self._lock:
            edit = make(self.plan)
            if edit.before == edit.after:
                return Saved(0, edit.before, edit.after)
            found = self.checker.draft(edit.before, edit.after)
            barred = [
                p for p in found if p.severity is Severity.REFUSED or (p.severity is Severity.MISTAKE and not anyway)
            ]
            if barred:
                raise PlanRefused(barred)
            with self._database.write() as connection:
                editor = PlanEditor(connection, who, self._now())
                saved = editor.save(edit.action, edit.item, edit.before, edit.after, edit.told, edit.kind)
                named = self._rename(connection, saved)
            self._applied(saved, named)
            return saved

    def undo(self, who: str, change: int) -> bool:
        """Take a change of the plan back; False when it is not one of the plan. Raises Missing, EditError, and PlanRefused
        where the plan would contradict itself; mistakes that can be kept come back with it."""
        with self._lock:
            with self._database.write() as connection:
                editor = PlanEditor(connection, who, self._now())
                if not editor.is_plan_change(change):
                    return False
                back = editor.reverse(change)
                found = self.checker.draft(back.before, back.after)
                if barred := [problem for problem in found if problem.severity is Severity.REFUSED]:
                    raise PlanRefused(barred)
                saved = editor.save_reverse(back)
                named = self._rename(connection, saved)
            self._applied(saved, named)
            return True

    def rules_changed(self) -> None:
        """The roles' rules were edited."""
        with self._lock, self._database.read() as connection:
            self.plan.rules = {rule.name: rule for rule in plan_records.rules(connection)}
            self.checker.check_all()
        for listener in self.listeners:
            listener(())

    def _rename(self, connection: Connection, saved: Saved) -> list[int]:
        """Devices are called as their MACs are in the plan, where nobody named them; gives those that may be."""
        items = (*saved.before, *saved.after)
        macs = {item.mac for item in items if isinstance(item, Assignment) and item.mac is not None}
        found = sorted(set(device_queries.devices_of_macs(connection, macs).values())) if macs else []
        if found:
            refresh(connection, found, self._vendor_of)
        return found

    def _applied(self, saved: Saved, named: list[int]) -> None:
        apply(self.plan, saved.before, saved.after)
        for item in (*saved.before, *saved.after):
            if isinstance(item, Assignment) and item.site in self._seen:
                self._note_use(self._seen[item.site], item)
        self.checker.changed(saved.before, saved.after)
        kinds = {plan_records.kind_of(item) for item in (*saved.before, *saved.after)}
        for listener in self.listeners:
            listener((*saved.before, *saved.after))
        self._tell("plan", {"change": saved.change, "kinds": sorted(kinds)})
        if named:
            self._tell("devices", {"ids": named if len(named) <= 300 else None, "new": 0})

    def _note_use(self, seen: Seen, item: Assignment) -> None:
        """Keep the runs of used addresses right after an edit."""
        if item.address in self.plan.taken(item.site) or item.address in seen.runs:
            seen.used.add(item.address)
        else:
            seen.used.remove(item.address)
