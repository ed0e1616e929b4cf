"""How fast somebody answered: only what is certain is measured, hours are folded, and a restart forgets nothing; SecureOn passwords
that are kept."""

from __future__ import annotations

import signal
import sqlite3
import tempfile
import unittest
from collections.abc import Sequence
from ipaddress import IPv4Address
from pathlib import Path

from even_roster.api.calling import RollCallNew
from even_roster.client import BadInput
from even_roster.core.address import Address
from even_roster.core.mac import MacNumber
from even_roster.core.reply_hours import HOUR_MS, KEPT_HOURS, Tally
from even_roster.probe.confirm import Round
from even_roster.store import reply_records
from even_roster.store.database import Database
from tests.support.drawing import given, settings, st
from tests.support.patience import until
from tests.support.service import demo

BESIDE = "anything"

ONE, MAC, OTHER = Address(int(IPv4Address("10.44.10.30"))), MacNumber(0x02C044000030), MacNumber(0x02C044000031)
LOOKS = st.lists(st.tuples(st.booleans(), st.none() | st.integers(1, 3_000_000)), max_size=20)


def tally(looks: Sequence[tuple[bool, int | None]]) -> Tally:
    """Looks: here or not, and after how many microseconds."""
    made = Tally()
    for here, micros in looks:
        made.looked(here, micros / 1e6 if micros is not None else None)
    return made


class Measured(unittest.TestCase):
    def test_only_an_answer_to_an_only_question_has_a_time(self) -> None:
        heard = Round()
        heard.asked[ONE].append(10.0)
        heard.answered(ONE, MAC, 10.25)
        heard.answered(ONE, OTHER, 10.5)
        heard.asked[ONE].append(10.6)
        heard.answered(ONE, MAC, 10.7)
        late = Address(ONE + 1)
        heard.asked[late] += [10.0, 10.2]
        heard.answered(late, MAC, 10.3)
        heard.answered(Address(ONE + 2), MAC, 10.3)
        self.assertEqual(
            heard.took, {ONE: 0.25}, "which of two questions was answered is not certain; nobody asked a third"
        )
        self.assertEqual(heard.macs[ONE], [MAC, OTHER])

    @given(LOOKS, LOOKS)
    def test_hours_are_folded_as_if_counted_at_once(
        self, some: list[tuple[bool, int | None]], more: list[tuple[bool, int | None]]
    ) -> None:
        both = tally(some)
        both.add(tally(more))
        self.assertEqual(both, tally([*some, *more]))
        times = [micros for here, micros in [*some, *more] if here and micros is not None]
        self.assertEqual((both.timed, both.total), (len(times), sum(times)))
        if times:
            self.assertEqual((both.least, both.most), (min(times), max(times)))
        self.assertEqual(both.mean is None, not times)

    @settings(max_examples=20)
    @given(st.lists(LOOKS, min_size=1, max_size=4))
    def test_what_is_stored_bit_by_bit_is_the_whole_and_the_old_goes(
        self, parts: list[list[tuple[bool, int | None]]]
    ) -> None:
        with tempfile.TemporaryDirectory() as folder:
            database = Database(Path(folder) / "roster.db")
            far = Address((0xFD << 120) + 1)
            with database.write() as connection:
                for part in parts:
                    reply_records.add(connection, 1, {(ONE, 500_000): tally(part), (far, 500_000): tally(part)})
                reply_records.add(connection, 1, {(ONE, 500_000 - KEPT_HOURS): Tally(1, 1)})
                reply_records.add(connection, 1, {(ONE, 500_000 - 31 * 24 + 1): Tally(1, 1)})
                self.assertEqual(set(reply_records.since(connection, 1, [ONE], 0)[ONE]), {499_256, 499_257, 500_000})
                reply_records.forget(connection, 500_000)
                self.assertIn(499_257, reply_records.since(connection, 1, [ONE], 0)[ONE], "31 days are kept")
                reply_records.forget(connection, 500_001)
                found = reply_records.since(connection, 1, [ONE, far], 0)
            database.close()
        whole = tally([look for part in parts for look in part])
        self.assertEqual(found, {ONE: {500_000: whole}, far: {500_000: whole}})


class OverARestart(unittest.TestCase):
    def test_who_stood_how_since_when_and_how_fast_is_still_known(self) -> None:
        home = Path(self.enterContext(tempfile.TemporaryDirectory())) / "home"
        with demo(home=home) as service, service.client() as roster:
            call = roster.add_roll_call(RollCallNew(name="Doors", text="printer-1\n10.44.10.99\nnobody"))
            for _ in range(3):
                roster.ask_roll_call(call.id)
            before = list(roster.call_lines(call.id))
            times = roster.reply_times("printer-1")
            self.assertEqual([line.state for line in before], ["here", "silent", "unknown"])
            self.assertEqual(
                (times.address, times.hours[-1].look_count, times.hours[-1].here_count), ("10.44.10.30", 3, 3)
            )
            latest = times.hours[-1]
            self.assertEqual(before[0].reply_hours[-1], latest.mean_ms)
            self.assertTrue(0 < (latest.least_ms or 0) <= (before[0].reply_ms or 0) <= (latest.most_ms or 0))
            self.assertIsNone(before[1].reply_ms)
            self.assertIn("10.44.10.30 answered", service.roster("call", "times", "printer-1").stdout)
            self.assertIn("No roll call looked", service.roster("call", "times", "10.44.10.3").stdout)
            with self.assertRaisesRegex(BadInput, "hours"):
                roster.reply_times("printer-1", 10_000)
            service.stop(signal.SIGTERM)
        with demo(home=home) as service, service.client() as roster:
            after = list(roster.call_lines(call.id))
            self.assertEqual([line.state for line in after], ["here", "silent", "unknown"])
            self.assertEqual([line.since for line in after][:2], [line.since for line in before][:2])
            self.assertEqual(after[0].last_seen, before[0].last_seen)
            self.assertIn("it was not asked since", after[0].said)
            self.assertEqual(roster.reply_times("10.44.10.30").hours, times.hours)
            roster.ask_roll_call(call.id)
            again = list(roster.call_lines(call.id))
            self.assertEqual([line.since for line in again][:2], [line.since for line in before][:2], "nothing turned")
            self.assertEqual(again[0].said, "answers at 10.44.10.30")
            service.stop(signal.SIGKILL)
        with sqlite3.connect(home / "roster.db") as records:  # nobody has looked for longer than an hour
            records.execute("UPDATE roll_standings SET asked = asked - ?", (2 * HOUR_MS,))
        with demo(home=home) as service, service.client() as roster:
            old = list(roster.call_lines(call.id))
            self.assertEqual([(line.state, line.since) for line in old], [("unknown", None)] * 3)
            self.assertEqual(old[0].last_seen, before[0].last_seen)

    def test_a_roll_call_that_is_taken_back_tells_of_nobody(self) -> None:
        with demo(watch=True) as service, service.client() as roster:
            silent = "10.44.10.99,,,warn=1\n"
            call = roster.add_roll_call(RollCallNew(name="Doors", text=silent, every_seconds=5))
            until(lambda: roster.roll_call(call.id).silent_count == 1, "it is not asked")
            service.stop(signal.SIGTERM)
            with sqlite3.connect(service.home / "roster.db") as records:  # it is silent for two minutes
                records.execute("UPDATE roll_standings SET since = since - 120000")
            with demo(watch=True, home=service.home) as again, again.client() as roster:

                def told() -> list[str]:
                    return [one.kind for one in roster.findings() if one.kind == "absent"]

                until(lambda: told() == ["absent"], "nobody is told of it")
                again.stop(signal.SIGKILL)
            with sqlite3.connect(
                service.home / "roster.db"
            ) as records:  # it stood still for longer than anybody remembers
                records.execute("UPDATE roll_standings SET asked = asked - ?", (2 * HOUR_MS,))
            with demo(watch=True, home=service.home) as again, again.client() as roster:
                until(lambda: roster.roll_call(call.id).silent_count == 1, "it is not asked")
                until(lambda: len(next(iter(roster.call_lines(call.id))).course) >= 2, "it is asked once only")
                self.assertEqual(
                    [(one.kind, one.times) for one in roster.findings() if one.kind == "absent"], [("absent", 1)]
                )
                made = next(change for change in roster.changes(limit=20) if change.item == "Doors")
                roster.undo(made.id)
                until(lambda: told() == [], "it is told still, though its roll call is no more")


class SecureOn(unittest.TestCase):
    def test_a_password_is_kept_used_forgotten_and_never_shown(self) -> None:
        with demo(watch=False) as service, service.client() as roster:
            self.assertFalse(roster.device("desk-rehearsal").wake_password)
            with self.assertRaisesRegex(BadInput, "4 or 6 octets"):
                roster.keep_wake_password("desk-rehearsal", "12:34")
            roster.keep_wake_password("desk-rehearsal", "5e:c2:e7:5e:c2:e7")
            self.assertTrue(roster.device("desk-rehearsal").wake_password)
            self.assertTrue(roster.wake("desk-rehearsal").secured)
            change = roster.changes(limit=1)[0]
            self.assertEqual((change.kind, change.item), ("wake password", "desk-rehearsal"))
            shown = change.model_dump_json() + service.roster("device", "desk-rehearsal", "--json").stdout
            kept = (service.home / "roster.db").read_bytes()
            for secret in ("5e:c2:e7", "5ec2e75ec2e7"):
                self.assertNotIn(secret, shown.lower())
                self.assertNotIn(secret.encode(), kept)
            roster.undo(change.id)
            self.assertFalse(roster.wake("desk-rehearsal").secured)
            wrong = service.roster("wake", "desk-rehearsal", "--keep")
            self.assertEqual(wrong.returncode, 2)
            self.assertIn("give both", wrong.stderr)
            roster.keep_wake_password("desk-rehearsal", "1.2.3.4")
            self.assertIn("No SecureOn password", service.roster("wake", "desk-rehearsal", "--forget").stdout)
            self.assertFalse(roster.device("desk-rehearsal").wake_password)


if __name__ == "__main__":
    unittest.main()
