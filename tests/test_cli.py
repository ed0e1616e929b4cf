"""The command line as a process: what people read, what programs read, exit codes."""

from __future__ import annotations

import json
import os
import pty
import re
import select
import shlex
import signal
import socket
import struct
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from pathlib import Path
from typing import Any

from tests.support import quick_start
from tests.support.lab import environment
from tests.support.patience import PATIENCE
from tests.support.service import Service, demo

BESIDE = "anything"

SCAN_KEYS = {
    "id",
    "state",
    "segment",
    "adapter",
    "targets",
    "probes",
    "started",
    "seconds",
    "answered_count",
    "silent_count",
}
ADDRESS_KEYS = {"address", "answered", "by", "claims", "names", "rtt_ms", "ports", "foreign", "device"}


class WithDemo(unittest.TestCase):
    service: Service

    @classmethod
    def setUpClass(cls) -> None:
        cls.service = cls.enterClassContext(demo())
        cls.service.json("scan")

    def says(self, *arguments: str, code: int = 0) -> str:
        done = self.service.roster(*arguments)
        self.assertEqual(done.returncode, code, done.stderr)
        return done.stdout

    def refuses(self, *arguments: str, code: int = 2) -> str:
        done = self.service.roster(*arguments)
        self.assertEqual((done.returncode, done.stdout), (code, ""), done.stderr)
        self.assertNotIn("Traceback", done.stderr)
        self.assertEqual(len(done.stderr.strip().splitlines()), 1, done.stderr)
        return done.stderr


class Scans(WithDemo):
    def test_the_json_of_a_scan_keeps_its_contract(self) -> None:
        told: Any = self.service.json("scan", "10.44.20.0/24")
        self.assertLessEqual(SCAN_KEYS, set(told["scan"]))
        self.assertEqual(
            (told["scan"]["state"], told["scan"]["adapter"], told["scan"]["silent_count"]), ("done", "stage0", 218)
        )
        for address in told["items"]:
            self.assertEqual(set(address), ADDRESS_KEYS)
            self.assertLessEqual(set(address["by"]), {"arp", "neighbour", "echo", "connect"})
        both = next(a for a in told["items"] if a["address"] == "10.44.20.41")
        self.assertEqual([set(mac) for mac in both["claims"]], [{"mac", "vendor", "local"}] * 2)
        self.assertEqual(set(both["names"][0]), {"name", "source"})

    def test_people_read_a_table_and_a_sentence(self) -> None:
        told = self.says("scan", "10.44.10.30-33", "--no-names", "--ports", "80,9100")
        self.assertRegex(
            told,
            r"10\.44\.10\.31 +printer-2\S* +02:c0:44:[0-9a-f:]+ +Quillmark Printing +\d+\.\d ms +arp\+echo +80 9100",
        )
        self.assertRegex(told, r"4 answered, 0 silent")
        self.assertNotIn("\x1b", told)

    def test_ranges_that_cannot_be_scanned_are_refused_in_one_sentence(self) -> None:
        for text, said in (
            ("10.0.0.0/8", "16,777,214 addresses, about 13 h 59 min"), ("10.44.0.0/18", "--confirm"), ("10.44.10.300", "300 is over 255"),
            ("10.44.10.60-20", "did you mean 10.44.10.20-60"), ("10.44.10.0/33", "/0 to /32"), ("", "empty"), ("8.8.8.0/24", "not private"),
            ("Lobby", "neither a range nor a known subnet"),
        ):  # fmt: skip
            with self.subTest(text):
                self.assertIn(said, self.refuses("scan", text))

    def test_wrong_options_are_refused_in_one_sentence(self) -> None:
        for arguments, said in (
            (("--adapter", "eth9"), "there are: office0, stage0"), (("--pace", "0"), "greater than or equal to 1"), (("--ports", "80,x"), "'x' is not a TCP port"),
            (("--rounds", "99"), "rounds"), (("--speed", "1"), "--help"), (("--pace", "quick"), "--help"),
        ):  # fmt: skip
            with self.subTest(arguments):
                self.assertIn(said, self.refuses("scan", *arguments))

    def test_without_a_target_it_says_aloud_what_it_scans(self) -> None:
        done = self.service.roster("scan", "--adapter", "office0", "--no-names", "--ports", "none")
        self.assertIn("nothing was named, so the adapter's own subnet", done.stderr)
        self.service.roster("scan", "10.44.10.0/26", "--no-names", "--ports", "none")
        done = self.service.roster("scan", "--no-names", "--ports", "none")
        self.assertIn("the remembered ranges of this segment: 10.44.10.0/26", done.stderr)

    def test_a_terminal_shows_progress_and_ctrl_c_keeps_what_was_found(self) -> None:
        with demo("--hosts", "900") as service:
            parent, child = pty.openpty()
            command = [
                sys.executable,
                "-m",
                "even_roster.cli.main",
                "--home",
                str(service.home),
                "scan",
                "10.96.0.0/22",
                "--pace",
                "150",
                "--no-names",
            ]
            process = subprocess.Popen(
                command, stdout=subprocess.PIPE, stderr=child, env={**environment(), "TERM": "xterm"}, text=True
            )
            os.close(child)
            shown, end = "", time.monotonic() + PATIENCE
            while not ("round 1 of 3" in shown and re.search(r"[1-9]\d+ answered", shown)) and time.monotonic() < end:
                if select.select([parent], [], [], 0.5)[0]:
                    shown += os.read(parent, 65536).decode(errors="replace")
            process.send_signal(signal.SIGINT)
            told, _ = process.communicate(timeout=PATIENCE)
            os.close(parent)
        self.assertIn("answered", shown)
        self.assertIn("round 1 of 3", shown)
        self.assertRegex(told, r"stopped by hand after .*\n?.*[1-9]\d+ answered")
        self.assertEqual(process.returncode, 0)


class Questions(WithDemo):
    def test_here_tells_where_the_machine_stands(self) -> None:
        told = self.says("here")
        for part in (
            "office0  ← used for scans",
            "10.44.10.20/24  mask 255.255.255.0",
            "10.44.10.1 to 10.44.10.254, 254 addresses",
            "scanned before",
        ):
            self.assertIn(part, told)
        document: Any = self.service.json("here")
        self.assertEqual(document["chosen"], "office0")

    def test_devices_are_listed_filtered_sorted_and_streamed(self) -> None:
        told = self.says(
            "device", "--in", "10.44.10.0/27", "--columns", "address,vendor", "--sort", "address", "--descending"
        )
        lines = told.splitlines()
        self.assertEqual(lines[0].split(), ["address", "vendor"])
        self.assertTrue(lines[1].startswith("10.44.10.31"))
        document: Any = self.service.json("device", "--search", "portables")
        self.assertEqual({d["vendor"] for d in document["items"]}, {"Fenmoor Portables"})
        nobody_knows: Any = self.service.json("device", "--unknown", "--search", "portables")
        self.assertEqual((len(document["items"]), len(nobody_knows["items"])), (10, 5), "one of them is expected")
        phones: Any = self.service.json("device", "--unknown", "--search", "phone")
        self.assertEqual(phones["items"], [], "the plan knows every phone")
        expected: Any = self.service.json("device", "--expected", "--search", "touring")
        self.assertEqual(
            [(d["called"], d["address"], d["last_seen"]) for d in expected["items"]],
            [("portable-touring", "10.44.10.182", None)],
        )
        self.assertEqual(self.service.roster("device", "--search", "no such thing").returncode, 1)

    def test_a_device_is_named_by_any_of_its_names_and_found_again(self) -> None:
        self.assertIn(
            "now has name 'Ledger store'",
            self.says("device", "set", "ledger.larkspur.example", "--name", "Ledger store"),
        )
        self.assertIn("02:c0:5b", self.says("device", "show", "ledger store"))
        self.assertIn("Ledger store", self.says("find", "ledger st"))
        self.says("device", "set", "Ledger store", "--role", "storage", "--place", "Rack 1")
        document: Any = self.service.json("device", "show", "10.44.10.12")
        self.assertEqual((document["device"]["role"], document["device"]["place"]), ("storage", "Rack 1"))
        version = document["device"]["version"]
        self.assertIn(
            "Rack 1",
            self.refuses("device", "set", "ledger", "--place", "Rack 2", "--version", str(version - 1), code=5),
        )

    def test_an_ambiguous_or_unknown_device_is_not_guessed(self) -> None:
        several = self.refuses("device", "show", "desk-fro")
        self.assertRegex(
            several, r"'desk-fro' means 2 devices: desk-\S+ \(10\.44\.10\.\d+, 02:[0-9a-f:]{14}, id \d+\); desk-"
        )
        self.assertIn("is it desk-front", self.refuses("device", "set", "desk-fro", "--name", "x"))
        self.assertIn("is it desk-front or ", self.refuses("device", "show", "desk-frnot"))
        self.assertIn("there is no device 'zebra'", self.refuses("device", "show", "zebra"))
        self.assertIn("no device has the MAC", self.refuses("device", "retire", "MAC: 02-C0-44-12-34-56"))
        by_address = self.refuses("device", "retire", "10.44.10.30")
        self.assertRegex(
            by_address, r"an address, which another device may have tomorrow: .* here printer-1 \(10\.44\.10\.30, "
        )
        self.assertIn("unrecognized arguments: --colour", self.refuses("device", "set", "archive", "--colour", "red"))
        self.assertIn("say what is to change: --name", self.refuses("device", "set", "archive"))

    def named(self, address: str) -> str:
        """The MAC of the device at an address: to change it, it must be named."""
        document: Any = self.service.json("device", "show", address)
        return str(document["device"]["mac"])

    def test_join_split_retire_and_undo(self) -> None:
        self.assertIn("Adapters", self.says("device", "join", self.named("10.44.10.111"), self.named("10.44.10.119")))
        document: Any = self.service.json("device", "show", "10.44.10.111")
        macs = [adapter["mac"] for adapter in document["adapters"]]
        self.assertEqual(len(macs), 2)
        self.says("device", "split", str(document["device"]["id"]), macs[1])
        desk = self.named("10.44.10.61")
        self.assertIn("still has 10.44.10.61", self.refuses("device", "retire", desk))
        self.says("device", "retire", f"'{desk.upper()}'", "--release")
        self.assertNotIn("10.44.10.61", self.says("device"))
        change = re.search(r"^ *(\d+) .*retire", self.says("change"), re.MULTILINE)
        assert change
        self.says("change", "undo", change.group(1))
        self.assertIn("10.44.10.61", self.says("device"))

    def test_an_expected_device_is_entered_seen_replaced_and_told_apart(self) -> None:
        told = self.says("device", "add", "Spare beamer", "--mac", "02-C0-88-00-FF-01", "--role", "other")
        self.assertIn("never: it is expected", told)
        self.assertIn("perhaps 'printer'", self.refuses("device", "set", "Spare beamer", "--role", "prinetr", code=2))
        self.says("assign", "10.44.10.225", "--name", "attic-router", "--role", "network", "--anyway")
        self.assertIn("planned at 10.44.10.225 without a mac", " ".join(self.says("device", "review").lower().split()))
        self.says("device", "replace", "desk-crew-room", "02:c0:9f:40:99:99")
        document: Any = self.service.json("device", "show", "desk-crew-room")
        self.assertEqual([a["mac"] for a in document["adapters"]], ["02:c0:9f:40:99:99"])
        self.assertEqual(
            [(a["address"], a["mac"]) for a in document["assignments"]], [("10.44.10.88", "02:c0:9f:40:99:99")]
        )
        self.assertIn(
            "hostname is crew-room",
            self.says("device", "set", "desk-crew-room", "--name", "Crew room", "--with-hostname"),
        )
        self.assertIn("crew-room", self.says("card", "10.44.10.88"))
        for _ in range(2):
            changes: Any = self.service.json("change", "--limit", "1")
            self.says("change", "undo", str(changes["items"][0]["id"]))

    def test_explain_vendors_and_find(self) -> None:
        self.assertIn("claimed by two", self.says("explain", "10.44.10.254"))
        self.assertIn("own prefix", self.says("vendor", "show", "02C044-000026"))
        self.assertIn("randomised", self.says("explain", "ee:12:34:56:78:9a"))
        self.assertIn("Bells", self.says("vendor", "add", "02:c0:99", "Bells of Larkspur"))
        with tempfile.NamedTemporaryFile("w", suffix=".txt") as file:
            file.write("0c:4a:10\tCorvane Lighting\n")
            file.flush()
            self.assertIn("1 blocks loaded", self.says("vendor", "load", file.name))
        self.assertIn("cannot be read", self.refuses("vendor", "load", "/nonexistent.csv"))
        self.assertEqual(self.service.roster("find", "zzzz").returncode, 1)

    def test_measure_needs_no_service(self) -> None:
        done = subprocess.run(
            [sys.executable, "-m", "even_roster.cli.main", "measure", "10.44.64.0/22", "--json"],
            capture_output=True, text=True, env=environment(), check=True,
        )  # fmt: skip
        told = json.loads(done.stdout)
        self.assertEqual(
            (told["count"], told["sums"][0]["hosts"], told["smallest_cover"]), (1024, 1022, "10.44.64.0/22")
        )

    def test_every_command_speaks_json(self) -> None:
        for arguments in (
            ("scan", "--earlier"),
            ("range",),
            ("change",),
            ("find", "gate"),
            ("explain", "10.44.10.1"),
            ("vendor",),
            ("file",),
            ("dns",),
            ("notice",),
            ("role",),
            ("vendor", "show", "02c044000001"),
            ("completion", "bash"),
            ("console",),
        ):
            with self.subTest(arguments):
                self.assertIsInstance(self.service.json(*arguments), dict)

    def test_without_a_service_it_says_how_to_start_one(self) -> None:
        done = subprocess.run(
            [sys.executable, "-m", "even_roster.cli.main", "device", "--home", "/nonexistent"], capture_output=True, text=True,
            env=environment(), check=False,
        )  # fmt: skip
        self.assertEqual(done.returncode, 3)
        self.assertIn("roster serve", done.stderr)
        wrong = self.service.roster("here", EVEN_ROSTER_TOKEN="wrong", EVEN_ROSTER_SERVER=self.service.url)
        self.assertEqual(wrong.returncode, 0, "a home was named, and what it says goes before the environment")

    def test_a_token_goes_to_its_own_service_alone_and_never_onto_the_command_line(self) -> None:
        url, home = self.service.url, str(self.service.home)
        token = json.loads((self.service.home / "service.json").read_text())["token"]
        kept = Path(self.enterContext(tempfile.TemporaryDirectory())) / "token"
        kept.write_text(f"{token}\n")

        def here(*options: str, **given: str) -> tuple[int, str]:
            done = quick_start.roster([*options, "here"], PATIENCE, given=given)
            return done.returncode, done.stderr

        nowhere = ("--home", "/nonexistent")
        self.assertEqual(here("--home", home, "--server", url), (0, ""))
        self.assertEqual(here(*nowhere, "--server", url, "--token-file", str(kept)), (0, ""))
        self.assertEqual(here(*nowhere, "--server", url, EVEN_ROSTER_TOKEN=token), (0, ""))
        self.assertEqual(here(EVEN_ROSTER_SERVER=url, EVEN_ROSTER_TOKEN=token), (0, ""))
        code, said = here(*nowhere, "--server", url)
        self.assertEqual((code, "EVEN_ROSTER_TOKEN, or --token-file" in said), (4, True), said)
        code, said = here(*nowhere, "--server", url, EVEN_ROSTER_TOKEN=token, EVEN_ROSTER_SERVER="http://127.0.0.1:1")
        self.assertEqual((code, "wants a token" in said), (4, True), "that token is another service's")
        code, said = here(*nowhere, "--server", url, EVEN_ROSTER_TOKEN="wrong")
        self.assertEqual((code, "the token is not good" in said), (4, True), said)
        code, said = here("--home", home, "--token", token)
        self.assertEqual((code, "where 'ps' shows it" in said, token in said), (2, True, False), said)
        code, said = here("--home", home, "--token-file", "/nonexistent")
        self.assertEqual((code, "cannot be read" in said), (2, True), said)

    def test_a_door_that_is_shut_is_told_as_that(self) -> None:
        with socket.create_server(("127.0.0.1", 0)) as listener:

            def shut() -> None:
                line, _ = listener.accept()
                line.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, struct.pack("ii", 1, 0))
                line.close()

            thread = threading.Thread(target=shut)
            thread.start()
            done = self.service.roster("--server", f"http://127.0.0.1:{listener.getsockname()[1]}", "here")
            thread.join(PATIENCE)
        self.assertEqual((done.returncode, "as many as it takes" in done.stderr), (3, True), done.stderr)

    def test_a_token_from_a_home_is_not_sent_to_another_server(self) -> None:
        heard: list[bytes] = []
        with socket.create_server(("127.0.0.1", 0)) as listener:

            def listen() -> None:
                line, _ = listener.accept()
                with line:
                    heard.append(line.recv(65536))
                    line.sendall(b"HTTP/1.1 401 No\r\nContent-Length: 2\r\nConnection: close\r\n\r\n{}")

            thread = threading.Thread(target=listen)
            thread.start()
            done = self.service.roster("--server", f"http://127.0.0.1:{listener.getsockname()[1]}", "here")
            thread.join(PATIENCE)
        self.assertEqual(done.returncode, 4, done.stderr)
        self.assertIn(b"GET /api/v1/here", heard[0])
        self.assertNotIn(b"uthorization", heard[0])

    def test_the_completion_script_knows_words_and_names(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        script, command = folder / "roster.bash", folder / "roster"
        script.write_text(self.says("completion", "bash"))
        command.write_text(f'#!/bin/sh\nexec {sys.executable} -m even_roster.cli.main "$@"\n')
        command.chmod(0o755)
        home = str(self.service.home)
        self.service.json("device", "set", "printer-4", "--name", "Stage door printer")
        for typed, wanted in (
            (["device", "s"], {"show", "set", "split", "settle"}), (["device", "--home", home, "show", "printer-"], {"printer-1", "printer-2"}),
            (["device", "--home", home, "show", "Stage d"], {"Stage\\ door\\ printer"}), (["band", "--home", home, "--in", "Of"], {"Office"}),
            (["dhcp", "--home", home, "publish", "led"], {"ledger"}), (["--home", home, "subnet", "show", "Cam"], {"Cameras"}),
            (["band", "add", "--li"], set()), (["dev"], {"device"}),
        ):  # fmt: skip
            with self.subTest(typed):
                words = " ".join(shlex.quote(word) for word in ["roster", *typed])
                ask = f'. {script}; COMP_WORDS=({words}); COMP_CWORD={len(typed)}; _roster; printf "%s\\n" "${{COMPREPLY[@]}}"'
                settings = {**environment(), "PATH": f"{folder}:{os.environ['PATH']}"}
                done = subprocess.run(["bash", "-c", ask], capture_output=True, text=True, check=True, env=settings)
                found = set(done.stdout.split("\n")) - {""}
                self.assertTrue(wanted <= found and (wanted or not found), (found, done.stderr))


if __name__ == "__main__":
    unittest.main()
