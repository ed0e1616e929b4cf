"""Signing a phone in: a certificate of the service's own, an address with a ticket that is good once, a code that a camera reads."""

from __future__ import annotations

import http.client
import json
import ssl
import tempfile
import unittest
from datetime import UTC, datetime, timedelta
from pathlib import Path
from urllib.parse import parse_qsl, urlsplit

from even_roster.service.health.phones import page
from even_roster.service.web import own_certificate
from tests.support.service import Service, demo

BESIDE = "anything"


class Phone(unittest.TestCase):
    def enter(self, service: Service, url: str) -> tuple[int, str, str]:
        """Sign in as a phone would that trusts the service's certificate, over loopback; gives the status, the page that it leads to,
        and the cookie."""
        trust = ssl.create_default_context(cafile=str(service.home / "own-certificate.pem"))
        parts = urlsplit(url)
        line = http.client.HTTPSConnection("127.0.0.1", parts.port, context=trust, timeout=30)
        given = dict(parse_qsl(parts.query))
        line.request(
            "POST", "/api/v1/sign-in", json.dumps({"ticket": given["ticket"]}), {"Content-Type": "application/json"}
        )
        answer = line.getresponse()
        answer.read()
        line.close()
        return answer.status, given["to"], answer.headers.get("set-cookie", "")

    def test_a_phone_is_signed_in_once_and_comes_to_its_page(self) -> None:
        home = Path(self.enterContext(tempfile.TemporaryDirectory())) / "home"
        prints = set()
        for _ in range(2):
            with demo("--listen", "0.0.0.0:0", "--own-certificate", home=home) as service, service.client() as roster:
                found = roster.phone_sign_in("/fittings/3")
                assert found.url is not None and found.qr is not None
                self.assertTrue(found.qr.startswith("data:image/svg+xml"))
                prints.add(found.fingerprint)
                status, place, cookie = self.enter(service, found.url)
                self.assertEqual((status, place), (204, "/fittings/3"))
                self.assertIn("HttpOnly", cookie)
                self.assertIn("Secure", cookie)
                self.assertEqual(self.enter(service, found.url)[::2], (403, ""), "it is good once")
                told = json.loads(service.roster("console", "--phone", "--json").stdout)
                self.assertEqual(told["fingerprint"], found.fingerprint)
                self.assertIn("SHA-256", service.roster("console", "--phone").stdout)
        self.assertEqual(len(prints), 1, "it is compared once: a restart does not make another one")

    def test_where_only_this_machine_can_connect_it_says_how_to_begin(self) -> None:
        with demo() as service, service.client() as roster:
            found = roster.phone_sign_in()
            self.assertIsNone(found.url)
            self.assertIn("--own-certificate", found.why_not)
            self.assertEqual(service.roster("console", "--phone").returncode, 1)

    def test_no_ticket_leads_to_another_host(self) -> None:
        for wanted in (
            "//evil.example",
            "https://evil.example",
            "/\\evil.example",
            "javascript:1",
            "",
            "/a\r\nSet-Cookie: x=1",
        ):
            self.assertEqual(page(wanted), "/")
        self.assertEqual(page("/fittings/3?device=1"), "/fittings/3?device=1")

    def test_a_certificate_is_made_anew_when_it_ends_or_is_broken_and_its_key_is_private(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        now = datetime.now(UTC)
        made = own_certificate.have(folder, "box office", ["10.44.10.20"], now)
        first = own_certificate.fingerprint(made.certificate)
        self.assertEqual(made.key.stat().st_mode & 0o777, 0o600)
        own_certificate.have(folder, "another", [], now + timedelta(days=600))
        self.assertEqual(own_certificate.fingerprint(made.certificate), first)
        own_certificate.have(folder, "another", [], now + timedelta(days=720))
        second = own_certificate.fingerprint(made.certificate)
        self.assertNotEqual(second, first)
        made.key.write_text("nonsense")
        own_certificate.have(folder, "another", [], now + timedelta(days=720))
        self.assertNotEqual(own_certificate.fingerprint(made.certificate), second)


if __name__ == "__main__":
    unittest.main()
