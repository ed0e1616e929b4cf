"""SNMP messages of version 3 (RFC 3412 6, RFC 3414 2.4): who speaks to which engine at which of its times, in clear or
encrypted."""

from __future__ import annotations

from dataclasses import dataclass, replace

from . import ber, snmp, usm
from .errors import WireError, reader
from .snmp import Unit
from .usm import Auth, Privacy

AUTHENTICATED, ENCRYPTED, REPORTABLE = 1, 2, 4
_USM = 3
LARGEST = 65507


@dataclass(frozen=True, slots=True)
class Envelope:
    """A message before its data unit is opened. `body` is the scoped data unit, encrypted where the flags say so; `signed` is the
    whole message with the digest's octets zero."""

    identity: int
    flags: int
    engine: bytes
    boots: int
    ticks: int
    user: bytes
    digest: bytes
    salt: bytes
    body: bytes
    signed: bytes = b""


@dataclass(frozen=True, slots=True)
class Scoped:
    """A data unit with the context it is about."""

    engine: bytes
    context: bytes
    unit: Unit


@reader
def open_envelope(data: bytes) -> Envelope:
    """Read a message up to its data unit. Raises WireError."""
    at, end = ber.expect(data, 0, len(data), ber.SEQUENCE)
    begin, over = ber.expect(data, at, end, ber.INTEGER)
    if ber.integer(data, begin, over) != snmp.Version.V3:
        raise WireError("an SNMP message of another version than 3")
    begin, head_over = ber.expect(data, over, end, ber.SEQUENCE)
    begin, over = ber.expect(data, begin, head_over, ber.INTEGER)
    identity = ber.integer(data, begin, over)
    _, over = ber.expect(data, over, head_over, ber.INTEGER)
    begin, over = ber.expect(data, over, head_over, ber.OCTETS)
    if over - begin != 1:
        raise WireError("the flags of an SNMP message are not one octet")
    flags = data[begin]
    begin, over = ber.expect(data, over, head_over, ber.INTEGER)
    if ber.integer(data, begin, over) != _USM:
        raise WireError("an SNMP message of another security model than that of users")
    at, over = ber.expect(data, head_over, end, ber.OCTETS)
    body = data[over:end]
    at, last = ber.expect(data, at, over, ber.SEQUENCE)
    begin, at = ber.expect(data, at, last, ber.OCTETS)
    engine = data[begin:at]
    begin, at = ber.expect(data, at, last, ber.INTEGER)
    boots = ber.integer(data, begin, at)
    begin, at = ber.expect(data, at, last, ber.INTEGER)
    ticks = ber.integer(data, begin, at)
    begin, at = ber.expect(data, at, last, ber.OCTETS)
    user = data[begin:at]
    begin, at = ber.expect(data, at, last, ber.OCTETS)
    digest = data[begin:at]
    signed = data[:begin] + bytes(at - begin) + data[at:end]
    begin, at = ber.expect(data, at, last, ber.OCTETS)
    return Envelope(identity, flags, engine, boots, ticks, user, digest, data[begin:at], body, signed)


@reader
def open_body(body: bytes) -> Scoped:
    """Read a scoped data unit that is in clear, or was decrypted. Raises WireError."""
    at, end = ber.expect(body, 0, len(body), ber.SEQUENCE)
    begin, at = ber.expect(body, at, end, ber.OCTETS)
    engine = body[begin:at]
    begin, at = ber.expect(body, at, end, ber.OCTETS)
    return Scoped(engine, body[begin:at], snmp.unit(body, at, end))


@reader
def encrypted_part(body: bytes) -> bytes:
    """The octets that are encrypted. Raises WireError."""
    begin, over = ber.expect(body, 0, len(body), ber.OCTETS)
    return body[begin:over]


def encode_scoped(scoped: Scoped) -> bytes:
    """A scoped data unit as octets."""
    inside = ber.encode_octets(scoped.engine) + ber.encode_octets(scoped.context) + snmp.encode_unit(scoped.unit)
    return ber.element(ber.SEQUENCE, inside)


def encode(envelope: Envelope) -> bytes:
    """A message as octets, with the digest that stands in it."""
    head = (
        ber.encode_integer(envelope.identity) + ber.encode_integer(LARGEST) + ber.encode_octets(bytes((envelope.flags,)))
        + ber.encode_integer(_USM)
    )  # fmt: skip
    security = (
        ber.encode_octets(envelope.engine) + ber.encode_integer(envelope.boots) + ber.encode_integer(envelope.ticks)
        + ber.encode_octets(envelope.user) + ber.encode_octets(envelope.digest) + ber.encode_octets(envelope.salt)
    )  # fmt: skip
    parts = (
        ber.encode_integer(snmp.Version.V3), ber.element(ber.SEQUENCE, head),
        ber.encode_octets(ber.element(ber.SEQUENCE, security)), envelope.body,
    )  # fmt: skip
    return ber.element(ber.SEQUENCE, b"".join(parts))


def sealed(envelope: Envelope, scoped: Scoped, user: usm.User, salt: bytes) -> bytes:
    """A message with its data unit encrypted and its digest made, as the user's security wants it."""
    body = encode_scoped(scoped)
    flags = envelope.flags
    if user.privacy is not Privacy.NONE:
        key = usm.privacy_key(user.auth, user.privacy, user.privacy_password, envelope.engine)
        body = ber.encode_octets(usm.encrypt(key, envelope.boots, envelope.ticks, salt, body))
        flags |= ENCRYPTED
    if user.auth is Auth.NONE:
        return encode(replace(envelope, flags=flags, body=body, salt=b"", digest=b""))
    flags |= AUTHENTICATED
    size = usm.digest_size(user.auth)
    blank = replace(envelope, flags=flags, body=body, digest=bytes(size), salt=salt if flags & ENCRYPTED else b"")
    key = usm.localized(user.auth, user.auth_password, envelope.engine)
    return encode(replace(blank, digest=usm.digest(user.auth, key, encode(blank))))


def opened(envelope: Envelope, user: usm.User) -> Scoped:
    """The data unit of a message that a user's secrets open. Raises WireError where they do not."""
    if user.auth is not Auth.NONE:
        key = usm.localized(user.auth, user.auth_password, envelope.engine)
        if not envelope.flags & AUTHENTICATED or not usm.same(
            usm.digest(user.auth, key, envelope.signed), envelope.digest
        ):
            raise WireError("an SNMP message whose digest is not that of its user")
    if user.privacy is Privacy.NONE:
        return open_body(envelope.body)
    if not envelope.flags & ENCRYPTED or len(envelope.salt) != 8:
        raise WireError("an SNMP message that is not encrypted as its user is")
    key = usm.privacy_key(user.auth, user.privacy, user.privacy_password, envelope.engine)
    return open_body(usm.decrypt(key, envelope.boots, envelope.ticks, envelope.salt, encrypted_part(envelope.body)))
