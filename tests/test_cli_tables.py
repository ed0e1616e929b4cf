"""Tables that fit a terminal, answers without models, and the line to a service."""

from __future__ import annotations

import ast
import contextlib
import http.server
import io
import json
import subprocess
import sys
import threading
import unittest
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import ClassVar
from unittest import mock

from even_roster.cli.connection import Service
from even_roster.cli.output import Out
from even_roster.cli.tables import LEAVE, WHOLE, Text, cells, facts, table
from even_roster.cli.told import TIMES, Told
from even_roster.client import BadInput, RosterError, Unreachable
from tests.support.drawing import given, st

BESIDE = "anything"

ROOT = Path(__file__).parents[1]
COLUMNS = ("id", "address", "name", "role", "mac", "vendor", "last seen")
ROW = (
    "1204",
    "10.44.20.141",
    "loudspeaker-amplifier-left",
    "control",
    "02:c0:9f:a0:00:6b",
    "Thornbury Sound",
    "3 min ago",
)
texts = st.text(alphabet="ab é漢\u0301-", max_size=30)


class Tables(unittest.TestCase):
    @given(st.lists(st.tuples(texts, texts, texts), max_size=4), st.integers(20, 90))
    def test_no_line_is_wider_than_the_terminal(self, rows: list[tuple[str, str, str]], width: int) -> None:
        columns = ("name", "what", "vendor")
        lines, _ = table(columns, rows, (), width)
        self.assertLessEqual(max(cells(line.plain.rstrip()) for line in lines), width)

    def test_addresses_and_macs_are_whole_at_every_width_and_what_matters_least_leaves_first(self) -> None:
        before: list[str] = []
        for width in range(120, 38, -1):
            lines, gone = table(COLUMNS, [ROW], (), width)
            self.assertLessEqual(max(cells(line.plain) for line in lines), width)
            for whole in ("1204", "10.44.20.141", "02:c0:9f:a0:00:6b"):
                self.assertIn(whole, lines[1].plain)
            self.assertEqual(gone[: len(before)], before, "what has left does not come back")
            before = gone
        self.assertEqual(before, ["vendor", "role", "last seen", "name"])
        self.assertEqual(table(COLUMNS, [ROW], (), 80)[1], [], "eighty columns have room for all of these")

    def test_what_may_leave_is_never_what_must_stay(self) -> None:
        self.assertEqual(set(LEAVE) & WHOLE, set())

    def test_sentences_go_on_in_the_next_line_under_their_column(self) -> None:
        lines, _ = table(("id", "what"), [("7", "it answered twice in the same second")], ("id",), 24)
        self.assertEqual(
            [line.plain.rstrip() for line in lines], ["id  what", " 7  it answered twice in", "    the same second"]
        )

    @given(st.text(alphabet="ab \n漢é", max_size=60), st.integers(1, 20))
    def test_breaking_a_text_loses_nothing_of_it(self, text: str, width: int) -> None:
        folded = [part for line in Text(text).lines() for part in line.folded(max(width, 2))]
        self.assertEqual("".join(part.plain for part in folded), text.replace("\n", ""))
        self.assertTrue(all(cells(part.plain.rstrip()) <= max(width, 2) for part in folded))

    def test_facts_break_their_values_only(self) -> None:
        lines = facts([("called so", "planned hostname of its address"), ("owner", "")], 26)
        self.assertEqual(
            [line.plain for line in lines], ["called so  planned ", "           hostname of its ", "           address"]
        )

    def test_styles_are_for_terminals_that_want_them(self) -> None:
        text = Text.assemble(("taken", "bold red"), " by two")
        self.assertEqual(text.shown(True), "\x1b[1;31mtaken\x1b[0m by two")
        for terminal, settings, colour in (
            (True, {}, True),
            (True, {"NO_COLOR": "1"}, False),
            (True, {"TERM": "dumb"}, False),
            (False, {}, False),
        ):
            out = io.StringIO()
            with (
                mock.patch.object(out, "isatty", return_value=terminal),
                mock.patch.dict("os.environ", {"TERM": "xterm", "COLUMNS": "40", **settings}),
                contextlib.redirect_stdout(out),
            ):
                Out(False).line(text)
            self.assertEqual("\x1b" in out.getvalue(), colour, (terminal, settings))

    def test_every_style_that_a_command_uses_is_one(self) -> None:
        with self.assertRaises(KeyError):
            Text("x", "no-such-style")
        seen: set[str] = set()
        for path in (ROOT / "src" / "even_roster" / "cli").glob("*.py"):
            for node in ast.walk(ast.parse(path.read_text())):
                if not isinstance(node, ast.Call):
                    continue
                name = getattr(node.func, "attr", getattr(node.func, "id", ""))
                given = [one.value for one in node.keywords if one.arg == "style"]
                if name in ("say", "Text", "append", "stylize"):
                    given += node.args[0:1] if name == "stylize" else node.args[1:2]
                if name == "assemble":
                    given += [one.elts[1] for one in node.args if isinstance(one, ast.Tuple) and len(one.elts) == 2]
                for one in given:
                    constants = [
                        part for part in ast.walk(one) if isinstance(part, ast.Constant) and isinstance(part.value, str)
                    ]
                    if isinstance(one, ast.Constant | ast.IfExp):
                        seen |= {
                            str(part.value)
                            for part in constants
                            if not isinstance(one, ast.IfExp) or part in (one.body, one.orelse)
                        }
        for style in sorted(seen):
            self.assertTrue(Text("x", style).parts, style)
        self.assertGreaterEqual(seen, {"bold", "dim", "yellow", "green"})

    def test_what_had_to_leave_is_told(self) -> None:
        out, beside = io.StringIO(), io.StringIO()
        with (
            mock.patch.object(out, "isatty", return_value=True),
            mock.patch.dict("os.environ", {"COLUMNS": "50", "NO_COLOR": "1"}),
            contextlib.redirect_stdout(out),
            contextlib.redirect_stderr(beside),
        ):
            Out(False).table(COLUMNS, [ROW])
        self.assertIn("left out for want of width: vendor, role", beside.getvalue())
        self.assertEqual(max(len(line) for line in out.getvalue().splitlines()) <= 50, True)


class Imports(unittest.TestCase):
    def test_no_command_waits_for_what_only_some_need(self) -> None:
        heavy = ("pydantic", "httpx", "fastapi", "sqlalchemy", "uvicorn", "even_roster.api.devices")
        ask = f"import sys; from even_roster.cli.main import build_parser; build_parser(); print([m for m in {heavy} if m in sys.modules])"
        done = subprocess.run([sys.executable, "-c", ask], capture_output=True, text=True, check=True)
        self.assertEqual(done.stdout.strip(), "[]")


class Answers(unittest.TestCase):
    def test_times_are_just_what_the_api_says_they_are(self) -> None:
        schemas = json.loads((ROOT / "console" / "openapi.json").read_text())["components"]["schemas"]
        fields = [
            (name, json.dumps(field)) for one in schemas.values() for name, field in one.get("properties", {}).items()
        ]
        self.assertEqual(TIMES, {name for name, field in fields if "date-time" in field})

    def test_members_are_attributes_even_where_a_dictionary_has_its_own(self) -> None:
        told = Told(
            {
                "device": {"id": 4, "last_seen": "2026-11-27T10:00:00.000Z"},
                "values": {"x": "1"},
                "keys": {"y": 2},
                "things": [{"at": "10.44.10.1"}],
            }
        )
        self.assertEqual((told.device.id, told.device.last_seen), (4, datetime(2026, 11, 27, 10, tzinfo=UTC)))
        self.assertEqual((told["values"]["x"], told.things[0].at), ("1", "10.44.10.1"))
        self.assertEqual(getattr(told, "keys").y, 2)  # noqa: B009
        with self.assertRaises(AttributeError):
            _ = told.nothing


class _Door(http.server.BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"
    answers: ClassVar[list[tuple[int, bytes]]] = []
    asked: ClassVar[list[str]] = []

    def do_GET(self) -> None:
        type(self).asked.append(self.path)
        status, body = self.answers.pop(0)
        self.send_response(status)
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, *_: object) -> None:
        """Says nothing."""


@contextlib.contextmanager
def door(*answers: tuple[int, bytes]) -> Iterator[Service]:
    """A service that gives these answers."""
    _Door.answers, _Door.asked = list(answers), []
    with http.server.ThreadingHTTPServer(("127.0.0.1", 0), _Door) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        with Service(f"http://127.0.0.1:{server.server_port}", "x") as service:
            yield service
        server.shutdown()


class Lines(unittest.TestCase):
    def test_what_is_asked_goes_out_as_it_is_meant(self) -> None:
        with door(*[(200, b'{"items": [], "next": null, "total": 0}')] * 2) as service:
            service.bands(subnet=3)
            self.assertEqual(list(service.devices(q="a&b", unknown=True)), [])
        self.assertEqual(_Door.asked[0], "/api/v1/bands?subnet=3&limit=1000")
        self.assertIn("q=a%26b&unknown=true", _Door.asked[1])

    def test_whatever_comes_back_is_an_error_of_ours(self) -> None:
        wrong = json.dumps(
            {"title": "Bad input", "status": 422, "code": "bad_input", "detail": "no such range"}
        ).encode()
        with door((422, wrong), (500, b"<html>"), (502, b""), (404, b'{"detail": [1]}')) as service:
            with self.assertRaisesRegex(BadInput, "no such range") as bad:
                service.bands()
            self.assertIsNone(bad.exception.problem.start)
            for status in (500, 502, 404):
                with self.assertRaisesRegex(RosterError, f"answered {status}"):
                    service.bands()

    def test_nobody_there_is_said_in_a_sentence(self) -> None:
        for url in ("http://127.0.0.1:9", "ftp://127.0.0.1", "127.0.0.1:80", "http://127.0.0.1:99999", "http://"):
            with self.subTest(url), self.assertRaisesRegex(Unreachable, "is not reachable|is no address"):
                Service(url, "x").bands()


if __name__ == "__main__":
    unittest.main()
