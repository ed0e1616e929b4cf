"""The two clients: Roster for plain code, AsyncRoster for asyncio. Same calls, same errors, same types."""

from __future__ import annotations

import ssl
from collections.abc import AsyncIterator, Iterator
from pathlib import Path
from types import TracebackType
from typing import Self, TypeVar

import httpx

from ..api.common import Problem
from ._answers import adapter
from ._blocking import Blocking
from ._calls import Call
from ._errors import RosterError, Unreachable, error_of
from ._events import EventParser, Happening, happenings
from ._methods import Calls
from ._place import Place, locate

T = TypeVar("T")
CONNECT_SECONDS = 5.0
# Connections are given up long before the service does (see service/run.py), so that none is used while it closes it.
LIMITS = httpx.Limits(max_connections=20, max_keepalive_connections=10, keepalive_expiry=4.0)


class Roster(Blocking):
    """A connection to a service. Without arguments: the one of this account on this machine.

    `verify` is how TLS is checked, as in httpx; left out, by the certificate that the service named in its home folder.

    Raises Unreachable when there is none; every call raises the errors of this package and no others.
    """

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
                headers=call.headers,
                timeout=_patience(call.patience),
            )
        except httpx.HTTPError as error:
            raise _unreachable(self.place, error) from error
        return _answer(response, call)

    def events(self, after: str | None = None) -> Iterator[Happening]:
        """Everything that changes, as it happens; `after` is the id to resume behind. Ends when the service stops."""
        try:
            with self._http.stream("GET", "/api/v1/events", params=_after(after), timeout=None) as response:
                if response.is_error:
                    response.read()
                    raise _problem(response)
                yield from happenings(response.iter_lines())
        except httpx.HTTPError as error:
            raise _unreachable(self.place, error) from error

    def close(self) -> None:
        """Close the connection."""
        self._http.close()


class AsyncRoster(Calls):
    """As Roster, for asyncio."""

    later = True

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
                headers=call.headers,
                timeout=_patience(call.patience),
            )
        except httpx.HTTPError as error:
            raise _unreachable(self.place, error) from error
        return _answer(response, call)

    async def events(self, after: str | None = None) -> AsyncIterator[Happening]:
        """As Roster.events."""
        try:
            async with self._http.stream("GET", "/api/v1/events", params=_after(after), timeout=None) as response:
                if response.is_error:
                    await response.aread()
                    raise _problem(response)
                parser = EventParser()
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


def _after(after: str | None) -> dict[str, str] | None:
    return {"after": after} if after else None


def _headers(place: Place) -> dict[str, str]:
    return {"Authorization": f"Bearer {place.token}"} if place.token else {}


def _verify(place: Place, wanted: ssl.SSLContext | bool | None) -> ssl.SSLContext | bool:
    return place.verification() if wanted is None else wanted


def _unreachable(place: Place, error: httpx.HTTPError) -> RosterError:
    if "CERTIFICATE_VERIFY_FAILED" in str(error):
        return Unreachable(f"the service at {place.url} shows a certificate that cannot be trusted: {error}")
    why = "it took too long to answer" if isinstance(error, httpx.TimeoutException) else "nothing answers there"
    return Unreachable(f"the service at {place.url} is not reachable: {why}; is it running?")


def _patience(seconds: float) -> httpx.Timeout:
    return httpx.Timeout(seconds, connect=CONNECT_SECONDS)


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
