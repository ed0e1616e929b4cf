"""Answers SNMP questions from a sorted table, as an agent does (RFC 3416 4.2). It does not know what the table is about."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Sequence

from ..wire import snmp
from ..wire.ber import Oid
from ..wire.errors import WireError
from ..wire.snmp import Error, Kind, Message, Type, Unit, Variable, Version

LARGEST = 1400
MOST_REPETITIONS = 64

Rows = Sequence[Variable]
Write = Callable[[Variable], Error]


class Responder:
    """An agent of versions 1 and 2c over the rows that `rows` gives, sorted by identifier. `write` is what setting a value does,
    where it can be set at all, for those who know the community for that."""

    def __init__(
        self, community: bytes, rows: Callable[[], Rows], largest: int = LARGEST, write: Write | None = None,
        write_community: bytes = b"",
    ) -> None:  # fmt: skip
        self._community, self._rows, self._largest = community, rows, largest
        self._write, self._write_community = write, write_community
        self._named: tuple[Rows, list[Oid]] = ((), [])

    def answer(self, data: bytes, circles: Oid = ()) -> bytes | None:
        """The answer to a message; None where an agent would be silent. Below `circles` the first follows the last, as some agents
        have it."""
        try:
            message = snmp.decode(data)
        except WireError:
            return None
        may_write = bool(self._write_community) and message.community == self._write_community
        if message.community != self._community and not may_write:
            return None
        unit = self.answer_unit(message.unit, message.version is not Version.V1, may_write)
        if unit is not None and circles:
            unit = self._turned(unit, circles)
        return snmp.encode(Message(message.version, message.community, unit)) if unit is not None else None

    def answer_unit(self, asked: Unit, exceptions: bool, may_write: bool = False) -> Unit | None:
        """The response to a data unit; without `exceptions` (version 1) what is not there is an error."""
        if asked.kind is Kind.SET:
            return self._set(asked, may_write)
        rows = self._rows()
        if rows is not self._named[0]:
            self._named = rows, [row.oid for row in rows]
        names = self._named[1]
        if asked.kind is Kind.GET:
            found = [_at(rows, names, one.oid) for one in asked.variables]
        elif asked.kind is Kind.GET_NEXT:
            found = [_behind(rows, names, one.oid) for one in asked.variables]
        elif asked.kind is Kind.GET_BULK:
            found = self._bulk(asked, rows, names)
        else:
            return None
        lacking = next((place for place, one in enumerate(found, start=1) if one.type in snmp.MISSING), 0)
        if lacking and not exceptions:
            return Unit(Kind.RESPONSE, asked.request, asked.variables, Error.NO_SUCH_NAME, lacking)
        return Unit(Kind.RESPONSE, asked.request, tuple(found))

    def _set(self, asked: Unit, may_write: bool) -> Unit:
        if self._write is None or not may_write:
            return Unit(Kind.RESPONSE, asked.request, asked.variables, Error.NO_ACCESS, 1)
        for place, one in enumerate(asked.variables, start=1):
            error = self._write(one)
            if error:
                return Unit(Kind.RESPONSE, asked.request, asked.variables, error, place)
        return Unit(Kind.RESPONSE, asked.request, asked.variables)

    def _turned(self, unit: Unit, circles: Oid) -> Unit:
        """An answer that walks past the end of what goes round in circles begins there anew."""
        rows = [row for row in self._rows() if row.oid[: len(circles)] == circles]
        came = False
        variables = []
        for one in unit.variables:
            came = came or one.oid[: len(circles)] == circles
            past = one.oid[: len(circles)] > circles or one.type is Type.END
            variables.append(rows[0] if came and past else one)
        return Unit(unit.kind, unit.request, tuple(variables), unit.error, unit.index)

    def _bulk(self, asked: Unit, rows: Rows, names: Sequence[Oid]) -> list[Variable]:
        once = max(min(asked.error, len(asked.variables)), 0)
        found = [_behind(rows, names, one.oid) for one in asked.variables[:once]]
        at = [one.oid for one in asked.variables[once:]]
        size = sum(map(_size, found))
        for _ in range(min(max(asked.index, 0), MOST_REPETITIONS)):
            row = [_behind(rows, names, oid) for oid in at]
            size += sum(map(_size, row))
            if (size > self._largest and found) or not row:
                break
            found += row
            at = [one.oid for one in row]
            if all(one.type is Type.END for one in row):
                break
        return found


def _size(one: Variable) -> int:
    """How many octets a variable takes at most, nearly."""
    return 12 + 2 * len(one.oid) + (len(one.value) if isinstance(one.value, bytes) else 8)


def _at(rows: Rows, names: Sequence[Oid], oid: Oid) -> Variable:
    place = bisect_right(names, oid) - 1
    return rows[place] if place >= 0 and names[place] == oid else Variable(oid, Type.NO_INSTANCE, None)


def _behind(rows: Rows, names: Sequence[Oid], oid: Oid) -> Variable:
    place = bisect_right(names, oid)
    return rows[place] if place < len(rows) else Variable(oid, Type.END, None)
