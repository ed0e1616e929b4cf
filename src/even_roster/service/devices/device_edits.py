"""Turns requests about devices into edits: fields, retiring, joining, splitting, replacing, adding by hand.

Nothing is stored here; each function gives what sees the records as they are and gives an `Edit` for the plan keeper.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from ...core.address import dotted
from ...core.mac import NOBODY, Mac, MacNumber
from ...core.names import as_hostname
from ...core.owning import Record, meet
from ...core.plan.model import Assignment, Plan
from ...core.roster import FIELDS, Adapter, Case, Device, Known
from ...core.text import clean, clean_note
from ...store import change_queries, seen_records
from ...store.edits import EditError, Missing, StaleEdit, Versions
from ..knowing.plan_book import Desk, Edit
from ..naming import request_values

_MOST = {"name": 120, "role": 40, "owner": 120, "place": 120}
Making = Callable[[Desk], Edit]


def set_fields(
    wanted: Sequence[tuple[int, Versions]], fields: Mapping[str, str], with_hostname: bool = False
) -> Making:  # fmt: skip
    """Set some fields of devices, given by id and the versions the edit may be based on (None: whatever it is now): all or none.
    With `with_hostname` a new name becomes the planned hostname too. Raises EditError, Missing, StaleEdit."""

    def make(desk: Desk) -> Edit:
        values: dict[str, Any] = {name: _checked(desk.plan, name, value) for name, value in fields.items()}
        known = desk.known([identity for identity, _ in wanted])
        before: list[Record] = []
        after: list[Record] = []
        for identity, versions in wanted:
            was = _device(known, identity, versions)
            new = replace(was, **values)
            if new != was:
                before.append(was)
                after.append(new)
            if with_hostname and values.get("name"):
                if not as_hostname(values["name"]):
                    raise EditError(f"{values['name']!r} makes no hostname: it needs letters or digits", "name")
                for item in _follows(desk.plan, was):
                    before.append(item)
                    after.append(replace(item, name=as_hostname(values["name"])))
        alone = known.devices[wanted[0][0]] if len(wanted) == 1 else None
        was_told, hostname = None, as_hostname(values.get("name", ""))
        if alone is not None:
            values = {name: value for name, value in values.items() if getattr(alone, name) != value}
            was_told = {name: getattr(alone, name) for name in values}
        hostnames = {one.name for one in before if isinstance(one, Assignment)}
        if was_told is not None and hostnames:
            was_told["hostname"], values["hostname"] = ", ".join(sorted(hostnames)), hostname
        title = str(alone.id) if alone is not None else f"{len(wanted)} devices"
        return Edit("set", "device", title, tuple(before), tuple(after), (was_told, values))

    return make


def _follows(plan: Plan, device: Device) -> list[Assignment]:
    """The assignments whose hostname a new name of the device takes along: those that have the first one's."""
    items = plan.of_device(device.id)
    return [one for one in items if one.name == items[0].name]


def retire(identity: int, versions: Versions, retired: bool, release: bool = False) -> Making:
    """Take a device out of the lists, or bring it back; its history stays. With `release` its addresses are nobody's any more.
    Raises Missing, StaleEdit, EditError."""

    def make(desk: Desk) -> Edit:
        was = _device(desk.known([identity]), identity, versions)
        given = desk.plan.of_device(identity)
        if retired and given and not release:
            where = ", ".join(dotted(item.address) for item in given[:3])
            more = f" and {len(given) - 3} more" if len(given) > 3 else ""
            raise EditError(
                f"{was.title} still has {where}{more} in the plan; release that with it, or replace the device"
            )
        new = replace(was, retired=retired)
        told = {"retired": was.retired}, {"retired": retired, **({"released": len(given)} if given else {})}
        action = "retire" if retired else "restore"
        return Edit(action, "device", str(identity), (was, *(given if retired else ())), (new,), told)

    return make


def add(fields: Mapping[str, str], mac: MacNumber | None) -> Making:
    """A device that somebody expects: with a name, a MAC, or both. Raises EditError."""

    def make(desk: Desk) -> Edit:
        values = {name: _checked(desk.plan, name, value) for name, value in fields.items()}
        if mac is None and not values.get("name"):
            raise EditError("a device needs a name or a MAC", "name")
        known = desk.known([], [mac] if mac is not None else [])
        if mac is not None and mac in known.adapters:
            raise EditError(f"{Mac(mac)} belongs to device {known.adapters[mac].device} already", "mac")
        new = replace(Device(-1, created_at=desk.now), **values)  # type: ignore[arg-type]
        after: tuple[Record, ...] = (new,) if mac is None else (new, Adapter(-2, -1, mac))
        told = {**values, **({"mac": str(Mac(mac))} if mac is not None else {})}
        return Edit("add", "device", values.get("name") or str(Mac(mac or NOBODY)), (), after, (None, told))

    return make


def join(identity: int, others: Sequence[int]) -> Making:
    """Make several devices one: their adapters and assignments go to the first, their own texts fill its empty fields, what they
    said differently goes to its notes, and they are retired. Raises EditError, Missing."""

    def make(desk: Desk) -> Edit:
        ids = [other for other in dict.fromkeys(others) if other != identity]
        if not ids:
            raise EditError("a join needs at least two different devices", "devices")
        known = desk.known([identity, *ids])
        keep = was = _device(known, identity, None)
        cases: list[Case] = []
        before: list[Record] = [was]
        after: list[Record] = []
        for other in ids:
            device = _device(known, other, None)
            theirs = desk.plan.of_device(other) and not desk.plan.of_device(identity)
            keep, met = meet(keep, replace(device, role="") if theirs else device)  # a planned role comes with the plan
            cases += met
            before.append(device)
            after.append(replace(device, retired=True))
            for one in known.adapters_of(other):
                before.append(one)
                after.append(replace(one, device=identity))
        macs = sorted(one.mac for one in known.adapters.values())
        places = seen_records.places_of(desk.connection, macs)
        for item in (item for one in (identity, *ids) for item in desk.plan.of_device(one)):
            mac = _mac_for(item, macs, places) if item.mac is None else item.mac
            new = replace(
                item, device=identity, mac=mac, role=keep.role if desk.plan.of_device(identity) else item.role
            )
            if (new.device, new.mac) != (item.device, item.mac):
                before.append(item)
                after.append(new)
        after.append(keep)
        told = (
            {"adapters": _macs_told(known, [identity, *ids])},
            {"adapters": {str(identity): [str(Mac(m)) for m in macs]}},
        )
        return Edit("join", "device", str(identity), tuple(before), tuple(after), told, tuple(cases), review=True)

    return make


def _mac_for(
    item: Assignment, macs: Sequence[MacNumber], places: Mapping[MacNumber, Sequence[tuple[int, Any]]]
) -> MacNumber | None:
    """The MAC of an assignment that had none: the only one, or the only one that was seen at its address."""
    there = [mac for mac in macs if any(address == item.address for address, _ in places.get(mac, ()))]
    chosen = there if len(there) == 1 else macs
    return chosen[0] if len(chosen) == 1 else None


def split(identity: int, macs: Sequence[MacNumber]) -> Making:
    """Take adapters out of a device, with what is assigned to them, and make them a new one. Raises EditError, Missing."""

    def make(desk: Desk) -> Edit:
        known = desk.known([identity])
        _device(known, identity, None)
        there = known.adapters_of(identity)
        moved = [one for one in there if one.mac in set(macs)]
        if not moved or len(moved) != len(set(macs)):
            raise EditError("name adapters that belong to this device", "macs")
        if len(moved) == len(there):
            raise EditError("a split leaves at least one adapter behind", "macs")
        items = [one for one in desk.plan.of_device(identity) if one.mac in set(macs)]
        new = Device(-1, role=items[0].role if items else "", created_at=desk.now)
        told = {"adapters": [str(Mac(one.mac)) for one in there]}, {"taken out": [str(Mac(one.mac)) for one in moved]}
        return Edit(
            "split", "device", str(identity), (*moved, *items),
            (new, *(replace(one, device=-1) for one in moved), *(replace(one, device=-1) for one in items)), told,
        )  # fmt: skip

    return make


def swap_hardware(identity: int, mac: MacNumber, old: MacNumber | None) -> Making:
    """A device was replaced by new hardware: a new MAC inherits its name, role, assignments and reservations. The old MAC, with all
    that was seen of it, becomes a retired device of its own. Raises EditError, Missing."""

    def make(desk: Desk) -> Edit:
        known = desk.known([identity], [mac])
        was = _device(known, identity, None)
        if was.retired:
            raise EditError(f"{was.title} is retired; bring it back first")
        there = known.adapters_of(identity)
        if any(one.mac == mac for one in there):
            raise EditError(f"{Mac(mac)} is an adapter of {was.title} already", "mac")
        if old is None and len(there) > 1:
            raise EditError(f"{was.title} has {len(there)} adapters; say which MAC was replaced", "old")
        leaving = [one for one in there if old in (None, one.mac)]
        if old is not None and not leaving:
            raise EditError(f"{Mac(old)} is no adapter of {was.title}", "old")
        before: list[Record] = list(leaving)
        after: list[Record] = []
        gone = Device(
            -1, f"{was.name or f'device {was.id}'} (replaced)"[:120], was.role, was.owner, was.place,
            f"replaced by {Mac(mac)}; device {was.id} goes on with that", bool(leaving), desk.now,
        )  # fmt: skip
        if leaving:
            after += [gone, *(replace(one, device=-1) for one in leaving)]
        new = was
        owner = known.adapters.get(mac)
        if owner is None:
            after.append(Adapter(-2, identity, mac))
        else:
            other = known.devices[owner.device]
            if desk.plan.of_mac(mac):
                raise EditError(f"{Mac(mac)} has an address in the plan itself; release that first", "mac")
            before.append(owner)
            after.append(replace(owner, device=identity))
            if len(known.adapters_of(other.id)) == 1:
                new, _ = meet(new, other)
                before.append(other)
                after.append(replace(other, retired=True))
        for item in desk.plan.of_device(identity):
            if item.mac is None or item.mac in {one.mac for one in leaving}:
                before.append(item)
                after.append(replace(item, mac=mac))
        told = {"mac": ", ".join(str(Mac(one.mac)) for one in leaving)}, {"mac": str(Mac(mac))}
        return Edit("replace", "device", str(identity), (was, *before), (new, *after), told)

    return make


def take_back(change: int) -> Making:
    """Take back a change of a device's fields that an older version made, where nobody has changed them since. Raises EditError,
    Missing."""

    def make(desk: Desk) -> Edit:
        row = change_queries.one(desk.connection, change)
        if row is None:
            raise Missing(f"there is no change {change}")
        if row.kind != "device" or row.action not in ("set", "retire", "restore"):
            raise EditError(
                f"change {change}, a {row.action} of a {row.kind}, was made by an older version that did not keep what taking it "
                "back needs; do it by hand"
            )
        was = _device(desk.known([int(row.item)]), int(row.item), None)
        if {name: getattr(was, name) for name in row.after} != row.after:
            raise EditError("the same fields were changed again since; undo the later change first")
        new = replace(was, **row.before, version=was.version + 1)
        return Edit("undo", "device", row.item, (was,), (new,), (row.after, row.before), undoes=change)

    return make


def _device(known: Known, identity: int, versions: Versions) -> Device:
    device = known.devices.get(identity)
    if device is None:
        raise Missing(f"there is no device {identity} in the roster")
    if versions is not None and device.version not in versions:
        raise StaleEdit(f"device {identity}", device.version, {name: getattr(device, name) for name in FIELDS})
    return device


def _macs_told(known: Known, devices: Sequence[int]) -> dict[str, list[str]]:
    return {str(one): [str(Mac(adapter.mac)) for adapter in known.adapters_of(one)] for one in devices}


def _checked(plan: Plan, name: str, value: str) -> str:
    if name not in FIELDS:
        raise EditError(f"a device has no field {name!r}; there are: {', '.join(FIELDS)}", name)
    if name == "notes":
        return clean_note(value)
    if len(value) > _MOST[name]:
        raise EditError(f"{name} has {len(value)} characters; at most {_MOST[name]} fit", name)
    return request_values.role(value, plan) if name == "role" else clean(value, _MOST[name])
