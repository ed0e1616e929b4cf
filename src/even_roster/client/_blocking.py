"""What clients that block have in common: every call."""

from __future__ import annotations

from abc import abstractmethod
from typing import TYPE_CHECKING, Self, TypeVar

from ._calls import Call
from ._methods import Calls

if TYPE_CHECKING:
    from types import TracebackType

R = TypeVar("R")


class Blocking(Calls):
    """Every call as a method that gives the answer."""

    @abstractmethod
    def run(self, call: Call[R]) -> R:
        """Make one call. Raises RosterError."""

    @abstractmethod
    def close(self) -> None:
        """Close the connection."""

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()
