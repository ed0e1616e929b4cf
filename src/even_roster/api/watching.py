"""What the service does by itself: watches of subnets, listening, questions for DHCP servers, notices, what is kept."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from .common import MacView, Model, Page, ServerRef, SubnetRef, Time, Word

Strangers = Literal["all", "named", "none"]
RouteKind = Literal["webhook", "mail", "syslog"]


class WatchView(Model):
    """How a subnet is watched, and when what is due. Minutes of 0 mean never; quiet hours as HH:MM."""

    subnet: SubnetRef
    version: int
    on: bool
    every_minutes: int
    light_minutes: int
    ask_minutes: int
    quiet_first: str | None
    quiet_last: str | None
    strangers: Strangers
    last_scan: Time | None
    next_scan: Time | None
    doing: str
    why_not: str


class WatchPage(Page[WatchView]):
    """How every planned subnet is watched."""


class WatchEdit(Model):
    """Change how a subnet is watched; what is left out stays. `strangers`: which unknown devices are told: all of them, only
    those that tell no name (named), or none."""

    on: bool | None = None
    every_minutes: int | None = Field(default=None, ge=0, le=525_600)
    light_minutes: int | None = Field(default=None, ge=0, le=525_600)
    ask_minutes: int | None = Field(default=None, ge=0, le=525_600)
    quiet: Word | None = None
    strangers: Strangers | None = None


class NeighbourView(Model):
    """A switch port that announced itself by LLDP (IEEE 802.1AB): what this adapter is plugged into."""

    switch: str
    chassis: str
    port: str
    port_text: str
    vlan: int | None
    address: str | None
    last_seen: Time


class HeardLine(Model):
    """One frame in words."""

    at: Time
    protocol: str
    mac: str
    said: str


class HeardOnlyView(MacView):
    """A MAC that was only heard, with the address it spoke from: it is no device until it answers a question."""

    address: str
    first_seen: Time
    last_seen: Time


class ListeningView(Model):
    """Listening on one adapter: counts of frames, those left out in a storm, those the kernel lost, those that could not be read;
    `unforeseen` is the last one that a reader of ours stumbled over. `heard_only` are MACs that have not answered a question,
    `held_back` counts those that did and were too many an hour to become devices."""

    adapter: str
    listening: bool
    why_not: str
    since: Time | None
    frames: int
    unread: int
    lost: int
    broken: int
    unforeseen: str
    heard_only: list[HeardOnlyView]
    held_back: int
    per_second: int
    storm: Time | None
    trouble: str
    place: str
    verdict: str
    neighbours: list[NeighbourView]
    lines: list[HeardLine]


class ListeningPage(Page[ListeningView]):
    """What is listened to, by adapter."""


class AskRequest(Model):
    """Ask who hands out addresses: on an adapter (the usual one when left out), for so many seconds."""

    adapter: Word | None = None
    wait: float = Field(default=4.0, ge=0.5, le=60.0)


class OptionView(Model):
    """One option of an offer, decoded; `source` is the RFC that defines it."""

    code: int
    name: str
    value: str
    source: str


class OfferView(Model):
    """One offer; `differences` are where it disagrees with the plan, `server` is the one that the roster manages, when it
    is one."""

    server_address: str
    mac: str
    vendor: str | None
    relay: str | None
    address: str
    mask: str | None
    gateway: str | None
    dns: list[str]
    domain: str
    lease_seconds: int | None
    after_ms: float
    options: list[OptionView]
    server: ServerRef | None
    differences: list[str]


class AskAnswer(Model):
    """All offers, in the order in which they came, and the verdict in a sentence."""

    adapter: str
    subnet: SubnetRef
    seconds: float
    verdict: str
    well: bool
    offers: list[OfferView]


class RouteView(Model):
    """Where notices go. Secrets are never shown; `has_secret` tells whether there is one."""

    id: int
    version: int
    name: str
    kind: RouteKind
    to: str
    sender: str
    smtp_server: str
    user: str
    tls: Literal["none", "starttls", "tls"]
    has_secret: bool
    least: Literal["urgent", "wrong", "notice"]
    on: bool
    sent: Time | None
    trouble: str


class RoutePage(Page[RouteView]):
    """Where notices go."""


class RouteNew(Model):
    """A new way for notices: `to` is a URL, a mail address or HOST:PORT; `smtp_server` is given as HOST:PORT."""

    name: str = Field(min_length=1, max_length=60)
    kind: RouteKind
    to: str = Field(min_length=1, max_length=500)
    sender: str = Field(default="", max_length=200)
    smtp_server: str = Field(default="", max_length=200)
    user: str = Field(default="", max_length=200)
    secret: str = Field(default="", max_length=500)
    tls: Literal["none", "starttls", "tls"] = "none"
    least: Literal["urgent", "wrong", "notice"] = "wrong"


class RouteEdit(Model):
    """Change a route; what is left out stays."""

    to: str | None = Field(default=None, max_length=500)
    secret: str | None = Field(default=None, max_length=500)
    least: Literal["urgent", "wrong", "notice"] | None = None
    on: bool | None = None


class RouteTest(Model):
    """How a test notice went."""

    ok: bool
    said: str


class Keeping(Model):
    """What is kept how long, and from when on findings are told. Older stays are folded into one per pair, never dropped."""

    version: int
    stay_days: int = Field(ge=30, le=36_500)
    finding_days: int = Field(ge=30, le=36_500)
    missing_days: int = Field(ge=1, le=3650)
    stale_days: int = Field(ge=7, le=3650)
    pool_percent: int = Field(ge=10, le=100)
    new_per_hour: int = Field(ge=0, le=100_000)


class KeepingEdit(Model):
    """Change some of it."""

    stay_days: int | None = Field(default=None, ge=30, le=36_500)
    finding_days: int | None = Field(default=None, ge=30, le=36_500)
    missing_days: int | None = Field(default=None, ge=1, le=3650)
    stale_days: int | None = Field(default=None, ge=7, le=3650)
    pool_percent: int | None = Field(default=None, ge=10, le=100)
    new_per_hour: int | None = Field(default=None, ge=0, le=100_000)
