"""Texts and bytes of the plan: DHCP messages, server configurations, zones, cards, spreadsheets."""

from __future__ import annotations

import io
import json
import re
import resource
import unittest
import zipfile
from dataclasses import replace
from ipaddress import IPv4Address, IPv4Network

import dns.zone
from openpyxl import Workbook, load_workbook

from even_roster.apart import running
from even_roster.apart import spreadsheets as spreadsheet_files
from even_roster.core import cards, spreadsheets, zones
from even_roster.core.address import Address
from even_roster.core.columns import SheetError
from even_roster.core.dhcp import Pool, Reservation, Scope, ScopeThere, key_of
from even_roster.core.dhcp_difference import difference, lost
from even_roster.core.dhcp_export import NOTATIONS, FormatError, form_text, from_json, host_blocks, to_json, write_mac
from even_roster.core.mac import Mac, MacNumber
from even_roster.core.plan.model import Assignment, AssignmentKind, HandedOut, Plan, Site, Subnet
from even_roster.dhcp import dnsmasq_lines, dnsmasq_text, kea_config
from even_roster.dhcp.json_text import JsonText, JsonTextError
from even_roster.dhcp.server import ServerTrouble
from even_roster.wire import dhcp
from even_roster.wire.dhcp import Kind, Message, Option
from even_roster.wire.errors import WireError
from tests.support.drawing import given, settings, st

BESIDE = "anything"

OFFICE = IPv4Network("10.44.10.0/24")
LAPTOP = Mac.parse("02:c0:9f:a0:00:6b")


def ip(text: str) -> Address:
    return Address(int(IPv4Address(text)))


def a_plan(*items: Assignment) -> Plan:
    office = Subnet(
        1, 1, "Office", OFFICE, ip("10.44.10.1"), (ip("10.44.10.1"), ip("10.44.10.2")), "larkspur.example", vlan=10
    )
    big = Subnet(2, 1, "Visitors", IPv4Network("10.44.64.0/22"), ip("10.44.64.1"), domain="guests.larkspur.example")
    return Plan([Site(1, "Larkspur Hall", True), Site(2, "Annex"), office, big, *items])


def assigned(address: str, identity: int = 1, **values: object) -> Assignment:
    base: dict[str, object] = {"kind": AssignmentKind.STATIC, "mac": None, "name": f"host-{identity}"}
    inside = 2 if address.startswith("10.44.6") else 1
    return Assignment(identity, 1, inside, ip(address), **{**base, **values})  # type: ignore[arg-type]


messages = st.builds(
    Message, st.booleans(), st.integers(0, 2**32 - 1), st.binary(min_size=6, max_size=6).map(Mac.from_bytes), st.sampled_from(Kind),
    st.ip_addresses(v=4), st.ip_addresses(v=4), st.ip_addresses(v=4), st.ip_addresses(v=4), st.integers(0, 65535), st.booleans(),
    st.dictionaries(st.integers(1, 254).filter(lambda c: c not in (52, 53)), st.binary(max_size=600), max_size=4).map(lambda d: tuple(d.items())),
)  # fmt: skip


class DhcpMessages(unittest.TestCase):
    @given(messages)
    def test_what_is_written_is_read_again_long_options_too(self, message: Message) -> None:
        read = dhcp.decode(dhcp.encode(message))
        self.assertEqual(dict(read.options), dict(message.options))
        self.assertEqual(replace(read, options=()), replace(message, options=()))

    @given(st.binary(max_size=700))
    def test_hostile_bytes_never_do_more_than_raise(self, data: bytes) -> None:
        head = dhcp.encode(Message(True, 1, LAPTOP, Kind.OFFER))[:240]
        for bytes_in in (data, head + data):
            try:
                dhcp.decode(bytes_in)
            except WireError as error:
                self.assertTrue(str(error))

    def test_options_in_the_file_and_name_fields_are_read(self) -> None:
        plain = bytearray(dhcp.encode(Message(True, 1, LAPTOP, Kind.OFFER, options=((Option.OVERLOAD, b"\3"),))))
        plain[108:115] = bytes((Option.DOMAIN, 4)) + b"hall\xff"
        plain[44:49] = bytes((Option.HOSTNAME, 2)) + b"p5\xff"
        read = dhcp.decode(bytes(plain))
        self.assertEqual((read.text(Option.DOMAIN), read.text(Option.HOSTNAME)), ("hall", "p5"))

    def test_in_a_frame_and_out_again(self) -> None:
        message = Message(False, 7, LAPTOP, Kind.DISCOVER, broadcast=True)
        frame = dhcp.frame(message, LAPTOP, Mac(MacNumber((1 << 48) - 1)))
        found = dhcp.of_frame(frame)
        assert found is not None
        self.assertEqual((found.kind, found.transaction, found.mac), (Kind.DISCOVER, 7, LAPTOP))


values = st.recursive(
    st.none() | st.booleans() | st.integers(-9, 9) | st.text(max_size=6), lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=4), inner, max_size=3), max_leaves=8,
)  # fmt: skip


class JsonInPlace(unittest.TestCase):
    TEXT = '{ // head\n  "a": [ 1, /* two */ 2, 3, ], # tail\n  "b": { "c": "x // no comment" }\n}\n'

    def test_comments_and_layout_stay_and_only_the_edit_changes(self) -> None:
        text = JsonText(self.TEXT)
        top = text.members(text.root)
        text.edit_items(top["a"], {0: 9}, {2}, [7])
        text.set_member(top["b"], text.members(top["b"]), "d", [1])
        done = text.result()
        self.assertIn("/* two */", done)
        self.assertIn("# tail", done)
        again = JsonText(done)
        self.assertEqual(again.root.value, {"a": [9, 2, 7], "b": {"d": [1], "c": "x // no comment"}})

    @given(st.lists(values, max_size=5), st.data())
    def test_array_edits_mean_what_they_say(self, array: list[object], data: st.DataObject) -> None:
        numbers = list(range(len(array)))
        removed = data.draw(st.sets(st.sampled_from(numbers)) if numbers else st.just(set()))
        replaced = data.draw(
            st.dictionaries(st.sampled_from([n for n in numbers if n not in removed]), values)
            if len(removed) < len(numbers)
            else st.just({})
        )
        added = data.draw(st.lists(values, max_size=3))
        text = JsonText(json.dumps({"x": array}, indent=data.draw(st.sampled_from([None, 2]))))
        text.edit_items(text.members(text.root)["x"], replaced, removed, added)
        wanted = [replaced.get(n, value) for n, value in enumerate(array) if n not in removed] + added
        self.assertEqual(json.loads(text.result())["x"], wanted)

    def test_what_is_not_json_is_told_with_its_place(self) -> None:
        for bad, said in (
            ("{", "line 1"),
            ('{"a": 1\n "b": 2}', "line 2"),
            ("[1] x", "behind the end"),
            ("[1] /* never ended", "behind the end"),
            ('{"a // no comment\n": 1}', "line 1"),
            ("", "line 1"),
        ):
            with self.assertRaises(JsonTextError) as told:
                JsonText(bad)
            self.assertIn(said, str(told.exception))


class Differences(unittest.TestCase):
    mine = Reservation(LAPTOP.value, ip("10.44.10.181"), "portable-05")

    def test_only_owned_parts_are_changed_and_hand_written_ones_conflict(self) -> None:
        by_hand = Reservation(LAPTOP.value, ip("10.44.10.30"), "old")
        wanted = [Scope(OFFICE, reservations=(self.mine,))]
        there = ScopeThere(Scope(OFFICE, reservations=(by_hand,)))
        found = difference(wanted, [there])
        self.assertEqual((found.lines, len(found.conflicts), found.left), ((), 1, 1))
        self.assertIn("the server has 02:c0:9f:a0:00:6b 10.44.10.30 old by hand", found.conflicts[0])
        owned = ScopeThere(there.scope, frozenset([key_of(by_hand)]))
        self.assertEqual([line.action for line in difference(wanted, [owned]).lines], ["change"])
        self.assertEqual(difference([], [ScopeThere(Scope(OFFICE, (Pool(1, 2),)))]).lines, (), "what is not ours stays")

    def test_a_server_with_another_mask_is_a_conflict(self) -> None:
        found = difference([Scope(OFFICE)], [ScopeThere(Scope(IPv4Network("10.44.0.0/16")))])
        self.assertIn("make the masks agree", found.conflicts[0])

    def test_a_lost_hand_written_part_is_noticed(self) -> None:
        before = ScopeThere(
            Scope(OFFICE, (Pool(1, 2),), HandedOut(domain="hall"), (self.mine,)), frozenset([key_of(self.mine)])
        )
        self.assertEqual(lost([before], [ScopeThere(Scope(OFFICE, (Pool(1, 2),), HandedOut(domain="hall")))]), [])
        self.assertEqual(
            lost([before], [ScopeThere(Scope(OFFICE))]),
            ["10.44.10.0/24 pool 0.0.0.1-0.0.0.2", "10.44.10.0/24 option domain"],
        )

    def test_kea_texts_of_another_server_are_refused(self) -> None:
        for text, said in (
            ("{}", "no Dhcp4"),
            ("nonsense", "not JSON"),
        ):
            with self.assertRaises(ServerTrouble) as told:
                kea_config.parse(text)
            self.assertIn(said, str(told.exception))

    def test_kea_a_new_subnet_and_its_options_are_written_and_read_again(self) -> None:
        options = HandedOut(
            7200,
            ip("10.44.10.1"),
            (ip("10.44.10.1"),),
            "larkspur.example",
            (ip("10.44.10.2"),),
            "boot",
            "start.img",
            ((43, "0104"),),
        )
        scope = Scope(OFFICE, (Pool(ip("10.44.10.100"), ip("10.44.10.199")),), options, (self.mine,))
        document = kea_config.parse(
            '{"Dhcp4": {"valid-lifetime": 3600, "shared-networks": [{"name": "x", "subnet4": [{"id": 5, "subnet": "10.9.0.0/24"}]}]}}'
        )
        self.assertEqual(kea_config.edit(document, [scope], {}, "aa11"), [])
        text = document.result()
        there = {one.scope.network: one for one in kea_config.scopes(kea_config.parse(text).root.value, {})}
        self.assertEqual(there[OFFICE].scope, scope)
        self.assertEqual(json.loads(text)["Dhcp4"]["subnet4"][0]["id"], 6)
        self.assertEqual(difference([scope], there.values()).lines, ())
        self.assertEqual(kea_config.marked_by(kea_config.parse(text).root.value), "aa11")
        self.assertEqual(text.count("even-roster"), 1, "one mark for the whole server")

    def test_dnsmasq_lines_of_all_sorts_are_understood_or_left(self) -> None:
        for line, found in (
            ("02:c0:9f:a0:00:6b,10.44.10.181,portable-05", self.mine),
            ("02:c0:9f:a0:00:6b,set:known,10.44.10.181,portable-05,12h # touring", self.mine),
            ("dhcp-host=02:c0:9f:a0:00:6b,10.44.10.181,portable-05", None),
            ("02:c0:9f:a0:00:6b,id:01:aa,10.44.10.181", None), ("02:c0:9f:a0:00:6b,tag:guests,10.44.10.181", None),
            ("id:01:02,10.44.10.9", None), ("02:c0:9f:a0:00:6b,ignore", None), ("02:c0:9f:a0:00:6b,10.44.10.300", None),
            ("# a note", None), ("", None), ("02:c0:9f:*:*:*,10.44.10.9", None),
        ):  # fmt: skip
            item = dnsmasq_lines.setting(line, "dhcp-host")
            self.assertEqual(dnsmasq_text.reservation(item) if item is not None else None, found, line)


class Exports(unittest.TestCase):
    scopes = st.lists(
        st.builds(
            Scope, st.just(OFFICE), st.just((Pool(ip("10.44.10.100"), ip("10.44.10.199")),)),
            st.builds(HandedOut, st.integers(0, 90000), st.none() | st.just(ip("10.44.10.1")), st.lists(st.integers(1, 2**32 - 1), max_size=2).map(tuple), st.sampled_from(["", "larkspur.example"])),
            st.lists(st.builds(Reservation, st.integers(1, 2**48 - 1), st.integers(ip("10.44.10.1"), ip("10.44.10.254")), st.sampled_from(["", "portable-05"])), max_size=3).map(tuple),
        ), max_size=1,
    )  # fmt: skip

    @given(scopes)
    def test_our_json_is_read_again_without_loss(self, scopes: list[Scope]) -> None:
        self.assertEqual(from_json(to_json(scopes)), scopes)

    def test_a_wrong_document_is_told(self) -> None:
        for text, said in (
            ("x", "not JSON"), ("{}", "must begin"),
            ('{"format": "even-roster-dhcp", "version": 1, "subnets": [{"subnet": "10.44.10.0/24", "pools": [{"first": "10.44.11.1", "last": "10.44.11.9"}]}]}', "subnets[0]: the pool"),
            ('{"format": "even-roster-dhcp", "version": 1, "subnets": [{}]}', "subnets[0]: 'subnet' is missing"),
        ):  # fmt: skip
            with self.assertRaises(FormatError) as told:
                from_json(text)
            self.assertIn(said, str(told.exception))

    def test_texts_for_people(self) -> None:
        scope = Scope(
            OFFICE,
            (Pool(ip("10.44.10.100"), ip("10.44.10.199")),),
            HandedOut(gateway=ip("10.44.10.1")),
            (Differences.mine,),
        )
        blocks = host_blocks([scope])
        self.assertIn(
            "host portable-05 {\n  hardware ethernet 02:c0:9f:a0:00:6b;\n  fixed-address 10.44.10.181;", blocks
        )
        self.assertIn("option routers 10.44.10.1;", blocks)
        self.assertIn("02-C0-9F-A0-00-6B  10.44.10.181", form_text([scope], "DASHES"))
        self.assertEqual({Mac.parse(write_mac(LAPTOP.value, n)) for n in NOTATIONS}, {LAPTOP})


class Zones(unittest.TestCase):
    plan = a_plan(
        assigned("10.44.10.12", name="ledger"), assigned("10.44.10.30", 2, name="printer-1.print.larkspur.example"),
        assigned("10.44.65.7", 3, name="kiosk"), assigned("10.44.10.99", 4, name="gone", on=False),
    )  # fmt: skip

    def test_zones_are_read_by_an_independent_reader(self) -> None:
        names = zones.names_of(self.plan, 1)
        forward = dns.zone.from_text(
            zones.forward_zone("larkspur.example", names, 7, [zones.Server("ledger.larkspur.example")]),
            "larkspur.example",
        )
        self.assertEqual([str(r) for r in forward.find_rdataset("ledger", "A")], ["10.44.10.12"])
        self.assertEqual(
            {str(n) for n in forward.nodes}, {"@", "ledger"}, "other domains and switched-off names stay out"
        )
        networks = zones.reverse_zones(IPv4Network("10.44.64.0/22"))
        self.assertEqual([str(n) for n in networks], [f"10.44.{n}.0/24" for n in (64, 65, 66, 67)])
        reverse = dns.zone.from_text(
            zones.reverse_zone(networks[1], names, 7, [zones.Server("ns1.larkspur.example")]), "65.44.10.in-addr.arpa"
        )
        self.assertEqual(str(reverse.find_rdataset("7", "PTR")[0].target), "kiosk.guests.larkspur.example.")
        self.assertEqual([str(n) for n in zones.reverse_zones(IPv4Network("10.44.40.0/26"))], ["10.44.40.0/24"])
        self.assertIn("10.44.10.12\tledger.larkspur.example ledger\n", zones.hosts_file(names))

    def test_a_zone_has_a_server_and_the_server_an_address(self) -> None:
        names = zones.names_of(self.plan, 1)
        with self.assertRaises(zones.ZoneError) as none:
            zones.forward_zone("larkspur.example", names, 7, [])
        self.assertIn("say which one serves the zone", str(none.exception))
        with self.assertRaises(zones.ZoneError) as bare:
            zones.forward_zone("larkspur.example", names, 7, [zones.Server("ns1.larkspur.example")])
        self.assertIn("ns1.larkspur.example=ADDRESS", str(bare.exception))
        text = zones.forward_zone(
            "larkspur.example",
            names,
            7,
            [zones.Server("ns1.larkspur.example", ip("10.44.10.1")), zones.Server("dns.elsewhere.example")],
        )
        zone = dns.zone.from_text(text, "larkspur.example")
        self.assertEqual([str(r) for r in zone.find_rdataset("ns1", "A")], ["10.44.10.1"])
        self.assertEqual(len(zone.find_rdataset("@", "NS")), 2)

    def test_what_a_dns_says_is_compared(self) -> None:
        named = zones.Named(ip("10.44.10.12"), "ledger", "larkspur.example")
        for addresses, names, kinds in (
            ((ip("10.44.10.12"),), ("Ledger.larkspur.example.",), []), ((), (), ["not in the DNS"]),
            ((ip("10.44.10.99"),), ("ledger.larkspur.example",), ["name elsewhere"]), ((ip("10.44.10.12"),), (), ["no reverse name"]),
            ((ip("10.44.10.12"),), ("vault.larkspur.example",), ["other reverse name"]), (None, None, []),
        ):  # fmt: skip
            found = zones.compare([zones.Told(named, addresses, names)])
            self.assertEqual([d.kind for d in found], kinds)


class Cards(unittest.TestCase):
    plan = a_plan(
        assigned("10.44.10.12", name="ledger", mac=LAPTOP.value),
        assigned("10.44.10.181", 2, kind=AssignmentKind.RESERVED, mac=LAPTOP.value),
    )

    def test_mask_gateway_and_dns_agree_in_every_snippet(self) -> None:
        card = cards.card(self.plan, 1, ip("10.44.10.12"))
        self.assertEqual(
            (card.mask, card.gateway, card.full_name), ("255.255.255.0", "10.44.10.1", "ledger.larkspur.example")
        )
        for kind, parts in {
            "networkd": ("Address=10.44.10.12/24", "Gateway=10.44.10.1", "DNS=10.44.10.2", "MACAddress=02:c0:9f:a0:00:6b"),
            "netplan": ("- 10.44.10.12/24", "via: 10.44.10.1", "addresses: [10.44.10.1, 10.44.10.2]", "search: [larkspur.example]"),
            "ifupdown": ("iface eth0 inet static", "address 10.44.10.12/24", "dns-nameservers 10.44.10.1 10.44.10.2"),
            "powershell": ("-IPAddress 10.44.10.12 -PrefixLength 24 -DefaultGateway 10.44.10.1", "-ServerAddresses 10.44.10.1,10.44.10.2"),
        }.items():  # fmt: skip
            text = cards.snippet(card, kind, "eth0")
            for part in parts:
                self.assertIn(part, text, kind)

    def test_a_reserved_device_stays_on_dhcp(self) -> None:
        card = cards.card(self.plan, 1, ip("10.44.10.181"))
        for kind, part in {
            "networkd": "DHCP=ipv4",
            "netplan": "dhcp4: true",
            "ifupdown": "inet dhcp",
            "powershell": "-Dhcp Enabled",
        }.items():
            text = cards.snippet(card, kind, "eth0")
            self.assertIn(part, text)
            self.assertNotIn("10.44.10.181", text)

    def test_what_cannot_have_a_card_is_told(self) -> None:
        for address, said in (("10.9.9.9", "no planned subnet"), ("10.44.10.255", "broadcast address")):
            with self.assertRaises(cards.CardError) as told:
                cards.card(self.plan, 1, ip(address))
            self.assertIn(said, str(told.exception))
        with self.assertRaises(cards.CardError):
            cards.snippet(cards.card(self.plan, 1, ip("10.44.10.12")), "netplan", "eth0\n  evil: true")


class Spreadsheets(unittest.TestCase):
    def rows(self, *rows: list[str], plan: Plan | None = None, **mapping: str) -> list[spreadsheets.RowPlan]:
        return spreadsheets.plan_table(plan or a_plan(), 1, list(rows), mapping).rows

    def test_headers_in_any_order_and_tongue_of_spreadsheets_are_recognised(self) -> None:
        found = self.rows(
            ["Comment", "MAC-Address", "IP Address", "Host Name", "Type", "X"],
            ["in the cellar", "02C0.9FA0.006B", "10.44.10.12/24", "ledger", "DHCP", "?"],
        )
        after = found[0].after
        assert after is not None
        self.assertEqual(
            (after.mac, after.name, after.notes, after.kind),
            (LAPTOP.value, "ledger", "in the cellar", AssignmentKind.RESERVED),
        )
        for rows, said in (
            ([["name", "mac"]], "no column is recognised as the address"), ([["ip", "ip address"]], "could both be the address"),
            ([], "the table is empty"),
        ):  # fmt: skip
            with self.assertRaises(SheetError) as told:
                spreadsheets.plan_table(a_plan(), 1, rows)
            self.assertIn(said, str(told.exception))
        self.assertEqual(self.rows(["where", "who"], ["10.44.10.9", "x"], address="where", name="who")[0].action, "add")
        with self.assertRaises(SheetError):
            self.rows(["where"], address="nowhere")

    def test_bad_rows_are_refused_with_row_and_column(self) -> None:
        head = ["ip", "name", "mac", "kind", "on", "site"]
        for cells, column, said in (
            (["10.44.10.300", "a"], "ip", "300 is over 255"), (["", "a"], "ip", "missing"), (["10.44.10.1-9", "a"], "ip", "more than one"),
            (["10.9.9.9", "a"], "ip", "no planned subnet"), (["10.44.10.9"], "name", "neither a name nor a MAC"),
            (["10.44.10.9", "a b"], "name", "not a hostname"), (["10.44.10.9", "a", "02:c0"], "mac", "12 are needed"),
            (["10.44.10.9", "a", "ff:ff:ff:ff:ff:ff"], "mac", "group or empty"), (["10.44.10.9", "a", "", "sometimes"], "kind", "neither static nor reserved"),
            (["10.44.10.9", "a", "", "", "perhaps"], "on", "neither on nor off"), (["10.44.10.9", "a", "", "", "", "Moon"], "site", "no site"),
            (["=1+1", "a"], "ip", "formula"), (["10.44.10.9", "=HYPERLINK(1)"], "name", "formula"),
        ):  # fmt: skip
            found = self.rows(head, cells)
            self.assertEqual((found[0].action, found[0].row, found[0].column), ("refused", 2, column), cells)
            self.assertIn(said, found[0].reason)
        double = self.rows(head, ["10.44.10.9", "a"], ["10.44.10.9", "b"])
        self.assertEqual((double[1].action, double[1].reason), ("refused", "10.44.10.9 stands in row 2 already"))
        twice = self.rows(head, ["10.44.10.8", "a", str(LAPTOP), "dhcp"], ["10.44.10.9", "b", str(LAPTOP), "dhcp"])
        self.assertIn("reserved in row 2 already", twice[1].reason)

    @settings(deadline=None)
    @given(
        st.lists(
            st.tuples(
                st.integers(2, 250),
                st.sampled_from(["a", "desk-1"]),
                st.none() | st.integers(1, 2**40 - 1),
                st.sampled_from(AssignmentKind),
                st.text(st.characters(codec="utf-8", exclude_categories=("C", "Z")), max_size=12),
                st.booleans(),
            ),
            unique_by=lambda r: r[0],
            max_size=6,
        )
    )
    def test_an_export_comes_back_as_it_was_in_both_formats(
        self, rows: list[tuple[int, str, int | None, AssignmentKind, str, bool]]
    ) -> None:
        items = [
            assigned(f"10.44.10.{n}", i + 1, name=name, mac=mac, kind=kind, notes=note, on=on)
            for i, (n, name, mac, kind, note, on) in enumerate(rows)
        ]
        full = a_plan(*items)
        table = list(spreadsheets.export_rows(full, full.assigned_in(1, 0, 2**32 - 1)))
        for data in (spreadsheet_files.write_csv(table), spreadsheet_files.write_workbook(table, "assignments")):
            again = spreadsheets.plan_table(full, 1, spreadsheet_files.read(data).rows).rows
            self.assertEqual({r.action for r in again} - {"same"}, set(), [r.reason for r in again])
            fresh = [r.after for r in spreadsheets.plan_table(a_plan(), 1, spreadsheet_files.read(data).rows).rows]
            self.assertEqual({spreadsheets.numbered(i, 0) for i in items if i.mac or i.name}, {i for i in fresh if i})

    @given(st.text(max_size=8))
    def test_a_guarded_text_is_no_formula_and_comes_back(self, text: str) -> None:
        safe = spreadsheets.guarded(text)
        self.assertFalse(safe[:1] in ("=", "+", "-", "@", "\t", "\r"))
        self.assertEqual(spreadsheets.unguarded(safe), text)


class SpreadsheetFiles(unittest.TestCase):
    def test_encodings_and_separators_are_found_out(self) -> None:
        for data, read_as in (
            ("ip,name\n10.44.10.9,Büro".encode(), "CSV with commas, UTF-8"), ("ip;name\n10.44.10.9;Büro".encode("utf-8-sig"), "CSV with semicolons, UTF-8"),
            ("ip\tname\n10.44.10.9\tBüro".encode("utf-16"), "CSV with tabs, UTF-16"), ("ip;name\r\n10.44.10.9;Büro".encode("cp1252"), "CSV with semicolons, Windows-1252"),
        ):  # fmt: skip
            table = spreadsheet_files.read(data)
            self.assertEqual((table.read_as, table.rows[1]), (read_as, ["10.44.10.9", "Büro"]))

    def test_numbers_times_and_formulas_in_a_workbook(self) -> None:
        book = Workbook()
        sheet = book.active
        assert sheet is not None
        sheet.append(["ip", "name", "notes"])
        sheet.append(["10.44.10.9", "=HYPERLINK(1)", 5.0])
        sheet.append(["10.44.10.10", "x", True])
        out = io.BytesIO()
        book.save(out)
        table = spreadsheet_files.read(out.getvalue())
        self.assertEqual(table.rows[1:], [["10.44.10.9", "=HYPERLINK(1)", "5"], ["10.44.10.10", "x", "yes"]])
        self.assertIn("formula", spreadsheets.plan_table(a_plan(), 1, table.rows).rows[0].reason)

    def test_risky_texts_are_written_as_texts(self) -> None:
        risky = "=cmd|' /C calc'!A0"
        item = assigned("10.44.10.9", notes=risky)
        table = list(spreadsheets.export_rows(a_plan(item), [item]))
        self.assertIn(f"'{risky}".encode(), spreadsheet_files.write_csv(table))
        book = load_workbook(io.BytesIO(spreadsheet_files.write_workbook(table, "x")))
        cells = [cell for row in book.worksheets[0].iter_rows() for cell in row]
        self.assertEqual({cell.data_type for cell in cells if cell.value}, {"s"})
        self.assertIn(f"'{risky}", [cell.value for cell in cells])

    def test_what_is_no_spreadsheet_is_told(self) -> None:
        for data, said in (
            (b"", "empty"), (b"\xd0\xcf\x11\xe0old", ".xls"), (b"PK\x03\x04nonsense", "not a workbook"), (b"%PDF\0\0", "binary data"),
            (b"ip,name\n" + b"a" * 200_000, "row 2"), (b"x" * (spreadsheet_files.MOST_BYTES + 1), "over 32 MiB"),
        ):  # fmt: skip
            with self.assertRaises(SheetError, msg=data[:20]) as told:
                spreadsheet_files.read(data)
            self.assertIn(said, str(told.exception))

    def test_fifty_thousand_rows_are_read_and_more_are_refused_by_their_count(self) -> None:
        body = "".join(f"10.44.{64 + n // 250 % 4}.{n % 250 + 2},h{n}\n" for n in range(spreadsheets.MOST_ROWS))
        rows = spreadsheet_files.read(f"ip,name\n{body}".encode()).rows
        self.assertEqual(len(rows), spreadsheets.MOST_ROWS + 1)
        found = spreadsheets.plan_table(a_plan(), 1, rows).rows
        self.assertEqual(sum(1 for row in found if row.action == "add"), 1000)
        self.assertEqual(sum(1 for row in found if row.action == "refused"), spreadsheets.MOST_ROWS - 1000)
        with self.assertRaisesRegex(SheetError, "has 50,001 rows; at most 50,000"):
            spreadsheets.plan_table(a_plan(), 1, [*rows, rows[-1]])
        with self.assertRaisesRegex(SheetError, "has 50,012 rows; at most 50,000"):
            spreadsheet_files.read(f"ip,name\n{body}{'10.44.9.9,x' + chr(10)}".encode() + b"10.44.9.8,y\n" * 11)

    def test_no_file_takes_more_than_it_may(self) -> None:
        self.assertEqual(running.read(b"ip,name\n10.44.10.9,x\n").rows, [["ip", "name"], ["10.44.10.9", "x"]])
        with self.assertRaisesRegex(SheetError, "the file is empty"):
            running.read(b" ")
        for rows, said in ((11_500, "over 300 MB"), (2, "")):
            data = heavy_workbook(rows)
            self.assertLess(len(data), spreadsheet_files.MOST_BYTES)
            if said:
                with self.assertRaisesRegex(SheetError, said):
                    running.read(data)
            else:
                self.assertEqual(len(running.read(data).rows), rows)
        before = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss
        self.assertLess(before, 420 << 10, "kilobytes of the largest child there was")
        wide = running.write_workbook([["address", "name"], ["10.44.10.9", "'=1+1"]], "a/b")
        self.assertEqual(running.read(wide).rows, [["address", "name"], ["10.44.10.9", "'=1+1"]])


def heavy_workbook(rows: int) -> bytes:
    """A small file that is large when it is unpacked: rows with an address and a text of 32,000 letters."""
    made, out = io.BytesIO(), io.BytesIO()
    Workbook().save(made)
    text = "x" * 32_000
    with zipfile.ZipFile(made) as plain, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as heavy:
        for name in plain.namelist():
            if not name.startswith("xl/worksheets/sheet"):
                heavy.writestr(name, plain.read(name))
                continue
            whole = re.sub(r"<dimension [^>]*/>", "", plain.read(name).decode())
            before, after = re.split(r"<sheetData ?/>|<sheetData></sheetData>", whole)
            with heavy.open(name, "w") as sheet:
                sheet.write(f"{before}<sheetData>".encode())
                for number in range(1, rows + 1):
                    cells = ("10.44.10.9", f"{number}{text}")
                    cell = "".join(
                        f'<c r="{column}{number}" t="inlineStr"><is><t>{value}</t></is></c>'
                        for column, value in zip("AB", cells, strict=True)
                    )
                    sheet.write(f'<row r="{number}">{cell}</row>'.encode())
                sheet.write(f"</sheetData>{after}".encode())
    return out.getvalue()


if __name__ == "__main__":
    unittest.main()
