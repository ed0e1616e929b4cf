"""Spreadsheets in and out, names as texts, and cards."""

from __future__ import annotations

from typing import Literal

from .common import Model

RowAction = Literal["add", "change", "same", "refused"]


class ImportRow(Model):
    """What one row would do. `before` and `after` are the values that differ; `row` counts as spreadsheets do."""

    row: int
    action: RowAction
    address: str
    before: dict[str, str]
    after: dict[str, str]
    reason: str
    column: str
    warning: str


class ImportReport(Model):
    """What a table would do or did. `columns` say which header was taken as which field; `rows` are those that do
    something or are refused, at most as many as asked for; `change` undoes the whole import."""

    dry_run: bool
    read_as: str
    columns: dict[str, str]
    ignored: list[str]
    added: int
    changed: int
    same: int
    refused: int
    warnings: int
    rows: list[ImportRow]
    change: int | None


class ZoneText(Model):
    """A zone file: its name, and its text (RFC 1035 5)."""

    zone: str
    text: str


class NamesText(Model):
    """A hosts file, and zones; `trouble` says why there are none."""

    hosts: str
    zones: list[ZoneText]
    trouble: str


class NameDisagreement(Model):
    """Where the DNS and the roster differ."""

    address: str
    name: str
    kind: str
    sentence: str
    remedy: str


class NameCheck(Model):
    """What the site's DNS said: how many names were asked about, how many it did not answer for, and what differs."""

    server: str
    asked: int
    unanswered: int
    disagreements: list[NameDisagreement]


class CardLine(Model):
    """One line of a card."""

    name: str
    value: str


class CardView(Model):
    """The settings for a device; `snippets` by format; `reserved` means the device stays on DHCP."""

    address: str
    prefix: int
    mask: str
    subnet: str
    subnet_name: str
    broadcast: str
    gateway: str
    dns: list[str]
    domain: str
    ntp: list[str]
    vlan: int | None
    name: str
    full_name: str
    mac: str
    role: str
    note: str
    reserved: bool
    lines: list[CardLine]
    snippets: dict[str, str]
