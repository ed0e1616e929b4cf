"""Sends what the API's description allows, and what it does not, to a demo that nobody else can reach: `unshare --net python -m
tests.support.fuzz_run EXAMPLES [PHASES]`. Ends with 0 when every answer was one that the description has."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
from pathlib import Path

import httpx

from tests.support.service import demo

CHECKS = (
    "not_a_server_error", "status_code_conformance", "content_type_conformance", "response_headers_conformance",
    "response_schema_conformance", "unsupported_method", "ignored_auth",
)  # fmt: skip
METHODS = (("GET",), ("POST",), ("PATCH", "PUT", "DELETE"))
SEED = 7


def main() -> int:
    """One run; gives the exit code."""
    examples, phases = sys.argv[1], sys.argv[2] if len(sys.argv) > 2 else "examples,fuzzing,stateful"
    subprocess.run(["ip", "link", "set", "lo", "up"], check=True)
    with tempfile.TemporaryDirectory() as folder, demo("--verbose", watch=False) as service:
        token = json.loads((service.home / "service.json").read_text())["token"]
        httpx.get(
            f"{service.url}/api/v1/openapi.json", timeout=300
        ).raise_for_status()  # made once; st waits 10 s for it
        command = [
            str(Path(sys.executable).with_name("st")), "run", f"{service.url}/api/v1/openapi.json",
            "--header", f"Authorization: Bearer {token}", "--max-examples", examples, "--seed", str(SEED),
            "--generation-database", "none", "--continue-on-failure",
            "--request-timeout", "240", "--no-color", "--no-shrink", "--checks", ",".join(CHECKS),
        ]  # fmt: skip
        # Side by side in processes, not in threads: Python 3.11's compiler counts its depth for all threads together.
        single = [phase for phase in phases.split(",") if phase != "stateful"]
        shares = [["--phases", ",".join(single), *_only(methods)] for methods in METHODS if single]
        shares += [["--phases", "stateful"]] if "stateful" in phases else []
        running = []
        for number, share in enumerate(shares):
            place = Path(folder) / f"share-{number}"  # each writes down what it did
            place.mkdir()
            with (place / "said").open("w") as said_there:
                running.append(
                    subprocess.Popen([*command, *share], cwd=place, stdout=said_there, stderr=subprocess.STDOUT)
                )
        codes = [process.wait() for process in running]
        for number, code in enumerate(codes):
            if code or number == len(codes) - 1:
                sys.stdout.write((Path(folder) / f"share-{number}" / "said").read_text())
        if any(codes):
            lines = service.log.read_text().splitlines(keepends=True)
            sys.stderr.write("".join([line for line in lines if " INFO " not in line][-200:]))
        return max(codes)


def _only(methods: tuple[str, ...]) -> list[str]:
    return [part for method in methods for part in ("--include-method", method)]


if __name__ == "__main__":
    sys.exit(main())
