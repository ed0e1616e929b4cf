"""The files of DHCP servers on this machine: read with a limit, replaced whole or not at all with the rights they had.

Only plain files are opened: a pipe or a device in the place of one would keep its reader waiting for ever.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import shutil
import stat
from collections.abc import Mapping
from pathlib import Path

from .server import ChangedMeanwhile, Seen, ServerTrouble, Texts

MOST_OCTETS = 64 << 20
NEW_FILE = 0o644
"""The rights of a file that was not there: servers read as accounts of their own, and it holds what their configuration may."""


def octets_of(path: Path) -> bytes:
    """A file's octets. Raises ServerTrouble: where it cannot be read, is no plain file, or is over MOST_OCTETS."""
    try:
        where = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_NOCTTY | os.O_CLOEXEC)
        try:
            if not stat.S_ISREG(os.fstat(where).st_mode):
                raise ServerTrouble(f"{path} is no plain file")
            with open(where, "rb", closefd=False) as file:
                found = file.read(MOST_OCTETS + 1)
        finally:
            os.close(where)
    except OSError as error:
        raise ServerTrouble(f"{path} cannot be read: {error.strerror}") from error
    if len(found) > MOST_OCTETS:
        raise ServerTrouble(f"{path} is over {MOST_OCTETS >> 20} MiB")
    return found


def read_file(path: Path) -> str:
    """A configuration file's text, its line ends as they are. Raises ServerTrouble."""
    try:
        return octets_of(path).decode("utf-8")
    except UnicodeDecodeError as error:
        raise ServerTrouble(f"{path} is not UTF-8 text") from error


def write_files(before: Texts, after: Texts) -> None:
    """Replace files, each whole or not at all, with the rights they had; each previous version is kept beside it as `.previous`.

    Raises ChangedMeanwhile when one is not what it was, and ServerTrouble when one cannot be written; then all are as they were.
    """
    changed = [path for path, text in after.items() if before.get(path, "") != text]
    for path in changed:
        if (file_or_none(Path(path)) or "") != before.get(path, ""):
            raise ChangedMeanwhile(f"{path} was changed meanwhile; look at the difference again")
    done: list[str] = []
    try:
        for path in changed:
            _replace(Path(path), after[path], Path(previous(path)))
            done.append(path)
    except ServerTrouble:
        for path in done:
            with contextlib.suppress(ServerTrouble):
                _replace(Path(path), before.get(path, ""), None)
        raise


def restore_files(before: Texts, after: Texts) -> tuple[str, bool]:
    """Bring files back, but only those that are still, octet for octet, what was written; ours are kept as `.refused`. Gives what
    became of it, and whether anything was written."""
    edited, written = [], False
    for path, text in after.items():
        if before.get(path) == text:
            continue
        if file_or_none(Path(path)) != text:
            edited.append(path)
            continue
        try:
            _replace(Path(path), before.get(path, ""), Path(refused(path)))
            written = True
        except ServerTrouble as error:
            return f"the previous configuration could not be brought back ({error}); it is in {previous(path)}", written
    if not edited:
        return "the previous configuration is in place again", written
    told = ", ".join(edited)
    return (
        f"{told} was edited by somebody meanwhile and is left as it is; what was there before is in {previous(edited[0])}",
        written,
    )


def previous(path: str) -> str:
    """Where the version before the last publishing is kept. Folders that a server reads whole skip names that end with ~."""
    return f"{path}.previous~"


def refused(path: str) -> str:
    """Where a version of ours is kept that had to go again."""
    return f"{path}.refused~"


def file_or_none(path: Path) -> str | None:
    """A file's text; None when there is no such file. Raises ServerTrouble when it cannot be told."""
    try:
        path.stat()
    except FileNotFoundError:
        return None
    except OSError as error:
        raise ServerTrouble(f"{path} cannot be read: {error.strerror}") from error
    return read_file(path)


def _replace(path: Path, text: str, keep: Path | None) -> None:
    """Replace one file whole or not at all, with the rights it had. Raises ServerTrouble."""
    path = path.resolve()
    part = path.with_name(f".{path.name}.part")
    try:
        if keep is not None and path.exists():
            shutil.copy2(path, keep)
        with part.open("w", encoding="utf-8", newline="") as file:
            file.write(text)
            file.flush()
            os.fsync(file.fileno())
        if path.exists():
            _same_rights(path, part)
        else:
            part.chmod(NEW_FILE)
        part.replace(path)
    except OSError as error:
        with contextlib.suppress(OSError):
            part.unlink(missing_ok=True)
        raise ServerTrouble(f"{path} cannot be written: {error.strerror}") from error


def _same_rights(path: Path, part: Path) -> None:
    """Owner, group, mode and further attributes as before. Who may not keep the owner keeps the group, so that the server can still
    read the file."""
    state = path.stat()
    try:
        os.chown(part, state.st_uid, state.st_gid)
    except PermissionError:
        try:
            os.chown(part, -1, state.st_gid)
        except PermissionError:
            if not state.st_mode & 0o004:
                raise  # the server could not read it any more
    part.chmod(state.st_mode & 0o7777)
    with contextlib.suppress(OSError):  # a file system, or an account, without further attributes
        for name in os.listxattr(path):
            os.setxattr(part, name, os.getxattr(path, name))


class LocalFiles:
    """The files of this machine, for readers that follow includes; `seen` is all that was asked of them."""

    def __init__(self) -> None:
        self.seen: Seen = {}

    def text(self, path: str) -> str | None:
        """A file's text, line ends as they are; octets that are no UTF-8 are told as what they are (\\xe4)."""
        try:
            found = octets_of(Path(path)).decode("utf-8", "backslashreplace")
        except (ServerTrouble, ValueError):
            found = None
        self.seen[path] = content(found)
        return found

    def names(self, path: str) -> list[str] | None:
        """The names of the files in a folder."""
        try:
            found = [one.name for one in Path(path).iterdir() if one.is_file()]
        except OSError:
            found = None
        self.seen[f"{path.rstrip('/')}/"] = content("\0".join(sorted(found)) if found is not None else None)
        return found


class OverLocal(LocalFiles):
    """The files of this machine, some of them with a text that is given."""

    def __init__(self, texts: Mapping[str, str]) -> None:
        super().__init__()
        self._texts = texts

    def text(self, path: str) -> str | None:
        """See LocalFiles.text."""
        given = self._texts.get(path)
        if given is None:
            return super().text(path)
        if given:
            self.seen[path] = content(given)
        else:
            super().text(
                path
            )  # empty is also what is given for a file that is not there: which of the two it is counts
        return given


def files_as_seen(seen: Seen) -> bool:
    """True when files and folders are as they were when they were read."""
    files = LocalFiles()
    for path in seen:
        _ = files.names(path) if path.endswith("/") else files.text(path)
    return files.seen == seen


def content(text: str | bytes | None) -> str:
    """What tells a text from another; nothing is like a file that is not there."""
    octets = text.encode("utf-8", "surrogatepass") if isinstance(text, str) else text
    return hashlib.sha256(octets).hexdigest() if octets is not None else ""


class GivenFiles:
    """Texts that are given, as files."""

    def __init__(self, texts: Mapping[str, str]) -> None:
        self._texts = texts

    def text(self, path: str) -> str | None:
        """One of them."""
        return self._texts.get(path)
