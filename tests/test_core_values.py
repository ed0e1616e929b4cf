"""Value types: MACs, spans, ranges, sums, vendors, text."""

from __future__ import annotations

import unittest
from ipaddress import IPv4Address, IPv4Network, IPv6Address

from even_roster.core.address import LAST_IPV4, Family, address_of, as_ip, dotted, family, ipv4
from even_roster.core.mac import Mac, MacError, MacNumber, fragment_digits
from even_roster.core.measure import measure
from even_roster.core.names import Name, NameSource, best, heard
from even_roster.core.ranges import RangeError, parse
from even_roster.core.span import Positions, Span, SpanSet, usable
from even_roster.core.text import clean, host_key
from even_roster.core.vendors import Prefix, VendorError, VendorRegistry, read_registry
from tests.support.drawing import given, st

BESIDE = "anything"

spans = st.lists(st.tuples(st.integers(0, 400), st.integers(0, 30)), max_size=12).map(
    lambda pairs: SpanSet.of(Span.of_ints(first, first + size) for first, size in pairs)
)


def members(span_set: SpanSet) -> set[int]:
    return {int(address) for address in span_set.addresses()}


octets = st.integers(0, 299).map(str) | st.sampled_from(["", "00", "01", "0255", "٣", "+1", " 1", "1 "])


class Dots(unittest.TestCase):
    @given(st.lists(octets, min_size=3, max_size=5).map(".".join))
    def test_what_is_an_address_is_what_the_standard_library_says(self, text: str) -> None:
        try:
            wanted = int(IPv4Address(text))
        except ValueError:
            with self.assertRaises(ValueError):
                ipv4(text)
        else:
            self.assertEqual(ipv4(text), wanted)
            self.assertEqual(dotted(ipv4(text)), text)

    def test_a_line_end_behind_an_address_is_none(self) -> None:
        with self.assertRaises(ValueError):
            ipv4("10.44.10.1\n")


class Macs(unittest.TestCase):
    def test_every_notation_people_paste_is_the_same_mac(self) -> None:
        for text in (
            "0c:4a:10:00:ab:0f", "0C-4A-10-00-AB-0F", "0c4a.1000.ab0f", "0c4a1000ab0f", " 0C4A10-00AB0F ",
            "c:4a:10:0:ab:f", "0c 4a 10 00 ab 0f", "0C:4a-10.00:aB 0f", "0c–4a–10–00–ab–0f",
            "MAC: 0c:4a:10:00:ab:0f", "mac:0c4a1000ab0f", "MAC address = 0x0C4A1000AB0F", '"0c-4a-10-00-ab-0f"', "“0c4a.1000.ab0f”",
        ):  # fmt: skip
            with self.subTest(text):
                self.assertEqual(str(Mac.parse(text)), "0c:4a:10:00:ab:0f")

    def test_wrong_text_says_what_is_wrong(self) -> None:
        for text, said in (("0c:4a:10", "6 hexadecimal digits"), ("0c4a1000ab0g", "'g'"), ("", "0 hexadecimal")):
            with self.subTest(text), self.assertRaisesRegex(MacError, said):
                Mac.parse(text)

    def test_bits_tell_local_and_group_addresses(self) -> None:
        self.assertTrue(Mac.parse("02:00:00:00:00:01").local)
        self.assertFalse(Mac.parse("00:00:00:00:00:01").local)
        self.assertTrue(Mac.parse("01:00:5e:00:00:fb").multicast)
        self.assertTrue(Mac(MacNumber(0)).unusable_as_source)

    @given(st.integers(0, 2**48 - 1))
    def test_text_and_bytes_round_trip(self, value: int) -> None:
        mac = Mac(MacNumber(value))
        self.assertEqual(Mac.parse(str(mac)), mac)
        self.assertEqual(Mac.from_bytes(mac.to_bytes()), mac)

    def test_fragments_are_found_in_any_notation(self) -> None:
        self.assertEqual(fragment_digits("4A-10"), "4a10")
        self.assertEqual(fragment_digits("0c4a."), "0c4a")
        self.assertIsNone(fragment_digits("printer"))
        self.assertIsNone(fragment_digits("a"))


class Spans(unittest.TestCase):
    @given(spans, spans)
    def test_set_arithmetic_agrees_with_sets_of_addresses(self, one: SpanSet, other: SpanSet) -> None:
        self.assertEqual(members(one | other), members(one) | members(other))
        self.assertEqual(members(one & other), members(one) & members(other))
        self.assertEqual(members(one - other), members(one) - members(other))
        self.assertEqual(len(one), len(members(one)))
        self.assertEqual(one.covers(other), members(one) >= members(other))

    @given(spans)
    def test_spans_stay_sorted_apart_and_cover_exactly(self, one: SpanSet) -> None:
        for (_, last), (first, _) in zip(one.pairs, one.pairs[1:], strict=False):
            self.assertGreater(first, last + 1)
        self.assertEqual(SpanSet.of(one.networks()), one)

    @given(spans, st.integers(0, 500))
    def test_positions_count_addresses_in_order(self, one: SpanSet, address: int) -> None:
        ordered, positions = sorted(members(one)), Positions(one)
        expected = ordered.index(address) if address in ordered else -1
        self.assertEqual(positions.index(address), expected)
        self.assertEqual([positions.address(i) for i in range(positions.total)], ordered)

    def test_usable_addresses_of_small_subnets(self) -> None:
        self.assertEqual(len(usable(IPv4Network("10.44.40.0/26"))), 62)
        self.assertEqual(len(usable(IPv4Network("10.44.40.0/31"))), 2)
        self.assertEqual(len(usable(IPv4Network("10.44.40.1/32"))), 1)


NAMES = {
    "Office": SpanSet.of([IPv4Network("10.44.10.0/24")]),
    "Back stage": SpanSet.of([IPv4Network("10.44.20.0/28")]),
}


class Ranges(unittest.TestCase):
    def test_all_the_ways_people_write_a_range(self) -> None:
        for text, count in (
            ("10.44.10.0/24", 256), ("10.44.10.7/24", 256), ("10.44.10.0/255.255.255.0", 256), ("10.44.10.7", 1),
            ("10.44.10.20-60", 41), ("10.44.10.20 - 60", 41), ("10.44.10.20–10.44.11.19", 256), ("office", 256),
            ("Back stage, 10.44.30.1", 17), ("10.44.10.0/24;10.44.20.0/24", 512), ("10.44.10.0/24 10.44.10.0/25", 256),
            ("10.44.10.0/24 except 10.44.10.1-9, 10.44.10.255", 246), ("0.0.0.0/0", 2**32),
        ):  # fmt: skip
            with self.subTest(text):
                self.assertEqual(len(parse(text, NAMES)), count)

    def test_errors_point_at_the_wrong_stretch(self) -> None:
        for text, wrong in (
            ("10.44.10.300", "300"), ("10.44.10.60-20", "10.44.10.60-20"), ("10.44.10.0/33", "33"),
            ("10.44.10.0/24, 10.44.x.1", "10.44.x.1"), ("10.44.10.0/255.0.255.0", "255.0.255.0"), ("10.44.010.1", "010"),
            ("10.44.10.1-2-3", "10.44.10.1-2-3"), ("10.44.10.0/", ""), ("Lobby", "Lobby"), ("10.44.10.1-999", "999"),
            ("10.44.10", "10.44.10"), ("fe80::1", "fe80::1"),
        ):  # fmt: skip
            with self.subTest(text), self.assertRaises(RangeError) as caught:
                parse(text, NAMES)
            error = caught.exception
            self.assertEqual(text[error.start : error.end], wrong)
            self.assertIn(";", str(error))

    def test_nothing_is_never_a_range(self) -> None:
        for text in ("", "  ", ",", "10.44.10.1 except", "10.44.10.1 except 10.44.10.0/24", "except 10.44.10.1"):
            with self.subTest(text), self.assertRaises(RangeError):
                parse(text)

    def test_a_backwards_range_is_shown_the_right_way_round(self) -> None:
        with self.assertRaisesRegex(RangeError, r"did you mean 10\.44\.10\.20-60\?"):
            parse("10.44.10.60-20")

    @given(st.text(max_size=40))
    def test_any_text_is_a_range_or_a_range_error(self, text: str) -> None:
        try:
            self.assertTrue(parse(text))
        except RangeError as error:
            self.assertLessEqual(0, error.start)
            self.assertLessEqual(error.end, len(text) + 1)


class Sums(unittest.TestCase):
    def test_the_arithmetic_of_a_subnet(self) -> None:
        found = measure("10.44.64.0/22")
        self.assertEqual((found.count, found.kind), (1024, "private"))
        one = found.subnets[0]
        self.assertEqual((str(one.mask), str(one.inverse_mask)), ("255.255.252.0", "0.0.3.255"))
        self.assertEqual((str(one.first_usable), str(one.last_usable), one.hosts), ("10.44.64.1", "10.44.67.254", 1022))

    def test_blocks_cover_a_crooked_range_exactly(self) -> None:
        found = measure("10.44.10.20-60")
        self.assertEqual(
            [str(block) for block in found.blocks],
            [
                "10.44.10.20/30",
                "10.44.10.24/29",
                "10.44.10.32/28",
                "10.44.10.48/29",
                "10.44.10.56/30",
                "10.44.10.60/32",
            ],
        )
        self.assertEqual(str(found.smallest_cover), "10.44.10.0/26")

    def test_kinds_of_addresses(self) -> None:
        for text, kind in (
            ("192.168.1.0/24", "private"),
            ("169.254.3.4", "link-local"),
            ("8.8.8.8", "public"),
            ("10.0.0.0/7", "mixed"),
            ("127.0.0.1", "loopback"),
        ):
            with self.subTest(text):
                self.assertEqual(measure(text).kind, kind)

    def test_a_slash_8_is_held_in_as_few_spans_as_a_slash_24(self) -> None:
        small, large = measure("10.44.10.0/24 except 10.44.10.7"), measure("10.0.0.0/8 except 10.44.10.0/24")
        self.assertEqual((len(small.spans.pairs), len(large.spans.pairs)), (2, 2))
        self.assertEqual(large.count, 2**24 - 256)


class Vendors(unittest.TestCase):
    def setUp(self) -> None:
        self.registry = VendorRegistry()
        for text, name in (("0c4a10", "Wide"), ("0c4a105", "Middle"), ("0c4a10512", "Narrow")):
            self.registry.add(Prefix.parse(text), name, own=False)

    def named(self, text: str) -> str | None:
        vendor = self.registry.of(Mac.parse(text))
        return vendor.name if vendor else None

    def test_the_longest_prefix_wins(self) -> None:
        self.assertEqual(self.named("0c:4a:10:00:00:01"), "Wide")
        self.assertEqual(self.named("0c:4a:10:50:00:01"), "Middle")
        self.assertEqual(self.named("0c:4a:10:51:20:01"), "Narrow")
        self.assertIsNone(self.named("0c:4a:11:00:00:01"))

    def test_own_prefixes_come_first_and_count_for_local_macs(self) -> None:
        self.registry.add(Prefix.parse("0c:4a"), "Ours", own=True)
        self.registry.add(Prefix.parse("02:c0:44"), "Quillmark Printing", own=True)
        self.assertEqual(self.named("0c:4a:10:51:20:01"), "Ours")
        self.assertEqual(self.named("02:c0:44:00:00:01"), "Quillmark Printing")

    def test_a_randomised_mac_has_no_vendor_by_accident(self) -> None:
        self.registry.add(Prefix.parse("0e4a10"), "Wrong", own=False)
        self.assertIsNone(self.named("0e:4a:10:00:00:01"))

    def test_reads_the_registry_in_its_three_forms(self) -> None:
        comma = ["Registry,Assignment,Organization Name,Address", 'MA-M,0C4A105,"Corvane, Lighting",x']
        listing = [
            "OUI-28/MA-M Range   Organization", "0C-4A-10   (hex)\t\tCorvane", "500000-5FFFFF     (base 16)\t\tCorvane",
            "00-11-22   (hex)\t\tHushwell", "001122     (base 16)\t\tHushwell",
        ]  # fmt: skip
        plain = ["# ours", "02:c0:44\tQuillmark Printing", "02c09f4/28 Sallow Desk Computers"]
        self.assertEqual(list(read_registry(comma)), [(Prefix.parse("0c4a105"), "Corvane, Lighting")])
        self.assertEqual(
            list(read_registry(listing)), [(Prefix.parse("0c4a105"), "Corvane"), (Prefix.parse("001122"), "Hushwell")]
        )
        self.assertEqual([prefix.length for prefix, _ in read_registry(plain)], [24, 28])

    def test_a_bad_line_is_named(self) -> None:
        for lines, said in (
            (["02:c0:44 Fine", "zz:zz Wrong"], "line 2"),
            (["02:c0:44"], "no name"),
            (["Registry,Assignment", "MA-L,zz"], "line 2"),
        ):
            with self.subTest(lines), self.assertRaisesRegex(VendorError, said):
                list(read_registry(lines))

    @given(st.integers(0, 2**48 - 1), st.integers(8, 48))
    def test_prefixes_round_trip(self, value: int, length: int) -> None:
        prefix = Prefix(value >> (48 - length) << (48 - length), length)
        self.assertEqual(Prefix.parse(str(prefix)), prefix)


class Text(unittest.TestCase):
    def test_hostile_names_lose_what_could_harm_a_terminal(self) -> None:
        self.assertEqual(clean("\x1b[31mdesk\x1b]0;x\x07\u202e front\r\n"), "[31mdesk]0;x front")
        self.assertEqual(len(clean("x" * 10_000)), 253)

    @given(st.text())
    def test_clean_text_is_printable_one_line_and_stays_as_it_is(self, text: str) -> None:
        cleaned = clean(text)
        self.assertTrue(cleaned.isprintable() or all(char.isspace() or char.isprintable() for char in cleaned))
        self.assertNotRegex(cleaned, r"[\x00-\x1f\x7f-\x9f]")
        self.assertEqual(clean(cleaned), cleaned)

    def test_the_most_believed_name_is_shown(self) -> None:
        names = [
            Name("DESK", NameSource.NETBIOS),
            Name("desk.local", NameSource.MDNS),
            Name("desk.larkspur.example", NameSource.DNS),
        ]
        self.assertEqual(best(names), names[2])
        self.assertIsNone(best([]))
        self.assertIsNone(heard("\x00\x01", NameSource.DNS))
        self.assertEqual(host_key("Desk-Front.larkspur.example"), "desk-front")


class Addresses(unittest.TestCase):
    def test_a_span_contains_only_addresses(self) -> None:
        span = Span.of_ints(10, 20)
        self.assertIn(IPv4Address(15), span)
        self.assertNotIn(IPv4Address(21), span)
        with self.assertRaises(ValueError):
            Span.of_ints(2, 1)


class AddressNumbers(unittest.TestCase):
    @given(st.ip_addresses())
    def test_both_families_lie_in_one_space_and_come_back_as_they_were(self, ip: IPv4Address | IPv6Address) -> None:
        number = address_of(ip)
        if ip.version == 4 or int(ip) > LAST_IPV4:  # the block that IPv4 lies in is never on a wire
            self.assertEqual((as_ip(number), dotted(number)), (ip, str(ip)))
            self.assertEqual(family(number), Family(ip.version))
            first, last = family(number).span
            self.assertTrue(first <= number <= last)

    def test_ipv6_is_above_all_of_ipv4_and_written_as_in_rfc_5952(self) -> None:
        self.assertEqual(dotted(address_of(IPv6Address("2001:db8:0:0:0:0:0:1"))), "2001:db8::1")
        self.assertEqual(Family.IPV6.span[0], Family.IPV4.span[1] + 1)
        self.assertEqual((Family.IPV4.bits, Family.IPV6.bits), (32, 128))
        numbers = [
            address_of(IPv6Address("fe80::1")),
            address_of(IPv4Address("255.255.255.255")),
            address_of(IPv4Address("0.0.0.0")),
        ]
        self.assertEqual([dotted(one) for one in sorted(numbers)], ["0.0.0.0", "255.255.255.255", "fe80::1"])


if __name__ == "__main__":
    unittest.main()
