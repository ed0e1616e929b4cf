"""Who comes in, and with how much: refused before anything that was sent is read, with an answer that says so."""

from __future__ import annotations

import asyncio
import contextlib
import itertools
import json
import select
import socket
import threading
import time
import unittest
from collections.abc import AsyncIterator, Iterator
from typing import Any
from unittest import mock

import httpx
import uvicorn
from starlette.types import Receive, Scope, Send

from even_roster.api.devices import DeviceNew
from even_roster.service.web import admission, connections
from even_roster.service.web.accepting import Server
from even_roster.service.web.admission import Admission
from even_roster.service.web.connections import Connection
from even_roster.service.web.shares import Limits, Shares
from tests.support.patience import PATIENCE
from tests.support.service import Service, demo, service

BESIDE = "anything"

STREAMS = 40
MUCH = 64 << 20


class AtTheDoor(unittest.TestCase):
    service: Service
    token: str

    @classmethod
    def setUpClass(cls) -> None:
        cls.service = cls.enterClassContext(demo(watch=False, environ={"EVEN_ROSTER_STREAMS": str(STREAMS)}))
        cls.token = json.loads((cls.service.home / "service.json").read_text())["token"]

    def asks(self, head: str, body: bytes = b"") -> tuple[int, dict[str, Any]]:
        """One request as it is written; gives the status and the problem that was answered."""
        url = httpx.URL(self.service.url)
        with socket.create_connection((url.host, url.port or 80), 20) as line:
            line.sendall(head.replace("\n", "\r\n").encode() + b"\r\n\r\n")
            with contextlib.suppress(OSError):  # it may be closed before all of it was sent
                line.sendall(body)
            answer = b""
            with contextlib.suppress(OSError):
                while part := line.recv(65536):
                    answer += part
                    told, _, rest = answer.partition(b"\r\n\r\n")
                    if b"content-length: " + str(len(rest)).encode() in told.lower():
                        break
        told, _, rest = answer.partition(b"\r\n\r\n")
        return int(told.split()[1]), json.loads(rest)

    def head(self, line: str, *fields: str, token: bool = True) -> str:
        host = httpx.URL(self.service.url).netloc.decode()
        signed = [f"Authorization: Bearer {self.token}"] if token else []
        return "\n".join([f"{line} HTTP/1.1", f"Host: {host}", "Content-Type: application/json", *signed, *fields])

    def test_who_has_not_signed_in_is_told_before_the_body_is_read(self) -> None:
        for path in ("/api/v1/devices", "/api/v1/sheets/import", "/api/v1/no/such/path"):
            status, told = self.asks(self.head(f"POST {path}", "Content-Length: 900000000", token=False))
            self.assertEqual((status, told["code"]), (401, "not_signed_in"))

    def test_who_has_not_signed_in_asks_no_faster_than_it_is_given_rest(self) -> None:
        url = f"{self.service.url}/api/v1/here"
        with httpx.Client(timeout=20) as web:
            began = time.monotonic()
            for _ in range(6):
                self.assertEqual(web.get(url).status_code, 401)
            self.assertGreaterEqual(
                time.monotonic() - began, 4 * connections.REST_SECONDS
            )  # timers may be a little early
            for _ in range(3):
                self.assertEqual(web.get(url, headers={"Authorization": f"Bearer {self.token}"}).status_code, 200)

    def test_bodies_are_taken_up_to_a_size_whatever_they_say_of_themselves(self) -> None:
        status, told = self.asks(self.head("POST /api/v1/devices", "Content-Length: 900000000"))
        self.assertEqual((status, told["code"]), (413, "too_large"))
        self.assertIn("1 MiB", told["detail"])
        chunk = b"20000\r\n" + b"x" * 0x20000 + b"\r\n"
        status, told = self.asks(self.head("POST /api/v1/devices", "Transfer-Encoding: chunked"), chunk * 12)
        self.assertEqual((status, told["code"]), (413, "too_large"))
        status, told = self.asks(
            self.head("POST /api/v1/sheets/import", "Transfer-Encoding: chunked"), chunk * 12 + b"0\r\n\r\n"
        )
        self.assertEqual((status, told["code"]), (422, "bad_sheet"), "a table may be longer than a form")
        status, told = self.asks(self.head("POST /api/v1/devices", "Content-Length: 5"), b"{}   ")
        self.assertEqual(status, 422)

    def test_what_is_no_request_is_answered_in_our_words(self) -> None:
        for line in ("\x16\x03\x01", "GET", "BREW /pot HTTP/9.9", "GET http://[ HTTP/1.1"):
            status, told = self.asks(line)
            self.assertEqual((status, told["code"]), (400, "bad_request"), line)
        status, told = self.asks(self.head("GET /healthz", f"X-Long: {'x' * 66_000}"))
        self.assertEqual((status, told["code"]), (431, "head_too_large"))
        status, told = self.asks(self.head("GET /api/v1/devices", *(f"X-{n}: {'y' * 900}" for n in range(80))))
        self.assertEqual((status, told["code"]), (431, "head_too_large"))

    def test_listeners_have_room_for_so_many_and_leave_it_again(self) -> None:
        url, headers = f"{self.service.url}/api/v1/events", {"Authorization": f"Bearer {self.token}"}
        with contextlib.ExitStack() as open_ones, httpx.Client(headers=headers, timeout=20) as web:
            for _ in range(STREAMS):
                found = open_ones.enter_context(httpx.stream("GET", url, headers=headers, timeout=20))
                self.assertEqual(found.status_code, 200)
            answer = web.get(url)
            self.assertEqual((answer.status_code, answer.json()["code"]), (503, "too_many_streams"))
            self.assertEqual(web.get(f"{self.service.url}/healthz").status_code, 200)
        for _ in range(200):
            with httpx.stream("GET", url, headers=headers, timeout=20) as again:
                if again.status_code == 200:
                    return
        self.fail("those that left keep their places")


async def _says_what_came(scope: Scope, receive: Receive, send: Send) -> None:
    """An application that reads a whole body and tells its length."""
    if scope["type"] != "http":
        return
    size, more = 0, True
    while more:
        message = await receive()
        size += len(message.get("body", b""))
        more = message.get("more_body", False) and message["type"] == "http.request"
    await send({"type": "http.response.start", "status": 200, "headers": []})
    for _ in range(MUCH >> 16 if scope["path"] == "/much" else 0):
        await send({"type": "http.response.body", "body": b"x" * (1 << 16), "more_body": True})
    await send({"type": "http.response.body", "body": str(size).encode()})


@contextlib.contextmanager
def listening(limits: Limits = Limits()) -> Iterator[int]:  # noqa: B008 -- it never changes
    """A small server with our connections; gives its port."""
    with socket.create_server(("127.0.0.1", 0)) as listener:
        config = uvicorn.Config(_says_what_came, http=Connection, ws="none", lifespan="off", log_config=None)
        server = Server(config, Shares(limits))
        thread = threading.Thread(target=lambda: server.run([listener]), daemon=True)
        thread.start()
        yield listener.getsockname()[1]
        server.should_exit = True
        thread.join(20)


def rest_of(line: socket.socket) -> bytes:
    found = b""
    while part := line.recv(4096):
        found += part
    return found


class Patience(unittest.TestCase):
    def setUp(self) -> None:
        self.enterContext(mock.patch.object(connections, "HEAD_SECONDS", 0.4))

    def test_a_head_that_never_ends_does_not_keep_its_place(self) -> None:
        with listening() as port:
            for begun, told in ((b"", b""), (b"GET / HT", b"408"), (b"GET / HTTP/1.1\r\nHost: x\r\nX: ", b"408")):
                with self.subTest(begun), socket.create_connection(("127.0.0.1", port), 20) as line:
                    line.sendall(begun)
                    self.assertIn(told, rest_of(line)[:20])

    def test_a_request_after_another_has_its_own_time(self) -> None:
        with listening() as port, socket.create_connection(("127.0.0.1", port), 20) as line:
            for _ in range(3):
                line.sendall(b"POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 3\r\n\r\nabc")
                self.assertTrue(line.recv(4096).startswith(b"HTTP/1.1 200"))
            line.sendall(b"POST / HTTP/1.1\r\nHo")
            self.assertIn(b"too_slow", rest_of(line))

    def test_a_slow_answer_is_not_cut_off(self) -> None:
        with listening() as port, socket.create_connection(("127.0.0.1", port), 20) as line:
            line.sendall(b"POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 6\r\n\r\nabc")
            threading.Event().wait(0.8)  # longer than a head may take: bodies have patience of their own
            line.sendall(b"def")
            self.assertIn(b"200", line.recv(4096)[:20])

    def test_one_connection_too_many_is_told_so(self) -> None:
        with listening(Limits(strangers=3, strangers_each=3)) as port, contextlib.ExitStack() as kept:
            self.enterContext(mock.patch.object(connections, "HEAD_SECONDS", 60.0))
            lines = [kept.enter_context(socket.create_connection(("127.0.0.1", port), 20)) for _ in range(3)]
            for line in lines:
                line.sendall(b"GET / HTTP/1.1\r\nHost: x\r\n\r\n")
                self.assertIn(b"200", line.recv(4096)[:20])
            with socket.create_connection(("127.0.0.1", port), 20) as late:
                self.assertIn(b"too_many_connections", rest_of(late))

    def test_what_is_not_read_is_not_waited_for(self) -> None:
        self.enterContext(mock.patch.object(connections, "UNREAD_SECONDS", 0.3))
        with listening() as port, socket.create_connection(("127.0.0.1", port), 20) as line:
            line.sendall(b"POST /much HTTP/1.1\r\nHost: x\r\nContent-Length: 0\r\n\r\n")
            self.assertTrue(line.recv(64).startswith(b"HTTP/1.1 200"))
            poll = select.poll()
            poll.register(line, select.POLLERR | select.POLLHUP)
            self.assertTrue(poll.poll(PATIENCE * 1000), "it is ended although the client never reads")

    def test_what_is_read_slowly_goes_on(self) -> None:
        connection = Connection.__new__(Connection)
        connection.loop, connection.flow, connection.transport = mock.Mock(), mock.Mock(), mock.Mock()
        connection._arrival = mock.Mock()
        left = connection.transport.get_write_buffer_size
        left.return_value = 900
        connection.pause_writing()
        for size, ends in ((500, 0), (499, 0), (499, 1)):
            left.return_value = size
            seconds, look = connection.loop.call_later.call_args.args
            self.assertEqual(seconds, connections.UNREAD_SECONDS)
            look()
            self.assertEqual(connection._arrival.end.call_count, ends, size)
        connection.pause_writing()
        connection.resume_writing()
        connection.loop.call_later.return_value.cancel.assert_called_with()

    def test_requests_that_wait_behind_each_other_are_few(self) -> None:
        with listening() as port, socket.create_connection(("127.0.0.1", port), 20) as line:
            one = b"POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 0\r\n\r\n"
            line.sendall(one * 10)
            found = b""
            while found.count(b"HTTP/1.1 200") < 10:
                found += line.recv(4096)
            line.sendall(one * 200)
            with contextlib.suppress(ConnectionResetError):
                self.assertLess(rest_of(line).count(b"HTTP/1.1"), 200, "it is ended before all were answered")

    def test_a_body_that_does_not_come_ends(self) -> None:
        async def ask() -> httpx.Response:
            async def slowly() -> AsyncIterator[bytes]:
                yield b"abc"
                await asyncio.sleep(30)
                yield b"def"

            async with httpx.AsyncClient(
                transport=httpx.ASGITransport(Admission(_says_what_came, Shares(Limits()))), base_url="http://x"
            ) as web:
                return await web.post("/enter", content=slowly())

        with mock.patch.object(admission, "PATIENCE", 0.2):
            answer = asyncio.run(ask())
        self.assertEqual((answer.status_code, answer.json()["code"]), (408, "too_slow"))


class AsItIsSet(unittest.TestCase):
    def test_how_much_is_taken_at_once_is_set_and_told(self) -> None:
        limits = {"EVEN_ROSTER_BODY": "65536", "EVEN_ROSTER_BULK": "2", "EVEN_ROSTER_UNDO": "1"}
        with service("serve", environ=limits) as running, running.client() as roster:
            ids = [roster.add_device(DeviceNew(name=f"lamp-{number}")).device.id for number in range(3)]

            def told(path: str, body: dict[str, Any]) -> str:
                token = {"Authorization": f"Bearer {roster.place.token}"}
                answer = httpx.post(f"{running.url}/api/v1/{path}", headers=token, json=body, timeout=PATIENCE)
                return "" if answer.is_success else str(answer.json()["detail"])

            every = [{"id": one} for one in ids]
            said = told("devices/bulk", {"devices": every, "place": "attic"})
            self.assertEqual(said, "3 devices at once; 2 may be set at once (EVEN_ROSTER_BULK)")
            self.assertEqual(told("devices/bulk", {"devices": every[:2], "place": "attic"}), "")
            last = [one.id for one in itertools.islice(roster.changes(), 2)]
            said = told("changes/undo", {"change_ids": last})
            self.assertEqual(said, "2 changes at once; 1 may be taken back at once (EVEN_ROSTER_UNDO)")
            self.assertEqual(told("changes/undo", {"change_ids": last[:1]}), "")
            self.assertIn("a body may have 64 KiB here", told("devices", {"name": "x", "notes": "y" * 70_000}))


if __name__ == "__main__":
    unittest.main()
