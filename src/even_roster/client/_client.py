"""The two clients: Roster for plain code, AsyncRoster for asyncio. Same calls, same errors, same types."""

from __future__ import annotations

import asyncio
import ssl
import time
from collections.abc import AsyncIterator, Iterator
from pathlib import Path
from types import TracebackType
from typing import Any, Self, TypeVar

import httpx

from ..api.common import Problem
from ._answers import adapter
from ._blocking import Blocking
from ._calls import Call
from ._errors import NotPermitted, RosterError, Unreachable, error_of
from ._events import EventParser, Happening, happenings
from ._methods import Calls
from ._place import Place, locate

T = TypeVar("T")
CONNECT_SECONDS = 5.0
# Connections are given up long before the service does (see service/run.py), so that none is used while it closes it.
LIMITS = httpx.Limits(max_connections=20, max_keepalive_connections=10, keepalive_expiry=4.0)


PAUSES = (0.2, 0.6, 1.5)
"""Seconds before a call is tried again."""
RESUMES = (0.3, 1.0, 2.0, 5.0)
"""Seconds before events are listened to again; the last one goes on for ever."""


class _Located:
    """What both clients know of where their service is. Without a server named it is looked up anew when it is gone: a restarted
    one may listen elsewhere."""

    def __init__(
        self, server: str | None, token: str | None, home: Path | str | None, verify: ssl.SSLContext | bool | None
    ) -> None:
        self._given = (home, server, token)
        self._verify = verify
        self.place = locate(*self._given)

    def _options(self) -> dict[str, Any]:
        """How httpx connects to the place of now."""
        return {
            "base_url": self.place.url, "limits": LIMITS,
            "headers": {"Authorization": f"Bearer {self.place.token}"} if self.place.token else {},
            "verify": self.place.verification() if self._verify is None else self._verify,
        }  # fmt: skip

    def _moved(self) -> bool:
        """Whether the service is somewhere else, or opened by something else, by now."""
        try:
            there = locate(*self._given)
        except Unreachable:
            return False
        moved, self.place = there != self.place, there
        return moved


class Roster(_Located, Blocking):
    """A connection to a service. Without arguments: the one of this account on this machine.

    `verify` is how TLS is checked, as in httpx; left out, by the certificate that the service named in its home folder. What could
    not be sent, and questions that were not answered, are tried again up to `retries` times; an edit that may have arrived is not.

    Raises Unreachable when there is none; every call raises the errors of this package and no others.
    """

    def __init__(
        self,
        server: str | None = None,
        token: str | None = None,
        home: Path | str | None = None,
        *,
        verify: ssl.SSLContext | bool | None = None,
        retries: int = len(PAUSES),
    ) -> None:
        super().__init__(server, token, home, verify)
        self._pauses = PAUSES[:retries]
        self._http = httpx.Client(**self._options())

    def run(self, call: Call[T]) -> T:
        """Make one call."""
        for pause in self._pauses:
            try:
                return self._once(call)
            except httpx.HTTPError as error:
                if not _may_try_again(call, error):
                    raise _unreachable(self.place, error) from error
                time.sleep(pause)
            except NotPermitted:
                if not self._moved():
                    raise
                self._reopen()
                continue
            if self._moved():
                self._reopen()
        try:
            return self._once(call)
        except httpx.HTTPError as error:
            raise _unreachable(self.place, error) from error

    def _once(self, call: Call[T]) -> T:
        return _answer(self._http.request(call.method, call.path, **_sent(call)), call)

    def _reopen(self) -> None:
        self._http.close()
        self._http = httpx.Client(**self._options())

    def events(self, after: str | None = None, *, again: bool = True) -> Iterator[Happening]:
        """Everything that changes, as it happens; `after` is the id to resume behind. When the service stops, it is waited for, and
        what was missed is told first (`reset` says that it cannot be); without `again` the events end then."""
        tried = 0
        while True:
            try:
                with self._http.stream("GET", "/api/v1/events", params=_after(after), timeout=None) as response:
                    if response.is_error:
                        response.read()
                        raise _problem(response)
                    tried = 0
                    for happening in happenings(response.iter_lines()):
                        after = happening.id or after
                        yield happening
            except httpx.HTTPError as error:
                if not again:
                    raise _unreachable(self.place, error) from error
            except NotPermitted:
                if not again or not self._moved():
                    raise
            if not again:
                return
            time.sleep(RESUMES[min(tried, len(RESUMES) - 1)])
            tried += 1
            self._moved()
            self._reopen()

    def close(self) -> None:
        """Close the connection."""
        self._http.close()


class AsyncRoster(_Located, Calls):
    """As Roster, for asyncio."""

    later = True

    def __init__(
        self,
        server: str | None = None,
        token: str | None = None,
        home: Path | str | None = None,
        *,
        verify: ssl.SSLContext | bool | None = None,
        retries: int = len(PAUSES),
    ) -> None:
        super().__init__(server, token, home, verify)
        self._pauses = PAUSES[:retries]
        self._http = httpx.AsyncClient(**self._options())

    async def run(self, call: Call[T]) -> T:
        """Make one call."""
        for pause in self._pauses:
            try:
                return await self._once(call)
            except httpx.HTTPError as error:
                if not _may_try_again(call, error):
                    raise _unreachable(self.place, error) from error
                await asyncio.sleep(pause)
            except NotPermitted:
                if not self._moved():
                    raise
                await self._reopen()
                continue
            if self._moved():
                await self._reopen()
        try:
            return await self._once(call)
        except httpx.HTTPError as error:
            raise _unreachable(self.place, error) from error

    async def _once(self, call: Call[T]) -> T:
        return _answer(await self._http.request(call.method, call.path, **_sent(call)), call)

    async def _reopen(self) -> None:
        await self._http.aclose()
        self._http = httpx.AsyncClient(**self._options())

    async def events(self, after: str | None = None, *, again: bool = True) -> AsyncIterator[Happening]:
        """As Roster.events."""
        tried = 0
        while True:
            try:
                async with self._http.stream("GET", "/api/v1/events", params=_after(after), timeout=None) as response:
                    if response.is_error:
                        await response.aread()
                        raise _problem(response)
                    tried = 0
                    parser = EventParser()
                    async for line in response.aiter_lines():
                        if happening := parser.line(line):
                            after = happening.id or after
                            yield happening
            except httpx.HTTPError as error:
                if not again:
                    raise _unreachable(self.place, error) from error
            except NotPermitted:
                if not again or not self._moved():
                    raise
            if not again:
                return
            await asyncio.sleep(RESUMES[min(tried, len(RESUMES) - 1)])
            tried += 1
            self._moved()
            await self._reopen()

    async def close(self) -> None:
        """Close the connection."""
        await self._http.aclose()

    async def __aenter__(self) -> Self:
        return self

    async def __aexit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        await self.close()


def _sent(call: Call[Any]) -> dict[str, Any]:
    """A call as httpx sends it."""
    return {
        "params": call.params, "json": call.body, "content": call.content, "headers": call.headers,
        "timeout": httpx.Timeout(call.patience, connect=CONNECT_SECONDS),
    }  # fmt: skip


def _may_try_again(call: Call[Any], error: httpx.HTTPError) -> bool:
    """Whether nothing was sent, or nothing was to be changed by it; not where an answer takes too long, or a certificate
    is wrong."""
    if "CERTIFICATE_VERIFY_FAILED" in str(error):
        return False
    if isinstance(error, httpx.ConnectError | httpx.ConnectTimeout):
        return True
    return call.method == "GET" and not isinstance(error, httpx.TimeoutException)


def _after(after: str | None) -> dict[str, str] | None:
    return {"after": after} if after else None


def _unreachable(place: Place, error: httpx.HTTPError) -> RosterError:
    if "CERTIFICATE_VERIFY_FAILED" in str(error):
        return Unreachable(f"the service at {place.url} shows a certificate that cannot be trusted: {error}")
    why = "it took too long to answer" if isinstance(error, httpx.TimeoutException) else "nothing answers there"
    return Unreachable(f"the service at {place.url} is not reachable: {why}; is it running?")


def _answer(response: httpx.Response, call: Call[T]) -> T:
    if response.is_error:
        raise _problem(response)
    reads = adapter(call.answer)
    answer: T = (
        reads.validate_python(response.content)
        if call.answer == "bytes"
        else reads.validate_json(response.content or b"null", extra="ignore")
    )
    return answer


def _problem(response: httpx.Response) -> RosterError:
    try:
        return error_of(Problem.model_validate_json(response.content, extra="ignore"))
    except ValueError:
        status = response.status_code
        return error_of(Problem(title="Error", status=status, code="http", detail=f"the service answered {status}"))
