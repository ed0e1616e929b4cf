"""SecureOn passwords of adapters: kept encrypted, by MAC, so that they stay with the adapter when devices are joined or taken
apart, and never shown. Entering and removing one are changes of the journal."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import select

from ...core.mac import MacNumber
from ...store.calling_tables import wake_passwords
from ...store.edits import EditError
from ...store.journal import Written
from ..aids.secret_box import SecretBox, SecretError
from ..context import Context
from ..setting_edits import changed, writing

PASSWORD = "wake password"
_HEX = frozenset("0123456789abcdef")


class WakePasswords:
    """The passwords of one roster."""

    def __init__(self, context: Context) -> None:
        self._context = context
        self._box = SecretBox(context.secret, "wake passwords")

    def keep(self, who: str, called: str, macs: Sequence[MacNumber], password: str) -> None:
        """The adapters of a device that is `called` so have this password from now on; an empty one: none any more. Raises
        EditError."""
        octets(password)
        with writing(self._context, who) as journal:
            rows, had = [], False
            for mac in macs:
                before = journal.row(PASSWORD, (mac,))
                had = had or before is not None
                after = {"secret": self._box.seal(password)} if password.strip() else None
                if after is not None or before is not None:
                    rows.append(Written(PASSWORD, (mac,), after))
            told = {"password": "kept" if had else ""}, {"password": "kept" if password.strip() else ""}
            journal.save("set" if password.strip() else "remove", PASSWORD, called, rows, told)
        changed(self._context, {PASSWORD})

    def of(self, macs: Sequence[MacNumber]) -> dict[MacNumber, bytes]:
        """The passwords of some adapters, as octets. Raises EditError where one cannot be read any more."""
        found = {}
        with self._context.database.read() as connection:
            kept = connection.execute(select(wake_passwords).where(wake_passwords.c.mac.in_(list(macs)))).all()
        for row in kept:
            try:
                found[MacNumber(row.mac)] = octets(self._box.open(row.secret))
            except SecretError as error:
                raise EditError(f"its SecureOn password cannot be used: {error}", "password") from error
        return found


def octets(password: str) -> bytes:
    """A SecureOn password: 4 or 6 octets, in hexadecimal or dotted; none for an empty text. Raises EditError, which does not tell
    it."""
    text = password.strip()
    if not text:
        return b""
    parts = text.split(".")
    if len(parts) in (4, 6) and all(part.isascii() and part.isdigit() and int(part) < 256 for part in parts):
        return bytes(int(part) for part in parts)
    digits = "".join(char for char in text.lower() if char not in ":- ")
    if len(digits) not in (8, 12) or set(digits) - _HEX:
        raise EditError(
            "a SecureOn password is 4 or 6 octets: hexadecimal such as 01:23:45:67:89:ab, or 192.168.1.1", "password"
        )
    return bytes.fromhex(digits)
