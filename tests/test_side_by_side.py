"""Nothing that the service does stops anything else that it does at the same time."""

from __future__ import annotations

import asyncio
import contextlib
import itertools
import socket
import sqlite3
import tempfile
import threading
import time
import unittest
from collections import Counter
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import httpx
import uvicorn

from even_roster.api.plan import AssignmentEdit
from even_roster.core.address import Address
from even_roster.core.mac import MacNumber
from even_roster.core.stays import Sighting, Source
from even_roster.probe.listen import Batch
from even_roster.service.app import create_app
from even_roster.service.context import now_ms, open_context
from even_roster.service.demo.larkspur_plan import plan_larkspur
from even_roster.service.plan import planning
from even_roster.service.settings import Settings
from even_roster.standin import larkspur
from even_roster.standin.segment import StandinMachine
from even_roster.store.one_lock import LockMisuse, OneLock
from tests.support.days import days, hall, prepared
from tests.support.effort import effort
from tests.support.patience import PATIENCE, until

BESIDE = "anything"
PART = "test and endure"

ROUNDS = effort(8, 40)
TIMES = 4
LONGEST = 60.0

Work = Callable[[], None]


def over_and_over(work: Work, until: Callable[[], bool], failed: list[BaseException]) -> threading.Thread:
    """A thread that does some work again and again."""

    def run() -> None:
        try:
            while not until():
                work()
        except BaseException as error:
            failed.append(error)

    thread = threading.Thread(target=run, daemon=True)
    thread.start()
    return thread


@contextlib.contextmanager
def serving(app: Any) -> Iterator[str]:
    """The service of an app on loopback, in this process."""
    with socket.create_server(("127.0.0.1", 0)) as listener:
        server = uvicorn.Server(uvicorn.Config(app, log_config=None, access_log=False, lifespan="on"))
        thread = threading.Thread(target=server.run, args=([listener],), daemon=True)
        thread.start()
        until(lambda: server.started or not thread.is_alive(), "the service does not start", pause=0.01)
        try:
            yield f"http://127.0.0.1:{listener.getsockname()[1]}"
        finally:
            server.should_exit = True
            thread.join(PATIENCE)


class Locks(unittest.TestCase):
    def test_whoever_holds_one_may_not_ask_for_another(self) -> None:
        plan, records = OneLock("the plan"), OneLock("the records")
        with self.assertRaisesRegex(LockMisuse, "the records is asked for while the plan is held"), plan, records:
            pass
        with records, contextlib.suppress(ZeroDivisionError), contextlib.nullcontext():
            pass
        with plan:
            pass

    def test_the_event_loop_may_ask_for_none(self) -> None:
        async def ask() -> None:
            with OneLock("the plan"):
                pass

        with self.assertRaisesRegex(LockMisuse, "on the event loop"):
            asyncio.run(ask())

    def test_it_is_given_back_when_what_was_done_under_it_fails(self) -> None:
        lock = OneLock("the plan")
        for _ in range(2):
            with self.assertRaises(ZeroDivisionError), lock:
                raise ZeroDivisionError
        others: list[int] = []
        with lock:
            thread = threading.Thread(target=lambda: self._hold(lock, others), daemon=True)
            thread.start()
            self.assertEqual(others, [], "one at a time")
        thread.join(PATIENCE)
        self.assertEqual(others, [1])

    def _hold(self, lock: OneLock, others: list[int]) -> None:
        with lock:
            others.append(1)


class LeasesBesideEdits(unittest.TestCase):
    def test_reading_leases_and_editing_the_plan_do_not_wait_for_each_other(self) -> None:
        with days(hall, prepared) as site:
            server = next(iter(site.context.findings.world.dhcp.planned_servers))
            item = next(iter(site.context.plan.plan.assignments.values()))
            notes, reads = itertools.count(), itertools.count()
            failed: list[BaseException] = []

            def read() -> None:
                with site.context.database.write() as connection:  # so that there is something new in every reading
                    connection.exec_driver_sql("DELETE FROM leases")
                site.dhcp.read_leases(server)
                next(reads)

            def edit() -> None:
                request = AssignmentEdit(notes=f"note {next(notes)}")
                site.context.plan.edit("a hand", planning.edit_assignment(item.id, None, request))

            def enough() -> bool:
                return bool(failed) or (_count(notes) >= ROUNDS and _count(reads) >= ROUNDS)

            threads = [over_and_over(one, enough, failed) for one in (read, edit)]
            for thread in threads:
                thread.join(PATIENCE)
            self.assertEqual(failed, [])
            self.assertEqual([thread for thread in threads if thread.is_alive()], [], "somebody stands still")


def _count(numbers: itertools.count[int]) -> int:
    """How many were taken so far."""
    return int(repr(numbers)[6:-1])


class EveryPair(unittest.TestCase):
    """Everything that writes or reads runs over and over, until every pair of them was under way at the same moment."""

    def test_none_stops_another(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        site = larkspur.build()
        context = open_context(Settings(home=folder / "home", watch=False), StandinMachine(site))
        plan_larkspur(context, site)
        app = create_app(context)
        with (
            serving(app) as url,
            httpx.Client(
                base_url=url, timeout=LONGEST, limits=httpx.Limits(max_connections=60, max_keepalive_connections=0)
            ) as web,
        ):
            web.headers["Authorization"] = f"Bearer {context.token}"
            self._run(self._works(web, app, folder))

    def _run(self, works: dict[str, Work]) -> None:
        under_way: set[str] = set()
        met: set[frozenset[str]] = set()
        wanted = {frozenset(pair) for pair in itertools.combinations(works, 2)}
        failed: list[BaseException] = []
        slowest: dict[str, float] = {}
        done = Counter[str]()
        until = time.monotonic() + PATIENCE

        def noted(name: str) -> Work:
            def work() -> None:
                under_way.add(name)
                met.update(frozenset((name, other)) for other in tuple(under_way) if other != name)
                began = time.monotonic()
                try:
                    works[name]()
                except BaseException as error:
                    error.add_note(f"while doing: {name}")
                    raise
                finally:
                    under_way.discard(name)
                    done[name] += 1
                    slowest[name] = max(slowest.get(name, 0.0), time.monotonic() - began)

            return work

        def enough() -> bool:
            all_done = met >= wanted and all(done[name] >= TIMES for name in works)
            return bool(failed) or all_done or time.monotonic() > until

        threads = {name: over_and_over(noted(name), enough, failed) for name in works}
        for name, thread in threads.items():
            thread.join(PATIENCE)
            self.assertFalse(thread.is_alive(), f"{name} stands still beside {under_way}")
        if failed:
            raise failed[0]
        self.assertEqual(wanted - met, set(), "these never met")
        self.assertEqual({name: done[name] for name in works if done[name] < TIMES}, {}, "too slow")
        self.assertEqual({name: s for name, s in slowest.items() if s > LONGEST}, {})

    def _works(self, web: httpx.Client, app: Any, folder: Path) -> dict[str, Work]:
        context, watcher, listening = app.state.context, app.state.watcher, app.state.listening
        numbers = itertools.count(1)
        loop: asyncio.AbstractEventLoop = context.loop

        def call(method: str, path: str, *codes: int, **more: Any) -> Any:
            answer = web.request(
                method, path, headers={"If-Match": "*"} if method in ("PATCH", "PUT") else None, **more
            )
            self.assertIn(answer.status_code, codes or (200, 201, 204), f"{method} {path}: {answer.text}")
            return answer.json() if answer.content and answer.status_code < 300 else None

        call("POST", f"/api/v1/dhcp/servers/{next(iter(context.plan.plan.pools())).server}/read")
        device = call("GET", "/api/v1/devices?limit=1")["items"][0]["id"]
        subnet = next(s for s in context.plan.plan.subnets.values() if s.name == "Foyer")
        site = call("POST", "/api/v1/sites", json={"name": "Annex"})
        items = call("GET", "/api/v1/assignments?limit=5")["items"]
        band = next(b for b in context.plan.plan.bands.values() if b.subnet == subnet.id)
        server = next(iter(context.plan.plan.pools())).server
        route = call("POST", "/api/v1/notices", json={"name": "desk", "kind": "syslog", "to": "127.0.0.1:9"})

        def scan() -> None:
            started = web.post("/api/v1/scans", json={"targets": ["10.44.20.40-44"], "ports": [], "with_names": False})
            self.assertIn(started.status_code, (201, 409))
            if started.status_code == 201:
                asyncio.run_coroutine_threadsafe(app.state.scans.wait(started.json()["id"]), loop).result(PATIENCE)

        def undo() -> None:
            note = {"notes": f"undone {next(numbers)}"}
            call("PATCH", f"/api/v1/assignments/{items[1]['id']}", 200, json=note)
            change = next(
                c for c in call("GET", "/api/v1/changes?limit=40")["items"] if c["item"] == items[1]["address"]
            )
            call("POST", "/api/v1/changes/undo", 204, 409, 422, json={"change_ids": [change["id"]]})

        def listen() -> None:
            number = next(numbers)
            mac = 0x02C07F000000 | number & 0xFFFF
            said = [Sighting(Address(0x0A2C1E00 + 100 + number % 50), MacNumber(mac), now_ms(), Source.OVERHEARD)]
            listening.take("office0", Batch(sightings=said, frames=1), 0)
            listening._store()

        def backup() -> None:
            with sqlite3.connect(folder / "home" / "roster.db") as source, sqlite3.connect(":memory:") as copy:
                source.backup(copy, pages=64)
                (whole,) = copy.execute("PRAGMA integrity_check").fetchone()
                self.assertEqual(whole, "ok")

        async def stream() -> None:
            async for _ in _first(context.hub.stream(None), 2):
                pass

        def follow() -> None:
            asyncio.run_coroutine_threadsafe(stream(), loop).result(PATIENCE)

        def sheet() -> str:
            return f"address,name,note\n10.44.30.{120 + next(numbers) % 8},import-{next(numbers) % 5},row\n"

        return {
            "an assignment": lambda: call(
                "PATCH", f"/api/v1/assignments/{items[0]['id']}", json={"notes": f"n{next(numbers)}"}
            ),
            "a band": lambda: call("PATCH", f"/api/v1/bands/{band.id}", json={"notes": f"n{next(numbers)}"}),
            "a subnet": lambda: call("PATCH", f"/api/v1/plan/subnets/{subnet.id}", json={"notes": f"n{next(numbers)}"}),
            "a site": lambda: call("PATCH", f"/api/v1/sites/{site['id']}", json={"notes": f"n{next(numbers)}"}),
            "a role": lambda: call("PUT", "/api/v1/roles", json={"name": "piano", "on_pool": "fine", "travels": False}),
            "a device": lambda: call("PATCH", f"/api/v1/devices/{device}", json={"notes": f"n{next(numbers)}"}),
            "a watch": lambda: call("PUT", f"/api/v1/watches/{subnet.id}", json={"every_minutes": 30 + next(numbers) % 9}),
            "a route": lambda: call("PATCH", f"/api/v1/notices/{route['id']}", json={"least": "urgent"}),
            "what is kept": lambda: call("PUT", "/api/v1/keeping", json={"missing_days": 5 + next(numbers) % 5}),
            "an import": lambda: call(
                "POST", "/api/v1/sheets/import?dry_run=false", 200, 409, 422, content=sheet().encode()
            ),
            "leases": lambda: call("POST", f"/api/v1/dhcp/servers/{server}/read"),
            "publishing": lambda: call("POST", f"/api/v1/dhcp/servers/{server}/publish", 200, 409, json={}),
            "a scan": scan,
            "a directed round": lambda: asyncio.run_coroutine_threadsafe(
                watcher.confirm([0x0A2C1429, 0x0A2C0A1E]), loop
            ).result(PATIENCE) and None,
            "listening": listen,
            "folding": lambda: watcher.tidy() and None,
            "undo": undo,
            "a backup": backup,
            "a list": lambda: call("GET", "/api/v1/devices?limit=200&sort=name"),
            "findings": lambda: call("GET", "/api/v1/findings"),
            "all rules": lambda: context.findings.settle(everything=True) and None,
            "events": follow,
        }  # fmt: skip


async def _first(stream: Any, count: int) -> Any:
    """The first few of a stream."""
    number = 0
    async for one in stream:
        yield one
        number += 1
        if number >= count:
            return


if __name__ == "__main__":
    unittest.main()
