"""Entry of `roster`: puts the commands together, runs one, turns errors into a sentence and an exit code.

0 done; 1 the answer is no; 2 bad usage or input; 3 service not reachable; 4 not permitted; 5 edit conflict.
"""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Callable, Sequence

from pydantic import ValidationError

from .. import __version__
from ..client import BadInput, Conflict, NeedsConfirm, NotFound, NotPermitted, RosterError, StaleEdit, Unreachable
from ..core.mac import MacError
from ..core.ranges import RangeError
from . import (
    addresses,
    completion,
    devices,
    dhcp,
    findings,
    history,
    lookup,
    plan,
    scans,
    serve,
    spreadsheets,
    watching,
)
from .output import error, point_at

Command = Callable[[argparse.Namespace], int]


class _Parser(argparse.ArgumentParser):
    """argparse with our tone: one sentence and what to do, exit code 2."""

    def error(self, message: str) -> None:  # type: ignore[override]
        error(f"{message}; see '{self.prog} --help'")
        raise SystemExit(2)


def build_parser() -> argparse.ArgumentParser:
    """The whole command line."""
    parser = _Parser(prog="roster", description="Scan a site's ranges, know its devices, keep one shared roster.")
    parser.add_argument("--version", action="version", version=f"roster {__version__}")
    _connection(parser, None)
    shared = argparse.ArgumentParser(add_help=False)
    _connection(shared, argparse.SUPPRESS)
    commands = parser.add_subparsers(dest="command", metavar="COMMAND", title="commands", parser_class=_Parser)
    modules = (
        serve, scans, findings, devices, lookup, history, plan, addresses, dhcp, watching, spreadsheets, completion,
    )  # fmt: skip
    for module in modules:
        module.add_commands(commands, shared)
    parser.set_defaults(whole=parser)  # for whoever completes what is typed
    return parser


def _connection(parser: argparse.ArgumentParser, default: str | None) -> None:
    group = parser.add_argument_group("which service")
    group.add_argument("--home", metavar="DIR", default=default, help="the service's home folder (EVEN_ROSTER_HOME)")
    group.add_argument("--server", metavar="URL", default=default, help="a service elsewhere")
    group.add_argument("--token", metavar="TOKEN", default=default, help="what opens it")


def run(arguments: Sequence[str] | None = None) -> int:
    """Run one command line; gives the exit code."""
    parser = build_parser()
    try:
        options = parser.parse_args(arguments)
        command: Command | None = getattr(options, "run", None)
        if command is None:
            parser.print_help()
            return 2
        return command(options)
    except SystemExit as end:
        return int(end.code or 0)
    except KeyboardInterrupt:
        error("stopped")
        return 130
    except BrokenPipeError:
        sys.stdout = open(os.devnull, "w")  # noqa: SIM115
        return 0
    except (RangeError, MacError) as bad:
        error(str(bad))
        if isinstance(bad, RangeError):
            point_at(bad.text, bad.start, bad.end)
        return 2
    except ValidationError as bad:
        first = bad.errors(include_url=False, include_context=False)[0]
        name = ".".join(str(part) for part in first["loc"]) or "the input"
        error(f"{name}: {first['msg'][:1].lower()}{first['msg'][1:]}, not {first['input']}")
        return 2
    except RosterError as bad:
        error(_sentence(bad))
        return _exit_code(bad)


def _sentence(bad: RosterError) -> str:
    if isinstance(bad, StaleEdit):
        values = ", ".join(f"{name} {value!r}" for name, value in bad.current.items() if value)
        return f"{bad}; it has {values} now: look at it and try again" if values else str(bad)
    return str(bad)


def _exit_code(bad: RosterError) -> int:
    if isinstance(bad, Unreachable):
        return 3
    if isinstance(bad, NotPermitted):
        return 4
    if isinstance(bad, StaleEdit):
        return 5
    if isinstance(bad, NeedsConfirm | BadInput):
        return 2
    return 1 if isinstance(bad, NotFound | Conflict) else 3


def entry() -> None:
    """The console script."""
    sys.exit(run())


if __name__ == "__main__":
    entry()
