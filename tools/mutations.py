"""Draws small faults by a seed, puts each into a copy of the source, and sees whether the tests of that file find it.

    python -m tools.mutations --seed 7 --count 60            all of core, wire and the engines of probe
    python -m tools.mutations --in core/findings --count 20

A fault that no test finds says where a test is missing, or that the code is not needed. The checkout stays as it is.
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
SOURCE = ROOT / "src" / "even_roster"
ROOMS = ("core", "wire", "probe")
LIMIT_SECONDS = 300
"""A fault that makes a test run so long has been found."""
COMPARED = {
    ast.Lt: "<=", ast.LtE: "<", ast.Gt: ">=", ast.GtE: ">", ast.Eq: "!=", ast.NotEq: "==", ast.In: "not in",
    ast.NotIn: "in", ast.Is: "is not", ast.IsNot: "is",
}  # fmt: skip
COUNTED = {
    ast.Add: "-", ast.Sub: "+", ast.Mult: "+", ast.FloorDiv: "*", ast.Mod: "//", ast.BitAnd: "|", ast.LShift: ">>",
    ast.RShift: "<<",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Fault:
    """A part of a file's text that is replaced."""

    path: Path
    line: int
    first: int
    last: int
    before: str
    after: str


def faults(path: Path) -> Iterator[Fault]:
    """Every fault that may be put into one file."""
    text = path.read_text()
    starts = [0]
    for line in text.encode().splitlines(keepends=True):
        starts.append(starts[-1] + len(line))

    def place(node: ast.expr) -> tuple[int, int]:
        assert node.end_lineno is not None and node.end_col_offset is not None
        return starts[node.lineno - 1] + node.col_offset, starts[node.end_lineno - 1] + node.end_col_offset

    data = text.encode()

    def between(left: ast.expr, right: ast.expr, after: str) -> Fault | None:
        """An operator between two operands that stand on one line without brackets between them."""
        first, last = place(left)[1], place(right)[0]
        before = data[first:last].decode()
        if "\n" in before or set("()") & set(before):
            return None
        return Fault(path, left.end_lineno or 0, first, last, before, f" {after} ")

    tree = ast.parse(text)
    decorating = {
        id(part) for node in ast.walk(tree) for one in getattr(node, "decorator_list", ()) for part in ast.walk(one)
    }
    for node in ast.walk(tree):
        found: Fault | None = None
        if id(node) in decorating:
            continue  # whether a value may be changed, or has a dictionary, is nothing that it computes
        if isinstance(node, ast.Compare) and len(node.ops) == 1 and type(node.ops[0]) in COMPARED:
            found = between(node.left, node.comparators[0], COMPARED[type(node.ops[0])])
        elif isinstance(node, ast.BinOp) and type(node.op) in COUNTED and not _text(node):
            found = between(node.left, node.right, COUNTED[type(node.op)])
        elif isinstance(node, ast.BoolOp) and len(node.values) == 2:
            found = between(node.values[0], node.values[1], "or" if isinstance(node.op, ast.And) else "and")
        elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
            first, last = place(node)
            found = Fault(
                path, node.lineno, first, place(node.operand)[0], data[first : place(node.operand)[0]].decode(), ""
            )
            if "(" in found.before:
                found = None
        elif isinstance(node, ast.Constant) and isinstance(node.value, int):  # a bool is one, too
            first, last = place(node)
            after = str(not node.value) if isinstance(node.value, bool) else str(node.value + 1)
            found = Fault(path, node.lineno, first, last, data[first:last].decode(), after)
        if found is not None:
            yield found


def _text(node: ast.BinOp) -> bool:
    """True for what joins texts or lists rather than numbers."""
    return any(
        isinstance(part, (ast.JoinedStr, ast.List, ast.Tuple))
        or (isinstance(part, ast.Constant) and not isinstance(part.value, int))
        for part in (node.left, node.right)
    )


def main() -> int:
    """Draw, try and report; the exit code is 1 when fewer were found than demanded."""
    parser = argparse.ArgumentParser(
        prog="python -m tools.mutations", formatter_class=argparse.RawDescriptionHelpFormatter, description=__doc__
    )
    parser.add_argument("--seed", type=int, default=7)
    parser.add_argument("--count", type=int, default=60)
    parser.add_argument(
        "--in", dest="within", action="append", default=[], help="folders or files below src/even_roster"
    )
    parser.add_argument("--demand", type=float, default=0.75, help="the share that must be found")
    given = parser.parse_args()
    places = [SOURCE / part for part in (given.within or ROOMS)]
    files = sorted({path for place in places for path in ([place] if place.is_file() else place.rglob("*.py"))})
    every = [fault for path in files for fault in faults(path)]
    drawn = random.Random(given.seed).sample(every, min(given.count, len(every)))
    print(f"{len(drawn)} drawn of {len(every)} in {len(files)} files, by the seed {given.seed}", flush=True)
    verdicts: list[bool] = []
    with tempfile.TemporaryDirectory(prefix="even-roster-mutations-") as folder:
        copy = _copy(Path(folder))
        for number, fault in enumerate(drawn, 1):
            began = time.monotonic()
            verdict = _tried(copy, fault)
            said = {True: "found", False: "NOT FOUND", None: "untested"}[verdict]
            verdicts.append(bool(verdict))
            where = f"{fault.path.relative_to(SOURCE)}:{fault.line}"
            print(f"[{number:3d}/{len(drawn)}] {said:9s} {time.monotonic() - began:5.0f} s  {where}: {fault.before.strip()!r} -> "
                  f"{fault.after.strip()!r}", flush=True)  # fmt: skip
    share = sum(verdicts) / max(len(verdicts), 1)
    print(f"{sum(verdicts)} of {len(verdicts)} were found ({share:.0%})")
    return 0 if share >= given.demand else 1


def _copy(folder: Path) -> Path:
    """A copy of what the tests need."""
    copy = folder / "copy"
    for name in ("src", "tests", "tools", "docs", "bench"):
        shutil.copytree(ROOT / name, copy / name, ignore=shutil.ignore_patterns("__pycache__", "*.egg-info"))
    for name in ("pyproject.toml", "README.md", "setup.py", "MANIFEST.in", "Makefile"):
        shutil.copy(ROOT / name, copy)
    (copy / "console" / "src").mkdir(parents=True)
    shutil.copytree(ROOT / "console" / "src", copy / "console" / "src", dirs_exist_ok=True)
    for name in ("openapi.json", "node_modules"):
        (copy / "console" / name).symlink_to(ROOT / "console" / name)
    return copy


def _tried(copy: Path, fault: Fault) -> bool | None:
    """True when the tests of a file find a fault in it, None when it has no tests."""
    path = copy / fault.path.relative_to(ROOT)
    data = path.read_bytes()
    path.write_bytes(data[: fault.first] + fault.after.encode() + data[fault.last :])
    running = subprocess.Popen(
        [sys.executable, "-m", "tests", "--first-failure", str(path.relative_to(copy))], cwd=copy,
        stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True,
        env={**os.environ, "PYTHONPATH": f"{copy / 'src'}:{copy}"},
    )  # fmt: skip
    try:
        said, _ = running.communicate(timeout=LIMIT_SECONDS)
    except subprocess.TimeoutExpired:
        running.send_signal(signal.SIGINT)  # at which the runner ends what it began
        running.communicate()
        return True
    finally:
        path.write_bytes(data)
    if "Nothing tests that." in said:
        return None
    if running.returncode and "FAILED " not in said:
        raise SystemExit(f"the tests did not run: {said[-2000:]}")
    return running.returncode != 0


if __name__ == "__main__":
    sys.exit(main())
