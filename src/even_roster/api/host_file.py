"""What the host of a service allows: `servers.toml` in the home folder names the DHCP servers that it may reach, with every path,
socket and command. Only who may write that file decides what a service reads and writes; the API refers to servers by their name.

TOML 1.0. One table for each server:

    [office]
    kind = "kea"
    config = "/etc/kea/kea-dhcp4.conf"
    socket = "/run/kea/kea4-ctrl-socket"
"""

from __future__ import annotations

import contextlib
import os
import re
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

HOST_FILE = "servers.toml"
_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9 ._-]{0,79}")
_HEAD = (
    "# The DHCP servers that this service may reach. Nobody can make it read or write anything else of theirs.\n"
    "# 'roster dhcp allow' writes here; edit it by hand as you like.\n"
)


class HostFileError(ValueError):
    """The file cannot be used; the message says where and what would be right."""


@dataclass(frozen=True, slots=True)
class Reach:
    """How one server is reached: its kind, and settings of that kind: paths on the service's machine, a URL, how to sign in."""

    name: str
    kind: str
    values: Mapping[str, str]


def read(home: Path) -> dict[str, Reach]:
    """What is allowed, by name; empty without a file. Raises HostFileError."""
    path = home / HOST_FILE
    try:
        state = path.stat()
        data = path.read_bytes()
    except FileNotFoundError:
        return {}
    except OSError as error:
        raise HostFileError(f"{path} cannot be read: {error.strerror}") from error
    if state.st_mode & 0o022:
        raise HostFileError(f"{path} may be written by others than its owner: chmod 600 {path}")
    try:
        tables = tomllib.loads(data.decode())
    except (UnicodeDecodeError, tomllib.TOMLDecodeError) as error:
        raise HostFileError(f"{path} is not TOML: {error}") from error
    found = {name: _reach(path, name, table) for name, table in tables.items()}
    if state.st_mode & 0o044 and any("password" in one.values for one in found.values()):
        raise HostFileError(f"{path} holds a password and may be read by others than its owner: chmod 600 {path}")
    return found


def _reach(path: Path, name: str, table: Any) -> Reach:
    where = f"{path}, [{name}]"
    if not isinstance(table, dict):
        raise HostFileError(f"{path}: {name} stands outside a table; write [NAME] above the settings of a server")
    for key, value in table.items():
        if not isinstance(value, str):
            raise HostFileError(f"{where}: {key} is {value!r}, not a text in quotes")
    if not table.get("kind"):
        raise HostFileError(f"{where}: kind is missing: which kind of server it is")
    return Reach(name, table["kind"], {key: value for key, value in table.items() if key != "kind" and value})


def allow(home: Path, reach: Reach) -> bool:
    """Write one server's table, in the place of one of the same name; comments and other tables stay. Tells whether there was one.
    Raises HostFileError, then nothing was written."""
    import tomlkit

    if not _NAME.fullmatch(reach.name):
        raise HostFileError(f"{reach.name!r} is no name for a server: letters, digits, blanks, dots and dashes")
    there = read(home)
    path = home / HOST_FILE
    text = path.read_text(encoding="utf-8") if path.exists() else _HEAD
    table = {"kind": reach.kind, **reach.values}
    _reach(path, reach.name, table)
    document = tomlkit.parse(text)
    made = tomlkit.table()
    for key, value in table.items():
        made.add(key, value)
    document[reach.name] = made
    try:
        _write(path, tomlkit.dumps(document))
    except OSError as error:
        raise HostFileError(f"{path} cannot be written: {error.strerror}") from error
    return reach.name in there


def _write(path: Path, text: str) -> None:
    """Replace the file whole; only its owner may read it."""
    path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
    part = path.with_name(f".{path.name}.part")
    with open(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w", encoding="utf-8") as file:
        file.write(text)
        file.flush()
        os.fsync(file.fileno())
    with contextlib.suppress(PermissionError):
        owner = path.parent.stat()  # written by root, it is still the service's account that reads it
        os.chown(part, owner.st_uid, owner.st_gid)
    part.replace(path)
