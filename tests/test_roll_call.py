"""Roll calls: lines as people write them, what makes somebody here or silent, and lists that are kept, edited and taken back."""

from __future__ import annotations

import json
import unittest
from dataclasses import replace

from even_roster.api.calling import RollCallEdit, RollCallNew
from even_roster.api.plan import AssignmentNew
from even_roster.client import BadInput, NotFound, Roster, StaleEdit
from even_roster.core.findings.engine import Engine
from even_roster.core.findings.model import About
from even_roster.core.findings.rolls import Absent
from even_roster.core.findings.world import World
from even_roster.core.plan.model import Plan
from even_roster.core.roll_call import Line, RollError, Standing, State, overdue, read, written
from tests.support.drawing import given, st
from tests.support.patience import until
from tests.support.service import Service, demo

BESIDE = "anything"

PART = st.text(st.characters(exclude_categories=["C", "Z"], include_characters=" ,\"'#"), max_size=12).map(str.strip)


class Lines(unittest.TestCase):
    def test_lines_are_read_as_people_write_them(self) -> None:
        text = '# doors\n\n10.44.20.30, light desk, "behind, left"\n02-C0-44-00-00-26\n  printer-1 ,box office\n'
        self.assertEqual(
            read(text),
            (Line("10.44.20.30", "light desk", "behind, left"), Line("02-C0-44-00-00-26"), Line("printer-1", "box office")),
        )  # fmt: skip
        for wrong, said in (
            (", light desk", "line 1: it names nobody"), ("a\n\na, b", "line 3: a stands in line 1 already"),
            ("a, b, c, d", "line 1: 'd' is not understood"), ("a,,,warn=x", "warn=MINUTES"), ("a,,,until=2026-13-01", "not understood"),
            ("a,,,warn=1,warn=2", "not understood"), ('"a', "line 1: .*; check the quotes"), ("x" * 201, "over 200"),
            ("\n".join(f"10.0.{n // 250}.{n % 250}" for n in range(2001)), "it has 2,001 lines"),
        ):  # fmt: skip
            with self.subTest(wrong[:20]), self.assertRaisesRegex(RollError, said):
                read(wrong)

    @given(st.lists(st.tuples(PART.filter(lambda one: one and not one.startswith("#")), PART, PART), max_size=6))
    def test_what_is_written_is_read_again(self, parts: list[tuple[str, str, str]]) -> None:
        lines = tuple({one[0].casefold(): Line(*one) for one in parts}.values())
        self.assertEqual(read(written(lines)), lines)
        patient = tuple(replace(line, warn=10, until="2026-12-24") for line in lines)
        self.assertEqual(read(written(patient)), patient)

    @given(st.text(max_size=60))
    def test_any_text_is_lines_or_is_refused(self, text: str) -> None:
        try:
            lines = read(text)
        except RollError:
            return
        self.assertEqual(read(written(lines)), lines)


class Standings(unittest.TestCase):
    def test_one_lost_answer_is_no_absence_and_two_are(self) -> None:
        one = Standing()
        self.assertTrue(one.looked(1, True, "answers"))
        self.assertFalse(one.looked(2, False, "nobody answers"))
        self.assertEqual((one.state, one.since, one.said), (State.HERE, 1, "answers"))
        self.assertTrue(one.looked(3, False, "nobody answers"))
        self.assertEqual((one.state, one.since, one.said, one.seen), (State.SILENT, 3, "nobody answers", 1))
        self.assertFalse(one.looked(4, False, "nobody answers"))
        self.assertTrue(one.looked(5, True, "answers"))
        self.assertTrue(one.looked(6, None, "the link is down"), "what cannot be told is told at once")
        self.assertEqual(list(one.course), [1, 0, 0, 0, 1, -1])
        fresh = Standing()
        self.assertTrue(fresh.looked(1, False, "nobody answers"), "who was never here is silent at once")


class Kept(unittest.TestCase):
    service: Service
    roster: Roster

    @classmethod
    def setUpClass(cls) -> None:
        cls.service = cls.enterClassContext(demo(watch=False))
        cls.roster = cls.enterClassContext(cls.service.client())

    def states(self, text: str) -> dict[str, tuple[str, str]]:
        """How the lines of a text stand, and why."""
        call = self.roster.add_roll_call(RollCallNew(name="for once", text=text))
        try:
            view = self.roster.ask_roll_call(call.id)
            lines = list(self.roster.call_lines(call.id))
        finally:
            self.roster.remove_roll_call(call.id)
        counts = [sum(line.state == one for line in lines) for one in ("here", "silent", "unknown")]
        self.assertEqual([view.here_count, view.silent_count, view.unknown_count], counts)
        return {line.subject: (line.state, line.said) for line in lines}

    def test_who_is_here_who_is_not_and_of_whom_nobody_can_say(self) -> None:
        self.roster.assign(
            AssignmentNew(kind="static", address="10.44.10.98", mac="02:c0:44:00:77:01", name="printer-new")
        )
        found = self.states(
            "printer-1\n10.44.20.41\n10.44.10.99\n02:c0:61:00:00:17\nnobody\nprinter-new\n10.44.64.120\nrinter-1"
        )
        self.assertEqual(found["printer-1"], ("here", "answers at 10.44.10.30"))
        self.assertEqual(found["10.44.20.41"][0], "here")
        self.assertRegex(found["10.44.20.41"][1], "2 devices answer at 10.44.20.41: 02:c0:.*, 02:c0:")
        self.assertEqual(found["10.44.10.99"], ("silent", "nobody answers at 10.44.10.99"))
        self.assertEqual(found["02:c0:61:00:00:17"][0], "here")
        self.assertEqual(found["nobody"], ("unknown", "there is no device 'nobody'"))
        self.assertEqual(
            found["printer-new"], ("silent", "nobody answers at 10.44.10.98"), "planned, and not there yet"
        )
        self.assertEqual(found["10.44.64.120"][0], "here", "behind the gateway by echo")
        self.assertEqual(found["rinter-1"][0], "unknown", "a fragment is nobody")

    def test_what_no_host_has_is_not_asked(self) -> None:
        for one, stands in self.states("127.0.0.1\n255.255.255.255\n224.0.0.1\n0.0.0.0\n").items():
            self.assertEqual(stands, ("unknown", f"{one} is no address that a host on a network has"))

    def test_whoever_sits_at_a_devices_address_is_not_the_device(self) -> None:
        self.roster.assign(
            AssignmentNew(kind="static", address="10.44.10.225", mac="02:c0:44:00:77:02", name="impostor", anyway=True)
        )
        state, said = self.states("impostor")["impostor"]
        self.assertEqual(state, "silent")
        self.assertRegex(said, "another device answers at 10.44.10.225: 02:c0:3e")

    def test_a_roll_call_is_kept_edited_and_taken_back(self) -> None:
        made = self.roster.add_roll_call(RollCallNew(name="Doors", every_seconds=60, text="printer-1\n"))
        with self.assertRaisesRegex(BadInput, "there is a roll call 'Doors' already"):
            self.roster.add_roll_call(RollCallNew(name="doors"))
        with self.assertRaisesRegex(BadInput, "line 2: Printer-1 stands in line 1") as told:
            self.roster.edit_roll_call(made.id, RollCallEdit(text="printer-1\nPrinter-1"))
        self.assertEqual(told.exception.problem.field, "text")
        edited = self.roster.edit_roll_call(
            made.id, RollCallEdit(text="printer-1, box office\n10.44.10.99\n"), made.version
        )
        self.assertEqual((edited.line_count, edited.text), (2, "printer-1,box office\n10.44.10.99\n"))
        with self.assertRaises(StaleEdit):
            self.roster.edit_roll_call(made.id, RollCallEdit(every_seconds=9), made.version)
        self.roster.undo(self.roster.changes(limit=1)[0].id)
        self.assertEqual(self.roster.roll_call(made.id).text, "printer-1\n")
        self.roster.remove_roll_call(made.id)
        with self.assertRaises(NotFound):
            self.roster.roll_call(made.id)
        self.roster.undo(self.roster.changes(limit=1)[0].id)
        self.assertEqual(self.roster.roll_call(made.id).name, "Doors")
        self.roster.remove_roll_call(made.id)

    def test_on_the_command_line(self) -> None:
        place = self.service.home / "doors.txt"
        place.write_text("printer-1, box office\n10.44.10.99,,spare\n")
        self.assertIn("has 2 lines", self.service.roster("call", "add", "At noon", str(place), "--every", "10").stdout)
        done = self.service.roster("call", "show", "at noon", "--once")
        self.assertEqual(done.returncode, 1, "somebody is silent")
        self.assertRegex(done.stdout, r"At noon: 1 here, 1 silent; asked .*, every 10 s")
        self.assertRegex(done.stdout, r"10\.44\.10\.99 +- silent .* - +spare")
        done = self.service.roster("call", "show", "At noon", "--json")
        told = json.loads(done.stdout)
        self.assertEqual(done.returncode, 1, "the same in JSON")
        self.assertIn("greater than or equal to 5", self.service.roster("call", "add", "Never", "--every", "0").stderr)
        self.assertEqual([one["state"] for one in told["items"]], ["here", "silent"])
        self.assertEqual(
            self.service.roster("call", "text", "At noon").stdout, "printer-1,box office\n10.44.10.99,,spare\n"
        )
        carried = self.service.home / "noon.json"
        carried.write_text(self.service.roster("call", "text", "At noon", "--json").stdout)
        self.assertIn("asked every 10 s", self.service.roster("call", "add", "Carried", str(carried)).stdout)
        self.assertIn(
            "asked every 20 s", self.service.roster("call", "set", "Carried", str(carried), "--every", "20").stdout
        )
        self.assertEqual(
            self.service.roster("call", "text", "Carried").stdout, "printer-1,box office\n10.44.10.99,,spare\n"
        )
        self.service.roster("call", "remove", "Carried")
        for wrong, said in (('{"text": 1}', "has its lines as 'text'"), ("{", "no JSON document")):
            carried.write_text(wrong)
            self.assertIn(said, self.service.roster("call", "add", "Carried", str(carried)).stderr)
        self.assertIn("there are: At noon", self.service.roster("call", "show", "midnight").stderr)
        self.assertIn("is no more", self.service.roster("call", "remove", "At noon").stdout)


class Shares(unittest.TestCase):
    def test_what_is_known_for_minutes_or_only_from_afar_has_no_share(self) -> None:
        with demo(watch=False) as service, service.client() as roster:
            call = roster.add_roll_call(RollCallNew(name="Doors", text="printer-1\n10.44.30.1"))
            for _ in range(2):
                roster.ask_roll_call(call.id)
            lines = list(roster.call_lines(call.id))
            self.assertEqual([line.state for line in lines], ["here", "here"])
            self.assertEqual({share for line in lines for share in (line.day_share, line.month_share)}, {None})


class Absence(unittest.TestCase):
    LINES = read("a\nb,,,warn=30\nc,,,warn=0\nd,,,until=2026-12-24\ne")

    def told(
        self, minutes: float, *, today: str = "2026-11-27", quiet: bool = False, before: tuple[str, ...] = ()
    ) -> str:
        """Whom it tells of, when all but e are silent for so many minutes, and the roll call has patience for ten."""
        silent = Standing(State.SILENT, 1_000)
        stands = {line.subject: silent for line in self.LINES} | {"e": Standing(State.HERE, 1_000)}
        found = overdue(self.LINES, stands, 10, 1_000 + round(minutes * 60_000), today, quiet, before)
        return "".join(sorted(found))

    def test_each_line_has_its_own_patience_and_some_are_left_alone(self) -> None:
        self.assertEqual([self.told(minutes) for minutes in (0, 9.9, 10, 30)], ["", "", "a", "ab"])
        self.assertEqual(self.told(30, today="2026-12-24"), "abd", "it is left alone no more")
        self.assertEqual(overdue(self.LINES, {}, 10, 0, "2026-11-27", False, ()), set())

    def test_quiet_hours_tell_of_nobody_new(self) -> None:
        self.assertEqual(self.told(30, quiet=True), "")
        self.assertEqual(self.told(30, quiet=True, before=("a",)), "a")

    def test_an_absence_is_a_finding_until_somebody_is_back_and_stands_over_a_restart(self) -> None:
        world, engine = World(Plan(), 1, lambda mac: False), Engine()
        one = Absent("Doors", "10.44.10.99", "spare till", "10.44.10.99", 1_000, 10)

        def look(absent: dict[str, Absent], at: int) -> list[str]:
            world.dirty[About.LINE] |= world.rolls.looked(7, absent, ["10.44.10.99", "printer-1"])
            return [turned.turn.value for turned in engine.settle(world, at)[0]]

        self.assertEqual(look({}, 1_000), [])
        self.assertEqual(look({one.subject: one}, 2_000), ["opened"])
        self.assertEqual(look({one.subject: one}, 3_000), [])
        finding = next(iter(engine.standing.values()))
        self.assertEqual((finding.key, finding.subjects[0].value), ("7 10.44.10.99", "spare till"))
        self.assertIn("spare till (10.44.10.99), of the roll call Doors, does not answer", finding.evidence[0].said)
        world, engine = World(Plan(), 1, lambda mac: False), Engine([finding])
        engine.begin_full(world)
        self.assertEqual(engine.settle(world, 4_000)[0], [], "nobody has looked yet")
        self.assertEqual(look({one.subject: one}, 5_000), [])
        self.assertEqual(look({}, 6_000), ["closed"])

    def test_how_long_and_when_is_kept_and_checked(self) -> None:
        with demo(watch=False) as service, service.client() as roster:
            call = roster.add_roll_call(RollCallNew(name="Doors", text="printer-1,,,warn=5", warn_minutes=1))
            edited = roster.edit_roll_call(call.id, RollCallEdit(quiet="22:00-07:00", warn_minutes=5))
            self.assertEqual((edited.quiet_first, edited.quiet_last, edited.warn_minutes), ("22:00", "07:00", 5))
            self.assertEqual(edited.text, "printer-1,,,warn=5\n")
            with self.assertRaisesRegex(BadInput, "are no quiet hours"):
                roster.edit_roll_call(call.id, RollCallEdit(quiet="at night"))
            self.assertIn("has 1 line", service.roster("call", "set", "Doors", "--warn", "3", "--quiet", "none").stdout)
            self.assertIsNone(roster.roll_call(call.id).quiet_first)


class Waking(unittest.TestCase):
    def test_a_sleeping_desk_is_woken_and_told_when_it_is_up(self) -> None:
        with demo(watch=False) as service, service.client() as roster:
            call = roster.add_roll_call(RollCallNew(name="Doors", text="desk-rehearsal\nprinter-1"))
            roster.ask_roll_call(call.id)
            self.assertEqual([line.state for line in roster.call_lines(call.id)], ["silent", "here"])
            sent = roster.wake("desk-rehearsal")
            self.assertEqual((sent.state, sent.adapters, sent.address), ("waiting", ["office0"], "10.44.10.89"))
            until(lambda: roster.wake_state(sent.id).state == "up", "it does not wake")
            self.assertRegex(roster.wake_state(sent.id).said, r"it came up after \d+ s")
            roster.ask_roll_call(call.id)
            self.assertEqual([line.state for line in roster.call_lines(call.id)], ["here", "here"])
            done = service.roster("wake", "desk-rehearsal")
            self.assertEqual(done.returncode, 0)
            self.assertIn("it is on already", done.stdout)
            for device, password, said in (
                ("desk-rehearsal", "12:34", "4 or 6 octets"), ("recorder", "1.2.3.4.5.300", "4 or 6 octets"),
                ("gate-30", "", "a magic packet does not pass routers|no MAC that it could be woken by"),
            ):  # fmt: skip
                with self.subTest(said), self.assertRaisesRegex(BadInput, said):
                    roster.wake(device, password)
            with self.assertRaises(NotFound):
                roster.wake("nobody-of-that-name")
            self.assertEqual([one.state for one in roster.wakes()], ["up", "up"])


class ByItself(unittest.TestCase):
    def test_lines_are_looked_at_again_and_again_and_other_lines_at_once(self) -> None:
        with demo(watch=True) as service, service.client() as roster:
            call = roster.add_roll_call(RollCallNew(name="Doors", every_seconds=5, text="printer-1\n10.44.10.99\n"))
            until(lambda: len(next(iter(roster.call_lines(call.id))).course) >= 2, "it is never asked again")
            self.assertEqual([line.state for line in roster.call_lines(call.id)], ["here", "silent"])
            roster.edit_roll_call(call.id, RollCallEdit(text="10.44.10.31\n", every_seconds=86_400))
            until(lambda: [line.state for line in roster.call_lines(call.id)] == ["here"], "other lines wait for a day")
            others = roster.changes(limit=1)[0].id
            roster.edit_roll_call(call.id, RollCallEdit(every_seconds=5))
            until(lambda: len(next(iter(roster.call_lines(call.id))).course) >= 2, "another interval waits for a day")
            roster.undo(roster.changes(limit=1)[0].id, others)
            until(
                lambda: [line.state for line in roster.call_lines(call.id)] == ["here", "silent"],
                "lines that came back do",
            )


if __name__ == "__main__":
    unittest.main()
