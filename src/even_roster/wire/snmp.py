"""SNMP messages of versions 1 and 2c (RFC 1157, RFC 3416, RFC 1901), and the data units that version 3 carries, too. No I/O.

A variable is an object identifier with a value and the value's type. What an agent does not have is a type of its own: not there at
all, no such row, or the end of what it has (RFC 3416 3). Types and errors that are not known are refused, never guessed.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import IntEnum
from typing import NamedTuple

from . import ber
from .ber import Oid
from .errors import WireError, reader


class Version(IntEnum):
    """The version field of a message."""

    V1 = 0
    V2C = 1
    V3 = 3


class Kind(IntEnum):
    """What a data unit is (RFC 3416 3)."""

    GET = 0xA0
    GET_NEXT = 0xA1
    RESPONSE = 0xA2
    SET = 0xA3
    GET_BULK = 0xA5
    REPORT = 0xA8


class Type(IntEnum):
    """What a value is (RFC 2578 7.1), or why there is none."""

    INTEGER = 0x02
    OCTETS = 0x04
    NULL = 0x05
    IDENTIFIER = 0x06
    ADDRESS = 0x40
    COUNTER = 0x41
    GAUGE = 0x42
    TICKS = 0x43
    OPAQUE = 0x44
    COUNTER64 = 0x46
    NO_OBJECT = 0x80
    NO_INSTANCE = 0x81
    END = 0x82


class Error(IntEnum):
    """The error status of a response (RFC 3416 3)."""

    NONE = 0
    TOO_BIG = 1
    NO_SUCH_NAME = 2
    BAD_VALUE = 3
    READ_ONLY = 4
    GENERAL = 5
    NO_ACCESS = 6
    WRONG_TYPE = 7
    WRONG_LENGTH = 8
    WRONG_ENCODING = 9
    WRONG_VALUE = 10
    NO_CREATION = 11
    INCONSISTENT_VALUE = 12
    RESOURCE_UNAVAILABLE = 13
    COMMIT_FAILED = 14
    UNDO_FAILED = 15
    AUTHORIZATION = 16
    NOT_WRITABLE = 17
    INCONSISTENT_NAME = 18


MISSING = frozenset({Type.NO_OBJECT, Type.NO_INSTANCE, Type.END})
Value = int | bytes | Oid | None

_TYPES = {int(one): one for one in Type}
_NUMBERS = frozenset({Type.COUNTER, Type.GAUGE, Type.TICKS, Type.COUNTER64})
_KINDS = {int(one): one for one in Kind}
_EMPTY = frozenset({Type.NULL, *MISSING})


class Variable(NamedTuple):
    """An object with its value: a number, octets, an identifier, or None where there is none."""

    oid: Oid
    type: Type
    value: Value


@dataclass(frozen=True, slots=True)
class Unit:
    """A data unit. Of a bulk request `error` is the number of variables that do not repeat and `index` that of repetitions; of a
    response they are the error status and the place (from 1) of the variable that caused it."""

    kind: Kind
    request: int
    variables: tuple[Variable, ...]
    error: int = 0
    index: int = 0


@dataclass(frozen=True, slots=True)
class Message:
    """A message of version 1 or 2c, which says in clear who may read."""

    version: Version
    community: bytes
    unit: Unit


def ask(kind: Kind, request: int, oids: Iterable[Oid], repetitions: int = 0) -> Unit:
    """A question for some objects; `repetitions` of a bulk request, all of whose variables repeat."""
    return Unit(kind, request, tuple(Variable(oid, Type.NULL, None) for oid in oids), 0, repetitions)


@reader
def decode(data: bytes) -> Message:
    """Read a message. Raises WireError."""
    at, end = ber.expect(data, 0, len(data), ber.SEQUENCE)
    begin, over = ber.expect(data, at, end, ber.INTEGER)
    version = ber.integer(data, begin, over)
    if version not in (Version.V1, Version.V2C):
        raise WireError(f"an SNMP message of version {version}, not 1 or 2c")
    begin, over = ber.expect(data, over, end, ber.OCTETS)
    return Message(Version(version), data[begin:over], unit(data, over, end))


def version_of(data: bytes) -> int:
    """The version field of a message, whichever it is. Raises WireError."""
    at, end = ber.expect(data, 0, len(data), ber.SEQUENCE)
    return ber.integer(data, *ber.expect(data, at, end, ber.INTEGER))


def unit(data: bytes, at: int, end: int) -> Unit:
    """Read the data unit that begins at a place. Raises WireError."""
    tag, at, end = ber.header(data, at, end)
    kind = _KINDS.get(tag)
    if kind is None:
        raise WireError(f"an SNMP data unit of kind {tag:#04x}, which is none that is asked or answered with")
    begin, over = ber.expect(data, at, end, ber.INTEGER)
    request = ber.integer(data, begin, over)
    begin, over = ber.expect(data, over, end, ber.INTEGER)
    error = ber.integer(data, begin, over)
    begin, over = ber.expect(data, over, end, ber.INTEGER)
    index = ber.integer(data, begin, over)
    at, end = ber.expect(data, over, end, ber.SEQUENCE)
    found: list[Variable] = []
    while at < end:
        begin, at = ber.expect(data, at, end, ber.SEQUENCE)
        found.append(_variable(data, begin, at))
    return Unit(kind, request, tuple(found), error, index)


def _variable(data: bytes, at: int, end: int) -> Variable:
    begin, over = ber.expect(data, at, end, ber.IDENTIFIER)
    name = ber.identifier(data, begin, over)
    tag, begin, over = ber.header(data, over, end)
    if over != end:
        raise WireError("an SNMP variable has more than a name and a value")
    found = _TYPES.get(tag)
    if found is None:
        raise WireError(f"an SNMP value of type {tag:#04x}, which there is not")
    if found is Type.OCTETS or found is Type.OPAQUE:
        return Variable(name, found, data[begin:over])
    if found is Type.INTEGER:
        return Variable(name, found, ber.integer(data, begin, over))
    if found in _NUMBERS:
        return Variable(name, found, ber.unsigned(data, begin, over))
    if found is Type.IDENTIFIER:
        # An agent that has no identifier to tell sends an empty one or 0.0.
        return Variable(name, found, ber.identifier(data, begin, over) if over > begin else (0, 0))
    if found is Type.ADDRESS:
        if over - begin != 4:
            raise WireError("an SNMP IpAddress that has not four octets")
        return Variable(name, found, data[begin:over])
    return Variable(name, found, None)


def encode(message: Message) -> bytes:
    """A message as octets."""
    body = ber.encode_integer(message.version) + ber.encode_octets(message.community) + encode_unit(message.unit)
    return ber.element(ber.SEQUENCE, body)


def encode_unit(unit: Unit) -> bytes:
    """A data unit as octets."""
    head = ber.encode_integer(unit.request) + ber.encode_integer(unit.error) + ber.encode_integer(unit.index)
    return ber.element(unit.kind, head + ber.element(ber.SEQUENCE, encode_variables(unit.variables)))


def encode_variables(variables: Sequence[Variable]) -> bytes:
    """A list of variables as octets, without what holds it."""
    return b"".join(encode_variable(one) for one in variables)


def encode_variable(one: Variable) -> bytes:
    """One variable as octets. Raises ValueError where its value is not of its type."""
    value, kind = one.value, one.type
    if kind in _EMPTY:
        encoded = ber.element(kind, b"")
    elif kind is Type.IDENTIFIER and isinstance(value, tuple):
        encoded = ber.encode_identifier(value)
    elif isinstance(value, bytes) and kind in (Type.OCTETS, Type.OPAQUE, Type.ADDRESS):
        encoded = ber.element(kind, value)
    elif isinstance(value, int) and (kind is Type.INTEGER or (kind in _NUMBERS and value >= 0)):
        encoded = ber.encode_integer(value, kind)
    else:
        raise ValueError(f"{value!r} is no value of the type {kind.name}")
    return ber.element(ber.SEQUENCE, ber.encode_identifier(one.oid) + encoded)
