"""Lists of any length, page by page: of a client that blocks to go through with for, of one for asyncio with async for."""

from __future__ import annotations

from collections.abc import AsyncIterator, Awaitable, Callable, Generator, Iterator
from typing import Any, Generic, TypeVar

from ._calls import Call, ListCall

T = TypeVar("T")
PageT = TypeVar("PageT")


class Listing(Generic[T, PageT]):
    """A list of the service: iterating asks for one page after the other and holds one at a time. `page` is the first one, with
    what it tells beside its items; it is asked for at once, so that what is wrong with the question is told there and then."""

    def __init__(self, run: Callable[[Call[PageT]], PageT], call: ListCall[T, PageT]) -> None:
        self._run, self._call = run, call
        self.page: PageT = run(call.page(None))

    def __iter__(self) -> Iterator[T]:
        page: Any = self.page
        given = 0
        while True:
            given += len(page.items)
            yield from page.items
            if _ended(self._call, page, given):
                return
            page = self._run(self._call.page(page.next, given))

    def __len__(self) -> int:
        """How many there are; goes through all of them where the first page does not hold all."""
        first: Any = self.page
        return len(first.items) if _ended(self._call, first, len(first.items)) else sum(1 for _ in self)

    def __bool__(self) -> bool:
        first: Any = self.page
        return bool(first.items)

    def __getitem__(self, place: int) -> T:
        """The one at a place from 0. Raises IndexError."""
        first: Any = self.page
        if 0 <= place < len(first.items):
            return first.items[place]  # type: ignore[no-any-return]
        return list(self)[place]


class AsyncListing(Generic[T, PageT]):
    """As Listing, for asyncio: `async for` goes through it, `await` gives all of it, `await first()` its first page."""

    def __init__(self, run: Callable[[Call[PageT]], Awaitable[PageT]], call: ListCall[T, PageT]) -> None:
        self._run, self._call = run, call

    async def first(self) -> PageT:
        """The first page, with what it tells beside its items."""
        return await self._run(self._call.page(None))

    async def __aiter__(self) -> AsyncIterator[T]:
        page: Any = await self.first()
        given = 0
        while True:
            given += len(page.items)
            for one in page.items:
                yield one
            if _ended(self._call, page, given):
                return
            page = await self._run(self._call.page(page.next, given))

    def __await__(self) -> Generator[Any, None, list[T]]:
        return self._all().__await__()

    async def _all(self) -> list[T]:
        return [one async for one in self]


def _ended(call: ListCall[Any, Any], page: Any, given: int) -> bool:
    """Whether there is no page behind one, or none that was asked for."""
    return page.next is None or (call.limit is not None and given >= call.limit)
