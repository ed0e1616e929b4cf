"""Makes a call of the API a method of a client: one that blocks, or one to be awaited."""

from __future__ import annotations

import functools
from collections.abc import Awaitable, Callable
from typing import Generic, ParamSpec, Protocol, TypeVar

from ._calls import Call

P = ParamSpec("P")
T = TypeVar("T")
R = TypeVar("R")


class Runs(Protocol):
    """A client that blocks."""

    def run(self, call: Call[R]) -> R:
        """Make one call."""


class RunsLater(Protocol):
    """A client for asyncio."""

    async def run(self, call: Call[R]) -> R:
        """Make one call."""


class Sync(Generic[P, T]):
    """A call as a method that blocks."""

    def __init__(self, build: Callable[P, Call[T]]) -> None:
        self._build = build

    def __get__(self, client: Runs, owner: type) -> Callable[P, T]:
        @functools.wraps(self._build)
        def run(*args: P.args, **kwargs: P.kwargs) -> T:
            return client.run(self._build(*args, **kwargs))

        return run


class Async(Generic[P, T]):
    """A call as a method to be awaited."""

    def __init__(self, build: Callable[P, Call[T]]) -> None:
        self._build = build

    def __get__(self, client: RunsLater, owner: type) -> Callable[P, Awaitable[T]]:
        @functools.wraps(self._build)
        def run(*args: P.args, **kwargs: P.kwargs) -> Awaitable[T]:
            return client.run(self._build(*args, **kwargs))

        return run
