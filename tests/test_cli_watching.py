"""What the service does by itself, set and read on the command line: when it looks, what it keeps, whom it tells."""

from __future__ import annotations

import json
import re
import threading
import unittest
from http.server import BaseHTTPRequestHandler, HTTPServer

from tests.support.service import demo
from tests.support.words import Words

BESIDE = "anything"


def setUpModule() -> None:
    Words.service = unittest.enterModuleContext(demo())


class Watching(Words):
    def row(self, subnet: str) -> str:
        found = re.search(rf"^{subnet} .*$", self.says("watch"), re.M)
        assert found is not None
        return found[0]

    def test_every_subnet_is_looked_at_until_it_is_said_otherwise(self) -> None:
        self.line(self.row("Office"), r"^Office +1 h ")
        set_to = self.says(
            "watch", "set", "Office", "--every", "15m", "--light", "5m", "--ask", "never", "--quiet", "22:00-06:00"
        )
        self.line(set_to, r"Office +15 min .* 5 min +(-|never|off) +22:00-06:00")
        self.line(self.says("watch", "set", "Office", "--strangers", "all", "--quiet", "none"), r" - +all ")
        self.line(
            self.says("watch", "set", "Office", "--off"),
            r"^Office +off ",
        )
        self.line(self.row("Stage"), r"^Stage +1 h ", "others stay as they are")
        self.line(self.says("watch", "set", "Office", "--on", "--every", "never", "--light", "never"), r"^Office ")

    def test_what_is_no_time_or_subnet_is_told_with_what_would_be(self) -> None:
        for arguments, said in (
            (("Office", "--every", "soon"), "'soon' is no interval; write 30m, 2h, 1d or never"),
            (("Office", "--quiet", "25-99"), "'25-99' are no quiet hours; write them as 22:00-06:00, or 'none'"),
            (("Office", "--every", "1s"), "1s"),
        ):
            with self.subTest(arguments=arguments):
                self.assertIn(said, self.refuses("watch", "set", *arguments))
        self.assertIn("there are: Office, Stage", self.refuses("watch", "set", "Nowhere", "--every", "5m"))

    def line(self, text: str, wanted: str, why: str | None = None) -> None:
        """A line of what was said reads so."""
        self.assertRegex(text, re.compile(wanted, re.M), why)


class Keeping(Words):
    def test_how_long_things_are_kept_and_from_when_they_are_told(self) -> None:
        before = self.says("watch", "keep")
        self.assertIn("every stay for 400 days, then one per pair with its first and last time", before)
        self.assertIn("every stay for 90 days", self.says("watch", "keep", "--history", "90", "--missing-after", "14"))
        self.assertIn("told after 14 days of silence", self.says("watch", "keep"))
        self.assertIn(
            "input should be greater than or equal to 30, not 1", self.refuses("watch", "keep", "--history", "1")
        )
        self.assertIn("greater than or equal to 1, not 0", self.refuses("watch", "keep", "--missing-after", "0"))
        self.assertIn("every stay for 90 days", self.says("watch", "keep"), "what was refused changed nothing")
        self.assertEqual(self.says("watch", "keep", "--history", "400", "--missing-after", "7"), before)


class Telling(Words):
    def test_a_route_is_made_tried_switched_off_and_forgotten(self) -> None:
        got: list[bytes] = []

        class Desk(BaseHTTPRequestHandler):
            def do_POST(self) -> None:
                got.append(self.rfile.read(int(self.headers["Content-Length"])))
                self.send_response(204)
                self.end_headers()

            def log_message(self, format: str, *args: object) -> None:
                """Nothing on the test's own output."""

        desk = HTTPServer(("127.0.0.1", 0), Desk)
        threading.Thread(target=desk.serve_forever, daemon=True).start()
        self.addCleanup(desk.server_close)
        self.addCleanup(desk.shutdown)
        url = f"http://127.0.0.1:{desk.server_port}/hook"
        self.assertIn("desk", self.says("notice", "webhook", "desk", url, "--least", "wrong"))
        self.assertRegex(self.says("notice"), rf"desk +webhook +http://127.0.0.1:{desk.server_port}/… +wrong +on")
        self.assertNotIn("hook", self.says("notice").replace("webhook", ""), "whoever knows the URL can send there")
        self.says("notice", "test", "desk")
        # What the demo finds meanwhile is told over the same route.
        tests = [one for body in got for one in json.loads(body)["findings"] if one["kind"] == "test"]
        self.assertEqual([one["title"] for one in tests], ["This is a test"])
        self.assertRegex(self.says("notice", "off", "desk"), r"desk .* off")
        self.assertRegex(self.says("notice", "on", "desk"), r"desk .* on")
        self.assertIn("already", self.refuses("notice", "webhook", "desk", url))
        self.says("notice", "remove", "desk")
        self.assertIn("there is no route 'desk'", self.refuses("notice", "remove", "desk"))

    def test_what_cannot_be_reached_is_told_by_the_test_and_what_cannot_be_right_at_once(self) -> None:
        self.assertIn("http", self.refuses("notice", "webhook", "bad", "ftp://127.0.0.1/hook"))
        self.says("notice", "webhook", "deaf", "http://127.0.0.1:9/hook")
        said = self.says("notice", "test", "deaf", code=1)
        self.assertIn("refused", said.casefold())
        self.says("notice", "syslog", "log", "127.0.0.1:5514")
        self.assertRegex(self.says("notice"), r"log +syslog +127\.0\.0\.1:5514")
        self.refuses("notice", "syslog", "odd", "127.0.0.1:99999")
        self.refuses(
            "notice",
            "mail",
            "nobody",
            "not-an-address",
            "--sender",
            "roster@larkspur.example",
            "--smtp",
            "127.0.0.1:25",
        )
        for name in ("deaf", "log"):
            self.says("notice", "remove", name)


class Asking(Words):
    def test_moments_and_stretches_of_time_are_read_as_people_write_them(self) -> None:
        self.says("scan", "10.44.10.30", "--no-names", "--ports", "")
        said = self.says("at", "now", "printer-1")
        self.assertIn("At 10.44.10.30: printer-1 (02:c0:44:00:00:26) probably held it: it answered", said)
        self.assertRegex(
            self.says("history", "10.44.10.30", "--from", "yesterday", "--limit", "1"),
            r"10\.44\.10\.30 +02:c0:44:00:00:26",
        )
        self.assertIn("nothing was seen of 10.44.10.30", self.says("history", "10.44.10.30", "--to", "yesterday"))
        self.assertIn("exchange them", self.refuses("history", "10.44.10.30", "--from", "now", "--to", "yesterday"))
        self.assertIn("write it as 14:05", self.refuses("history", "10.44.10.30", "--from", "teatime"))
        self.assertIn("nothing here is or was called 'nobody-at-all'", self.refuses("history", "nobody-at-all"))
        self.assertIn("no finding about Nowhere", self.says("finding", "--about", "Nowhere"))
        self.assertIn("there is no finding 9999", self.refuses("finding", "accept", "9999", "--reason", "no such"))

    def test_names_heard_are_told_once_by_each_source(self) -> None:
        self.says("scan", "10.44.20.41", "--adapter", "stage0", "--ports", "")
        self.says("scan", "10.44.20.41", "--adapter", "stage0", "--ports", "")
        told = self.says("explain", "10.44.20.41")
        names = re.findall(r"^(\S+\.local) +mdns", told, re.M)
        self.assertEqual(
            sorted(names), ["dimmer-rack-2.local"] if len(names) == 1 else ["dimmer-rack-2.local", "sound-desk.local"]
        )


if __name__ == "__main__":
    unittest.main()
