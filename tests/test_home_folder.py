"""The home folder: its key, who may read what is in it, and how every sign-in is ended without losing what is sealed."""

from __future__ import annotations

import json
import os
import re
import stat
import tempfile
import unittest
import unittest.mock
from collections.abc import Iterator
from pathlib import Path

import httpx

from even_roster.api.watching import RouteNew
from even_roster.service.aids import home_folder
from even_roster.service.aids.home_folder import HomeError
from even_roster.store import sign_in_records
from even_roster.store.database import Database
from tests.support import quick_start
from tests.support.patience import PATIENCE
from tests.support.service import Service, service

BESIDE = "anything"


def open_to_others(home: Path) -> dict[str, str]:
    """Everything in a folder that others have rights to, with its mode."""
    return {
        str(path.relative_to(home.parent)): oct(mode)
        for path in (home, *home.rglob("*"))
        if (mode := stat.S_IMODE(path.lstat().st_mode)) & 0o077 and not path.is_symlink()
    }


class Key(unittest.TestCase):
    def setUp(self) -> None:
        self.home = Path(self.enterContext(tempfile.TemporaryDirectory())) / "home"
        home_folder.make(self.home)
        self.path = self.home / "secret.key"

    def test_it_is_made_once_and_stays(self) -> None:
        first = home_folder.key(self.home)
        self.assertEqual((len(first), first), (32, home_folder.key(self.home)))
        self.assertEqual(stat.S_IMODE(self.path.stat().st_mode), 0o600)

    def test_a_longer_one_of_a_person_is_taken_as_it_is(self) -> None:
        self.path.write_bytes(b"k" * 48)
        self.assertEqual(home_folder.key(self.home), b"k" * 48)

    def test_what_cannot_be_used_stops_the_start_and_is_kept(self) -> None:
        for octets, said in ((b"", "is empty"), (b"x", "has 1 octets and must have 32"), (b"x" * 31, "has 31 octets")):
            with self.subTest(octets):
                self.path.write_bytes(octets)
                with self.assertRaisesRegex(HomeError, f"{said}.*from a backup.*--new-key"):
                    home_folder.key(self.home)
                self.assertEqual(self.path.read_bytes(), octets, "nothing was changed")
                made = home_folder.key(self.home, anew=True)
                self.assertEqual((len(made), (self.home / "secret.key.unusable").read_bytes()), (32, octets))

    def test_a_lost_one_stops_the_start_where_there_are_records_and_is_made_where_there_are_none(self) -> None:
        (self.home / "roster.db").touch()  # a first start that was cut off before it wrote anything
        home_folder.key(self.home)
        self.path.unlink()
        (self.home / "roster.db").write_bytes(b"SQLite format 3")
        with self.assertRaisesRegex(HomeError, "secret.key is missing"):
            home_folder.key(self.home)
        self.assertFalse(self.path.exists())
        self.assertEqual(len(home_folder.key(self.home, anew=True)), 32)

    def test_a_good_one_is_not_thrown_away(self) -> None:
        first = home_folder.key(self.home)
        with self.assertRaisesRegex(HomeError, "is good.*roster token renew"):
            home_folder.key(self.home, anew=True)
        self.assertEqual(home_folder.key(self.home), first)

    def test_one_that_others_can_read_is_closed_and_that_is_told(self) -> None:
        home_folder.key(self.home)
        self.path.chmod(0o644)
        with self.assertLogs("even_roster.service.aids.home_folder", "WARNING") as log:
            home_folder.key(self.home)
        self.assertIn("could be read by others (mode 644)", log.output[0])
        self.assertEqual(stat.S_IMODE(self.path.stat().st_mode), 0o600)

    def test_everything_of_the_service_is_closed_and_what_is_a_persons_is_left(self) -> None:
        (self.home / "backups").mkdir(mode=0o755)
        mine = [self.home / name for name in ("roster.db", "roster.db-wal", "service.lock", "backups/before.db")]
        theirs = [self.home / "notes.txt", self.home / "roster.db-shm"]
        for path in (*mine, theirs[0]):
            path.write_text("x")
            path.chmod(0o664)
        theirs[1].symlink_to(theirs[0])
        self.home.chmod(0o755)
        with self.assertLogs("even_roster.service.aids.home_folder", "WARNING") as log:
            home_folder.make(self.home)
        self.assertEqual(open_to_others(self.home), {"home/notes.txt": "0o664"})
        self.assertEqual(len(log.output), len(mine) + 2, log.output)
        with self.assertNoLogs("even_roster.service.aids.home_folder", "WARNING"):
            home_folder.make(self.home)

    def test_a_folder_of_something_else_is_left_as_it_is(self) -> None:
        shared = self.home / "shared"
        shared.mkdir()
        shared.chmod(0o755)
        home_folder.make(shared)  # empty: it was made for this
        self.assertEqual(stat.S_IMODE(shared.stat().st_mode), 0o700)
        shared.chmod(0o1777)
        (shared / "somebody's.txt").touch()
        with self.assertRaisesRegex(HomeError, "has no roster in it.*shared/roster"):
            home_folder.make(shared)
        self.assertEqual(stat.S_IMODE(shared.stat().st_mode), 0o1777)


class Started(unittest.TestCase):
    def setUp(self) -> None:
        self.home = Path(self.enterContext(tempfile.TemporaryDirectory())) / "home"

    def refused(self, *more: str) -> str:
        done = quick_start.roster(
            ["serve", "--listen", "127.0.0.1:0", "--no-watch", "--home", str(self.home), *more], PATIENCE
        )
        self.assertEqual(done.returncode, 2, done.stdout + done.stderr)
        return done.stderr

    def test_an_open_home_with_an_empty_key_is_closed_and_refused_and_goes_on_with_another(self) -> None:
        with service("serve", home=self.home) as running, running.client() as roster:
            roster.add_notice_route(RouteNew(name="log", kind="syslog", to="127.0.0.1:5514"))
            token = roster.place.token
            self.assertEqual(open_to_others(self.home), {})
        self.home.chmod(0o755)
        (self.home / "secret.key").write_bytes(b"")
        self.assertIn("secret.key is empty, and what", self.refused())
        self.assertEqual(stat.S_IMODE(self.home.stat().st_mode), 0o700)
        with service("serve", "--new-key", home=self.home) as running, running.client() as roster:
            self.assertNotEqual(roster.place.token, token)
            self.assertEqual([route.name for route in roster.notice_routes()], ["log"], "what was not sealed is there")
        self.assertIn("is good", self.refused("--new-key"))

    def test_nothing_that_a_service_makes_is_for_others_whatever_it_was_started_with(self) -> None:
        before = os.umask(0)
        try:
            with service("serve", home=self.home, anew=True) as running, running.client() as roster:
                roster.here()
                self.assertEqual(open_to_others(self.home), {})
        finally:
            os.umask(before)

    def test_a_log_holds_no_sign_in_and_says_how_to_get_one(self) -> None:
        with service("serve", home=self.home) as running:
            said = running.log.read_text()
            self.assertNotIn("ticket", said)
            (command,) = re.findall(r"(?m)^console +roster (--home \S+ console)$", said)
            self.assertRegex(
                quick_start.roster(command.split(), PATIENCE).stdout, r"^http://127.0.0.1:\d+/enter\?ticket=\S+\n$"
            )


class Renewed(unittest.TestCase):
    running: Service

    def browsers(self, count: int) -> Iterator[httpx.Client]:
        for _ in range(count):
            browser = self.enterContext(httpx.Client(base_url=self.running.url, timeout=PATIENCE))
            ticket = self.running.sign_in.partition("ticket=")[2]
            self.assertEqual(browser.post("/api/v1/sign-in", json={"ticket": ticket}).status_code, 204)
            yield browser

    def test_every_sign_in_ends_and_what_is_sealed_stays(self) -> None:
        home = Path(self.enterContext(tempfile.TemporaryDirectory())) / "home"
        with service("serve", home=home) as self.running, self.running.client() as roster:
            roster.add_notice_route(
                RouteNew(name="house", kind="webhook", to="http://127.0.0.1:1/hook", secret="trapdoor")
            )
            (browser,) = self.browsers(1)
            ticket = self.running.sign_in.partition("ticket=")[2]
            old = roster.place.token
            self.assertIn("Nothing was changed", self.running.roster("token", "renew").stdout)
            self.assertEqual(browser.get("/api/v1/here").status_code, 200)
            with browser.stream("GET", "/api/v1/events") as events:
                self.assertEqual(self.running.json("token", "renew", "--yes").keys(), {"who", "renewed"})
                for _ in events.iter_bytes():  # it ends, for whoever has no right to it any more
                    pass
            self.assertEqual(browser.get("/api/v1/here").status_code, 401)
            self.assertEqual(browser.post("/api/v1/sign-in", json={"ticket": ticket}).status_code, 403)
            answer = httpx.get(
                f"{self.running.url}/api/v1/here", timeout=PATIENCE, headers={"Authorization": f"Bearer {old}"}
            )
            self.assertEqual(answer.status_code, 401)
            told = json.loads((home / "service.json").read_text())
            self.assertNotEqual(told["token"], old)
            self.assertRegex(self.running.roster("token").stdout, r"renewed +\d+ s ago")
        with service("serve", home=home) as self.running, self.running.client() as roster:
            self.assertEqual(roster.place.token, told["token"], "a restart locks nobody out")
            answer = httpx.get(
                f"{self.running.url}/api/v1/here", timeout=PATIENCE, headers={"Authorization": f"Bearer {old}"}
            )
            self.assertEqual(answer.status_code, 401)
            test = roster.test_notice_route(next(iter(roster.notice_routes())).id)
            self.assertNotIn("cannot be opened", test.said)

    def test_a_signed_out_session_stays_out_over_a_restart(self) -> None:
        home = Path(self.enterContext(tempfile.TemporaryDirectory())) / "home"
        with service("serve", home=home) as self.running:
            first, second = self.browsers(2)
            thief = first.cookies["roster_session"]
            self.assertEqual(first.delete("/api/v1/session").status_code, 204)
        with service("serve", home=home) as self.running:
            for session, status in ((thief, 401), (second.cookies["roster_session"], 200)):
                answer = httpx.get(
                    f"{self.running.url}/api/v1/here", timeout=PATIENCE, cookies={"roster_session": session}
                )
                self.assertEqual(answer.status_code, status)

    def test_what_has_run_out_is_not_kept_and_no_more_than_there_is_room_for(self) -> None:
        database = Database(Path(self.enterContext(tempfile.TemporaryDirectory())) / "roster.db")
        self.addCleanup(database.close)
        with database.write() as connection:
            sign_in_records.end(connection, "first", 100, 50)
            kept = sign_in_records.end(connection, "second", 300, 200)
            self.assertEqual(kept.ended, {"second": 300})
            with unittest.mock.patch.object(sign_in_records, "MOST_ENDED", 2):
                for number in range(3):
                    kept = sign_in_records.end(connection, f"more {number}", 400 + number, 200)
            self.assertEqual(kept.ended, {"more 1": 401, "more 2": 402})
            self.assertEqual(sign_in_records.read(connection), kept)
            renewed = sign_in_records.renew(connection, b"salt", 7)
            self.assertEqual((renewed.salt, renewed.renewed, renewed.ended), (b"salt", 7, {}))


if __name__ == "__main__":
    unittest.main()
