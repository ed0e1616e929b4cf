"""Keeps the plan of a running service: the values in memory, their problems, what was seen where, and every edit.

The records are the truth; this is their picture, so that questions about free addresses and mistakes cost no query. Whoever reads
gets a plan that never changes; an edit puts another one in its place once it is stored. All edits go through `edit`, one after the
other under the right to write the records, so that two people can never both get an address.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from types import MappingProxyType
from typing import Any

from sqlalchemy import Connection

from ...api.events import DevicesEvent, Event, PlanEvent
from ...core.address import Address
from ...core.holdings import Claim, Claims, Holding
from ...core.mac import MacNumber
from ...core.owning import Record, Settled, planned
from ...core.plan import carried, claimed
from ...core.plan.carried import Carrier
from ...core.plan.checks import Checked, Problem, Severity
from ...core.plan.free import Seen
from ...core.plan.model import Assignment, Band, Item, Plan, Subnet
from ...core.plan.runs import Runs
from ...core.roster import Adapter, Case, Device, Known
from ...core.span import SpanSet
from ...core.stays import Sighting, Source
from ...dhcp.kinds import has_pool_options
from ...store import holding_records, lease_records, plan_records, review_records, seen_records
from ...store.database import Database
from ...store.one_lock import OneLock
from ...store.plan_edits import PlanEditor, Saved
from ...store.summaries import VendorOf, refresh

_NO_CLAIMS = Claims()


class PlanRefused(ValueError):
    """An edit would put mistakes into the plan; `problems` are those it would add. `anyway` helps where none is refused."""

    def __init__(self, problems: Sequence[Problem]) -> None:
        self.problems = tuple(problems)
        self.anyway = not any(problem.severity is Severity.REFUSED for problem in problems)
        super().__init__(". ".join(problem.said for problem in problems))


@dataclass(frozen=True, slots=True)
class Edit:
    """One edit: items before and after, and what the list of changes says: action, kind, item, before, after. `cases` are what
    records that meet in it say differently, with `review` also those that come out when the edit is completed: they are listed for
    people to look at. `undoes` is the change of an older version that it takes back."""

    action: str
    kind: str
    item: str
    before: tuple[Record, ...] = ()
    after: tuple[Record, ...] = ()
    told: tuple[Any, Any] = (None, None)
    cases: tuple[Case, ...] = ()
    review: bool = False
    undoes: int | None = None


Make = Callable[[Plan], Edit]
Judge = Callable[[list[Problem]], None]
Along = Callable[[Connection, Saved], None]


@dataclass(frozen=True, slots=True)
class Desk:
    """What whoever edits devices looks at: the plan, and the records in the transaction of the edit."""

    plan: Plan
    connection: Connection
    now: int

    def known(self, devices: Sequence[int], macs: Sequence[MacNumber] = ()) -> Known:
        """What is recorded of some devices by id, and of those that some MACs belong to."""
        return plan_records.known(self.connection, macs, devices)


Otherwise = Callable[[Connection, int], Callable[[Desk], Edit] | None]


class PlanBook:
    """The plan of one service. `listeners` are told of every edit, with no lock held and never on the event loop; they look at
    `plan` for what it is then."""

    def __init__(
        self, database: Database, tell: Callable[[Event], None], now: Callable[[], int], vendor_of: VendorOf
    ) -> None:
        self._database, self._tell, self._now, self._vendor_of = database, tell, now, vendor_of
        self._seeing = OneLock("what was seen where")
        self._holding = OneLock("what servers hold")
        self._last_seen: dict[int, dict[Address, int]] = {}
        self._seen: dict[int, Seen] = {}
        self._held: dict[int, Runs] = {}
        self._claims: dict[int, Claims] = {}
        self._ours: set[tuple[int, int, MacNumber]] = set()
        self._carriers: dict[int, Carrier] = {}
        self._against: tuple[Plan, dict[int, Claims], list[Problem]] | None = None
        self.listeners: list[Callable[[Sequence[Item]], None]] = []
        with database.read() as connection:
            self._checked = Checked(plan_records.load(connection))
            self._last_seen = seen_records.last_seen_by_site(connection)
        self.leases_changed()
        self.holdings_changed()

    @property
    def plan(self) -> Plan:
        """The plan as it is now; nobody changes it."""
        return self._checked.plan

    @property
    def problems(self) -> list[Problem]:
        """What is wrong with it, the worst first; what DHCP servers hold against it, too."""
        checked, known = self._checked, self._claims
        if self._against is None or self._against[0] is not checked.plan or self._against[1] is not known:
            items = checked.plan.assignments.values()
            found = [*self._claimed(checked.plan, items), *self._not_carried(checked.plan, checked.plan.subnets)]
            self._against = checked.plan, known, found
        return sorted([*checked.problems, *self._against[2]], key=lambda one: one.rank)

    def claims(self, site: int) -> Claims:
        """What the DHCP servers of a site hold of addresses, as they were read last."""
        return self._claims.get(site, _NO_CLAIMS)

    def is_ours(self, claim: Claim) -> bool:
        """Whether a server's reservation is one that the plan published or adopted."""
        held = claim.holding
        return any((claim.server, held.first, mac) in self._ours for mac in held.macs)

    def _claimed(self, plan: Plan, items: Iterable[Assignment]) -> list[Problem]:
        """What the servers hold against some assignments."""
        by_site: dict[int, list[Assignment]] = {}
        for item in items:
            by_site.setdefault(item.site, []).append(item)
        return [
            problem
            for site, of_site in by_site.items()
            if site in self._claims
            for problem in claimed.problems(plan, of_site, self._claims[site], self.is_ours)
        ]

    def _not_carried(self, plan: Plan, subnets: Iterable[int]) -> Iterator[Problem]:
        """What the servers of some subnets cannot hand out."""
        return carried.problems(plan, subnets, self._carriers)

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
        """Sightings came in from the site here; what was only overheard takes no address."""
        here = self.site_here
        with self._seeing:
            seen, last = self._seen_at(here), self._last_seen[here]
            for sighting in sightings:
                if sighting.address and sighting.source != Source.OVERHEARD:
                    seen.runs.add(sighting.address)
                    seen.used.add(sighting.address)
                    last[sighting.address] = max(sighting.at, last.get(sighting.address, 0))

    def leases_changed(self) -> None:
        """The servers told their leases anew."""
        with self._database.read() as connection:
            active = lease_records.active_by_site(connection, self._now())
        self._held = {site: Runs(addresses) for site, addresses in active.items()}

    def holdings_changed(self, at_hand: Mapping[int, Sequence[Holding]] = MappingProxyType({})) -> None:
        """A server's configuration was read anew, or the plan was published to it. `at_hand` is what servers hold as it was stored
        last, where it need not be read from the records again; it is looked at only now."""
        with self._holding:
            ready = dict(at_hand)
            claims: dict[int, list[Claim]] = {}
            with self._database.read() as connection:
                servers = lease_records.servers(connection)
                for row in sorted(servers, key=lambda row: row.id):
                    held = ready.get(row.id) if row.holdings_at is not None else None
                    if held is None:
                        held = holding_records.of_server(connection, row.id)
                    claims.setdefault(row.site, []).extend(Claim(row.id, row.name, one) for one in held)
                ours = holding_records.ours(connection)
            self._carriers = {row.id: Carrier(row.name, has_pool_options(row.kind)) for row in servers}
            self._claims, self._ours = {site: Claims.of(found) for site, found in claims.items()}, ours

    def draft(self, make: Make) -> list[Problem]:
        """The problems an edit would add; nothing is changed."""
        checked = self._checked
        edit = make(checked.plan)
        with self._database.read() as connection:
            settled = PlanEditor(connection, "", self._now()).settled(checked.plan, edit.before, edit.after)
        then = checked.edited(planned(settled.before), planned(settled.after))
        return self._added(checked, then, settled)

    def edit(
        self, who: str, make: Make, *, anyway: bool = False, judge: Judge | None = None, along: Along | None = None
    ) -> Saved:  # fmt: skip
        """Make one edit. `make` sees the plan as it is at that moment and may raise; so may `judge`, which sees the problems that
        the edit would add, and `along`, which stores what belongs to the edit in the same transaction.

        Raises PlanRefused, PlanConflict and what `make`, `judge` and `along` raise; then nothing has changed.
        """
        return self.edit_records(who, lambda desk: make(desk.plan), anyway=anyway, judge=judge, along=along)

    def edit_records(
        self, who: str, make: Callable[[Desk], Edit], *, anyway: bool = False, judge: Judge | None = None,
        along: Along | None = None,
    ) -> Saved:  # fmt: skip
        """As `edit`, for edits of devices, which look at the records too."""
        with self._database.write() as connection:
            edit = make(Desk(self.plan, connection, self._now()))
            if edit.before == edit.after:
                if judge is not None:
                    judge([])
                return Saved(0, edit.before, edit.after)
            saved, then = self._edited(PlanEditor(connection, who, self._now()), self._checked, edit, anyway, judge)
            if along is not None:
                along(connection, saved)
            named = self._refresh(connection, saved)
            self._swap_when_stored(then)
        self._stored(saved, named)
        return saved

    def _edited(
        self, editor: PlanEditor, checked: Checked, edit: Edit, anyway: bool, judge: Judge | None = None
    ) -> tuple[Saved, Checked]:
        """One edit of a plan within a transaction; what is stored, and the plan with it."""
        settled = editor.settled(checked.plan, edit.before, edit.after)
        then = self._allowed(checked, settled, anyway, judge)
        saved = editor.save(edit.action, edit.item, settled.before, settled.after, edit.told, edit.kind, edit.undoes)
        cases = (*edit.cases, *(settled.cases if edit.review else ()))
        review_records.add(editor.connection, cases, self._now())
        return saved, then

    def undo(self, who: str, changes: Iterable[int], otherwise: Otherwise = lambda _, change: None) -> None:
        """Take changes back in the order given, all of them or none; those that are not of the plan or of devices are taken back
        by `otherwise`, in the same transaction: it may give an edit to be made instead. Raises Missing, EditError, and PlanRefused
        where the plan would contradict itself; mistakes that can be kept come back with it."""
        done: list[tuple[Saved, list[int]]] = []
        with self._database.write() as connection:
            editor, then = PlanEditor(connection, who, self._now()), self._checked
            for change in changes:
                if editor.is_plan_change(change):
                    saved, then = self._reversed(editor, then, change)
                elif (make := otherwise(connection, change)) is not None:
                    saved, then = self._edited(editor, then, make(Desk(then.plan, connection, self._now())), True)
                else:
                    continue
                done.append((saved, self._refresh(connection, saved)))
            if done:
                self._swap_when_stored(then)
        for saved, named in done:
            self._stored(saved, named)

    def _reversed(self, editor: PlanEditor, checked: Checked, change: int) -> tuple[Saved, Checked]:
        back = editor.reverse(change)
        settled = editor.settled(checked.plan, back.before, back.after)
        then = self._allowed(checked, settled, True)
        return editor.save_reverse(replace(back, before=[*settled.before], after=[*settled.after])), then

    def _allowed(self, checked: Checked, settled: Settled, anyway: bool, judge: Judge | None = None) -> Checked:
        """A plan with an edit. Raises PlanRefused for mistakes that it would add, unless they are to be kept `anyway`."""
        then = checked.edited(planned(settled.before), planned(settled.after))
        added = self._added(checked, then, settled)
        if judge is not None:
            judge(added)
        barred = [
            problem
            for problem in added
            if problem.severity is Severity.REFUSED or (problem.severity is Severity.MISTAKE and not anyway)
        ]
        if barred:
            raise PlanRefused(barred)
        return then

    def _added(self, checked: Checked, then: Checked, settled: Settled) -> list[Problem]:
        """The problems that an edit adds, the worst first."""
        was = set(self._claimed(checked.plan, (one for one in settled.before if isinstance(one, Assignment))))
        now = self._claimed(then.plan, (one for one in settled.after if isinstance(one, Assignment)))
        subnets = {_subnet_of(one) for one in (*settled.before, *settled.after)} - {None}
        touched = [one for one in subnets if one is not None]
        was |= set(self._not_carried(checked.plan, touched))
        now += self._not_carried(then.plan, touched)
        return sorted([*checked.added(then), *(one for one in now if one not in was)], key=lambda one: one.rank)

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

    def _refresh(self, connection: Connection, saved: Saved) -> list[int]:
        """Bring the summaries of the devices of an edit up to date; gives those devices."""
        touched = {one.id for one in saved.after if isinstance(one, Device)}
        touched |= {one.device for one in (*saved.before, *saved.after) if isinstance(one, Assignment | Adapter)}
        if touched:
            refresh(connection, touched, self._vendor_of)
        return sorted(touched)

    def _stored(self, saved: Saved, named: list[int]) -> None:
        """An edit is stored and everybody sees it: those who follow are told."""
        items = (*saved.before, *saved.after)
        with self._seeing:
            for item in items:
                if isinstance(item, Assignment) and item.site in self._seen:
                    self._note_use(self._seen[item.site], item)
        kinds = {plan_records.kind_of(item) for item in items}
        if kinds - {"device", "adapter"}:
            for listener in self.listeners:
                listener(planned(items))
            self._tell(PlanEvent(change_id=saved.change, kinds=sorted(kinds)))
        if named:
            self._tell(DevicesEvent(ids=named if len(named) <= 300 else None, new=0, edited=True))

    def _note_use(self, seen: Seen, item: Assignment) -> None:
        """Keep the runs of used addresses right after an edit."""
        if item.address in self.plan.taken(item.site) or item.address in seen.runs:
            seen.used.add(item.address)
        else:
            seen.used.remove(item.address)


def _subnet_of(record: Record) -> int | None:
    """The subnet of what may change what its pools hand out."""
    return record.subnet if isinstance(record, Band) else record.id if isinstance(record, Subnet) else None
