"""Entry of `roster`: puts the commands together, runs one, turns errors into a sentence and an exit code.

0 done; 1 the answer is no; 2 wrong usage, input or reference; 3 service not reachable; 4 not permitted; 5 somebody else has it or
has changed it; 6 done in part, a rest is left.
"""

from __future__ import annotations

import sys

TYPE_CHECKING = False  # importing typing for it would cost more than all of --version
if TYPE_CHECKING:
    import argparse
    from collections.abc import Callable, Sequence

    from ..client import RosterError

    Command = Callable[[argparse.Namespace], int]

_VALUED = ("--home", "--server", "--token-file", "--token")


def build_parser(word: str | None = None) -> argparse.ArgumentParser:
    """The whole command line, or as much of it as one command needs."""
    import argparse
    import importlib

    from .. import __version__
    from .grammar import WORDS, overview
    from .output import error

    class Parser(argparse.ArgumentParser):
        """argparse with our tone: one sentence and what to do, exit code 2."""

        def error(self, message: str) -> None:  # type: ignore[override]
            error(f"{message}; see '{self.prog} --help'")
            raise SystemExit(2)

    class Shown(argparse.Action):
        """A token on the command line, where everybody on the machine can read it."""

        def __call__(self, parser: argparse.ArgumentParser, *_: object) -> None:
            parser.error(
                "a token does not belong on the command line, where 'ps' shows it: EVEN_ROSTER_TOKEN or --token-file"
            )

    def connection(parser: argparse.ArgumentParser, default: str | None) -> None:
        group = parser.add_argument_group("which service")
        group.add_argument(
            "--home", metavar="DIR", default=default, help="the service's home folder (EVEN_ROSTER_HOME)"
        )
        group.add_argument("--server", metavar="URL", default=default, help="a service elsewhere (EVEN_ROSTER_SERVER)")
        group.add_argument(
            "--token-file", metavar="FILE|-", default=default, help="where its token stands (or EVEN_ROSTER_TOKEN)"
        )
        group.add_argument("--token", action=Shown, default=argparse.SUPPRESS, help=argparse.SUPPRESS)

    parser = Parser(
        prog="roster", description="Scan a site's ranges, know its devices, keep one shared roster.", epilog=overview(),
        usage="roster COMMAND …", formatter_class=argparse.RawDescriptionHelpFormatter,
        allow_abbrev=False,  # it reads what is a command's own, too, and would take '--to' for '--token-file'
    )  # fmt: skip
    parser.add_argument("--version", action="version", version=f"roster {__version__}")
    connection(parser, None)
    shared = argparse.ArgumentParser(add_help=False)
    connection(shared, argparse.SUPPRESS)
    commands = parser.add_subparsers(
        dest="command", metavar="COMMAND", prog="roster", parser_class=Parser, help=argparse.SUPPRESS
    )
    needed = (
        [WORDS[word].module] if word in WORDS and word != "completion" else sorted({t.module for t in WORDS.values()})
    )
    for name in needed:
        importlib.import_module(f".{name}", __package__).add_commands(commands, shared)
    parser.set_defaults(whole=parser)  # for whoever completes what is typed
    return parser


def _place(arguments: Sequence[str]) -> int | None:
    """Where among the arguments the command stands."""
    skip = False
    for place, argument in enumerate(arguments):
        if not skip and not argument.startswith("-"):
            return place
        skip = not skip and argument in _VALUED
    return None


def _words_of_today(arguments: list[str]) -> tuple[list[str], str | None]:
    """The arguments without former words, and which command they are. Raises SystemExit for a word that is none."""
    from .grammar import WORDS
    from .output import error

    place = _place(arguments)
    if place is None:
        return arguments, None
    word = arguments[place]
    if word not in WORDS or word in ("device", "assignment", "watch", "dhcp"):
        from .former import translated

        if (found := translated(arguments[place:])) is not None:
            new, begins = found
            error(f"this is '{begins}' now: the words used here will not be understood by the next version")
            arguments, word = [*arguments[:place], *new], new[0]
    if word not in WORDS:
        from difflib import get_close_matches

        near = get_close_matches(word, WORDS, 1, 0.6)
        error(f"there is no command {word!r}{f'; is it {near[0]!r}?' if near else ''}; 'roster --help' lists them")
        raise SystemExit(2)
    return arguments, word


def run(arguments: Sequence[str] | None = None) -> int:
    """Run one command line; gives the exit code."""
    given = sys.argv[1:] if arguments is None else list(arguments)
    if given == ["--version"]:
        from .. import __version__

        print(f"roster {__version__}")
        return 0
    from ..client._errors import RosterError
    from .output import Out, error

    for one in given:
        if not one.isascii() and any("\ud800" <= char <= "\udfff" for char in one):
            error(f"{one.encode('utf-8', 'replace').decode()!r} is no text in UTF-8")
            return 2
    try:
        given, word = _words_of_today(given)
        parser = build_parser(word)
        options = parser.parse_args(given)
        command: Command | None = getattr(options, "run", None)
        if command is None:
            parser.print_help()
            return 2
        Out.wide = getattr(options, "wide", False)
        return command(options)
    except SystemExit as end:
        return int(end.code or 0)
    except KeyboardInterrupt:
        error("stopped")
        return 130
    except BrokenPipeError:
        import os

        sys.stdout = open(os.devnull, "w")  # noqa: SIM115
        return 0
    except RosterError as bad:
        error(_sentence(bad))
        return _exit_code(bad)
    except ValueError as bad:
        return _refused(bad)


def _refused(bad: ValueError) -> int:
    """Input that was found to be wrong before any service was asked; everything else is a fault of ours."""
    from ..core.mac import MacError
    from ..core.ranges import RangeError
    from .output import error, point_at

    if isinstance(bad, RangeError | MacError):
        error(str(bad))
        if isinstance(bad, RangeError):
            point_at(bad.text, bad.start, bad.end)
        return 2
    if "pydantic" in sys.modules:
        from pydantic import ValidationError

        if isinstance(bad, ValidationError):
            first = bad.errors(include_url=False, include_context=False)[0]
            name = ".".join(str(part) for part in first["loc"]) or "the input"
            error(f"{name}: {first['msg'][:1].lower()}{first['msg'][1:]}, not {first['input']}")
            return 2
    raise bad


def _sentence(bad: RosterError) -> str:
    from ..client._errors import StaleEdit

    if isinstance(bad, StaleEdit):
        values = ", ".join(f"{name} {value!r}" for name, value in bad.current.items() if value)
        return f"{bad}; it has {values} now: look at it and try again" if values else str(bad)
    return str(bad)


def _exit_code(bad: RosterError) -> int:
    from ..client import _errors as errors

    if isinstance(bad, errors.Unreachable):
        return 3
    if isinstance(bad, errors.NotPermitted):
        return 4
    if isinstance(bad, errors.NeedsConfirm | errors.BadInput | errors.NotFound):
        return 2
    if isinstance(bad, errors.Conflict):
        return 5
    return 3


def entry() -> None:
    """The console script."""
    sys.exit(run())


if __name__ == "__main__":
    entry()
