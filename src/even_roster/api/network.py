"""This machine's network, ranges and sums on them, vendors, and the explanation of an address or MAC."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from .common import DeviceRef, Model, Page, SubnetRef, Time, Word
from .devices import DeviceRow, NameStay, StayRow
from .plan import AssignmentView


class AddressHere(Model):
    """One own address and the sums of its subnet. `known` tells whether this subnet was scanned before."""

    address: str
    prefix_length: int
    mask: str
    subnet: SubnetRef
    network: str
    broadcast: str | None
    first_usable: str
    last_usable: str
    hosts: int
    known: bool


class AdapterHere(Model):
    """An adapter of the machine the service runs on; `plugged_into` is the switch port that announced itself by LLDP."""

    name: str
    mac: str | None
    vendor: str | None
    local: bool
    medium: str
    up: bool
    mtu: int
    addresses: list[AddressHere]
    gateway: str | None
    dns: list[str]
    chosen: bool
    plugged_into: str | None = None


class RangeRow(Model):
    """A remembered range of a segment."""

    id: int
    text: str
    name: str | None
    subnet: SubnetRef
    count: int
    last_scan: Time | None


class RangePage(Page[RangeRow]):
    """Remembered ranges."""


class Here(Model):
    """Where the service stands. `door` is how it sees the link: packet, kernel or standin; `limits` what it cannot see;
    `scanned` tells whether any scan was ever made; `device_count` counts all, `expected_count` those of them never seen."""

    hostname: str
    simulated: bool
    adapters: list[AdapterHere]
    chosen: str | None
    reason: str
    door: str | None
    limits: list[str]
    ranges: list[RangeRow]
    home: str
    scanned: bool
    device_count: int
    expected_count: int
    unknown_count: int


class RangeName(Model):
    """A name for a remembered range."""

    name: str = Field(max_length=60)


class SubnetSumsView(Model):
    """The arithmetic of one subnet."""

    cidr: str
    mask: str
    inverse_mask: str
    broadcast: str | None
    first_usable: str
    last_usable: str
    hosts: int
    reverse_zone: str


class MeasureView(Model):
    """All sums on a range. `seen` addresses of it are known to the roster; `scan_seconds` at the default pace; `why_not` says why
    it cannot be scanned."""

    range: str
    spans: list[str]
    count: int
    first: str
    last: str
    sums: list[SubnetSumsView]
    blocks: list[str]
    blocks_total: int
    smallest_cover: str
    kind: str
    scan_seconds: float
    needs_confirm: bool
    why_not: str | None


class VendorView(Model):
    """Whose block a MAC or prefix lies in; `own` when the site said so itself."""

    mac: str
    vendor: str | None
    prefix: str | None
    bits: int | None
    own: bool
    local: bool
    multicast: bool
    notations: list[str]


class PrefixRow(Model):
    """One of the site's own prefixes."""

    prefix: Word
    name: Word


class PrefixPage(Page[PrefixRow]):
    """The site's own prefixes."""


class VendorLoad(Model):
    """A registry file's text: IEEE's CSV or listing, or lines of prefix and name."""

    text: str = Field(max_length=16_000_000)


class VendorLoaded(Model):
    """How many blocks were loaded, and how many the service knows now."""

    loaded: int
    total: int


class ScanTrace(Model):
    """What one scan learnt of an address: answered, silent, or not asked."""

    scan_id: int
    at: Time
    answered: bool
    by: list[str]
    macs: list[str]


class Explanation(Model):
    """Everything known about one address or MAC, in one answer; `sentences` are the short of it, in words.

    `assignment` is what the plan has at an address.
    """

    subject: str
    kind: Literal["address", "mac"]
    sentences: list[str]
    mac: str | None
    vendor: str | None
    local: bool
    subnet: SubnetRef | None
    devices: list[DeviceRow]
    stays: list[StayRow]
    names: list[NameStay]
    scans: list[ScanTrace]
    assignment: AssignmentView | None


class Tick(Model):
    """One address on the ruler.

    `state`: answering (since the last full scan with a control, or within two hours, and in every look since), seen,
    two (claimed by two), self or gateway; planned when it is only in the plan, leased when
    only a DHCP server tells of it. `plan`: static, reserved, off, leased or empty; `assigned` is whose it is by the plan.
    """

    address: str
    state: str
    plan: str
    assigned: str | None
    device: DeviceRef | None
    vendor: str | None
    role: str
    last_seen: Time | None


class Stretch(Model):
    """A stretch of a large subnet on the ruler, with what is in it counted."""

    first: str
    last: str
    answering: int
    seen: int
    two: int


class RulerBand(Model):
    """A band as the ruler draws it."""

    id: int
    kind: str
    first: str
    last: str
    name: str
    roles: list[str]


class Ruler(Model):
    """A subnet as one measured strip: ticks up to 4,096 addresses, stretches beyond. Without an id the subnet is not
    planned; `at` is the moment it shows, None for now."""

    subnet: SubnetRef
    bands: list[RulerBand]
    count: int
    usable: int
    answering: int
    seen: int
    gateway: str | None
    last_scan: Time | None
    ticks: list[Tick]
    stretches: list[Stretch]
    at: Time | None = None


class SubnetRow(Model):
    """A subnet the service stands in or has scanned."""

    subnet: SubnetRef
    adapter: str | None
    here: bool
    hosts: int
    seen: int
    last_scan: Time | None


class SubnetRowPage(Page[SubnetRow]):
    """Subnets that are stood in or were scanned."""


class Health(Model):
    """The service answers, and its records did within the last seconds. Impaired: it reads but cannot write, some of its standing
    work ended by an error lately, or a limit of connections is nearly reached; `trouble` says what."""

    status: Literal["ok", "impaired"]
    trouble: str = ""
    version: str
    uptime_seconds: float


class Ticket(Model):
    """A path that signs a browser in, once."""

    path: str


class SignIn(Model):
    """Sign a browser in by a one-time ticket."""

    ticket: str = Field(max_length=100)


class SessionView(Model):
    """Who is signed in, and when the token was last renewed, which ended all earlier sign-ins; null: never."""

    who: str
    renewed: Time | None


class PhoneSignIn(Model):
    """A one-time sign-in for a phone: an address that it reaches this service at, as text and as a QR code (an image as a data
    URI); or why there is none."""

    url: str | None
    qr: str | None
    fingerprint: str
    why_not: str


class PhoneWanted(Model):
    """Sign a phone in, and open a page of the console there; with `host` at one of this machine's addresses."""

    page: str = Field(default="/", max_length=400)
    host: str = Field(default="", max_length=60)
