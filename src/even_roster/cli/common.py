"""What several command groups need: a client for the options, columns and lists from text."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any, cast

from ..client import BadInput, NotFound
from .connection import Service
from .told import Told

if TYPE_CHECKING:
    from ..api.common import SubnetRef
    from ..api.dhcp import DhcpServerView

PARTLY = 6
"""The exit code of what was done in part: some of several, or with a rest that a person has to do."""


def connect(options: argparse.Namespace) -> Service:
    """A client for the service that the options name. Raises Unreachable, BadInput."""
    token = text_of(options.token_file).strip() if options.token_file else None
    if token is not None and (not token.isascii() or not token.isprintable() or not token):
        raise bad_input(f"{options.token_file} holds no token: one line of letters, digits, - and _")
    return Service(options.server, token, options.home)


def several(given: list[str]) -> list[str]:
    """What a command is about, where it can be several: as typed, or for '-' from standard input, one a line. Raises BadInput."""
    found: list[str] = []
    for one in given:
        found += [line.strip() for line in sys.stdin if line.strip()] if one == "-" else [one]
    if not found:
        raise bad_input("standard input names nothing")
    return found


def words(text: str) -> list[str]:
    """A list written with commas."""
    return [word.strip() for word in text.split(",") if word.strip()]


def pick_server(roster: Service, name: str | None) -> DhcpServerView:
    """A server by name or id, or the only one. Raises NotFound, BadInput."""
    found = roster.dhcp_servers()
    if name is None:
        if len(found) == 1:
            return found[0]
        if found:
            raise bad_input(f"name one of the servers: {', '.join(server.name for server in found)}")
        raise missing("no DHCP server is managed yet: 'roster dhcp add'")
    for server in found:
        if name.casefold() == server.name.casefold() or name == str(server.id):
            return server
    raise missing(f"there is no DHCP server {name!r}; 'roster dhcp' lists them")


def called(subnet: SubnetRef) -> str:
    """A subnet's own name, or what it spans."""
    return subnet.name or subnet.cidr


def counted(part: str, count: int) -> str:
    """How many of a part, in words."""
    return (
        part if count == 1 or part in ("excluded", "not understood") else "classes" if part == "class" else f"{part}s"
    )


def bad_input(sentence: str) -> BadInput:
    """An error that the command line found by itself: the input cannot be read."""
    return BadInput(_problem("Bad input", 422, "bad_input", sentence))


def missing(sentence: str) -> NotFound:
    """An error that the command line found by itself: there is no such thing."""
    return NotFound(_problem("Not found", 404, "missing", sentence))


def text_of(source: str) -> str:
    """What stands in a file, or for '-' in standard input. Raises BadInput."""
    try:
        return sys.stdin.read() if source == "-" else Path(source).read_text(encoding="utf-8-sig")
    except (OSError, UnicodeDecodeError) as error:
        raise bad_input(f"{source} cannot be read: {error}") from error


def write(target: str, text: str) -> None:
    """Write a text into a file. Raises BadInput."""
    try:
        Path(target).write_text(text, encoding="utf-8")
    except OSError as error:
        raise bad_input(f"{target} cannot be written: {error.strerror}") from error


def _problem(title: str, status: int, code: str, sentence: str) -> Any:
    return cast(Any, Told(title=title, status=status, code=code, detail=sentence))


def secret(called: str) -> str:
    """What nobody is to see: typed without being shown, or a line of standard input."""
    if not sys.stdin.isatty():
        return sys.stdin.readline().strip()
    import getpass  # as large as it is, and seldom wanted

    return getpass.getpass(f"{called}: ")
