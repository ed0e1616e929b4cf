"""Runs the console's tests with vitest, and reports each to the runner as Python tests are reported."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path

CONSOLE = Path(__file__).resolve().parents[2] / "console"


def main() -> int:
    """Run them; gives vitest's exit code."""
    related = sys.argv[2:] if sys.argv[1:2] == ["--related"] else []
    with tempfile.TemporaryDirectory() as folder:
        told = Path(folder) / "told.json"
        words = ["related", *related, "--run", "--passWithNoTests"] if related else ["run"]
        code = subprocess.run(
            ["npx", "--no-install", "vitest", *words, "--reporter=default", "--reporter=json", f"--outputFile.json={told}"],
            cwd=CONSOLE, check=False,
        ).returncode  # fmt: skip
        if told.exists():
            with os.fdopen(int(os.environ["EVEN_ROSTER_TEST_REPORT"]), "w") as report:
                for line in outcomes(json.loads(told.read_text())):
                    report.write(json.dumps(line) + "\n")
    return code


def outcomes(told: dict[str, object]) -> list[dict[str, object]]:
    """What vitest's JSON reporter wrote, as the runner reads it."""
    lines: list[dict[str, object]] = []
    for file in told["testResults"]:  # type: ignore[attr-defined]
        path = Path(file["name"])
        where = str(path.relative_to(CONSOLE)) if path.is_relative_to(CONSOLE) else path.name
        if file["status"] == "failed" and not file["assertionResults"]:
            lines.append({"wrong": where, "detail": file.get("message", "")})
            lines.append({"test": where, "outcome": "failed", "seconds": 0.0, "detail": ""})
        for one in file["assertionResults"]:
            name = f"{where}: {one['fullName']}"
            outcome = {"passed": "passed", "failed": "failed"}.get(one["status"], "skipped")
            if outcome == "failed":
                lines.append({"wrong": name, "detail": "\n".join(one["failureMessages"])})
            lines.append(
                {
                    "test": name,
                    "outcome": outcome,
                    "seconds": (one.get("duration") or 0) / 1000,
                    "detail": one["status"],
                }
            )
    return lines


if __name__ == "__main__":
    sys.exit(main())
