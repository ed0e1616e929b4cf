"""`roster completion SHELL`: a completion script for bash or zsh, made from the parser itself."""

from __future__ import annotations

import argparse
from typing import Any

from .grammar import verb
from .output import Out


def add_commands(commands: Any, shared: argparse.ArgumentParser) -> None:
    """Add this module's command."""
    verb(commands, shared, "completion", _completion).add_argument("shell", choices=("bash", "zsh"))


def _completion(options: argparse.Namespace) -> int:
    words = _words(options.whole)
    cases = "\n".join(f'    "{path}") words="{" ".join(found)}" ;;' for path, found in sorted(words.items()) if path)
    script = (
        f"{'autoload -U +X bashcompinit && bashcompinit' if options.shell == 'zsh' else '# bash completion of roster'}\n"
        "_roster() {\n"
        '  local here="${COMP_WORDS[COMP_CWORD]}" path="" word words\n'
        '  for word in "${COMP_WORDS[@]:1:COMP_CWORD-1}"; do case "$word" in -*) ;; *) path="${path:+$path }$word" ;; esac; done\n'
        f'  words="{" ".join(words[""])}"\n'
        '  case "$path" in\n' + cases + '\n    *\\ *) words="" ;;\n  esac\n'
        '  COMPREPLY=( $(compgen -W "$words" -- "$here") )\n'
        "}\ncomplete -o default -F _roster roster\n"
    )
    out = Out(options.json)
    out.json({"shell": options.shell, "script": script}) if options.json else print(script, end="")
    return 0


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
