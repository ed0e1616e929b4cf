"""Spreadsheets in and out, names as texts, and cards."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from .common import Model, SubnetRef, Text, Word

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


class ImportRemedy(Model):
    """A mapping that would do away with a cause: `said` names it, `mapping` are the pairs to ask with."""

    said: str
    mapping: list[str]


class ImportCause(Model):
    """The rows refused for one cause in one column: how many, the first of them, and what the first one is told."""

    cause: str
    column: str
    count: int
    rows: list[int]
    example: str
    remedies: list[ImportRemedy]


class ImportReport(Model):
    """What a table would do or did. `columns` say which header was taken as which field, `columns_by_values` for which of them
    what stands in the column decided, not its header; `causes` group the refused rows; `rows` are those that do
    something or are refused, at most as many as asked for; `change_id` undoes the whole import."""

    dry_run: bool
    read_as: str
    columns: dict[str, str]
    columns_by_values: list[str]
    ignored: list[str]
    added_count: int
    changed_count: int
    same_count: int
    refused_count: int
    warning_count: int
    rows: list[ImportRow]
    causes: list[ImportCause]
    change_id: int | None


class TableOut(Model):
    """A table of texts to be written as a workbook; texts that a spreadsheet could take for formulas are guarded."""

    title: str = Field(min_length=1, max_length=30)
    header: list[Word] = Field(min_length=1, max_length=60)
    rows: list[Annotated[list[Text], Field(max_length=60)]] = Field(max_length=50_000)


class ZoneText(Model):
    """A zone file: its name, and its text (RFC 1035 5)."""

    zone: str
    text: str


class NamesText(Model):
    """A hosts file, and zones; `trouble` says why there are none."""

    hosts_file: str
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

    dns_server: str
    asked: int
    unanswered: int
    disagreements: list[NameDisagreement]


class CardLine(Model):
    """One line of a card."""

    name: str
    value: str


class CardView(Model):
    """The settings for a device; `snippets` by format; with `stays_on_dhcp` nothing is typed in."""

    address: str
    prefix_length: int
    mask: str
    subnet: SubnetRef
    broadcast: str | None
    gateway: str | None
    dns: list[str]
    domain: str
    ntp: list[str]
    vlan: int | None
    name: str
    full_name: str
    mac: str | None
    role: str
    notes: str
    stays_on_dhcp: bool
    lines: list[CardLine]
    snippets: dict[str, str]
