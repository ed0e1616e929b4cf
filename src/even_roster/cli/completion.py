"""`roster completion SHELL`: a completion script for bash or zsh, made from the parser itself; it asks the service for names."""

from __future__ import annotations

import argparse
from collections.abc import Iterator
from itertools import islice
from typing import TYPE_CHECKING, Any

from .common import connect
from .grammar import verb
from .output import Out

if TYPE_CHECKING:
    from .connection import Service

MOST = 2000
KINDS = ("device", "subnet", "band", "server")
_METAVARS = {
    "DEVICE": "device",
    "SUBNET": "subnet",
    "BAND": "band",
    "SERVER": "server",
    "WHERE": "subnet band",
    "HOSTNAME": "device",
}


def add_commands(commands: Any, shared: argparse.ArgumentParser) -> None:
    """Add this module's command."""
    parser = verb(commands, shared, "completion", _completion)
    parser.add_argument("shell", choices=("bash", "zsh", "names"), help="names: what the script asks for by itself")
    parser.add_argument("of", nargs="*", metavar="KIND", help=f"of names: {', '.join(KINDS)}")


def _completion(options: argparse.Namespace) -> int:
    out = Out(options.json)
    if options.shell == "names":
        with connect(options) as roster:
            names = list(dict.fromkeys(islice(_names(roster, options.of), MOST)))
        out.json({"names": names}) if options.json else out.raw("".join(f"{name}\n" for name in names))
        return 0
    script = _script(options.whole, options.shell)
    out.json({"shell": options.shell, "script": script}) if options.json else out.raw(script)
    return 0


def _names(roster: Service, kinds: list[str]) -> Iterator[str]:
    """What things can be called to change them."""
    for kind in kinds:
        if kind == "device":
            for device in roster.devices():
                if device.called and not device.called_because.startswith("heard"):
                    yield device.called
        elif kind == "subnet":
            for subnet in roster.planned_subnets():
                yield subnet.name or subnet.cidr
        elif kind == "band":
            for band in roster.bands():
                yield band.name or f"{band.first}-{band.last}"
        elif kind == "server":
            yield from (server.name for server in roster.dhcp_servers())


def _script(parser: argparse.ArgumentParser, shell: str) -> str:
    words, names, behind = _words(parser), _named(parser), _behind_options(parser)
    lines = [
        "autoload -U +X bashcompinit && bashcompinit" if shell == "zsh" else "# bash completion of roster",
        "_roster() {",
        '  local here="${COMP_WORDS[COMP_CWORD]}" path="" words="" names="" word last where=()',
        '  local before="${COMP_WORDS[COMP_CWORD-1]}"',
        '  for word in "${COMP_WORDS[@]:1:COMP_CWORD-1}"; do',
        '    case "$last" in --home|--server|--token-file) where+=("$last" "$word"); last=""; continue ;; esac',
        '    case "$word" in -*) last="$word" ;; *) [ -n "$last" ] || path="${path:+$path }$word"; last="" ;; esac',
        "  done",
        f'  words="{" ".join(words[""])}"',
        '  case "$path" in',
        *(f'    "{path}") words="{" ".join(found)}" ;;' for path, found in sorted(words.items()) if path),
        '    *\\ *) words="" ;;',
        "  esac",
        '  case "$path" in',
        *(f'    "{path}"|"{path} "*) names="{kinds}" ;;' for path, kinds in sorted(names.items(), reverse=True)),
        "  esac",
        '  case "$before" in',
        *(f'    {option}) names="{kinds}"; words="" ;;' for option, kinds in sorted(behind.items())),
        "  esac",
        '  COMPREPLY=( $(compgen -W "$words" -- "$here") )',
        '  case "$here" in -*) ;; *)',
        '    [ -z "$names" ] || while IFS= read -r word; do',
        '      case "$word" in "$here"*) COMPREPLY+=( "$(printf %q "$word")" ) ;; esac',
        '    done < <(roster "${where[@]}" completion names $names 2>/dev/null) ;;',
        "  esac",
        "}",
        "complete -o default -F _roster roster",
    ]
    return "\n".join(lines) + "\n"


def _words(parser: argparse.ArgumentParser, path: str = "") -> dict[str, list[str]]:
    """What may follow each path of commands: sub-commands and options."""
    found: dict[str, list[str]] = {path: []}
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            found[path] += list(action.choices)
            for name, child in action.choices.items():
                found |= _words(child, f"{path} {name}".strip())
        else:
            found[path] += [option for option in action.option_strings if option.startswith("--")]
    return found


def _named(parser: argparse.ArgumentParser, path: str = "") -> dict[str, str]:
    """What kinds of names may follow each path of commands."""
    found: dict[str, str] = {}
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            for name, child in action.choices.items():
                found |= _named(child, f"{path} {name}".strip())
        elif not action.option_strings and (kinds := _kinds(action)) and path.split(" ")[-1] != "add":
            found[path] = " ".join(dict.fromkeys([*found.get(path, "").split(), *kinds.split()]))
    return found


def _behind_options(parser: argparse.ArgumentParser) -> dict[str, str]:
    """What kinds of names stand behind options, wherever they are."""
    found: dict[str, str] = {}
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            for child in action.choices.values():
                for option, kinds in _behind_options(child).items():
                    found[option] = " ".join(dict.fromkeys([*found.get(option, "").split(), *kinds.split()]))
        elif kinds := _kinds(action):
            for option in action.option_strings:
                if option.startswith("--"):
                    found[option] = kinds
    return found


def _kinds(action: argparse.Action) -> str:
    """Whose names an argument takes, by how it is called in the help."""
    words = str(action.metavar or "").replace("|", " ").split()
    return " ".join(dict.fromkeys(_METAVARS[word] for word in words if word in _METAVARS))
