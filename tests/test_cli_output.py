"""How commands print: for people, for programs, and never what a hostile name wants."""

from __future__ import annotations

import contextlib
import io
import json
import unittest
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from unittest import mock

from even_roster.api.common import DeviceRef, MacView
from even_roster.cli import main, output, scans
from even_roster.cli.output import Out
from even_roster.client import AddressResult
from even_roster.core.measure import measure
from even_roster.core.targets import size_up

BESIDE = "anything"


@contextlib.contextmanager
def printed() -> Iterator[io.StringIO]:
    """What goes to standard output."""
    with contextlib.redirect_stdout(io.StringIO()) as out:
        yield out


class Printing(unittest.TestCase):
    def test_a_stream_is_one_document_that_is_never_held(self) -> None:
        made = 0

        def rows() -> Iterator[DeviceRef]:
            nonlocal made
            for number in range(3):
                made += 1
                yield DeviceRef(id=number, name="Büro")

        with printed() as out:
            Out(True).json_list(rows(), scan={"id": 4})
        self.assertEqual(
            json.loads(out.getvalue()), {"scan": {"id": 4}, "items": [{"id": n, "name": "Büro"} for n in range(3)]}
        )
        self.assertEqual(made, 3)

    def test_an_empty_stream_is_a_document_too(self) -> None:
        with printed() as out:
            Out(True).json_list([])
        self.assertEqual(json.loads(out.getvalue()), {"items": []})

    def test_markup_in_cells_is_text_and_lines_have_no_trailing_blanks(self) -> None:
        with printed() as out:
            Out(False).table(("name", "vendor"), [("[bold red]x[/]", "Quillmark"), (":smile:", None)])
        self.assertEqual(
            out.getvalue().splitlines(), ["name            vendor", "[bold red]x[/]  Quillmark", ":smile:"]
        )

    def test_facts_leave_out_what_is_not_known(self) -> None:
        with printed() as out:
            Out(False).facts([("mac", "02:c0:44:00:00:26"), ("owner", None), ("place", "")])
        self.assertEqual(out.getvalue(), "mac  02:c0:44:00:00:26\n")

    def test_programs_get_no_sentences(self) -> None:
        with printed() as out:
            Out(True).say("for people")
        self.assertEqual(out.getvalue(), "")

    def test_times_are_short(self) -> None:
        now = datetime.now(UTC)
        for seconds, text in ((5, "5 s ago"), (600, "10 min ago"), (3 * 3600, "3 h ago"), (3 * 86400, "3 d ago")):
            self.assertEqual(output.ago(now - timedelta(seconds=seconds)), text)
        self.assertEqual(output.ago(None), "never")
        self.assertRegex(output.ago(now - timedelta(days=90)), r"^\d{4}-\d\d-\d\d")
        self.assertEqual([output.duration(s) for s in (1.26, 45, 600)], ["1.3 s", "45 s", "10 min"])

    def test_a_result_that_two_claim_shows_both(self) -> None:
        macs = [
            MacView(mac=f"02:c0:44:00:00:0{n}", vendor=vendor, local=True)
            for n, vendor in ((1, "Quillmark Printing"), (2, None))
        ]
        result = AddressResult(
            address="10.44.20.41",
            answered=True,
            by=["arp"],
            claims=macs,
            names=[],
            rtt_ms=None,
            ports=[80],
            foreign=False,
            device=None,
        )
        address, _, mac, vendor, _, by, ports = (str(cell) for cell in scans._row(result))
        self.assertEqual((address, by, ports), ("10.44.20.41  claimed by two", "arp", "80"))
        self.assertEqual(mac.splitlines(), ["02:c0:44:00:00:01", "02:c0:44:00:00:02"])
        self.assertEqual(vendor.splitlines(), ["Quillmark Printing", "locally administered"])

    def test_ports_are_read_with_care(self) -> None:
        self.assertEqual([scans._ports(text) for text in (None, "none", "22, 80,443")], [None, [], [22, 80, 443]])
        for wrong in ("0", "65536", "http", "80-90", "-1"):
            with self.subTest(wrong), self.assertRaisesRegex(Exception, "is not a TCP port"):
                scans._ports(wrong)


class Running(unittest.TestCase):
    def test_options_that_name_a_service_go_before_or_after_the_command(self) -> None:
        parser = main.build_parser()
        before = parser.parse_args(["--home", "/a", "device"])
        after = parser.parse_args(["device", "--home", "/a"])
        self.assertEqual((before.home, after.home), ("/a", "/a"))
        self.assertIsNone(parser.parse_args(["device"]).home)

    def test_no_command_shows_what_there_is(self) -> None:
        with printed() as out:
            self.assertEqual(main.run([]), 2)
        for command in ("serve", "demo", "scan", "devices", "find", "explain", "measure"):
            self.assertIn(command, out.getvalue())

    def test_a_closed_pipe_is_no_error(self) -> None:
        with mock.patch("even_roster.core.measure.measure", side_effect=BrokenPipeError), mock.patch("sys.stdout"):
            self.assertEqual(main.run(["measure", "10.44.10.0/24"]), 0)

    def test_an_interrupt_is_said_and_has_its_own_code(self) -> None:
        with (
            mock.patch("even_roster.core.measure.measure", side_effect=KeyboardInterrupt),
            contextlib.redirect_stderr(io.StringIO()) as err,
        ):
            self.assertEqual(main.run(["measure", "10.44.10.0/24"]), 130)
        self.assertEqual(err.getvalue(), "roster: stopped\n")

    def test_sums_agree_with_themselves(self) -> None:
        for text in (
            "10.44.10.0/24",
            "10.44.10.20-60",
            "10.44.64.0/22, 10.44.10.0/24 except 10.44.10.0/25",
            "10.0.0.0/8",
        ):
            found = measure(text)
            self.assertEqual(sum(block.num_addresses for block in found.blocks), found.count)
            self.assertTrue(found.first in found.smallest_cover and found.last in found.smallest_cover)
            self.assertEqual(size_up(found.count, 1000, 3).most_probes, 3 * found.count)


if __name__ == "__main__":
    unittest.main()
