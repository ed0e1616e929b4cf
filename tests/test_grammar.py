"""One grammar: nouns list, verbs follow, former words still answer, every example runs, and the list of commands is that of the parser."""

from __future__ import annotations

import contextlib
import os
import pty
import re
import shlex
import subprocess
import unittest
from pathlib import Path
from unittest import mock

from tools import commands

from even_roster import __version__
from even_roster.api.switches import CredentialNew, SwitchNew
from even_roster.cli.devices import COLUMNS
from even_roster.cli.former import translated
from even_roster.cli.grammar import WORDS
from even_roster.cli.main import build_parser
from even_roster.cli.tables import cells
from tests.support import quick_start
from tests.support.patience import PATIENCE, until
from tests.support.service import Service, demo

BESIDE = "anything"

README = Path(__file__).parents[1] / "README.md"
NOT_RUN = (
    "roster serve",
    "roster demo",
)  # they run a service until it is stopped: quick start and the house's other tests do that


def examples() -> list[str]:
    """Those of every command and verb, in an order in which they can all be run."""
    found = [told.example for told in WORDS.values()]
    for parser in commands._children(build_parser()).values():
        for child in commands._children(parser).values():
            if child.epilog:
                found.append(child.epilog.removeprefix("example: "))
    rank = {
        "roster scan": 0, "roster assign ": 1, "roster chase start": 1, "roster link join": 1, "roster link forget": 3,
        "roster release": 3, "roster chase stop": 3,
    }  # fmt: skip
    return sorted(
        dict.fromkeys(found), key=lambda one: next((n for head, n in rank.items() if one.startswith(head)), 2)
    )


def of_readme() -> list[str]:
    """The commands of its quick tour."""
    lines = [line.strip() for line in README.read_text().splitlines() if line.startswith("    roster ")]
    lines = [line for line in lines if not line.startswith(NOT_RUN)]
    return [shlex.join(shlex.split(line, comments=True)) for line in lines]


class Promises(unittest.TestCase):
    service: Service

    @classmethod
    def setUpClass(cls) -> None:
        cls.service = cls.enterClassContext(demo(watch=True))
        cls.service.json("scan")
        with cls.service.client() as roster:
            roster.add_credential(CredentialNew(name="larkspur", snmp="2c", community="larkspur"))
            for name in ("switch-office-1", "switch-office-2", "switch-office-3", "10.44.10.131"):
                roster.read_switch_now(roster.add_switch(SwitchNew(switch=name)).id)
            roster.add_credential(CredentialNew(
                name="machinist", user="machinist", auth="sha256", auth_password="trapdoor-one", privacy="aes128",
                privacy_password="trapdoor-two",
            ))  # fmt: skip
            roster.enter_pairs("10.44.10.30 02:c0:44:00:00:11 spare")

    def run_it(self, line: str) -> subprocess.CompletedProcess[str]:
        """Run a command; while the service scans there by itself, it is to be tried again."""
        found: list[subprocess.CompletedProcess[str]] = []

        def ran() -> bool:
            found[:] = [self.service.roster(*shlex.split(line)[1:])]
            return not (found[0].returncode == 5 and "wait or stop it first" in found[0].stderr)

        until(ran, f"{line}: a scan runs there")
        return found[0]

    def test_every_example_of_the_help_does_what_it_shows(self) -> None:
        ran = 0
        for example in examples():
            if example.startswith(NOT_RUN):
                continue
            with self.subTest(example):
                done = self.run_it(example)
                answer_is_no = example.startswith(
                    (
                        "roster why",
                        "roster prove",
                        "roster dhcp preview",
                        "roster move",
                        "roster dns check",
                        "roster path",
                    )
                )
                self.assertIn(done.returncode, (0, 1) if answer_is_no else (0,), done.stderr)
                self.assertTrue(done.stdout.strip(), "it says nothing")
                self.assertNotIn("this is 'roster", done.stderr, "the example uses a former word")
                ran += 1
        self.assertGreater(ran, 40)

    def test_on_a_terminal_of_eighty_columns_no_line_is_longer_and_no_address_is_cut(self) -> None:
        """In a pseudo-terminal, where styles, progress and breaking of lines are: a pipe shows none of them."""
        addresses = {row.address for row in self.service.client().devices(range="Office") if row.address}
        for line in (
            "roster device --in Office", "roster device show printer-1", "roster finding", "roster finding --brief --all", "roster subnet",
            "roster subnet show Office", "roster subnet check", "roster band", "roster assignment", "roster watch", "roster dhcp",
            "roster dhcp holdings", "roster dhcp pools", "roster change", "roster here", "roster explain 10.44.20.41", "roster why 10.44.10.9",
            "roster history printer-1", "roster at now 10.44.20.41", "roster scan 10.44.10.0/28", "roster scan --earlier", "roster range",
            "roster switch", "roster port --of switch-office-1", "roster port show switch-office-1 17", "roster where printer-1",
            "roster credential", "roster pair --find 10.44.10.3", "roster pair without",
            "roster free Office --role printer", "roster notice", "roster dns", "roster role", "roster --help", "roster device --help",
        ):  # fmt: skip
            with self.subTest(line):
                last: list[tuple[int, str]] = []

                def ran(
                    line: str = line, last: list[tuple[int, str]] = last
                ) -> bool:  # the service scans by itself, too
                    last[:] = [self.on_terminal(line)]
                    return not (last[0][0] == 5 and "wait or stop it first" in last[0][1])

                until(ran, f"{line}: a scan runs there")
                code, told = last[0]
                self.assertIn(code, (0, 1), told)
                wide = [one for one in told.splitlines() if cells(one) > 80]
                self.assertEqual(wide, [])
                if line == "roster device --in Office":
                    still = {row.address for row in self.service.client().devices(range="Office")}
                    self.assertEqual(addresses & still - set(told.split()), set(), "a device may move meanwhile")

    def test_a_table_that_is_too_wide_is_shown_whole_in_a_pager(self) -> None:
        wide = "roster device --in Office --columns '" + ",".join(COLUMNS) + "'"
        code, told = self.on_terminal(wide)
        self.assertEqual(code, 0, told)
        self.assertRegex(told, "left out for want of width: .*; --wide shows all")
        for pager, marked in (("sed 's/^/paged: /'", True), ("false", False), ("no-such-pager", False), ("'", False)):
            code, told = self.on_terminal(f"{wide} --wide", PAGER=pager)
            with self.subTest(pager):
                self.assertEqual(code, 0, told)
                (head,) = [one for one in told.splitlines() if "last seen" in one]
                self.assertEqual([*re.split(" {2,}", head.removeprefix("paged: ").strip())], list(COLUMNS))
                self.assertEqual(head.startswith("paged: "), marked)
                self.assertNotIn("left out", told)
        self.assertNotIn("paged", self.on_terminal("roster site --wide", PAGER="sed 's/^/paged: /'")[1], "it fits")

    def on_terminal(self, line: str, **given: str) -> tuple[int, str]:
        """Run a command where a person would; gives its code and what is shown in the end."""
        ours, theirs = pty.openpty()
        words = ["--home", str(self.service.home), *shlex.split(line)[1:]]
        settings = {"COLUMNS": "80", "TERM": "xterm-256color", **given}
        with contextlib.closing(quick_start.Started(words, (theirs, theirs, theirs), given=settings)) as process:
            os.close(theirs)
            read = b""
            with contextlib.suppress(OSError):  # the other side is closed
                while part := os.read(ours, 65536):
                    read += part
            os.close(ours)
            code = process.wait(PATIENCE)
        text = re.sub(r"\x1b\[[0-9;]*[A-Za-z]", "", read.decode().replace("\r\n", "\n"))
        return code, "\n".join(one.rpartition("\r")[2] for one in text.split("\n"))

    def test_every_command_of_the_readme_does_what_it_shows(self) -> None:
        found = of_readme()
        self.assertGreater(len(found), 10)
        for line in found:
            words = shlex.split(line)[1:]
            with self.subTest(line):
                done = self.run_it(line)
                self.assertIn(done.returncode, (0, 1) if words[0] in ("why", "dhcp") else (0,), done.stderr)
                self.assertNotIn("this is 'roster", done.stderr)

    def test_a_noun_lists_and_its_verbs_are_told(self) -> None:
        for noun in (
            "device",
            "subnet",
            "band",
            "assignment",
            "site",
            "role",
            "vendor",
            "finding",
            "change",
            "watch",
            "notice",
            "range",
        ):
            with self.subTest(noun):
                self.assertEqual(self.service.roster(noun).returncode, 0)
                self.assertIn("verbs:", self.service.roster(noun, "--help").stdout)

    def test_former_words_answer_with_the_new_ones(self) -> None:
        for former, now in (
            ("devices --in Office", "roster device"), ("subnets", "roster subnet"), ("bands Office", "roster band"),
            ("plan check Office", "roster subnet check"), ("dhcp servers", "roster dhcp"), ("names hosts", "roster dns hosts"),
            ("device name archive Shelf", "roster device set"), ("uses list 10.44.20.41", "roster use"),
            ("sites --add Cellar", "roster site add"), ("keep", "roster watch keep"), ("findings --kinds", "roster finding kinds"),
        ):  # fmt: skip
            with self.subTest(former):
                done = self.service.roster(*former.split())
                self.assertIn(done.returncode, (0, 1), done.stderr)
                self.assertEqual(
                    done.stderr.splitlines()[0],
                    f"roster: this is '{now}' now: the words used here will not be understood by the next version",
                )
                self.assertTrue(done.stdout)

    def test_a_mistyped_word_offers_the_nearest(self) -> None:
        for typed, said in (
            ("devcie", "is it 'device'?"),
            ("exlpain", "is it 'explain'?"),
            ("zzz", "'roster --help' lists them"),
        ):
            done = self.service.roster(typed, "10.44.10.1")
            self.assertEqual((done.returncode, done.stdout), (2, ""))
            self.assertIn(said, done.stderr)
            self.assertIn("there is no command", done.stderr)

    def test_several_devices_are_changed_at_once_from_arguments_or_standard_input(self) -> None:
        self.assertIn(
            "2 devices now have place 'Cellar'",
            self.service.roster("device", "set", "printer-1", "archive", "--place", "Cellar").stdout,
        )
        done = self.fed("printer-1\narchive\n\n", "device", "set", "-", "--owner", "House")
        self.assertIn("2 devices now have owner 'House'", done.stdout)
        refused = self.service.roster("device", "set", "printer-1", "archive", "--name", "Both")
        self.assertEqual((refused.returncode, "--name is of one device" in refused.stderr), (2, True))
        unknown = self.service.roster("device", "set", "printer-1", "nobody", "--place", "Attic")
        self.assertEqual(unknown.returncode, 2)
        self.assertIn("Cellar", self.service.roster("device", "show", "printer-1").stdout, "all or none")

    def test_what_was_done_in_part_has_a_code_of_its_own(self) -> None:
        done = self.fed("02:c0:44:00:31:01\n02:c0:44:00:31:02\nno-such-thing\n", "reserve", "-", "--in", "printers")
        self.assertEqual(done.returncode, 6, done.stderr)
        self.assertEqual(done.stdout.count("02:c0:44:00:31:0"), 2, done.stdout)
        self.assertIn("there is no device 'no-such-thing'", done.stdout)
        self.assertEqual(self.service.roster("device", "settle", "printer-1", "nobody").returncode, 6)

    def fed(self, text: str, *arguments: str) -> subprocess.CompletedProcess[str]:
        return self.service.roster(*arguments, fed=text)

    def test_another_version_of_the_service_is_said(self) -> None:
        from even_roster.cli import connection

        with (
            mock.patch.object(connection, "__version__", "9.9.9"),
            mock.patch("even_roster.cli.output.error") as said,
            connection.Service(home=self.service.home) as roster,
        ):
            roster.here()
            roster.here()
        said.assert_called_once_with(
            f"the service is of version {__version__}, this command of 9.9.9: update the older one"
        )
        self.assertEqual(self.service.roster("here").stderr, "")


class Words(unittest.TestCase):
    def test_the_list_of_commands_is_that_of_the_parser(self) -> None:
        document = commands.DOCUMENT.read_text()
        self.assertEqual(commands.written(document), document, "run: python -m tools.commands")

    def test_what_is_said_today_is_not_translated(self) -> None:
        for example in examples():
            self.assertIsNone(translated(shlex.split(example)[1:]), example)

    def test_each_command_is_where_the_grammar_says(self) -> None:
        whole = set(commands._children(build_parser()))
        self.assertEqual(whole, set(WORDS))
        for word in WORDS:
            self.assertIn(word, commands._children(build_parser(word)))


if __name__ == "__main__":
    unittest.main()
