"""Finds what there is to run: modules of Python tests, the console's tests, linters and type checkers."""

from __future__ import annotations

import ast
import json
import subprocess
import sys
from collections.abc import Iterable
from dataclasses import replace
from functools import cache
from pathlib import Path

from .schedule import ANYTHING, Entry, valid

TESTS = Path(__file__).resolve().parents[1]
ROOT = TESTS.parent
SOURCE = ROOT / "src"
DURATIONS = TESTS / "runner" / "durations.json"
PARTS = ("test", "try", "endure")
BOTH = "test and endure"
"""Of a module that tries a little in `make test` and more in `make endure`; see tests/support/effort.py."""
PYTHON = sys.executable
CONSOLE = ("npm", "--prefix", "console", "run", "--silent")
CHECKS = (
    Entry("check: ruff", command=(PYTHON, "-m", "ruff", "check", "--quiet", ".")),
    Entry("check: ruff format", command=(PYTHON, "-m", "ruff", "format", "--quiet", "--check", ".")),
    Entry("check: mypy", command=(PYTHON, "-m", "mypy")),
    Entry("check: tsc", command=(*CONSOLE, "types:check")),
    Entry("check: oxlint", command=(*CONSOLE, "lint")),
)
CONSOLE_TESTS = Entry("console tests", command=(PYTHON, "-m", "tests.runner.console_tests"))


class UnknownName(ValueError):
    """Something was asked for that is not there."""


def modules() -> list[Entry]:
    """All modules of Python tests, as they declare themselves."""
    return [declared(path) for path in sorted(TESTS.glob("test_*.py"))]


def declared(path: Path) -> Entry:
    """One module by its constants BESIDE and PART. Raises ValueError where they are missing or unknown."""
    constants = {
        target.id: node.value.value
        for node in ast.parse(path.read_text()).body
        if isinstance(node, ast.Assign) and isinstance(node.value, ast.Constant)
        for target in node.targets
        if isinstance(target, ast.Name)
    }
    beside, part = constants.get("BESIDE"), constants.get("PART", "test")
    if not isinstance(beside, str) or not valid(beside):
        raise ValueError(
            f"{path.name}: BESIDE must say what it may run beside (see tests/runner/schedule.py), not {beside!r}"
        )
    if part not in (*PARTS, BOTH):
        raise ValueError(f"{path.name}: PART must be one of {', '.join((*PARTS, BOTH))}, not {part!r}")
    return Entry(path.stem, beside, str(part))


def of_part(part: str) -> list[Entry]:
    """What one of the three parts runs, with kept durations. The first part also checks, and tests the console."""
    found = [entry for entry in modules() if part in entry.part.split(" and ")]
    found += (*CHECKS, CONSOLE_TESTS) if part == "test" else ()
    return with_durations(found) if part == "test" else found


def with_durations(entries: Iterable[Entry]) -> list[Entry]:
    """Entries with the seconds that they took when durations were last kept."""
    kept = json.loads(DURATIONS.read_text()) if DURATIONS.exists() else {}
    return [replace(e, wall_seconds=w, processor_seconds=p) for e in entries for w, p in [kept.get(e.name, (0.0, 0.0))]]


def keep_durations(took: dict[str, tuple[float, float]]) -> None:
    """Write down how long entries took, wall and processor seconds; those that did not run keep theirs."""
    kept = json.loads(DURATIONS.read_text()) if DURATIONS.exists() else {}
    kept |= {name: [round(wall, 1), round(processor, 1)] for name, (wall, processor) in took.items()}
    names = {e.name for e in (*modules(), *CHECKS, CONSOLE_TESTS)}
    rows = [f"  {json.dumps(name)}: {json.dumps(kept[name])}" for name in sorted(kept) if name in names]
    DURATIONS.write_text("{\n" + ",\n".join(rows) + "\n}\n")


def named(words: Iterable[str]) -> list[Entry]:
    """What a person asked for: modules or tests (`test_store`, `test_store.Edits.test_one`), entries by name (`check: mypy`,
    `console`), files of the source or the console, or `changed` for all files that differ from the last commit."""
    found: dict[str, Entry] = {}
    for word in words:
        for entry in _named(word):
            earlier = found.get(entry.name)
            if earlier is None or not entry.only:
                found[entry.name] = entry
            elif earlier.only:
                found[entry.name] = replace(earlier, only=(*earlier.only, *entry.only))
    return with_durations(found.values())


def _named(word: str) -> list[Entry]:
    if word == "changed":
        return [entry for path in _changed() for entry in _of_file(path)]
    if (ROOT / word).is_file() and word.endswith((".py", ".ts", ".tsx")):
        return _of_file(ROOT / word)
    if word in ("console", CONSOLE_TESTS.name):
        return [CONSOLE_TESTS]
    if word == "checks":
        return list(CHECKS)
    for check in CHECKS:
        if word in (check.name, check.name.removeprefix("check: ")):
            return [check]
    module, _, rest = word.removeprefix("tests.").partition(".")
    path = TESTS / f"{module}.py"
    if not path.exists():
        raise UnknownName(
            f"'{word}' is neither a module in tests/, nor a source file, nor one of: changed, checks, console"
        )
    entry = declared(path)
    return [replace(entry, only=(f"{module}.{rest}",)) if rest else entry]


def _changed() -> list[Path]:
    """Files that differ from the last commit, new ones too."""
    said = subprocess.run(
        ["git", "status", "--porcelain", "--untracked-files=all"], cwd=ROOT, capture_output=True, text=True, check=True
    )
    return [
        ROOT / line[3:].split(" -> ")[-1]
        for line in said.stdout.splitlines()
        if (ROOT / line[3:].split(" -> ")[-1]).is_file()
    ]


def _of_file(path: Path) -> list[Entry]:
    """The tests of one file: itself, or the modules that import it directly; of the console, all of its tests."""
    path = path.resolve()
    if path.suffix in (".ts", ".tsx"):
        return [
            replace(
                CONSOLE_TESTS, command=(*CONSOLE_TESTS.command, "--related", str(path.relative_to(ROOT / "console")))
            )
        ]
    if path.parent == TESTS and path.stem.startswith("test_"):
        return [declared(path)]
    if path.suffix != ".py":
        return []
    wanted = {_module_name(path)}
    while wanted:
        found = [test for test in sorted(TESTS.glob("test_*.py")) if wanted & imported(test)]
        if found or path.is_relative_to(TESTS):
            return [declared(test) for test in found]
        # No test imports it by itself: those that test what imports it do.
        wanted = {name for name, needs in _needs().items() if wanted & needs} - wanted
    return []


def _module_name(path: Path) -> str:
    top = SOURCE if path.is_relative_to(SOURCE) else ROOT
    return ".".join(path.relative_to(top).with_suffix("").parts).removesuffix(".__init__")


@cache
def _needs() -> dict[str, set[str]]:
    """What each module of the source imports, by absolute names."""
    return {_module_name(path): imported(path) for path in SOURCE.rglob("*.py")}


@cache
def imported(path: Path) -> set[str]:
    """Absolute names of the modules that a file imports, and of what it imports from them."""
    found: set[str] = set()
    package = _module_name(path).split(".") if path.stem == "__init__" else _module_name(path).split(".")[:-1]
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            base = package[: len(package) - node.level + 1] if node.level else []
            module = ".".join([*base, *([node.module] if node.module else [])])
            found |= {module, *(f"{module}.{alias.name}" for alias in node.names)}
    return found


__all__ = [
    "ANYTHING",
    "CHECKS",
    "CONSOLE_TESTS",
    "PARTS",
    "UnknownName",
    "declared",
    "keep_durations",
    "modules",
    "named",
    "of_part",
]
