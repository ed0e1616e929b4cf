"""Switches: reading what their agents say of ports and of who is behind them."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from .common import DeviceRef, MacView, Model, Word


class Credential(Model):
    """By what an agent may be read: a community for the versions 1 and 2c, a user with passwords for version 3. Used once and not
    kept."""

    version: Literal["1", "2c", "3"] = "3"
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
