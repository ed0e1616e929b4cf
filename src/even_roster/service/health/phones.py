"""Signing a phone in: an address that it reaches this service at, with a one-time ticket in it, and a QR code of that."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any
from urllib.parse import quote

import segno

from ...api.network import PhoneSignIn, PhoneWanted
from ...probe import machine
from ..context import Context
from ..web import own_certificate
from ..web.auth import Gate
from ..web.problems import Refusal


def page(to: str) -> str:
    """A page of this console and nothing else: a path, never another host's."""
    inside = to.startswith("/") and not to.startswith("//") and "\\" not in to and to.isprintable()
    return to if inside else "/"


def sign_in(context: Context, gate: Gate, wanted: PhoneWanted, scope: Any) -> PhoneSignIn:
    """See the route. Raises Refusal for an address that is none of this machine's."""
    settings = context.settings
    listening, _ = settings.address()
    if settings.loopback_only:
        return PhoneSignIn(
            url=None, qr=None, fingerprint="",
            why_not="the service listens on this machine alone; start it with --listen 0.0.0.0:7420 --own-certificate",
        )  # fmt: skip
    hosts = list(_hosts(listening))
    if wanted.host and wanted.host not in hosts:
        raise Refusal(
            422, "bad_input", f"{wanted.host!r} is none of this machine's addresses: {', '.join(hosts)}", "host"
        )
    if not hosts:
        return PhoneSignIn(url=None, qr=None, fingerprint="", why_not="no adapter of this machine has an address")
    host = wanted.host or hosts[0]
    port = scope["server"][1]
    scheme = "https" if settings.tls_certificate else "http"
    shown = f"[{host}]" if ":" in host else host
    url = f"{scheme}://{shown}:{port}/enter?ticket={gate.ticket()}&to={quote(page(wanted.page), safe='/')}"
    fingerprint = own_certificate.fingerprint(settings.tls_certificate) if settings.tls_certificate else ""
    return PhoneSignIn(
        url=url, qr=segno.make(url, error="m").svg_data_uri(scale=6, border=3, dark="#000", light="#fff"),
        fingerprint=fingerprint, why_not="",
    )  # fmt: skip


def _hosts(listening: str) -> Iterator[str]:
    """The addresses at which this service is reached from elsewhere, those with a way out first. They are the computer's own, also
    where the network that the service looks at is simulated."""
    if listening not in ("0.0.0.0", "::"):
        yield listening
        return
    usable = [a for a in machine.adapters() if a.medium != "loopback" and a.up]
    for adapter in sorted(usable, key=lambda one: one.gateway is None):
        for one in adapter.addresses:
            yield str(one.ip)
