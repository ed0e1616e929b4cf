"""An agent of SNMP version 3 with some users (RFC 3414 3.2): tells its engine, refuses in reports, opens and seals."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import replace

from ..wire import snmp_v3, usm
from ..wire.errors import WireError
from ..wire.snmp import Kind, Type, Unit, Variable
from ..wire.snmp_v3 import Envelope, Scoped
from ..wire.usm import Auth, Privacy, User
from .snmp_responder import Responder

_STATISTICS = (1, 3, 6, 1, 6, 3, 15, 1, 1)
_LEVEL, _WINDOW, _USER, _ENGINE, _DIGEST, _DECRYPTION = range(1, 7)
WINDOW_SECONDS = 150


class UserResponder:
    """Answers users by the rows of a responder, of whom the `writers` may set what can be set; `seconds` is how long the agent has
    run."""

    def __init__(
        self, rows: Responder, users: Sequence[User], engine: bytes, seconds: Callable[[], float], writers: Collection[str] = ()
    ) -> None:  # fmt: skip
        self._rows, self._users, self._engine, self._seconds = (
            rows,
            {one.name.encode(): one for one in users},
            engine,
            seconds,
        )
        self._writers, self._salt = frozenset(writers), 0

    def answer(self, data: bytes) -> bytes | None:
        """The answer to a message; None where an agent would be silent."""
        try:
            asked = snmp_v3.open_envelope(data)
        except WireError:
            return None
        if asked.engine != self._engine:
            return self._report(asked, _ENGINE)
        user = self._users.get(asked.user)
        if user is None:
            return self._report(asked, _USER)
        if user.auth is not Auth.NONE and not asked.flags & snmp_v3.AUTHENTICATED:
            return self._report(asked, _LEVEL)
        if user.privacy is not Privacy.NONE and not asked.flags & snmp_v3.ENCRYPTED:
            return self._report(asked, _LEVEL)
        try:
            scoped = snmp_v3.opened(asked, user)
        except WireError:
            return self._report(asked, _DIGEST if not self._signed(asked, user) else _DECRYPTION)
        if asked.boots != 1 or abs(asked.ticks - int(self._seconds())) > WINDOW_SECONDS:
            return self._report(asked, _WINDOW, user)
        unit = self._rows.answer_unit(scoped.unit, exceptions=True, may_write=user.name in self._writers)
        return self._sealed(asked, Scoped(self._engine, scoped.context, unit), user) if unit is not None else None

    def _signed(self, asked: Envelope, user: User) -> bool:
        key = usm.localized(user.auth, user.auth_password, self._engine)
        return usm.same(usm.digest(user.auth, key, asked.signed), asked.digest)

    def _sealed(self, asked: Envelope, scoped: Scoped, user: User) -> bytes:
        self._salt += 1
        name = user.name
        envelope = replace(
            asked, flags=0, engine=self._engine, boots=1, ticks=int(self._seconds()), user=name.encode(), digest=b"", salt=b"",
            body=b"", signed=b"",
        )  # fmt: skip
        return snmp_v3.sealed(envelope, scoped, user, self._salt.to_bytes(8, "big"))

    def _report(self, asked: Envelope, counter: int, signed: User | None = None) -> bytes:
        told = Variable((*_STATISTICS, counter, 0), Type.COUNTER, 1)
        unit = Unit(Kind.REPORT, 0, (told,))
        user = (
            replace(signed, privacy=Privacy.NONE) if signed is not None else User(asked.user.decode("utf-8", "replace"))
        )
        return self._sealed(asked, Scoped(self._engine, b"", unit), user)
