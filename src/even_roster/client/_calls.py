"""Every call of the API as a value: method, path, what goes in, what comes out. Both clients run these."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import TYPE_CHECKING, Any, Generic, TypeVar
from urllib.parse import quote

if TYPE_CHECKING:
    from ..api.devices import (
        BulkDone,
        BulkItem,
        ChangeRow,
        DeviceEdit,
        DeviceNew,
        DevicePage,
        DeviceRow,
        DeviceSheet,
        DeviceSort,
        FindAnswer,
        ReviewCase,
    )  # fmt: skip
    from ..api.network import (
        Explanation,
        Health,
        Here,
        MeasureView,
        PrefixRow,
        RangeRow,
        Ruler,
        SubnetRow,
        Ticket,
        VendorLoaded,
        VendorView,
    )  # fmt: skip
    from ..api.scans import ResultPage, ScanInfo, ScanList, ScanRequest

T = TypeVar("T")
SECONDS, LONG_SECONDS = 30.0, 300.0


class Call(Generic[T]):
    """One request, and the type of its answer by the name that it has in the API's models; `bytes` are a file's octets."""

    __slots__ = ("answer", "body", "content", "method", "params", "path")

    def __init__(
        self, answer: str, method: str, path: str, params: Mapping[str, Any] | None = None, body: Any = None,
        content: bytes | None = None,
    ) -> None:  # fmt: skip
        self.answer, self.method, self.path, self.params, self.body = answer, method, path, params, body
        self.content = content

    @property
    def patience(self) -> float:
        """How many seconds its answer may take: work with files and servers takes longer than a question."""
        long = self.content is not None or self.answer == "bytes" or "/dhcp/servers/" in self.path
        return LONG_SECONDS if long or self.path.endswith("/undo") else SECONDS


def call(
    answer: str, method: str, path: str, params: Mapping[str, Any] | None = None, body: Any = None,
    content: bytes | None = None,
) -> Call[Any]:  # fmt: skip
    """A call; parameters, and fields of the body, that are None are left out. A body is one of the API's models, or its fields."""
    given = {name: _text(value) for name, value in (params or {}).items() if value is not None}
    data: Any
    if isinstance(body, dict):
        data = {name: _plain(value) for name, value in body.items() if value is not None}
    else:
        data = body.model_dump(mode="json", exclude_none=True) if body is not None else None
    return Call(answer, method, path, given, data, content)


def _plain(value: Any) -> Any:
    if isinstance(value, list):
        return [_plain(one) for one in value]
    return value.model_dump(mode="json", exclude_none=True) if hasattr(value, "model_dump") else _text(value)


def named(which: int | str) -> str:
    """A reference as a part of a path."""
    return quote(str(which), safe="")


def _text(value: Any) -> Any:
    return value.isoformat() if isinstance(value, datetime) else value


def health() -> Call[Health]:
    """Whether the service is well."""
    return call("Health", "GET", "/healthz")


def sign_in() -> Call[Ticket]:
    """A path that signs a browser in, once."""
    return call("Ticket", "POST", "/api/v1/session/ticket")


def here(adapter: str | None = None) -> Call[Here]:
    """The service's machine: its adapters, and which one a scan would use and why."""
    return call("Here", "GET", "/api/v1/here", {"adapter": adapter})


def measure(range: str) -> Call[MeasureView]:
    """All sums on a range."""
    return call("MeasureView", "GET", "/api/v1/measure", {"range": range})


def start_scan(request: ScanRequest) -> Call[ScanInfo]:
    """Start a scan. Raises BadInput, NeedsConfirm, Conflict."""
    return call("ScanInfo", "POST", "/api/v1/scans", body=request)


def scan(identity: int) -> Call[ScanInfo]:
    """A scan's record, also while it runs."""
    return call("ScanInfo", "GET", f"/api/v1/scans/{identity}")


def scans(limit: int = 50, before: int | None = None) -> Call[ScanList]:
    """Scans, the latest first."""
    return call("ScanList", "GET", "/api/v1/scans", {"limit": limit, "before": before})


def stop_scan(identity: int) -> Call[ScanInfo]:
    """End a scan and keep what it found."""
    return call("ScanInfo", "POST", f"/api/v1/scans/{identity}/stop")


def scan_addresses(
    identity: int, cursor: str | None = None, limit: int = 500, silent: bool = False
) -> Call[ResultPage]:
    """A page of a scan's results."""
    params = {"cursor": cursor, "limit": limit, "silent": silent}
    return call("ResultPage", "GET", f"/api/v1/scans/{identity}/addresses", params)


def device_page(
    q: str = "", role: str | None = None, owner: str | None = None, vendor: str | None = None,
    unknown: bool | None = None, expected: bool | None = None, local: bool | None = None, retired: bool = False,
    range: str | None = None,
    seen_since: datetime | None = None, not_seen_since: datetime | None = None, sort: DeviceSort = "address",
    descending: bool = False, cursor: str | None = None, limit: int = 200, total: bool = True,
) -> Call[DevicePage]:  # fmt: skip
    """A page of the devices that match all filters."""
    return call("DevicePage", "GET", "/api/v1/devices", locals())


def device(which: int | str) -> Call[DeviceSheet]:
    """Everything about one device: by id, name, MAC, address, or a fragment. Raises NotFound, Ambiguous."""
    return call("DeviceSheet", "GET", f"/api/v1/devices/{named(which)}")


def edit_device(which: int | str, edit: DeviceEdit) -> Call[DeviceRow]:
    """Set fields of a device. Raises BadInput, NotFound, StaleEdit."""
    return call("DeviceRow", "PATCH", f"/api/v1/devices/{named(which)}", body=edit)


def edit_devices(devices: Sequence[BulkItem], edit: DeviceEdit) -> Call[BulkDone]:
    """Set the same role, owner or place for several devices: all or none."""
    body = {"devices": list(devices), "role": edit.role, "owner": edit.owner, "place": edit.place}
    return call("BulkDone", "POST", "/api/v1/devices/bulk", body=body)


def add_device(new: DeviceNew) -> Call[DeviceSheet]:
    """Enter a device that is expected."""
    return call("DeviceSheet", "POST", "/api/v1/devices", body=new)


def replace_device(which: int | str, mac: str, old: str | None = None) -> Call[DeviceSheet]:
    """New hardware: its MAC inherits everything that the device has; `old` says which of several adapters it replaces."""
    return call("DeviceSheet", "POST", f"/api/v1/devices/{named(which)}/replace", body={"mac": mac, "old": old})


def reviews() -> Call[list[ReviewCase]]:
    """Cases to look at: what two records of one device said differently, expected devices that may have been seen."""
    return call("list[ReviewCase]", "GET", "/api/v1/reviews")


def reviewed(identity: int) -> Call[None]:
    """Take a case off the list."""
    return call("None", "DELETE", f"/api/v1/reviews/{identity}")


def retire_device(
    which: int | str, retired: bool = True, version: int | None = None, release: bool = False
) -> Call[DeviceRow]:
    """Take a device out of the lists, or bring it back; with `release` its addresses are nobody's any more."""
    body = {"version": version, "retired": retired, "release": release}
    return call("DeviceRow", "POST", f"/api/v1/devices/{named(which)}/retire", body=body)


def join_devices(which: int | str, others: Sequence[int | str]) -> Call[DeviceSheet]:
    """The others' adapters belong to this device."""
    return call("DeviceSheet", "POST", f"/api/v1/devices/{named(which)}/join", body={"devices": list(others)})


def split_device(which: int | str, macs: Sequence[str]) -> Call[DeviceSheet]:
    """Some adapters are a device of their own; gives the new one."""
    return call("DeviceSheet", "POST", f"/api/v1/devices/{named(which)}/split", body={"macs": list(macs)})


def changes(device: int | None = None, limit: int = 100, before: int | None = None) -> Call[list[ChangeRow]]:
    """Recorded edits, the latest first."""
    return call("list[ChangeRow]", "GET", "/api/v1/changes", {"device": device, "limit": limit, "before": before})


def undo(identity: int) -> Call[None]:
    """Take an edit back."""
    return call("None", "POST", f"/api/v1/changes/{identity}/undo")


def find(text: str, limit: int = 20) -> Call[FindAnswer]:
    """Anything by any fragment of it."""
    return call("FindAnswer", "GET", "/api/v1/find", {"text": text, "limit": limit})


def explain(subject: str) -> Call[Explanation]:
    """Everything known about one address or MAC."""
    return call("Explanation", "GET", f"/api/v1/explain/{quote(subject, safe='')}")


def vendor(mac: str) -> Call[VendorView]:
    """Whose block a MAC lies in."""
    return call("VendorView", "GET", f"/api/v1/vendors/of/{quote(mac, safe='')}")


def own_prefixes() -> Call[list[PrefixRow]]:
    """The site's own prefixes."""
    return call("list[PrefixRow]", "GET", "/api/v1/vendors/own")


def set_own_prefix(prefix: str, name: str) -> Call[None]:
    """Name an own prefix; an empty name takes it away."""
    return call("None", "PUT", "/api/v1/vendors/own", body={"prefix": prefix, "name": name})


def load_vendors(text: str) -> Call[VendorLoaded]:
    """Load a registry file's text."""
    return call("VendorLoaded", "POST", "/api/v1/vendors/load", body={"text": text})


def ranges() -> Call[list[RangeRow]]:
    """Every remembered range."""
    return call("list[RangeRow]", "GET", "/api/v1/ranges")


def name_range(identity: int, name: str) -> Call[None]:
    """Give a remembered range a name to scan it by."""
    return call("None", "PUT", f"/api/v1/ranges/{identity}/name", body={"name": name})


def forget_range(identity: int) -> Call[None]:
    """Remember a range no longer."""
    return call("None", "DELETE", f"/api/v1/ranges/{identity}")


def subnets() -> Call[list[SubnetRow]]:
    """The subnets this machine stands in, and those that were scanned."""
    return call("list[SubnetRow]", "GET", "/api/v1/subnets")


def ruler(range: str, at: datetime | None = None) -> Call[Ruler]:
    """A subnet as one measured strip; with `at` as it was then."""
    return call("Ruler", "GET", "/api/v1/ruler", {"range": range, "at": at})
