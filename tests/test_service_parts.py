"""Parts of the service on their own: events, sessions, settings, problems, the client's side of errors and streams."""

from __future__ import annotations

import ast
import asyncio
import inspect
import json
import os
import random
import ssl
import tempfile
import threading
import time
import unittest
from pathlib import Path
from unittest import mock

import httpx
from starlette.datastructures import Headers

from even_roster.api.common import Problem
from even_roster.api.devices import DevicePage
from even_roster.api.events import DevicesEvent, Event, PlanEvent
from even_roster.api.events import Events as EventModels
from even_roster.client import (
    BadInput,
    Conflict,
    NeedsConfirm,
    NotFound,
    NotPermitted,
    ServiceFault,
    StaleEdit,
    Unreachable,
    _calls,
    _plan_calls,
    _watch_calls,
)
from even_roster.client import _calls as calls
from even_roster.client._answers import adapter, model
from even_roster.client._client import _problem
from even_roster.client._errors import error_of
from even_roster.client._events import EventParser
from even_roster.client._methods import Calls
from even_roster.client._place import Place, locate
from even_roster.core.address import Address
from even_roster.core.mac import MacError, MacNumber
from even_roster.core.ranges import RangeError
from even_roster.core.targets import TargetError
from even_roster.core.vendors import VendorRegistry
from even_roster.probe.segment import SegmentError
from even_roster.service import views
from even_roster.service.context import Context, open_context
from even_roster.service.health.metrics import _family
from even_roster.service.health.pulse import Pulse
from even_roster.service.knowing.events import KEPT, Hub
from even_roster.service.lookup.explain import ago
from even_roster.service.settings import Settings, SettingsError
from even_roster.service.vendors import vendor_data
from even_roster.service.views import web_link
from even_roster.service.web import problems
from even_roster.service.web.auth import SESSION_SECONDS, TICKET_SECONDS, Gate
from even_roster.service.web.deps import listed_as_json
from even_roster.standin import larkspur
from even_roster.standin.segment import StandinMachine
from even_roster.store.address_column import NO_ADDRESS
from even_roster.store.database import StoreError
from even_roster.store.edits import EditError, Missing
from even_roster.store.edits import StaleEdit as Stale
from even_roster.store.rows import DeviceRow
from even_roster.store.tables import NO_MAC
from tests.support.patience import PATIENCE

BESIDE = "anything"


async def heard(hub: Hub, last_id: str | None, count: int) -> list[str]:
    """The first chunks of a stream."""
    chunks: list[str] = []
    stream = hub.stream(last_id)
    async for chunk in stream:
        if chunk:
            chunks.append(chunk)
        if len(chunks) >= count:
            break
    return chunks


async def listens(hub: Hub) -> None:
    """Until somebody listens: as many turns of the loop as that takes."""
    for _ in range(1000):
        if hub.listeners:
            return
        await asyncio.sleep(0)
    raise AssertionError("nobody listens")


class VendorBlocks(unittest.TestCase):
    def test_blocks_of_every_size_are_known_without_the_systems_lists(self) -> None:
        with tempfile.TemporaryDirectory() as folder, mock.patch.object(vendor_data, "_SYSTEM", Path(folder) / "none"):
            for _ in range(2):  # read, and from the cache
                registry = VendorRegistry()
                vendor_data.load(registry, Path(folder))
                self.assertEqual(
                    {length for length, table in registry.public.items() if len(table) > 1000}, {24, 28, 36}
                )


class Events(unittest.IsolatedAsyncioTestCase):
    def test_every_kind_of_event_is_described_under_its_kind(self) -> None:
        described = {name: field.annotation for name, field in EventModels.model_fields.items()}
        self.assertEqual(described, {model.kind: model for model in Event.__subclasses__()})

    async def test_a_new_listener_is_greeted_and_hears_what_comes(self) -> None:
        hub = Hub()
        hub.publish(PlanEvent(change_id=1, kinds=["site"]))
        listening = asyncio.create_task(heard(hub, None, 2))
        await listens(hub)
        hub.publish(DevicesEvent(ids=[3]))
        hello, event = await listening
        self.assertIn("event: hello", hello)
        self.assertEqual(event, f'id: {hub.epoch}-2\nevent: devices\ndata: {{"ids":[3],"new":0,"edited":false}}\n\n')

    async def test_a_listener_that_was_away_hears_everything_it_missed_in_order(self) -> None:
        hub = Hub()
        for number in range(10):
            hub.publish(PlanEvent(change_id=number, kinds=[]))
        chunks = await heard(hub, f"{hub.epoch}-4", 6)
        self.assertEqual([json.loads(chunk.split("data: ")[1])["change_id"] for chunk in chunks], [4, 5, 6, 7, 8, 9])

    async def test_too_long_away_or_another_run_means_reset(self) -> None:
        hub = Hub()
        for number in range(KEPT + 20):
            hub.publish(PlanEvent(change_id=number, kinds=[]))
        for last_id in (f"{hub.epoch}-3", "other-9", "nonsense", f"{hub.epoch}-999999"):
            with self.subTest(last_id):
                self.assertIn("event: reset", (await heard(hub, last_id, 1))[0])

    async def test_a_listener_that_does_not_read_is_let_go(self) -> None:
        hub = Hub()
        stream = hub.stream(None)
        await anext(stream)
        for number in range(2100):
            hub.publish(PlanEvent(change_id=number, kinds=[]))
        self.assertEqual(hub.listeners, 0)
        received = sum([1 async for _ in stream])
        self.assertEqual(received, 2048)

    async def test_closing_ends_every_stream(self) -> None:
        hub = Hub()
        listening = asyncio.create_task(heard(hub, None, 99))
        await listens(hub)
        hub.close()
        self.assertEqual(len(await asyncio.wait_for(listening, 60)), 1)
        self.assertEqual(await heard(hub, None, 1), [])


class WithContext(unittest.TestCase):
    context: Context

    def setUp(self) -> None:
        self.home = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.context = open_context(Settings(home=self.home), StandinMachine(larkspur.build()))
        self.addCleanup(lambda: self.context.close())


class Sessions(WithContext):
    def who(self, gate: Gate, session: str | None = None, bearer: str | None = None) -> str | None:
        headers = Headers({"authorization": f"Bearer {bearer}"} if bearer else {})
        known = gate.who(headers, {"roster_session": session} if session else {})
        return known.who if known is not None else None

    def test_a_ticket_becomes_a_session_once(self) -> None:
        gate = Gate(self.context)
        ticket = gate.ticket()
        session = gate.redeem(ticket)
        self.assertEqual(self.who(gate, session), "console")
        self.assertIsNone(gate.redeem(ticket))
        self.assertIsNone(gate.redeem("made up"))

    def test_sessions_outlive_a_restart_but_not_their_time_nor_another_key(self) -> None:
        gate = Gate(self.context)
        session = gate.redeem(gate.ticket())
        assert session is not None
        self.context.close()
        self.context = open_context(Settings(home=self.home), StandinMachine(larkspur.build()))
        self.assertEqual(self.who(Gate(self.context), session), "console")
        with mock.patch("time.time", return_value=time.time() + SESSION_SECONDS + 5):
            self.assertIsNone(self.who(Gate(self.context), session))
        self.context.secret = b"another key of thirty-two octets"
        self.context.sign_in_by(self.context.sign_ins)
        self.assertIsNone(self.who(Gate(self.context), session))

    def test_old_tickets_are_no_good(self) -> None:
        gate = Gate(self.context)
        ticket = gate.ticket()
        with mock.patch("time.monotonic", return_value=time.monotonic() + TICKET_SECONDS + 1):
            self.assertIsNone(gate.redeem(ticket))

    def test_forged_sessions_and_tokens_are_nobody(self) -> None:
        gate = Gate(self.context)
        for session in ("", ".", "a.b.c", "9999999999..", "9999999999.x." + "0" * 64, "\xff.\xff.\xff"):
            self.assertIsNone(self.who(gate, session))
        for bearer in ("", "x", self.context.token[:-1], "\xe9"):
            self.assertIsNone(self.who(gate, bearer=bearer))
        self.assertEqual(self.who(gate, bearer=self.context.token), "command line")

    def test_a_home_belongs_to_one_service(self) -> None:
        with self.assertRaisesRegex(StoreError, "another service uses"):
            open_context(Settings(home=self.home), StandinMachine(larkspur.build()))


class Reading(unittest.TestCase):
    def test_addresses_to_listen_on(self) -> None:
        for text, expected in (
            ("127.0.0.1:7420", ("127.0.0.1", 7420)),
            (":8000", ("127.0.0.1", 8000)),
            ("8000", ("127.0.0.1", 8000)),
            ("localhost:0", ("localhost", 0)),
            ("[::1]:9", ("::1", 9)),
        ):
            self.assertEqual(Settings(listen=text).address(), expected)
            self.assertTrue(Settings(listen=text).loopback_only)
        for text in ("127.0.0.1", "127.0.0.1:http", "127.0.0.1:70000", "0.0.0.0:7420", "roster.example:7420"):
            with self.subTest(text), self.assertRaises(SettingsError):
                Settings(listen=text).address()
        self.assertEqual(Settings(listen="0.0.0.0:1", plain_http_risk=True).address(), ("0.0.0.0", 1))

    def test_every_kind_of_error_is_a_problem_with_a_code_and_a_sentence(self) -> None:
        cases: tuple[tuple[Exception, int, str], ...] = (
            (RangeError("x", 0, 1, "wrong", "right"), 422, "bad_range"), (TargetError("public", "no"), 422, "public"),
            (MacError("no"), 422, "bad_mac"), (EditError("no", "name"), 422, "bad_edit"), (Missing("no"), 404, "missing"),
            (Stale("device 3", 5, {"name": "x"}), 412, "stale"), (SegmentError("gone"), 503, "network"), (ZeroDivisionError("secret"), 500, "internal"),
        )  # fmt: skip
        for error, status, code in cases:
            problem = problems.of(error)
            self.assertEqual((problem.status, problem.code), (status, code))
            self.assertNotIn("secret", problem.detail)

    def test_rows_of_long_lists_are_written_as_their_model_would(self) -> None:
        chance = random.Random(3)
        for number in range(200):
            seen = chance.choice((0, 1, 999, 1_000, chance.randrange(1 << 41)))
            row = DeviceRow(
                number, 3, chance.choice(("", "Büro \u2028 <1>", "a\\b\"c")), "printer", "", "attic", "two\nlines", False, 5,
                "", "printer-1", "planned hostname", True,
                chance.choice((NO_ADDRESS, Address(chance.randrange(1 << 32)), Address(1 << 125))),
                MacNumber(chance.choice((NO_MAC, chance.randrange(1 << 48)))), 2, chance.choice(("", "Quillmark")), True,
                chance.choice(([], [22], [80, 9100])), seen, seen, "", "", chance.choice((0, seen)),
            )  # fmt: skip
            told = listed_as_json([views.device_json(row)], None, 1).body
            self.assertEqual(
                bytes(told), DevicePage(items=[views.device_row(row)], next=None, total=1).model_dump_json().encode()
            )

    def test_times_and_links_and_metrics_are_written_for_their_readers(self) -> None:
        now = time.time_ns() // 1_000_000
        self.assertEqual(
            [ago(now - ms) for ms in (0, 40_000, 60_000, 7_300_000, 200_000_000)],
            ["just now", "40 seconds ago", "1 minute ago", "2 hours ago", "2 days ago"],
        )
        self.assertEqual(web_link("10.44.10.7", [22, 80, 443]), "https://10.44.10.7/")
        self.assertEqual(web_link("10.44.10.7", [8080]), "http://10.44.10.7:8080/")
        self.assertEqual((web_link("10.44.10.7", [22]), web_link(None, [80])), (None, None))
        self.assertEqual(
            _family("a", "gauge", "About", [({"state": "done"}, 3)]),
            ["# TYPE a gauge", "# HELP a About.", 'a{state="done"} 3'],
        )


class Client(unittest.TestCase):
    def test_whom_a_client_trusts_follows_from_where_it_goes(self) -> None:
        """Without TLS nobody: a redirection to a server of TLS must not be believed either."""
        plain = Place("http://127.0.0.1:7420", "token").verification()
        assert isinstance(plain, ssl.SSLContext)
        self.assertEqual((plain.cert_store_stats()["x509"], plain.verify_mode), (0, ssl.CERT_REQUIRED))
        self.assertTrue(plain.check_hostname)
        self.assertIs(Place("https://roster.larkspur.example", "token").verification(), True, "as the system does")
        with self.assertRaisesRegex(Unreachable, "certificate /nowhere/own.pem cannot be read"):
            Place("https://10.44.10.5", "token", "/nowhere/own.pem").verification()

    def test_problems_become_the_right_branch_of_the_tree(self) -> None:
        for status, code, kind in (
            (422, "bad_range", BadInput), (422, "needs_confirm", NeedsConfirm), (401, "x", NotPermitted), (403, "x", NotPermitted),
            (404, "x", NotFound), (409, "busy", Conflict), (409, "stale", StaleEdit), (500, "x", ServiceFault), (503, "network", ServiceFault),
        ):  # fmt: skip
            error = error_of(Problem(title="t", status=status, code=code, detail="what and why"))
            self.assertIs(type(error), kind)
            self.assertEqual(str(error), "what and why")

    def test_what_a_later_service_adds_to_a_problem_is_left_aside_and_what_is_none_is_told_by_its_number(self) -> None:
        said = {"title": "t", "status": 409, "code": "stale", "detail": "it was changed", "of_tomorrow": [1]}
        error = _problem(httpx.Response(409, json=said))
        self.assertIsInstance(error, StaleEdit)
        self.assertEqual(str(error), "it was changed")
        proxy = _problem(httpx.Response(502, text="<h1>Bad Gateway</h1>"))
        self.assertIsInstance(proxy, ServiceFault)
        self.assertEqual(str(proxy), "the service answered 502")

    def test_event_streams_are_put_together_line_by_line(self) -> None:
        lines = [
            "retry: 1000",
            "id: e-1",
            "event: hello",
            "data: {}",
            "",
            ": still here",
            "",
            "id: e-2",
            "event:scan",
            'data: {"a":',
            "data: 1}",
            "",
        ]
        parser = EventParser()
        found = [event for line in lines if (event := parser.line(line))]
        self.assertEqual(
            [(event.id, event.kind, event.data) for event in found], [("e-1", "hello", {}), ("e-2", "scan", {"a": 1})]
        )

    def test_health_tells_how_long_the_records_have_not_answered(self) -> None:
        now, asked, go = 100.0, threading.Semaphore(0), threading.Event()

        def check() -> None:
            asked.release()
            go.wait(PATIENCE)

        async def beat() -> None:
            nonlocal now
            pulse = Pulse(check, lambda: now)
            pulse.begin()
            await asyncio.to_thread(asked.acquire)
            self.assertEqual(pulse.trouble, "")
            now = 140.0
            self.assertEqual(pulse.trouble, "the records have not answered for 40 seconds")
            go.set()
            await pulse.ask()
            self.assertEqual(pulse.trouble, "")
            await pulse.close()

        asyncio.run(beat())

        def broken() -> None:
            raise OSError("input/output error")

        async def ask() -> str:
            pulse = Pulse(broken)
            await pulse.ask()
            return pulse.trouble

        self.assertEqual(asyncio.run(ask()), "the records cannot be read: input/output error")

    def test_the_service_is_found_by_its_home_and_options_win(self) -> None:
        home = Path(self.enterContext(tempfile.TemporaryDirectory()))
        with self.assertRaisesRegex(Unreachable, "roster serve"):
            locate(home)
        (home / "service.json").write_text(json.dumps({"url": "http://127.0.0.1:1", "token": "t"}))
        self.assertEqual((locate(home).url, locate(home).token), ("http://127.0.0.1:1", "t"))
        self.assertEqual(locate(home, "http://127.0.0.1:2/", "u").url, "http://127.0.0.1:2")
        self.assertEqual(locate(home, token="u").token, "u")
        self.assertEqual(locate(home, "http://127.0.0.1:1/").token, "t", "it is the service that the file names")
        for other in (
            "http://127.0.0.1:2",
            "https://127.0.0.1:1",
            "http://127.0.0.2:1",
            "http://127.0.0.1:1/below",
            "http://127.0.0.1:x",
        ):
            self.assertIsNone(locate(home, other).token, other)
        with mock.patch.dict(os.environ, {"EVEN_ROSTER_SERVER": "http://10.44.10.20:7420", "EVEN_ROSTER_TOKEN": "e"}):
            self.assertEqual(locate()[:2], ("http://10.44.10.20:7420", "e"))
            self.assertEqual(locate(home)[:2], ("http://127.0.0.1:1", "t"))
            self.assertIsNone(locate(server="http://10.44.10.21:7420").token)
            self.assertEqual(locate(server="http://10.44.10.21:7420", token="v").token, "v")
        for broken in ("", "[]", "{}", '{"url": 1}'):
            (home / "service.json").write_text(broken)
            with self.subTest(broken), self.assertRaises(Unreachable):
                locate(home)

    def test_calls_name_their_paths_and_leave_out_what_was_not_given(self) -> None:
        page = calls.devices(q="x", unknown=True)
        assert page.params is not None
        self.assertEqual((page.path, page.params["unknown"], "role" in page.params), ("/api/v1/devices", True, False))
        self.assertEqual(calls.explain("a/../b").path, "/api/v1/explain/a%2F..%2Fb")

    def test_every_call_says_which_answer_its_signature_promises(self) -> None:
        for module in (_calls, _plan_calls, _watch_calls):
            tree = ast.parse(inspect.getsource(module))
            built = [
                one for one in tree.body if isinstance(one, ast.FunctionDef) and one.returns and one.name[0] != "_"
            ]
            for one in built:
                if one.name in ("call", "listing", "named", "or_any"):
                    continue
                returns = ast.unparse(one.returns) if one.returns else ""
                promised = returns.removeprefix("Call[").removesuffix("]")
                if returns.startswith("ListCall["):
                    item, promised = returns.removeprefix("ListCall[").removesuffix("]").split(", ")
                    self.assertEqual(
                        str(model(promised).model_fields["items"].annotation),
                        f"list[{model(item).__module__}.{item}]",
                        one.name,
                    )
                given = [
                    node.args[0].value
                    for node in ast.walk(one)
                    if isinstance(node, ast.Call)
                    and getattr(node.func, "id", "") in ("call", "listing")
                    and isinstance(node.args[0], ast.Constant)
                ]
                self.assertEqual(given, [promised], one.name)
                self.assertIs(adapter(promised), adapter(promised), "no model of the API")
                self.assertIn(one.name, vars(Calls), "no method")


if __name__ == "__main__":
    unittest.main()
