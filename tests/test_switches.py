"""Switches: what their agents' tables mean, and reading one through the service, its client and the command line."""

from __future__ import annotations

import asyncio
import json
import subprocess
import unittest
from collections.abc import Callable
from functools import partial
from ipaddress import IPv4Address
from typing import TypeVar, cast

from even_roster.api.switches import Credential
from even_roster.client import BadInput, Roster, _switch_calls
from even_roster.core.mac import Mac
from even_roster.core.switches.columns import BRIDGE_KIND, Column, Rows
from even_roster.core.switches.readers import reading
from even_roster.core.switches.reading import Lack, Learnt, Link
from even_roster.core.switches.sentences import speed_said
from even_roster.probe import snmp_agent
from even_roster.probe.segment import Segment
from even_roster.probe.snmp_session import CommunitySession
from even_roster.service.switches import agent_reading
from even_roster.standin.snmp_responder import Responder
from even_roster.wire.snmp import Type, Variable, Version
from tests.support.drawing import given, st
from tests.support.service import Service, demo

BESIDE = "anything"

T = TypeVar("T")
TILL, DESK = Mac.parse("02:c0:44:00:77:01"), Mac.parse("02:c0:9f:00:77:02")


def key(mac: Mac, *before: int) -> tuple[int, ...]:
    return (*before, *mac.to_bytes())


def switch(**more: Rows) -> dict[Column, Rows]:
    """Two ports whose base ports are turned round, and a loopback; some columns replaced."""
    columns: dict[Column, Rows] = {
        Column.SYSTEM: {(5, 0): b"switch-foyer", (1, 0): b"24 ports\x1b[31m", (3, 0): 4200},
        Column.NAME: {(101,): b"1", (102,): b"2", (7,): b"lo"},
        Column.DESCRIPTION: {(101,): b"Port 1", (102,): b"Port 2", (7,): b"Loopback"},
        Column.KIND: {(101,): 6, (102,): 6, (7,): 24},
        Column.SPEED: {(101,): 1_000_000_000, (102,): 4_294_967_295, (7,): 0},
        Column.HIGH_SPEED: {(101,): 1000, (102,): 10_000},
        Column.WANTED: {(101,): 1, (102,): 2}, Column.LINK: {(101,): 1, (102,): 2},
        Column.ALIAS: {(101,): b"till, left"},
        Column.BASE_PORT: {(1,): 102, (2,): 101},
        Column.VLAN_DATABASE: {(0, 10): 3, (0, 20): 4, (0, 30): 4},
        Column.VLAN_FORWARDING: {key(TILL, 3): 2, key(DESK, 4): 1},
        Column.VLAN_FORWARDING_STATUS: {key(TILL, 3): 3, key(DESK, 4): 3},
    }  # fmt: skip
    return {**columns, **{Column[name]: rows for name, rows in more.items()}}


class Readers(unittest.TestCase):
    def test_the_numbers_of_a_port_are_never_mixed(self) -> None:
        found = reading(switch())
        self.assertEqual([(port.index, port.name, port.base) for port in found.ports], [(101, "1", 2), (102, "2", 1)])
        self.assertEqual(found.learnt, (Learnt(TILL.value, 101, (10,)), Learnt(DESK.value, 102, (20, 30))))
        self.assertEqual([(port.speed, port.wanted, port.link) for port in found.ports],
                         [(1_000_000_000, Link.UP, Link.UP), (10_000_000_000, Link.DOWN, Link.DOWN)])  # fmt: skip
        told = found.description
        self.assertEqual((told.name, told.up_ticks, "\x1b" in told.text), ("switch-foyer", 4200, False))

    def test_what_was_not_learnt_or_lies_nowhere_is_left_out(self) -> None:
        own = reading(switch(VLAN_FORWARDING_STATUS={key(TILL, 3): 4, key(DESK, 4): 3})).learnt
        self.assertEqual([one.mac for one in own], [DESK.value], "its own address was never learnt")
        found = reading(switch(VLAN_FORWARDING={key(TILL, 3): 0, key(DESK, 4): 9}))
        self.assertEqual((found.learnt, found.lacks),
                         ((), (Lack("forwarding database", "1 MAC is behind ports that it does not tell the interface of"),)))  # fmt: skip

    def test_neighbours_stand_at_the_port_that_they_name_and_never_at_a_number(self) -> None:
        local: Rows = {
            (2, 7): 5,
            (3, 7): b"2",
            (2, 8): 3,
            (3, 8): b"\x02\xc0\x3e\0\0\1",
            (2, 101): 7,
            (3, 101): b"nothing here",
        }
        remote: Rows = {}
        for mark, number, chassis in ((0, 7, TILL), (900, 7, TILL), (5, 8, DESK), (5, 101, DESK)):
            told: dict[int, int | bytes] = {
                4: 4,
                5: chassis.to_bytes(),
                6: 5,
                7: b"p1",
                9: b"switch-attic",
                12: b"\x28",
            }
            remote = {**remote, **{(column, mark, number, 1): value for column, value in told.items()}}
        managed: Rows = {
            (3, 900, 7, 1, 1, 4, 10, 44, 10, 9): 2,
            (3, 5, 8, 1, 1, 10, 44, 10, 8): 2,
            (3, 5, 8, 1, 2, 16): 2,
        }
        mac: Rows = {(101,): b"\x02\xc0\x3e\0\0\1"}
        found = reading(switch(LOCAL_PORTS=local, NEIGHBOURS=remote, NEIGHBOUR_ADDRESSES=managed, ADDRESS=mac))
        self.assertEqual([(one.at, one.chassis, one.port, one.name, one.capabilities, one.address) for one in found.neighbours],
                         [(102, str(TILL), "p1", "switch-attic", ("bridge", "router"), "10.44.10.9"),
                          (101, str(DESK), "p1", "switch-attic", ("bridge", "router"), "10.44.10.8")])  # fmt: skip
        self.assertEqual(
            [lack.what for lack in found.lacks], ["neighbours"], "a number that happens to be an interface's is none"
        )

    def test_what_it_is_stands_in_its_chassis(self) -> None:
        found = reading(switch(
            ENTITY_CLASS={(4,): 10, (2,): 3, (1,): 11}, MODEL={(4,): b"port", (2,): b"TN-2400"}, SERIAL={(2,): b"TN24-1"},
            FIRMWARE={(2,): b"boot 1"}, SOFTWARE={(2,): b"4.2.1"},
        )).description  # fmt: skip
        self.assertEqual((found.model, found.serial, found.firmware), ("TN-2400", "TN24-1", "4.2.1"))

    def test_without_vlans_the_older_table_does(self) -> None:
        columns = switch(VLAN_FORWARDING={}, FORWARDING={key(TILL): 2, (1, 2, 3): 1, key(DESK): 0})
        self.assertEqual(reading(columns).learnt, (Learnt(TILL.value, 101),))

    @given(st.dictionaries(
        st.sampled_from(Column),
        st.dictionaries(
            st.lists(st.integers(0, 2**32 - 1), max_size=9).map(tuple),
            st.none() | st.integers(-(2**31), 2**64) | st.binary(max_size=12) | st.lists(st.integers(0, 9)).map(tuple),
            max_size=6,
        ),
    ))  # fmt: skip
    def test_whatever_an_agent_says_is_read_and_inert(self, columns: dict[Column, Rows]) -> None:
        found = reading(columns)
        for text in (found.description.name, *(one.name for one in found.ports), *(one.alias for one in found.ports)):
            self.assertTrue(text == "" or text.isprintable())
        self.assertEqual(reading(columns), found)

    def test_speeds_as_people_say_them(self) -> None:
        told = [speed_said(bits) for bits in (None, 10_000_000, 2_500_000_000, 100_000_000_000, 9600)]
        self.assertEqual(told, ["", "10 Mbit/s", "2.5 Gbit/s", "100 Gbit/s", "9.6 kbit/s"])


class Communities:
    """A segment on which an agent answers each community by rows of its own."""

    def __init__(self, agents: dict[bytes, Responder]) -> None:
        self.agents = agents

    async def datagram(
        self, to: IPv4Address, port: int, payload: bytes, accept: Callable[[bytes], T | None], **_: object
    ) -> T | None:
        """The answer of the agent whose community it is."""
        answers = (one.answer(payload) for one in self.agents.values())
        return next((accept(one) for one in answers if one is not None), None)

    async def close(self) -> None:
        """Nothing to give back."""


class Apart(unittest.TestCase):
    def test_an_agent_that_keeps_a_bridge_for_each_vlan_is_read_by_what_it_calls_them(self) -> None:
        """entLogicalTable (RFC 6933 3.3) names the community of each; none of them knows VLANs."""
        logical, fdb = (1, 3, 6, 1, 2, 1, 47, 1, 2, 1, 1), (1, 3, 6, 1, 2, 1, 17, 4, 3, 1)
        plain = [
            Variable((*Column.SYSTEM.value, 5, 0), Type.OCTETS, b"switch-cellar"),
            *(Variable((*Column.DESCRIPTION.value, index), Type.OCTETS, b"p%d" % index) for index in (1, 2)),
            *(Variable((*Column.KIND.value, index), Type.INTEGER, 6) for index in (1, 2)),
        ]
        for number, vlan in ((1, 10), (2, 20)):
            plain += [
                Variable((*logical, 2, number), Type.OCTETS, b"vlan%d" % vlan),
                Variable((*logical, 3, number), Type.IDENTIFIER, BRIDGE_KIND),
                Variable((*logical, 4, number), Type.OCTETS, b"lark@%d" % vlan),
            ]
        apart = {
            vlan: [
                Variable((*Column.BASE_PORT.value, 1), Type.INTEGER, index), Variable((*fdb, 2, *mac.to_bytes()), Type.INTEGER, 1),
                Variable((*fdb, 3, *mac.to_bytes()), Type.INTEGER, 3),
            ]
            for vlan, index, mac in ((10, 1, TILL), (20, 2, DESK))
        }  # fmt: skip
        agents = {b"lark": Responder(b"lark", partial(sorted, plain))}
        for vlan, rows in apart.items():
            agents[b"lark@%d" % vlan] = Responder(b"lark@%d" % vlan, partial(sorted, rows))
        segment = Communities(agents)
        how = CommunitySession(Version.V2C, b"lark")
        found = asyncio.run(agent_reading.read(cast(Segment, segment), IPv4Address("10.44.10.5"), how))
        self.assertEqual(found.learnt, (Learnt(TILL.value, 1, (10,)), Learnt(DESK.value, 2, (20,))))


class OnTheDemo(unittest.TestCase):
    service: Service
    roster: Roster

    @classmethod
    def setUpClass(cls) -> None:
        cls.service = cls.enterClassContext(demo(watch=False))
        cls.roster = cls.enterClassContext(cls.service.client())

    def test_a_switch_says_who_is_behind_each_port(self) -> None:
        for version in ("1", "2c"):
            found = self.roster.read_switch("switch-office-1", Credential(snmp=version, community="larkspur"))
            self.assertEqual(
                (found.address, found.name, found.place), ("10.44.10.5", "switch-office-1", "Larkspur Hall")
            )
            ports = {port.name: port for port in found.ports}
            self.assertEqual(len(ports), 26)
            named = [one.device.name for one in ports["1"].behind if one.device is not None]
            self.assertEqual((named, ports["1"].behind[0].vlans, ports["1"].speed), (["gate-10"], [10], 1_000_000_000))
            self.assertEqual(
                (ports["17"].alias, ports["18"].link, ports["18"].behind_count), ("box office, left", "down", 0)
            )
            uplink = ports["23"]
            self.assertEqual([(one.name, one.port, one.address, one.capabilities) for one in uplink.neighbours],
                             [("switch-office-2", "25", "10.44.10.6", ["bridge"])])  # fmt: skip
            self.assertGreater(uplink.behind_count, 8)
            self.assertEqual(
                (found.model, found.firmware, ports["1"].duplex, ports["1"].vlan), ("TN-2400", "4.2.1", "full", 10)
            )
            self.assertEqual(found.missing, [])

    def test_on_the_command_line_and_the_secret_is_never_shown(self) -> None:
        done = self.typed("larkspur")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertRegex(done.stdout, r"switch-stage-1 at 10\.44\.20\.5: Tolvane access switch")
        self.assertRegex(done.stdout, r"(?m)^17 +\+ up +1 Gbit/s +02:c0:9f:4e:00:02")
        told = json.loads(self.typed("larkspur", "--json").stdout)
        self.assertEqual(told["name"], "switch-stage-1")
        wrong = self.typed("open-sesame")
        self.assertEqual(wrong.returncode, 2)
        self.assertIn("10.44.20.5 does not answer: wrong credential", wrong.stderr)
        self.assertNotIn("open-sesame", wrong.stdout + wrong.stderr)

    def typed(self, secret: str, *more: str) -> subprocess.CompletedProcess[str]:
        """A switch read by somebody who types a community."""
        return self.service.roster("switch", "read", "10.44.20.5", "--community", *more, fed=f"{secret}\n")

    def test_a_slow_switch_is_waited_for_as_long_as_it_may_take(self) -> None:
        self.assertGreater(_switch_calls.read_switch("10.44.10.5", Credential()).patience, 2 * snmp_agent.SECONDS)

    def test_what_makes_no_sense_is_refused(self) -> None:
        for which, credential, said in (
            ("switch-office-1", Credential(snmp="2c"), "give the community"), ("switch-office-1", Credential(), "give the user"),
            ("switch-office-1", Credential(user="lark", privacy="aes128", privacy_password="12345678"), "no privacy without"),
            ("switch-office-1", Credential(user="lark", auth="sha1", auth_password="short"), "at least 8"),
            ("224.0.0.1", Credential(snmp="2c", community="a"), "no address that a switch has"),
        ):  # fmt: skip
            with self.subTest(said), self.assertRaisesRegex(BadInput, said):
                self.roster.read_switch(which, credential)


if __name__ == "__main__":
    unittest.main()
