"""Scans: the order for one, its record, and what it learnt per address."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from .common import DeviceRef, MacView, Model, NameView, Page, Text, Time, Word

ScanState = Literal["running", "done", "stopped", "interrupted", "failed"]


class ScanRequest(Model):
    """What to scan. Empty `targets`: the remembered ranges of the segment, or else the adapter's own subnet.

    `pace` in probes a second; `ports` None means the usual short list (left out for large ranges), an empty list none.
    """

    targets: list[Text] = Field(default_factory=list, max_length=256)
    exceptions: list[Text] = Field(default_factory=list, max_length=256)
    pace: float = Field(default=1000.0, ge=1, le=20_000)
    rounds: int = Field(default=3, ge=1, le=10)
    adapter: Word | None = None
    ports: list[Annotated[int, Field(ge=1, le=65535)]] | None = Field(default=None, max_length=64)
    with_names: bool = True
    confirm: bool = False


class ScanInfo(Model):
    """A scan's record. `targets` is the range in canonical form, `total` its addresses, `silent_count` those that did
    not answer. While it runs, `phase`, `round` and `seconds_left` tell how far it is."""

    id: int
    state: ScanState
    segment: str
    adapter: str
    door: str
    targets: str
    total: int
    probes: int
    started: Time
    seconds: float
    answered_count: int
    silent_count: int
    foreign_count: int
    remarks: list[str]
    who: str
    reason: str | None = None
    phase: str | None = None
    round: int | None = None
    rounds: int = 3
    seconds_left: float | None = None
    done_part: float = 1.0


class ReplyTime(Model):
    """Reply times in milliseconds."""

    min: float
    avg: float


class AddressResult(Model):
    """What a scan learnt of one address; `by` holds arp, neighbour, echo or connect, and is empty for this machine
    itself and for frames that were only overheard. `claims` are the MACs that bore it: two or more are a duplicate."""

    address: str
    answered: bool
    by: list[str]
    claims: list[MacView]
    names: list[NameView]
    rtt_ms: ReplyTime | None
    ports: list[int]
    foreign: bool
    device: DeviceRef | None


class ScanPage(Page[ScanInfo]):
    """Scans, the latest first."""


class ResultPage(Page[AddressResult]):
    """What a scan learnt, in the order of addresses."""
