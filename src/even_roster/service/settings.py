"""Where the service keeps its data and listens; read from the environment (EVEN_ROSTER_…) and the command line."""

from __future__ import annotations

from ipaddress import ip_address
from pathlib import Path

from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict

from ..api.home import default_home

DEFAULT_PORT = 7420


class SettingsError(ValueError):
    """A setting is not usable; the message says what would be right."""


class Settings(BaseSettings):
    """Settings of one service process. With `own_certificate` it makes a certificate for itself. Without `watch` it does
    nothing by itself: no schedules, no listening; an `eager` one begins its first scans at once. `new_key` lets it make another
    key where that of its home is lost or unusable. `connections`, `strangers` (together, and of one address) and `streams` are how
    many there may be at once; None follows from how many files the process may open (see web/shares.py). `body` is how many octets
    a request may send that is no file, `bulk` how many devices are set at once, `undo` how many changes are taken back at once:
    each is done whole while others wait for the records."""

    model_config = SettingsConfigDict(env_prefix="EVEN_ROSTER_", extra="ignore")

    home: Path = Field(default_factory=default_home)
    listen: str = f"127.0.0.1:{DEFAULT_PORT}"
    adapter: str | None = None
    tls_certificate: Path | None = None
    tls_key: Path | None = None
    own_certificate: bool = False
    plain_http_risk: bool = False
    watch: bool = True
    eager: bool = False
    new_key: bool = False
    connections: int | None = Field(default=None, ge=16)
    strangers: int | None = Field(default=None, ge=8)
    strangers_each: int | None = Field(default=None, ge=1)
    streams: int | None = Field(default=None, ge=1)
    body: int = Field(default=1 << 20, ge=1 << 16, le=1 << 26)
    bulk: int = Field(default=10_000, ge=1, le=100_000)
    undo: int = Field(default=500, ge=1, le=10_000)

    def address(self) -> tuple[str, int]:
        """Host and port to listen on. Raises SettingsError."""
        host, _, port = self.listen.rpartition(":")
        host = host.strip("[]") or "127.0.0.1"
        if not port.isdigit() or not 0 <= int(port) <= 65535:
            raise SettingsError(f"{self.listen!r} is not HOST:PORT; write one such as 127.0.0.1:{DEFAULT_PORT}")
        given = bool(self.tls_certificate and self.tls_key) or self.own_certificate
        if not _loopback(host) and not given and not self.plain_http_risk:
            raise SettingsError(
                f"{host} can be reached from the network: give --own-certificate, or --tls-certificate and --tls-key, "
                "or accept with --plain-http-risk that anybody on the way can read and take over sessions"
            )
        return host, int(port)

    @property
    def loopback_only(self) -> bool:
        """True when nobody outside this machine can connect."""
        return _loopback(self.address()[0])


def _loopback(host: str) -> bool:
    if host == "localhost":
        return True
    try:
        return ip_address(host).is_loopback
    except ValueError:
        return False
