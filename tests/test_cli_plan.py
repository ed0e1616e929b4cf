"""The commands of the plan as people use and read them: what they say, what they refuse and how they end."""

from __future__ import annotations

import re
import tempfile
import unittest
from pathlib import Path

from tests.support.service import demo
from tests.support.words import Words

BESIDE = "anything"


def setUpModule() -> None:
    Words.service = unittest.enterModuleContext(demo())


class Subnets(Words):
    def test_a_subnet_is_added_shown_and_changed(self) -> None:
        added = self.says(
            "subnet", "add", "10.52.0.0/24", "--name", "Loft", "--gateway", "10.52.0.1", "--dns",
            "10.44.10.12,10.44.10.13", "--domain", "loft.larkspur.example", "--vlan", "52", "--notes", "under the roof",
        )  # fmt: skip
        self.assertEqual(added, self.says("subnet", "show", "10.52.0.0/24"))
        for line in (
            r"^Loft 10\.52\.0\.0/24$", r"^site +Larkspur Hall$", r"^vlan +52$", r"^mask +255\.255\.255\.0$",
            r"^usable +10\.52\.0\.1 to 10\.52\.0\.254$", r"^dns +10\.44\.10\.12, 10\.44\.10\.13$",
            r"^notes +under the roof$", r"^254 usable - 0 in pools - 1 gateway - 0 taken = 253 left for static use$",
        ):  # fmt: skip
            self.assertRegex(added, re.compile(line, re.M))
        self.assertRegex(self.says("subnet", "set", "Loft", "--vlan", "53", "--version", "1"), r"vlan +53")
        stale = self.refuses("subnet", "set", "loft", "--vlan", "54", "--version", "1", code=5)
        self.assertIn("the subnet Loft was changed meanwhile", stale)
        self.assertIn("network '10.52.0.0/24'", stale)
        self.assertIn("gateway '10.52.0.1', dns '10.44.10.12, 10.44.10.13'", stale)
        self.assertIn(
            "vlan: input should be less than or equal to 4094, not 5000",
            self.refuses("subnet", "set", "Loft", "--vlan", "5000"),
        )
        self.assertIn(
            "no planned subnet is called 'Basement'; planned are: Office",
            self.refuses("subnet", "show", "Basement"),
        )
        self.assertRegex(self.says("subnet"), r"10\.52\.0\.0/24 +Loft +53 +10\.52\.0\.1 +254 +0 +0 +253")
        self.says("subnet", "remove", "Loft")
        self.assertNotIn("Loft", self.says("subnet"))

    def test_bands_are_drawn_with_all_that_a_pool_hands_out(self) -> None:
        self.says("subnet", "add", "10.53.0.0/24", "--name", "Studio", "--gateway", "10.53.0.1")
        drawn = self.says(
            "band", "add", "Studio", "pool", "100-160", "--name", "guests", "--lease", "2h", "--dns", "10.44.10.12",
            "--boot-server", "tftp.larkspur.example", "--boot-file", "start.bin", "--vendor-option", "43=0102ff", "--by", "ledger",
        )  # fmt: skip
        self.assertRegex(drawn, r"pool +10\.53\.0\.100 - 10\.53\.0\.160 +guests +61 +0 +0 \(0 %\) +ledger")
        self.says("band", "add", "Studio", "static", "10-40", "--roles", "printer,server", "--name", "machines")
        overlap = self.refuses("band", "add", "Studio", "static", "30-50")
        self.assertIn("both hold 10.53.0.30 to 10.53.0.40; begin it at 10.53.0.41", overlap)
        self.assertIn("did you mean 10.53.0.165-170?", self.refuses("band", "add", "Studio", "pool", "170-165"))
        self.assertIn(
            "10.53.0.100 - 10.53.0.180", self.says("band", "set", "guests", "--range", "100-180", "--lease", "45m")
        )
        for option, value, said in (
            ("--lease", "soon", "write one such as 3600, 90m, 12h or 7d"),
            ("--vendor-option", "43:01", "write one such as 43=0104c0a80101"),
            ("--by", "attic", "attic"),
        ):
            with self.subTest(option=option):
                self.assertIn(said, self.refuses("band", "set", "guests", option, value))
        self.assertIn("there is no band 'nothing'", self.refuses("band", "set", "nothing", "--range", "1-2"))
        self.assertRegex(
            self.says("band", "--in", "Studio"), r"static +10\.53\.0\.10 - 10\.53\.0\.40 +machines +printer, server +31"
        )
        self.assertIn("81 in pools", self.says("subnet", "show", "Studio"))
        self.says("band", "remove", "guests")
        self.assertNotIn("guests", self.says("band", "--in", "Studio"))

    def test_a_split_and_a_join_give_back_what_was_drawn(self) -> None:
        self.says("subnet", "add", "10.54.0.0/24", "--name", "Annex", "--gateway", "10.54.0.1")
        self.says("band", "add", "Annex", "pool", "100-160", "--name", "pool-a")
        self.says("band", "add", "Annex", "static", "161-200", "--name", "desks-a")
        before = self.says("band", "--in", "Annex")
        split = self.says("subnet", "split", "Annex", "25")
        self.assertIn("10.54.0.0/24 is now 2 subnets:", split)
        self.assertRegex(split, r"10\.54\.0\.128/25 +Annex 2: 126 usable")
        self.assertRegex(self.says("band", "--in", "Annex 2"), r"pool +10\.54\.0\.129 - 10\.54\.0\.160 +pool-a")
        self.says("subnet", "join", "10.54.0.0/25", "10.54.0.128/25")
        ranges = re.compile(r"(pool|static) +([\d.]+ - [\d.]+) +(\S+)")
        self.assertEqual(ranges.findall(self.says("band", "--in", "Annex")), ranges.findall(before))
        self.assertIn("do not fill one larger subnet", self.refuses("subnet", "join", "Annex", "Office"))
        self.assertIn("splits into prefixes from /25", self.refuses("subnet", "split", "Annex", "20"))

    def test_sites_are_added_renamed_and_removed(self) -> None:
        self.assertRegex(self.says("site", "add", "Wing"), r"2 +Wing +0")
        self.assertRegex(self.says("site", "set", "Wing", "--name", "North wing"), r"2 +North wing +0")
        self.says("subnet", "add", "10.44.10.0/24", "--name", "Wing office", "--site", "North wing")
        self.assertIn("still has 1 subnet", self.refuses("site", "remove", "North wing"))
        self.assertRegex(self.refuses("site", "remove", "Larkspur Hall"), r"still has \d+ subnets; remove them first")
        self.assertIn("there is no site 'Nowhere'", self.refuses("site", "remove", "Nowhere"))
        self.says("subnet", "remove", "Wing office", "--site", "North wing")
        self.assertNotIn("North wing", self.says("site", "remove", "North wing"))

    def test_roles_and_the_check_of_the_plan(self) -> None:
        self.assertRegex(
            self.says("role", "set", "plotter", "--on-pool", "never", "--travels"),
            r"plotter +never +travels: reserve",
        )
        self.assertNotIn("plotter", self.says("role", "remove", "plotter"))
        self.says("subnet", "add", "10.55.0.0/24", "--name", "Porch", "--gateway", "10.55.0.1")
        self.assertIn("No mistakes.", self.says("subnet", "check", "--in", "Porch"))
        self.says("band", "add", "Porch", "pool", "100-120")
        self.says("subnet", "check", "--in", "Porch")
        self.assertIn(
            "0 mistakes, 1 piece of advice", self.says("subnet", "check", "--in", "Porch", "--advice", code=1)
        )
        self.says("assign", "10.55.0.110", "--name", "lamp", "--anyway")
        self.assertIn("1 mistake, 1 piece of advice", self.says("subnet", "check", "--in", "Porch", code=1))


class Addresses(Words):
    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        for command in (
            ("subnet", "add", "10.56.0.0/24", "--name", "Yard", "--gateway", "10.56.0.1"),
            ("band", "add", "Yard", "static", "10-40", "--roles", "printer", "--name", "yard-printers"),
            ("band", "add", "Yard", "pool", "100-160", "--name", "yard-guests"),
        ):
            done = cls.service.roster(*command)
            assert done.returncode == 0, done.stderr

    def test_an_address_is_given_changed_moved_and_taken_back(self) -> None:
        self.assertIn(
            "10.56.0.10 is assigned to plotter.", self.says("assign", "Yard", "--name", "plotter", "--role", "printer")
        )
        press = self.says("assign", "10.56.0.11", "02:c0:44:00:52:01", "--name", "press", "--note", "second floor")
        self.assertRegex(
            press, r"10\.56\.0\.11 is assigned to press\.\n(.*\n)*mac +02:c0:44:00:52:01 \(Quillmark Printing\)"
        )
        pool = self.refuses("assign", "10.56.0.120", "--name", "oops")
        self.assertIn("lies inside the pool yard-guests", pool)
        self.assertIn("(it can be saved anyway)", pool)
        self.assertIn("is the gateway of Yard", self.refuses("assign", "10.56.0.1", "--name", "keeper"))
        self.assertIn("is assigned to press", self.refuses("assign", "10.56.0.11", "--name", "other", code=5))
        self.assertRegex(
            self.says("assignment", "set", "10.56.0.10", "--note", "moved", "--no-on", "--version", "1"),
            r"switched +off",
        )
        self.refuses("assignment", "set", "10.56.0.10", "--note", "again", "--version", "1", code=5)
        self.assertIn("'zz' is not a MAC", self.refuses("assignment", "set", "10.56.0.10", "--mac", "zz"))
        listed = self.says("assignment", "--in", "Yard", "--sort", "name", "--descending")
        self.assertLess(listed.index("press"), listed.index("plotter"))
        self.assertRegex(self.says("assignment", "-q", "second floor"), r"10\.56\.0\.11 +press")
        use = re.search(
            r"^ *(\d+) +box-office", self.says("use", "add", "box-office", "10.56.0.10", "print queue"), re.M
        )
        assert use is not None
        held = self.says("move", "10.56.0.10", "10.56.0.15", code=1)
        self.assertIn("Nothing was moved. Move it with --yes", held)
        self.assertIn("enter 10.56.0.15 there", self.says("move", "10.56.0.10", "10.56.0.15", "--yes"))
        for address in ("10.56.0.10", "10.56.0.15"):
            self.assertIn(
                "print queue", self.says("use", "--about", address), "until it is entered there it is told at both"
            )
        self.assertIn("10.56.0.15", self.says("use", "done", use[1]))
        self.assertIn("Nobody is recorded as using 10.56.0.10", self.says("use", "--about", "10.56.0.10"))
        self.assertIn("is no longer recorded", self.says("use", "remove", use[1]))
        self.assertIn("there is no use", self.refuses("use", "remove", use[1]))
        self.assertIn("(it was plotter's)", self.says("release", "10.56.0.15"))
        self.assertIn("assigned to nobody", self.refuses("release", "10.56.0.15"))
        self.assertIn("assigned to nobody", self.refuses("move", "10.56.0.15", "10.56.0.16"))

    def test_reserving_needs_a_mac_and_says_what_is_missing(self) -> None:
        said = self.says("reserve", "02:c0:44:00:52:07", "--in", "Yard", "--name", "reader")
        self.assertIn("is reserved for reader", said)
        self.assertIn("advice", said)
        self.assertIn("no DHCP server is planned", said)
        self.refuses("reserve", "02:c0:44:00:52", "--in", "Yard")
        self.assertIn("is said with --in", self.refuses("reserve", "02:c0:44:00:52:08", "Yard", "--name", "x"))

    def test_free_addresses_and_proofs_are_graded_in_words(self) -> None:
        free = self.says("free", "yard-printers", "--count", "3", "--adjacent", "--no-ask")
        self.assertEqual(len(re.findall(r"^10\.56\.0\.\d+ +doubtful +static band yard-printers$", free, re.M)), 3)
        self.assertIn("the wire was not asked", free)
        self.assertIn("it is assigned to printer-1", self.says("prove", "10.44.10.30", "--no-ask", code=1))
        self.assertIn("each of the four numbers goes from 0 to 255", self.refuses("prove", "10.56.0.400"))
        self.assertRegex(self.says("prove", "10.44.10.99"), r"^10\.44\.10\.99 +clear")
        self.assertIn("no planned subnet is called", self.refuses("free", "Atlantis", "--no-ask"))


class Servers(Words):
    def test_servers_are_added_tried_out_renamed_and_forgotten(self) -> None:
        self.assertIn("needs hosts", self.refuses("dhcp", "allow", "attic", "dnsmasq"))
        self.assertIn("does not allow a DHCP server 'cellar'", self.refuses("dhcp", "add", "cellar"))
        self.assertIn("from now on", self.says("dhcp", "allow", "cellar", "kea", "--config", "/nonexistent/kea.conf"))
        added = self.says("dhcp", "add", "cellar")
        self.assertIn(
            "/nonexistent/kea.conf cannot be read: No such file or directory", added, "it is tried out at once"
        )
        self.assertIn("cannot be read", self.refuses("dhcp", "preview", "cellar", code=3))
        self.assertIn("name one of the servers: cellar, ledger", self.refuses("dhcp", "preview"))
        self.assertIn("vault", self.says("dhcp", "set", "cellar", "--rename", "vault"))
        self.assertIn("called 'ledger' already", self.refuses("dhcp", "set", "vault", "--rename", "ledger"))
        self.assertIn("is managed no longer", self.says("dhcp", "remove", "vault"))
        self.assertIn("there is no DHCP server 'vault'", self.refuses("dhcp", "remove", "vault"))
        self.assertIn("still hands out 3 pools", self.refuses("dhcp", "remove", "ledger"))

    def test_what_would_change_is_shown_and_published_only_when_said_so(self) -> None:
        self.assertIn("ledger has everything as planned", self.says("dhcp", "preview", "ledger"))
        self.assertIn("is in the plan already", self.says("dhcp", "adopt", "ledger", "--dry-run"))
        self.says("reserve", "02:c0:44:00:77:09", "10.44.10.150", "--name", "kiosk-page")
        shown = self.says("dhcp", "preview", "ledger", "--text")
        self.assertIn("10.44.10.150", shown)
        self.assertRegex(shown, re.compile(r"^ +\d+ \+ +\"mac\": \"02:c0:44:00:77:09\"", re.M))
        done = self.says("dhcp", "publish", "ledger", "--yes")
        self.assertIn("10.44.10.150", done)
        self.assertIn("nothing to change", self.says("dhcp", "publish", "ledger", "--yes"))
        self.assertRegex(self.says("dhcp"), r"ledger +standin +3 +6 of 6")
        self.says("release", "10.44.10.150")
        self.says("dhcp", "publish", "ledger", "--yes")

    def test_leases_and_pools_and_exports_for_servers_edited_by_hand(self) -> None:
        self.assertRegex(
            self.says("dhcp", "leases", "ledger", "--now"), r"10\.44\.10\.110 +02:c0:9f:a0:00:17 +portable-01"
        )
        self.assertRegex(self.says("dhcp", "pools"), r"Office.*10\.44\.10\.100")
        exported = self.says("dhcp", "export", "ledger")
        self.assertIn("02:c0:9f:a0", exported)


class Sheets(Words):
    def test_a_sheet_is_read_row_by_row_and_refused_as_a_whole(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            sheet = Path(folder) / "cameras.csv"
            sheet.write_text(
                "Address;Name;MAC\n10.44.40.61;cam-new;02:c0:44:00:61:01\n10.44.40.62;cam bad name!;\n10.99.0.1;elsewhere;\n"
            )
            tried = self.says("file", "in", str(sheet), "--dry-run", code=1)
            for said in (
                "Read as CSV with semicolons, UTF-8; columns: address, name, mac.", "'cam bad name!' is not a hostname",
                "10.99.0.1 lies in no planned subnet", "1 would be added, 0 changed, 0 are the same, 2 refused.",
            ):  # fmt: skip
                self.assertIn(said, tried)
            self.assertIn("2 of 3 rows cannot be imported, so none was", self.refuses("file", "in", str(sheet)))
            sheet.write_text("Wo;Wer\nattic;cam-new\n")
            self.assertIn("no column is recognised as the address", self.refuses("file", "in", str(sheet), "--dry-run"))
            self.assertIn("'nonsense' is no field", self.refuses("file", "in", str(sheet), "--map", "nonsense=Wo"))
            sheet.write_text("Wo;Wer\n10.44.40.61;cam-new\n")
            guessed = self.says("file", "in", str(sheet), "--dry-run")
            self.assertIn(
                "Taken by what stands in it: Wo as the address and Wer as the name; look whether that is so.", guessed
            )
            taken = self.says("file", "in", str(sheet), "--map", "address=Wo", "--map", "name=Wer")
            self.assertNotIn("by what stands in it", taken)
            change = re.search(r"roster change undo (\d+)", taken)
            assert change is not None, taken
            self.assertIn("cam-new", self.says("assignment", "show", "10.44.40.61"))
            self.says("change", "undo", change[1])
            self.assertIn("assigned to nobody", self.refuses("assignment", "show", "10.44.40.61"))
            self.assertIn("cannot be read", self.refuses("file", "in", str(Path(folder) / "nothing.csv")))
            self.assertIn(".csv", self.refuses("file", "out", str(Path(folder) / "plan.pdf")))
            out = Path(folder) / "cameras-out.csv"
            self.says("file", "out", str(out), "--in", "Cameras")
            self.assertIn(
                "0 would be added, 0 changed, 18 are the same", self.says("file", "in", str(out), "--dry-run")
            )

    def test_cards_zones_and_hosts_are_ready_to_use(self) -> None:
        card = self.says("card", "10.44.10.30")
        for line in (
            "mask +255\\.255\\.255\\.0  \\(/24\\)",
            "gateway +10\\.44\\.10\\.1",
            "MAC, other notations +02-C0-44-00-00-26",
        ):
            self.assertRegex(card, line)
        self.assertIn("addresses:\n        - 10.44.10.30/24", self.says("card", "10.44.10.30", "--snippet", "netplan"))
        self.assertIn("-PrefixLength 24", self.says("card", "10.44.10.30", "--snippet", "powershell"))
        self.assertIn("lies in no planned subnet", self.refuses("card", "10.99.0.1"))
        zone = self.says("dns", "zone", "Cameras")
        self.assertIn("$ORIGIN 40.44.10.in-addr.arpa.", zone)
        self.assertRegex(zone, r"20 +IN +PTR +camera-01\.larkspur\.example\.")
        self.assertIn("no name of the roster is in nowhere.test", self.refuses("dns", "zone", "nowhere.test"))
        self.assertRegex(self.says("dns", "hosts"), r"10\.44\.10\.30\s+printer-1")


if __name__ == "__main__":
    unittest.main()
