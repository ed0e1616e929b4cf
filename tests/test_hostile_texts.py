"""Texts that people and programs enter: whatever they hold, only the declared error comes of them."""

from __future__ import annotations

import smtplib
import socket
import unittest
from datetime import UTC, datetime, timedelta, timezone
from typing import Any
from unittest import mock

import httpx
from pydantic import ValidationError

from even_roster.api.watching import RouteNew
from even_roster.core.moments import MomentError, parse
from even_roster.service.findings import notices, senders
from even_roster.service.findings.senders import Item, Target
from even_roster.store.edits import EditError
from tests.support.drawing import example, given, st

BESIDE = "anything"

NOW = datetime(2026, 11, 27, 9, 30, tzinfo=timezone(timedelta(hours=1)))
NUMBERS = st.integers(0, 10**30).map(str) | st.sampled_from(["٣", "00", "23", "59", "60", "99", "9" * 5000])
UNITS = st.sampled_from(
    [
        "s",
        "min",
        "hours",
        "d",
        "weeks",
        " ago",
        ":",
        "-",
        "T",
        "Z",
        "+",
        " ",
        ".",
        "last ",
        "monday",
        "today",
        "yesterday",
    ]
)
MOMENTS = st.lists(NUMBERS | UNITS, max_size=8).map("".join) | st.text(max_size=40)
HOSTS = st.sampled_from(
    ["127.0.0.1", "[::1]", "logs.larkspur.example", "logs..example", "x" * 70, "@", "", "bücher.example"]
)
PORTS = st.sampled_from(["", ":0", ":514", ":65535", ":65536", ":x", ":-1", ":٣"])
TARGETS = (
    st.text(max_size=40)
    | st.tuples(HOSTS, PORTS).map("".join)
    | st.tuples(st.sampled_from(["http://", "https://", "ftp://", "//"]), HOSTS, PORTS, st.text(max_size=9)).map(
        "".join
    )
    | st.tuples(st.text(max_size=12), st.sampled_from(["@", "@@", " @ ", "<@"]), HOSTS).map("".join)
)
ITEM = Item(
    1,
    "opened",
    "duplicate-address",
    "Two devices answer",
    "urgent",
    (("address", "10.44.20.41"),),
    "both\nanswer",
    "x",
    5,
)


class Moments(unittest.TestCase):
    @given(MOMENTS)
    @example("999999999 weeks ago")
    @example("0001-01-01 00:00")
    @example("9999-12-31T23:59:59+00:00")
    def test_a_text_is_a_moment_of_the_calendar_or_is_refused(self, text: str) -> None:
        try:
            found = parse(text, NOW)
        except MomentError:
            return
        self.assertIsNotNone(found.tzinfo)
        self.assertTrue(1969 <= found.astimezone(UTC).year <= 3000, found)


class Routes(unittest.TestCase):
    @given(st.sampled_from(["webhook", "mail", "syslog"]), TARGETS, TARGETS, TARGETS, st.text(max_size=10))
    def test_a_way_for_notices_is_refused_or_can_be_used(
        self, kind: str, to: str, sender: str, server: str, user: str
    ) -> None:
        try:
            new = RouteNew(name="desk", kind=kind, to=to, sender=sender, smtp_server=server, user=user, tls="starttls")  # type: ignore[arg-type]
            notices._check(new)
        except (ValidationError, EditError):
            return
        target = Target(
            kind, new.to, sender=new.sender, server=new.smtp_server, user=new.user, tls=new.tls, secret="opens it"
        )
        sent: list[Any] = []

        def post(url: str, **given: Any) -> httpx.Response:
            sent.append(httpx.Request("POST", url, content=given["content"], headers=given["headers"]))
            return httpx.Response(204)

        with (
            mock.patch.object(httpx, "post", post), mock.patch.object(smtplib, "SMTP", Mailbox(sent)),
            mock.patch.object(socket, "getaddrinfo", lambda *_, **__: [(2, 2, 17, "", ("127.0.0.1", 9))]),
            mock.patch.object(socket, "socket", mock.MagicMock()),
        ):  # fmt: skip
            senders.send(target, 'Larkspur "Hall"\n', [ITEM], 1)
        self.assertEqual(len(sent), 0 if kind == "syslog" else 1)


class Mailbox:
    """An SMTP server that takes a message as smtplib would send it."""

    def __init__(self, sent: list[Any]) -> None:
        self._sent = sent

    def __call__(self, host: str, port: int, **_: Any) -> Any:
        box = mock.MagicMock()
        box.__enter__.return_value = box
        box.send_message = lambda message: self._sent.append(bytes(message))
        return box


if __name__ == "__main__":
    unittest.main()
