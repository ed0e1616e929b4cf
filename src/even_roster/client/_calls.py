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
        ChangePage,
        ChangeRow,
        DeviceEdit,
        DeviceNew,
        DevicePage,
        DeviceRow,
        DeviceSheet,
        DeviceSort,
        FindAnswer,
        ReviewCase,
        ReviewPage,
    )  # fmt: skip
    from ..api.network import (
        Explanation,
        Health,
        Here,
        MeasureView,
        PrefixPage,
        PrefixRow,
        RangePage,
        RangeRow,
        Ruler,
        SessionView,
        SubnetRow,
        SubnetRowPage,
        Ticket,
        VendorLoaded,
        VendorView,
    )  # fmt: skip
    from ..api.scans import AddressResult, ResultPage, ScanInfo, ScanPage, ScanRequest

T = TypeVar("T")
PageT = TypeVar("PageT")
PAGE = 1000
ANY = "*"
"""Whatever version an item is at now."""
SECONDS, LONG_SECONDS = 30.0, 300.0
SLOW = "/undo", "/ask", "/read", "/switch-readings", "/switches/search", "/switching", "/orders"


class Call(Generic[T]):
    """One request, and the type of its answer by the name that it has in the API's models; `bytes` are a file's octets."""

    __slots__ = ("answer", "body", "content", "method", "params", "path", "version")

    def __init__(
        self, answer: str, method: str, path: str, params: Mapping[str, Any] | None = None, body: Any = None,
        content: bytes | None = None, version: int | str | None = None,
    ) -> None:  # fmt: skip
        self.answer, self.method, self.path, self.params, self.body = answer, method, path, params, body
        self.content, self.version = content, version

    @property
    def headers(self) -> dict[str, str]:
        """What goes before its body: the version of the item that an edit is based on (RFC 9110 13.1.1)."""
        if self.version is None:
            return {}
        return {"If-Match": "*" if self.version == ANY else f'"{self.version}"'}

    @property
    def patience(self) -> float:
        """How many seconds its answer may take: work with files and servers takes longer than a question."""
        long = self.content is not None or self.answer == "bytes" or "/dhcp/servers/" in self.path
        return LONG_SECONDS if long or self.path.endswith(SLOW) else SECONDS


class ListCall(Call[PageT], Generic[T, PageT]):
    """A call for a list: page by page, `limit` of its items at most."""

    __slots__ = ("limit",)

    def __init__(self, answer: str, path: str, params: Mapping[str, Any], limit: int | None) -> None:
        super().__init__(answer, "GET", path, params)
        self.limit = limit

    def page(self, cursor: str | None, had: int = 0) -> Call[PageT]:
        """The call for one page; `had` items are there already."""
        size = PAGE if self.limit is None else max(1, min(self.limit - had, PAGE))
        beside = {"limit": size} | ({"cursor": cursor} if cursor is not None else {})
        return Call(self.answer, self.method, self.path, {**(self.params or {}), **beside})


def call(
    answer: str, method: str, path: str, params: Mapping[str, Any] | None = None, body: Any = None,
    content: bytes | None = None, version: int | str | None = None,
) -> Call[Any]:  # fmt: skip
    """A call; parameters, and fields of the body, that are None are left out. A body is one of the API's models, or its fields."""
    given = {name: _text(value) for name, value in (params or {}).items() if value is not None}
    data: Any
    if isinstance(body, dict):
        data = {name: _plain(value) for name, value in body.items() if value is not None}
    else:
        data = body.model_dump(mode="json", exclude_none=True) if body is not None else None
    return Call(answer, method, path, given, data, content, version)


def listing(
    answer: str, path: str, params: Mapping[str, Any] | None = None, limit: int | None = None
) -> ListCall[Any, Any]:
    """A call for a list; parameters that are None are left out."""
    given = {name: _text(value) for name, value in (params or {}).items() if value is not None}
    return ListCall(answer, path, given, limit)


def _plain(value: Any) -> Any:
    if isinstance(value, list):
        return [_plain(one) for one in value]
    return value.model_dump(mode="json", exclude_none=True) if hasattr(value, "model_dump") else _text(value)


def or_any(version: int | None) -> int | str:
    """A version, or that any will do."""
    return ANY if version is None else version


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


def session() -> Call[SessionView]:
    """Who is signed in, and when the token was last renewed."""
    return call("SessionView", "GET", "/api/v1/session")


def renew_token() -> Call[SessionView]:
    """End every sign-in: another token, and no browser is signed in any more."""
    return call("SessionView", "POST", "/api/v1/session/renewal")


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


def scans(limit: int | None = None) -> ListCall[ScanInfo, ScanPage]:
    """Scans, the latest first."""
    return listing("ScanPage", "/api/v1/scans", limit=limit)


def stop_scan(identity: int) -> Call[ScanInfo]:
    """End a scan and keep what it found."""
    return call("ScanInfo", "POST", f"/api/v1/scans/{identity}/stop")


def results(identity: int, silent: bool = False, limit: int | None = None) -> ListCall[AddressResult, ResultPage]:
    """What a scan learnt, by address; with `silent` also the addresses that were asked and did not answer."""
    return listing("ResultPage", f"/api/v1/scans/{identity}/addresses", {"silent": silent}, limit)


def devices(
    q: str = "", role: str | None = None, owner: str | None = None, vendor: str | None = None,
    unknown: bool | None = None, expected: bool | None = None, local: bool | None = None, retired: bool = False,
    range: str | None = None, seen_since: datetime | None = None, not_seen_since: datetime | None = None,
    sort: DeviceSort = "address", descending: bool = False, total: bool = False, limit: int | None = None,
) -> ListCall[DeviceRow, DevicePage]:  # fmt: skip
    """The devices that match all filters; with `total` its first page counts them."""
    given = {
        "q": q, "role": role, "owner": owner, "vendor": vendor, "unknown": unknown, "expected": expected, "local": local,
        "retired": retired, "range": range, "seen_since": seen_since, "not_seen_since": not_seen_since, "sort": sort,
        "descending": descending, "total": total,
    }  # fmt: skip
    return listing("DevicePage", "/api/v1/devices", given, limit)


def device(which: int | str) -> Call[DeviceSheet]:
    """Everything about one device: by id, name, MAC, address, or a fragment. Raises NotFound, Ambiguous."""
    return call("DeviceSheet", "GET", f"/api/v1/devices/{named(which)}")


def edit_device(which: int | str, edit: DeviceEdit, version: int | None = None) -> Call[DeviceRow]:
    """Set fields of a device; with `version` only if it is at that one. Raises BadInput, NotFound, StaleEdit."""
    return call("DeviceRow", "PATCH", f"/api/v1/devices/{named(which)}", body=edit, version=or_any(version))


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


def reviews(limit: int | None = None) -> ListCall[ReviewCase, ReviewPage]:
    """Cases to look at: what two records of one device said differently, expected devices that may have been seen."""
    return listing("ReviewPage", "/api/v1/reviews", limit=limit)


def reviewed(identity: int) -> Call[None]:
    """Take a case off the list."""
    return call("None", "DELETE", f"/api/v1/reviews/{identity}")


def retire_device(
    which: int | str, retired: bool = True, version: int | None = None, release: bool = False
) -> Call[DeviceRow]:
    """Take a device out of the lists, or bring it back; with `release` its addresses are nobody's any more."""
    body = {"retired": retired, "release": release}
    return call("DeviceRow", "POST", f"/api/v1/devices/{named(which)}/retire", body=body, version=version)


def join_devices(which: int | str, others: Sequence[int | str]) -> Call[DeviceSheet]:
    """The others' adapters belong to this device."""
    return call("DeviceSheet", "POST", f"/api/v1/devices/{named(which)}/join", body={"devices": list(others)})


def split_device(which: int | str, macs: Sequence[str]) -> Call[DeviceSheet]:
    """Some adapters are a device of their own; gives the new one."""
    return call("DeviceSheet", "POST", f"/api/v1/devices/{named(which)}/split", body={"macs": list(macs)})


def changes(device: int | str | None = None, limit: int | None = None) -> ListCall[ChangeRow, ChangePage]:
    """Recorded edits, the latest first; of everything, or of one device."""
    return listing("ChangePage", "/api/v1/changes", {"device": device}, limit)


def undo(*change_ids: int) -> Call[None]:
    """Take edits back: all of them or none."""
    return call("None", "POST", "/api/v1/changes/undo", body={"change_ids": list(change_ids)})


def find(text: str, limit: int = 20) -> Call[FindAnswer]:
    """Anything by any fragment of it."""
    return call("FindAnswer", "GET", "/api/v1/find", {"text": text, "limit": limit})


def explain(subject: str) -> Call[Explanation]:
    """Everything known about one address or MAC."""
    return call("Explanation", "GET", f"/api/v1/explain/{quote(subject, safe='')}")


def vendor(mac: str) -> Call[VendorView]:
    """Whose block a MAC lies in."""
    return call("VendorView", "GET", f"/api/v1/vendors/of/{quote(mac, safe='')}")


def own_prefixes() -> ListCall[PrefixRow, PrefixPage]:
    """The site's own prefixes."""
    return listing("PrefixPage", "/api/v1/vendors/own")


def set_own_prefix(prefix: str, name: str) -> Call[None]:
    """Name an own prefix; an empty name takes it away."""
    return call("None", "PUT", "/api/v1/vendors/own", body={"prefix": prefix, "name": name})


def load_vendors(text: str) -> Call[VendorLoaded]:
    """Load a registry file's text."""
    return call("VendorLoaded", "POST", "/api/v1/vendors/load", body={"text": text})


def ranges() -> ListCall[RangeRow, RangePage]:
    """Every remembered range."""
    return listing("RangePage", "/api/v1/ranges")


def name_range(identity: int, name: str) -> Call[None]:
    """Give a remembered range a name to scan it by."""
    return call("None", "PUT", f"/api/v1/ranges/{identity}/name", body={"name": name})


def forget_range(identity: int) -> Call[None]:
    """Remember a range no longer."""
    return call("None", "DELETE", f"/api/v1/ranges/{identity}")


def subnets() -> ListCall[SubnetRow, SubnetRowPage]:
    """The subnets this machine stands in, and those that were scanned."""
    return listing("SubnetRowPage", "/api/v1/subnets")


def ruler(range: str, at: datetime | None = None) -> Call[Ruler]:
    """A subnet as one measured strip; with `at` as it was then."""
    return call("Ruler", "GET", "/api/v1/ruler", {"range": range, "at": at})
