"""What DHCP servers hold: nothing of a configuration is skipped in silence, and no address that one claims is ever clear."""

from __future__ import annotations

import contextlib
import random
import tempfile
import unittest
from ipaddress import IPv4Address, IPv4Network
from pathlib import Path

from even_roster.core.address import Address, address_of
from even_roster.core.holdings import By, Claim, Claims, Holding, Part, Place, one_line, safe
from even_roster.core.mac import Mac
from even_roster.core.plan import claimed
from even_roster.core.plan.checks import Severity
from even_roster.core.plan.model import Assignment, AssignmentKind, Plan, Site, Subnet
from even_roster.core.plan.proof import Asked, Evidence, Grade, prove
from even_roster.core.plan.runs import Runs
from even_roster.core.text import clean
from even_roster.dhcp import dnsmasq_lines, kea_config, kea_holdings
from even_roster.dhcp.dhcpd import DhcpdServer
from even_roster.dhcp.dnsmasq import DnsmasqServer
from even_roster.dhcp.kea import KeaServer
from even_roster.dhcp.server import ServerTrouble
from tests.support.drawing import given, st

BESIDE = "anything"

OFFICE = IPv4Network("10.44.10.0/24")


def ip(text: str) -> Address:
    return address_of(IPv4Address(text))


class WithFolder(unittest.TestCase):
    def setUp(self) -> None:
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        self.folder = Path(made.name)

    def put(self, name: str, text: str) -> Path:
        path = self.folder / name
        path.parent.mkdir(exist_ok=True)
        path.write_bytes(text.encode())
        return path

    def where(self, one: Holding) -> str:
        return f"{Path(one.place.source).name}:{one.place.line}"

    def claims(self, found: list[Holding]) -> dict[str, list[str]]:
        """Addresses that are claimed singly, and where."""
        told: dict[str, list[str]] = {}
        for one in found:
            if one.first is not None and one.first == one.last and one.claim:
                told.setdefault(str(IPv4Address(one.first)), []).append(self.where(one))
        return told


class Dnsmasq(WithFolder):
    def held(self, text: str) -> list[Holding]:
        return DnsmasqServer(self.folder / "none", self.put("dnsmasq.conf", text)).holdings([OFFICE])

    def test_every_way_to_reserve_is_seen(self) -> None:
        ways = {
            "dhcp-host=02:c0:44:00:00:01,10.44.10.30,printer-1": ((By.MAC, "02:c0:44:00:00:01"),),
            "dhcp-host = 2:C0:44:0:0:1 , 10.44.10.30": ((By.MAC, "02:c0:44:00:00:01"),),
            "dhcp-host=01-02:c0:44:00:00:01,10.44.10.30": ((By.MAC, "02:c0:44:00:00:01"),),
            "dhcp-host=02:c0:44:00:00:*,10.44.10.30": ((By.MAC, "02:c0:44:00:00:*"),),
            "dhcp-host=02:c0:44:00:00:01,02:c0:44:00:00:02,10.44.10.30,12h": (
                (By.MAC, "02:c0:44:00:00:01"), (By.MAC, "02:c0:44:00:00:02"),
            ),
            "dhcp-host=id:01:02:c0:44,10.44.10.30": ((By.CLIENT_ID, "01:02:c0:44"),),
            "dhcp-host=id:*,02:c0:44:00:00:01,10.44.10.30": ((By.CLIENT_ID, "*"), (By.MAC, "02:c0:44:00:00:01")),
            "dhcp-host=printer-1,10.44.10.30": ((By.NAME, "printer-1"),),
            "dhcp-host=tag:known,printer-1,10.44.10.30,infinite": ((By.TAG, "known"), (By.NAME, "printer-1")),
            "dhcp-host=set:printers,02:c0:44:00:00:01,10.44.10.30 # in the hall": ((By.MAC, "02:c0:44:00:00:01"),),
            '\tdhcp-host="02:c0:44:00:00:01",10.44.10.30\r': ((By.MAC, "02:c0:44:00:00:01"),),
        }  # fmt: skip
        for line, identifiers in ways.items():
            with self.subTest(line=line):
                (one,) = self.held(f"# first\n{line}\n")
                self.assertEqual(
                    (one.part, one.first, one.identifiers), (Part.RESERVATION, ip("10.44.10.30"), identifiers)
                )
                self.assertEqual((self.where(one), one.within), ("dnsmasq.conf:2", str(OFFICE)))

    def test_what_hangs_on_a_pool_is_told_with_it(self) -> None:
        (pool,) = self.held("dhcp-range=set:guest,tag:!known,10.44.30.100,10.44.30.199,255.255.255.0,2h")
        self.assertEqual((pool.part, pool.within), (Part.POOL, "10.44.30.0/24"))
        self.assertEqual(
            pool.hangs, (("set", "guest"), ("tag", "!known"), ("lease time", "2h"), ("mask", "255.255.255.0"))
        )
        (static,) = self.held("dhcp-range=10.44.10.0,static")
        self.assertEqual((static.part, static.claim), (Part.SUBNET, ""))

    def test_options_name_their_hosts_and_masks_are_none(self) -> None:
        found = self.held(
            "dhcp-option=tag:phones,option:tftp-server,10.44.10.8\ndhcp-option=6,10.44.10.1,10.44.10.2\n"
            "dhcp-option=option:netmask,255.255.255.0\ndhcp-option=42,0.0.0.0\n"
            "dhcp-boot=tag:net,boot.img,boot,10.44.10.9\ndhcp-relay=10.44.10.1,10.44.99.2\ndhcp-option=252,http://10.44.10.7/x\n"
        )
        self.assertEqual(
            self.claims(found),
            {
                "10.44.10.8": ["dnsmasq.conf:1"], "10.44.10.1": ["dnsmasq.conf:2", "dnsmasq.conf:6"],
                "10.44.10.2": ["dnsmasq.conf:2"], "10.44.10.9": ["dnsmasq.conf:5"], "10.44.99.2": ["dnsmasq.conf:6"],
            },
        )  # fmt: skip
        self.assertEqual(found[0].within, "tag:phones")

    def test_includes_are_followed_as_the_server_reads_them(self) -> None:
        self.put("d/20-more.conf", "dhcp-host=02:c0:44:00:00:01,10.44.10.31\n")
        self.put("d/10-first.conf", f"dhcp-hostsfile={self.folder}/hosts\n")
        self.put("d/notes.txt", "dhcp-host=02:c0:44:00:00:01,10.44.10.99\n")
        self.put("d/20-more.conf~", "dhcp-host=02:c0:44:00:00:01,10.44.10.98\n")
        self.put("hosts", "# hosts\n02:c0:44:00:00:02,10.44.10.32,desk\n")
        self.put("more/a", "id:aa,10.44.10.33\n")
        self.put("options", "option:ntp-server,10.44.10.34\n")
        found = self.held(
            f"conf-dir={self.folder}/d,*.conf\ndhcp-hostsdir={self.folder}/more\ndhcp-optsfile={self.folder}/options\n"
            f"conf-file={self.folder}/dnsmasq.conf\nconf-file={self.folder}/gone\n"
        )
        self.assertEqual(
            self.claims(found),
            {
                "10.44.10.32": ["hosts:2"],
                "10.44.10.31": ["20-more.conf:1"],
                "10.44.10.33": ["a:1"],
                "10.44.10.34": ["options:1"],
            },
        )
        (missing,) = [one for one in found if one.part is Part.UNKNOWN]
        self.assertEqual((self.where(missing), "gone cannot be read" in missing.text), ("dnsmasq.conf:5", True))

    def test_what_is_not_understood_is_told_with_its_line(self) -> None:
        lines = (
            "dhcp-host=", "dhcp-host=02:c0:44:00:00:01,10.44.10.30,10.44.10.31", "dhcp-range=10.44.10.1", "dhcp-range=a,b,c,d",
            "dhcp-range=10.44.10.9,10.44.10.1", "dhcp-new-thing=1", 'dhcp-host="02:c0:44:00:00:01,10.44.10.30', "dhcp-option=",
            "dhcp-option=nonsense", "dhcp-host=set:x", "no equals here",
        )  # fmt: skip
        for line in lines:
            with self.subTest(line=line):
                (one,) = self.held(f"\n{line}\n")
                self.assertEqual((one.part, self.where(one)), (Part.UNKNOWN, "dnsmasq.conf:2"))
        self.assertEqual(self.held("# only\n\n   # words\nport=0\nserver=10.44.10.1\n"), [])

    def test_pieces_stand_where_they_are_said_to(self) -> None:
        draw = random.Random(7)
        for _ in range(300):
            pieces = [
                draw.choice(("a", "02:c0:44:00:00:01", "10.44.10.30", '"x, y"', "", "ä", '"q\\"r"'))
                for _ in range(draw.randint(1, 6))
            ]
            line = f"{draw.choice(('', ' ', chr(9)))}dhcp-host{draw.choice(('=', ' = '))}{draw.choice((',', ' , ')).join(pieces)}{draw.choice(('', ' # z, y', ' '))}"
            found = dnsmasq_lines.setting(line)
            assert found is not None
            self.assertEqual([line[p.start : p.end] for p in found.pieces], pieces, line)


class Kea(WithFolder):
    def held(self, text: str) -> list[Holding]:
        return KeaServer(config=self.put("kea.conf", text)).holdings([])

    def subnet(self, more: str) -> list[Holding]:
        return self.held(f'{{"Dhcp4": {{"subnet4": [ {{"subnet": "10.44.10.0/24",\n{more}}} ] }} }}')

    def test_every_way_to_reserve_is_seen(self) -> None:
        for key, by in {
            "hw-address": By.MAC, "client-id": By.CLIENT_ID, "duid": By.DUID, "circuit-id": By.CIRCUIT_ID, "flex-id": By.FLEX_ID,
        }.items():  # fmt: skip
            found = self.subnet(
                f'"reservations": [\n{{ "{key}": "02:c0:44:00:00:01", "ip-address": "10.44.10.30" }}, ]'
            )
            one = found[-1]
            self.assertEqual((one.part, one.identifiers), (Part.RESERVATION, ((by, "02:c0:44:00:00:01"),)))
            self.assertEqual((self.where(one), one.first), ("kea.conf:3", ip("10.44.10.30")))

    def test_what_hangs_on_pools_classes_and_networks_is_told(self) -> None:
        found = self.held(
            """{ "Dhcp4": { // the hall
            "client-classes": [ { "name": "phones", "test": "member('x')", "next-server": "10.44.10.9",
                "option-data": [ { "code": 150, "csv-format": false, "data": "0A2C0A08" } ] } ],
            "shared-networks": [ { "name": "hall", "relay": { "ip-addresses": [ "10.44.10.3" ] },
                "subnet4": [ { "subnet": "10.44.10.0/24", "pools": [
                    { "pool": "10.44.10.100-10.44.10.149", "client-class": "phones" },
                    { "pool": "10.44.10.192/27", "option-data": [ { "name": "ntp-servers", "data": "10.44.10.7" } ] } ] } ] } ],
            "option-data": [ { "name": "subnet-mask", "data": "255.255.255.0" } ] } }"""
        )
        pools = [one for one in found if one.part is Part.POOL]
        self.assertEqual(pools[0].hangs, (("client-class", "phones"),))
        self.assertEqual((pools[1].first, pools[1].last), (ip("10.44.10.192"), ip("10.44.10.223")))
        self.assertEqual(pools[1].hangs, (("option ntp-servers", "10.44.10.7"),))
        self.assertEqual(
            self.claims(found),
            {"10.44.10.9": ["kea.conf:2"], "10.44.10.8": ["kea.conf:3"], "10.44.10.7": ["kea.conf:7"]},
        )
        (shared,) = [one for one in found if one.part is Part.SHARED]
        self.assertEqual((shared.text, shared.hangs), ("hall", (("relay", "ip-addresses 10.44.10.3"),)))
        self.assertFalse([one for one in found if one.part is Part.UNKNOWN])

    def test_what_is_not_understood_is_told_with_its_line(self) -> None:
        for more in (
            '"new-thing": 7', '"pools": [\n{ "pool": "10.44.10.9-10.44.10.1" }]', '"pools": [\n{ "pool": "10.44.10.1", "x": 1 }]',
            '"reservations": [\n{ "ip-address": "10.44.10.30" }]', '"reservations": [\n7]', '"option-data": [\n{ "data": "x" }]',
            '"reservations": [\n{ "hw-address": "02:c0:44:00:00:01", "ip-address": "10.44.10.300" }]',
        ):  # fmt: skip
            with self.subTest(more=more):
                strange = [one for one in self.subnet(more) if one.part is Part.UNKNOWN]
                self.assertEqual([self.where(one) for one in strange], [f"kea.conf:{more.count(chr(10)) + 2}"])
        (told,) = self.held('{"Dhcp4": {\n"hosts-databases": [ { "type": "mysql" } ] } }')
        self.assertEqual((told.part, self.where(told)), (Part.UNKNOWN, "kea.conf:2"))

    def test_secrets_are_not_told(self) -> None:
        found = self.held(
            '{"Dhcp4": {"lease-database": {"type": "mysql", "password": "hush"}, "db-password": "hush", "hooks-libraries": '
            '[{"library": "x", "parameters": {"tsig-secret": "hush", "name": "y"}}]}}'
        )
        self.assertEqual(len(found), 3)
        self.assertFalse([one.text for one in found if "hush" in one.text])
        self.assertIn("name y", found[2].text)

    def test_includes_are_followed_with_the_place_of_each_part(self) -> None:
        self.put("pools.json", '// pools\n{ "pool": "10.44.10.100-10.44.10.149" }')
        self.put(
            "subnets.json", f'\n{{ "subnet": "10.44.10.0/24",\n "pools": [ <?include "{self.folder}/pools.json"?> ] }}'
        )
        main = f'{{ "Dhcp4": {{ // <?include "nothing"?>\n"subnet4": [ <?include "{self.folder}/subnets.json"?>,\n{{ "subnet": "10.44.20.0/24" }} ] }} }}'
        found = self.held(main)
        self.assertEqual(
            [(one.part.value, self.where(one)) for one in found],
            [("subnet", "subnets.json:2"), ("pool", "pools.json:2"), ("subnet", "kea.conf:3")],
        )
        beside = self.held(
            '{ "Dhcp4": { "subnet4": [ { "subnet": "10.44.10.0/24", "pools": [ <?include "pools.json"?> ] } ] } }'
        )
        self.assertEqual(self.where(beside[-1]), "pools.json:2", "one without a folder lies beside")
        with self.assertRaises(ServerTrouble) as trouble:
            self.held('{ "Dhcp4": {\n <?include "/nowhere/x"?> } }')
        self.assertIn("line 2 of", str(trouble.exception))
        with self.assertRaises(ServerTrouble):
            self.held(f'{{ "Dhcp4": {{ <?include "{self.folder}/kea.conf"?> }} }}')

    def test_each_of_twenty_thousand_lines_is_read_with_its_place(self) -> None:
        entries = "\n".join(
            f'{{ "hw-address": "02:c0:44:00:{n >> 8:02x}:{n & 255:02x}",\n  "ip-address": "10.44.{n >> 8}.{n & 255}",\n  "hostname": "h{n}" }}{"," * (n < 6699)} # {n}'
            for n in range(6700)
        )
        text = f'{{ "Dhcp4": {{ "subnet4": [ {{ "subnet": "10.44.0.0/16", "reservations": [\n{entries}\n] }} ] }} }}\n'
        server = KeaServer(config=self.put("kea.conf", text))
        found = server.holdings([])
        self.assertEqual((len(found), self.where(found[-1])), (6701, "kea.conf:20099"))
        self.assertEqual([one.place.line for one in found[1:]], list(range(2, 20_100, 3)))


class Dhcpd(WithFolder):
    def held(self, text: str) -> list[Holding]:
        return DhcpdServer(self.put("dhcpd.conf", text), self.folder / "hosts.conf").holdings([])

    def test_every_way_to_reserve_is_seen(self) -> None:
        for inner, identifier in {
            "hardware ethernet 2:C0:44:0:0:1;": (By.MAC, "02:c0:44:00:00:01"), 'option dhcp-client-identifier "tone-7";': (By.CLIENT_ID, "tone-7"),
            "uid 01:aa;": (By.CLIENT_ID, "01:aa"), 'host-identifier option agent.circuit-id "port-3";': (By.CIRCUIT_ID, 'option agent.circuit-id "port-3"'),
            'host-identifier option vendor.x "y";': (By.FLEX_ID, 'option vendor.x "y"'),
        }.items():  # fmt: skip
            found = self.held(f"# first\ngroup {{\n host x {{ {inner} fixed-address 10.44.10.30, 10.44.20.30; }} }}")
            self.assertEqual([one.identifiers for one in found], [(identifier,)] * 2, inner)
            self.assertEqual([one.first for one in found], [ip("10.44.10.30"), ip("10.44.20.30")])
            self.assertEqual(self.where(found[0]), "dhcpd.conf:3")

    def test_what_hangs_on_pools_classes_and_branches_is_told(self) -> None:
        found = self.held(
            'class "phones" { match if option x = "y"; next-server 10.44.10.9; }\nshared-network hall { subnet 10.44.10.0 netmask 255.255.255.0 {\n'
            ' pool { allow members of "phones"; range 10.44.10.69 10.44.10.50; option ntp-servers 10.44.10.7; } range 10.44.10.99; } }\n'
            "if exists agent.circuit-id { option routers 10.44.10.2; }\noption broadcast-address 10.44.10.255; option space T; option T.x code 1 = text;"
        )
        self.assertEqual(
            self.claims(found),
            {"10.44.10.9": ["dhcpd.conf:1"], "10.44.10.7": ["dhcpd.conf:3"], "10.44.10.99": ["dhcpd.conf:3"], "10.44.10.2": ["dhcpd.conf:4"]},
        )  # fmt: skip
        pool = next(one for one in found if one.part is Part.POOL)
        self.assertEqual(
            (pool.first, pool.last, pool.hangs[0]),
            (ip("10.44.10.50"), ip("10.44.10.69"), ("allow", 'members of "phones"')),
        )
        self.assertFalse([one for one in found if one.part is Part.UNKNOWN])

    def test_what_is_not_understood_or_broken_is_told_with_its_line(self) -> None:
        for line in (
            "frobnicate 7;",
            "subnet 10.44.10.0 netmask 255.0.255.0 { }",
            "range a b;",
            "host x { fixed-address 10.44.10.30; }",
            'include "/gone";',
            "option x;",
        ):
            with self.subTest(line=line):
                strange = [one for one in self.held(f"\n{line}\n") if one.part is Part.UNKNOWN]
                self.assertEqual([self.where(one) for one in strange], ["dhcpd.conf:2"])
        for broken, said in (
            ("\nhost x {", "line 2"),
            ("a;\n}", "line 2"),
            ('a "b;\n', "a quote is not closed"),
            ("a\n", "a semicolon is missing"),
            ("{" * 60, "too deep"),
        ):
            with self.assertRaises(ServerTrouble) as trouble:
                self.held(broken)
            self.assertIn(said, str(trouble.exception))


class Whom(unittest.TestCase):
    def test_whom_a_reservation_is_for_is_said_once(self) -> None:
        mac, named = (By.MAC, "02:c0:44:00:00:29"), (By.NAME, "printer-1")
        for identifiers, name, said in (
            ((mac,), "", "02:c0:44:00:00:29"), ((mac,), "printer-1", "02:c0:44:00:00:29 (printer-1)"),
            ((named,), "printer-1", f"{By.NAME} printer-1"), ((), "printer-1", "printer-1"), ((), "", ""),
            ((mac, (By.CLIENT_ID, "01:02")), "", f"02:c0:44:00:00:29 or {By.CLIENT_ID} 01:02"),
        ):  # fmt: skip
            with self.subTest(said):
                holding = Holding(Part.RESERVATION, Place("dhcpd.conf", 3), "host", identifiers=identifiers, name=name)
                self.assertEqual(holding.whom, said)


class Claiming(unittest.TestCase):
    """What stands against an address at the DHCP servers."""

    def setUp(self) -> None:
        self.plan = Plan([Site(1, "Larkspur Hall", True), Subnet(1, 1, "Office", OFFICE)])
        self.laptop = Mac.parse("02:c0:9f:a0:00:6b").value

    def claim(self, part: Part, address: str, *identifiers: tuple[By, str], last: str = "") -> Claim:
        held = Holding(
            part, Place("/etc/office.conf", 41), "what stands there", "", ip(address), ip(last or address), identifiers
        )
        return Claim(1, "office", held)

    def item(self, address: str, kind: AssignmentKind = AssignmentKind.RESERVED) -> Assignment:
        return Assignment(1, 1, 1, ip(address), kind, self.laptop, "portable-05")

    def test_no_address_that_a_server_claims_is_clear(self) -> None:
        asked = Evidence(Asked.PROBES)
        self.assertIs(prove(self.plan, 1, ip("10.44.10.31"), asked, 0).grade, Grade.CLEAR)
        for claim in (
            self.claim(Part.RESERVATION, "10.44.10.31", (By.CLIENT_ID, "01:aa")), self.claim(Part.RESERVATION, "10.44.10.31", (By.NAME, "desk")),
            self.claim(Part.OPTION, "10.44.10.31"), self.claim(Part.EXCLUDED, "10.44.10.30", last="10.44.10.40"),
            self.claim(Part.POOL, "10.44.10.30", last="10.44.10.40"),
        ):  # fmt: skip
            proof = prove(self.plan, 1, ip("10.44.10.31"), asked, 0, Claims.of([claim]).at(ip("10.44.10.31")))
            self.assertIs(proof.grade, Grade.TAKEN, claim)
            self.assertIn("office: line 41 of /etc/office.conf", proof.reasons[0])

    def problems(self, item: Assignment, *claims: Claim, ours: bool = False) -> list[tuple[str, Severity]]:
        found = claimed.problems(self.plan, [item], Claims.of(claims), lambda _: ours)
        return [(problem.kind, problem.severity) for problem in found]

    def test_what_a_server_reserves_otherwise_is_refused_for_a_reservation(self) -> None:
        other = self.claim(Part.RESERVATION, "10.44.10.31", (By.CLIENT_ID, "01:aa"))
        mine = self.claim(Part.RESERVATION, "10.44.10.31", (By.MAC, "02:c0:9f:a0:00:6b"))
        elsewhere = self.claim(Part.RESERVATION, "10.44.10.99", (By.MAC, "02:c0:9f:a0:00:6b"))
        afar = self.claim(Part.RESERVATION, "10.44.20.99", (By.MAC, "02:c0:9f:a0:00:6b"))
        refused = [("reserved otherwise", Severity.REFUSED)]
        self.assertEqual(self.problems(self.item("10.44.10.31"), other), refused)
        self.assertEqual(
            self.problems(self.item("10.44.10.31", AssignmentKind.STATIC), other),
            [("reserved otherwise", Severity.MISTAKE)],
        )
        self.assertEqual(self.problems(self.item("10.44.10.31"), mine), [])
        self.assertEqual(self.problems(self.item("10.44.10.31"), elsewhere), refused)
        self.assertEqual(self.problems(self.item("10.44.10.31"), elsewhere, ours=True), [], "publishing moves it")
        self.assertEqual(self.problems(self.item("10.44.10.31", AssignmentKind.STATIC), elsewhere), [])
        self.assertEqual(self.problems(self.item("10.44.10.31"), afar), [], "a device may have one in every subnet")
        self.assertEqual(
            self.problems(self.item("10.44.10.31"), self.claim(Part.EXCLUDED, "10.44.10.30", last="10.44.10.40")),
            [("excluded at the server", Severity.REFUSED)],
        )

    def test_whole_stretches_go_into_runs_as_each_address_would(self) -> None:
        draw = random.Random(11)
        for _ in range(400):
            wide, single = Runs(), Runs()
            for _ in range(draw.randint(1, 8)):
                first = draw.randint(0, 60)
                last = first + draw.randint(0, 12)
                if draw.random() < 0.5:
                    wide.cover(first, last)
                else:
                    for one in range(first, last + 1):
                        wide.add(one)
                for one in range(first, last + 1):
                    single.add(one)
            self.assertEqual((list(wide.within(0, 99)), wide.total), (list(single.within(0, 99)), single.total))

    def test_what_is_not_formed_as_a_server_writes_it_is_trouble_and_no_fault(self) -> None:
        reserved = [{"hw-address": "02:c0:44:00:00:01", "ip-address": "10.44.10.5"}]
        for junk in (None, 1, "x", [1], [None], {"a": 1}, True):
            for where in ("subnet4", "shared-networks", "option-data"):
                value = {"Dhcp4": {"subnet4": [{"subnet": str(OFFICE), "reservations": reserved}], where: junk}}
                with contextlib.suppress(ServerTrouble):
                    kea_config.scopes(value, {})
                kea_holdings.without(value, set())

    @given(st.text(max_size=12) | st.sampled_from([" a", "a ", "a  b", "x" * 254, "x" * 400, "\x7f"]))
    def test_what_is_told_quickly_to_be_safe_is_what_cleaning_would_leave(self, text: str) -> None:
        told = safe(Holding(Part.CLASS, Place(text), text, text, None, None, ((By.TAG, text),), text, ((text, text),)))
        line = one_line(text)
        self.assertEqual(
            (told.place.source, told.text, told.within, told.name), (clean(text, 1000), line, line, clean(text))
        )
        self.assertEqual((told.identifiers, told.hangs), (((By.TAG, line),), ((clean(text), line),)))

    def test_texts_of_a_file_are_safe_to_show(self) -> None:
        held = Holding(
            Part.CLASS,
            Place("/etc/\x1b[31mx"),
            "a\x1b]0;b\x07\u202ec" + "d" * 900,
            name="\x00n",
            hangs=(("t", "\x1b[2J"),),
        )
        told = safe(held)
        for text in (told.text, told.name, told.place.source, told.hangs[0][1]):
            self.assertTrue(text.isprintable(), repr(text))
        self.assertEqual(len(told.text), 300)


if __name__ == "__main__":
    unittest.main()
