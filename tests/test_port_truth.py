"""Where somebody is plugged in: what readings make of stays, which ports are uplinks, and what is wrong with ports."""

from __future__ import annotations

import random
import unittest
from collections.abc import Mapping, Sequence
from dataclasses import replace

from even_roster.core.findings.model import DAY, HOUR, MINUTE
from even_roster.core.findings.port_troubles import PortSeen, SwitchSeen, Who, troubles
from even_roster.core.mac import Mac, MacNumber
from even_roster.core.stays import GAP_MS
from even_roster.core.switches.columns import Column, Rows
from even_roster.core.switches.counting import grown
from even_roster.core.switches.placing import AGEING_MS, Candidate, Grade, place
from even_roster.core.switches.port_readers import bundles, counters, members, powers, trees
from even_roster.core.switches.port_states import PortState, from_stored
from even_roster.core.switches.port_stays import Ended, Folding, PortStay, fold
from even_roster.core.switches.reading import Counted, Neighbour, Pair
from even_roster.core.switches.router_readers import addressed, addresses, pairs
from even_roster.core.switches.sentences import port_said, together
from even_roster.core.switches.uplinks import Behind, Told, verdicts
from tests.support.drawing import given, st

BESIDE = "anything"

TILL, DESK, PHONE = (MacNumber(0x02C044007701 + number) for number in range(3))
GUEST = MacNumber(0x02C09F000001)
FIVE = 5 * 60 * 1000


class Folds:
    """A switch's stays as the records have them, reading by reading."""

    def __init__(self) -> None:
        self.rows: dict[int, PortStay] = {}
        self.at = 0

    def read(
        self, learnt: Mapping[MacNumber, Sequence[int]], unlinked: Sequence[int] = (), after: int = FIVE
    ) -> Folding:
        """A reading, some time after the one before."""
        before, self.at = self.at, self.at + after
        told = {mac: dict.fromkeys(ports, (10,)) for mac, ports in learnt.items()}
        standing = [replace(stay, last=before) if stay.here else stay for stay in self.rows.values() if not stay.ended]
        done = fold(standing, told, set(unlinked), self.at, before)
        for stay in done.changed:
            self.rows[stay.id] = stay
        for stay in done.begun:
            identity = len(self.rows) + 1
            self.rows[identity] = replace(stay, id=identity)
        return done

    def told(self, mac: MacNumber) -> list[tuple[int, bool, Ended]]:
        """The stays of a MAC in their order."""
        return [(stay.port, stay.here, stay.ended) for stay in self.rows.values() if stay.mac == mac]


class Stays(unittest.TestCase):
    def test_who_is_forgotten_rests_and_goes_on_where_it_was(self) -> None:
        folds = Folds()
        folds.read({TILL: [1]})
        folds.read({})
        self.assertEqual(folds.told(TILL), [(1, False, Ended.NOT)], "ageing proves nothing")
        self.assertEqual(folds.rows[1].last, FIVE)
        folds.read({TILL: [1]})
        self.assertEqual((folds.told(TILL), folds.rows[1].first), ([(1, True, Ended.NOT)], FIVE))

    def test_a_quiet_reading_changes_nothing(self) -> None:
        folds = Folds()
        folds.read({TILL: [1], DESK: [2]})
        self.assertEqual(folds.read({TILL: [1], DESK: [2]}), Folding((), ()))

    def test_who_is_learnt_elsewhere_has_moved_and_whose_port_has_no_link_was_unplugged(self) -> None:
        folds = Folds()
        folds.read({TILL: [1], DESK: [2]})
        folds.read({TILL: [7]}, unlinked=[2])
        self.assertEqual(folds.told(TILL), [(1, False, Ended.MOVED), (7, True, Ended.NOT)])
        self.assertEqual(folds.told(DESK), [(2, False, Ended.LINK)])
        folds.read({DESK: [2]})
        self.assertEqual(folds.told(DESK), [(2, False, Ended.LINK), (2, True, Ended.NOT)], "a stay that ended is over")

    def test_after_days_a_stay_is_another_one(self) -> None:
        folds = Folds()
        folds.read({TILL: [1]})
        folds.read({})
        folds.read({TILL: [1]}, after=GAP_MS + FIVE)
        self.assertEqual(folds.told(TILL), [(1, False, Ended.LONG), (1, True, Ended.NOT)])

    @given(st.lists(st.tuples(
        st.dictionaries(st.sampled_from([TILL, DESK, PHONE]), st.lists(st.integers(1, 3), min_size=1, max_size=2, unique=True)),
        st.lists(st.integers(1, 3), unique=True),
    ), max_size=12))  # fmt: skip
    def test_whatever_is_read_who_is_learnt_is_here_and_nobody_else(
        self, readings: list[tuple[dict[MacNumber, list[int]], list[int]]]
    ) -> None:
        folds = Folds()
        for learnt, unlinked in readings:
            folds.read(learnt, unlinked)
            here = {(stay.mac, stay.port) for stay in folds.rows.values() if stay.here}
            self.assertEqual(here, {(mac, port) for mac, ports in learnt.items() for port in ports})
            for stay in folds.rows.values():
                self.assertLessEqual(stay.first, stay.last)
                self.assertFalse(stay.here and stay.ended)


class Places(unittest.TestCase):
    """Graded answers from candidates: switch, port, first, last, here, uplink, how many behind."""

    EDGE = Candidate(1, 11, 0, 100_000, True, False, 1)
    UP = Candidate(2, 25, 0, 100_000, True, True, 30)

    def test_an_edge_beats_any_uplink(self) -> None:
        found = place([self.UP, self.EDGE])
        assert found is not None
        self.assertEqual((found.grade, found.at.port, found.others), (Grade.ON, 11, ()))

    def test_of_two_edges_who_came_last_is_right_and_the_other_is_told(self) -> None:
        found = place([self.EDGE, replace(self.EDGE, switch=3, port=31, first=50_000)])
        assert found is not None
        self.assertEqual((found.at.port, [one.port for one in found.others]), (31, [11]))

    def test_behind_the_nearest_uplink_where_no_edge_has_it(self) -> None:
        found = place([self.UP, replace(self.UP, switch=4, port=41, behind=3)])
        assert found is not None
        self.assertEqual((found.grade, found.at.port), (Grade.BEHIND, 41))

    def test_an_edge_that_forgot_it_a_moment_ago_is_still_where_it_is(self) -> None:
        lately = replace(self.EDGE, here=False, last=100_000 - FIVE + FIVE)
        found = place([self.UP, lately])
        assert found is not None
        self.assertEqual((found.grade, found.at.port), (Grade.ON, 11))
        pulled = place([self.UP, replace(lately, ended=True)])
        assert pulled is not None
        self.assertEqual(pulled.grade, Grade.BEHIND, "its cable was pulled there")
        long_ago = place([replace(self.UP, last=AGEING_MS * 3), lately])
        assert long_ago is not None
        self.assertEqual(long_ago.grade, Grade.BEHIND)

    def test_a_switch_that_remembers_who_left_another_one_that_is_read_proves_nothing(self) -> None:
        pulled = replace(self.EDGE, here=False, ended=True)
        found = place([pulled, replace(self.UP, faces=True)])
        assert found is not None
        self.assertEqual((found.grade, found.at.port), (Grade.SINCE, 11))
        both = place([pulled, replace(self.UP, faces=True), replace(self.UP, port=26, switch=3)])
        assert both is not None
        self.assertEqual((both.grade, both.at.port), (Grade.BEHIND, 26))

    def test_who_is_nowhere_now_was_last_somewhere(self) -> None:
        gone = replace(self.EDGE, here=False), replace(self.UP, here=False)
        found = place(gone)
        assert found is not None
        self.assertEqual((found.grade, found.at.port), (Grade.SINCE, 11))
        self.assertIsNone(place([]))


def switch_of(name: str, own: int, ports: Mapping[int, Behind]) -> Told:
    return Told(name, frozenset({MacNumber(own)}), ports)


class Uplinks(unittest.TestCase):
    def test_each_reason_is_told(self) -> None:
        around = Neighbour(25, "02:c0:3e:00:00:09", "25", name="switch-foyer", capabilities=("bridge",))
        phone = Neighbour(3, "02:c0:62:00:00:09", "lan", name="phone-201", capabilities=("bridge", "telephone"))
        told = verdicts([
            switch_of("attic", 0xA, {
                25: Behind((around,), frozenset({TILL})), 3: Behind((phone,), frozenset({PHONE, DESK})),
                4: Behind((), frozenset({MacNumber(0xB)})), 5: Behind(word=True), 6: Behind((around,), word=False),
                7: Behind((), frozenset({GUEST}), tree="root"),
            }),
            switch_of("cellar", 0xB, {30: Behind((), frozenset({MacNumber(0xA)}))}),
        ])  # fmt: skip
        self.assertEqual({key: one.uplink for key, one in told.items()},
                         {25: True, 3: False, 4: True, 5: True, 6: False, 7: False, 30: True})  # fmt: skip
        said = {key: [reason.said for reason in one.reasons] for key, one in told.items()}
        self.assertEqual(said[25], ["the switch switch-foyer announces itself there"])
        self.assertEqual(said[4], ["cellar is behind it"])
        self.assertEqual(said[6][0], "a hand says that it is no uplink")

    def test_generated_trees_of_switches_are_told_right_without_a_word_of_lldp(self) -> None:
        wrong = total = 0
        for seed in range(12):
            told, truth = self.tree(random.Random(seed), 12)
            found = verdicts(told)
            total += len(truth)
            wrong += sum(found[key].uplink is not truth[key] for key in truth)
        self.assertEqual(wrong, 0, f"of {total} ports")

    def test_silent_switches_and_forgotten_macs_cost_little_and_no_edge_is_taken_for_an_uplink_but_by_chance(
        self,
    ) -> None:
        missed = false = uplinks = 0
        for seed in range(12):
            source = random.Random(seed)
            told, truth = self.tree(source, 12)
            own = {mac for one in told for mac in one.own}
            bare = [
                Told(one.name, frozenset(), {
                    key: Behind(macs=frozenset(mac for mac in sorted(port.macs - own) if source.random() > 0.1))
                    for key, port in one.ports.items()
                })
                for one in told
            ]  # fmt: skip
            found = verdicts(bare)
            uplinks += sum(truth.values())
            missed += sum(leads and not found[key].uplink for key, leads in truth.items())
            false += sum(found[key].uplink and not leads for key, leads in truth.items())
        self.assertLessEqual(missed, 0.02 * uplinks)
        self.assertEqual(false, 0)

    @staticmethod
    def tree(source: random.Random, count: int) -> tuple[list[Told], dict[int, bool]]:
        """Switches in a tree, with hosts on their edges; which ports lead to others, by their ids."""
        parents = {number: source.randrange(number) for number in range(1, count)}
        hosts = {number: [MacNumber(0x100000 + number * 100 + host) for host in range(source.randint(1, 20))]
                 for number in range(count)}  # fmt: skip
        own = {number: MacNumber(0x10 + number) for number in range(count)}
        below = {number: {number} for number in range(count)}
        for number in range(count - 1, 0, -1):
            below[parents[number]] |= below[number]
        told, truth = [], {}
        for number in range(count):
            ports = {}
            for number_of, host in enumerate(hosts[number]):
                ports[number * 1000 + number_of] = Behind(macs=frozenset({host}))
                truth[number * 1000 + number_of] = False
            sides = [child for child, parent in parents.items() if parent == number]
            groups = {number * 1000 + 900 + child: below[child] for child in sides}
            if number:
                groups[number * 1000 + 999] = set(range(count)) - below[number]
            for key, side in groups.items():
                macs = {mac for one in side for mac in hosts[one]} | {own[one] for one in side}
                ports[key] = Behind(macs=frozenset(macs))
                truth[key] = True
            told.append(Told(f"switch-{number}", frozenset({own[number]}), ports))
        return told, truth


class Sentences(unittest.TestCase):
    STATE = PortState(107, link="up", wanted="up", speed=1_000_000_000)

    def test_a_port_reads_as_a_sentence(self) -> None:
        point = Neighbour(7, "02:c0:3e:00:00:09", "lan", name="ap-3", capabilities=("bridge", "access point"))
        for state, names, count, leads, mark, said in (
            (self.STATE, ["ticket-gate-3"], 1, "", "", "ticket-gate-3, 1 Gbit/s"),
            (self.STATE, ["a", "b"], 4, "", "", "a, b and 2 more, 1 Gbit/s"),
            (replace(self.STATE, uplink=True, duplex="half"), [], 41, "switch-foyer", "",
             "uplink to switch-foyer, 41 MACs behind it, 1 Gbit/s, half duplex"),
            (replace(self.STATE, uplink=True, neighbours=(point,)), [], 1, "ap-3", "", "ap-3, an access point, 1 MAC behind it, 1 Gbit/s"),
            (replace(self.STATE, wanted="down", link="down"), [], 0, "", "faulty", "faulty: switched off"),
            (replace(self.STATE, link="down"), [], 0, "", "spare", "spare: nothing"),
            (self.STATE, [], 0, "", "", "a link, and nobody has spoken, 1 Gbit/s"),
            (replace(self.STATE, tree="blocking", uplink=True), [], 0, "b", "", "uplink to b, nobody behind it, 1 Gbit/s, "
             "blocked by the spanning tree"),
            (None, [], 0, "", "", "not told by the switch"),
        ):  # fmt: skip
            with self.subTest(said):
                self.assertEqual(port_said(state, names, count, leads, mark), said)

    def test_what_hangs_together_is_told(self) -> None:
        phone = Neighbour(3, "02:c0:62:00:00:09", "lan", capabilities=("bridge", "telephone"))
        self.assertEqual(
            together([PHONE, DESK], replace(self.STATE, neighbours=(phone,))), "a phone and what hangs behind it"
        )
        guests = [MacNumber(0x5A5400000000 | number) for number in (1, 2, 3)]
        self.assertIn(
            "3 of them look like guests of one computer", together([*guests, MacNumber(0x00C09F000001)], self.STATE)
        )
        self.assertIn("something small", together([TILL, GUEST], self.STATE))
        self.assertEqual(together([TILL], self.STATE), "")
        self.assertEqual(together([TILL, DESK], replace(self.STATE, uplink=True)), "")

    def test_a_state_is_what_was_stored(self) -> None:
        around = Neighbour(0, "02:c0:3e:00:00:09", "25", "p", "n", "t", ("bridge", "router"), "10.44.10.9")
        for state in (
            PortState(0),
            replace(self.STATE, index=0, tagged=(10, 20), tree="root", neighbours=(around,), uplink=True),
        ):
            self.assertEqual(from_stored(state.stored()), state)


class MoreReaders(unittest.TestCase):
    def test_vlans_bundles_trees_and_power_stand_at_their_ports(self) -> None:
        columns: dict[Column, Rows] = {
            Column.VLAN_MEMBERS: {(0, 10): b"\xc0", (0, 20): b"\x40\x80"}, Column.VLAN_UNTAGGED: {(0, 10): b"\x80"},
            Column.BUNDLE: {(101,): 900, (102,): 0, (900,): 900},
            Column.TREE_STATE: {(1,): 5, (2,): 2, (3,): 5}, Column.ROOT_PORT: {(0,): 3},
            Column.TREES_STATE: {(1, 2, 1): 5, (1, 0, 2): 5}, Column.TREES_PART: {(1, 2, 1): 2},
            Column.POWER: {(1, 1): 3, (1, 2): 2}, Column.POWER_CLASS: {(1, 1): 3},
        }  # fmt: skip
        self.assertEqual(members(columns), {2: (10, 20), 9: (20,)})
        self.assertEqual(bundles(columns, {900: "bundle 1"}), {101: "bundle 1"})
        self.assertEqual(trees(columns), {1: "alternate in tree 2", 2: "blocking", 3: "root"})
        self.assertEqual(
            powers(columns, {101: "1", 102: "2"}), ({101: "power (class 2)"}, (), {101: (1, 1), 102: (1, 2)})
        )
        none, lacks, _ = powers(columns, {101: "lan1", 102: "wan1"})
        self.assertEqual((none, len(lacks)), ({}, 1), "two names end with 1: nothing is claimed")

    def test_wide_counters_go_before_narrow_ones_and_both_wrap_or_begin_anew(self) -> None:
        told = counters({
            Column.OCTETS_IN: {(1,): 5, (2,): 7}, Column.HIGH_OCTETS_IN: {(1,): 1 << 40}, Column.ERRORS_IN: {(1,): 3},
        })  # fmt: skip
        self.assertEqual((told[1].octets_in, told[1].errors_in, told[2].octets_in), (1 << 40, 3, 7))
        self.assertEqual(grown(Counted((1 << 32) - 10), Counted(90), 0, 1000), Counted(100))
        self.assertIsNone(grown(Counted(1 << 40), Counted(90), 0, 1000), "an agent that began anew")
        self.assertIsNone(grown(Counted(1 << 30), Counted(5), 0, 1), "faster than anything is")
        self.assertIsNone(grown(Counted(0), Counted(90), 0, 8 * DAY))

    def test_the_newer_table_of_neighbours_goes_before_the_older_one(self) -> None:
        mac = Mac(TILL).to_bytes()
        newer: dict[Column, Rows] = {
            Column.NEIGHBOUR_MACS: {
                (1, 1, 4, 10, 44, 10, 30): mac, (1, 1, 4, 10, 44, 10, 31): mac, (1, 1, 3, 10, 44, 10): mac,
                (1, 2, 16, 0xFE, 0x80, *(0,) * 13, 1): mac, (1, 2, 16, 0x20, 1, 0xD, 0xB8, *(0,) * 11, 1): mac,
                (1, 1, 4, 224, 0, 0, 1): mac, (1, 1, 4, 10, 44, 10, 33): b"\xff" * 6,
            },
            Column.NEIGHBOUR_STATES: {(1, 1, 4, 10, 44, 10, 31): 7},
            Column.MEDIA_MACS: {(1, 10, 44, 10, 99): mac},
            Column.OWN_ADDRESSES: {(1, 4, 127, 0, 0, 1): 1, (1, 4, 10, 44, 10, 1): 2},
        }  # fmt: skip
        told = pairs(newer)
        self.assertEqual([one.address for one in told][:1], [0x0A2C0A1E])
        self.assertEqual(len(told), 2, "link-local, groups, incomplete and broken ones are left out")
        self.assertEqual(pairs({Column.MEDIA_MACS: newer[Column.MEDIA_MACS]}), (Pair(0x0A2C0A63, TILL),))  # type: ignore[arg-type]
        self.assertEqual(addresses(newer), (0x0A2C0A01,))
        self.assertEqual(addressed(newer), frozenset({2}), "loopback is no interface that anybody hangs on")
        older: dict[Column, Rows] = {Column.OLDER_ADDRESSES: {(10, 44, 10, 5): 1000, (127, 0, 0, 1): 1}}
        self.assertEqual(
            addressed({**newer, **older}), frozenset({2, 1000}), "one table may have what the other has not"
        )
        own: Rows = {
            (2, 16, 0xFE, 0x80, *(0,) * 13, 1): 3,
            (4, 20, 0xFE, 0x80, *(0,) * 13, 1, 0, 0, 0, 4): 4,
            (9, 1, 7): 5,
        }
        self.assertEqual(addressed({Column.OWN_ADDRESSES: own}), frozenset({5}), "what cannot be read may be one")
        self.assertIsNone(addressed({}), "it is not known of any")


NOW = 100 * DAY


class Troubles(unittest.TestCase):
    EDGE, UP = PortState(1, link="up", wanted="up", speed=10**9, duplex="full"), PortState(2, link="up", uplink=True)

    def seen(self, ports: Mapping[int, PortSeen], identity: int = 1, **more: object) -> SwitchSeen:
        """A switch that was read just now."""
        plain = SwitchSeen(
            identity,
            f"switch-{identity}",
            "10.44.10.5",
            frozenset({MacNumber(identity)}),
            NOW,
            FIVE,
            NOW,
            "",
            None,
            ports,
        )
        return replace(plain, **more)  # type: ignore[arg-type]

    def port(
        self, key: int, *macs: MacNumber, first: int = NOW - DAY, state: PortState | None = None, **more: object
    ) -> PortSeen:
        """A port with some behind it."""
        here = [PortStay(key, mac, (10,), first, NOW) for mac in macs]
        return replace(PortSeen(key, str(key), state or self.EDGE, here), **more)  # type: ignore[arg-type]

    def found(self, *switches: SwitchSeen, known: bool = True, moves: bool = False) -> dict[str, list[str]]:
        """What is wrong, by kind, as sentences."""
        who = Who(lambda mac: str(Mac(mac)), lambda mac: known, lambda mac: moves)
        told: dict[str, list[str]] = {}
        for (kind, _), one in troubles(switches, who, NOW).items():
            told.setdefault(kind, []).extend(part.said for part in one.evidence)
        return told

    def test_health_is_quiet(self) -> None:
        self.assertEqual(
            self.found(
                self.seen({1: self.port(1, TILL), 2: self.port(2, DESK, state=self.UP)}),
                self.seen({3: self.port(3, DESK)}, 2),
            ),
            {},
        )

    def test_one_mac_on_two_edges_only_when_both_were_read_since(self) -> None:
        one = self.seen({1: self.port(1, TILL)})
        told = self.found(one, self.seen({2: self.port(2, TILL)}, 2))
        self.assertIn("port 1 of switch-1 and behind port 2 of switch-2, both at once", told["mac-on-two-ports"][0])
        moving = self.seen({2: self.port(2, TILL, first=NOW - MINUTE)}, 2)
        self.assertEqual(self.found(one, moving), {}, "it moved a minute ago: the other may not know yet")
        virtual = MacNumber(0x00005E000107)
        self.assertEqual(
            self.found(self.seen({1: self.port(1, virtual)}), self.seen({2: self.port(2, virtual)}, 2)), {}
        )
        apart = self.port(2, here=[PortStay(2, TILL, (20,), NOW - DAY, NOW)])
        self.assertEqual(self.found(one, self.seen({2: apart}, 2)), {}, "another VLAN is another wire")

    def test_who_moved_is_told_unless_it_travels(self) -> None:
        before = PortStay(1, TILL, (10,), NOW - 9 * DAY, NOW - HOUR, False, Ended.MOVED)
        switches = (
            self.seen({1: self.port(1)}, ended=[before]), self.seen({2: self.port(2, TILL, first=NOW - HOUR + FIVE)}, 2),
        )  # fmt: skip
        self.assertEqual(self.found(*switches)["moved-port"][1], "it hangs on port 2 of switch-2 now")
        self.assertEqual(self.found(*switches, moves=True), {})
        crowd = self.seen({2: self.port(2, TILL, DESK, PHONE, first=NOW - HOUR + FIVE)}, 2)
        self.assertEqual(self.found(switches[0], crowd), {}, "where many hang together, coming and going is usual")
        short = replace(before, first=before.last - MINUTE)
        self.assertEqual(self.found(self.seen({1: self.port(1)}, ended=[short]), switches[1]), {}, "it was on its way")

    def test_what_only_a_switch_knows_is_told_after_a_while(self) -> None:
        self.assertIn("unknown-on-port", self.found(self.seen({1: self.port(1, TILL)}), known=False))
        self.assertEqual(self.found(self.seen({1: self.port(1, TILL, first=NOW - MINUTE)}), known=False), {})
        self.assertEqual(self.found(self.seen({1: self.port(1, TILL, state=self.UP)}), known=False), {})
        who = Who(lambda mac: str(Mac(mac)), lambda mac: False, lambda mac: False, lambda vlans: 20 in vlans)
        self.assertEqual(troubles([self.seen({1: self.port(1, TILL)})], who, NOW), {}, "nobody looks at that VLAN")

    def test_flapping_errors_and_ends_that_disagree(self) -> None:
        turns = [NOW - MINUTE * number for number in (50, 40, 30, 20)]
        told = self.found(self.seen({
            1: self.port(1, TILL, turns=turns), 2: self.port(2, DESK, turns=turns[:3]),
            3: self.port(3, more=Counted(errors_in=30, packets_in=1000)), 4: self.port(4, more=Counted(errors_in=30, packets_in=10**6)),
        }))  # fmt: skip
        self.assertEqual(
            told["flapping-port"], ["port 1 of switch-1 lost or got its link again and again within an hour"]
        )
        self.assertEqual(
            told["errors-on-port"], ["of what goes through port 3 of switch-1 more than a hundredth is damaged"]
        )

        def end(key: int, other: int, duplex: str) -> PortSeen:
            around = Neighbour(key, str(Mac(MacNumber(other))), "9", capabilities=("bridge",))
            return PortSeen(key, "9", replace(self.UP, duplex=duplex, neighbours=(around,)), ())

        halves = self.found(self.seen({1: end(1, 2, "full")}), self.seen({2: end(2, 1, "half")}, 2))
        self.assertEqual(halves, {"ends-disagree": ["port 9 of switch-1 runs at full duplex",
                                                    "port 9 of switch-2, the other end of its link, at half duplex"]})  # fmt: skip

    def test_a_switch_that_restarted_or_is_silent(self) -> None:
        self.assertIn("switch-restarted", self.found(self.seen({}, restarted=NOW - HOUR)))
        self.assertEqual(self.found(self.seen({}, restarted=NOW - 2 * DAY)), {})
        self.assertEqual(self.found(self.seen({}, trouble="it does not answer")), {}, "it was read a moment ago")
        self.assertIn("switch-silent", self.found(self.seen({}, trouble="it does not answer", asked_since=NOW - HOUR)))


if __name__ == "__main__":
    unittest.main()
