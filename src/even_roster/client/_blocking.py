"""What clients that block have in common: every call, and lists page by page."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any, Self, TypeVar

from ._calls import Call
from ._methods import Calls

if TYPE_CHECKING:
    from types import TracebackType

    from ..api.devices import DeviceRow
    from ..api.scans import AddressResult

R = TypeVar("R")


class Blocking(Calls):
    """Every call as a method that gives the answer."""

    @abstractmethod
    def run(self, call: Call[R]) -> R:
        """Make one call. Raises RosterError."""

    @abstractmethod
    def close(self) -> None:
        """Close the connection."""

    def devices(self, **filters: Any) -> Iterator[DeviceRow]:
        """All devices that match, page by page: never more than one page is held. Filters as `device_page`."""
        filters.setdefault("limit", 1000)
        cursor: str | None = None
        while True:
            page = self.device_page(**filters, cursor=cursor, total=False)
            yield from page.devices
            if page.next is None:
                return
            cursor = page.next

    def results(self, scan: int, silent: bool = False) -> Iterator[AddressResult]:
        """All results of a scan, page by page."""
        cursor: str | None = None
        while True:
            page = self.scan_addresses(scan, cursor=cursor, limit=1000, silent=silent)
            yield from page.addresses
            if page.next is None:
                return
            cursor = page.next

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()
