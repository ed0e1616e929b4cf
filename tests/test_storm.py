"""A door that is stormed, on a link of real kernels: who has signed in elsewhere is answered, and streams that are open stay open."""

from __future__ import annotations

import contextlib
import sys
import unittest
from pathlib import Path
from urllib.parse import urlsplit

import httpx

from tests.support.effort import effort
from tests.support.lab import Inside, Namespace, needs_lab
from tests.support.patience import PATIENCE, until
from tests.support.service import Service, service
from tests.support.street import street

BESIDE = "link"
PART = "test and endure"

SERVICE, KEEPER = "10.78.0.5", "10.78.0.20"
STORMERS = [f"10.78.1.{last}" for last in range(1, 51)]
STREAMS = effort(20, 200)
SILENT, HALF, UNREAD, SECONDS = effort(600, 10_000), effort(100, 300), effort(60, 256), effort(3, 20)
MOST_MORE = 50 << 20


def memory(service: Service) -> int:
    """Octets that the service has in memory."""
    (line,) = [
        one for one in Path(f"/proc/{service.process.pid}/status").read_text().splitlines() if one.startswith("VmRSS")
    ]
    return int(line.split()[1]) << 10


@needs_lab
class Stormed(unittest.TestCase):
    def setUp(self) -> None:
        self.stack = contextlib.ExitStack()
        self.addCleanup(self.stack.close)
        link = self.stack.enter_context(street())
        here = link.join(f"{SERVICE}/16", "02:c0:9f:4f:78:05")
        keeper = link.join(f"{KEEPER}/16", "02:c0:9f:4f:78:20")
        self.storm: Namespace = link.join(f"{STORMERS[0]}/16", "02:c0:9f:4f:78:66")
        for address in STORMERS[1:]:
            self.storm.ip("address", "add", f"{address}/16", "dev", "eth0")
        words = ("serve", "--listen", f"{SERVICE}:0", "--plain-http-risk")
        self.service = self.stack.enter_context(service(*words, inside=here))
        self.there = urlsplit(self.service.url)
        self.keeper = Inside(keeper)
        self.stack.callback(self.keeper.close)
        place = self.service.client().place
        self.web = httpx.Client(
            base_url=self.service.url,
            headers={"Authorization": f"Bearer {place.token}"},
            timeout=PATIENCE,
            trust_env=False,
            limits=httpx.Limits(max_connections=None),
        )
        self.stack.callback(self.web.close)
        self.streams = [self.keeper.do(self.stream) for _ in range(STREAMS)]
        self.before = memory(self.service)

    def stream(self) -> httpx.Response:
        """A stream of events that is open, and was not read to its end."""
        opened = self.web.send(self.web.build_request("GET", "/api/v1/events"), stream=True)
        self.assertEqual(opened.status_code, 200)
        return opened

    def stormed(self, what: str, addresses: list[str], count: int, *more: str) -> tuple[int, int]:
        """Storm the door; gives how many connections came about, and how many were refused. They are held until the test ends."""
        host, port = self.there.hostname or "", str(self.there.port)
        words = (sys.executable, "-m", "tests.support.storm", what, host, port, ",".join(addresses), str(count), *more)
        process = self.storm.start(*words)
        self.stack.callback(process.kill)
        assert process.stdout is not None
        made, refused = process.stdout.readline().split()
        return int(made), int(refused)

    def all_is_well(self, what: str) -> None:
        """Whoever has signed in is answered on a connection of his own, whatever else comes."""

        def asked() -> None:
            with httpx.Client(
                base_url=self.service.url, headers=self.web.headers, timeout=PATIENCE, trust_env=False
            ) as anew:
                for web in (self.web, anew):
                    self.assertEqual(web.get("/api/v1/here").status_code, 200, what)

        for _ in range(5):
            self.keeper.do(asked)
        self.assertLess(memory(self.service) - self.before, MOST_MORE, what)

    def told(self, one: httpx.Response) -> bool:
        """Whether a stream that was open before tells of an edit; it is waited for."""
        return any(line == "event: plan" for line in one.iter_lines())

    def test_from_fifty_addresses_and_from_one_nothing_is_taken_from_who_has_signed_in(self) -> None:
        for addresses in (STORMERS, STORMERS[:1]):
            for what, count in (("silent", SILENT), ("half", HALF), ("unread", UNREAD)):
                made, _ = self.stormed(what, addresses, count)
                self.assertGreater(made, 0)
                self.all_is_well(f"{count} {what} from {len(addresses)}")
            self.assertGreater(self.stormed("requests", addresses, 40, str(SECONDS))[0], 0)
            self.all_is_well(f"after requests from {len(addresses)}")
        metrics = self.keeper.do(lambda: self.web.get("/metrics").text)
        self.assertRegex(metrics, r"(?m)^roster_refused_total [1-9]", "it was stormed indeed")
        # Every stream that was open hears of what happens now.
        heard = self.keeper.do(lambda: self.web.post("/api/v1/sites", json={"name": "Annex"}).status_code)
        self.assertEqual(heard, 201)
        for one in self.streams:
            self.assertTrue(self.keeper.do(lambda one=one: self.told(one)))  # type: ignore[misc]

    def test_the_door_is_open_again_when_they_have_gone(self) -> None:
        self.stormed("silent", STORMERS, SILENT)
        self.storm.ip("link", "set", "eth0", "down")
        metrics = 'roster_connections{signed_in="no"} 0'
        until(
            lambda: metrics in self.keeper.do(lambda: self.web.get("/metrics").text),
            "strangers that have gone keep their places",
            0.5,
        )


if __name__ == "__main__":
    unittest.main()
