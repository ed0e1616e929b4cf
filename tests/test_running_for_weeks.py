"""What the service does over and over goes on after a failure, and a notice that went out is not sent twice for one."""

from __future__ import annotations

import asyncio
import gc
import tempfile
import unittest
from pathlib import Path
from types import SimpleNamespace
from typing import Any
from unittest.mock import patch

from sqlalchemy import insert

from even_roster.api.watching import RouteNew
from even_roster.core.address import Address
from even_roster.core.findings.engine import Finding, Turn, Turned
from even_roster.core.findings.model import Evidence, Severity, State, Subject
from even_roster.core.mac import MacNumber
from even_roster.core.stays import Sighting, Source
from even_roster.service.aids.repeating import attempt, hold_memory_still
from even_roster.service.context import Context, open_context
from even_roster.service.dhcp.dhcp_servers import DhcpServers
from even_roster.service.findings.heard_notices import MOST
from even_roster.service.findings.notices import Notices
from even_roster.service.findings.senders import SendError, Target, send
from even_roster.service.knowing.newcomers import MOST_KEPT, Newcomers
from even_roster.service.settings import Settings
from even_roster.service.watching import listening as listenings
from even_roster.service.watching.listening import Listening
from even_roster.standin import larkspur
from even_roster.standin.segment import StandinMachine
from even_roster.store import watch_records
from even_roster.store.database import DiskFull
from even_roster.store.edits import EditError
from even_roster.store.tables import notice_routes
from tests.support.clock import FakeClock

BESIDE = "anything"

SETTINGS = {"to": "http://127.0.0.1:9/hook", "sender": "", "server": "", "user": "", "tls": "none"}


class Rounds(unittest.IsolatedAsyncioTestCase):
    async def test_a_failure_is_logged_with_what_it_failed_at(self) -> None:
        done: list[int] = []

        def work() -> None:
            done.append(1)
            if len(done) == 1:
                raise OSError("the adapter went away")

        with self.assertLogs("even_roster.service.aids.repeating", "ERROR") as log:
            await attempt(work, "the adapters could not be followed")
        self.assertIn("the adapters could not be followed", log.output[0])
        self.assertIn("the adapter went away", log.output[0])
        await attempt(work, "never said")
        self.assertEqual(len(done), 2)

    async def test_what_lasts_is_not_walked_over_by_every_collection(self) -> None:
        lasting = [[number] for number in range(200_000)]
        before = gc.get_freeze_count()
        task = asyncio.create_task(hold_memory_still())
        await asyncio.sleep(0)
        self.assertGreaterEqual(gc.get_freeze_count() - before, len(lasting))
        task.cancel()
        await asyncio.gather(task, return_exceptions=True)
        gc.unfreeze()

    async def goes_on(self, loop: Any, rounds: list[int]) -> None:
        """A loop whose first round fails comes to its third."""
        with self.assertLogs("even_roster.service.aids.repeating", "ERROR"):
            task = asyncio.create_task(loop)
            for _ in range(500):
                if len(rounds) >= 3:
                    break
                await asyncio.sleep(0.01)
            task.cancel()
            await asyncio.gather(task, return_exceptions=True)
        self.assertGreaterEqual(len(rounds), 3)

    def failing_first(self, rounds: list[int]) -> Any:
        def work() -> None:
            rounds.append(1)
            if len(rounds) == 1:
                raise RuntimeError("the first round fails")

        return work

    async def test_adapters_are_followed_on(self) -> None:
        rounds: list[int] = []
        following: Any = SimpleNamespace(refresh=self.failing_first(rounds))
        with patch.object(listenings, "LOOK_SECONDS", 0.01):
            await self.goes_on(Listening._follow(following), rounds)

    async def test_servers_are_read_on(self) -> None:
        rounds: list[int] = []
        reading: Any = SimpleNamespace(_read_all=self.failing_first(rounds))
        with patch("even_roster.service.dhcp.dhcp_servers.EVERY_SECONDS", 0.01):
            await self.goes_on(DhcpServers._run(reading), rounds)

    async def test_notices_are_sent_on(self) -> None:
        rounds: list[int] = []
        sending: Any = SimpleNamespace(flush=self.failing_first(rounds), _news=asyncio.Event())
        with patch("even_roster.service.findings.notices.RETRY_SECONDS", 0.01):
            await self.goes_on(Notices._run(sending), rounds)


class Sending(unittest.TestCase):
    def setUp(self) -> None:
        folder = self.enterContext(tempfile.TemporaryDirectory())
        settings = Settings(home=Path(folder) / "home", watch=False)
        self.context: Context = open_context(settings, StandinMachine(larkspur.build()))
        self.addCleanup(self.context.close)
        self.sent: list[int] = []
        self.fails = False
        self.notices = Notices(self.context, self.send)
        self.route("desk", SETTINGS["to"])

    def send(self, target: object, site: str, items: Any, at: int) -> None:
        if self.fails:
            raise SendError("nobody listens there")
        self.sent.append(len(items))

    def happen(
        self, number: int, turn: Turn = Turn.OPENED, *, heard: bool = False, kind: str = "duplicate-address"
    ) -> None:
        state = State.CLOSED if turn is Turn.CLOSED else State.OPEN
        finding = Finding(
            kind, str(number), Severity.URGENT, (Subject("address", "10.44.10.20"),), (Evidence("seen"),),
            "mend it", (), state, 1, 1, heard=heard,
        )  # fmt: skip
        self.notices.turned([(number, Turned(turn, finding))])

    def test_what_strangers_can_cause_is_told_once_an_hour_and_says_what_was_held_back(self) -> None:
        clock = FakeClock(1000.0)
        told: list[tuple[int, str, str]] = []

        def sending(target: Target, site: str, items: Any, at: int) -> None:
            told.extend((one.id, one.turn, one.said) for one in items)

        with patch.object(self.context, "monotonic", clock):
            self.notices = Notices(self.context, sending)

        def flushed() -> list[tuple[int, str, str]]:
            told.clear()
            self.notices.flush()
            return list(told)

        self.happen(1, heard=True)
        self.assertEqual(flushed(), [(1, "opened", "seen")], "the first time at once")
        self.happen(1, Turn.CLOSED, heard=True)
        self.assertEqual([one[:2] for one in flushed()], [(1, "closed")])
        for _ in range(50):  # a stranger goes on and off
            self.happen(1, Turn.REOPENED, heard=True)
            self.happen(1, Turn.CLOSED, heard=True)
            clock.sleep(60)
            self.assertEqual(flushed(), [])
        self.happen(1, Turn.REOPENED, heard=True)
        self.assertEqual(flushed(), [])
        clock.sleep(600)
        self.assertEqual(
            flushed(),
            [(1, "reopened", "seen; 51 more turns were held back since the last notice of it")],
            "it stands still when the hour is over",
        )
        self.happen(1, Turn.UPDATED)
        self.assertEqual([one[:2] for one in flushed()], [(1, "updated")], "it answered: told at once")
        for number in range(100, 200):
            self.happen(number, heard=True)
        self.assertEqual(len(flushed()), MOST - 1, "of one kind")
        self.happen(300, heard=True, kind="gateway-changed")
        self.assertEqual([one[0] for one in flushed()], [300], "a flood of one kind holds back no other")
        clock.sleep(3600)
        self.assertEqual(len(flushed()), MOST, "then the next of those that stand still")

    def test_what_could_not_be_sent_goes_with_the_next_and_only_once(self) -> None:
        self.fails = True
        self.happen(1)
        with self.assertLogs("even_roster.service.findings.notices", "WARNING"):
            self.assertEqual(self.notices.flush(), 0)
        self.assertEqual(self.notices.views()[0].trouble, "nobody listens there")
        self.fails = False
        self.happen(2)
        self.assertEqual((self.notices.flush(), self.sent), (1, [2]))
        self.assertEqual((self.notices.flush(), self.sent), (0, [2]))
        self.assertEqual(self.notices.views()[0].trouble, "")

    def route(self, name: str, to: str, kind: str = "webhook", secret: str = "") -> int:
        """One more route, as an older version may have stored it, unchecked."""
        settings = {**SETTINGS, "to": to}
        values = {"name": name, "kind": kind, "settings": settings, "least": "notice", "secret": secret}
        with self.context.database.write() as connection:
            made = connection.execute(insert(notice_routes).values(**values)).inserted_primary_key
        assert made is not None
        return int(made[0])

    def test_a_route_that_cannot_be_used_holds_up_no_other_and_loses_nothing(self) -> None:
        """Whatever is wrong with one route is that route's trouble: the others get the notice, and so does it when it is mended."""
        wrong = {
            "brackets": ("http://[desk/hook", "webhook", ""), "port": ("http://127.0.0.1:99999/hook", "webhook", ""),
            "control": ("http://127.0.0.1:9/\x07", "webhook", ""), "empty": ("http://", "webhook", ""),
            "no port": ("logs", "syslog", ""),
            "label": ("http://" + "a" * 70 + ".example/", "webhook", ""), "sealed": ("http://127.0.0.1:9/", "webhook", "torn"),
        }  # fmt: skip
        ids = {name: self.route(name, *values) for name, values in wrong.items()}
        last = self.route("last", "http://127.0.0.1:9/last")
        taken: list[tuple[str, int]] = []

        def sending(target: Target, site: str, items: Any, at: int) -> None:
            if target.to == "http://127.0.0.1:9/last" or self.mended:
                taken.append((target.to, len(items)))
                return
            send(target, site, items, at)

        self.mended = False
        notices = Notices(self.context, sending)
        self.notices = notices
        self.happen(1)
        with self.assertLogs("even_roster.service.findings.notices", "WARNING"):
            self.assertEqual(notices.flush(), 1)
        self.assertEqual(taken, [("http://127.0.0.1:9/last", 1)])
        troubles = {view.id: view.trouble for view in notices.views()}
        self.assertEqual([name for name, identity in ids.items() if not troubles[identity]], [])
        self.assertEqual(troubles[last], "")
        self.mended, taken[:] = True, []
        with self.context.database.write() as connection:
            for identity in ids.values():
                watch_records.note_delivery(connection, identity, {"secret": ""})
        notices.flush()
        self.assertEqual(len(taken), len(wrong) + 1, "each that was held up gets what it missed, nobody gets it twice")

    def test_what_no_route_can_be_is_refused_when_it_is_entered(self) -> None:
        for to in ("http://[desk/hook", "http://127.0.0.1:99999/hook", "http://", "https:///hook", "http://desk\x07/"):
            with self.subTest(to), self.assertRaises(EditError) as caught:
                self.notices.add("keeper", RouteNew(name="typed", kind="webhook", to=to))
            self.assertIn("https://", str(caught.exception), "what would be right")
        for to in ("https://desk.larkspur.example/hook?kind=a%20b", "http://[::1]:8080/hook", "http://localhost/"):
            self.notices.add("keeper", RouteNew(name=to, kind="webhook", to=to))

    def test_a_full_disk_keeps_no_notice_back_and_sends_none_twice(self) -> None:
        self.happen(1)
        with patch.object(self.context.database, "write", side_effect=DiskFull("the disk is full")):
            self.assertEqual((self.notices.flush(), self.sent), (1, [1]))
        self.assertEqual((self.notices.flush(), self.sent), (0, [1]))

    def test_records_that_cannot_be_read_lose_no_notice(self) -> None:
        self.happen(1)
        with (
            patch.object(self.context.database, "read", side_effect=OSError("cannot be read")),
            self.assertRaises(OSError),
        ):
            self.notices.flush()
        self.assertEqual((self.notices.flush(), self.sent), (1, [1]))


class WhoWasOnlyHeard(unittest.TestCase):
    def test_the_list_is_bounded_and_so_is_how_many_become_devices(self) -> None:
        newcomers = Newcomers(lambda: 3)
        for number in range(2 * MOST_KEPT):
            newcomers.heard("office0", [Sighting(Address(number + 1), MacNumber(number + 1), number, Source.OVERHEARD)])
        self.assertEqual(len(newcomers.listed("office0")), MOST_KEPT)
        latest = newcomers.listed("office0")[0].mac
        self.assertEqual(
            newcomers.admitted("office0", [latest, MacNumber(7), MacNumber(8), MacNumber(9), MacNumber(10)], 1_000),
            {latest, 7, 8},
        )
        self.assertNotIn(latest, {one.mac for one in newcomers.listed("office0")}, "it is a device now")
        self.assertEqual(
            (newcomers.admitted("office0", [MacNumber(11)], 2_000), newcomers.held_back("office0")), (set(), 3)
        )
        self.assertEqual(newcomers.admitted("stage0", [MacNumber(11)], 2_000), {11}, "each link has its own measure")
        self.assertEqual(
            newcomers.admitted("office0", [MacNumber(12)], 3_700_000), {12}, "an hour later there is room again"
        )


if __name__ == "__main__":
    unittest.main()
