"""How switches hang together, by what they say and by what they have learnt: links, rings, ways, the map, the guard, findings."""

from __future__ import annotations

import random
import unittest
import xml.etree.ElementTree as ET
from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import pairwise
from typing import Any

from even_roster.core.findings.engine import BY_KIND
from even_roster.core.findings.model import DAY, HOUR
from even_roster.core.findings.wiring_troubles import LinkSeen, RootSeen, WiringSeen, wiring_troubles
from even_roster.core.mac import MacNumber
from even_roster.core.switches.columns import Column, Rows
from even_roster.core.switches.port_readers import root, towards
from even_roster.core.switches.port_states import PortState
from even_roster.core.switches.reading import Neighbour
from even_roster.core.wiring.chase_turns import Turned, said, turned
from even_roster.core.wiring.drawing import draw, svg
from even_roster.core.wiring.facts import UNREAD, End, Known, Link, Member, Plug, Word
from even_roster.core.wiring.graph import Graph, falls, graph, parts, rings, way
from even_roster.core.wiring.guard import FRESH_MS, HARMLESS, Desk, PortFacts, Sight, Verdict, contests, judge
from even_roster.core.wiring.layout import Spot, layout
from even_roster.core.wiring.links import SETTLED, links
from even_roster.core.wiring.outline import outline
from even_roster.core.wiring.standing_places import Seen
from tests.support.effort import effort
from tests.support.topologies import READ, Topology

BESIDE = "anything"
PART = "test and endure"

SEEDS = effort(1, 3, 30)
"""Topologies of each size and shape."""

SHAPES = ("tree", "ring", "mesh")
NOW = 1_000 * DAY


def mac(number: int) -> MacNumber:
    return MacNumber(0x02AA00000000 + number)


def text(number: int) -> str:
    return ":".join(f"{mac(number):012x}"[at : at + 2] for at in range(0, 12, 2))


def beside(number: int, port: str, *can: str, name: str = "") -> Neighbour:
    """Who announces itself: the switch of a number, at its port."""
    return Neighbour(0, text(number), port, name=name or f"switch-{number}", capabilities=can or ("bridge",))


def switch(number: int, *plugs: Plug, learnt: int = READ, router: bool = False) -> Member:
    return Member(number, f"switch-{number}", frozenset({mac(number)}), (), learnt, plugs, router)


def plug(identity: int, *neighbours: Neighbour, macs: Sequence[int] = (), **more: object) -> Plug:
    """A port that is called by its id, with who was learnt there."""
    made = Plug(identity, str(identity), neighbours=neighbours, macs={MacNumber(one): 0 for one in macs})
    return replace(made, **more)  # type: ignore[arg-type]


def pairs(found: Sequence[Link]) -> dict[tuple[int, ...], Link]:
    return {tuple(end.port for end in link.ends): link for link in found}


class Generated(unittest.TestCase):
    """Against topologies made without a look at how links are looked for."""

    def measure(self, silent: float, missing: float) -> tuple[int, int, int, int]:
        """Of all cables: how many there are, were missed, were claimed and are none, and of these were called told."""
        cables = missed = wrong = lies = 0
        for size in (2, 3, 7, 24, 60):
            for shape in SHAPES:
                for seed in range(SEEDS):
                    source = random.Random(f"{size} {shape} {seed} {silent} {missing}")
                    made = Topology.make(source, shape, size, size * 10)
                    if silent:
                        made.silent = set(source.sample(range(size), max(1, round(size * silent))))
                    found = pairs(links(made.members(source, missing)))
                    cables += len(made.joined)
                    missed += len(made.joined - found.keys())
                    wrong += len(found.keys() - made.joined)
                    lies += sum(one.known is not Known.INFERRED for key, one in found.items() if key not in made.joined)
        return cables, missed, wrong, lies

    def test_where_everybody_announces_itself_every_link_is_right(self) -> None:
        for missing in (0.0, 0.1):
            cables, missed, wrong, _ = self.measure(0.0, missing)
            self.assertEqual((missed, wrong), (0, 0), f"of {cables}, without {missing:.0%} of the facts")

    def test_a_tenth_that_says_nothing_is_found_by_what_was_learnt(self) -> None:
        cables, missed, wrong, lies = self.measure(0.1, 0.1)
        self.assertEqual(lies, 0, "called told, and not there")
        self.assertGreaterEqual((cables - missed) / cables, 0.98)
        self.assertLessEqual(wrong / cables, 0.01)

    def test_nobody_says_a_word_and_the_tables_alone_tell_every_open_link(self) -> None:
        for shape in SHAPES:
            source = random.Random(shape)
            made = Topology.make(source, shape, 30, 300)
            made.silent = set(range(30))
            members = [
                replace(one, plugs=tuple(replace(port, towards=None, tree="") for port in one.plugs))
                for one in made.members(source)
            ]
            found = pairs(links(members))
            shut = {
                tuple(sorted((1000 * a[0] + a[1], 1000 * b[0] + b[1])))
                for number, (a, b) in enumerate(made.cables) if number in made.blocked
            }  # fmt: skip
            self.assertEqual(set(found), made.joined - shut)
            self.assertEqual({one.known for one in found.values()}, {Known.INFERRED})

    def test_rings_and_what_hangs_on_one_link_alone_are_those_of_the_cables(self) -> None:
        for shape in SHAPES:
            made = Topology.make(random.Random(shape), shape, 40, 100)
            found = links(made.members(random.Random(1)))
            wiring = graph(found, {}, range(1, 41))
            ringed = {number for ring in rings(wiring) for number in ring.links}
            gone = falls(wiring, "s1")
            for number, _link in enumerate(found):
                left = graph([*found[:number], *found[number + 1 :]], {}, range(1, 41))
                together = len(parts(left)) == 1
                self.assertEqual(together, number in ringed, "a link of a ring can fail without cutting anybody off")
                if not together:
                    self.assertEqual(gone[number], next(frozenset(part) for part in parts(left) if "s1" not in part))


class Links(unittest.TestCase):
    def test_told_by_both_by_one_and_at_a_port_that_is_not_known(self) -> None:
        found = links([
            switch(1, plug(11, beside(2, "21")), plug(12, beside(3, "31")), plug(13, beside(4, "no such"))),
            switch(2, plug(21, beside(1, "11"))), switch(3, plug(31)), switch(4, plug(41)),
        ])  # fmt: skip
        self.assertEqual(
            [(link.ends, link.known) for link in found],
            [((End(1, 11), End(2, 21)), Known.BOTH), ((End(1, 12), End(3, 31)), Known.ONE),
             ((End(1, 13), End(4, 0)), Known.ONE)],
        )  # fmt: skip
        self.assertIn("port 21 of switch-2 announces itself at switch-1 port 11", found[0].reasons)

    def test_an_older_word_counts_for_nothing_where_the_other_end_says_otherwise(self) -> None:
        before = switch(1, plug(11, beside(2, "21")), learnt=READ - 1)
        moved = switch(2, plug(21, beside(3, "31")))
        other = switch(3, plug(31, beside(2, "21")))
        self.assertEqual(set(pairs(links([before, moved, other]))), {(21, 31)})
        self.assertEqual(links([before, switch(2, plug(21, up=False))]), [], "its port has no link any more")
        later = replace(before, learnt=READ + 1)
        self.assertIn((11, 21), {key[:2] for key in pairs(links([later, switch(2, plug(21))]))})

    def test_the_spanning_tree_tells_of_who_announces_nothing(self) -> None:
        one, other = switch(1, plug(11, base=7)), switch(2, plug(21, towards=(mac(1), 0x8007), tree="blocking"))
        found = links([one, other])
        self.assertEqual([(link.ends, link.known) for link in found], [((End(1, 11), End(2, 21)), Known.ONE)])
        self.assertIn(
            "the spanning tree has port 11 of switch-1 at the other end of switch-2 port 21", found[0].reasons
        )
        columns: dict[Column, Rows] = {
            Column.ROOT: {(0,): b"\x80\x00\x02\xaa\0\0\0\1"}, Column.BRIDGE_ADDRESS: {(0,): b"\x02\xaa\0\0\0\2"},
            Column.TREE_BRIDGE: {(1,): b"\x80\x00\x02\xaa\0\0\0\1", (2,): b"\x80\x00\x02\xaa\0\0\0\2", (3,): b"short"},
            Column.TREE_PORT: {(1,): b"\x80\x07", (2,): b"\x80\x02", (3,): b"\x80\x03"},
        }  # fmt: skip
        self.assertEqual(
            (root(columns), towards(columns)), (mac(1), {1: (mac(1), 0x8007)}), "its own ports name itself"
        )

    def test_of_two_that_call_themselves_alike_the_spanning_tree_tells_which_is_meant(self) -> None:
        alike = Neighbour(0, "vm", "up5", name="switch-4", capabilities=("bridge",))
        found = links([
            switch(2, plug(21, name="up5", base=12)), switch(4, plug(41, name="up8")),
            switch(3, plug(31, alike, towards=(mac(2), 0x800C), tree="root")),
        ])  # fmt: skip
        self.assertEqual([link.ends for link in found], [(End(2, 21), End(3, 31))], "switch-4 has no port up5")

    def test_one_that_is_not_read_and_phones_that_say_they_are_bridges(self) -> None:
        found = links([
            switch(1, plug(11, beside(9, "1", name="attic")), plug(12, beside(8, "lan", "bridge", "telephone")),
                   plug(13, beside(7, "lan", "bridge", "access point"))),
        ])  # fmt: skip
        self.assertEqual([link.ends for link in found], [(End(UNREAD, 0, "attic"), End(1, 11))])

    def test_a_bundle_is_one_link_with_members(self) -> None:
        found = links([
            switch(1, plug(11, beside(2, "21"), bundle="agg"), plug(12, beside(2, "22"), bundle="agg"), plug(19, name="agg")),
            switch(2, plug(21, beside(1, "11"), bundle="b"), plug(22, beside(1, "12"), bundle="b")),
        ])  # fmt: skip
        self.assertEqual([(one.ends, one.members) for one in found], [((End(1, 19), End(2, 21)), ((11, 21), (12, 22)))])
        self.assertEqual(rings(graph(found, {})), [], "two cables of a bundle are no ring")

    def test_something_small_between_three_switches_is_one_link_with_three_ends(self) -> None:
        hosts = {1: [101, 102], 2: [201, 202], 3: [301, 302]}
        far = {n: [mac(m) for m in hosts if m != n] + [h for m in hosts if m != n for h in hosts[m]] for n in hosts}
        members = [
            switch(n, plug(10 * n + 1, macs=[*far[n], 900], uplink=True), plug(10 * n + 2, macs=hosts[n]))
            for n in hosts
        ]
        (found,) = links(members)
        self.assertEqual([end.port for end in found.ends], [11, 21, 31])
        self.assertTrue(found.between)
        passes_on = [
            switch(1, plug(11, beside(2, "21"), beside(3, "31"))), switch(2, plug(21, beside(1, "11"), beside(3, "31"))),
            switch(3, plug(31, beside(1, "11"), beside(2, "21"))),
        ]  # fmt: skip
        self.assertEqual(len(links(passes_on)[0].ends), 3, "it passes announcements on")

    def test_who_is_learnt_at_both_ends_hangs_between_when_both_were_read_long_enough_after(self) -> None:
        def two(first: int) -> Link:
            lone = {MacNumber(900): first}
            return links([
                switch(1, replace(plug(11, beside(2, "21"), uplink=True), macs=lone)),
                switch(2, replace(plug(21, beside(1, "11"), uplink=True), macs=lone)),
            ])[0]  # fmt: skip

        self.assertTrue(two(READ - SETTLED).between)
        self.assertFalse(two(READ - SETTLED + 1).between, "it may have moved just now")

    def test_a_hand_states_and_denies(self) -> None:
        members = [switch(1, plug(11, beside(2, "21")), plug(12)), switch(2, plug(21, beside(1, "11")), plug(22))]
        self.assertEqual(links(members, [Word(21, 11, joined=False)]), [])
        stated = pairs(links(members, [Word(12, 22, joined=True)]))
        self.assertEqual(
            {key: one.known for key, one in stated.items()}, {(11, 21): Known.BOTH, (12, 22): Known.STATED}
        )
        over = links(members, [Word(11, 22, joined=True)])
        self.assertEqual(
            [one.ends for one in over], [(End(1, 11), End(2, 22))], "a port has one cable: a hand's word counts"
        )

    def test_a_router_hangs_where_its_mac_is_learnt_and_joins_nothing(self) -> None:
        router = switch(7, plug(71, mac=mac(7)), router=True)
        members = [switch(1, plug(11, macs=[mac(7)])), switch(2, plug(21)), router]
        (found,) = links(members)
        self.assertEqual((found.ends, found.known, found.between), ((End(1, 11), End(7, 71)), Known.INFERRED, False))
        wiring = graph([found, Link((End(2, 21), End(7, 72)), Known.BOTH)], {}, (1, 2), (7,))
        self.assertIsNone(way(wiring, "s1", "s2"), "no frame goes through a router")


def ring_of_three(shut: str = "blocking") -> tuple[list[Link], dict[int, PortState]]:
    """Switches 1, 2, 3 in a ring, that between 2 and 3 shut at 3; 4 hangs on 1."""
    found = [
        Link((End(1, 11), End(2, 21)), Known.BOTH), Link((End(1, 12), End(3, 31)), Known.BOTH),
        Link((End(2, 22), End(3, 32)), Known.BOTH), Link((End(1, 13), End(4, 41)), Known.BOTH),
    ]  # fmt: skip
    states = {end.port: PortState(end.port, link="up", speed=10**9, vlan=1) for link in found for end in link.ends}
    states[32] = replace(states[32], tree=shut)
    return found, states


class Ways(unittest.TestCase):
    def through(self, wiring: Graph, begin: str, end: str, vlan: int | None = None) -> list[int] | None:
        found = way(wiring, begin, end, vlan)
        return [edge.link for edge in found] if found is not None else None

    def test_the_way_goes_through_what_forwards_and_carries_the_vlan(self) -> None:
        found, states = ring_of_three()
        wiring = graph(found, states)
        self.assertEqual(self.through(wiring, "s2", "s3"), [0, 1], "not by the link that is shut")
        (ring,) = rings(wiring)
        self.assertEqual((ring.simple, ring.shut, ring.loop, set(ring.nodes)), (True, (2,), False, {"s1", "s2", "s3"}))
        self.assertEqual(falls(wiring, "s1"), {3: frozenset({"s4"})})
        states[11] = replace(states[11], tagged=(10, 20))
        self.assertEqual(self.through(graph(found, states), "s1", "s2", 20), [0])
        self.assertIsNone(self.through(graph(found, states), "s1", "s2", 30))
        self.assertEqual(self.through(graph(*ring_of_three("alternate in tree 2")), "s2", "s3"), [2], "others pass")

    def test_a_link_of_which_one_port_has_no_link_joins_nobody_now(self) -> None:
        found, states = ring_of_three()
        states[31] = replace(states[31], link="down")
        wiring = graph([replace(found[1], known=Known.STATED)], states)
        self.assertTrue(wiring.standings[0].dark)
        self.assertIsNone(way(wiring, "s1", "s3"))
        self.assertEqual(len(parts(wiring)), 2)

    def test_a_cable_from_a_switch_to_itself_is_a_ring(self) -> None:
        wiring = graph([Link((End(1, 11), End(1, 12)), Known.BOTH)], {})
        self.assertEqual([ring.loop for ring in rings(wiring)], [True])


class Map(unittest.TestCase):
    def test_no_two_strips_overlap_and_whoever_hangs_below_stands_below(self) -> None:
        for shape in SHAPES:
            made = Topology.make(random.Random(shape), shape, 80, 0)
            wiring = graph(links(made.members(random.Random(1))), {}, range(1, 81))
            spots = layout(wiring, rings(wiring), ["s1"], {}, {})
            self.assertEqual(len(spots), 80)
            boxes = list(spots.values())
            for place, box in enumerate(boxes):
                self.assertFalse(any(box.meets(other) for other in boxes[place + 1 :]))
            for number, gone in falls(wiring, "s1").items():
                upper = next(end.switch for end in wiring.links[number].ends if f"s{end.switch}" not in gone)
                self.assertTrue(all(spots[node].y > spots[f"s{upper}"].y for node in gone))

    def test_a_ring_of_three_is_a_triangle_and_a_switch_that_is_added_turns_no_order(self) -> None:
        found, states = ring_of_three()
        spots = layout(graph(found, states), rings(graph(found, states)), ["s1"], {}, {})
        self.assertEqual(spots["s2"].y, spots["s3"].y)
        self.assertTrue(spots["s2"].x < spots["s1"].middle < spots["s3"].x + spots["s3"].width)
        more = [*found, Link((End(1, 14), End(5, 51)), Known.BOTH)]
        after = layout(graph(more, states), rings(graph(more, states)), ["s1"], {}, {})

        def order(which: Mapping[str, Spot]) -> list[str]:
            return sorted(spots, key=lambda node: (which[node].y, which[node].x))

        self.assertEqual(order(spots), order(after))

    def test_a_hands_place_is_kept_and_others_make_room(self) -> None:
        found, states = ring_of_three()
        wiring = graph(found, states)
        before = layout(wiring, rings(wiring), ["s1"], {}, {})
        taken = before["s2"]
        after = layout(wiring, rings(wiring), ["s1"], {}, {"s4": (taken.x, taken.y)})
        self.assertEqual((after["s4"].x, after["s4"].y), (taken.x, taken.y))
        self.assertFalse(after["s2"].meets(after["s4"]))

    def test_cables_go_from_port_to_port_and_the_document_is_one(self) -> None:
        found, states = ring_of_three()
        wiring = graph(found, states)
        spots = layout(wiring, rings(wiring), ["s1"], {}, {})
        ports = {"s1": [11, 12, 13], "s2": [21, 22], "s3": [31, 32], "s4": [41]}
        marks = {"s1": "^^^", "s2": "^^", "s3": "^x", "s4": "-"}
        made = draw(wiring, spots, {node: f"<{node}> & co" for node in spots}, ports, marks, {})
        strips = {one.node: one for one in made.strips}
        first = made.cables[0]
        self.assertEqual((first.points[0][0], first.points[-1][0]), (strips["s1"].at(11), strips["s2"].at(21)))
        self.assertEqual([cable.shut for cable in made.cables], [False, False, True, False])
        document = ET.fromstring(svg(made, "a <title>", frozenset({0})))
        said = " ".join(document.itertext())
        widths = [float(line.get("stroke-width") or 0) for line in document.findall(".//{*}polyline")]
        wider = [width - cable.width for width, cable in zip(widths, made.cables, strict=True)]
        self.assertEqual([extra > 1 for extra in wider], [True, False, False, False], "only the way is lit")
        self.assertIn("kept shut", said)
        (word,) = (one for one in document.findall(".//{*}text") if one.text == "kept shut")
        shut = made.cables[2]
        flat = max(pairwise(shut.points), key=lambda pair: abs(pair[0][0] - pair[1][0]))
        left, right = sorted((flat[0][0], flat[1][0]))
        self.assertAlmostEqual(float(word.get("x") or 0), (left + right) / 2, 0, "it stands in the middle of its cable")
        self.assertGreater(right - left, 1)
        self.assertIn("a <title>", said, "markup in names is inert")
        lines = outline(wiring, ["s1"], frozenset(), lambda node: node, str, lambda number: f"link {number}")
        self.assertEqual(lines, [
            "s1", "├ 11 – 21  s2  (link 0)", "│ └ 22 – 32  s3, see there  (link 2)", "├ 12 – 31  s3  (link 1)",
            "└ 13 – 41  s4  (link 3)",
        ])  # fmt: skip

    def test_all_that_hangs_on_a_switch_is_below_it_in_the_outline(self) -> None:
        found = [
            Link((End(1, 11), End(2, 21)), Known.BOTH),
            *(Link((End(2, 21 + n), End(2 + n, 1)), Known.BOTH) for n in (1, 2, 3)),
        ]
        states = {end.port: PortState(end.port, link="up", speed=10**9, vlan=1) for link in found for end in link.ends}
        lines = outline(graph(found, states), ["s1"], frozenset(), lambda node: node, str, lambda _: "")
        self.assertEqual(lines, ["s1", "└ 11 – 21  s2", "  ├ 22 – 1  s3", "  ├ 23 – 1  s4", "  └ 24 – 1  s5"])


PHONE = PortState(39, link="up", neighbours=(beside(9, "lan", "bridge", "telephone"),))


class Guard(unittest.TestCase):
    """This service hangs at port 15 of switch 1; the way to switch 3 goes by the link 12 – 31."""

    OURS = MacNumber(0x02CC00000001)

    def verdict(
        self, port: int = 39, desk: Desk | None = None, *, link: Link | None = None, macs: Sequence[int] = (),
        state: PortState | None = None, linked: bool = False, read: Mapping[int, int] | None = None,
        ours: Mapping[int, frozenset[int]] | None = None, shut: str = "blocking", lead: bool = False, nowhere: Sequence[str] = (),
        base: int | None = 39, addressed: bool | None = False, own_learnt: bool = False, marked: bool = False, whole: bool = True,
        contested: Mapping[int, str] | None = None, seen: Sequence[Seen] = (), switched: Sequence[int] = (),
        strangers: Sequence[MacNumber] = (), partly: Sequence[str] = (), lldp: bool = True,
    ) -> Verdict:  # fmt: skip
        found, states = ring_of_three(shut)
        found[1] = link or found[1]
        sight = Sight(
            graph(found, states), (), read if read is not None else dict.fromkeys((1, 2, 3, 4), NOW),
            ours if ours is not None else {1: frozenset({15}), 3: frozenset({31}), 2: frozenset({21})},
            {MacNumber(500): "a gateway", MacNumber(501): "the device that orders it"}, {-3: "switch-3", -1: "switch-1"}, nowhere,
            contested or {}, switched, seen,
        )  # fmt: skip
        usual = PortState(39, link="up", wanted="up")
        facts = PortFacts(
            3,
            port,
            state or usual,
            [MacNumber(one) for one in macs],
            linked,
            lead,
            base,
            addressed,
            own_learnt,
            whole,
            marked,
            partly,
            lldp,
            strangers,
        )
        return judge(desk or Desk(self.OURS, 1, 15), facts, sight, NOW)

    def judged(self, *which: Any, **how: Any) -> tuple[str, ...]:
        """Why a port of switch 3 may not be switched off; with what of its usual state is otherwise."""
        return self.verdict(*which, **how).refusals

    def test_who_is_known_and_hangs_on_an_edge_may_be_switched_off(self) -> None:
        self.assertEqual(self.judged(macs=[700]), ())
        self.assertEqual(self.judged(state=PortState(39, link="down")), (), "nobody is connected")
        self.assertEqual(self.judged(macs=[700], state=PHONE), ())
        point = PortState(39, link="up", neighbours=(beside(9, "lan", "bridge", "access point"),))
        (refused,) = self.judged(macs=[700], state=point)
        self.assertIn("an access point, announces itself there", refused)

    def test_what_only_a_stranger_says_of_himself_is_taken_unverified(self) -> None:
        stranger = [MacNumber(0x02C044007777)]
        verdict = self.verdict(macs=stranger, state=PHONE, strangers=stranger)
        self.assertEqual(verdict.refusals, ())
        self.assertEqual(len(verdict.unverified), 2, verdict.unverified)
        self.assertIn("is a telephone: it announces that itself", verdict.unverified[0])
        self.assertIn("nobody needs 02:c0:44:00:77:77", verdict.unverified[1])
        self.assertEqual(self.verdict(macs=[700], state=PHONE).unverified, ())

    def test_what_a_switch_told_in_part_or_does_not_tell_at_all_is_not_taken_for_nothing(self) -> None:
        (refused,) = self.judged(macs=[700], partly=["neighbours"])
        self.assertIn("not read to its end: neighbours of this port may be of earlier", refused)
        verdict = self.verdict(macs=[700], lldp=False)
        self.assertEqual((verdict.refusals, len(verdict.unverified)), ((), 1))
        self.assertIn("that no switch is connected to it", verdict.unverified[0])
        self.assertEqual(self.verdict(state=PortState(39, link="down"), lldp=False).unverified, ())

    def test_where_a_gateway_is_connected_is_told_by_more_than_one_reading(self) -> None:
        usual = Seen(MacNumber(500), "a gateway", 3, 40, NOW - HOUR, (10,))
        self.assertEqual(self.judged(macs=[700], seen=[usual]), ())
        self.assertEqual(self.judged(macs=[700], seen=[replace(usual, first=NOW, certain=True)]), ())
        behind = {11: 1, 21: 2}
        for words, seen in {
            "only in its last reading": [replace(usual, first=NOW)],
            "at the ports 40 and 41 at once": [usual, replace(usual, port=41)],
            "each learnt a gateway behind the other": [
                replace(usual, switch=switch, port=port) for port, switch in behind.items()
            ],
        }.items():
            with self.subTest(words):
                refusals = self.judged(macs=[700], seen=seen)
                self.assertEqual(len(refusals), 1, refusals)
                self.assertIn(words, refusals[0])
        self.assertEqual(
            self.judged(macs=[700], seen=[usual, replace(usual, port=41, vlans=(20,))]), (), "two VLANs, two cables"
        )

    def test_a_port_that_was_told_to_be_off_carries_no_way_any_more(self) -> None:
        self.assertTrue(any("port 12 on the way" in one for one in self.judged(macs=[700], switched=[12])))
        self.assertTrue(
            any("this service is connected was told" in one for one in self.judged(macs=[700], switched=[15]))
        )
        self.assertEqual(self.judged(macs=[700], switched=[40]), ())

    def test_every_way_that_is_not_told_whole_is_refused_whatever_the_port(self) -> None:
        one = (End(1, 12), End(3, 31))
        for what, refused in {
            "inferred": self.judged(link=Link(one, Known.INFERRED)), "told by one": self.judged(link=Link(one, Known.ONE)),
            "stated": self.judged(link=Link(one, Known.STATED)), "between": self.judged(link=Link(one, Known.BOTH, between=True)),
            "three": self.judged(link=Link((*one, End(2, 29)), Known.BOTH, between=True)),
            "off the link": self.judged(desk=Desk(None, on_link=False)), "not plugged": self.judged(desk=Desk(self.OURS)),
            "no way": self.judged(link=Link((End(1, 12), End(4, 49)), Known.BOTH), shut="blocking"),
            "old": self.judged(read={1: NOW, 3: NOW - FRESH_MS - 1}), "never": self.judged(read={1: NOW}),
            "not learnt": self.judged(ours={1: frozenset({15})}),
            "elsewhere": self.judged(ours={1: frozenset({15}), 3: frozenset({32})}),
            "twice": self.judged(ours={1: frozenset({15}), 3: frozenset({31, 32})}),
        }.items():  # fmt: skip
            with self.subTest(what):
                self.assertTrue(refused)

    def test_every_port_that_must_stay_is_refused(self) -> None:
        usual = PortState(39, link="up")
        for what, refused in {
            "on the way": self.judged(31), "our own": self.judged(15), "bundle": self.judged(state=replace(usual, bundle="agg")),
            "aggregate": self.judged(lead=True), "link": self.judged(linked=True), "gateway": self.judged(macs=[700, 500]),
            "orders": self.judged(macs=[501]), "virtual": self.judged(macs=[0x00005E000105]),
            "switch": self.judged(state=replace(usual, neighbours=(beside(9, "1"),))),
            "router": self.judged(state=replace(usual, neighbours=(beside(9, "1", "router"),))),
            "uplink": self.judged(state=replace(usual, uplink=True)), "unknown": self.judged(macs=[700], nowhere=["a gateway"]),
            "silent": self.judged(),
        }.items():  # fmt: skip
            with self.subTest(what):
                self.assertTrue(refused)

    def test_what_is_not_known_to_be_a_port_of_the_bridge_alone_is_refused(self) -> None:
        for words, refused in {
            "number as a port of the bridge": self.judged(macs=[700], base=None),
            "has an address of its own": self.judged(macs=[700], addressed=True),
            "does not tell which of its interfaces": self.judged(macs=[700], addressed=None),
            "was not read to its end": self.judged(macs=[700], whole=False),
            "a MAC of its own behind it": self.judged(macs=[700], own_learnt=True),
            "switch-1 (two devices have one address)": self.judged(
                macs=[700], contested={1: "two devices have one address"}
            ),
            "switch-3 (a takeover)": self.judged(macs=[700], contested={3: "a takeover"}),
        }.items():
            with self.subTest(words):
                self.assertEqual(len(refused), 1, refused)
                self.assertIn(words, refused[0])
        self.assertEqual(self.judged(macs=[700], contested={4: "a takeover"}), (), "it is not on the way")

    def test_what_a_person_says_is_outweighed_by_no_announcement(self) -> None:
        self.assertEqual(self.judged(macs=[700], state=PHONE), ())
        (refused,) = self.judged(macs=[700], state=PHONE, marked=True)
        self.assertIn("a person says that it is an uplink", refused)

    def test_a_finding_of_a_kind_that_is_not_known_to_be_harmless_contests(self) -> None:
        self.assertTrue(contests("duplicate-address", True) and contests("mac-on-two-ports", False))
        self.assertTrue(contests("a kind of tomorrow", True))
        self.assertFalse(contests("unknown-device", False))
        self.assertEqual([contests("assignment-not-in-effect", about) for about in (True, False)], [True, False])
        self.assertLessEqual(HARMLESS, BY_KIND.keys(), "each of them is a kind")

    def test_whatever_is_drawn_the_way_of_the_service_is_never_switched_off(self) -> None:
        permitted, tried = 0, effort(50, 150, 400)
        for seed in range(tried):
            source = random.Random(seed)
            made = Topology.make(source, source.choice(SHAPES), source.randint(2, 9), 30)
            made.silent = set(source.sample(range(made.switches), source.randint(0, 1)))
            members = made.members(source, source.choice((0.0, 0.1)))
            found = links(members)
            states = {
                port.id: PortState(port.index, link="up", tree=port.tree, uplink=port.uplink, neighbours=port.neighbours)
                for one in members for port in one.plugs
            }  # fmt: skip
            hosts = [
                (m, one, port)
                for one in members
                for port in one.plugs
                if not port.uplink
                for m in port.macs
                if m >> 32 == 0x02BB
            ]
            us, here, at = source.choice(hosts)
            wiring = graph(found, states, [one.id for one in members])
            ours = {one.id: frozenset(port.id for port in one.plugs if us in port.macs) for one in members}
            sight = Sight(wiring, (), {one.id: NOW for one in members}, ours, {us: "this service"}, {})
            linked = {port for link in found for port in link.ports}
            for one in members:
                allowed = [
                    port.id for port in one.plugs
                    if not judge(Desk(us, here.id, at.id), PortFacts(one.id, port.id, states[port.id], list(port.macs), port.id in linked,
                                                                              base=port.base or 1, addressed=False),
                                 sight, NOW).refusals
                ]  # fmt: skip
                real = self.real_way(made, here.id - 1, one.id - 1) | {at.id}
                self.assertFalse(real & set(allowed), f"seed {seed}: a port of the way may be switched off")
                permitted += len(allowed)
        self.assertGreater(permitted, 5 * tried, "others may")

    def real_way(self, made: Topology, begin: int, end: int) -> set[int]:
        """The ports of all cables that forward between two switches."""
        around: dict[int, list[tuple[int, int, int]]] = {number: [] for number in range(made.switches)}
        for number, (one, other) in enumerate(made.cables):
            if number not in made.blocked:
                ports = 1000 * one[0] + one[1], 1000 * other[0] + other[1]
                around[one[0]].append((other[0], *ports))
                around[other[0]].append((one[0], *ports))
        ways: dict[int, set[int]] = {begin: set()}
        waiting = [begin]
        for at in waiting:
            for far, one_port, its_port in around[at]:
                if far not in ways:
                    ways[far] = ways[at] | {one_port, its_port}
                    waiting.append(far)
        return ways[end]


class Troubles(unittest.TestCase):
    def found(
        self, lost: Sequence[LinkSeen] = (), *, shut: str = "blocking", without: Sequence[int] = (),
        states: Mapping[int, PortState] | None = None, usual: int | None = None, roots: Sequence[RootSeen] = (),
        dark: Sequence[int] = (),
    ) -> dict[str, list[str]]:  # fmt: skip
        links_, stand = ring_of_three(shut)
        stand.update(states or {})
        keep = [link for number, link in enumerate(links_) if number not in without]
        made = WiringSeen(
            graph(keep, stand), [self.seen(link, usual=usual) for link in keep], lost, roots, lambda node: f"switch-{node[1:]}",
            lambda key: f"10.44.0.{key}", {1, 2, 3}, dark,
        )  # fmt: skip
        return {
            kind: [one.said for one in trouble.evidence] for (kind, _), trouble in wiring_troubles(made, NOW).items()
        }

    def seen(self, link: Link, first: int = NOW - DAY, last: int | None = None, usual: int | None = None) -> LinkSeen:
        return LinkSeen(link, tuple(f"switch-{end.switch} port {end.port}" for end in link.ends), first, last, usual)

    def test_a_healthy_ring_is_quiet(self) -> None:
        self.assertEqual(self.found(), {})

    def test_a_lost_link_opens_its_ring_or_cuts_somebody_off(self) -> None:
        all_links, _ = ring_of_three()
        ring = self.seen(all_links[0], last=NOW - HOUR)
        told = self.found([ring], without=(0,), dark=(11, 21))
        self.assertEqual(list(told), ["ring-open"])
        self.assertIn("switch-1 port 11 and switch-2 port 21 have no link now", told["ring-open"])
        alone = self.seen(all_links[3], last=NOW - HOUR)
        self.assertEqual(list(self.found([alone], without=(3,), dark=(13,))), ["link-lost"])

    def test_what_was_tried_moved_or_only_fell_silent_is_no_loss(self) -> None:
        link = ring_of_three()[0][3]
        gone = self.seen(link, last=NOW - HOUR)
        self.assertEqual(
            self.found([gone], without=(3,)), {}, "its ports have their links: nobody tells of it, that is all"
        )
        self.assertEqual(self.found([gone], dark=(13,)), {}, "it is there again")
        tried = self.seen(link, first=NOW - 2 * HOUR, last=NOW - 2 * HOUR + 60_000)
        self.assertEqual(self.found([tried], without=(3,), dark=(13,)), {})
        self.assertTrue(
            self.found([replace(tried, settled=True)], without=(3,), dark=(13,)), "it may have stood for years"
        )
        self.assertEqual(self.found([replace(gone, last=NOW - 8 * DAY)], without=(3,), dark=(13,)), {}, "long ago")

    def test_slower_loops_roots_and_vlans(self) -> None:
        self.assertEqual(list(self.found(usual=10**10)), ["link-slower"])
        self.assertEqual(list(self.found(shut="")), ["loop-suspected"])
        turned_now = RootSeen("switch-2", "switch-3", "switch-1", NOW - HOUR)
        self.assertIn("it was switch-1 before", self.found(roots=(turned_now,))["root-changed"])
        self.assertEqual(self.found(roots=(replace(turned_now, at=NOW - 2 * DAY),)), {})
        other = {11: PortState(11, link="up", vlan=20), 21: PortState(21, link="up", vlan=10)}
        self.assertIn("VLAN 10 at one end and to VLAN 20 at the other", self.found(states=other)["vlans-differ"][0])


class Chase(unittest.TestCase):
    def test_what_turned_between_two_looks(self) -> None:
        self.assertEqual(turned(None, {1: 1}), [], "nothing at the first look")
        self.assertEqual(turned({1: 1, 2: 2, 3: 1}, {1: 2, 2: 1, 4: 1}), [Turned(1, up=False), Turned(2, up=True)])
        self.assertEqual(turned({1: 2}, {1: 7}), [], "down and lower layer down are both no link")
        self.assertEqual(
            said("switch-foyer", "7", ["ticket-gate-3"], up=False),
            "port 7 of switch-foyer lost its link: ticket-gate-3",
        )


if __name__ == "__main__":
    unittest.main()
