"""What the parts of one running service share: the database, the machine, vendors, events, secrets, the clock."""

from __future__ import annotations

import asyncio
import base64
import fcntl
import hmac
import json
import time
from collections import defaultdict
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO

from ..api.events import DevicesEvent, Event
from ..api.home import SERVICE_FILE
from ..core.address import Address
from ..core.mac import Mac, MacNumber
from ..core.reply_times import ReplyTimes
from ..core.vendors import VendorRegistry
from ..probe.segment import Machine
from ..store import scan_records, sign_in_records, summaries, vendor_records
from ..store.database import Database, StoreError
from ..store.sign_in_records import SignIns
from .aids import home_folder
from .aids.supervising import Supervisor
from .knowing.asking_book import AskingBook
from .knowing.events import Hub
from .knowing.findings_book import FindingsBook
from .knowing.known_links import KnownLinks
from .knowing.look_book import LookBook
from .knowing.newcomers import Newcomers
from .knowing.observing import Observer
from .knowing.plan_book import PlanBook
from .knowing.switch_book import SwitchBook
from .settings import Settings
from .vendors import vendor_data

wall_ns: Callable[[], int] = time.time_ns


def now_ms() -> int:
    """UTC milliseconds by the machine's clock, which people and NTP may set at any time."""
    return wall_ns() // 1_000_000


Promise = tuple[int, Address]
"""A site and an address of it."""


@dataclass(slots=True)
class Context:
    """One service process. `reply_times` are those of each adapter's link, by the adapter's name; `promised` are addresses that are
    being given away at this moment, looked at and changed on the event loop alone. `secret` seals what is stored; `token` and
    `signing`, which sessions are signed with, are made of it. `url` is where this machine reaches the service."""

    settings: Settings
    database: Database
    machine: Machine
    vendors: VendorRegistry
    hub: Hub
    secret: bytes
    lock: IO[str]
    sign_ins: SignIns = field(default_factory=SignIns)
    token: str = ""
    signing: bytes = b""
    url: str = ""
    started: int = field(default_factory=now_ms)
    loop: asyncio.AbstractEventLoop | None = None
    monotonic: Callable[[], float] = time.monotonic
    plan: PlanBook = field(init=False)
    findings: FindingsBook = field(init=False)
    asking: AskingBook = field(init=False)
    known_links: KnownLinks = field(init=False)
    newcomers: Newcomers = field(init=False)
    looks: LookBook = field(init=False)
    supervisor: Supervisor = field(default_factory=Supervisor)
    observer: Observer = field(init=False)
    switches: SwitchBook = field(init=False)
    rolls_edited: int = 0
    promised: set[Promise] = field(default_factory=set)
    reply_times: dict[str, ReplyTimes] = field(default_factory=lambda: defaultdict(ReplyTimes))
    _began: tuple[int, float] = field(init=False)

    def __post_init__(self) -> None:
        self.sign_in_by(self.sign_ins)
        self._began = now_ms(), self.monotonic()
        self.plan = PlanBook(self.database, self.tell, now_ms, self.vendor_of)
        self.known_links = KnownLinks()
        self.findings = FindingsBook(
            self.database, self.plan, self.steady_ms, now_ms, self.randomised, self._vendor, self.tell
        )
        self.asking = AskingBook(self.findings)
        self.switches = SwitchBook(self.database, now_ms, self.tell)
        self.looks = LookBook(self.database, lambda: self.plan.site_here, now_ms)
        self.newcomers = Newcomers(lambda: self.findings.new_per_hour)
        self.observer = Observer(
            self.database, self.plan, self.findings, self.known_links, self.vendor_of, now_ms, self.tell
        )  # fmt: skip

    def sign_in_by(self, kept: SignIns) -> None:
        """Take what sign-ins are good by. Without a renewal the token is the same as long as the key is, so that a restart locks
        nobody out."""
        signing = hmac.digest(self.secret, b"renewed:" + kept.salt, "sha256") if kept.salt else self.secret
        token = base64.urlsafe_b64encode(hmac.digest(signing, b"the local token", "sha256")).decode().rstrip("=")
        self.signing, self.token, self.sign_ins = signing, token, kept

    def _vendor(self, mac: MacNumber) -> str:
        return self.vendor_of(Mac(mac))

    def steady_ms(self) -> int:
        """UTC milliseconds that never step: the time at the start of the service and what has passed since."""
        wall, ticks = self._began
        return wall + round((self.monotonic() - ticks) * 1000)

    def randomised(self, mac: MacNumber) -> bool:
        """True for a MAC that is most likely made up: locally administered and in no prefix that is known here."""
        made = Mac(mac)
        return made.local and self.vendors.of(made) is None

    def vendor_of(self, mac: Mac) -> str:
        """The vendor's name, or an empty text."""
        vendor = self.vendors.of(mac)
        return vendor.name if vendor else ""

    def plugged(self, macs: Iterable[MacNumber]) -> dict[MacNumber, str]:
        """Which ports some MACs hang on, as far as switches that are read tell it."""
        places = self.findings.world.wiring.places
        return {mac: places[mac] for mac in macs if mac in places}

    def close(self) -> None:
        """Give the database and the home folder back."""
        self.database.close()
        self.lock.close()

    def tell(self, event: Event) -> None:
        """Publish an event from any thread. Edited devices are told to the findings."""
        if isinstance(event, DevicesEvent) and event.edited:
            self.findings.devices_changed(event.ids)
        if self.loop is not None:
            self.loop.call_soon_threadsafe(self.hub.publish, event)

    def reload_own_vendors(self) -> None:
        """Read the roster's own prefixes and loaded blocks again."""
        with self.database.read() as connection:
            there = [prefix for prefix, _ in vendor_records.own(connection)]
            for prefix in self.vendors.own_prefixes() - set(there):
                self.vendors.remove_own(prefix)
            vendor_records.fill(connection, self.vendors)


def open_context(
    settings: Settings, machine: Machine, monotonic: Callable[[], float] = time.monotonic
) -> Context:  # fmt: skip
    """Open the home folder: make it if needed, migrate the database, mark interrupted scans. Raises StoreError, OSError."""
    home = settings.home
    home_folder.make(home)
    lock = _lock(home)
    secret = home_folder.key(home, anew=settings.new_key)
    database = Database(home_folder.records(home))
    with database.write() as connection:
        scan_records.mark_interrupted(connection, now_ms())
    registry = VendorRegistry()
    vendor_data.load(registry)
    with database.read() as connection:
        kept = sign_in_records.read(connection)
    context = Context(settings, database, machine, registry, Hub(), secret, lock, kept, monotonic=monotonic)
    context.reload_own_vendors()
    with database.write() as connection:
        summaries.complete(connection, context.vendor_of)
    return context


def write_service_file(context: Context) -> Path:
    """`service.json`: URL, local token and TLS certificate, readable by this account only, for its command line."""
    path = context.settings.home / SERVICE_FILE
    certificate = context.settings.tls_certificate
    told = {
        "url": context.url,
        "token": context.token,
        "certificate": str(certificate.resolve()) if certificate else None,
    }
    home_folder.write_private(path, json.dumps(told).encode())
    return path


def _lock(home: Path) -> IO[str]:
    """Hold the home folder as long as the process lives. Raises StoreError when another service holds it."""
    file = (home / home_folder.LOCK).open("w")
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError as error:
        file.close()
        raise StoreError(f"another service uses {home}; stop it, or give this one a --home of its own") from error
    return file
