"""What every DHCP server can be asked to do, and how publishing goes: check, write, read back, roll back.

A kind of server implements `DhcpServer`; it never decides what is to be there. Everything here blocks and belongs in
a thread.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import shutil
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from ipaddress import IPv4Network
from pathlib import Path
from typing import Protocol

from ..core.dhcp import Difference, Line, Scope, ScopeThere, difference, lost
from ..core.holdings import Holding
from ..core.plan.following import Lease
from ..core.text import clean


class ServerTrouble(Exception):
    """A server cannot be read or written; the message says what and why, and what would help."""


class ServerRefused(ServerTrouble):
    """The server's own check refused a configuration; nothing was changed."""


MOST_OCTETS = 64 << 20
Owned = Mapping[str, frozenset[str]]


@dataclass(frozen=True, slots=True)
class There:
    """A server's configuration as it is: `text` is what is edited, `scopes` what it means."""

    text: str
    scopes: tuple[ScopeThere, ...]


@dataclass(frozen=True, slots=True)
class Preview:
    """What publishing would do: the difference by meaning, and the texts before and after for reading side by side.

    `by_hand` are things that this server cannot be told while it runs: a person has to do them.
    """

    difference: Difference
    before: str
    after: str
    by_hand: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Published:
    """What publishing did. `notes` say how it was checked and verified."""

    lines: tuple[Line, ...]
    scopes: tuple[Scope, ...]
    owned: dict[str, list[str]]
    notes: tuple[str, ...]


class DhcpServer(Protocol):
    """One server. All methods raise ServerTrouble."""

    pools_by_hand: bool  # True when pools and options cannot be published, only compared

    def read(self, owned: Owned, hints: Sequence[IPv4Network]) -> There:
        """Its configuration now. `hints` are planned networks, where it does not say the mask itself."""

    def render(self, there: There, scopes: Sequence[Scope], owned: Owned) -> str:
        """The text with the owned parts as in `scopes`; everything else is kept."""

    def check(self, text: str) -> str:
        """Have the server check a text; gives how that was done. Raises ServerRefused."""

    def write(self, text: str) -> str:
        """Make the text the configuration, keeping the previous one; gives how."""

    def restore(self, there: There) -> None:
        """Bring a configuration back that was read before."""

    def leases(self) -> list[Lease]:
        """Its leases now, ended ones too where it keeps them."""

    def holdings(self, networks: Sequence[IPv4Network]) -> list[Holding]:
        """All that it holds, whoever wrote it; `networks` are planned ones, where it does not say the mask itself."""


def preview(server: DhcpServer, wanted: Sequence[Scope], owned: Owned) -> tuple[Preview, There]:
    """The exact difference between the plan and a server. Raises ServerTrouble."""
    there = server.read(owned, [scope.network for scope in wanted])
    by_hand: tuple[str, ...] = ()
    asked = list(wanted)
    if server.pools_by_hand:
        asked, by_hand = _only_reservations(asked, there)
    found = difference(asked, there.scopes)
    after = there.text if found.conflicts else server.render(there, found.scopes, owned)
    return Preview(found, there.text, after, by_hand), there


def publish(server: DhcpServer, wanted: Sequence[Scope], owned: Owned, expected: str | None) -> Published:
    """Publish and verify. `expected` is the digest of the text that a preview showed as the one before.

    Raises ServerTrouble: on conflicts, when the configuration changed since the preview, when the server's check
    refuses, and when reading back shows something else; then the previous configuration is in place again.
    """
    shown, there = preview(server, wanted, owned)
    if shown.difference.conflicts:
        raise ServerTrouble(". ".join(shown.difference.conflicts))
    if expected is not None and expected != digest(there.text):
        raise ServerTrouble("the server's configuration was changed since the preview; look at the difference again")
    if shown.after == there.text:
        return Published((), shown.difference.scopes, shown.difference.owned, ("nothing to change", *shown.by_hand))
    checked = server.check(shown.after)
    try:
        how = server.write(shown.after)
        owned_now = {network: frozenset(keys) for network, keys in shown.difference.owned.items()}
        back = server.read(owned_now, [scope.network for scope in wanted])
        asked = _only_reservations(list(wanted), back)[0] if server.pools_by_hand else list(wanted)
        left = difference(asked, back.scopes)
        if left.lines or left.conflicts:
            said = (
                left.conflicts[0]
                if left.conflicts
                else f"{left.lines[0].what} {left.lines[0].after or left.lines[0].before}"
            )
            raise ServerTrouble(f"read back, the server does not have what was published ({said})")
        if gone := lost(there.scopes, back.scopes):
            raise ServerTrouble(f"read back, a part that people wrote by hand is gone ({gone[0]})")
    except ServerTrouble as error:
        with contextlib.suppress(ServerTrouble):
            server.restore(there)
        kind = type(error)
        raise kind(f"{error}; the previous configuration is in place again") from error
    return Published(
        shown.difference.lines,
        shown.difference.scopes,
        shown.difference.owned,
        (checked, how, "read back and verified", *shown.by_hand),
    )


def digest(text: str) -> str:
    """What tells one configuration text from another."""
    return hashlib.sha256(text.encode()).hexdigest()[:24]


def _only_reservations(wanted: list[Scope], there: There) -> tuple[list[Scope], tuple[str, ...]]:
    """For servers that take reservations only: pools and options are as the server has them."""
    known = {one.scope.network: one.scope for one in there.scopes}
    asked, by_hand = [], []
    for scope in wanted:
        now = known.get(scope.network)
        if now is None or now.pools != scope.pools:
            pools = ", ".join(str(pool) for pool in scope.pools)
            has = ", ".join(str(pool) for pool in now.pools) if now and now.pools else "none"
            by_hand.append(
                f"{scope.network}: the plan has the pool {pools}, the server {has}; enter it in the server's configuration "
                "and restart it: it reads pools only when it starts"
            )
        base = now or Scope(scope.network)
        asked.append(Scope(scope.network, base.pools, base.options, scope.reservations))
    return asked, tuple(by_hand)


def said(outputs: Sequence[str], path: str) -> str:
    """What a server's check said: its first line about an error, without the name of the file it was given."""
    lines = [
        clean(line.replace(path, "line"), 400) for output in outputs for line in output.splitlines() if line.strip()
    ]
    return next((line for line in lines if "error" in line.casefold()), lines[0] if lines else "it gave no reason")


def write_file(path: Path, text: str, keep: Path) -> None:
    """Replace a file whole or not at all, with the rights it had; the previous version is kept beside it.

    Raises ServerTrouble.
    """
    part = path.with_name(f".{path.name}.part")
    try:
        if path.exists():
            shutil.copy2(path, keep)
        with part.open("w", encoding="utf-8", newline="") as file:
            file.write(text)
            file.flush()
            os.fsync(file.fileno())
        if path.exists():
            state = path.stat()
            with contextlib.suppress(PermissionError):
                os.chown(part, state.st_uid, state.st_gid)
            part.chmod(state.st_mode & 0o7777)
        part.replace(path)
    except OSError as error:
        part.unlink(missing_ok=True)
        raise ServerTrouble(f"{path} cannot be written: {error.strerror}") from error


class LocalFiles:
    """The files of this machine, for readers that follow includes."""

    def text(self, path: str) -> str | None:
        """A file's text, line ends as they are; octets that are no UTF-8 are told as what they are (\\xe4)."""
        try:
            with Path(path).open(encoding="utf-8", errors="backslashreplace", newline="") as file:
                return file.read(MOST_OCTETS)
        except (OSError, ValueError):
            return None

    def names(self, path: str) -> list[str] | None:
        """The names of the files in a folder."""
        try:
            return [one.name for one in Path(path).iterdir() if one.is_file()]
        except OSError:
            return None


def read_file(path: Path) -> str:
    """A configuration file's text, its line ends as they are. Raises ServerTrouble."""
    try:
        with path.open(encoding="utf-8", newline="") as file:
            return file.read()
    except OSError as error:
        raise ServerTrouble(f"{path} cannot be read: {error.strerror}") from error
    except UnicodeDecodeError as error:
        raise ServerTrouble(f"{path} is not UTF-8 text") from error
