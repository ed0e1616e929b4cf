"""Turns records into the API's models. No queries here."""

from __future__ import annotations

import functools
from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any

from ..api.common import DeviceRef, MacView, NameView
from ..api.devices import AdapterRow, ChangeRow, DeviceRow, NameStay, StayRow
from ..api.scans import AddressResult, ReplyTime
from ..core.absence import Reason
from ..core.address import Address, dotted
from ..core.mac import Mac, MacNumber, colons
from ..core.stays import Source
from ..core.vendors import VendorRegistry
from ..store import rows
from ..store.address_column import NO_ADDRESS
from ..store.tables import NO_MAC

_WEB_PORTS = ((443, "https", ""), (80, "http", ""), (8443, "https", ":8443"), (8080, "http", ":8080"))
_BY = Source.ARP | Source.NEIGHBOUR | Source.ECHO | Source.CONNECT


def time_of(ms: int) -> datetime:
    """UTC milliseconds as a time."""
    return datetime.fromtimestamp(ms / 1000, UTC)


def maybe_time(ms: int | None) -> datetime | None:
    """As `time_of`; nothing and 0 are no time."""
    return time_of(ms) if ms else None


def clock(minute: int | None) -> str | None:
    """A minute of the day as HH:MM."""
    return f"{minute // 60:02}:{minute % 60:02}" if minute is not None else None


def mac_view(value: MacNumber, vendors: VendorRegistry) -> MacView:
    """A MAC with its vendor."""
    mac = Mac(value)
    vendor = vendors.of(mac)
    return MacView(mac=str(mac), vendor=vendor.name if vendor else None, local=mac.local)


def web_link(address: str | None, ports: list[int]) -> str | None:
    """The device's own web page, by the open ports a scan found."""
    if address is None:
        return None
    for port, scheme, suffix in _WEB_PORTS:
        if port in ports:
            return f"{scheme}://{address}{suffix}/"
    return None


def device_row(row: rows.DeviceRow) -> DeviceRow:
    """A row of `devices`."""
    return DeviceRow(**_device(row, maybe_time))


def device_json(row: rows.DeviceRow) -> dict[str, Any]:
    """The same as it goes into JSON, in the order of the model: for long lists."""
    return _device(row, _iso)


def _device(row: rows.DeviceRow, time: Callable[[int | None], Any]) -> dict[str, Any]:
    address = dotted(row.address) if row.address != NO_ADDRESS else None
    return dict(
        id=row.id, version=row.version, name=row.name, seen_name=row.seen_name, called=row.called,
        called_because=row.called_because, role=row.role, owner=row.owner,
        place=row.place, notes=row.notes, address=address, mac=colons(row.mac) if row.mac != NO_MAC else None,
        adapter_count=row.macs, vendor=row.vendor or None, local=row.local, ports=row.ports,
        web=web_link(address, row.ports) if row.ports else None,
        first_seen=time(row.first_seen), last_seen=time(row.last_seen), heard_at=time(row.heard), expected=not row.last_seen,
        retired=row.retired,
    )  # fmt: skip


def _iso(ms: int | None) -> str | None:
    """The same as JSON has it (see `iso`), quickly: many rows of a list were seen in the same second."""
    if not ms:
        return None
    second, rest = divmod(ms, 1000)
    return f"{_second(second)}.{rest:03}Z"


@functools.lru_cache(maxsize=4096)
def _second(seconds: int) -> str:
    return datetime.fromtimestamp(seconds, UTC).isoformat()[:19]


def device_ref(row: rows.DeviceRow) -> DeviceRef:
    """A device's id and the name to show."""
    return DeviceRef(id=row.id, name=row.called or None)


def adapter_row(row: rows.AdapterRow, vendors: VendorRegistry) -> AdapterRow:
    """A row of `adapters`."""
    view = mac_view(row.mac, vendors)
    return AdapterRow(
        mac=view.mac, vendor=view.vendor, local=view.local, first_seen=maybe_time(row.first_seen),
        last_seen=maybe_time(row.last_seen), heard_at=maybe_time(row.heard),
    )  # fmt: skip


def stay_row(row: rows.StayRow, vendors: VendorRegistry) -> StayRow:
    """A stay with the device that has its MAC by now."""
    view = mac_view(row.mac, vendors) if row.mac is not None else None
    return StayRow(
        address=dotted(row.address), mac=view.mac if view else None, vendor=view.vendor if view else None,
        first_seen=time_of(row.first), last_seen=time_of(row.last), count=row.sightings, sources=Source(row.sources).words,
        device=stay_device(row), widest_gap=None if row.widest is None else row.widest // 1000,
        silent_since=maybe_time(row.silent_first), ended=Reason(row.reason).words, heard_at=maybe_time(row.heard),
    )  # fmt: skip


def stay_device(row: rows.StayRow) -> DeviceRef | None:
    """The device that has a stay's MAC by now."""
    return DeviceRef(id=row.device_id, name=row.called or None) if row.device_id else None


def name_stay(row: rows.NameStayRow) -> NameStay:
    """A row of `name_stays`."""
    return NameStay(
        name=row.name, source=row.source, address=dotted(row.address), first_seen=time_of(row.first),
        last_seen=time_of(row.last),
    )  # fmt: skip


def change_row(row: rows.ChangeRow, taken_back_by: int | None) -> ChangeRow:
    """A row of `changes`."""
    return ChangeRow(
        id=row.id, at=time_of(row.at), who=row.who, action=row.action, kind=row.kind, item=row.item, before=row.before,
        after=row.after, undoes=row.undoes, taken_back_by=taken_back_by,
    )  # fmt: skip


def result(
    address: Address, by: int, macs: list[MacNumber], names: list[tuple[str, str]], ports: list[int],
    rtt: tuple[float, float] | None, foreign: bool, vendors: VendorRegistry, devices: dict[MacNumber, DeviceRef],
) -> AddressResult:  # fmt: skip
    """What a scan learnt of one address, from a record or from a running scan's book."""
    times = ReplyTime(min=round(rtt[0], 3), avg=round(rtt[1], 3)) if rtt else None
    return AddressResult(
        address=dotted(address), answered=True, by=(Source(by) & _BY).words,
        claims=[mac_view(mac, vendors) for mac in macs],
        names=[NameView(name=name, source=source) for name, source in names],
        rtt_ms=times, ports=ports, foreign=foreign,
        device=next((devices[mac] for mac in macs if mac in devices), None),
    )  # fmt: skip


def silent(address: Address, device: DeviceRef | None) -> AddressResult:
    """An address that was asked and did not answer."""
    return AddressResult(
        address=dotted(address), answered=False, by=[], claims=[], names=[], rtt_ms=None, ports=[], foreign=False,
        device=device,
    )  # fmt: skip


def result_of_row(
    row: rows.ScanResultRow, vendors: VendorRegistry, devices: dict[MacNumber, DeviceRef]
) -> AddressResult:
    """A row of `scan_results`."""
    rtt = (row.rtt_min, row.rtt_avg) if row.rtt_min is not None and row.rtt_avg is not None else None
    names = [(name, source) for name, source in row.names]
    return result(row.address, row.by, row.macs, names, row.ports, rtt, row.foreign, vendors, devices)
