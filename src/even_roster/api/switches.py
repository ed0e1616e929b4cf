"""Switches: reading what their agents say of ports and of who is behind them."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from .common import DeviceRef, Line, MacView, Model, Page, Ref, Time, Word


class Credential(Model):
    """By what an agent may be read: a community for the versions 1 and 2c, a user with passwords for version 3."""

    snmp: Literal["1", "2c", "3"] = "3"
    community: str = Field(default="", max_length=255, repr=False)
    user: str = Field(default="", max_length=32)
    auth: Literal["none", "sha1", "sha224", "sha256", "sha384", "sha512"] = "none"
    auth_password: str = Field(default="", max_length=255, repr=False)
    privacy: Literal["none", "aes128", "aes192", "aes256"] = "none"
    privacy_password: str = Field(default="", max_length=255, repr=False)


class SwitchReadingNew(Model):
    """Read a switch now: its address, or a device."""

    switch: Word
    credential: Credential


class BehindView(MacView):
    """A MAC that a switch has learnt behind a port, in which VLANs where it tells that, and the device it belongs to."""

    device: DeviceRef | None
    vlans: list[int]


class PortNeighbour(Model):
    """Who announces itself by LLDP at a port."""

    name: str
    chassis: str
    port: str
    port_text: str
    text: str
    capabilities: list[str]
    address: str | None


class PortView(Model):
    """One port: what it is called and described as, its link as it was told to be and as it is, its speed in bits a second, duplex,
    the VLAN of frames without a tag, who announces itself there, and who is behind it by the forwarding database."""

    index: int
    name: str
    alias: str
    wanted: str
    link: str
    speed: int | None
    duplex: str
    vlan: int | None
    neighbours: list[PortNeighbour]
    behind_count: int
    behind: list[BehindView]


class LackView(Model):
    """What a reading does not have, or has only in part, and why."""

    what: str
    why: str


class SwitchReading(Model):
    """What a switch said when it was read: itself, its ports in their order, and what is missing."""

    address: str
    device: DeviceRef | None
    name: str
    text: str
    contact: str
    place: str
    model: str
    serial: str
    firmware: str
    up_seconds: int | None
    seconds: float
    ports: list[PortView]
    missing: list[LackView]


Snmp = Literal["1", "2c", "3"]
Auth = Literal["none", "sha1", "sha224", "sha256", "sha384", "sha512"]
Privacy = Literal["none", "aes128", "aes192", "aes256"]
Mark = Literal["spare", "kept", "faulty"]
Grade = Literal["on", "behind", "not since"]


class CredentialRef(Model):
    """A credential that is kept."""

    id: int
    name: str


class SwitchRef(Model):
    """A switch that is read, by what it is called."""

    id: int
    name: str


class PortRef(Model):
    """A port of a switch, by what the switch calls it."""

    id: int
    name: str


class CredentialView(Model):
    """A credential that is kept; its secrets are never shown. `switch_count` are read by it alone."""

    id: int
    version: int
    name: str
    snmp: Snmp
    user: str
    auth: Auth
    privacy: Privacy
    switch_count: int


class CredentialPage(Page[CredentialView]):
    """The credentials that are kept, by name."""


class CredentialNew(Credential):
    """Keep a credential under a name, encrypted."""

    name: str = Field(min_length=1, max_length=60)


class CredentialEdit(Model):
    """Change a credential; what is left out stays, secrets too."""

    name: str | None = Field(default=None, min_length=1, max_length=60)
    snmp: Snmp | None = None
    community: str | None = Field(default=None, max_length=255, repr=False)
    user: str | None = Field(default=None, max_length=32)
    auth: Auth | None = None
    auth_password: str | None = Field(default=None, max_length=255, repr=False)
    privacy: Privacy | None = None
    privacy_password: str | None = Field(default=None, max_length=255, repr=False)


class SwitchView(Model):
    """A switch that is read: by which credential (null: by any that fits), how often, and what it said of itself last.
    `refused_until` is set after it refused. `said` sums its ports up."""

    id: int
    version: int
    name: str
    address: str
    device: DeviceRef | None
    credential: CredentialRef | None
    every_seconds: int
    on: bool
    reading: bool
    asked_at: Time | None
    read_at: Time | None
    refused_until: Time | None
    trouble: str
    text: str
    contact: str
    place: str
    model: str
    serial: str
    firmware: str
    up_seconds: int | None
    port_count: int
    up_count: int
    uplink_count: int
    behind_count: int
    said: str
    missing: list[LackView]


class SwitchPage(Page[SwitchView]):
    """The switches that are read, by name."""


class SwitchNew(Model):
    """Read a switch from now on: its address, or a device. Without a credential those that are kept are tried, users of version 3
    first."""

    switch: Word
    credential: Ref | None = None
    every_seconds: int = Field(default=300, ge=30, le=86_400)


class SwitchEdit(Model):
    """Change how a switch is read; what is left out stays. The credential `any` means any that fits."""

    switch: Word | None = None
    credential: Ref | None = None
    every_seconds: int | None = Field(default=None, ge=30, le=86_400)
    on: bool | None = None


class SwitchSearch(Model):
    """Read all switches of some ranges from now on: whoever has the role `network` there, by plan or by hand."""

    within: Line
    credential: Ref | None = None
    every_seconds: int = Field(default=300, ge=30, le=86_400)


class NotAdded(Model):
    """Who was not added, and why."""

    address: str
    device: DeviceRef | None
    why: str


class SwitchesAdded(Model):
    """The switches that answered and are read from now on, and who is not."""

    added: list[SwitchView]
    refused: list[NotAdded]


class KeptBehind(BehindView):
    """Who is behind a port, or was: from when to when, `here` when it was in the latest reading; its address, if
    one is known."""

    address: str | None
    first_seen: Time
    last_seen: Time
    at_least: bool
    here: bool


class KeptPort(Model):
    """One port of a switch as it stands or stood at a moment: `since` then it stands so. `uplink` is what the reasons make of it,
    `uplink_word` what a hand says. `behind` are the first who are behind it; `last_seen` when anybody was there last, where it is
    empty now. `said` is all that in a sentence."""

    id: int
    version: int
    switch: SwitchRef
    name: str
    place: int
    there: bool
    alias: str
    notes: str
    mark: Mark | None
    disagrees: bool
    wanted: str
    link: str
    speed: int | None
    duplex: str
    vlan: int | None
    vlans: list[int]
    tree: str
    bundle: str
    power: str
    since: Time | None
    at_least: bool
    uplink: bool
    uplink_word: bool | None
    reasons: list[str]
    neighbours: list[PortNeighbour]
    behind_count: int
    behind: list[KeptBehind]
    together: str
    last_seen: Time | None
    said: str


class KeptPortPage(Page[KeptPort]):
    """The ports of a switch, or of all, in their order. `at` is the moment they are told of; null: now."""

    at: Time | None


class PortStretch(Model):
    """How a port stood from when to when; without `until` it stands so now."""

    since: Time
    until: Time | None
    said: str


class PortDay(Model):
    """What went through a port on a day (UTC)."""

    day: str
    octets_in: int
    octets_out: int
    errors_in: int
    errors_out: int


class PortSheet(Model):
    """Everything about a port: who is behind it now, who was, how it stood, and what went through it day by day. Rates are those
    between the last two readings; null where they are not told."""

    port: KeptPort
    earlier: list[KeptBehind]
    stretches: list[PortStretch]
    days: list[PortDay]
    in_bits: int | None
    out_bits: int | None
    error_share: float | None


class PortEdit(Model):
    """What people say of a port: a note beside the switch's own description, a mark, whether it is an uplink (`weigh`: as the
    reasons have it). What is left out stays."""

    notes: str | None = Field(default=None, max_length=200)
    mark: Literal["spare", "kept", "faulty", "none"] | None = None
    uplink: Literal["yes", "no", "weigh"] | None = None


class LabelSheet(Model):
    """A sheet of labels as an SVG document, in millimetres."""

    svg: str


class PortTurn(Model):
    """What is different at a port between two moments: who came, who went, and how it stood."""

    switch: SwitchRef
    port: PortRef
    before: str
    after: str
    came: list[KeptBehind]
    went: list[KeptBehind]


class PortTurns(Page[PortTurn]):
    """What is different at a switch between two moments, port by port."""

    since: Time
    until: Time


class SwitchMoments(Model):
    """When anything turned at a switch: how much in each of equal stretches, from `since` to `until`."""

    since: Time
    until: Time
    counts: list[int]


class Placing(Model):
    """Where a MAC is plugged in: `on` this port, `behind` this port by way of something that is not read, or `not since` then. Null
    where no switch that is read has ever learnt it. `others` are further ports that have it at the same time."""

    mac: str
    vendor: str | None
    device: DeviceRef | None
    address: str | None
    grade: Grade | None
    switch: SwitchRef | None
    port: PortRef | None
    first_seen: Time | None
    last_seen: Time | None
    read_at: Time | None
    at_least: bool
    speed: int | None
    alias: str
    notes: str
    reasons: list[str]
    others: list[PortRef]
    said: str


class PlacingPage(Page[Placing]):
    """Where somebody is plugged in: one answer for each of its adapters. `at` is the moment; null: now. `earlier` is where they
    were before, the latest first."""

    at: Time | None
    earlier: list[PlacedEarlier]


class PlacedEarlier(Model):
    """A port that somebody was at, from when to when, and why that ended; ports that led to other switches are left out."""

    mac: str
    switch: SwitchRef
    port: PortRef
    first_seen: Time
    last_seen: Time
    here: bool
    ended: str
