"""The home folder: only the service's account reads what is in it, and nothing starts without the key that all was made with."""

from __future__ import annotations

import logging
import os
import secrets
import stat
from collections.abc import Iterator
from pathlib import Path

from ...store.database import StoreError

KEY = "secret.key"
KEY_OCTETS = 32
RECORDS = "roster.db"
LOCK = "service.lock"
BACKUPS = "backups"
_FILES = (
    RECORDS,
    f"{RECORDS}-wal",
    f"{RECORDS}-shm",
    LOCK,
    "service.json",
    "own-certificate.pem",
    "own-certificate.key",
)
_OTHERS = 0o077
_log = logging.getLogger(__name__)


class HomeError(StoreError):
    """The home folder cannot be used as it is; the message says what to do."""


def make(home: Path) -> None:
    """Make the home folder if it is not there, and take the rights of others away from it and from what the service keeps in it;
    what had some is logged. A folder of something else is left as it is. Raises HomeError, OSError."""
    home.mkdir(parents=True, exist_ok=True, mode=0o700)
    if _of_something_else(home):
        raise HomeError(
            f"{home} is open to other accounts, is not empty and has no roster in it: closing it could break what uses it. "
            f"Name a folder for the roster alone, such as {home / 'roster'}"
        )
    for path in _own(home):
        _keep_private(path)


def _of_something_else(home: Path) -> bool:
    """Whether a folder that is open to others is used for something else, as /tmp is."""
    if not home.stat().st_mode & _OTHERS or any((home / name).exists() for name in (RECORDS, KEY)):
        return False
    return any(home.iterdir())


def _own(home: Path) -> Iterator[Path]:
    """The folder and everything that the service makes there."""
    yield home
    for name in (*_FILES, BACKUPS):
        if (home / name).exists():
            yield home / name
    if (home / BACKUPS).is_dir():
        yield from (home / BACKUPS).iterdir()


def _keep_private(path: Path) -> None:
    if path.is_symlink():  # what it leads to is not ours to change; of the key itself see `key`
        return
    mode = stat.S_IMODE(path.stat().st_mode)
    if not mode & _OTHERS:
        return
    wanted = 0o700 if path.is_dir() else 0o600
    try:
        path.chmod(wanted)
    except PermissionError:
        _log.warning("%s is open to others (mode %o) and belongs to another account: chmod %o it", path, mode, wanted)
    else:
        _log.warning("%s was open to others (mode %o); it is for this account alone now (mode %o)", path, mode, wanted)


def key(home: Path, *, anew: bool = False) -> bytes:
    """The key that sealed passwords, the token and sessions are made with; made at the first start. With `anew` another one is made
    where it is missing or cannot be used. Raises HomeError, OSError."""
    path = home / KEY
    wrong = _wrong(path)
    if not wrong:
        if anew:
            raise HomeError(
                f"{path} is good: another one would leave every stored password sealed for ever. "
                "To end all sign-ins without that, run 'roster token renew'"
            )
        return _read(path)
    first = not path.exists() and not _has_records(home)
    if not first and not anew:
        raise HomeError(
            f"{path} {wrong}, and what {home} holds was made with it: put it back from a backup. Without one, start once with "
            "--new-key: everybody has to sign in again then, and stored passwords have to be entered anew"
        )
    if path.exists():
        path.replace(path.with_name(f"{KEY}.unusable"))
    write_private(path, secrets.token_bytes(KEY_OCTETS))
    return _read(path)


def _wrong(path: Path) -> str:
    """Why a key cannot be used, or nothing."""
    if not path.exists():
        return "is missing"
    octets = len(_read(path))
    if not octets:
        return "is empty"
    return f"has {octets} octets and must have {KEY_OCTETS} at least" if octets < KEY_OCTETS else ""


def _read(path: Path) -> bytes:
    """A key. Raises HomeError where others may read it and that cannot be mended, OSError."""
    with path.open("rb") as file:
        mode = stat.S_IMODE(os.fstat(file.fileno()).st_mode)
        if mode & _OTHERS:
            try:
                os.fchmod(file.fileno(), 0o600)
            except PermissionError as error:
                raise HomeError(
                    f"{path} can be read by others (mode {mode:o}) and belongs to another account: chown it to the service's, "
                    "and chmod 600"
                ) from error
            _log.warning(
                "%s could be read by others (mode %o), and is for this account alone now: if anybody may have done so, run "
                "'roster token renew', and enter stored passwords anew after they were changed where they are used", path, mode,
            )  # fmt: skip
        return file.read()


def records(home: Path) -> Path:
    """Where the records are; a new file is this account's alone from its first moment on. Raises OSError."""
    path = home / RECORDS
    path.touch(mode=0o600)
    return path


def _has_records(home: Path) -> bool:
    """Whether a roster was kept here before."""
    path = home / RECORDS
    return path.exists() and path.stat().st_size > 0


def write_private(path: Path, data: bytes) -> None:
    """Write a file that only this account can read: whole or not at all, also where the machine loses its power. Raises OSError."""
    part = path.with_name(f"{path.name}.part")
    part.unlink(missing_ok=True)
    handle = os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    with os.fdopen(handle, "wb") as file:
        file.write(data)
        file.flush()
        os.fsync(file.fileno())
    part.replace(path)
    folder = os.open(path.parent, os.O_RDONLY)
    try:
        os.fsync(folder)
    finally:
        os.close(folder)
