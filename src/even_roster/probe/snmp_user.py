"""The session of an SNMP user with one agent (RFC 3414 4): finds out the agent's engine and its time, seals what is asked, opens
what is answered, and says in words what the agent reports."""

from __future__ import annotations

import os
import time

from ..wire import snmp_v3, usm
from ..wire.ber import Oid
from ..wire.snmp import Kind, Unit
from ..wire.snmp_v3 import Envelope, Scoped
from ..wire.usm import Auth, User
from .snmp_session import Report

_STATISTICS: Oid = (1, 3, 6, 1, 6, 3, 15, 1, 1)
_LEVEL, _WINDOW, _USER, _ENGINE, _DIGEST, _DECRYPTION = range(1, 7)
_WORDS = {
    _LEVEL: "it does not know this user at this level of security",
    _WINDOW: "its clock and ours do not come together",
    _USER: "it does not know this user",
    _ENGINE: "it has changed its engine id",
    _DIGEST: "the user's authentication password, or its kind, is wrong",
    _DECRYPTION: "the user's privacy password, or its kind, is wrong",
}


class UserSession:
    """Version 3 as one user; `context` names a part of what the agent knows, empty for its usual one."""

    bulk = True

    def __init__(self, user: User, context: bytes = b"") -> None:
        self._user, self._context = user, context
        self._engine = b""
        self._boots = self._ticks = 0
        self._heard_at = 0.0
        self._salt = int.from_bytes(os.urandom(8), "big")

    def within(self, context: bytes, community: bytes) -> UserSession | None:
        """See Session.within."""
        return UserSession(self._user, context) if context else None

    def wrap(self, unit: Unit) -> bytes:
        """See Session.wrap. Before the engine is known the question is for it."""
        name = self._user.name.encode()
        if not self._engine:
            asked = Envelope(unit.request, snmp_v3.REPORTABLE, b"", 0, 0, b"", b"", b"", b"")
            nobody = User("")
            return snmp_v3.sealed(asked, Scoped(b"", b"", Unit(Kind.GET, unit.request, ())), nobody, b"")
        self._salt = (self._salt + 1) % (1 << 64)
        ticks = self._ticks + int(time.monotonic() - self._heard_at)
        envelope = Envelope(unit.request, snmp_v3.REPORTABLE, self._engine, self._boots, ticks, name, b"", b"", b"")
        salt = self._salt.to_bytes(8, "big")
        return snmp_v3.sealed(envelope, Scoped(self._engine, self._context, unit), self._user, salt)

    def unwrap(self, data: bytes, request: int) -> Unit | Report | None:
        """See Session.unwrap."""
        envelope = snmp_v3.open_envelope(data)
        if envelope.identity != request:
            return None
        if not envelope.flags & snmp_v3.ENCRYPTED:
            unit = snmp_v3.open_body(envelope.body).unit
            if unit.kind is Kind.REPORT:
                return self._reported(envelope, unit)
        if envelope.engine != self._engine or envelope.user != self._user.name.encode():
            return None
        unit = snmp_v3.opened(envelope, self._user).unit
        if unit.kind is Kind.REPORT:
            return self._reported(envelope, unit)
        return unit if unit.kind is Kind.RESPONSE and unit.request == request else None

    def _reported(self, envelope: Envelope, unit: Unit) -> Report | None:
        told = next((one.oid[len(_STATISTICS)] for one in unit.variables if _of_statistics(one.oid)), 0)
        if told == _ENGINE and not self._engine and envelope.engine:
            self._engine = envelope.engine
            self._in_time(envelope)
            return Report("", again=True)
        if told == _WINDOW and envelope.engine == self._engine and self._proven(envelope):
            self._in_time(envelope)
            return Report(_WORDS[_WINDOW], again=True)
        return Report(_WORDS.get(told, "it refuses the question, and does not say why"))

    def _proven(self, envelope: Envelope) -> bool:
        """Whether a report is the agent's: a clock is set by nobody else's (RFC 3414 3.2 7b)."""
        if self._user.auth is Auth.NONE:
            return True
        if not envelope.flags & snmp_v3.AUTHENTICATED:
            return False
        key = usm.localized(self._user.auth, self._user.auth_password, envelope.engine)
        return usm.same(usm.digest(self._user.auth, key, envelope.signed), envelope.digest)

    def _in_time(self, envelope: Envelope) -> None:
        self._boots, self._ticks, self._heard_at = envelope.boots, envelope.ticks, time.monotonic()


def _of_statistics(oid: Oid) -> bool:
    return len(oid) > len(_STATISTICS) and oid[: len(_STATISTICS)] == _STATISTICS
