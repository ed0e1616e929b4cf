"""Writes the list of commands into docs/commands.md, made from the parser itself. A test compares it."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from even_roster.cli.grammar import GROUPS, TITLES
from even_roster.cli.main import build_parser

DOCUMENT = Path(__file__).resolve().parents[1] / "docs" / "commands.md"
BEGIN, END = "<!-- commands: written by tools/commands.py -->", "<!-- end of commands -->"
_OF_EVERY = ("-h", "--json", "--home", "--server", "--token-file", "--token")


def text() -> str:
    """All commands by group, each with what it takes, what it is for, and an example."""
    commands = _children(build_parser())
    lines = []
    for group, words in GROUPS.items():
        lines += [f"### {TITLES[group]}", ""]
        for word, told in words.items():
            parser = commands[word]
            lines.append(f"`roster {word}{_usage(parser)}` – {told.about}. Example: `{told.example}`")
            for verb, child in _children(parser).items():
                example = f" Example: `{child.epilog.removeprefix('example: ')}`" if child.epilog else ""
                about = (child.description or "").rstrip(".")
                lines.append(f"  - `roster {word} {verb}{_usage(child)}` – {about[:1].lower()}{about[1:]}.{example}")
            lines.append("")
    return "\n".join(lines).rstrip("\n")


def _children(parser: argparse.ArgumentParser) -> dict[str, argparse.ArgumentParser]:
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            return dict(action.choices)
    return {}


def _usage(parser: argparse.ArgumentParser) -> str:
    """What a command takes, on one line."""
    parts = []
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction) or set(action.option_strings) & set(_OF_EVERY):
            continue
        parts.append(_part(action))
    return "".join(f" {part}" for part in sorted(parts, key=lambda part: part.startswith("[--")))


def _part(action: argparse.Action) -> str:
    name = _value(action)
    if not action.option_strings:
        if action.nargs == "?":
            return f"[{name}]"
        return f"{name}…" if action.nargs == "+" else f"[{name}…]" if action.nargs == "*" else name
    option = next((one for one in action.option_strings if one.startswith("--")), action.option_strings[0])
    if isinstance(action, argparse.BooleanOptionalAction):
        option = "|".join(action.option_strings)
    written = option if action.nargs == 0 or isinstance(action, argparse.BooleanOptionalAction) else f"{option} {name}"
    return written if action.required else f"[{written}]"


def _value(action: argparse.Action) -> str:
    if action.choices is not None and action.metavar is None:
        return "|".join(str(one) for one in action.choices)
    metavar: Any = action.metavar or action.dest.upper()
    return str(metavar)


def written(document: str) -> str:
    """A document with the list of today in the place of the one it has."""
    head, _, rest = document.partition(BEGIN)
    return f"{head}{BEGIN}\n\n{text()}\n\n{END}{rest.partition(END)[2]}"


if __name__ == "__main__":
    DOCUMENT.write_text(written(DOCUMENT.read_text()))
