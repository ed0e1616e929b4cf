"""Findings, history, watching and notices through the real service: client, command line, and what arrives outside."""

from __future__ import annotations

import base64
import contextlib
import hashlib
import hmac
import json
import re
import signal
import socket
import subprocess
import sys
import threading
import unittest
from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from http.server import BaseHTTPRequestHandler, HTTPServer
from typing import Any

from even_roster.api.plan import AssignmentNew
from even_roster.api.watching import KeepingEdit, RouteEdit, RouteNew, WatchEdit
from even_roster.client import BadInput, Conflict, NotFound, Roster
from even_roster.service.aids.secret_box import SecretBox, SecretError
from even_roster.service.findings.senders import Item, syslog_message
from tests.support.lab import environment
from tests.support.patience import PATIENCE, until
from tests.support.service import Service, demo

BESIDE = "anything"

OFFICE = "10.44.10.0/24"


class Watched(unittest.TestCase):
    """One demo that watches by itself, for all tests of the class."""

    stack: contextlib.ExitStack
    service: Service
    roster: Roster

    @classmethod
    def setUpClass(cls) -> None:
        cls.stack = contextlib.ExitStack()
        cls.service = cls.stack.enter_context(demo(watch=True))
        cls.roster = cls.stack.enter_context(cls.service.client())
        cls.until(lambda: {"duplicate-address", "unexpected-dhcp-server", "assignment-not-in-effect"} <= cls.kinds())

    @classmethod
    def tearDownClass(cls) -> None:
        cls.stack.close()

    @classmethod
    def kinds(cls) -> set[str]:
        return {one.kind for one in cls.roster.findings()}

    @classmethod
    def until(cls, true: Callable[[], bool]) -> None:
        until(true, lambda: str([f"{f.kind} {f.state}" for f in cls.roster.findings("all")]), pause=0.2)

    def one(self, kind: str) -> Any:
        return next(f for f in self.roster.findings("all") if f.kind == kind)

    def says(self, *command: str, code: int = 0) -> str:
        done = self.service.roster(*command)
        self.assertEqual(done.returncode, code, done.stderr + done.stdout)
        return done.stdout if code in (0, 1) and done.stdout else done.stderr

    def test_findings_in_order_with_evidence_and_remedy(self) -> None:
        found = self.roster.findings()
        ranks = [{"urgent": 0, "wrong": 1, "notice": 2}[f.severity] for f in found]
        self.assertEqual(ranks, sorted(ranks))
        twice = self.one("duplicate-address")
        self.assertEqual(twice.subjects[0].value, "10.44.20.41")
        self.assertIn("light desk uses this address for dimmer control", [e.said for e in twice.evidence])
        self.assertTrue(twice.remedy.startswith("Give one of the 2 another address"))
        sheet = self.roster.finding(twice.id)
        self.assertEqual(sheet.turns[-1].turn, "opened")
        about = self.roster.findings("standing", subject="10.44.20.41")
        self.assertEqual([f.id for f in about], [twice.id])
        with self.assertRaises(BadInput):
            self.roster.findings(kind="nonsense")

    def test_the_command_line_tells_programs_and_people(self) -> None:
        listed: Any = json.loads(self.says("finding", "--json", "--check", code=1))
        self.assertTrue(
            {"id", "kind", "severity", "subjects", "since", "evidence", "remedy", "state"} <= set(listed["items"][0]),
            listed,
        )
        self.assertEqual(set(listed["items"][0]["subjects"][0]), {"type", "value"})
        people = self.says("finding")
        self.assertIn("Two devices answer for one address", people)
        self.assertIn("→ Give one of the 2 another address", people)
        self.assertIn("accepted", self.says("finding", "--all", "--brief"))
        self.assertIn("duplicate-address", self.says("finding", "kinds"))
        one = self.says("finding", "show", str(self.one("duplicate-address").id))
        self.assertRegex(one, r"open the card of 10\.44\.20\.41: in the console at /card/10\.44\.20\.41")
        self.assertIn("there is no finding 9999", self.says("finding", "show", "9999", code=2))
        self.assertIn("are: ", self.says("finding", "--kind", "nonsense", code=2))

    def test_accepting_and_its_end(self) -> None:
        rogue = self.one("unexpected-dhcp-server")
        self.assertIn("give a --reason", self.says("finding", "accept", str(rogue.id), code=2))
        with self.assertRaisesRegex(BadInput, "lies in the past"):
            self.roster.accept(rogue.id, "it is old", datetime(2020, 1, 1, tzinfo=UTC))
        self.says("finding", "accept", str(rogue.id), "--reason", "the wing's own router", "--until", "2100-01-01")
        self.assertEqual(self.roster.finding(rogue.id).finding.state, "accepted")
        self.assertNotIn(rogue.id, [f.id for f in self.roster.findings()])
        accepted = self.one("unexpected-dhcp-server").acceptance
        self.assertEqual(
            (accepted.reason, accepted.who, accepted.until.year), ("the wing's own router", "command line", 2100)
        )
        self.says("finding", "accept", str(rogue.id), "--undo")
        self.assertEqual(self.roster.finding(rogue.id).finding.state, "open")
        turns = [
            t.turn for t in self.roster.finding(rogue.id).turns if t.turn != "updated"
        ]  # it is asked again meanwhile
        self.assertEqual(turns[:2], ["resumed", "accepted"])

    def test_a_remedy_is_an_edit_that_closes_its_finding_and_can_be_undone(self) -> None:
        attic = self.one("assignment-not-in-effect")
        listed = self.says("finding", "do", str(attic.id))
        listed_key = re.search(
            rf"plan it at 10\.44\.10\.131 instead: roster finding do {attic.id} (\S+)$", listed, re.MULTILINE
        )
        assert listed_key is not None, listed
        key = listed_key[1]
        self.assertRegex(key, r"^move-the-plan=\d+,10\.44\.10\.131$")
        self.assertIn("wants more than a press", self.says("finding", "do", str(attic.id), "card=10.44.10.9", code=2))
        self.assertIn(
            f"named by what they do; finding {attic.id} offers", self.says("finding", "do", str(attic.id), "1", code=2)
        )
        refused = self.says("finding", "do", str(attic.id), key, code=2)
        self.assertIn("saved anyway", refused)
        gone = "move-the-plan=99,10.44.10.131"
        with self.assertRaisesRegex(Conflict, f"does not offer {gone}, or not any more; it offers .*{key}"):
            self.roster.do_step(attic.id, gone, True)
        self.assertIn("not any more", self.says("finding", "do", str(attic.id), gone, "--anyway", code=5))
        told = self.says("finding", "do", str(attic.id), key, "--anyway")
        change = re.search(r"roster change undo (\d+)", told)
        assert change is not None, told
        self.until(lambda: self.roster.finding(attic.id).finding.state == "closed")
        with self.assertRaisesRegex(BadInput, "is closed"):
            self.roster.do_step(attic.id, key)
        self.roster.undo(int(change[1]))
        self.until(lambda: self.roster.finding(attic.id).finding.state == "open")
        self.assertEqual(self.roster.finding(attic.id).finding.times, 2, "reopened with memory")
        with self.assertRaises(NotFound):
            self.roster.do_step(9_999, key)

    def test_asking_for_dhcp_servers(self) -> None:
        said = self.says("dhcp", "ask", "--adapter", "office0", "--wait", "1", "--options", code=1)
        self.assertIn("2 servers in Office; nobody planned 10.44.10.225.", said)
        self.assertIn("10.44.10.12 (planned, ledger)", said)
        self.assertIn("! it hands out the gateway 10.44.10.225 where the plan has 10.44.10.1", said)
        self.assertRegex(said, r"51 +lease time +28800 s \(8 h\) +RFC 2132")
        stage: Any = self.service.json("dhcp", "ask", "--adapter", "stage0", "--wait", "0.5")
        self.assertEqual((stage["offers"], stage["well"]), ([], True))
        self.assertIn("there is no adapter 'attic0'", self.says("dhcp", "ask", "--adapter", "attic0", code=2))
        self.assertEqual([s.addresses for s in self.roster.dhcp_servers()], [["10.44.10.12"]], "learnt from its offer")
        leases = {lease.mac for lease in self.roster.dhcp_leases() if lease.mac}
        asked = self.roster.dhcp_ask("office0", 0.5)
        self.assertEqual(
            {x.mac for x in self.roster.dhcp_leases() if x.mac}, leases, f"no lease taken: {asked.verdict}"
        )

    def test_history_and_moments(self) -> None:
        now = datetime.now(UTC)
        held = self.roster.history("10.44.20.41")
        self.assertEqual({s.mac for s in held.stays}, {"02:c0:10:00:00:37", "02:c0:2a:00:00:36"})
        self.assertTrue(any(t.kind == "duplicate-address" for t in held.turns))
        self.assertEqual(self.roster.history("switch-attic").stays[0].address, "10.44.10.131")
        self.assertEqual(self.roster.history("02-C0-3E-00-00-A0").kind, "mac")
        office = self.roster.history("Office", now - timedelta(hours=1), now + timedelta(hours=1))
        self.assertIn(("came", "10.44.10.131"), [(h.what, h.address) for h in office.happened])
        then = self.roster.at("10.44.20.41", now)
        self.assertIn("More than one device answered for it", then.sentences[0])
        self.assertEqual({one.known for one in then.known} - {"held", "probably"}, set())
        before = self.roster.at("10.44.20.41", now - timedelta(days=3))
        self.assertEqual((before.stays, before.stay_after and before.stay_after.address), ([], "10.44.20.41"))
        self.assertIn("No device is known to have held it then", before.sentences[0])
        self.assertIn("in use or probably were, by", self.roster.at("Stage", now).sentences[0])
        with self.assertRaises(NotFound):
            self.roster.history("the-man-in-the-moon")
        with self.assertRaises(BadInput):
            self.roster.history("10.44.20.41", now, now - timedelta(hours=1))
        self.assertIn("switch-attic", self.says("history", "10.44.10.131"))
        self.assertIn(
            "What changed in 10.44.10.0/24", self.says("history", "Office", "--from", "2 hours ago", "--limit", "9")
        )
        self.assertIn("was never seen, before or after", self.says("at", "yesterday 9:00", "10.44.10.44", code=1))
        self.assertIn("write it as 14:05", self.says("at", "someday", "10.44.10.44", code=2))
        strip = self.roster.ruler("10.44.20.0/24", now)
        self.assertEqual(next(t.state for t in strip.ticks if t.address == "10.44.20.41"), "two")
        self.assertEqual((strip.bands, strip.at is not None), (self.roster.ruler("10.44.20.0/24").bands, True))
        wide = self.roster.ruler("10.0.0.0/8", now)
        (full,) = [s for s in wide.stretches if s.answering]
        self.assertEqual((full.first, full.last, len(wide.stretches)), ("10.44.0.0", "10.44.255.255", 256))
        told = sum(self.roster.ruler(f"10.44.{n}.0/20", now).answering for n in range(0, 256, 16))
        self.assertEqual((wide.answering, full.answering), (told, told))
        self.assertEqual(self.roster.ruler("10.0.0.0/8", now - timedelta(days=3)).answering, 0)
        long_ago = self.roster.ruler("10.44.20.0/24", now - timedelta(days=3))
        self.assertEqual((long_ago.ticks, long_ago.bands, long_ago.subnet.name), ([], [], ""))

    def test_the_plan_of_a_moment_is_told_with_it(self) -> None:
        made = self.roster.assign(
            AssignmentNew(address="10.44.10.77", mac="02:c0:44:00:77:01", name="badge-printer", anyway=True)
        )
        placed = datetime.now(UTC)
        self.roster.move_assignment(made.id, "10.44.10.78", anyway=True)
        moved = datetime.now(UTC)
        self.assertIn("The plan at that time: for nobody, in", self.says("at", "now", "10.44.10.77", code=1))
        for subject, when, told, address in (
            ("10.44.10.77", placed, "assigned to badge-printer (02:c0:44:00:77:01)", "10.44.10.77"),
            ("10.44.10.78", moved, "assigned to badge-printer (02:c0:44:00:77:01)", "10.44.10.78"),
            ("badge-printer", placed, "10.44.10.77 assigned", "10.44.10.77"),
            ("02c044007701", moved, "10.44.10.78 assigned", "10.44.10.78"),
        ):
            with self.subTest(subject=subject, when=when):
                then = self.roster.at(subject, when)
                self.assertEqual(then.sentences[-1], f"The plan at that time: {told}.")
                self.assertEqual(
                    [(p.address, p.name, p.subnet.name) for p in then.planned], [(address, "badge-printer", "Office")]
                )
        self.assertEqual(self.roster.at("10.44.10.78", placed).planned, [])
        counted = [int(self.roster.at("Office", t).sentences[-1].split(":")[1].split()[0]) for t in (placed, moved)]
        self.assertEqual(counted, [self.roster.planned_subnet("Office").subnet.assignment_count] * 2)
        before, after = self.roster.ruler("10.44.10.0/24", placed), self.roster.ruler("10.44.10.0/24", moved)
        for strip, address in ((before, "10.44.10.77"), (after, "10.44.10.78")):
            self.assertEqual([t.address for t in strip.ticks if t.assigned == "badge-printer"], [address])
        self.roster.release(made.id)
        self.assertEqual(self.roster.at("10.44.10.78", moved).planned[0].mac, "02:c0:44:00:77:01", "released since")

    def test_why_an_address_is_silent(self) -> None:
        self.assertIn(
            "It is there, but drops echo and all connections that were tried", self.says("why", "10.44.20.120")
        )
        moved = self.says("why", "10.44.10.9", code=1)
        self.assertIn("Its device is at 10.44.10.131 instead.", moved)
        self.assertIn("Are the settings of its card really in it", moved)
        answered: Any = self.service.json("why", "10.44.10.32")
        self.assertEqual((answered["answers"], answered["verdict"]), (True, "It answers."))
        self.assertIn("no device can have it", self.says("why", "10.44.10.255", code=1))
        self.assertIn("is not an address", self.says("why", "10.44.10.300", code=2))

    def test_listening_tells_who_speaks_and_where_the_cable_ends(self) -> None:
        told = ("office0", "stage0")  # nothing announces itself among the cameras
        self.until(lambda: all(one.neighbours for one in self.roster.listening() if one.adapter in told))
        office = next(one for one in self.roster.listening() if one.adapter == "office0")
        self.assertTrue(office.listening)
        port = office.neighbours[0]
        self.assertEqual(
            (port.switch, port.port, port.port_text, port.vlan), ("switch-office-1", "17", "box office, left", 10)
        )
        self.assertTrue({line.protocol for line in office.lines} & {"ARP", "mDNS"})
        self.assertIn(
            "plugged into switch-office-1, port 17 (box office, left), VLAN 10", self.says("listen", "--once")
        )
        self.until(lambda: any(stay.heard_at for stay in self.roster.history("10.44.10.12").stays))

    def test_listening_goes_on_live_until_it_is_stopped(self) -> None:
        command = [sys.executable, "-m", "even_roster.cli.main", "--home", str(self.service.home), "listen", "--json"]
        live = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, env=environment())
        assert live.stdout is not None and live.stderr is not None
        heard = json.loads(live.stdout.readline())
        self.assertIn(heard["adapter"], ("office0", "stage0", "cameras0"))
        self.assertGreater(heard["frames"], 0)
        self.assertEqual(set(heard["lines"][0]), {"protocol", "mac", "said"})
        live.send_signal(signal.SIGINT)
        _, said = live.communicate(timeout=PATIENCE)
        self.assertEqual((live.returncode, said), (130, "roster: stopped\n"))

    def test_watches_and_what_is_kept(self) -> None:
        stage = next(w for w in self.roster.watches() if w.subnet.name == "Stage")
        self.assertIsNotNone(stage.last_scan)
        changed = self.roster.edit_watch(
            stage.subnet.id or 0, WatchEdit(every_minutes=30, quiet="22:00-06:00", strangers="all")
        )
        self.assertEqual((changed.every_minutes, changed.quiet_first, changed.strangers), (30, "22:00", "all"))
        self.assertIn("30 min", self.says("watch"))
        self.assertIn("22:00-06:00", self.says("watch"))
        self.says("watch", "set", "Stage", "--every", "1h", "--quiet", "none", "--strangers", "named")
        self.assertIn("are no quiet hours", self.says("watch", "set", "Stage", "--quiet", "late", code=2))
        self.assertIn("no interval", self.says("watch", "set", "Stage", "--every", "often", code=2))
        self.assertIn("there is no planned subnet", self.says("watch", "set", "Attic", "--off", code=2))
        self.assertEqual(self.roster.edit_keeping(KeepingEdit(missing_days=3)).missing_days, 3)
        self.assertIn("told after 7 days", self.says("watch", "keep", "--missing-after", "7"))

    def test_other_clients_hear_of_findings(self) -> None:
        heard: list[Any] = []
        greeted = threading.Event()

        def follow() -> None:
            with self.service.client() as other, contextlib.suppress(Exception):
                for event in other.events():
                    greeted.set()
                    if event.kind == "findings":
                        heard.append(event.data)
                        return

        listener = threading.Thread(target=follow, daemon=True)
        listener.start()
        self.assertTrue(greeted.wait(PATIENCE))
        foreign = self.one("foreign-address")
        self.roster.accept(foreign.id, "on its way to the stage")
        listener.join(PATIENCE)
        self.roster.resume(foreign.id)
        self.assertEqual(heard[0]["turns"][-1], {"id": foreign.id, "turn": "accepted", "kind": "foreign-address"})
        self.assertIn("urgent", heard[0]["counts"])


class Receiver(BaseHTTPRequestHandler):
    """Takes webhooks."""

    got: list[tuple[dict[str, str], bytes]]
    status = 204

    def do_POST(self) -> None:
        body = self.rfile.read(int(self.headers["Content-Length"]))
        type(self).got.append(({k.lower(): v for k, v in self.headers.items()}, body))
        self.send_response(type(self).status)
        self.end_headers()

    def log_message(self, format: str, *args: object) -> None:
        pass


@contextlib.contextmanager
def receiver() -> Iterator[tuple[str, type[Receiver]]]:
    kind = type("One", (Receiver,), {"got": []})
    server = HTTPServer(("127.0.0.1", 0), kind)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        yield f"http://127.0.0.1:{server.server_port}/hook", kind
    finally:
        server.shutdown()
        server.server_close()


def mail_server() -> tuple[str, list[str], threading.Thread]:
    """Just enough of SMTP (RFC 5321) to take one mail; gives its address and what it was told."""
    listener = socket.create_server(("127.0.0.1", 0))
    told: list[str] = []

    def serve() -> None:
        connection, _ = listener.accept()
        with connection, listener, connection.makefile("rwb") as lines:

            def say(text: str) -> None:
                lines.write(f"{text}\r\n".encode())
                lines.flush()

            say("220 mail.larkspur.example")
            data = False
            while line := lines.readline().decode().rstrip("\r\n"):
                told.append(line)
                verb = line[:4].upper()
                if verb == "QUIT":
                    say("221 bye")
                    return
                if verb == "DATA":
                    say("354 go on")
                    while (part := lines.readline().decode().rstrip("\r\n")) != ".":
                        told.append(part)
                    data = True
                say("250 ok" if data or verb else "500 what")

    thread = threading.Thread(target=serve, daemon=True)
    thread.start()
    return f"127.0.0.1:{listener.getsockname()[1]}", told, thread


class Notices(unittest.TestCase):
    def test_a_webhook_is_signed_grouped_and_only_on_change(self) -> None:
        with receiver() as (url, kind), demo() as running, running.client() as roster:
            route = roster.add_notice_route(
                RouteNew(name="hook", kind="webhook", to=url, secret="under the rose", least="notice")
            )
            self.assertTrue(route.has_secret)
            self.assertNotIn("under the rose", json.dumps(roster.notice_routes()[0].model_dump(mode="json")))
            self.assertNotIn(b"under the rose", (running.home / "roster.db").read_bytes())
            self.assertTrue(roster.test_notice_route(route.id).ok)
            headers, body = kind.got.pop()
            self._signed(url, headers, body, "under the rose")
            self.assertEqual(json.loads(body)["findings"][0]["title"], "This is a test")
            running.roster("scan", "10.44.20.40-43", "--no-names")
            running.roster("scan", OFFICE, "--no-names")
            wanted = {"duplicate-address", "assignment-not-in-effect"}
            until(lambda: wanted <= {f["kind"] for f in self._told(kind)}, lambda: f"told: {self._told(kind)}")
            self.assertLessEqual(len(kind.got), 3, "what came together is one notice")
            self.assertEqual(json.loads(kind.got[0][1])["site"], "Larkspur Hall")
            running.roster("scan", "10.44.20.40-43", "--no-names")
            running.roster("dhcp", "ask")  # what it finds is told after whatever came before
            until(
                lambda: "unexpected-dhcp-server" in {f["kind"] for f in self._told(kind)},
                lambda: f"told: {self._told(kind)}",
            )
            told = self._told(kind)
            opened = [f["id"] for f in told if f["turn"] == "opened"]
            self.assertEqual(len(opened), len(set(opened)), "nothing is told twice")
            kind.status = 500
            failed = roster.test_notice_route(route.id)
            self.assertFalse(failed.ok)
            self.assertIn("answered 500", failed.said)
            self.assertIn("answered 500", running.roster("notice").stdout)

    def _told(self, kind: type[Receiver]) -> list[dict[str, Any]]:
        return [finding for _, body in kind.got for finding in json.loads(body)["findings"]]

    def _signed(self, url: str, headers: dict[str, str], body: bytes, secret: str) -> None:
        """Checks the signature as RFC 9421 3.2 says, without the product's code."""
        digest = f"sha-256=:{base64.b64encode(hashlib.sha256(body).digest()).decode()}:"
        self.assertEqual(headers["content-digest"], digest)
        covered = headers["signature-input"].removeprefix("roster=")
        base = f'"@method": POST\n"@target-uri": {url}\n"content-digest": {digest}\n"@signature-params": {covered}'
        mark = base64.b64encode(hmac.new(secret.encode(), base.encode(), hashlib.sha256).digest()).decode()
        self.assertEqual(headers["signature"], f"roster=:{mark}:")

    def test_mail_and_syslog_and_bad_routes(self) -> None:
        with demo() as running, running.client() as roster, socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as log:
            smtp, told, thread = mail_server()
            made = running.roster(
                "notice",
                "mail",
                "post",
                "office@larkspur.example",
                "--sender",
                "roster@larkspur.example",
                "--smtp",
                smtp,
                "--tls",
                "none",
            )
            self.assertEqual(made.returncode, 0, made.stderr)
            done = running.roster("notice", "test", "post")
            self.assertEqual((done.returncode, done.stdout), (0, "sent, and taken by the other side\n"), done.stderr)
            thread.join(PATIENCE)
            self.assertIn("Subject: Larkspur Hall: This is a test", told)
            self.assertIn("To: office@larkspur.example", told)
            self.assertRegex("\n".join(told), r"(?m)^Message-ID: <[^@\s]+@larkspur\.example>$")
            log.bind(("127.0.0.1", 0))
            log.settimeout(5)
            running.roster("notice", "syslog", "log", f"127.0.0.1:{log.getsockname()[1]}")
            self.assertIn("no answer", running.roster("notice", "test", "log").stdout)
            line = log.recv(4096).decode()
            self.assertRegex(
                line,
                r'^<133>1 \d{4}-\d\d-\d\dT[\d:.]+Z \S+ even-roster - test \[finding@32473 id="0" kind="test" turn="test" ',
            )
            running.roster("notice", "off", "log")
            self.assertFalse(next(r for r in roster.notice_routes() if r.name == "log").on)
            for bad, words in (
                (("webhook", "x", "ftp://y"), "such as https://"), (("syslog", "x", "nowhere"), "HOST:PORT"),
                (("mail", "x", "nobody", "--sender", "a@b", "--smtp", smtp), "goes to an address"),
                (("syslog", "log", "127.0.0.1:514"), "already"),
            ):  # fmt: skip
                refused = running.roster("notice", *bad)
                self.assertEqual(refused.returncode, 2, refused.stderr)
                self.assertIn(words, refused.stderr)
            self.assertFalse(roster.test_notice_route(roster.notice_routes()[-1].id).ok, "the mail server is gone")
            roster.edit_notice_route(roster.notice_routes()[-1].id, RouteEdit(least="urgent"))
            for route in roster.notice_routes():
                roster.remove_notice_route(route.id)
            self.assertEqual(list(roster.notice_routes()), [])

    def test_a_syslog_text_begins_with_its_mark_and_ends_with_a_whole_character(self) -> None:
        """RFC 5424 6.4: UTF-8 after a BOM, and no octet sequence that is none."""
        for padding in range(4):
            item = Item(7, "opened", "duplicate-address", "x" * padding, "urgent", (), "日本語" * 400, "", 1)
            message = syslog_message(item, "Larkspur Hall")
            self.assertLessEqual(len(message), 1200)
            head, mark, text = message.partition(b"\xef\xbb\xbf")
            self.assertTrue(mark and head.isascii() and head.endswith(b"] "))
            self.assertGreater(len(text.decode("utf-8", "strict")), 200)

    def test_secrets_open_only_with_their_key_and_for_their_purpose(self) -> None:
        box = SecretBox(b"k" * 32, "notice routes")
        sealed = box.seal("under the rose")
        self.assertNotEqual(sealed, box.seal("under the rose"), "never twice the same")
        self.assertEqual((box.open(sealed), box.seal(""), box.open("")), ("under the rose", "", ""))
        for other in (SecretBox(b"k" * 32, "else"), SecretBox(b"x" * 32, "notice routes")):
            with self.assertRaisesRegex(SecretError, "enter it again"):
                other.open(sealed)


if __name__ == "__main__":
    unittest.main()
