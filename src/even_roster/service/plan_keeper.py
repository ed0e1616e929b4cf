"""Keeps the plan of a running service: the values in memory, their problems, what was seen where, and every edit.

The records are the truth; this is their picture, so that questions about free addresses and mistakes cost no query. Whoever reads
gets a plan that never changes; an edit puts another one in its place once it is stored. All edits go through `edit`, one after the
other under the right to write the records, so that two people can never both get an address.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection

from ..core.plan.checks import Checked, Problem, Severity
from ..core.plan.free import Seen
from ..core.plan.model import Assignment, Item, Plan
from ..core.plan.runs import Runs
from ..core.span import SpanSet
from ..core.stays import Sighting
from ..store import device_queries, lease_records, plan_records, seen_records
from ..store.database import Database
from ..store.one_lock import OneLock
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
    """The plan of one service. `listeners` are told of every edit, with no lock held and never on the event loop; they look at
    `plan` for what it is then."""

    def __init__(
        self, database: Database, tell: Callable[[str, Any], None], now: Callable[[], int], vendor_of: VendorOf
    ) -> None:
        self._database, self._tell, self._now, self._vendor_of = database, tell, now, vendor_of
        self._seeing = OneLock("what was seen where")
        self._last_seen: dict[int, dict[int, int]] = {}
        self._seen: dict[int, Seen] = {}
        self._held: dict[int, Runs] = {}
        self.listeners: list[Callable[[Sequence[Item]], None]] = []
        with database.read() as connection:
            self._checked = Checked(plan_records.load(connection))
            self._last_seen = seen_records.last_seen_by_site(connection)
        self.leases_changed()

    @property
    def plan(self) -> Plan:
        """The plan as it is now; nobody changes it."""
        return self._checked.plan

    @property
    def problems(self) -> list[Problem]:
        """What is wrong with it, the worst first."""
        return self._checked.problems

    @contextmanager
    def reading(self) -> Iterator[Plan]:
        """The plan as it is now, the same one for the length of a block."""
        yield self.plan

    @property
    def site_here(self) -> int:
        """The id of the site this service stands in."""
        plan = self.plan
        here = plan.here
        return here.id if here is not None else min(plan.sites)

    def named_ranges(self) -> dict[str, SpanSet]:
        """The planned subnets of the site here by name, for whoever writes a name instead of a range."""
        return {s.name: SpanSet.of([s.network]) for s in self.plan.subnets_of(self.site_here) if s.name}

    def known(self) -> SpanSet:
        """Every address of the planned subnets of the site here, supernets left out."""
        return SpanSet.of(s.network for s in self.plan.subnets_of(self.site_here) if not s.supernet)

    @contextmanager
    def seeing(self, site: int) -> Iterator[Seen]:
        """What was ever seen at a site, not changing while the block runs; keep it short, and ask for no other lock in it."""
        with self._seeing:
            yield self._seen_at(site)

    def _seen_at(self, site: int) -> Seen:
        if site not in self._seen:
            self._seen[site] = Seen.of(self.plan, site, self._last_seen.setdefault(site, {}))
        return self._seen[site]

    def held(self, site: int) -> Runs:
        """Leased addresses of a site, as the servers told last; not to be changed."""
        return self._held.get(site, Runs())

    def saw(self, sightings: Iterable[Sighting]) -> None:
        """Sightings came in from the site here."""
        here = self.site_here
        with self._seeing:
            seen, last = self._seen_at(here), self._last_seen[here]
            for sighting in sightings:
                if sighting.address:
                    seen.runs.add(sighting.address)
                    seen.used.add(sighting.address)
                    last[sighting.address] = max(sighting.at, last.get(sighting.address, 0))

    def leases_changed(self) -> None:
        """The servers told their leases anew."""
        with self._database.read() as connection:
            active = lease_records.active_by_site(connection, self._now())
        self._held = {site: Runs(addresses) for site, addresses in active.items()}

    def draft(self, make: Callable[[Plan], Edit]) -> list[Problem]:
        """The problems an edit would add; nothing is changed."""
        checked = self._checked
        edit = make(checked.plan)
        return checked.draft(edit.before, edit.after)

    def edit(self, who: str, make: Callable[[Plan], Edit], *, anyway: bool = False) -> Saved:
        """Make one edit. `make` sees the plan as it is at that moment and may raise.

        Raises PlanRefused, PlanConflict and what `make` raises; then nothing has changed.
        """
        with self._database.write() as connection:
            edit = make(self.plan)
            if edit.before == edit.after:
                return Saved(0, edit.before, edit.after)
            then = self._checked.edited(edit.before, edit.after)
            barred = [
                problem
                for problem in self._checked.added(then)
                if problem.severity is Severity.REFUSED or (problem.severity is Severity.MISTAKE and not anyway)
            ]
            if barred:
                raise PlanRefused(barred)
            editor = PlanEditor(connection, who, self._now())
            saved = editor.save(edit.action, edit.item, edit.before, edit.after, edit.told, edit.kind)
            named = self._rename(connection, saved)
            self._swap_when_stored(then.as_stored(edit.after, saved.after))
        self._stored(saved, named)
        return saved

    def undo(self, who: str, change: int) -> bool:
        """Take a change of the plan back; False when it is not one of the plan. Raises Missing, EditError, and PlanRefused
        where the plan would contradict itself; mistakes that can be kept come back with it."""
        with self._database.write() as connection:
            editor = PlanEditor(connection, who, self._now())
            if not editor.is_plan_change(change):
                return False
            back = editor.reverse(change)
            then = self._checked.edited(back.before, back.after)
            if barred := [p for p in self._checked.added(then) if p.severity is Severity.REFUSED]:
                raise PlanRefused(barred)
            saved = editor.save_reverse(back)
            named = self._rename(connection, saved)
            self._swap_when_stored(then.as_stored(back.after, saved.after))
        self._stored(saved, named)
        return True

    def rules_changed(self) -> None:
        """The roles' rules were edited."""
        with self._database.write() as connection:
            plan = self.plan.copy()
            plan.rules = {rule.name: rule for rule in plan_records.rules(connection)}
            self._swap_when_stored(Checked(plan))
        for listener in self.listeners:
            listener(())

    def _swap_when_stored(self, checked: Checked) -> None:
        def swap() -> None:
            self._checked = checked

        self._database.when_stored(swap)

    def _rename(self, connection: Connection, saved: Saved) -> list[int]:
        """Devices are called as their MACs are in the plan, where nobody named them; gives those that may be."""
        items = (*saved.before, *saved.after)
        macs = {item.mac for item in items if isinstance(item, Assignment) and item.mac is not None}
        found = sorted(set(device_queries.devices_of_macs(connection, macs).values())) if macs else []
        if found:
            refresh(connection, found, self._vendor_of)
        return found

    def _stored(self, saved: Saved, named: list[int]) -> None:
        """An edit is stored and everybody sees it: those who follow are told."""
        items = (*saved.before, *saved.after)
        with self._seeing:
            for item in items:
                if isinstance(item, Assignment) and item.site in self._seen:
                    self._note_use(self._seen[item.site], item)
        kinds = {plan_records.kind_of(item) for item in items}
        for listener in self.listeners:
            listener(items)
        self._tell("plan", {"change": saved.change, "kinds": sorted(kinds)})
        if named:
            self._tell("devices", {"ids": named if len(named) <= 300 else None, "new": 0})

    def _note_use(self, seen: Seen, item: Assignment) -> None:
        """Keep the runs of used addresses right after an edit."""
        if item.address in self.plan.taken(item.site) or item.address in seen.runs:
            seen.used.add(item.address)
        else:
            seen.used.remove(item.address)
