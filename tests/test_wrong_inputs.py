"""Whatever is typed: a sentence and an exit code, never a traceback."""

from __future__ import annotations

import contextlib
import io
import random
import sys
import unittest
from collections.abc import Iterator

from tools import commands

from even_roster.cli import main
from even_roster.cli.grammar import WORDS
from tests.support.service import Service, demo

BESIDE = "anything"

JUNK = (
    "", " ", "-", "--", "---", "-1", "0", "999999999999999999999", "10.44.10.30", "10.44.10.999", "10.44.10.0/24", "10.44.10.0/99", "::1",
    "printer-1", "Office", "printers", "02:c0:44:00:00:26", "02:c0:44", "MAC:zz", "nobody", "é漢\u202e", "\x1b[2J", "a" * 3000, "%s%n", "';--",
    "../../etc/passwd", "\\", "2026-13-45", "yesterday 25:99", "never", "1e9", "=", "x=y", "--in", "--json", "--limit", "--site=x", "\ud800",
)  # fmt: skip
NOT_TRIED = {"serve", "demo", "listen", "console", "completion"}
"""They run on, or would read what the test's own terminal types."""


class WrongInputs(unittest.TestCase):
    service: Service

    @classmethod
    def setUpClass(cls) -> None:
        cls.service = cls.enterClassContext(demo(watch=False))
        cls.service.json("scan", "10.44.10.0/26")

    def lines(self, count: int) -> list[list[str]]:
        """Commands, verbs and options that there are, with what is none in between; the same at every run."""
        dice = random.Random(20261127)
        found: list[list[str]] = []
        tree = commands._children(main.build_parser())
        while len(found) < count:
            word = dice.choice(sorted(set(WORDS) - NOT_TRIED))
            line, parser = [word], tree[word]
            verbs = commands._children(parser)
            if verbs and dice.random() < 0.8:
                verb = dice.choice(sorted(verbs))
                line, parser = [*line, verb], verbs[verb]
            options = sorted(option for action in parser._actions for option in action.option_strings)
            for _ in range(dice.randrange(6)):
                line.append(dice.choice(options) if dice.random() < 0.4 else dice.choice(JUNK))
            if dice.random() < 0.1:
                line[0] = dice.choice(("devcie", "", "roster", word.upper(), f"{word}s"))
            found.append(
                [one for one in line if one not in ("-h", "--help", "--home", "--server", "--token", "--token-file")]
            )
        return found

    def test_five_hundred_wrong_lines_end_with_a_sentence(self) -> None:
        codes: dict[int, int] = {}
        wrong: list[str] = []
        for line in self.lines(500):
            out, err = io.TextIOWrapper(io.BytesIO(), errors="surrogateescape"), io.StringIO()
            try:
                with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err), no_typing():
                    code = main.run(["--home", str(self.service.home), *line])
            except Exception as error:
                wrong.append(f"{line}: {type(error).__name__} {error}")
                continue
            told = err.getvalue()
            codes[code] = codes.get(code, 0) + 1
            if code not in range(7) or "Traceback" in told or "went wrong inside" in told or len(told) > 9000:
                wrong.append(f"{line}: {code} {told[-300:]}")
            elif code in (2, 3, 4, 5) and not told.startswith("roster: "):
                wrong.append(f"{line}: {code} without a sentence: {told[:200]}")
        self.assertEqual(wrong, [])
        self.assertGreater(codes.get(2, 0), 200, codes)
        self.assertEqual(self.service.roster("here").returncode, 0, "the service is well")


@contextlib.contextmanager
def no_typing() -> Iterator[None]:
    """Standard input that says nothing."""
    before, sys.stdin = sys.stdin, io.TextIOWrapper(io.BytesIO(b""))
    try:
        yield
    finally:
        sys.stdin = before


if __name__ == "__main__":
    unittest.main()
