"""Sends what the API's description allows, and what it does not, to a demo that nobody else can reach: `unshare --net python -m
tests.support.fuzz_run EXAMPLES [PHASES]`. Ends with 0 when every answer was one that the description has."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import traceback
from pathlib import Path

import httpx
from schemathesis.cli import schemathesis

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
            "run", f"{service.url}/api/v1/openapi.json",
            "--header", f"Authorization: Bearer {token}", "--max-examples", examples, "--seed", str(SEED),
            "--generation-database", "none", "--continue-on-failure",
            "--request-timeout", "240", "--no-color", "--no-shrink", "--checks", ",".join(CHECKS),
        ]  # fmt: skip
        # Side by side in processes, not in threads: Python 3.11's compiler counts its depth for all threads together. They are forks,
        # so that the tool is imported once.
        single = [phase for phase in phases.split(",") if phase != "stateful"]
        shares = [["--phases", ",".join(single), *_only(methods)] for methods in METHODS if single]
        shares += [["--phases", "stateful"]] if "stateful" in phases else []
        places = [Path(folder) / f"share-{number}" for number in range(len(shares))]  # each writes down what it did
        running = [_started([*command, *share], place) for share, place in zip(shares, places, strict=True)]
        codes = [os.waitstatus_to_exitcode(os.waitpid(pid, 0)[1]) for pid in running]
        for place, code in zip(places, codes, strict=True):
            if code or place == places[-1]:
                sys.stdout.write((place / "said").read_text())
        if any(codes):
            lines = service.log.read_text().splitlines(keepends=True)
            sys.stderr.write("".join([line for line in lines if " INFO " not in line][-200:]))
        return int(any(codes))


def _started(arguments: list[str], place: Path) -> int:
    """Run the tool in a fork, in a folder of its own where it writes down what it says; gives the number of the process."""
    place.mkdir()
    pid = os.fork()
    if pid:
        return pid
    code = 3
    try:
        os.chdir(place)
        said = os.open("said", os.O_WRONLY | os.O_CREAT)
        os.dup2(said, 1)
        os.dup2(said, 2)
        schemathesis.main(arguments, prog_name="st")
    except SystemExit as end:
        code = end.code if isinstance(end.code, int) else 1
    except BaseException:
        traceback.print_exc()
    finally:
        for stream in (sys.stdout, sys.stderr):
            stream.flush()
        os._exit(code)


def _only(methods: tuple[str, ...]) -> list[str]:
    return [part for method in methods for part in ("--include-method", method)]


if __name__ == "__main__":
    sys.exit(main())
