"""Which column of a table is what, in any language, and what is said of rows that are refused."""

from __future__ import annotations

import csv
import io
import unittest

from even_roster.core.columns import SheetError, recognise
from tests.support.service import demo
from tests.support.words import Words

BESIDE = "anything"


def setUpModule() -> None:
    Words.service = unittest.enterModuleContext(demo())


ROLES, SITES = ("printer", "camera", "fixture"), ("Larkspur Hall",)


def table(text: str) -> list[list[str]]:
    return [line.split(";") for line in text.strip().splitlines()]


class Recognised(unittest.TestCase):
    def told(self, text: str, **mapping: str) -> tuple[dict[str, str], tuple[str, ...]]:
        rows = table(text)
        found = recognise(rows, mapping, ROLES, SITES)
        return {field: found.headers[at] for field, at in found.places.items()}, found.by_values

    def test_columns_in_any_language_by_what_stands_in_them(self) -> None:
        for head in (
            "Gerät;Steuerung;Kartennr.;Tor",
            "Appareil;Adr.;Carte;Passerelle",
            "機器;番号;物理;出口",
            ";a;b;c",
        ):
            rows = f"{head}\nbox-office;10.44.10.30;02:c0:44:00:00:30;10.44.10.1\nfoyer-cam;10.44.10.31;02-c0-44-00-00-31;10.44.10.1"
            fields, by_values = self.told(rows)
            names = [name or "column 1" for name in head.split(";")]
            self.assertEqual(fields, {"name": names[0], "address": names[1], "mac": names[2]}, head)
            self.assertEqual(set(by_values), {"name", "address", "mac"})

    def test_a_value_that_stands_in_a_few_rows_again_is_the_devices_own_all_the_same(self) -> None:
        def rows(distinct: int) -> str:
            macs = [f"02:c0:44:00:00:{30 + min(number, distinct - 1)}" for number in range(5)]
            return "IP;Card\n" + "\n".join(f"10.44.10.{30 + at};{mac}" for at, mac in enumerate(macs))

        self.assertEqual(self.told(rows(4))[0], {"address": "IP", "mac": "Card"}, "four of five")
        self.assertNotIn("mac", self.told(rows(3))[0], "three of five: rather the MAC of what they are connected to")

    def test_a_header_with_several_meanings_means_what_its_cells_say(self) -> None:
        for cells, field in (
            (("static", "dhcp"), "kind"),
            (("printer", "Camera"), "role"),
            (("Hartwell", "unknown"), None),
        ):
            fields, _ = self.told(f"IP;Type\n10.44.10.30;{cells[0]}\n10.44.10.31;{cells[1]}")
            self.assertEqual(fields, {"address": "IP"} | ({field: "Type"} if field else {}), cells)
        self.assertNotIn("site", self.told("IP;Location\n10.44.10.30;box office\n10.44.10.31;foyer")[0])
        self.assertIn("site", self.told("IP;Location\n10.44.10.30;larkspur hall")[0])
        self.assertNotIn("on", self.told("IP;State\n10.44.10.30;needs toner")[0])

    def test_what_looks_alike_is_no_name_and_no_mac(self) -> None:
        fields, _ = self.told(
            "IP;Inventory;Serial;Maker\n10.44.10.30;440000000030;K7-01;Hartwell\n10.44.10.31;440000000031;K7-02;Hartwell"
        )
        self.assertEqual(fields, {"address": "IP"})

    def test_a_column_without_a_header_can_be_named_by_its_place(self) -> None:
        rows = "Wer;;\nfoyer;10.44.10.30;10.44.20.30\nbox;10.44.10.31;10.44.20.31"
        with self.assertRaisesRegex(SheetError, "'column 2' and 'column 3' both hold addresses"):
            self.told(rows)
        self.assertEqual(self.told(rows, address="column 3")[0], {"address": "column 3", "name": "Wer"})

    def test_what_a_person_wrote_in_one_column_alone_is_notes(self) -> None:
        rows = "Wo;Was;Bemerkung;Firma\n10.44.10.30;press-1;Werkbank links;Hartwell\n10.44.10.31;press-2;am Fenster;Hartwell"
        fields, by_values = self.told(rows)
        self.assertEqual(fields, {"address": "Wo", "name": "Was", "notes": "Bemerkung"})
        self.assertIn("notes", by_values)
        two = "Wo;Was;Bemerkung;Ort\n10.44.10.30;press-1;Werkbank links;im Keller\n10.44.10.31;press-2;am Fenster;unter Dach"
        self.assertNotIn("notes", self.told(two)[0], "either could be it")
        self.assertNotIn("notes", self.told(rows, notes="")[0])

    def test_a_header_that_stands_twice_is_named_with_its_place(self) -> None:
        rows = "IP;Name;Text;Text\n10.44.10.30;box;a;b"
        with self.assertRaisesRegex(
            SheetError, "'Text' stands in column 3 and column 4; say which is meant, such as notes=column 3"
        ):
            self.told(rows, notes="Text")
        for said in ("column 4", "Text (column 4)", "text (COLUMN 4)"):
            self.assertEqual(self.told(rows, notes=said)[0]["notes"], "Text (column 4)")
        with self.assertRaisesRegex(SheetError, "there is no column 'column 9'"):
            self.told(rows, notes="column 9")

    def test_two_columns_of_addresses_are_asked_about_and_said(self) -> None:
        rows = "a;b\n10.44.10.30;10.44.20.30\n10.44.10.31;10.44.20.31"
        with self.assertRaisesRegex(
            SheetError, "'a' and 'b' both hold addresses; say which is the device's, such as address=a"
        ):
            self.told(rows)
        with self.assertRaises(SheetError) as told:
            self.told(rows)
        self.assertEqual(told.exception.headers, ("a", "b"))
        self.assertEqual(self.told(rows, address="b")[0], {"address": "b"})

    def test_a_field_mapped_to_nothing_is_not_read_and_no_first_row_is_lost(self) -> None:
        rows = "IP;Name;Note\n10.44.10.30;box-office;Left"
        self.assertEqual(self.told(rows, name="")[0], {"address": "IP", "notes": "Note"})
        with self.assertRaisesRegex(SheetError, "row 1: it holds 10.44.10.29 in column 2, so it is no row of headers"):
            self.told("foyer;10.44.10.29\nbox;10.44.10.30")


class Told(Words):
    def test_refused_rows_stand_by_their_cause_with_a_mapping_that_helps(self) -> None:
        place = self.service.home / "hall.csv"
        rows = [
            ["Adr.", "Name", "Type", "Mac"],
            *([f"10.44.20.{n}", f"Smoke machine {n}", "static", f"02:c0:44:00:09:{n:02x}"] for n in range(210, 222)),
        ]
        text = io.StringIO()
        csv.writer(text).writerows(rows)
        place.write_text(text.getvalue())
        refused = self.says("file", "in", str(place), "--dry-run", code=1)
        self.assertIn("Taken by what stands in it: Type as the kind and Adr. as the address", " ".join(refused.split()))
        self.assertIn(
            "12 rows refused, Name: not a hostname (rows 2, 3, 4, 5, 6, 7, 8, 9, 10, 11 …)", " ".join(refused.split())
        )
        self.assertIn("Read 'Name' as notes: --map name= --map notes=Name", " ".join(refused.split()))
        self.assertIn(
            "letters, digits and dashes only, smoke-machine-210 would be one; the rest", " ".join(refused.split())
        )
        report = self.service.client().import_sheet(place.read_bytes(), True, {})
        (cause,) = report.causes
        self.assertEqual((cause.count, cause.column, cause.rows), (12, "Name", list(range(2, 12))))
        self.assertEqual([one.said for one in cause.remedies], ["Read 'Name' as notes", "Do not read 'Name'"])
        helped = self.service.client().import_sheet(
            place.read_bytes(), True, dict(p.split("=", 1) for p in cause.remedies[0].mapping)
        )
        self.assertEqual((helped.causes, helped.refused_count, helped.added_count), ([], 0, 12))
        self.assertEqual(helped.rows[0].after["notes"], "Smoke machine 210")

    def test_for_one_cell_a_column_is_not_given_up(self) -> None:
        lines = [f"10.44.20.{n};lamp-{n};02:c0:44:00:09:{n:02x}" for n in range(210, 222)]
        sheet = "\n".join(["IP;Name;Mac", *lines, "10.44.20.230;Smoke machine;02:c0:44:00:09:ff"])
        (cause,) = self.service.client().import_sheet(sheet.encode(), True, {}).causes
        self.assertEqual((cause.cause, cause.rows, cause.remedies), ("not a hostname", [14], []))


if __name__ == "__main__":
    unittest.main()
