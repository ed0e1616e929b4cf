"""The service as a process on loopback, through its client library."""

from __future__ import annotations

import asyncio
import json
import signal
import tempfile
import threading
import unittest
from pathlib import Path
from typing import Any

import httpx

from even_roster.client import (
    AsyncRoster,
    BadInput,
    BulkItem,
    Conflict,
    DeviceEdit,
    NeedsConfirm,
    NotFound,
    NotPermitted,
    PlanEvent,
    Roster,
    ScanInfo,
    ScanRequest,
    StaleEdit,
    Unreachable,
)
from even_roster.client._calls import Call
from tests.support.patience import PATIENCE, until
from tests.support.service import Service, demo

BESIDE = "anything"

SOON = 20.0  # three seconds are meant; a test machine may be slow


def finished(roster: Roster, scan: ScanInfo) -> ScanInfo:
    """The scan's record after its end."""
    until(lambda: roster.scan(scan.id).state != "running", f"scan {scan.id} does not end")
    return roster.scan(scan.id)


class WithDemo(unittest.TestCase):
    """One demo service for the whole class, with the Office and the Stage scanned."""

    service: Service
    roster: Roster

    @classmethod
    def setUpClass(cls) -> None:
        cls.service = cls.enterClassContext(demo())
        cls.roster = cls.enterClassContext(cls.service.client())
        for text in ("10.44.10.0/24", "10.44.20.0/24"):
            finished(cls.roster, cls.roster.start_scan(ScanRequest(targets=[text])))


class Scanning(WithDemo):
    def test_the_whole_site_is_in_the_roster_with_vendors_and_names(self) -> None:
        rows = {row.address: row for row in self.roster.devices()}
        printer = rows["10.44.10.31"]
        self.assertEqual(
            (printer.vendor, printer.seen_name, printer.web),
            ("Quillmark Printing", "printer-2", "http://10.44.10.31/"),
        )
        heard = {(name.name, name.source) for name in self.roster.device(printer.id).names}
        self.assertIn(("printer-2.larkspur.example", "dns"), heard)
        self.assertGreaterEqual(len(rows), 80)

    def test_what_is_wrong_at_the_site_is_in_the_results(self) -> None:
        stage = {result.address: result for result in self.roster.results(2)}
        self.assertEqual({mac.vendor for mac in stage["10.44.20.41"].claims}, {"Corvane Lighting", "Hushwell Audio"})
        self.assertTrue(stage["192.168.200.10"].foreign)
        self.assertEqual(stage["10.44.20.120"].by, ["arp"])

    def test_silent_addresses_are_listed_when_asked_for_page_by_page(self) -> None:
        everything = list(self.roster.results(1, silent=True))
        asked = [r for r in everything if not r.foreign]
        self.assertEqual((len(asked), len({r.address for r in asked})), (254, 254))
        small: list[str] = []
        cursor: dict[str, Any] = {}
        while True:
            page = self.roster.run(
                _raw("/api/v1/scans/1/addresses", {"limit": 23, "silent": True, **cursor}, "ResultPage")
            )
            small += [one.address for one in page.items]
            if page.next is None:
                break
            cursor = {"cursor": page.next}
        self.assertEqual(small, [r.address for r in everything])
        self.assertEqual(len(list(self.roster.results(1, silent=True, limit=30))), 30)

    def test_names_come_with_their_sources(self) -> None:
        sources = {name.source for result in self.roster.results(1) for name in result.names}
        self.assertEqual(sources, {"dns", "mdns", "netbios", "llmnr", "self"})

    def test_explain_tells_in_sentences_who_claims_an_address(self) -> None:
        told = " ".join(self.roster.explain("10.44.20.41").sentences)
        self.assertIn("claimed by two", told)
        self.assertIn("never seen in use", " ".join(self.roster.explain("10.44.10.200").sentences))
        mac = self.roster.explain("02-C0-44-00-00-26")
        self.assertEqual((mac.kind, mac.devices[0].address), ("mac", "10.44.10.30"))

    def test_anything_is_found_by_a_fragment(self) -> None:
        for text in ("printer-3", "c0.4400", "10.44.10.32", "quillmark 10.44.10.32"):
            with self.subTest(text):
                found = self.roster.find(text).items
                self.assertTrue(any(hit.device and hit.device.address == "10.44.10.32" for hit in found))
        self.assertEqual(self.roster.find("no such thing").items, [])

    def test_the_ruler_shows_states(self) -> None:
        states = {tick.address: tick.state for tick in self.roster.ruler("10.44.20.0/24").ticks}
        self.assertEqual(
            (states["10.44.20.41"], states["10.44.20.20"], states["10.44.20.30"]), ("two", "self", "answering")
        )
        large = self.roster.ruler("10.44.0.0/16")
        self.assertEqual(sum(s.answering + s.seen for s in large.stretches), large.seen)
        self.assertGreaterEqual(large.seen, 80)

    def test_bad_ranges_are_refused_with_the_place_of_the_fault(self) -> None:
        with self.assertRaises(BadInput) as caught:
            self.roster.start_scan(ScanRequest(targets=["10.44.10.0/24", "10.44.10.300"]))
        problem = caught.exception.problem
        self.assertEqual((problem.code, problem.field, problem.start, problem.end), ("bad_range", "targets", 24, 27))
        with self.assertRaises(NeedsConfirm):
            self.roster.start_scan(ScanRequest(targets=["10.44.0.0/18"]))

    def test_events_carry_a_scan_and_resume_where_a_client_left(self) -> None:
        kinds: list[tuple[str, str]] = []
        ready = threading.Event()

        def listen() -> None:
            with self.service.client() as roster:
                for event in roster.events():
                    ready.set()
                    kinds.append((event.id, event.kind))
                    if event.kind == "scan" and event.data["scan"]["state"] == "done":
                        return

        thread = threading.Thread(target=listen)
        thread.start()
        self.assertTrue(ready.wait(10))
        finished(self.roster, self.roster.start_scan(ScanRequest(targets=["10.44.10.0/28"])))
        thread.join(10)
        self.assertFalse(thread.is_alive())
        again = []
        for event in self.roster.events(after=kinds[0][0]):
            again.append((event.id, event.kind))
            if len(again) == len(kinds) - 1:
                break
        self.assertEqual(again, kinds[1:])
        stranger = next(iter(self.roster.events(after="ffff-12")))
        self.assertEqual(stranger.kind, "reset")


class Editing(WithDemo):
    def test_a_name_is_kept_through_another_scan_and_recorded(self) -> None:
        device = next(iter(self.roster.devices(range="10.44.10.12")))
        self.roster.edit_device(device.id, DeviceEdit(name="Accounts store", role="storage"), device.version)
        finished(self.roster, self.roster.start_scan(ScanRequest(targets=["10.44.10.12"])))
        sheet = self.roster.device(device.id)
        self.assertEqual((sheet.device.name, sheet.device.role), ("Accounts store", "storage"))
        self.assertEqual((sheet.changes[0].action, sheet.changes[0].who), ("set", "command line"))

    def test_a_stale_edit_is_a_conflict_with_both_values(self) -> None:
        device = next(iter(self.roster.devices(range="10.44.10.13")))
        self.roster.edit_device(device.id, DeviceEdit(place="Attic"), device.version)
        with self.assertRaises(StaleEdit) as caught:
            self.roster.edit_device(device.id, DeviceEdit(place="Cellar"), device.version)
        problem = caught.exception.problem
        self.assertEqual(
            (problem.status, problem.given, problem.version), (412, {"place": "Cellar"}, device.version + 1)
        )
        self.assertEqual(caught.exception.current["place"], "Attic")

    def test_a_bulk_edit_is_all_or_nothing(self) -> None:
        rows = list(self.roster.devices(range="10.44.10.50-55"))
        items = [BulkItem(id=row.id, version=row.version) for row in rows]
        with self.assertRaises(StaleEdit):
            self.roster.edit_devices([*items[:-1], BulkItem(id=rows[-1].id, version=99)], DeviceEdit(role="phone"))
        self.assertEqual({row.owner for row in self.roster.devices(range="10.44.10.50-55")}, {""})
        self.roster.edit_devices(items, DeviceEdit(role="control", owner="Front of house"))
        self.assertEqual(self.roster.devices(role="control", owner="Front of house", total=True).page.total, 6)
        self.assertEqual(
            {a.role for a in self.roster.assignments(q="phone-20", limit=6)},
            {"control"},
            "one role everywhere",
        )
        self.roster.undo(self.roster.changes(limit=1)[0].id)
        self.assertEqual(
            self.roster.devices(owner="Front of house", total=True).page.total, 0, "a bulk edit is undone as one"
        )

    def test_adapters_of_one_laptop_are_suggested_joined_and_split(self) -> None:
        wireless = next(iter(self.roster.devices(range="10.44.10.111")))
        hint = self.roster.device(wireless.id).hints[0]
        self.assertEqual(hint.name, "portable-02")
        joined = self.roster.join_devices(wireless.id, [hint.devices[0].id])
        self.assertEqual((len(joined.adapters), joined.hints), (2, []))
        finished(self.roster, self.roster.start_scan(ScanRequest(targets=["10.44.10.119"])))
        self.assertEqual(len(self.roster.device(wireless.id).adapters), 2)
        apart = self.roster.split_device(wireless.id, [joined.adapters[1].mac])
        self.assertEqual(len(apart.adapters), 1)

    def test_undo_and_retire(self) -> None:
        device = next(iter(self.roster.devices(range="10.44.10.84")))
        self.roster.edit_device(device.id, DeviceEdit(name="Press desk"))
        self.roster.undo(self.roster.changes(device=device.id)[0].id)
        self.assertEqual(self.roster.device(device.id).device.name, "")
        with self.assertRaisesRegex(BadInput, "still has 10.44.10.84 in the plan"):
            self.roster.retire_device(device.id)
        self.roster.retire_device(device.id, release=True)
        self.assertNotIn(device.id, [row.id for row in self.roster.devices()])
        self.assertIn(device.id, [row.id for row in self.roster.devices(retired=True)])
        self.roster.undo(self.roster.changes(device=device.id)[0].id)
        self.assertEqual([a.address for a in self.roster.device(device.id).assignments], ["10.44.10.84"])

    def test_own_prefixes_and_registry_files_name_vendors_at_once(self) -> None:
        self.roster.set_own_prefix("02:c0:44", "Quillmark of Larkspur")
        self.assertEqual(self.roster.devices(vendor="Quillmark of Larkspur", total=True).page.total, 4)
        self.roster.set_own_prefix("02:c0:44", "Quillmark Printing")
        loaded = self.roster.load_vendors("Registry,Assignment,Organization Name\nMA-S,0C4A10512,Narrow Works\n")
        self.assertEqual(loaded.loaded, 1)
        self.assertEqual(self.roster.vendor("0c4a.1051.2001").vendor, "Narrow Works")
        with self.assertRaisesRegex(BadInput, "line 2"):
            self.roster.load_vendors("02:c0:44 Fine\nzz Wrong\n")

    def test_a_range_gets_a_name_and_is_scanned_by_it(self) -> None:
        office = next(row for row in self.roster.ranges() if row.text == "10.44.10.0/24")
        self.roster.name_range(office.id, "Office")
        scan = finished(
            self.roster, self.roster.start_scan(ScanRequest(targets=["office"], exceptions=["10.44.10.100-254"]))
        )
        self.assertEqual((scan.targets, scan.total), ("10.44.10.0-10.44.10.99, 10.44.10.255", 99))

    def test_hostile_input_is_refused_in_a_sentence(self) -> None:
        for call in (
            lambda: self.roster.run(_raw("/api/v1/devices", {"cursor": "x"})), lambda: self.roster.explain("../../etc"), lambda: self.roster.find("x" * 201),
            lambda: self.roster.run(_raw("/api/v1/devices", {"sort": "evil"})), lambda: self.roster.ruler("10.44.10.1-9"),
        ):  # fmt: skip
            with self.assertRaises((BadInput, NotFound)) as caught:
                call()
            self.assertGreater(len(str(caught.exception)), 12)
        name = "<img src=x onerror=alert(1)>\x1b[2J"
        device = next(iter(self.roster.devices(range="10.44.10.86")))
        row = self.roster.edit_device(device.id, DeviceEdit(name=name))
        self.assertEqual(row.name, "<img src=x onerror=alert(1)>[2J")


def _raw(path: str, params: dict[str, Any], answer: str = "None") -> Call[Any]:
    return Call(answer, "GET", path, params)


class Doors(WithDemo):
    def test_nobody_gets_in_without_a_token_or_session(self) -> None:
        for path in ("/api/v1/devices", "/api/v1/here", "/api/v1/events", "/metrics", "/api/v1/scans/1/addresses"):
            with self.subTest(path):
                answer = httpx.get(self.service.url + path)
                self.assertEqual(
                    (answer.status_code, answer.headers["content-type"]), (401, "application/problem+json")
                )
        with Roster(self.service.url, "wrong") as roster, self.assertRaises(NotPermitted):
            roster.here()

    def test_a_sign_in_works_once(self) -> None:
        with httpx.Client(base_url=self.service.url, timeout=PATIENCE) as browser:
            path = self.roster.sign_in().path
            ticket = {"ticket": path.partition("ticket=")[2]}
            for _ in range(3):  # a preview of a link, a page that is fetched ahead
                self.assertEqual(browser.get(path).status_code, 200)
            self.assertEqual(browser.get("/api/v1/here").status_code, 401)
            foreign = browser.post("/api/v1/sign-in", json=ticket, headers={"Origin": "http://other.example"})
            self.assertEqual(foreign.json()["code"], "bad_origin")
            self.assertEqual(browser.post("/api/v1/sign-in", json=ticket).status_code, 204)
            self.assertEqual(browser.get("/api/v1/here").status_code, 200)
            self.assertEqual(browser.get("/api/v1/session").json(), {"who": "console", "renewed": None})
            again = browser.post("/api/v1/sign-in", json=ticket)
            self.assertEqual((again.status_code, again.json()["code"]), (403, "sign_in_used"))
        with httpx.Client(base_url=self.service.url, cookies={"roster_session": "9999999999.x.y"}) as forger:
            self.assertEqual(forger.get("/api/v1/here").status_code, 401)

    def test_a_browser_that_signed_out_is_out_with_every_copy_of_its_session(self) -> None:
        with (
            httpx.Client(base_url=self.service.url, timeout=PATIENCE) as browser, httpx.Client(base_url=self.service.url, timeout=PATIENCE) as other,
            httpx.Client(base_url=self.service.url, timeout=PATIENCE) as thief,
        ):  # fmt: skip
            for one in (browser, other):
                one.post("/api/v1/sign-in", json={"ticket": self.roster.sign_in().path.partition("ticket=")[2]})
            thief.cookies.set("roster_session", browser.cookies["roster_session"])
            self.assertEqual(thief.get("/api/v1/here").status_code, 200)
            self.assertEqual(browser.delete("/api/v1/session").status_code, 204)
            self.assertNotIn("roster_session", browser.cookies)
            self.assertEqual([one.get("/api/v1/here").status_code for one in (browser, thief, other)], [401, 401, 200])
            with self.assertRaises(BadInput):
                self.roster.run(Call("SessionView", "DELETE", "/api/v1/session"))

    def test_foreign_hosts_and_origins_are_refused(self) -> None:
        token = {"Authorization": f"Bearer {json.loads((self.service.home / 'service.json').read_text())['token']}"}
        rebound = httpx.get(self.service.url + "/api/v1/here", headers={**token, "Host": "roster.example"})
        self.assertEqual((rebound.status_code, rebound.json()["code"]), (403, "bad_host"))
        forged = httpx.post(
            self.service.url + "/api/v1/scans", json={}, headers={**token, "Origin": "http://other.example"}
        )
        self.assertEqual(forged.json()["code"], "bad_origin")
        open_page = {**token, "Origin": self.service.url.replace("http:", "https:")}
        other = httpx.post(self.service.url + "/api/v1/scans", json={}, headers=open_page)
        self.assertEqual(other.json()["code"], "bad_origin", "the same name by another scheme is another page")

    def test_odd_paths_and_numbers_are_refused(self) -> None:
        for path in ("/assets/%00", "/%00", "/assets/%0a", "/assets/..%2f..%2fapp.py"):
            self.assertEqual(httpx.get(self.service.url + path).status_code, 404, path)
        for pace in (1e-308, 0.0, -1.0):
            with self.subTest(pace), self.assertRaises(BadInput):
                self.roster.run(
                    Call("ScanInfo", "POST", "/api/v1/scans", body={"targets": ["10.44.10.0/28"], "pace": pace})
                )

    def test_files_with_secrets_are_for_this_account_only(self) -> None:
        for name in ("service.json", "secret.key"):
            self.assertEqual((self.service.home / name).stat().st_mode & 0o777, 0o600)

    def test_health_metrics_and_headers(self) -> None:
        self.assertEqual(self.roster.health().status, "ok")
        token = json.loads((self.service.home / "service.json").read_text())["token"]
        answer = httpx.get(self.service.url + "/metrics", headers={"Authorization": f"Bearer {token}"})
        self.assertTrue(answer.text.endswith("# EOF\n"))
        self.assertRegex(answer.text, r"(?m)^roster_devices \d\d+$")
        self.assertIn("x-request-id", answer.headers)
        self.assertIn("default-src 'self'", answer.headers["content-security-policy"])

    def test_what_has_not_changed_is_not_sent_again(self) -> None:
        token = {"Authorization": f"Bearer {json.loads((self.service.home / 'service.json').read_text())['token']}"}
        url = self.service.url + "/api/v1/devices"
        first = httpx.get(url, headers=token)

        def same() -> bool:
            nonlocal first
            # What the service does by itself, such as reading leases, may come between two questions.
            again = httpx.get(url, headers={**token, "If-None-Match": first.headers["etag"]})
            if again.status_code == 200:
                self.assertNotEqual(again.headers["etag"], first.headers["etag"])
                first = again
                return False
            self.assertEqual((again.status_code, again.content), (304, b""))
            return True

        until(same, "what has not changed is sent again every time")
        device = next(iter(self.roster.devices(range="10.44.10.60")))
        self.roster.edit_device(device.id, DeviceEdit(notes="changed"))
        changed = httpx.get(url, headers={**token, "If-None-Match": first.headers["etag"]})
        self.assertEqual(changed.status_code, 200)
        self.assertNotEqual(changed.headers["etag"], first.headers["etag"])

    def test_a_second_service_of_the_same_home_is_refused(self) -> None:
        done = self.service.roster("demo", "--no-open", "--listen", "127.0.0.1:0")
        self.assertEqual(done.returncode, 2)
        self.assertIn("another service uses", done.stderr)

    def test_listening_beyond_this_machine_demands_tls(self) -> None:
        done = self.service.roster("serve", "--listen", "0.0.0.0:0")
        self.assertEqual(done.returncode, 2)
        self.assertIn("--tls-certificate", done.stderr)

    def test_the_async_client_does_the_same(self) -> None:
        async def ask() -> tuple[int, str]:
            async with AsyncRoster(home=self.service.home) as roster:
                devices = [device async for device in roster.devices()]
                first = await roster.devices(total=True, limit=3).first()
                self.assertEqual((len(first.items), first.total), (3, len(await roster.devices())))
                self.assertEqual(len(await roster.devices(limit=3)), 3)
                return len(devices), (await roster.here()).hostname

        self.assertEqual(asyncio.run(ask()), (len(list(self.roster.devices())), "box-office"))

    def test_no_service_is_unreachable(self) -> None:
        with self.assertRaises(Unreachable):
            Roster(home="/nonexistent")
        with Roster("http://127.0.0.1:9", "x") as roster, self.assertRaises(Unreachable):
            roster.here()


def until_answered(roster: Roster, scan: ScanInfo, count: int) -> None:
    """Wait until so many have answered a scan that is still running."""
    until(lambda: roster.scan(scan.id).answered_count >= count, "too few answer")


class Ends(unittest.TestCase):
    def test_two_scans_of_one_segment_never_run_at_once_and_a_stop_keeps_results(self) -> None:
        with demo("--hosts", "900") as service, service.client() as roster:
            scan = roster.start_scan(ScanRequest(targets=["10.96.0.0/22"], pace=200, with_names=False))
            with self.assertRaisesRegex(Conflict, "wait or stop it"):
                roster.start_scan(ScanRequest(targets=["10.96.0.1"]))
            until_answered(roster, scan, 60)
            stopped = roster.stop_scan(scan.id)
            self.assertEqual(stopped.state, "stopped")
            self.assertGreater(stopped.answered_count, 50)
            self.assertLess(stopped.probes, 900)
            self.assertEqual(len([r for r in roster.results(scan.id)]), stopped.answered_count)

    def test_sigterm_ends_soon_and_marks_the_scan_stopped(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            home = Path(folder) / "home"
            with demo("--hosts", "900", home=home) as service, service.client() as roster:
                scan = roster.start_scan(ScanRequest(targets=["10.96.0.0/22"], pace=200))
                listening = threading.Thread(target=lambda: list(roster.events(again=False)), daemon=True)
                listening.start()
                until_answered(roster, scan, 30)
                self.assertLess(service.stop(), SOON)
                self.assertEqual((service.process.returncode, (home / "service.json").exists()), (0, False))
            with demo("--hosts", "900", home=home) as service, service.client() as roster:
                after = roster.scan(scan.id)
                self.assertEqual(after.state, "stopped")
                self.assertGreater(after.answered_count, 20)

    def test_a_restarted_service_keeps_its_token_and_its_clients(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            home = Path(folder) / "home"
            heard: list[str] = []
            began, told, back = threading.Event(), threading.Event(), threading.Event()

            def listen(roster: Roster) -> None:
                for one in roster.events():
                    heard.append(one.kind)
                    began.set()
                    if one.kind == "reset":
                        told.set()  # what was missed meanwhile is not known: look anew
                    if isinstance(one.event, PlanEvent) and one.event.kinds == ["site"]:
                        back.set()
                        return

            async def later() -> int:
                async with AsyncRoster(home=home) as roster:
                    before = await roster.sites()
                    asked.set()
                    await asyncio.to_thread(moved.wait, 120)
                    return len(before) + len(await roster.sites())

            moved, asked = threading.Event(), threading.Event()
            counted: list[int] = []
            with demo(home=home) as first:
                token = json.loads((home / "service.json").read_text())["token"]
                kept, other = first.client(), first.client()
                listener = threading.Thread(target=listen, args=(other,), daemon=True)
                beside = threading.Thread(target=lambda: counted.append(asyncio.run(later())), daemon=True)
                listener.start()
                beside.start()
                self.assertTrue(began.wait(60) and asked.wait(60))
                self.assertEqual(len(list(kept.sites())), 1)
                url = first.url
            with self.assertRaises(Unreachable):
                kept.here()
            with demo("--listen", "127.0.0.1:0", home=home) as second:
                self.assertNotEqual(second.url, url, "the test is about one that listens elsewhere")
                self.assertEqual(json.loads((home / "service.json").read_text())["token"], token)
                self.assertEqual(kept.add_site("Annex").name, "Annex", "an edit goes to where the service is now")
                moved.set()
                self.assertTrue(told.wait(60), heard)
                kept.add_site("Barn")
                self.assertTrue(back.wait(60), heard)
                beside.join(60)
                self.assertIn(counted, ([3], [4]))
                kept.close()
                other.close()

    def test_after_sigkill_the_roster_is_whole_and_little_is_lost(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            home = Path(folder) / "home"
            with demo("--hosts", "900", home=home) as service, service.client() as roster:
                scan = roster.start_scan(ScanRequest(targets=["10.96.0.0/22"], pace=200, with_names=False))
                until_answered(roster, scan, 200)
                seen = roster.scan(scan.id).answered_count
                service.stop(signal.SIGKILL)
            with demo("--hosts", "900", home=home) as service, service.client() as roster:
                after = roster.scan(scan.id)
                self.assertEqual(after.state, "interrupted")
                self.assertGreaterEqual(after.answered_count, seen - 200, "what was told a second ago is kept")
                self.assertGreaterEqual(len(list(roster.devices())), after.answered_count)
                self.assertIn("ended while this scan ran", after.remarks[0])


if __name__ == "__main__":
    unittest.main()
