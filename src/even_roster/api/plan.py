"""The address plan: sites, subnets, bands, assignments, uses; proofs and problems. Addresses are taken in any notation and given
dotted."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from .common import BOTH_WAYS, BandRef, DeviceRef, Id, Model, Page, Ref, ServerRef, SiteRef, SubnetRef, Text, Time, Word

Grade = Literal["clear", "doubtful", "taken"]
BandKind = Literal["static", "pool", "spare"]
AssignmentKind = Literal["static", "reserved"]
ReservationState = Literal["off", "not published", "waiting", "in effect", "refused"]


class Subject(Model):
    """What something is about: an address, subnet, band or device."""

    type: str
    value: str


class ProblemView(Model):
    """A mistake in the plan: a sentence with the culprit, and what to do."""

    kind: str
    severity: Literal["refused", "mistake", "advice"]
    sentence: str
    remedy: str
    subjects: list[Subject]


class Problems(Page[ProblemView]):
    """All problems of the plan, or those a draft would add."""


class SiteView(Model):
    """A site; `here` is the one that this service stands in."""

    id: int
    version: int
    name: str
    here: bool
    notes: str
    subnet_count: int


class SitePage(Page[SiteView]):
    """All sites."""


class SiteEdit(Model):
    """New values for a site; left-out ones stay."""

    name: str | None = Field(default=None, max_length=80)
    notes: str | None = Field(default=None, max_length=10_000)
    here: Literal[True] | None = None


class HandedOutView(Model):
    """What a DHCP server hands out (RFC 2132). Empty values are those of the subnet; `vendor_options` are
    'code=hexadecimal' texts; `lease_seconds` 0 is the server's own."""

    model_config = BOTH_WAYS

    lease_seconds: int = Field(default=0, ge=0, le=0xFFFFFFFF)
    gateway: Word | None = None
    dns: list[Word] = Field(default=[], max_length=64)
    domain: Word = ""
    ntp: list[Word] = Field(default=[], max_length=64)
    boot_server: Word = ""
    boot_file: Word = ""
    vendor_options: list[Annotated[str, Field(max_length=1000)]] = Field(default=[], max_length=64)


class BandView(Model):
    """A stretch of a subnet. `size` addresses, of which `taken` are assigned; `leased` for pools."""

    id: int
    version: int
    subnet: SubnetRef
    kind: BandKind
    first: str
    last: str
    name: str
    title: str
    roles: list[str]
    options: HandedOutView
    server: ServerRef | None
    notes: str
    size: int
    taken: int
    leased: int


class BandPage(Page[BandView]):
    """Bands, by address."""


class RoleShareView(Model):
    """A static band's arithmetic; `band` None is what lies in no band."""

    band: BandRef | None
    title: str
    roles: list[str]
    size: int
    taken: int
    left: int


class SharesView(Model):
    """usable - pooled - spare - gateways - taken = left."""

    usable: int
    pooled: int
    spare: int
    gateways: int
    taken: int
    left: int
    in_pools: int
    roles: list[RoleShareView]


class SubnetView(Model):
    """A planned subnet and its arithmetic."""

    id: int
    version: int
    site: SiteRef
    name: str
    cidr: str
    mask: str
    first_usable: str
    last_usable: str
    broadcast: str | None
    gateway: str | None
    dns: list[str]
    domain: str
    ntp: list[str]
    vlan: int | None
    supernet: bool
    notes: str
    assignment_count: int
    shares: SharesView


class SubnetPage(Page[SubnetView]):
    """Planned subnets, by address."""


class SubnetPlan(Model):
    """One planned subnet with its bands and problems; `free_blocks` for a supernet."""

    subnet: SubnetView
    bands: list[BandView]
    problems: list[ProblemView]
    free_blocks: list[str]


class SubnetNew(Model):
    """A subnet to plan. `site` is a site's name or id; left out it is the one here."""

    range: Word
    site: Word | None = None
    name: str = Field(default="", max_length=80)
    gateway: Word | None = None
    dns: list[Word] = Field(default=[], max_length=64)
    domain: str = Field(default="", max_length=253)
    ntp: list[Word] = Field(default=[], max_length=64)
    vlan: int | None = Field(default=None, ge=1, le=4094)
    supernet: bool = False
    notes: str = Field(default="", max_length=10_000)


class SubnetEdit(Model):
    """New values for a subnet; left-out ones stay, an empty `gateway` takes it away, `vlan` 0 too."""

    range: Word | None = None
    name: str | None = Field(default=None, max_length=80)
    gateway: Word | None = None
    dns: list[Word] | None = Field(default=None, max_length=64)
    domain: str | None = Field(default=None, max_length=253)
    ntp: list[Word] | None = Field(default=None, max_length=64)
    vlan: int | None = Field(default=None, ge=0, le=4094)
    supernet: bool | None = None
    notes: str | None = Field(default=None, max_length=10_000)


class SplitSubnet(Model):
    """Into parts of this prefix length."""

    prefix_length: int = Field(ge=1, le=32)


class JoinSubnets(Model):
    """Neighbours that become one with it."""

    others: list[Ref] = Field(min_length=1, max_length=255)


class BandNew(Model):
    """A band to draw: `range` within the subnet, as people write one."""

    subnet: Ref
    kind: BandKind
    range: Text
    name: str = Field(default="", max_length=80)
    roles: list[Word] = Field(default=[], max_length=64)
    options: HandedOutView = Field(default=HandedOutView())
    server: Ref | None = None
    notes: str = Field(default="", max_length=10_000)


class BandEdit(Model):
    """New values for a band; left-out ones stay, `server` 0 or an empty one takes it away."""

    kind: BandKind | None = None
    range: Text | None = None
    name: str | None = Field(default=None, max_length=80)
    roles: list[Word] | None = Field(default=None, max_length=64)
    options: HandedOutView | None = None
    server: Ref | None = None
    notes: str | None = Field(default=None, max_length=10_000)


class BandDraft(Model):
    """A band as it would be: `id` names the one that is being changed, which keeps its `options` where they are left out."""

    id: Id | None = None
    subnet: Ref
    kind: BandKind
    range: Text
    roles: list[Word] = Field(default=[], max_length=64)
    server: Ref | None = None
    options: HandedOutView | None = None


class UseView(Model):
    """`user` uses `address` for `purpose`; `moved_to` is the address that must be entered there now."""

    id: int
    version: int
    site: SiteRef
    user: str
    address: str
    purpose: str
    moved_to: str | None


class UsePage(Page[UseView]):
    """Who uses which address."""


class UseNew(Model):
    """Who uses an address, and for what."""

    user: str = Field(min_length=1, max_length=120)
    address: Word
    purpose: str = Field(min_length=1, max_length=200)
    site: Word | None = None


class Reservation(Model):
    """Where a reservation stands; `until` is when the device's old lease ends."""

    state: ReservationState
    sentence: str
    until: Time | None


class Renewal(Model):
    """How a device that waits for its reservation comes to it. It holds the lease of `address` from `server`, and asks again by
    itself at `renews` (half of its lease), of any server at `rebinds`, and when it `ends` (RFC 2131 4.4.5); times that are past or
    not known are left out. `how` tells what has it ask at once, by its kind of system. With `can_end` the old lease can be ended at
    the server when its address is silent."""

    address: str
    server: ServerRef
    renews: Time | None
    rebinds: Time | None
    ends: Time | None
    how: list[str]
    can_end: bool


class LeaseEnded(Model):
    """An old lease that was ended at its server, and by what it was known that nobody uses its address."""

    address: str
    server: ServerRef
    said: str


class AssignmentView(Model):
    """An address and whom it belongs to. `device` is the one that its MAC was seen on, `last_seen` when."""

    id: int
    version: int
    site: SiteRef
    subnet: SubnetRef
    address: str
    kind: AssignmentKind
    on: bool
    mac: str | None
    vendor: str | None
    local: bool
    name: str
    role: str
    notes: str
    device: DeviceRef | None
    last_seen: Time | None
    seen_at: str | None
    band: BandRef | None
    reservation: Reservation | None
    problems: list[ProblemView]
    uses: list[UseView]


class AssignmentRow(Model):
    """An assignment as lists show it."""

    id: int
    version: int
    subnet: SubnetRef
    address: str
    kind: AssignmentKind
    on: bool
    mac: str | None
    vendor: str | None
    name: str
    role: str
    notes: str
    device: DeviceRef | None
    last_seen: Time | None
    seen_at: str | None
    reservation: Reservation | None


class AssignmentPage(Page[AssignmentRow]):
    """Assignments, a page at a time; `total` counts all that match."""


class AssignmentNew(Model):
    """An address for a device. Without `address` a free one is chosen in `where` (a subnet or band) for the role.

    `anyway` saves in spite of mistakes that are not refused outright.
    """

    address: Word | None = None
    where: Word | None = None
    site: Word | None = None
    kind: AssignmentKind = "static"
    mac: Word | None = None
    device: Ref | None = None
    name: str = Field(default="", max_length=120)
    role: str = Field(default="", max_length=40)
    notes: str = Field(default="", max_length=1000)
    on: bool = True
    anyway: bool = False


class SettleRequest(Model):
    """Devices whose addresses of now are to last, named as devices are; with `dry_run` nothing is changed."""

    devices: list[Ref] = Field(min_length=1, max_length=200)
    dry_run: bool = False


class SettledRow(Model):
    """What becomes of one device: `address` and `kind` of its assignment. `moves` is true where its role must not depend on a pool:
    the address is another one, which has to be typed into it (its card says how). `why_not` says why nothing was made of it; a
    device that is not known is none, and as its name what it was called in the request."""

    device: DeviceRef | None
    name: str
    address: str | None
    kind: AssignmentKind | None
    moves: bool
    why_not: str


class SettleDone(Model):
    """What became of each device; `change_id` is the one change that undoes all of it."""

    change_id: int | None
    dry_run: bool
    devices: list[SettledRow]


class AssignmentEdit(Model):
    """New values for an assignment; left-out ones stay, an empty `mac` takes it away."""

    kind: AssignmentKind | None = None
    mac: Word | None = None
    name: str | None = Field(default=None, max_length=120)
    role: str | None = Field(default=None, max_length=40)
    notes: str | None = Field(default=None, max_length=1000)
    on: bool | None = None
    anyway: bool = False


class Move(Model):
    """Another address for an assignment."""

    address: Word
    anyway: bool = False


class Moved(Model):
    """What moved, and everything that still has the old address entered."""

    assignment: AssignmentView
    uses: list[UseView]


class Search(Model):
    """Free addresses wanted: `where` is a subnet, band or range; `ask` asks the wire."""

    where: Word | None = None
    site: Word | None = None
    role: Word = ""
    count: int = Field(default=1, ge=1, le=64)
    adjacent: bool = False
    ask: bool = True


class Candidate(Model):
    """An address with the grade of the claim that it is free, and the reasons in words."""

    address: str
    grade: Grade
    band: BandRef | None
    reasons: list[str]
    last_seen: Time | None
    last_mac: str | None


class FreeAnswer(Model):
    """Candidates, the best first."""

    subnet: SubnetRef | None
    candidates: list[Candidate]


class ProveRequest(Model):
    """One address to prove free; `ask` asks the wire."""

    address: Word
    site: Word | None = None
    ask: bool = True


class RoleRule(Model):
    """What a role means for planning."""

    model_config = BOTH_WAYS

    name: str = Field(min_length=1, max_length=40)
    on_pool: Literal["never", "avoid", "fine"]
    travels: bool = False


class RolePage(Page[RoleRule]):
    """The roles."""
