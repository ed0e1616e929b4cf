"""DHCP servers: their settings, what publishing would change, leases and pools."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from .common import BandRef, DeviceRef, Model, Page, ServerRef, SiteRef, SubnetRef, Time, Word
from .plan import HandedOutView
from .words import HoldingPart as HoldingPart
from .words import TickWord as TickWord


class DhcpServerView(Model):
    """A DHCP server of a site. `trouble` says what went wrong at the last reading or publishing. `held` counts the pools,
    reservations and options that it has, whoever wrote them, `not_understood` what could not be read of its configuration,
    as of `held_at`; `held_trouble` says why it could not be read since. `reach` is its name in the host's `servers.toml`,
    `reached` what stands there without secrets, by setting."""

    id: int
    version: int
    site: SiteRef
    name: str
    kind: str
    reach: str
    reached: dict[str, str]
    published_at: Time | None
    read_at: Time | None
    trouble: str
    pool_count: int
    reservation_count: int
    published: int
    addresses: list[str]
    held: int
    not_understood: int
    held_at: Time | None
    held_trouble: str


class DhcpServerPage(Page[DhcpServerView]):
    """All DHCP servers."""


class HoldingMark(Model):
    """A word and its value: an identifier (`MAC`, `client id` …), or an attribute (`client-class`, `lease time` …)."""

    what: str
    value: str


class HoldingView(Model):
    """One part of what a server holds, whoever wrote it. `source` and `line` tell where it stands: a file and its line from 1,
    or with line 0 something without lines ("running memory"). `text` is what it says; `within` what it hangs on (a subnet, a
    class, a tag; empty for the whole server); `first` to `last` the addresses it is about; `identifiers` what a reservation
    knows its device by; `hangs` all else that stands with it. `ours` is true for reservations that the plan published or
    adopted."""

    part: HoldingPart
    source: str
    line: int
    text: str
    within: str
    first: str | None
    last: str | None
    identifiers: list[HoldingMark]
    name: str
    hangs: list[HoldingMark]
    ours: bool


class HoldingsPage(Page[HoldingView]):
    """What a server holds, as it was read last at `read_at`. `counts` are by part, of all of them; `trouble` says why it cannot be
    read now, then `items` are older. `total` is how many match."""

    server: ServerRef
    read_at: Time | None
    trouble: str
    counts: dict[str, int]


class DhcpServerNew(Model):
    """A server to manage. How it is reached stands in `servers.toml` of the service's home folder, which only its host writes
    (`roster dhcp allow`); `reach` is its name there, left out the same as `name`. The stand-in site's own server needs none, nor
    does one that is `edited_by_hand`: what is published to it is a sheet to enter.

    `addresses` are those it answers from; left out, they are learnt from its first offer that agrees with the plan."""

    name: str = Field(min_length=1, max_length=80)
    reach: str = Field(default="", max_length=80)
    edited_by_hand: bool = False
    site: Word | None = None
    addresses: list[Word] = Field(default_factory=list, max_length=16)


class DhcpServerEdit(Model):
    """New values for a server; left-out ones stay."""

    name: str | None = Field(default=None, min_length=1, max_length=80)
    reach: str | None = Field(default=None, max_length=80)
    addresses: list[Word] | None = Field(default=None, max_length=16)


class AllowedServer(Model):
    """A server that the host allows to be reached, by its name in `servers.toml`; `used_by` is the one that is managed so."""

    reach: str
    kind: str
    used_by: ServerRef | None


class AllowedPage(Page[AllowedServer]):
    """Servers that the host allows to be reached."""


class DifferenceLine(Model):
    """One difference by meaning: add, change or remove a pool, an option or a reservation."""

    action: Literal["add", "change", "remove"]
    what: str
    subnet: SubnetRef
    before: str
    after: str


class TextLine(Model):
    """A line of the configuration text, side by side: kept, added or removed; numbers count from 1."""

    kind: Literal["kept", "added", "removed", "skipped"]
    line_before: int | None
    line_after: int | None
    text: str


class DhcpPreview(Model):
    """What publishing would do. With `conflicts` it would be refused. `left` parts that people wrote (pools, reservations, classes,
    options outside of the plan's subnets …) stay as they are. `other_roster` is another roster that publishes to the server.

    `digest` names the configuration this was worked out on; give it to publish, so that nothing else is overwritten.
    `text_lines` are empty where it would be too long to read.
    """

    server: ServerRef
    lines: list[DifferenceLine]
    conflicts: list[str]
    by_hand: list[str]
    left: int
    other_roster: str
    digest: str
    text_lines: list[TextLine]


class PublishRequest(Model):
    """`digest` is that of the preview; left out, whatever is there now is the base. With `take_over` a server that another roster
    publishes to becomes this one's."""

    digest: Word | None = None
    take_over: bool = False


class PublishDone(Model):
    """What was published, and how it was checked and verified; `by_hand` is what a person has still to do."""

    server: ServerRef
    lines: list[DifferenceLine]
    remarks: list[str]
    by_hand: list[str]


class AdoptRequest(Model):
    """With `dry_run` nothing is changed."""

    dry_run: bool = True


class AdoptedPool(Model):
    """A pool taken over from a server."""

    subnet: SubnetRef
    first: str
    last: str


class AdoptedReservation(Model):
    """A reservation taken over from a server."""

    subnet: SubnetRef
    mac: str
    address: str
    name: str


class AdoptedSubnet(Model):
    """A subnet taken over from a server, with what it hands out."""

    subnet: SubnetRef
    options: HandedOutView


class AdoptDone(Model):
    """What adopting a server's configuration adds to the plan, and what stands `in_the_way`. `beside` counts what the server holds
    beside it and keeps (reservations by other identifiers, classes, tagged options …), `not_understood` tells what could not be
    read of its configuration, with its place."""

    dry_run: bool
    subnets: list[AdoptedSubnet]
    pools: list[AdoptedPool]
    reservations: list[AdoptedReservation]
    in_the_way: list[str]
    change_id: int | None
    beside: dict[str, int]
    not_understood: list[str]


class SheetLine(Model):
    """One thing to be entered into a server by hand: `what` (pool, reservation or an option's name) and its `value`. `tick` is what
    is known of it, `said` by what, `at` when that was seen."""

    subnet: SubnetRef
    what: str
    value: str
    tick: TickWord
    said: str
    at: Time | None


class DhcpSheet(Model):
    """What was handed out last to be entered into a server by hand, ticked off by what the wire shows. `remarks` say what could not
    be looked at and why; `asked_at` is when the wire was asked last."""

    server: ServerRef
    handed_out_at: Time | None
    asked_at: Time | None
    lines: list[SheetLine]
    remarks: list[str]


class LeaseView(Model):
    """A lease as the server told it last; `expires` None means never."""

    server: ServerRef
    address: str
    mac: str | None
    vendor: str | None
    local: bool
    name: str
    expires: Time | None
    active: bool
    device: DeviceRef | None


class LeasePage(Page[LeaseView]):
    """Leases, by server and address."""


class PoolView(Model):
    """How full a pool is. `leased` counts active leases in it, `reserved` reservations in it without one."""

    band: BandRef
    subnet: SubnetRef
    first: str
    last: str
    server: ServerRef | None
    size: int
    leased: int
    reserved: int
    left: int
    read_at: Time | None


class PoolPage(Page[PoolView]):
    """How full every pool is."""


class ExportText(Model):
    """Pools and reservations as a text to keep or to type from."""

    text: str
