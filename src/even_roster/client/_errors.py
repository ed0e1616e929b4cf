"""What can go wrong, as a tree a caller can use: catch RosterError for all, or the branch that matters."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from ..api.common import Problem


class RosterError(Exception):
    """Base of every error of this library; the message is one sentence for people."""


class Unreachable(RosterError):
    """No service answered: it does not run, or not there."""


class Refused(RosterError):
    """The service answered with a problem document (RFC 9457), here in `problem`."""

    def __init__(self, problem: Problem) -> None:
        self.problem = problem
        super().__init__(problem.detail)


class BadInput(Refused):
    """Something that was given is wrong; `problem.field` says what, `start` and `end` where in its text."""


class NeedsConfirm(BadInput):
    """The range is large; the message says how large. Ask again with `confirm` set."""


class NotPermitted(Refused):
    """Not signed in, or not allowed to do that."""


class NotFound(Refused):
    """There is no such thing."""


class Ambiguous(NotFound):
    """A name means several things: `problem.candidates` are what it may mean."""


class Conflict(Refused):
    """It cannot be done now, for instance because a scan runs on the segment already."""


class StaleEdit(Conflict):
    """Somebody else changed the item meanwhile: `current` holds the values now, `version` their version."""

    @property
    def current(self) -> dict[str, str]:
        """The values now."""
        return self.problem.current or {}

    @property
    def version(self) -> int | None:
        """The version to base the next edit on."""
        return self.problem.version


class ServiceFault(Refused):
    """The service or its network failed."""


def error_of(problem: Problem) -> Refused:
    """The error for a problem document."""
    if problem.code == "needs_confirm":
        return NeedsConfirm(problem)
    if problem.code == "ambiguous":
        return Ambiguous(problem)
    if problem.code == "stale":
        return StaleEdit(problem)
    kinds: dict[int, type[Refused]] = {401: NotPermitted, 403: NotPermitted, 404: NotFound, 409: Conflict}
    if problem.status in kinds:
        return kinds[problem.status](problem)
    return ServiceFault(problem) if problem.status >= 500 else BadInput(problem)
