"""SNMP in our own hands: what is written is read again and read by others, walks end with what they are worth whatever an agent does,
and real agents are asked in every version."""

from __future__ import annotations

import asyncio
import contextlib
import json
import shutil
import subprocess
import sys
import tempfile
import unittest
import unittest.mock
from collections.abc import Callable, Iterator
from ipaddress import IPv4Address
from pathlib import Path
from typing import Any

from even_roster.core.switches.columns import Column
from even_roster.probe import snmp_agent
from even_roster.probe.snmp_agent import Agent, AgentError, Ending, Walked
from even_roster.probe.snmp_session import CommunitySession, Report
from even_roster.probe.snmp_user import UserSession
from even_roster.standin.snmp_responder import Responder
from even_roster.wire import ber, snmp, snmp_v3, usm
from even_roster.wire.errors import WireError
from even_roster.wire.snmp import Error, Kind, Message, Type, Unit, Variable, Version
from even_roster.wire.usm import Auth, Privacy, User
from tests.support.drawing import given, st
from tests.support.lab import Namespace, namespace, needs_lab
from tests.support.patience import until

BESIDE = "link"

OIDS = st.tuples(st.integers(0, 1), st.integers(0, 39), st.lists(st.integers(0, 2**32 - 1), max_size=20)).map(
    lambda one: (one[0], one[1], *one[2])
)
VARIABLES = st.one_of(
    st.builds(Variable, OIDS, st.just(Type.INTEGER), st.integers(-(2**31), 2**31 - 1)),
    st.builds(Variable, OIDS, st.sampled_from([Type.COUNTER, Type.GAUGE, Type.TICKS]), st.integers(0, 2**32 - 1)),
    st.builds(Variable, OIDS, st.just(Type.COUNTER64), st.integers(0, 2**64 - 1)),
    st.builds(Variable, OIDS, st.sampled_from([Type.OCTETS, Type.OPAQUE]), st.binary(max_size=300)),
    st.builds(Variable, OIDS, st.just(Type.ADDRESS), st.binary(min_size=4, max_size=4)),
    st.builds(Variable, OIDS, st.just(Type.IDENTIFIER), OIDS),
    st.builds(Variable, OIDS, st.sampled_from([Type.NULL, Type.NO_OBJECT, Type.NO_INSTANCE, Type.END]), st.none()),
)
UNITS = st.builds(
    Unit, st.sampled_from(Kind), st.integers(0, 2**31 - 1), st.lists(VARIABLES, max_size=6).map(tuple), st.integers(0, 18),
    st.integers(0, 100),
)  # fmt: skip
TABLE: ber.Oid = (1, 3, 6, 1, 2, 1, 2, 2, 1, 2)
HERE = IPv4Address("10.44.10.5")


PUBLISHED = """
SYSTEM 1.3.6.1.2.1.1
DESCRIPTION 1.3.6.1.2.1.2.2.1.2
KIND 1.3.6.1.2.1.2.2.1.3
SPEED 1.3.6.1.2.1.2.2.1.5
ADDRESS 1.3.6.1.2.1.2.2.1.6
WANTED 1.3.6.1.2.1.2.2.1.7
LINK 1.3.6.1.2.1.2.2.1.8
CHANGED 1.3.6.1.2.1.2.2.1.9
OCTETS_IN 1.3.6.1.2.1.2.2.1.10
PACKETS_IN 1.3.6.1.2.1.2.2.1.11
ERRORS_IN 1.3.6.1.2.1.2.2.1.14
OCTETS_OUT 1.3.6.1.2.1.2.2.1.16
PACKETS_OUT 1.3.6.1.2.1.2.2.1.17
ERRORS_OUT 1.3.6.1.2.1.2.2.1.20
NAME 1.3.6.1.2.1.31.1.1.1.1
HIGH_OCTETS_IN 1.3.6.1.2.1.31.1.1.1.6
HIGH_PACKETS_IN 1.3.6.1.2.1.31.1.1.1.7
HIGH_OCTETS_OUT 1.3.6.1.2.1.31.1.1.1.10
HIGH_PACKETS_OUT 1.3.6.1.2.1.31.1.1.1.11
HIGH_SPEED 1.3.6.1.2.1.31.1.1.1.15
ALIAS 1.3.6.1.2.1.31.1.1.1.18
BRIDGE_ADDRESS 1.3.6.1.2.1.17.1.1
BASE_PORT 1.3.6.1.2.1.17.1.4.1.2
ROOT 1.3.6.1.2.1.17.2.5
ROOT_PORT 1.3.6.1.2.1.17.2.7
TREE_STATE 1.3.6.1.2.1.17.2.15.1.3
TREE_BRIDGE 1.3.6.1.2.1.17.2.15.1.8
TREE_PORT 1.3.6.1.2.1.17.2.15.1.9
FORWARDING 1.3.6.1.2.1.17.4.3.1.2
FORWARDING_STATUS 1.3.6.1.2.1.17.4.3.1.3
VLAN_FORWARDING 1.3.6.1.2.1.17.7.1.2.2.1.2
VLAN_FORWARDING_STATUS 1.3.6.1.2.1.17.7.1.2.2.1.3
VLAN_DATABASE 1.3.6.1.2.1.17.7.1.4.2.1.3
VLAN_MEMBERS 1.3.6.1.2.1.17.7.1.4.2.1.4
VLAN_UNTAGGED 1.3.6.1.2.1.17.7.1.4.2.1.5
VLAN 1.3.6.1.2.1.17.7.1.4.5.1.1
TREES_STATE 1.3.111.2.802.1.1.6.1.4.1.5
TREES_PART 1.3.111.2.802.1.1.6.1.4.1.12
DUPLEX 1.3.6.1.2.1.10.7.2.1.19
NEIGHBOUR_MACS 1.3.6.1.2.1.4.35.1.4
NEIGHBOUR_STATES 1.3.6.1.2.1.4.35.1.7
MEDIA_MACS 1.3.6.1.2.1.4.22.1.2
MEDIA_KINDS 1.3.6.1.2.1.4.22.1.4
OWN_ADDRESSES 1.3.6.1.2.1.4.34.1.3
OLDER_ADDRESSES 1.3.6.1.2.1.4.20.1.2
ENTITY_CLASS 1.3.6.1.2.1.47.1.1.1.1.5
FIRMWARE 1.3.6.1.2.1.47.1.1.1.1.9
SOFTWARE 1.3.6.1.2.1.47.1.1.1.1.10
SERIAL 1.3.6.1.2.1.47.1.1.1.1.11
MODEL 1.3.6.1.2.1.47.1.1.1.1.13
LOGICAL_TEXT 1.3.6.1.2.1.47.1.2.1.1.2
LOGICAL_KIND 1.3.6.1.2.1.47.1.2.1.1.3
LOGICAL_COMMUNITY 1.3.6.1.2.1.47.1.2.1.1.4
LOGICAL_CONTEXT 1.3.6.1.2.1.47.1.2.1.1.8
POWER 1.3.6.1.2.1.105.1.1.1.6
POWER_CLASS 1.3.6.1.2.1.105.1.1.1.10
BUNDLE 1.2.840.10006.300.43.1.2.1.1.13
LOCAL_CHASSIS 1.0.8802.1.1.2.1.3.2
LOCAL_PORTS 1.0.8802.1.1.2.1.3.7.1
NEIGHBOURS 1.0.8802.1.1.2.1.4.1.1
NEIGHBOUR_ADDRESSES 1.0.8802.1.1.2.1.4.2.1
"""
"""Each object as its standard numbers it: RFC 1213, 2863, 3635, 4188, 4293, 4363, 4133, 3621; IEEE 802.1AB, 802.1AX, 802.1Q."""


class Numbers(unittest.TestCase):
    def test_each_object_has_the_number_of_its_standard(self) -> None:
        told = dict(line.split() for line in PUBLISHED.split("\n") if line)
        self.assertEqual({one.name: ".".join(map(str, one.value)) for one in Column}, told)


class Octets(unittest.TestCase):
    @given(UNITS, st.sampled_from([Version.V1, Version.V2C]), st.binary(max_size=40))
    def test_what_is_written_is_read_again(self, unit: Unit, version: Version, community: bytes) -> None:
        message = Message(version, community, unit)
        self.assertEqual(snmp.decode(snmp.encode(message)), message)

    @given(UNITS, st.sampled_from(Auth), st.sampled_from(Privacy), st.binary(min_size=8, max_size=8))
    def test_what_is_sealed_is_opened_by_the_same_secrets_and_no_others(
        self, unit: Unit, auth: Auth, privacy: Privacy, salt: bytes
    ) -> None:
        if auth is Auth.NONE:
            privacy = Privacy.NONE
        user = User("larkspur", auth, "quillmark-1", privacy, "quillmark-2")
        scoped = snmp_v3.Scoped(b"engine", b"vlan-10", unit)
        asked = snmp_v3.Envelope(7, snmp_v3.REPORTABLE, b"\x80\0\0\1engine", 3, 99, b"larkspur", b"", b"", b"")
        envelope = snmp_v3.open_envelope(snmp_v3.sealed(asked, scoped, user, salt))
        self.assertEqual(snmp_v3.opened(envelope, user), scoped)
        others = [User("larkspur", auth, "quillmark-9", privacy, "quillmark-2")] if auth is not Auth.NONE else []
        others += [User("larkspur", auth, "quillmark-1", privacy, "quillmark-9")] if privacy is not Privacy.NONE else []
        for other in others:
            with contextlib.suppress(WireError):
                self.assertNotEqual(snmp_v3.opened(envelope, other), scoped)

    def test_a_users_session_takes_the_answer_to_its_own_question_alone(self) -> None:
        user, engine = User("lark", Auth.SHA256, "quillmark-1"), b"\x80\0\0\1engine"
        nobody, statistics = User(""), (1, 3, 6, 1, 6, 3, 15, 1, 1)

        def said(identity: int, unit: Unit, by: User, name: bytes = b"lark") -> bytes:
            envelope = snmp_v3.Envelope(identity, 0, engine, 3, 99, name, b"", b"", b"")
            return snmp_v3.sealed(envelope, snmp_v3.Scoped(engine, b"", unit), by, b"")

        session = UserSession(user)
        counted = Variable((*statistics, 4, 0), Type.COUNTER, 1)
        which = Unit(Kind.REPORT, 7, (counted,))
        self.assertIsNone(session.unwrap(said(8, which, nobody, b""), 7), "of another question")
        told = session.unwrap(said(7, which, nobody, b""), 7)
        assert isinstance(told, Report)
        self.assertTrue(told.again, "now the engine is known")
        answer = Unit(Kind.RESPONSE, 9, (Variable((1, 3, 6, 1, 2, 1, 1, 5, 0), Type.OCTETS, b"switch-foyer"),))
        self.assertEqual(session.unwrap(said(9, answer, user), 9), answer)
        self.assertIsNone(session.unwrap(said(9, answer, user), 10))
        self.assertIsNone(session.unwrap(said(10, answer, user), 10), "the question inside is another one")
        self.assertIsNone(session.unwrap(said(9, answer, user, b"wren"), 9), "another user's")
        with self.assertRaises(WireError):
            session.unwrap(said(9, answer, User("lark", Auth.SHA256, "quillmark-2")), 9)
        with self.assertRaises(WireError):
            session.unwrap(said(9, answer, nobody), 9)

    def test_keys_are_those_of_the_standard(self) -> None:
        engine = bytes.fromhex("000000000000000000000002")
        told = "6695febc9288e36282235fc7151f128497b38f3f"  # RFC 3414 A.3.2
        self.assertEqual(usm.localized(Auth.SHA1, "maplesyrup", engine).hex(), told)
        with self.assertRaisesRegex(ValueError, "at least 8"):
            usm.localized(Auth.SHA1, "maple", engine)

    def test_numbers_and_names_at_their_bounds(self) -> None:
        for value, octets in ((0, "020100"), (127, "02017f"), (128, "02020080"), (-1, "0201ff"), (-129, "0202ff7f")):
            self.assertEqual(ber.encode_integer(value).hex(), octets)
        self.assertEqual(ber.encode_identifier((1, 3, 6, 1, 4, 1, 2680)).hex(), "06072b060104019478")
        for wrong in ((1,), (3, 1), (1, 40), (1, 3, *range(200))):
            with self.assertRaises(ValueError):
                ber.encode_identifier(wrong)
        for octets, name in (
            ("2b8fffffff7f", (1, 3, 2**32 - 1)), ("8837", (2, 999)), ("27", (0, 39)), ("28", (1, 0)), ("2a" + "01" * (ber.MOST_PARTS - 2), None),
        ):  # fmt: skip
            read = ber.identifier(bytes.fromhex(octets), 0, len(octets) // 2)
            self.assertEqual(read if name else len(read), name or ber.MOST_PARTS, octets)
        for octets in ("", "2b86", "2b9080808000", "2a" + "01" * (ber.MOST_PARTS - 1)):
            with self.assertRaises(WireError, msg=octets):
                ber.identifier(bytes.fromhex(octets), 0, len(octets) // 2)
        loose = bytes.fromhex("30150400a2110201010201000201003006300406012b4100")  # a counter without octets
        with self.assertRaises(WireError):
            snmp.decode(loose)

    @unittest.skipUnless(shutil.which("tshark"), "tshark is not installed")
    def test_an_independent_reader_reads_the_same(self) -> None:
        variables = (Variable((1, 3, 6, 1, 2, 1, 1, 5, 0), Type.OCTETS, b"switch-foyer"), Variable((1, 3, 6, 1, 2, 1, 1, 3, 0), Type.TICKS, 4_294_967_295),
                     Variable((1, 3, 6, 1, 2, 1, 31, 1, 1, 1, 6, 7), Type.COUNTER64, 2**64 - 1), Variable((1, 3, 6, 1, 9), Type.END, None))  # fmt: skip
        told = self.dissected(snmp.encode(Message(Version.V2C, b"larkspur", Unit(Kind.RESPONSE, 77, variables))))
        for part in ("version: v2c", "community: larkspur", "get-response", "request-id: 77", "switch-foyer", "4294967295", "18446744073709551615", "endOfMibView"):  # fmt: skip
            self.assertIn(part.lower(), told.lower())
        self.assertNotIn("malformed", told.lower())
        asked = snmp_v3.Envelope(7, snmp_v3.REPORTABLE, b"\x80\0\0\1engine", 3, 99, b"lark", b"", b"", b"")
        user = User("lark", Auth.SHA256, "quillmark-1")
        told = self.dissected(
            snmp_v3.sealed(asked, snmp_v3.Scoped(b"", b"", snmp.ask(Kind.GET_BULK, 7, [TABLE], 32)), user, b"")
        )
        for part in ("snmpv3", "msgusername: lark", "getbulkrequest", "max-repetitions: 32"):
            self.assertIn(part, told.lower())

    def dissected(self, message: bytes) -> str:
        udp = (40000).to_bytes(2, "big") + (161).to_bytes(2, "big") + (8 + len(message)).to_bytes(2, "big") + b"\0\0"
        size = 20 + 8 + len(message)
        packet = (
            b"\x45\0"
            + size.to_bytes(2, "big")
            + bytes(4)
            + b"\x40\x11\0\0"
            + bytes((10, 44, 10, 20, 10, 44, 10, 5))
            + udp
            + message
        )
        lines = "\n".join(f"{at:06x} " + packet[at : at + 16].hex(" ") for at in range(0, len(packet), 16))
        with tempfile.TemporaryDirectory() as folder:
            text, file = Path(folder) / "hex", Path(folder) / "pcap"
            text.write_text(lines + "\n")
            subprocess.run(
                ["text2pcap", "-q", "-l", "101", str(text), str(file)], check=True, capture_output=True, timeout=60
            )
            done = subprocess.run(
                ["tshark", "-r", str(file), "-V"], capture_output=True, text=True, check=True, timeout=60
            )
        return done.stdout


class Pretended:
    """A segment whose only host answers datagrams as it is told."""

    def __init__(self, answer: Callable[[bytes], bytes | None]) -> None:
        self._answer = answer

    async def datagram(
        self, to: Any, port: int, payload: bytes, accept: Any, *, answers_from: Any, timeout: float
    ) -> Any:
        answer = self._answer(payload)
        return accept(answer) if answer is not None else None


def rows(count: int) -> list[Variable]:
    return [Variable((*TABLE, number), Type.OCTETS, b"port %d" % number) for number in range(1, count + 1)]


def walk(answer: Callable[[bytes], bytes | None], version: Version = Version.V2C) -> tuple[Walked, Agent]:
    agent = Agent(Pretended(answer), HERE, CommunitySession(version, b"larkspur"))  # type: ignore[arg-type]
    return asyncio.run(agent.walk(TABLE)), agent


def twisted(
    responder: Responder, twist: Callable[[Message, Message], Message | None]
) -> Callable[[bytes], bytes | None]:
    """What a responder answers, changed: a twist gets the question and the answer."""

    def answer(data: bytes) -> bytes | None:
        given = responder.answer(data)
        changed = twist(snmp.decode(data), snmp.decode(given)) if given is not None else None
        return snmp.encode(changed) if changed is not None else None

    return answer


class Walks(unittest.TestCase):
    def setUp(self) -> None:
        self.behind = Variable((1, 3, 6, 1, 2, 1, 2, 2, 1, 3, 1), Type.INTEGER, 6)
        self.responder = Responder(b"larkspur", lambda: [*rows(500), self.behind])

    def test_a_table_is_whole_in_every_version(self) -> None:
        for version, most in ((Version.V2C, 25), (Version.V1, 501)):
            found, agent = walk(self.responder.answer, version)
            self.assertEqual((found.ending, list(found.variables)), (Ending.WHOLE, rows(500)))
            self.assertLessEqual(agent.asked, most)
        self.assertEqual(walk(Responder(b"larkspur", list).answer)[0], Walked((), Ending.ABSENT))

    def test_what_is_wrong_with_an_agent_is_told_and_what_it_said_before_is_kept(self) -> None:
        def circling(asked: Message, said: Message) -> Message:
            variables = said.unit.variables
            if variables[0].oid > (*TABLE, 100):
                variables = (Variable((*TABLE, 50), Type.OCTETS, b"again"), *variables[1:])
            return Message(said.version, said.community, Unit(Kind.RESPONSE, said.unit.request, variables))

        def failing(asked: Message, said: Message) -> Message:
            if said.unit.variables[-1].oid > (*TABLE, 100):
                return Message(
                    said.version, said.community, Unit(Kind.RESPONSE, said.unit.request, (), Error.GENERAL, 1)
                )
            return said

        def silent(asked: Message, said: Message) -> Message | None:
            return said if asked.unit.variables[0].oid < (*TABLE, 60) else None

        for twist, said, least in (
            (circling, "goes round in circles at 1.3.6.1.2.1.2.2.1.2.50", 96), (failing, "the error general behind", 99),
            (silent, "10.44.10.5 does not answer", 60),
        ):  # fmt: skip
            found, _ = walk(twisted(self.responder, twist))
            self.assertEqual(found.ending, Ending.CUT)
            self.assertIn(said, found.why)
            self.assertGreaterEqual(len(found.variables), least)
            self.assertEqual(list(found.variables), rows(len(found.variables)))

    def test_smaller_steps_get_through_where_large_ones_do_not(self) -> None:
        def small(asked: Message, said: Message) -> Message | None:
            return said if asked.unit.index <= 8 else None

        def too_big(asked: Message, said: Message) -> Message:
            unit = said.unit if asked.unit.index <= 2 else Unit(Kind.RESPONSE, said.unit.request, (), Error.TOO_BIG)
            return Message(said.version, said.community, unit)

        for twist in (small, too_big):
            found, _ = walk(twisted(self.responder, twist))
            self.assertEqual((found.ending, len(found.variables)), (Ending.WHOLE, 500))

    def test_answers_to_others_and_nonsense_are_no_answers(self) -> None:
        def other(asked: Message, said: Message) -> Message:
            return Message(
                said.version, said.community, Unit(Kind.RESPONSE, said.unit.request + 1, said.unit.variables)
            )

        def stranger(asked: Message, said: Message) -> Message:
            return Message(said.version, b"somebody", said.unit)

        def echo(asked: Message, said: Message) -> Message:
            return asked

        answers = [twisted(self.responder, twist) for twist in (other, stranger, echo)]
        for answer in (*answers, lambda data: b"\x30\x03\x02\x01\x01", lambda data: b"", lambda data: None):
            found, agent = walk(answer)
            self.assertEqual((found.ending, found.variables), (Ending.CUT, ()))
            self.assertIn("does not answer", found.why)
            self.assertLessEqual(agent.asked, 4 * snmp_agent.TRIES)

    def test_an_endless_agent_comes_to_an_end(self) -> None:
        def endless(data: bytes) -> bytes:
            asked = snmp.decode(data)
            at = asked.unit.variables[0].oid
            last = at[len(TABLE)] if len(at) > len(TABLE) else 0
            made = tuple(Variable((*TABLE, last + number), Type.INTEGER, 1) for number in range(1, 33))
            return snmp.encode(Message(asked.version, asked.community, Unit(Kind.RESPONSE, asked.unit.request, made)))

        with unittest.mock.patch.object(snmp_agent, "MOST_VARIABLES", 3_000):
            found, _ = walk(endless)
        self.assertEqual(found.ending, Ending.CUT)
        self.assertIn("it has more than 3,000 values", found.why)

    def test_single_objects_that_are_not_there_are_told_apart(self) -> None:
        name, nothing = (*TABLE, 7), (1, 3, 6, 1, 9, 9)
        for version in (Version.V1, Version.V2C):
            agent = Agent(Pretended(self.responder.answer), HERE, CommunitySession(version, b"larkspur"))  # type: ignore[arg-type]
            found = asyncio.run(agent.get([name, nothing]))
            self.assertEqual((found[0].value, found[1].type in snmp.MISSING), (b"port 7", True))
        agent = Agent(Pretended(lambda data: None), HERE, CommunitySession(Version.V2C, b"larkspur"))  # type: ignore[arg-type]
        with self.assertRaisesRegex(AgentError, "does not answer"):
            asyncio.run(agent.get([name]))


READ = """
import asyncio, json, sys
from ipaddress import IPv4Address
from even_roster.probe.machine import RealMachine
from even_roster.probe.snmp_agent import Agent, AgentError
from even_roster.probe.snmp_session import CommunitySession
from even_roster.probe.snmp_user import UserSession
from even_roster.wire.snmp import Version
from even_roster.wire.usm import Auth, Privacy, User

async def main():
    machine = RealMachine()
    adapter = next(one for one in machine.adapters() if one.addresses)
    for asked in json.loads(sys.argv[1]):
        if asked[0] == "community":
            session = CommunitySession(Version(asked[1]), asked[2].encode())
        else:
            name, auth, one, privacy, other = asked[1:]
            session = UserSession(User(name, Auth(auth), one, Privacy(privacy), other))
        segment = machine.open(adapter)
        agent = Agent(segment, IPv4Address("10.77.0.2"), session)
        try:
            name, = await agent.get([(1, 3, 6, 1, 2, 1, 1, 5, 0)])
            walked = await agent.columns([(1, 3, 6, 1, 2, 1, 2, 2, 1, 2), (1, 3, 6, 1, 2, 1, 1), (1, 3, 6, 1, 9)])
            told = [name.value.decode(), [str(one.ending) for one in walked], [one.value.decode() for one in walked[0].variables]]
        except AgentError as error:
            told = str(error)
        finally:
            await segment.close()
        print(json.dumps(told), flush=True)

asyncio.run(main())
"""
USERS = (
    ("larkspur512", "SHA-512", "sha512", "AES-256", "aes256"), ("larkspur256", "SHA-256", "sha256", "AES", "aes128"),
    ("larkspur1", "SHA", "sha1", "AES-192", "aes192"),
)  # fmt: skip
ONE, OTHER = "quillmark-one", "quillmark-two"


@needs_lab
@unittest.skipUnless(shutil.which("snmpd"), "snmpd is not installed")
class RealAgent(unittest.TestCase):
    """Debian's snmpd on a link of two namespaces."""

    here: Namespace

    @classmethod
    def setUpClass(cls) -> None:
        cls.here, there = cls.enterClassContext(namespace()), cls.enterClassContext(namespace())
        cls.here.ip("link", "add", "eth0", "type", "veth", "peer", "name", "p1", "netns", there.name)
        for host, name, address in ((cls.here, "eth0", "10.77.0.5/24"), (there, "p1", "10.77.0.2/24")):
            host.ip("address", "add", address, "dev", name)
            host.ip("link", "set", name, "up")
        folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        users = "".join(
            f"createUser {name} {auth} {ONE} {privacy} {OTHER}\nrouser {name} authPriv\n"
            for name, auth, _, privacy, _ in USERS
        )
        (folder / "snmpd.conf").write_text(f"rocommunity test\nsysName switch-lab\n{users}")
        environment = {"SNMP_PERSISTENT_DIR": str(folder), "MIBS": "", "PATH": "/usr/sbin:/usr/bin:/sbin:/bin"}
        command = ["env", *(f"{name}={value}" for name, value in environment.items()), "snmpd", "-f", "-C", "-c", str(folder / "snmpd.conf"),
                   "-Lf", str(folder / "log"), "-p", str(folder / "pid"), "udp:161"]  # fmt: skip
        process = there.start(*command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        cls.addClassCleanup(process.wait)
        cls.addClassCleanup(process.kill)
        until(lambda: ":161" in there.run("ss", "-lun"), "snmpd does not start")

    def read(self, *asked: tuple[object, ...]) -> Iterator[Any]:
        out = self.here.run(sys.executable, "-c", READ, json.dumps(asked))
        return (json.loads(line) for line in out.splitlines())

    def test_it_is_read_by_every_version_and_every_user(self) -> None:
        asked = [("community", 0, "test"), ("community", 1, "test")]
        users = [("user", name, auth, ONE, privacy, OTHER) for name, _, auth, _, privacy in USERS]
        for told in self.read(*asked, *users):
            self.assertEqual(told, ["switch-lab", ["whole", "whole", "not there"], ["lo", "p1"]])

    def test_what_is_wrong_is_said_in_a_sentence(self) -> None:
        name = "larkspur512"
        told = self.read(
            ("user", name, "sha512", "wrong-password", "aes256", OTHER), ("user", "nobody", "sha512", ONE, "aes256", OTHER),
            ("user", name, "sha512", ONE, "aes256", "wrong-password"), ("user", name, "sha512", ONE, "none", ""),
            ("community", 1, "guess"),
        )  # fmt: skip
        for said, expected in zip(
            told,
            ("authentication password, or its kind, is wrong", "does not know this user", "", "", "wrong credential"),
            strict=True,
        ):
            self.assertIsInstance(said, str)
            self.assertIn(expected, said)


if __name__ == "__main__":
    unittest.main()
