"""Whose an assignment is: every assignment belongs to a device, every planned MAC is an adapter of that device. Pure.

`settle` completes an edit of the plan with what it means for devices: one that was not seen yet is expected and made; one that is
known takes the assignment; an expected device whose MAC turns out to be a known device's is that device; one that nobody knows
anything of any more goes. The role stands with the device, so that all its assignments have the same.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

from .mac import MacNumber
from .names import as_hostname
from .plan.model import Assignment, Item, Plan
from .roster import FIELDS, Adapter, Case, Device, Known, noted
from .text import host_key

Record = Item | Device | Adapter


@dataclass(frozen=True, slots=True)
class Settled:
    """An edit with the devices and adapters it concerns, and where two records that met said different things. `hollow` are devices
    that would be left in the lists with nothing in them: no adapter, no address, nothing written by a hand; `gone` are devices that
    would be out of the lists with an address planned for them; `torn` are assignments whose MAC would be another device's."""

    before: tuple[Record, ...]
    after: tuple[Record, ...]
    cases: tuple[Case, ...] = ()
    hollow: tuple[Device, ...] = ()
    gone: tuple[Device, ...] = ()
    torn: tuple[Assignment, ...] = ()


def planned(records: Iterable[Record]) -> list[Item]:
    """Those of some records that belong to the plan."""
    return [one for one in records if not isinstance(one, Device | Adapter)]


def settle(plan: Plan, before: Sequence[Record], after: Sequence[Record], known: Known, now: int) -> Settled:
    """An edit as it is to be stored; `plan` is the one before it, `now` in UTC ms. New items have ids of 0 or below."""
    return _Settling(plan, before, after, known, now).done()


def meet(keep: Device, other: Device) -> tuple[Device, tuple[Case, ...]]:
    """A device that another turned out to be: its own words stay, empty ones are filled from the other, and what the other said
    differently goes to the notes."""
    values: dict[str, Any] = {}
    lines: list[str] = []
    for name in FIELDS:
        mine, others = getattr(keep, name), getattr(other, name)
        if others and not mine:
            values[name] = others
        elif others and others != mine:
            lines += others.split("\n") if name == "notes" else [f"{name} before the join: {others}"]
    if lines:
        values["notes"] = noted(values.get("notes", keep.notes), lines)
    cases = tuple(
        Case(keep.id, name, f"{name} is {getattr(keep, name)!r}; the other record said {getattr(other, name)!r}")
        for name in ("name", "role")
        if getattr(keep, name) and getattr(other, name) not in ("", getattr(keep, name))
    )
    return replace(keep, **values), cases


class _Settling:
    """One edit on its way to be whole."""

    def __init__(
        self, plan: Plan, before: Sequence[Record], after: Sequence[Record], known: Known, now: int
    ) -> None:  # fmt: skip
        self._plan, self._known, self._now = plan, known, now
        self._before, self._after = list(before), list(after)
        self._was = {one.id: one for one in before if isinstance(one, Assignment)}
        self._devices, self._adapters = dict(known.devices), dict(known.adapters)
        for one in before:
            if isinstance(one, Device):
                self._devices.pop(one.id, None)
            elif isinstance(one, Adapter):
                self._adapters.pop(one.mac, None)
        for one in after:
            if isinstance(one, Device):
                self._devices[one.id] = one
            elif isinstance(one, Adapter):
                self._adapters[one.mac] = one
        self._macs: dict[int, set[MacNumber]] = defaultdict(set)
        for one in self._adapters.values():
            self._macs[one.device].add(one.mac)
        self._next = min([0, *(one.id for one in after)]) - 1
        self._cases: list[Case] = []
        self._gone: set[int] = set()

    def done(self) -> Settled:
        """See `settle`."""
        items: list[Record] = [self._owned(one) if isinstance(one, Assignment) else one for one in planned(self._after)]
        self._leave(items)
        items = self._same_roles(items)
        holding = {one.device for one in items if isinstance(one, Assignment)}
        devices_were = {one.id: one for one in self._before if isinstance(one, Device)}
        adapters_were = {one.id: one for one in self._before if isinstance(one, Adapter)}
        for device in self._known.devices.values():
            if self._devices.get(device.id) != device:
                devices_were.setdefault(device.id, device)
        for adapter in self._known.adapters.values():
            if self._adapters.get(adapter.mac) != adapter:
                adapters_were.setdefault(adapter.id, adapter)
        devices_are = [
            one for one in self._devices.values() if one.id in devices_were or one.id not in self._known.devices
        ]
        there = {one.id for one in self._known.adapters.values()}
        adapters_are = [one for one in self._adapters.values() if one.id in adapters_were or one.id not in there]
        return Settled(
            (*planned(self._before), *devices_were.values(), *adapters_were.values()), (*items, *devices_are, *adapters_are),
            tuple(self._cases), tuple(one for one in devices_are if self._is_hollow(one, holding)),
            tuple(one for one in devices_are if one.retired and self._has_addresses(one, holding)),
            tuple(self._torn({one.mac for one in (*adapters_were.values(), *adapters_are)})),
        )  # fmt: skip

    def _torn(self, macs: Iterable[MacNumber]) -> Iterator[Assignment]:
        """Assignments that the edit does not touch, of MACs that it takes from their devices."""
        for mac in macs:
            adapter = self._adapters.get(mac)
            for item in self._plan.of_mac(mac):
                if item.id not in self._was and (adapter is None or adapter.device != item.device):
                    yield item

    def _is_hollow(self, device: Device, holding: set[int]) -> bool:
        hollow = not device.retired and device.bare and not self._macs[device.id]
        return hollow and not self._has_addresses(device, holding)

    def _has_addresses(self, device: Device, holding: set[int]) -> bool:
        return device.id in holding or any(one.id not in self._was for one in self._plan.of_device(device.id))

    def _owned(self, item: Assignment) -> Assignment:
        was = self._was.get(item.id)
        device = self._devices[self._owner(item, was)]
        if device.retired:
            device = replace(device, retired=False)
        if was is not None and was.device in (0, device.id):
            role = item.role if item.role != was.role else device.role
        else:
            role = item.role or device.role
            self._met(device, item)
            if device.role not in ("", role):
                device = replace(device, notes=noted(device.notes, [f"role before it was planned: {device.role}"]))
        self._devices[device.id] = device if device.role == role else replace(device, role=role)
        return item if item.device == device.id and item.role == role else replace(item, device=device.id, role=role)

    def _met(self, device: Device, item: Assignment) -> None:
        """Note what device and plan say differently."""
        if device.name and item.name and host_key(as_hostname(device.name)) != host_key(item.name):
            self._cases.append(Case(device.id, "name", f"called {device.name!r} by hand, planned as {item.name!r}"))
        if device.role and item.role and device.role != item.role:
            said = f"planned as {item.role}; its role was {device.role}, which stands in its notes now"
            self._cases.append(Case(device.id, "role", said))

    def _owner(self, item: Assignment, was: Assignment | None) -> int:
        if item.mac is None:
            return item.device or self._new_device()
        there = self._adapters.get(item.mac)
        if there is None:
            owner = self._taker(item, was)
            self._adapters[item.mac] = Adapter(self._number(), owner, item.mac)
            self._macs[owner].add(item.mac)
            return owner
        if was is not None and was.mac is None and was.device not in (0, there.device):
            self._is_it(was.device, there.device)
        return there.device

    def _taker(self, item: Assignment, was: Assignment | None) -> int:
        """The device that a MAC nobody knows belongs to."""
        if was is None:
            return item.device or self._new_device()
        if was.mac is None or not was.device:
            return was.device or self._new_device()
        others = [one for one in self._plan.of_mac(was.mac) if one.id != was.id]
        if self._seen(was.device) or others:
            return self._new_device()
        self._forget(was.mac)  # never seen under the MAC that was written: it was written wrong
        return was.device

    def _is_it(self, expected: int, device: int) -> None:
        """An expected device without a MAC turned out to be a known one: one record from now on."""
        other = self._devices.get(expected)
        if other is None or self._macs[expected]:
            return  # it has a MAC of its own: another device
        joined, cases = meet(self._devices[device], replace(other, role=""))  # its role comes with its assignments
        self._devices[device] = joined
        self._cases += cases
        self._gone.add(expected)
        for item in self._plan.of_device(expected):
            if item.id not in self._was:
                self._was[item.id] = item
                self._before.append(item)
        moved = {one.id for one in self._after if isinstance(one, Assignment)}
        extra = [replace(one, device=device) for one in self._was.values() if one.device == expected]
        self._after += [one for one in extra if one.id not in moved]

    def _new_device(self) -> int:
        number = self._number()
        self._devices[number] = Device(number, created_at=self._now)
        return number

    def _number(self) -> int:
        self._next -= 1
        return self._next

    def _seen(self, device: int) -> bool:
        return not self._known.seen.isdisjoint(self._macs[device])

    def _forget(self, mac: MacNumber) -> None:
        adapter = self._adapters.pop(mac, None)
        if adapter is not None:
            self._macs[adapter.device].discard(mac)

    def _leave(self, items: list[Record]) -> None:
        """Take away what is expected no more: MACs that only the plan knew, and devices of which nothing is known then."""
        there = {one.id: one for one in items if isinstance(one, Assignment)}
        added = [one for one in self._after if isinstance(one, Assignment) and one.id not in there]
        items += added
        there.update({one.id: one for one in added})
        using = {one.mac for one in there.values()}
        holding = {one.device for one in there.values()}
        for was in list(self._was.values()):
            left = [one for one in self._plan.of_device(was.device) if one.id not in self._was]
            device = self._devices.get(was.device)
            if device is None:
                continue
            unused = was.mac is not None and was.mac not in using and not any(one.mac == was.mac for one in left)
            nothing = device.bare and not device.retired and not left and device.id not in holding
            if device.id in self._gone or (nothing and not self._seen(device.id)):
                del self._devices[device.id]
                for mac in list(self._macs[device.id]):
                    self._forget(mac)
            elif unused and was.mac in self._macs[device.id] - self._known.seen and self._seen(device.id):
                self._forget(was.mac)

    def _same_roles(self, items: Iterable[Record]) -> list[Record]:
        """All assignments of a device have its role, those too that the edit does not name."""
        done: list[Record] = []
        for one in items:
            device = self._devices.get(one.device) if isinstance(one, Assignment) else None
            if device is not None and isinstance(one, Assignment) and one.role != device.role:
                one = replace(one, role=device.role)
            done.append(one)
        named = {one.id for one in done if isinstance(one, Assignment)} | set(self._was)
        for device in list(self._devices.values()):
            for item in self._plan.of_device(device.id) if device.id > 0 else ():
                if item.id not in named and item.role != device.role:
                    self._before.append(item)
                    done.append(replace(item, role=device.role))
        return done
