"""Sends one notice over one route: a signed webhook, a mail through an SMTP server, a syslog message.

A webhook is signed as in RFC 9421 with HMAC-SHA256 over method, target and the body's digest (RFC 9530); a mail is plain
text; syslog is RFC 5424 over UDP (RFC 5426). Nothing is sent anywhere but where a person told it to.
"""

from __future__ import annotations

import base64
import codecs
import hashlib
import hmac
import json
import smtplib
import socket
import ssl
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from email.message import EmailMessage
from email.utils import make_msgid
from typing import Any
from urllib.parse import urlsplit

import httpx

from .route_urls import shown

TIMEOUT = 15.0
_SEVERITY = {"urgent": 1, "wrong": 4, "notice": 5}  # RFC 5424 6.2.1: alert, warning, notice
_FACILITY = 16  # local0
_MOST_SYSLOG = 1200


class SendError(RuntimeError):
    """A notice was not delivered; the message says why, without secrets."""


@dataclass(frozen=True, slots=True)
class Item:
    """One thing a notice tells."""

    id: int
    turn: str
    kind: str
    title: str
    severity: str
    subjects: tuple[tuple[str, str], ...]
    said: str
    remedy: str
    at: int


@dataclass(frozen=True, slots=True)
class Target:
    """Where a notice goes; the fields a kind does not use are empty."""

    kind: str
    to: str
    sender: str = ""
    server: str = ""
    user: str = ""
    tls: str = "none"
    secret: str = ""


def send(target: Target, site: str, items: Sequence[Item], now: int) -> None:
    """Deliver a notice. Raises SendError. Blocks for up to TIMEOUT seconds."""
    try:
        {"webhook": _webhook, "mail": _mail, "syslog": _syslog}[target.kind](target, site, items, now)
    except SendError:
        raise
    except (OSError, httpx.HTTPError, smtplib.SMTPException, ValueError) as error:
        where = shown(target.to) if target.kind == "webhook" else target.to
        raise SendError(f"{where}: {str(error).replace(target.to, where) or type(error).__name__}") from error


def body_of(site: str, items: Sequence[Item], now: int) -> bytes:
    """What a webhook gets, as JSON."""
    return json.dumps(
        {
            "from": "even-roster", "site": site, "at": _iso(now),
            "findings": [
                {
                    "id": one.id, "turn": one.turn, "kind": one.kind, "title": one.title, "severity": one.severity,
                    "subjects": [{"type": t, "value": v} for t, v in one.subjects], "said": one.said,
                    "remedy": one.remedy, "at": _iso(one.at),
                }
                for one in items
            ],
        },
        ensure_ascii=False,
    ).encode()  # fmt: skip


def signed_headers(url: str, body: bytes, secret: str, now: int) -> dict[str, str]:
    """Content-Digest (RFC 9530), and with a secret Signature-Input and Signature (RFC 9421 3.3.3)."""
    digest = f"sha-256=:{base64.b64encode(hashlib.sha256(body).digest()).decode()}:"
    headers = {"Content-Type": "application/json", "Content-Digest": digest}
    if secret:
        covered = (
            f'("@method" "@target-uri" "content-digest");created={now // 1000};keyid="even-roster";alg="hmac-sha256"'
        )
        base = f'"@method": POST\n"@target-uri": {url}\n"content-digest": {digest}\n"@signature-params": {covered}'
        mark = base64.b64encode(hmac.new(secret.encode(), base.encode(), hashlib.sha256).digest()).decode()
        headers |= {"Signature-Input": f"roster={covered}", "Signature": f"roster=:{mark}:"}
    return headers


def is_webhook(text: str) -> bool:
    """True for a URL that a webhook can be sent to: http or https, a host, a port that there is (RFC 3986 3.2, RFC 1035 2.3.4)."""
    try:
        httpx.URL(text)
        url = urlsplit(text)
        host = url.hostname or ""
        named = all(0 < len(label) <= 63 for label in host.rstrip(".").split(".")) and not set(host) & set(" \t%[")
        return url.scheme in ("http", "https") and url.port != 0 and (named or ":" in host)
    except (httpx.InvalidURL, UnicodeError, ValueError):
        return False


def are_mailboxes(text: str, most: int = 20) -> bool:
    """True for one or several addresses that a mail can be sent to or comes from (RFC 5322 3.4)."""
    message = EmailMessage()
    try:
        message["To"] = text
        found = message["To"].addresses
        bytes(message)
        faults = message["To"].defects
    except Exception:  # the library's parser stumbles over some texts in ways of its own
        return False
    return not faults and 0 < len(found) <= most and all(one.username and one.domain for one in found)


def _webhook(target: Target, site: str, items: Sequence[Item], now: int) -> None:
    body = body_of(site, items, now)
    answer = httpx.post(
        target.to, content=body, headers=signed_headers(target.to, body, target.secret, now), timeout=TIMEOUT
    )
    if answer.status_code >= 300:
        raise SendError(f"{shown(target.to)} answered {answer.status_code}")


def _mail(target: Target, site: str, items: Sequence[Item], now: int) -> None:
    host, _, port = target.server.rpartition(":")
    message = EmailMessage()
    message["From"], message["To"] = target.sender, target.to
    message["Subject"] = _one_line(
        f"{site}: {items[0].title}" + (f" and {len(items) - 1} more" if len(items) > 1 else "")
    )
    message["Date"] = datetime.fromtimestamp(now / 1000, UTC)
    message["Message-ID"] = make_msgid(domain=target.sender.rpartition("@")[2].strip("<> ") or None)
    message.set_content("\n\n".join(_paragraph(one) for one in items) + "\n")
    context = ssl.create_default_context()
    kind = smtplib.SMTP_SSL if target.tls == "tls" else smtplib.SMTP
    more: dict[str, Any] = {"context": context} if target.tls == "tls" else {}
    with kind(host, int(port), timeout=TIMEOUT, **more) as server:
        if target.tls == "starttls":
            server.starttls(context=context)
        if target.user:
            server.login(target.user, target.secret)
        server.send_message(message)


def _paragraph(one: Item) -> str:
    what = "" if one.turn in ("opened", "reopened", "test") else f" ({one.turn})"
    lines = [f"{one.title}{what}", f"  {one.said}"]
    if one.turn in ("opened", "reopened", "updated", "resumed"):
        lines.append(f"  {one.remedy}.")
    return "\n".join(lines)


def _syslog(target: Target, site: str, items: Sequence[Item], now: int) -> None:
    host, _, port = target.to.rpartition(":")
    family, kind, protocol, _, address = socket.getaddrinfo(host.strip("[]"), int(port), type=socket.SOCK_DGRAM)[0]
    with socket.socket(family, kind, protocol) as sock:
        sock.settimeout(TIMEOUT)
        for one in items:
            sock.sendto(syslog_message(one, site), address)


def syslog_message(one: Item, site: str) -> bytes:
    """One RFC 5424 message with the finding as structured data; the text has a BOM and ends with a whole character (6.4)."""
    priority = _FACILITY * 8 + (_SEVERITY.get(one.severity, 5) if one.turn != "closed" else 6)
    data = f'[finding@32473 id="{one.id}" kind="{one.kind}" turn="{one.turn}" severity="{one.severity}" site="{_escape(site)}"]'
    head = f"<{priority}>1 {_iso(one.at)} {_host()} even-roster - {one.kind} {data} ".encode()
    text = codecs.BOM_UTF8 + _one_line(f"{one.title}: {one.said}").encode()
    return head + text[: _MOST_SYSLOG - len(head)].decode(errors="ignore").encode()


def _host() -> str:
    return (
        "".join(char for char in socket.gethostname() if char.isascii() and char.isprintable() and char != " ")[:255]
        or "-"
    )


def _escape(text: str) -> str:
    return "".join(f"\\{char}" if char in '"\\]' else char for char in _one_line(text))


def _one_line(text: str) -> str:
    return " ".join(text.split())


def _iso(ms: int) -> str:
    return datetime.fromtimestamp(ms / 1000, UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")
