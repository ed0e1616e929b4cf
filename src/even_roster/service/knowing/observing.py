"""The one door for what is learnt of the network: it is told to the rules, stored and folded, and everybody who listens is told.

Whoever looks (scans, listening, directed questions, proofs, DHCP servers) hands over batches of facts; nothing else feeds devices,
stays, the plan's memory of what was seen, findings or events. Site and segment are told apart here: what was learnt at another site
is stored as such, and never becomes a finding, a control or a taken address here.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from sqlalchemy import Connection

from ...api.events import DevicesEvent, Event
from ...core.mac import MacNumber
from ...core.stays import Sighting
from ...store import clock_records, scan_records
from ...store.database import Database
from ...store.intake import NameHeard, TakenIn, take_in
from ...store.scan_records import SegmentSeen
from ...store.summaries import VendorOf
from .findings_book import FindingsBook
from .known_links import KnownLinks
from .plan_book import PlanBook

MOST_IN_EVENT = 300
CLOCK_SLACK = 60_000


@dataclass(frozen=True, slots=True)
class Batch:
    """Facts of one segment. `link` is the adapter on whose own link they were made, None where no link was asked (a server's word);
    `ports` are the open TCP ports by MAC."""

    segment: SegmentSeen
    link: str | None
    seen: Sequence[Sighting] = ()
    names: Sequence[NameHeard] = ()
    ports: Mapping[MacNumber, list[int]] = field(default_factory=dict)


Also = Callable[[Connection], None]


class Observer:
    """See the head of this file. Called from any thread but the event loop's."""

    def __init__(
        self, database: Database, plan: PlanBook, findings: FindingsBook, links: KnownLinks, vendor_of: VendorOf,
        now: Callable[[], int], tell: Callable[[Event], None],
    ) -> None:  # fmt: skip
        self._database, self._plan, self._findings, self._links = database, plan, findings, links
        self._vendor_of, self._now, self._tell = vendor_of, now, tell
        self._latest: int | None = None

    def here(self, batch: Batch) -> bool:
        """True for facts of the site that this service stands in."""
        return batch.segment.elsewhere is None and not self._links.elsewhere(batch.segment.adapter)

    def heard(self, batch: Batch) -> None:
        """Tell the rules at once; what is stored later by `observe` with `told`."""
        if not self.here(batch):
            return
        near = [one for one in batch.seen if one.mac is not None]
        self._findings.saw(near, batch.link)
        if len(near) < len(batch.seen):
            self._findings.saw(one for one in batch.seen if one.mac is None)
        self._findings.named(batch.names)

    def observe(self, batches: Sequence[Batch], *, told: bool = False, also: Also | None = None) -> TakenIn:
        """Take batches in, all of them or none: the rules (unless `told` already), then the records in one transaction together
        with what `also` writes, then everybody else. Raises what the database raises; then nothing was stored."""
        if not told:
            for batch in batches:
                self.heard(batch)
        devices: set[int] = set()
        new: list[int] = []
        with self._database.write() as connection:
            self._clock(connection)
            for batch in batches:
                identity = scan_records.segment_id(connection, batch.segment, self._now())
                taken = take_in(connection, identity, batch.seen, batch.names, dict(batch.ports), self._vendor_of)
                devices.update(taken.devices)
                new += taken.new
            if also is not None:
                also(connection)
        for batch in batches:
            if self.here(batch):
                self._plan.saw(batch.seen)
        renamed = any(batch.names for batch in batches)
        if new or renamed:
            self._findings.devices_changed(sorted(devices) if renamed else new)
        if devices:
            shown = sorted(devices) if len(devices) <= MOST_IN_EVENT else None
            self._tell(DevicesEvent(ids=shown, new=len(new)))
        return TakenIn(sorted(devices), new)

    def _clock(self, connection: Connection) -> None:
        """When the machine's clock was set back, and once at the start, nothing may stay seen in the future."""
        now = self._now()
        if self._latest is None or now < self._latest - CLOCK_SLACK:
            clock_records.bring_back(connection, now, CLOCK_SLACK)
        self._latest = now
