"""What comes in of switches, whatever it is: the picture, its records, and everything that is told of them, against the service's own
code with a clock of its own."""

from __future__ import annotations

import asyncio
import itertools
import random
import tempfile
import unittest
import xml.etree.ElementTree as ET
from dataclasses import replace
from pathlib import Path
from typing import Any
from unittest.mock import patch

from sqlalchemy import insert

from even_roster.api.switches import SwitchSearch
from even_roster.core.address import Address
from even_roster.core.mac import Mac, MacNumber
from even_roster.core.switches.labels import LARGEST_PT, LEAST_PT, Label, fitted, sheet, text_width
from even_roster.core.switches.reading import Counted, Description, Learnt, Link, Neighbour, Pair, Port, Reading
from even_roster.core.wiring.links import links
from even_roster.service.context import Context, open_context
from even_roster.service.knowing import link_book
from even_roster.service.settings import Settings
from even_roster.service.switches import differing, finding_switches, pair_book, picture, port_views, switch_findings
from even_roster.service.switches.picture import Names
from even_roster.service.switches.where import Places
from even_roster.service.web.paging import Asked
from even_roster.service.wiring import wiring_findings
from even_roster.service.wiring.who_must_stay import Kept
from even_roster.standin import larkspur
from even_roster.standin.segment import StandinMachine
from even_roster.store import link_records, switch_counters, switch_records
from even_roster.store.switch_tables import switches

BESIDE = "anything"

TILL, DESK = MacNumber(0x02C044007701), MacNumber(0x02C09F007702)
FIVE = 5 * 60 * 1000


def port(index: int, name: str = "", **more: Any) -> Port:
    """A port that has its link."""
    return Port(
        **{"index": index, "name": name or str(index), "link": Link.UP, "wanted": Link.UP, "base": index, **more}
    )


def reading(
    *learnt: tuple[MacNumber, int], ports: tuple[Port, ...] = (), up: int | None = None, **more: Any
) -> Reading:
    """Four ports, who is behind them."""
    return Reading(
        Description(name="switch-attic", up_ticks=up), ports or tuple(port(number) for number in range(1, 5)),
        tuple(Learnt(mac, at, (10,)) for mac, at in learnt), **more,
    )  # fmt: skip


class Book(unittest.TestCase):
    def setUp(self) -> None:
        home = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.context: Context = open_context(Settings(home=home), StandinMachine(larkspur.build()))
        self.addCleanup(lambda: self.context.close())
        self.at = 1_700_000_000_000
        with self.context.database.write() as connection:
            connection.execute(insert(switches), [
                {"id": number, "site": 1, "address": 0x0A2C0A00 + number, "every_seconds": 300, "on": True} for number in (1, 2)
            ])  # fmt: skip
        self.book = self.context.switches
        self.book.reload()

    def take(self, one: Reading, switch: int = 1, after: int = FIVE) -> None:
        """A switch was read."""
        self.at += after
        self.book.take(switch, one, self.at, None)

    def test_whose_power_it_is_is_shown_by_readings_that_nobody_else_can_have_made_up(self) -> None:
        def told(up: bool) -> Reading:
            link, power = (Link.UP, "power (class 2)") if up else (Link.DOWN, "")
            return reading(ports=(port(1, "1", link=link, power=power, feeds=(1, 1)), port(2, "2", feeds=(1, 2))))

        for sure, shown in ((False, []), (True, []), (True, ["1"])):  # two that are sure, one after the other
            self.at += FIVE
            up = not (self.book.switches[1].ports and next(iter(self.book.switches[1].ports.values())).state.up)  # type: ignore[union-attr]
            self.book.take(1, told(up), self.at, None, sure=sure)
            self.assertEqual(self.book.switches[1].told["fed"], shown)
        self.at += FIVE
        self.book.take(1, told(up), self.at, None)
        self.assertEqual(self.book.switches[1].told["fed"], ["1"], "what was shown holds")

    def test_an_announcement_makes_no_place_certain(self) -> None:
        around = (Neighbour(1, str(Mac(TILL)), "1"),)
        self.take(reading((TILL, 1), neighbours=around))
        (seen,) = Kept({}, {TILL: "a gateway"}, set()).seen(self.context)
        self.assertFalse(seen.certain, "whoever sends frames with another's MAC announces it, too")

    def stays(self, switch: int = 1) -> list[tuple[str, int, bool, int]]:
        """Port, MAC, whether it is there, and why not, of all that is stored."""
        with self.context.database.read() as connection:
            rows = switch_records.stays_of_macs(connection, [TILL, DESK], 1 << 60)
        names = {key: one.name for key, one in self.book.switches[switch].ports.items()}
        return sorted((names[row.port], row.mac, row.last is None, row.ended) for row in rows if row.port in names)

    def test_a_quiet_reading_writes_nothing_but_when_it_was(self) -> None:
        self.take(reading((TILL, 1), (DESK, 2)))
        before = self.stays()
        with self.context.database.read() as connection:
            states = len(switch_records.states_of(connection, next(iter(self.book.switches[1].ports)), 100))
        for _ in range(3):
            self.take(reading((TILL, 1), (DESK, 2)))
        with self.context.database.read() as connection:
            self.assertEqual(
                len(switch_records.states_of(connection, next(iter(self.book.switches[1].ports)), 100)), states
            )
        self.assertEqual(self.stays(), before)
        self.assertEqual(self.book.switches[1].row.read, self.at)

    def test_after_a_restart_of_the_service_the_picture_is_the_same(self) -> None:
        self.take(reading((TILL, 1), (DESK, 2)))
        self.take(reading((TILL, 3)))
        before = {key: (one.state, {mac: stay.here for mac, stay in one.stays.items() if stay.here})
                  for key, one in self.book.switches[1].ports.items()}  # fmt: skip
        self.book.switches = {}
        self.book.reload()
        after = {key: (one.state, {mac: stay.here for mac, stay in one.stays.items() if stay.here})
                 for key, one in self.book.switches[1].ports.items()}  # fmt: skip
        self.assertEqual(after, before)

    def test_ports_are_followed_by_name_and_those_with_one_name_are_told_apart(self) -> None:
        self.take(reading((TILL, 7), ports=(port(7, "a"), port(8, "b"))))
        key = next(one.id for one in self.book.switches[1].ports.values() if one.name == "a")
        self.take(reading((TILL, 107), ports=(port(108, "b"), port(107, "a"))))
        self.assertEqual(
            self.stays(), [("a", TILL, True, 0)], "its numbers are others after a restart, and it is the same"
        )
        self.assertEqual(self.book.switches[1].ports[key].state.index, 107)  # type: ignore[union-attr]
        self.take(reading(ports=(port(1, "same"), port(2, "same"))))
        there = sorted(one.name for one in self.book.switches[1].ports.values() if one.there)
        self.assertEqual(there, ["same (1)", "same (2)"])

    def test_a_moment_is_told_as_it_was_and_not_as_it_is(self) -> None:
        self.take(reading((TILL, 1), (DESK, 1)))
        then = self.at
        self.take(reading((DESK, 1)))
        self.take(reading((TILL, 2), (DESK, 1)))
        with self.context.database.read() as connection:
            for at, port_name, said in ((then, "1", "2 MACs were there"), (None, "2", "it is the only MAC there")):
                places = Places(self.context, connection, at)
                told = places.view(TILL, places.of([TILL])[TILL])
                self.assertEqual((told.port.name if told.port else "", told.reasons), (port_name, [said]))

    def test_what_is_told_in_part_leaves_the_rest_as_it_was(self) -> None:
        self.take(reading((TILL, 3), ports=(port(1, alias="till, left"), port(2, alias="gate"), port(3))))
        self.take(
            reading(
                (TILL, 3), ports=(port(1, alias="till, right"), port(2)), ports_whole=False, cut=frozenset({"alias"})
            )
        )
        told = {
            one.name: (one.there, one.state.alias if one.state else None)
            for one in self.book.switches[1].ports.values()
        }
        self.assertEqual(told, {"1": (True, "till, right"), "2": (True, "gate"), "3": (True, "")})
        self.take(reading(ports=(port(1), port(2))))
        self.assertEqual([one.there for one in self.book.switches[1].ports.values()], [True, True, False])

    def test_a_restart_is_told_and_the_wrap_of_its_clock_is_none(self) -> None:
        self.take(reading(up=100_000))
        self.take(reading(up=100_000 + FIVE // 10))
        self.assertIsNone(self.book.switches[1].restarted)
        self.take(reading(up=500))
        self.assertEqual(self.book.switches[1].restarted, self.at)
        self.take(reading(up=(1 << 32) - 1000), switch=2)
        self.take(reading(up=FIVE // 10 - 1000), switch=2)
        self.assertIsNone(self.book.switches[2].restarted, "the counter began anew after 497 days")
        self.take(reading(up=90_000_000), switch=2)
        self.take(reading(up=90_000_000 + FIVE // 10), switch=2, after=FIVE + 3_600_000)
        self.assertIsNone(self.book.switches[2].restarted, "our own clock was set forward by an hour")

    def test_a_link_that_went_and_came_between_two_readings_is_seen_by_its_last_change(self) -> None:
        self.take(reading((TILL, 1), ports=(port(1, changed_ticks=10), port(2, changed_ticks=10))))
        self.take(reading(ports=(port(1, changed_ticks=900), port(2, changed_ticks=10))))
        self.assertEqual(self.stays(), [("1", TILL, False, 2)], "it was unplugged, though its port has a link again")
        self.assertEqual([len(one.turns) for one in self.book.switches[1].ports.values()], [1, 0])

    def test_what_routers_tell_stands_until_they_do_not(self) -> None:
        pair = Pair(Address(0x0A2C1E28), TILL)
        self.take(reading(pairs=(pair,)))
        self.take(reading(pairs=(pair,)))
        self.take(reading())
        with self.context.database.read() as connection:
            rows = switch_counters.all_pairs(connection)
            self.assertEqual(
                [(row.mac, row.first, row.last) for row in rows], [(TILL, self.at - 2 * FIVE, self.at - FIVE)]
            )
            self.assertEqual([one.mac for one in pair_book.every(self.context, connection)], [TILL])
        self.take(reading(pairs=(pair,)))
        with self.context.database.read() as connection:
            self.assertEqual([row.last for row in switch_counters.all_pairs(connection)], [None])

    def test_counters_are_summed_by_day_and_keep_two_values(self) -> None:
        for octets in (1000, 4000, 500, 2500):  # the third: the agent began anew
            self.take(
                reading(
                    ports=(port(1, counted=Counted(octets_in=1 << 40 | octets) if octets != 500 else Counted(500)),)
                )
            )
        key = next(iter(self.book.switches[1].ports))
        with self.context.database.read() as connection:
            told = switch_counters.days(connection, key, 0)
            kept = switch_counters.latest(connection, [key])[key]
        self.assertEqual(
            [day.octets_in for day in told], [3000 + (1 << 40) + 2500 - 500] if told[0].octets_in > 1 << 30 else [3000]
        )
        self.assertIsNotNone(kept.before)

    def test_what_is_read_while_links_are_worked_out_leaves_each_link_once_and_the_latest_picture(self) -> None:
        own = (MacNumber(0x02C03E000001), MacNumber(0x02C03E000002))

        def facing(switch: int, at: int) -> Reading:
            """A switch with the other one at a port of its own, that of the same number there."""
            other = str(Mac(own[2 - switch]))
            return reading(own=frozenset({own[switch - 1]}), neighbours=(Neighbour(at, other, str(at), str(at)),))

        for switch in (1, 2):
            self.take(facing(switch, 1), switch)
        self.book.weigh()
        self.assertEqual(len(self.book.wiring.links), 1)
        meanwhile = [2, 3, 4, 3, 2, 4]  # the cable hops from port to port, and others are always quicker

        def slowly(*given: Any) -> Any:
            found = links(*given)
            if meanwhile:
                port = meanwhile.pop()
                with patch.object(self.book, "weigh"):  # else a slow machine weighs, and reads, between the two
                    for switch in (1, 2):
                        self.take(facing(switch, port), switch, 1)
                self.book.weigh()
            return found

        with patch.object(link_book, "links", slowly):
            self.book.weigh()
        self.assertEqual(meanwhile, [])
        with self.context.database.read() as connection:
            stand = [row.link.key for row in link_records.standing(connection)]
        self.assertEqual(stand, list(self.book.wiring.links), "each stands once")
        ((_, now),) = self.book.wiring.links.items()
        names = {self.book.by_port[end.port][1].name for end in now.link.ends if end.port}
        self.assertEqual(names, {"2"}, "as was read last")

    def test_of_an_agent_with_several_addresses_the_first_is_kept_whichever_answers_first(self) -> None:
        first, second = Address(0x0A2C0A0A), Address(0x0A2C140A)
        later = asyncio.Event()

        class Reader:
            async def fill(self) -> None: ...

            async def weigh(self) -> None: ...

            def same_agent(self, *_: Any) -> None: ...

            async def ask(self, address: Address, _: Any) -> tuple[Reading, int]:
                if address == first:
                    await later.wait()
                later.set()
                return reading(addresses=(first, second)), 1

        ways: tuple[list[Address], dict[int, Any]] = ([first, second], {})
        with patch.object(finding_switches, "_wanted", return_value=ways):
            added, refused = asyncio.run(
                finding_switches.search(self.context, Reader(), "a hand", SwitchSearch(within="10.44.0.0/16"))  # type: ignore[arg-type]
            )
        self.assertEqual([self.book.switches[one].row.address for one in added], [first])
        self.assertEqual([address for address, _ in refused], [second])

    def test_whatever_switches_say_everything_that_is_told_can_be_told(self) -> None:
        source = random.Random(7)
        nasty = ["", "<script>", "\u202e1", "'; DROP TABLE switches;--", "7" * 255, "ü", "Gi1/0/1", " ", "a\nb"]
        macs = [MacNumber(source.getrandbits(48)) for _ in range(12)] + [
            TILL,
            DESK,
            MacNumber(0),
            MacNumber((1 << 48) - 1),
        ]
        for _ in range(40):
            ports = tuple(
                port(source.randrange(1, 9), source.choice(nasty), alias=source.choice(nasty), link=source.choice(list(Link)),
                     wanted=source.choice(list(Link)), speed=source.choice([None, 0, 10**9, 10**12]), tree=source.choice(["", "root", "blocking"]),
                     changed_ticks=source.choice([None, 0, source.randrange(1 << 32)]), counted=source.choice([None, Counted(source.randrange(1 << 62))]))
                for _ in range(source.randrange(6))
            )  # fmt: skip
            around = tuple(
                Neighbour(source.randrange(9), source.choice([*nasty, "02:c0:3e:00:00:09"]) or "x", source.choice(nasty), name=source.choice(nasty),
                          capabilities=source.choice([(), ("bridge",), ("telephone", "bridge"), ("access point",)]))
                for _ in range(source.randrange(3))
            )  # fmt: skip
            told = Reading(
                Description(name=source.choice(nasty), up_ticks=source.choice([None, 0, source.randrange(1 << 32)])), ports,
                tuple(Learnt(source.choice(macs), source.randrange(9), source.choice([(), (10,), (10, 20)])) for _ in range(source.randrange(12))),
                around, own=frozenset(source.sample(macs, 2)),
                pairs=tuple(Pair(Address(source.getrandbits(32)), source.choice(macs)) for _ in range(source.randrange(3))),
            )  # fmt: skip
            self.take(
                replace(told, ports_whole=source.random() < 0.7),
                source.choice((1, 2)),
                source.choice([1, FIVE, 3 * 24 * 3600 * 1000]),
            )
            self.holds(macs)

    def holds(self, macs: list[MacNumber]) -> None:
        """Everything can be told, and what is told now is what is told of this moment."""
        switch_findings.tell(self.context, wiring_findings.troubles)
        with self.context.database.read() as connection:
            names = Names(self.context, connection)
            for one in self.book.switches.values():
                now = [(one, port) for port in picture.now(one)]
                views = port_views.ports(self.context, connection, names, now, whole=True)
                then = port_views.ports(
                    self.context,
                    connection,
                    names,
                    [(one, port) for port in picture.then(connection, one, one.row.read or 0)],
                    whole=True,
                )
                self.assertEqual([(view.name, view.said, view.behind_count) for view in views],
                                 [(view.name, view.said, view.behind_count) for view in then])  # fmt: skip
                sheet("x", [Label(view.name, view.said) for view in views], 16, 10, 2)
                differing.turns(self.context, connection, one, 0, self.at, Asked("turns", None, 1000))
                differing.moments(connection, one, None, self.at, 50)
            for places in (Places(self.context, connection, None), Places(self.context, connection, self.at - 1)):
                places.names.learn(macs)
                for mac, placed in places.of(macs).items():
                    places.view(mac, placed)
                places.earlier(macs)
            pair_book.every(self.context, connection)
            pair_book.without(self.context, connection)


class Labels(unittest.TestCase):
    def test_text_is_as_large_as_it_fits_and_what_never_does_is_cut(self) -> None:
        for text in ("till", "desk, stage side, left", "switch-foyer-second-floor-cupboard", "W" * 60, "", "a b " * 40):
            size, lines = fitted(text, 15, 6)
            self.assertTrue(LEAST_PT <= size <= LARGEST_PT)
            for line in lines:
                self.assertLessEqual(text_width(line, size), 15)
            if not lines[-1].endswith("·"):
                self.assertEqual("".join(lines).replace(" ", ""), text.replace(" ", ""))
        self.assertEqual(fitted("till", 15, 6), (LARGEST_PT, ("till",)))
        (*_, cut) = fitted("W" * 60, 15, 6)[1]
        self.assertTrue(cut.endswith("W·"))
        self.assertGreater(text_width(cut.replace("·", "W·"), LEAST_PT), 15, "one letter more would not fit")

    def test_odd_ports_stand_above_even_ones_and_markup_is_inert(self) -> None:
        drawn = sheet("<b>", [Label(str(number), f"<{number}>") for number in range(1, 9)], 16, 10, 2)
        self.assertNotIn("<b>", drawn)
        self.assertLess(drawn.index("&lt;1&gt;"), drawn.index("&lt;2&gt;"))
        one, two = (
            drawn[drawn.index(f">{number}</text>") - 60 : drawn.index(f">{number}</text>")] for number in (1, 2)
        )
        self.assertEqual(one.partition('x="')[2][:4], two.partition('x="')[2][:4])

    def test_each_label_has_a_place_of_its_own_within_the_page(self) -> None:
        for rows in (1, 2):
            drawn = ET.fromstring(sheet("x", [Label(str(number), "") for number in range(70)], 16, 10, rows))
            wide, high = (float(drawn.attrib[name].removesuffix("mm")) for name in ("width", "height"))
            cells = [(float(one.attrib["x"]), float(one.attrib["y"])) for one in drawn if one.tag.endswith("rect")]
            self.assertEqual(len(cells), 70)
            for number, (x, y) in enumerate(cells):
                self.assertTrue(x >= 0 and y >= 0 and x + 16 <= wide and y + 10 <= high, (x, y, wide, high))
                for other in cells[:number]:
                    self.assertTrue(abs(x - other[0]) >= 16 or abs(y - other[1]) >= 10, f"{(x, y)} lies on {other}")
            lines = sorted({y for _, y in cells})
            apart = {round(after - before, 3) for before, after in itertools.pairwise(lines)}
            self.assertLessEqual(max(apart), 10 + 20, "strips follow one another")


if __name__ == "__main__":
    unittest.main()
