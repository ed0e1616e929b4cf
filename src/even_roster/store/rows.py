"""What the tables' rows look like to the rest: a named tuple for each shape that leaves the store, so that mypy knows every column.

`all_of` and `one_of` run a query for such a shape and refuse a query whose columns are not exactly the shape's; a test compares the
shapes with the tables, types and nullability included. Times are UTC ms, 0 for never.
"""

from __future__ import annotations

from typing import Any, Literal, NamedTuple, TypeVar

from sqlalchemy import Connection, Select

from ..core.address import Address
from ..core.mac import MacNumber

Shape = TypeVar("Shape", bound=NamedTuple)
Json = Any
"""What a JSON column holds; whoever reads it knows its form."""
Severity = Literal["urgent", "wrong", "notice"]


def all_of(
    connection: Connection, shape: type[Shape], query: Select[Any], given: dict[str, Any] | None = None
) -> list[Shape]:  # fmt: skip
    """The rows of a query, in its order; `given` are its parameters, where it has any."""
    found = connection.execute(query, given)
    if tuple(found.keys()) != shape._fields:
        raise TypeError(f"{shape.__name__} has {shape._fields}, the query {tuple(found.keys())}")
    return list(map(shape._make, found.all()))


def one_of(connection: Connection, shape: type[Shape], query: Select[Any]) -> Shape | None:
    """The first row of a query, None when it has none."""
    found = all_of(connection, shape, query.limit(1))
    return found[0] if found else None


class DeviceRow(NamedTuple):
    """A row of `devices`: what people entered, and from `seen_name` on the summary of what was observed."""

    id: int
    version: int
    name: str
    role: str
    owner: str
    place: str
    notes: str
    retired: bool
    created_at: int
    seen_name: str
    called: str
    called_because: str
    vouched: bool
    address: Address
    mac: MacNumber
    macs: int
    vendor: str
    local: bool
    ports: list[int]
    first_seen: int
    last_seen: int
    sort_name: str
    search: str
    heard: int


class AdapterRow(NamedTuple):
    """A row of `adapters`."""

    id: int
    device_id: int
    mac: MacNumber
    label: str | None
    first_seen: int
    last_seen: int
    heard: int


class StayRow(NamedTuple):
    """A row of `stays`, with the subnet it was in, the device that has the MAC by now, and how often, the first and the last time
    it was asked without an answer since its last answer (0: not)."""

    id: int
    segment_id: int
    address: Address
    mac: MacNumber | None
    first: int
    last: int
    sightings: int
    sources: int
    widest: int | None
    reason: int
    heard: int
    subnet: str
    device_id: int | None
    called: str | None
    silent_count: int
    silent_first: int
    silent_last: int


class PairSeen(NamedTuple):
    """A pair of address and MAC with its first and last time, its last time in a stay that has not ended and without a look
    without an answer since, and the device that has
    the MAC by now."""

    address: Address
    mac: MacNumber | None
    last: int
    first: int
    standing: int | None
    device_id: int | None
    called: str | None
    vendor: str | None
    role: str | None


class NameStayRow(NamedTuple):
    """A row of `name_stays`; `mac` is negative when nobody knows whose name it was."""

    id: int
    address: Address
    mac: MacNumber
    name: str
    key: str
    source: str
    first: int
    last: int


class ChangeRow(NamedTuple):
    """A row of `changes`: one edit as it is told."""

    id: int
    at: int
    who: str
    action: str
    kind: str
    item: str
    before: Json
    after: Json
    together: str | None
    undoes: int | None


class ChangeItemRow(NamedTuple):
    """A row of `change_items`: one row of a table before and after an edit."""

    id: int
    change_id: int
    kind: str
    item: int
    before: Json
    after: Json
    key: str | None


class FindingRow(NamedTuple):
    """A row of `findings`."""

    id: int
    kind: str
    key: str
    severity: Severity
    subjects: Json
    evidence: Json
    remedy: str
    steps: Json
    state: Literal["open", "accepted", "closed"]
    since: int
    first: int
    times: int
    closed: int | None
    updated: int
    heard: bool


class TurnRow(NamedTuple):
    """A row of `finding_turns`, with the finding's kind."""

    id: int
    finding_id: int
    at: int
    turn: str
    said: str
    kind: str


class RouteRow(NamedTuple):
    """A row of `notice_routes`; `secret` is sealed."""

    id: int
    name: str
    kind: Literal["webhook", "mail", "syslog"]
    settings: Json
    secret: str
    least: Severity
    on: bool
    sent_at: int | None
    trouble: str


class ScanRow(NamedTuple):
    """A row of `scans`, with its segment's subnet."""

    id: int
    state: Literal["running", "done", "stopped", "interrupted", "failed"]
    segment_id: int
    door: str
    adapter: str
    targets: str
    total: int
    options: Json
    probes: int
    started: int
    ended: int | None
    answered: int
    foreign: int
    notes: Json
    who: str
    subnet: str


class ScanResultRow(NamedTuple):
    """A row of `scan_results`; reply times in ms."""

    scan_id: int
    address: Address
    by: int
    macs: list[MacNumber]
    names: Json
    ports: list[int]
    rtt_min: float | None
    rtt_avg: float | None
    foreign: bool


class RangeRow(NamedTuple):
    """A row of `ranges`, with its segment's subnet and adapter."""

    id: int
    segment_id: int
    version: int
    text: str
    name: str | None
    last_scan: int | None
    subnet: str
    adapter: str


class DhcpServerRow(NamedTuple):
    """A row of `dhcp_servers`; secrets in `settings` are sealed."""

    id: int
    version: int
    site: int
    name: str
    kind: str
    settings: Json
    owned: Json
    refusals: Json
    published_at: int | None
    read_at: int | None
    trouble: str
    addresses: list[int]
    holdings_at: int | None
    holdings_trouble: str
    drift: Json
    begun: Json
    sheet: str
    shown: Json


class ReviewRow(NamedTuple):
    """A row of `reviews`, with what its device is called."""

    id: int
    device: int
    kind: Literal["name", "role", "is-it"]
    said: str
    at: int
    called: str


class FittingRow(NamedTuple):
    """A row of `fittings`."""

    id: int
    site: int
    kind: int | None
    role: str
    place: str
    who: str
    opened_at: int
    touched_at: int
    closed_at: int | None


class FittedRow(NamedTuple):
    """A row of `fitted`: one device of a fitting."""

    id: int
    fitting: int
    mac: MacNumber
    name: str
    address: Address | None
    assignment: int | None
    made: bool
    undo: Json
    state: Literal["open", "done", "given up"]
    progress: Json
    closed_at: int | None


class FittingNoteRow(NamedTuple):
    """A row of `fitting_notes`: what was written down of one device's fitting."""

    id: int
    fitted: int
    at: int
    step: Literal["who", "where", "find", "reach", "type", "see", "keep", "record", "done"]
    said: str


class MaybeMet(NamedTuple):
    """An expected device without a MAC at whose planned address somebody was seen whom nobody planned."""

    device: int
    address: Address
    mac: MacNumber
    last: int
    called: str
    other: int
    other_called: str
