"""The two clients: Roster for plain code, AsyncRoster for asyncio. Same calls, same errors, same types."""

from __future__ import annotations

import json
import ssl
from collections.abc import AsyncIterator, Iterator
from dataclasses import dataclass
from pathlib import Path
from types import TracebackType
from typing import Any, Self

import httpx

from ..api.common import Problem
from ..api.devices import DeviceRow
from ..api.scans import AddressResult
from . import _calls
from ._calls import Call
from ._descriptors import Async, Sync, T
from ._errors import RosterError, Unreachable, error_of
from ._place import Place, locate
from ._plan_client import AsyncPlanCalls, PlanCalls
from ._watch_client import AsyncWatchCalls, WatchCalls

TIMEOUT = httpx.Timeout(30.0, connect=5.0)
# Connections are given up long before the service does (see service/run.py), so that none is used while it closes it.
LIMITS = httpx.Limits(max_connections=20, max_keepalive_connections=10, keepalive_expiry=4.0)
LONG = httpx.Timeout(300.0, connect=5.0)


@dataclass(frozen=True, slots=True)
class Happening:
    """One server-sent event: its id to resume behind, its kind, its data."""

    id: str
    kind: str
    data: Any


class Roster(PlanCalls, WatchCalls):
    """A connection to a service. Without arguments: the one of this account on this machine.

    `verify` is how TLS is checked, as in httpx; left out, by the certificate that the service named in its home folder.

    Raises Unreachable when there is none; every call raises the errors of this package and no others.
    """

    health = Sync(_calls.health)
    sign_in = Sync(_calls.sign_in)
    here = Sync(_calls.here)
    measure = Sync(_calls.measure)
    start_scan = Sync(_calls.start_scan)
    scan = Sync(_calls.scan)
    scans = Sync(_calls.scans)
    stop_scan = Sync(_calls.stop_scan)
    scan_addresses = Sync(_calls.scan_addresses)
    device_page = Sync(_calls.device_page)
    device = Sync(_calls.device)
    edit_device = Sync(_calls.edit_device)
    edit_devices = Sync(_calls.edit_devices)
    add_device = Sync(_calls.add_device)
    replace_device = Sync(_calls.replace_device)
    reviews = Sync(_calls.reviews)
    reviewed = Sync(_calls.reviewed)
    retire_device = Sync(_calls.retire_device)
    join_devices = Sync(_calls.join_devices)
    split_device = Sync(_calls.split_device)
    changes = Sync(_calls.changes)
    undo = Sync(_calls.undo)
    find = Sync(_calls.find)
    explain = Sync(_calls.explain)
    vendor = Sync(_calls.vendor)
    own_prefixes = Sync(_calls.own_prefixes)
    set_own_prefix = Sync(_calls.set_own_prefix)
    load_vendors = Sync(_calls.load_vendors)
    ranges = Sync(_calls.ranges)
    name_range = Sync(_calls.name_range)
    forget_range = Sync(_calls.forget_range)
    subnets = Sync(_calls.subnets)
    ruler = Sync(_calls.ruler)

    def __init__(
        self,
        server: str | None = None,
        token: str | None = None,
        home: Path | str | None = None,
        *,
        verify: ssl.SSLContext | bool | None = None,
    ) -> None:
        self.place = locate(home, server, token)
        self._http = httpx.Client(
            base_url=self.place.url,
            headers=_headers(self.place),
            timeout=TIMEOUT,
            limits=LIMITS,
            verify=_verify(self.place, verify),
        )

    def run(self, call: Call[T]) -> T:
        """Make one call."""
        try:
            response = self._http.request(
                call.method,
                call.path,
                params=call.params,
                json=call.body,
                content=call.content,
                timeout=_patience(call),
            )
        except httpx.HTTPError as error:
            raise _unreachable(self.place, error) from error
        return _answer(response, call)

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

    def events(self, after: str | None = None) -> Iterator[Happening]:
        """Everything that changes, as it happens; `after` is the id to resume behind. Ends when the service stops."""
        try:
            with self._http.stream("GET", "/api/events", params=_after(after), timeout=None) as response:
                if response.is_error:
                    response.read()
                    raise _problem(response)
                yield from _happenings(response.iter_lines())
        except httpx.HTTPError as error:
            raise _unreachable(self.place, error) from error

    def close(self) -> None:
        """Close the connection."""
        self._http.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()


class AsyncRoster(AsyncPlanCalls, AsyncWatchCalls):
    """As Roster, for asyncio."""

    health = Async(_calls.health)
    sign_in = Async(_calls.sign_in)
    here = Async(_calls.here)
    measure = Async(_calls.measure)
    start_scan = Async(_calls.start_scan)
    scan = Async(_calls.scan)
    scans = Async(_calls.scans)
    stop_scan = Async(_calls.stop_scan)
    scan_addresses = Async(_calls.scan_addresses)
    device_page = Async(_calls.device_page)
    device = Async(_calls.device)
    edit_device = Async(_calls.edit_device)
    edit_devices = Async(_calls.edit_devices)
    add_device = Async(_calls.add_device)
    replace_device = Async(_calls.replace_device)
    reviews = Async(_calls.reviews)
    reviewed = Async(_calls.reviewed)
    retire_device = Async(_calls.retire_device)
    join_devices = Async(_calls.join_devices)
    split_device = Async(_calls.split_device)
    changes = Async(_calls.changes)
    undo = Async(_calls.undo)
    find = Async(_calls.find)
    explain = Async(_calls.explain)
    vendor = Async(_calls.vendor)
    own_prefixes = Async(_calls.own_prefixes)
    set_own_prefix = Async(_calls.set_own_prefix)
    load_vendors = Async(_calls.load_vendors)
    ranges = Async(_calls.ranges)
    name_range = Async(_calls.name_range)
    forget_range = Async(_calls.forget_range)
    subnets = Async(_calls.subnets)
    ruler = Async(_calls.ruler)

    def __init__(
        self,
        server: str | None = None,
        token: str | None = None,
        home: Path | str | None = None,
        *,
        verify: ssl.SSLContext | bool | None = None,
    ) -> None:
        self.place = locate(home, server, token)
        self._http = httpx.AsyncClient(
            base_url=self.place.url,
            headers=_headers(self.place),
            timeout=TIMEOUT,
            limits=LIMITS,
            verify=_verify(self.place, verify),
        )

    async def run(self, call: Call[T]) -> T:
        """Make one call."""
        try:
            response = await self._http.request(
                call.method,
                call.path,
                params=call.params,
                json=call.body,
                content=call.content,
                timeout=_patience(call),
            )
        except httpx.HTTPError as error:
            raise _unreachable(self.place, error) from error
        return _answer(response, call)

    async def devices(self, **filters: Any) -> AsyncIterator[DeviceRow]:
        """As Roster.devices."""
        filters.setdefault("limit", 1000)
        cursor: str | None = None
        while True:
            page = await self.device_page(**filters, cursor=cursor, total=False)
            for device in page.devices:
                yield device
            if page.next is None:
                return
            cursor = page.next

    async def results(self, scan: int, silent: bool = False) -> AsyncIterator[AddressResult]:
        """As Roster.results."""
        cursor: str | None = None
        while True:
            page = await self.scan_addresses(scan, cursor=cursor, limit=1000, silent=silent)
            for result in page.addresses:
                yield result
            if page.next is None:
                return
            cursor = page.next

    async def events(self, after: str | None = None) -> AsyncIterator[Happening]:
        """As Roster.events."""
        try:
            async with self._http.stream("GET", "/api/events", params=_after(after), timeout=None) as response:
                if response.is_error:
                    await response.aread()
                    raise _problem(response)
                parser = _Parser()
                async for line in response.aiter_lines():
                    if happening := parser.line(line):
                        yield happening
        except httpx.HTTPError as error:
            raise _unreachable(self.place, error) from error

    async def close(self) -> None:
        """Close the connection."""
        await self._http.aclose()

    async def __aenter__(self) -> Self:
        return self

    async def __aexit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        await self.close()


class _Parser:
    """Puts event-stream lines together (WHATWG HTML, 9.2)."""

    def __init__(self) -> None:
        self._id, self._kind, self._data = "", "", ""

    def line(self, line: str) -> Happening | None:
        """Take one line; an empty one completes an event."""
        name, _, value = line.partition(":")
        value = value.removeprefix(" ")
        if name == "id":
            self._id = value
        elif name == "event":
            self._kind = value
        elif name == "data":
            self._data += value
        elif not line and self._kind:
            happening = Happening(self._id, self._kind, json.loads(self._data or "null"))
            self._kind, self._data = "", ""
            return happening
        return None


def _happenings(lines: Iterator[str]) -> Iterator[Happening]:
    parser = _Parser()
    for line in lines:
        if happening := parser.line(line):
            yield happening


def _after(after: str | None) -> dict[str, str] | None:
    return {"after": after} if after else None


def _headers(place: Place) -> dict[str, str]:
    return {"Authorization": f"Bearer {place.token}"} if place.token else {}


def _verify(place: Place, wanted: ssl.SSLContext | bool | None) -> ssl.SSLContext | bool:
    return place.verification() if wanted is None else wanted


def _unreachable(place: Place, error: httpx.HTTPError) -> RosterError:
    why = "it took too long to answer" if isinstance(error, httpx.TimeoutException) else "nothing answers there"
    return Unreachable(f"the service at {place.url} is not reachable: {why}; is it running?")


def _patience(call: Call[Any]) -> httpx.Timeout:
    """Work with files and servers may take longer than a question."""
    long = call.content is not None or call.binary or "/dhcp/servers/" in call.path or call.path.endswith("/undo")
    return LONG if long else TIMEOUT


def _answer(response: httpx.Response, call: Call[T]) -> T:
    if response.is_error:
        raise _problem(response)
    if call.binary:
        return call.answer.validate_python(response.content)
    return call.answer.validate_json(response.content or b"null")


def _problem(response: httpx.Response) -> RosterError:
    try:
        return error_of(Problem.model_validate_json(response.content))
    except ValueError:
        status = response.status_code
        return error_of(Problem(title="Error", status=status, code="http", detail=f"the service answered {status}"))
