"""Asks an SNMP agent through a segment, and walks its tables. What an agent answers is hostile and may be torn: only answers of the
agent that was asked, with the request's id, are taken; a walk stops where object identifiers do not increase, takes smaller steps
where answers are cut or do not come, and ends with what it is worth: whole, cut short and why, or not there.
"""

from __future__ import annotations

import asyncio
import itertools
import random
import time
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from ipaddress import IPv4Address

from ..wire import snmp
from ..wire.ber import Oid, dotted
from ..wire.errors import WireError
from ..wire.snmp import Error, Kind, Type, Unit, Variable
from .segment import Segment
from .snmp_session import Report, Session

PORT = 161
TRIES = 3
FIRST_WAIT = 1.0
REPETITIONS = 32
SECONDS = 60.0
MOST_VARIABLES = 200_000
AT_ONCE = 3
REPORTS = 3
"""How many reports to one question are followed: its engine, its time, and once more."""


_NOT_PERMITTED = (Error.NO_SUCH_NAME, Error.READ_ONLY, Error.NO_ACCESS, Error.AUTHORIZATION, Error.NOT_WRITABLE)
"""What agents answer who may not be set so: version 1 says of an object that there is no such (RFC 1157 4.1.5)."""


class AgentError(Exception):
    """An agent cannot be read; the message says why, for people."""


class Refused(AgentError):
    """An agent said itself that it may not be read so."""


class Ending(StrEnum):
    """What a walk is worth."""

    WHOLE = "whole"
    CUT = "cut short"
    ABSENT = "not there"


@dataclass(frozen=True, slots=True)
class Walked:
    """What an agent has below an object, in its order; `why` where it was cut short."""

    variables: tuple[Variable, ...]
    ending: Ending
    why: str = ""


class Agent:
    """One agent at an address. Not more than AT_ONCE questions are on their way to it."""

    def __init__(
        self, segment: Segment, address: IPv4Address, session: Session, port: int = PORT, seconds: float = SECONDS
    ) -> None:
        self._segment, self._address, self._session, self._port = segment, address, session, port
        self._ids = itertools.count(random.getrandbits(30))
        self._gate = asyncio.Semaphore(AT_ONCE)
        self._until = time.monotonic() + seconds
        self._left = MOST_VARIABLES
        self.asked = 0

    async def get(self, oids: Sequence[Oid]) -> tuple[Variable, ...]:
        """Some objects as they are; those that are not there have a type that says so. Raises AgentError."""
        answer = await self._ask(Kind.GET, oids)
        if answer is None:
            raise AgentError(self._silent())
        if answer.error == Error.NO_SUCH_NAME and len(oids) > 1:  # version 1 refuses all where one is not there
            return tuple([(await self.get([oid]))[0] for oid in oids])
        if answer.error == Error.NO_SUCH_NAME:
            return (Variable(oids[0], Type.NO_OBJECT, None),)
        if answer.error:
            raise AgentError(f"{self._address} answers with the error {_error(answer.error)}")
        found = {one.oid: one for one in answer.variables}
        return tuple(found.get(oid, Variable(oid, Type.NO_OBJECT, None)) for oid in oids)

    async def set(self, variables: Sequence[Variable]) -> None:
        """Set some objects, all or none (RFC 3416 4.2.5). That it was done is only its word: read it back. Raises AgentError; where
        no answer came it may have been done all the same."""
        answer = await self._ask(Kind.SET, variables)
        if answer is None:
            raise AgentError(self._silent())
        if answer.error in _NOT_PERMITTED:
            raise Refused(f"{self._address} does not let this credential set it ({_error(answer.error)})")
        if answer.error:
            raise AgentError(f"{self._address} answers with the error {_error(answer.error)}")

    async def walk(self, base: Oid) -> Walked:
        """Everything below an object. Never raises AgentError."""
        found: list[Variable] = []
        at, step = base, REPETITIONS if self._session.bulk else 1
        while True:
            if why := self._spent():
                return _ended(found, why)
            try:
                answer = await self._ask(Kind.GET_BULK if self._session.bulk else Kind.GET_NEXT, [at], step)
            except AgentError as error:
                return _ended(found, str(error))
            if answer is None or answer.error == Error.TOO_BIG:
                if step > 1:
                    step = max(step // 4, 1)
                    continue
                why = "its answers are too big for it" if answer is not None else self._silent()
                return _ended(found, why)
            if answer.error == Error.NO_SUCH_NAME and not self._session.bulk:
                return _ended(found, "")
            if answer.error:
                if step > 1:  # one row of many cannot be told: the rows before it can
                    step = 1
                    continue
                return _ended(found, f"it answers with the error {_error(answer.error)} behind {dotted(at)}")
            if not answer.variables:
                return _ended(found, "it answers with nothing")
            for one in answer.variables:
                if one.type in snmp.MISSING or one.oid[: len(base)] != base:
                    return _ended(found, "")
                if one.oid <= at:
                    return _ended(found, f"it goes round in circles at {dotted(one.oid)}")
                found.append(one)
                at = one.oid
            self._left -= len(answer.variables)

    async def columns(self, bases: Sequence[Oid]) -> list[Walked]:
        """Several walks side by side."""
        return list(await asyncio.gather(*(self.walk(base) for base in bases)))

    async def _ask(self, kind: Kind, about: Sequence[Oid] | Sequence[Variable], step: int = 0) -> Unit | None:
        """The answer to a question about some objects, or to setting them; None where none came."""
        request = next(self._ids) & 0x7FFFFFFF
        values = tuple(one if isinstance(one, Variable) else Variable(one, Type.NULL, None) for one in about)
        unit = Unit(kind, request, values, 0, step if kind is Kind.GET_BULK else 0)

        def accept(data: bytes) -> Unit | Report | None:
            try:
                return self._session.unwrap(data, request)
            except WireError:
                return None

        async with self._gate:
            wait, again = FIRST_WAIT, REPORTS
            tries = TRIES
            while tries:
                self.asked += 1
                answer: Unit | Report | None = await self._segment.datagram(
                    self._address,
                    self._port,
                    self._session.wrap(unit),
                    accept,
                    answers_from=self._address,
                    timeout=wait,
                )
                if isinstance(answer, Unit):
                    return answer
                if answer is not None and (not answer.again or not again):
                    raise Refused(f"{self._address} refuses: {answer.why}")
                if answer is not None:
                    again -= 1
                    continue
                if time.monotonic() > self._until:
                    break
                tries, wait = tries - 1, wait * 1.5
        return None

    def _spent(self) -> str:
        if time.monotonic() > self._until:
            return "it took too long"
        return f"it has more than {MOST_VARIABLES:,} values" if self._left <= 0 else ""

    def _silent(self) -> str:
        return f"{self._address} does not answer: wrong credential, no SNMP there, or it is not permitted from here"


def _ended(found: Sequence[Variable], why: str) -> Walked:
    ending = Ending.CUT if why else Ending.WHOLE if found else Ending.ABSENT
    return Walked(tuple(found), ending, why)


def _error(number: int) -> str:
    try:
        return Error(number).name.lower().replace("_", " ")
    except ValueError:
        return f"number {number}"
