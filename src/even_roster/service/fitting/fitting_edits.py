"""Beginning, giving up and recording fittings. Addresses are taken when a fitting begins and released when it is given up."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from dataclasses import dataclass
from ipaddress import IPv4Address

from sqlalchemy import Connection

from ...api.fitting import FittingNew, GiveUp, Record
from ...api.plan import AssignmentNew, Search
from ...core.address import Address, address_of, dotted
from ...core.fitting import naming
from ...core.fitting.kinds import Comes, Kind
from ...core.fitting.progress import Means, Progress, Step, from_json, step_of
from ...core.mac import Mac, MacNumber
from ...core.owning import planned
from ...core.plan.model import Assignment, AssignmentKind, BandKind, Item, Plan
from ...core.plan.proof import Grade
from ...core.plan.roles import OnPool
from ...store import fitting_records, kind_records
from ...store.edits import EditError, Missing
from ...store.fitting_records import NewDevice
from ...store.kind_records import KindKept
from ...store.rows import FittedRow
from ..changing import undoing
from ..context import Context, now_ms
from ..devices import device_edits
from ..knowing.plan_book import Edit
from ..naming import request_values
from ..plan import planning, proving
from ..setting_edits import changed, writing
from . import kind_edits

LINK_LOCAL = 0xA9FE
"""The first 16 bits of addresses that hosts give themselves (RFC 3927)."""


@dataclass(frozen=True, slots=True)
class _Wanted:
    """A new fitting, understood: its MACs, those of them that the plan knows, the kind, the role, static or reserved, the site."""

    macs: tuple[MacNumber, ...]
    known: dict[MacNumber, Assignment]
    kind: KindKept | None
    role: str
    policy: AssignmentKind
    site: int

    @property
    def new(self) -> list[MacNumber]:
        """The MACs that want an address."""
        return [mac for mac in self.macs if mac not in self.known]


async def begin(context: Context, who: str, request: FittingNew) -> int:
    """Begin a fitting: addresses are chosen, proven and taken as one change; gives its id. Raises EditError,
    Missing, PlanRefused."""
    wanted = await asyncio.to_thread(_understood, context, request)
    async with proving.promising(context) as mine:
        free = await _free(context, request, wanted, mine)
        return await asyncio.to_thread(_store, context, who, request, wanted, free)


def _understood(context: Context, request: FittingNew) -> _Wanted:
    macs: list[MacNumber] = []
    for text in request.macs:
        mac = request_values.maybe_mac(text)
        if mac is None:
            raise EditError("a MAC is empty: write it as on the label", "macs")
        if mac in macs:
            raise EditError(f"{Mac(mac)} stands there twice", "macs")
        macs.append(mac)
    with context.database.read() as connection, context.plan.reading() as plan:
        kind = _kind(kind_records.all_of_them(connection), request.kind)
        for row in fitting_records.open_devices(connection):
            if row.mac in macs:
                raise EditError(f"{Mac(row.mac)} is being fitted already, in fitting {row.fitting}", "macs")
        site = context.plan.site_here
        role = request_values.role(request.role or (kind.kind.role if kind else ""), plan)
        known = {mac: item for mac in macs for item in plan.of_mac(mac) if item.site == site}
        if request.address and len(macs) > 1:
            raise EditError(f"one address cannot be that of {len(macs)} devices; name a subnet or a band", "address")
        if request.address and known:
            item = next(iter(known.values()))
            raise EditError(f"{Mac(macs[0])} has {dotted(item.address)} in the plan already; move it first", "address")
        policy = AssignmentKind(request.policy) if request.policy else _policy(plan, site, role, request.where)
    return _Wanted(tuple(macs), known, kind, role, policy, site)


def _kind(kinds: Sequence[KindKept], named: int | str | None) -> KindKept | None:
    if named is None or named == "":
        return None
    for one in kinds:
        if named == one.id or str(named).strip().casefold() in (one.kind.name.casefold(), str(one.id)):
            return one
    there = ", ".join(one.kind.name for one in kinds[:8]) or "none yet"
    raise EditError(f"there is no kind {named!r}; there are: {there}", "kind")


def _policy(plan: Plan, site: int, role: str, where: str) -> AssignmentKind:
    """Static for roles that must not depend on a pool, or rather not; reserved for those that travel, and for the others where a
    DHCP server hands out a pool in their subnet."""
    rule = plan.rule(role)
    if rule.travels:
        return AssignmentKind.RESERVED
    subnet = request_values.find_subnet(plan, site, where) if where else None
    band = request_values.find_band(plan, site, where) if where and subnet is None else None
    identity = subnet.id if subnet is not None else band.subnet if band is not None else 0
    served = any(one.kind is BandKind.POOL and one.server for one in plan.bands_of(identity)) if identity else False
    return AssignmentKind.RESERVED if rule.on_pool is OnPool.FINE and served else AssignmentKind.STATIC


async def _free(
    context: Context, request: FittingNew, wanted: _Wanted, mine: set[tuple[int, Address]]
) -> list[Address]:
    """Proven free addresses for the MACs that have none: side by side where there is room for that."""
    count = len(wanted.new)
    if not count:
        return []
    if request.address:
        return [await given(context, wanted.site, request.address, wanted.macs[0])]
    where = request.where or None
    search = Search(where=where, role=wanted.role, count=count, adjacent=count > 1, ask=True)
    answer = await proving.search(context, search, mine)
    if len(answer.candidates) < count and count > 1:
        answer = await proving.search(context, search.model_copy(update={"adjacent": False}), mine)
    if len(answer.candidates) < count:
        found = answer.subnet
        place = request.where or (found.name or found.cidr if found else "the plan")
        raise EditError(
            f"{len(answer.candidates)} of {count} addresses are free in {place}; widen a band or name another", "where"
        )
    return [address_of(IPv4Address(one.address)) for one in answer.candidates]


async def given(context: Context, site: int, text: str, mac: MacNumber | None) -> Address:
    """The address that was asked for, where nobody but a certain MAC has it, by the records and on the wire. Raises EditError."""
    address = request_values.address(text)
    proof = (await proving.prove_all(context, site, [address], True))[0]
    holder = proof.last_seen.mac if proof.last_seen is not None else None
    if proof.grade is Grade.TAKEN and (holder is None or holder != mac):
        raise EditError(f"{dotted(address)} is not free: {'; '.join(proof.reasons)}", "address")
    return address


def _store(context: Context, who: str, request: FittingNew, wanted: _Wanted, free: Sequence[Address]) -> int:
    titles: dict[MacNumber, str] = {}
    places = dict(zip(wanted.new, free, strict=True))

    def make(plan: Plan) -> Edit:
        taken = [one.name for one in plan.assignments.values() if one.site == wanted.site and one.name]
        try:
            titles.update(zip(wanted.new, naming.names(request.name, len(wanted.new), taken), strict=True))
        except naming.PatternError as error:
            raise EditError(str(error), "name") from error
        after: list[Item] = []
        for mac, address in places.items():
            new = AssignmentNew(
                address=dotted(address), kind=wanted.policy.value, mac=str(Mac(mac)), name=titles[mac], role=wanted.role
            )  # fmt: skip
            after += planned(planning.assign(new, wanted.site, address, mac)(plan).after)
        shown = ", ".join(dotted(address) for address in free[:8])
        title = titles[wanted.new[0]] or str(Mac(wanted.new[0])) if len(free) == 1 else f"{len(free)} devices"
        return Edit("fit", "assignment", title, (), tuple(after), (None, {"devices": len(free), "addresses": shown}))

    values = {
        "site": wanted.site, "kind": wanted.kind.id if wanted.kind else None, "role": wanted.role, "place": request.where,
        "who": who,
    }  # fmt: skip
    begun = 0

    def begin(connection: Connection, made: Sequence[Item]) -> None:
        """The fitting is stored along with what it takes: one is never without the other."""
        nonlocal begun
        fresh = {one.mac: one for one in made if isinstance(one, Assignment) and one.mac is not None}
        items = {**wanted.known, **fresh}
        devices = [
            NewDevice(mac, items[mac].name, items[mac].address, items[mac].id, mac not in wanted.known)
            for mac in wanted.macs
        ]
        begun = fitting_records.begin(connection, values, devices, now_ms())

    if free:
        context.plan.edit(
            who, make, anyway=request.anyway, along=lambda connection, saved: begin(connection, planned(saved.after))
        )
    else:
        with context.database.write() as connection:
            begin(connection, ())
    return begun


def give_up(context: Context, who: str, fitting: int, request: GiveUp) -> None:
    """Give devices up: what was taken for them is released, as one change. Raises Missing, EditError."""
    chosen = _open(context, fitting, request.fitted_ids)

    def make(plan: Plan) -> Edit:
        before: list[Item] = []
        for row in chosen:
            item = plan.assignments.get(row.assignment or 0)
            if row.made and item is not None and item.mac == row.mac:
                before.append(item)
        shown = ", ".join(dotted(one.address) for one in before[:8] if isinstance(one, Assignment))
        return Edit(
            "give up", "assignment", f"{len(before)} devices" if len(before) != 1 else shown, tuple(before), (),
            ({"addresses": shown}, None),
        )  # fmt: skip

    with context.database.read() as connection:
        there = [
            row for row in fitting_records.devices_of(connection, [fitting]) if row.id in {one.id for one in chosen}
        ]
    if any(row.made for row in there):
        context.plan.edit(who, make)
    undoing.undo(context, who, [change for row in chosen for change in row.undo])
    now = now_ms()
    with context.database.write() as connection:
        for row in chosen:
            said = f"given up by {who}" + (f"; {dotted(row.address)} is free again" if row.made and row.address else "")
            said += "; what was changed for it is as it was before" if row.undo else ""
            fitting_records.note(connection, row.id, now, [(Step.DONE, said)])
            fitting_records.close(connection, row.id, "given up", now)


def record(context: Context, who: str, fitting: int, request: Record) -> None:
    """Close a device's fitting, with what is written into the roster of it. Raises Missing, EditError."""
    row = _open(context, fitting, [request.fitted_id])[0]
    reached = from_json(row.progress)
    now_at = step_of(row.mac, row.address, reached)
    if now_at is not Step.RECORD and not request.anyway:
        raise EditError(
            f"it is at the step {now_at}, and what comes after that is not proven; say 'anyway' to record it all the same",
            "anyway",
        )
    item = context.plan.plan.assignments.get(row.assignment or 0)
    if item is None or not item.device:
        raise EditError("the plan has no address for it any more, so there is nothing to record", "fitted_id")
    fields = {name: value for name in ("name", "place", "owner", "notes") if (value := getattr(request, name).strip())}
    if fields:
        context.plan.edit_records(who, device_edits.set_fields([(item.device, None)], fields))
    if request.kind.strip():
        _remember(context, who, row, request.kind, reached, item.role)
    now = now_ms()
    said = "recorded" if now_at is Step.RECORD else f"recorded by {who} at the step {now_at}: the rest is not proven"
    with context.database.write() as connection:
        notes = [(Step.RECORD, said)]
        if row.mac is not None and (port := context.plugged([row.mac]).get(row.mac)):
            notes.append((Step.RECORD, f"it is plugged into {port}"))
        fitting_records.note(connection, row.id, now, notes)
        fitting_records.close(connection, row.id, "done", now)


def _remember(context: Context, who: str, row: FittedRow, name: str, progress: Progress, role: str) -> None:
    """The site knows this kind from now on: how it came is what was seen of it."""
    came = next((one for one in progress.olds if one >> 16 != LINK_LOCAL), None)
    by = {Means.DHCP: Comes.DHCP, Means.BOOTP: Comes.BOOTP}
    asked = by.get(progress.heard.means, Comes.UNKNOWN) if progress.heard is not None else Comes.UNKNOWN
    factory = f"{dotted(came)}/24" if came is not None else ""
    kind = Kind(name, Comes.ADDRESS if factory else asked, factory, role=role)
    with writing(context, who) as journal:
        there = kind_records.all_of_them(journal.connection)
        known = next((one for one in there if one.kind.name.casefold() == name.strip().casefold()), None)
        identity = known.id if known is not None else kind_edits.enter(journal, kind_edits.checked(context, kind))
        fitting_records.of_kind(journal.connection, row.fitting, identity)
    changed(context, {kind_edits.KIND})


def _open(context: Context, fitting: int, wanted: Sequence[int]) -> list[FittedRow]:
    """Devices of a fitting that are being fitted; all of them where none are named. Raises Missing, EditError."""
    with context.database.read() as connection:
        if fitting_records.one(connection, fitting) is None:
            raise Missing(f"there is no fitting {fitting}")
        rows = {row.id: row for row in fitting_records.devices_of(connection, [fitting])}
    for identity in wanted:
        if identity not in rows:
            raise Missing(f"fitting {fitting} has no device {identity}")
        if rows[identity].state != "open":
            raise EditError(f"device {identity} of fitting {fitting} is {rows[identity].state} already", "fitted_ids")
    chosen = (
        [rows[identity] for identity in wanted] if wanted else [row for row in rows.values() if row.state == "open"]
    )
    if not chosen:
        raise EditError(f"fitting {fitting} is over already", "fitted_ids")
    return chosen
