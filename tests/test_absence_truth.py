"""Who was where, against a plain model: a thousand random histories of moves, swaps, silences, pulled cables and restarts."""

from __future__ import annotations

import random
import unittest
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, field
from ipaddress import IPv4Address, IPv4Network
from unittest.mock import patch

from sqlalchemy import select

from even_roster.core.absence import ENOUGH, LONG, Reason
from even_roster.core.address import Address
from even_roster.core.findings.facts import Link
from even_roster.core.mac import MacNumber
from even_roster.core.past.looks import Kind, Look
from even_roster.core.past.rule import BETWEEN, CLOSE, PROBABLE, Known
from even_roster.core.span import SpanSet
from even_roster.core.stays import GAP_MS, SAME_MOMENT_MS, Sighting, Source
from even_roster.service.calling.presence import SPANS, Facts, Whom
from even_roster.service.context import Context, now_ms
from even_roster.service.knowing.findings_book import FindingsBook
from even_roster.service.knowing.moments import of_address as moments_of
from even_roster.service.knowing.observing import Batch, Observer
from even_roster.service.lookup import history, ruler
from even_roster.store import device_queries
from even_roster.store.database import DiskFull
from even_roster.store.past_tables import silences
from even_roster.store.scan_records import SegmentSeen
from even_roster.store.tables import stays
from tests.support.days import days, hall
from tests.support.effort import effort

BESIDE = "anything"
PART = "test and endure"

HISTORIES, STEPS, PLACES = effort(150, 1000), 18, 3
BASE = int(IPv4Address("10.200.0.0"))
NETWORK = IPv4Network("10.200.0.0/18")
SEGMENT = SegmentSeen("far0", str(NETWORK), None)
GAPS = (120, 360, 420, 1200, 4200, 18_000, 3 * 86_400)
RESTARTS = {5, 11, 12}
NOWHERE = Address(1)
ORDER = [Known.SILENT, Known.UNKNOWN, Known.PROBABLY, Known.HELD]


@dataclass
class Kept:
    """A stay as the model keeps it."""

    mac: MacNumber
    first: int
    last: int
    silent: list[int] = field(default_factory=list)
    reason: Reason = Reason.NONE


@dataclass
class Told:
    """One history: where each of its devices is (None: away), and what the model makes of the looks."""

    number: int
    where: dict[MacNumber, int | None] = field(default_factory=dict)
    stays: dict[int, list[Kept]] = field(default_factory=dict)
    answers: dict[tuple[int, MacNumber], list[int]] = field(default_factory=dict)
    vain: dict[tuple[int, MacNumber], list[int]] = field(default_factory=dict)

    def address(self, place: int) -> int:
        return BASE + 8 * self.number + place

    def live(self, source: random.Random) -> None:
        """Something happens, or nothing."""
        mac = source.choice(list(self.where))
        match source.randrange(5):
            case 0:
                self.where[mac] = source.randrange(PLACES)
            case 1:
                self.where[mac] = None
            case 2:
                other = source.choice(list(self.where))
                self.where[mac], self.where[other] = self.where[other], self.where[mac]

    def looked(self, at: int, answered: dict[int, set[MacNumber]], controlled: bool) -> None:
        """Who answered at each place in a look; without a control it says nothing of those who did not."""
        for place in range(PLACES):
            for mac in self.where:
                if mac in answered.get(place, ()):
                    self.answers.setdefault((place, mac), []).append(at)
                elif controlled and (place, mac) in self.answers:
                    self.vain.setdefault((place, mac), []).append(at)
        elsewhere = {mac for macs in answered.values() for mac in macs}
        for place in range(PLACES):
            stays = self.stays.setdefault(place, [])
            for mac in answered.get(place, set()):
                mine = next((s for s in reversed(stays) if s.mac == mac), None)
                over = (
                    mine is None
                    or mine.reason is not Reason.NONE
                    or at - mine.last > GAP_MS
                    or self.passed(stays, mine, at)
                )
                if over or mine is None:
                    stays.append(Kept(mac, at, at))
                else:
                    mine.last, mine.silent = at, []
            if not controlled:
                continue
            for mac in {s.mac for s in stays} - answered.get(place, set()):
                stay = next(s for s in reversed(stays) if s.mac == mac)
                if stay.reason is not Reason.NONE:
                    continue
                stay.silent.append(at)
                if answered.get(place):
                    stay.reason = Reason.GAVE_WAY
                elif mac in elsewhere:
                    stay.reason = Reason.MOVED
                elif len(stay.silent) >= ENOUGH and at - stay.silent[0] >= LONG:
                    stay.reason = Reason.SILENT

    def passed(self, stays: Iterable[Kept], mine: Kept, at: int) -> bool:
        """Somebody else was alone there well after this one was seen last."""
        latest = {s.mac: s for s in stays}
        return any(mine.last + SAME_MOMENT_MS < s.last <= at for mac, s in latest.items() if mac != mine.mac)

    def stands(self, place: int, mac: MacNumber) -> bool:
        """True when nothing speaks against its last stay at a place."""
        mine = [stay for stay in self.stays[place] if stay.mac == mac]
        return bool(mine) and mine[-1].reason is Reason.NONE

    def known(self, place: int, mac: MacNumber, moment: int) -> set[Known]:
        """What may be said of a device at a place at a moment, by a list of all answers and all looks in vain."""
        answers, vain = self.answers.get((place, mac), []), self.vain.get((place, mac), [])
        before = max((at for at in answers if at <= moment), default=None)
        if before is None:
            return set()
        after = min((at for at in answers if at >= moment), default=None)
        if before == after:
            return {Known.HELD, Known.PROBABLY}  # of a stay not every answer is kept
        between = [at for at in vain if before < at and (after is None or at < after)]
        first, last = min(between, default=None), max(between, default=None)
        if first is not None and last is not None:
            return {Known.SILENT, Known.UNKNOWN} if first <= moment <= last else {Known.UNKNOWN}
        others = [at for (spot, one), found in self.answers.items() if (spot == place) != (one == mac) for at in found]
        if any(before < at and (after is None or at < after) for at in others):
            return {Known.UNKNOWN, Known.PROBABLY} if after is not None else {Known.UNKNOWN}
        if after is not None:
            close = {Known.HELD} if after - before <= CLOSE else set()
            return {Known.PROBABLY, *close} if after - before <= BETWEEN else {Known.UNKNOWN}
        return {Known.PROBABLY} if moment - before <= PROBABLE else {Known.UNKNOWN}


class ARandomThousand(unittest.TestCase):
    def test_at_and_history_say_what_the_model_says(self) -> None:
        source, leasing = random.Random(2026), random.Random(64)
        told = [
            Told(n, {MacNumber(0x02C07A000000 + 8 * n + m): source.choice((None, 0, 1, 2)) for m in range(3)})
            for n in range(HISTORIES)
        ]
        control = MacNumber(0x02C07AFFFFFF)
        spans, moments = SpanSet.of([NETWORK]), []
        with days(hall, lambda *_: None) as site:
            context = site.context
            for step in range(STEPS):
                site.sleep(source.choice(GAPS) + source.random())
                at, pulled = now_ms(), source.random() < 0.15
                moments.append(at)
                seen = [] if pulled else [Sighting(Address(BASE + 8 * HISTORIES + 1), control, at, Source.ARP)]
                leases: list[Sighting] = []
                for one in told:
                    one.live(source)
                    answered: dict[int, set[MacNumber]] = {}
                    for mac, place in one.where.items():
                        if place is not None and not pulled:
                            answered.setdefault(place, set()).add(mac)
                            seen.append(Sighting(Address(one.address(place)), mac, at, Source.ARP))
                        if leasing.random() < 0.1:  # a server has leased it an address, which is no answer
                            where = Address(one.address(leasing.randrange(PLACES)))
                            leases.append(Sighting(where, mac, at, Source.LEASE))
                    one.looked(at, answered, not pulled)
                context.findings.links([Link("far0", (NETWORK,))], [], [])
                if leases:
                    context.observer.observe([Batch(SEGMENT, None, leases)])
                if seen:
                    context.observer.observe([Batch(SEGMENT, "far0", seen)])
                context.findings.looked(spans, at, controlled=not pulled)
                context.looks.over([Look(Kind.SCAN, Source.ARP, "far0", spans, at, at, not pulled)])
                if step in RESTARTS:
                    self.restart(context)
            self.compare(context, told, moments, source)
            self.compare_presence(context, told, moments[-1], source)

    def compare_presence(self, context: Context, told: list[Told], last: int, source: random.Random) -> None:
        """What is kept of who is there now, and what stretches of time are told by, say what the rule says of those moments."""
        now, found = now_ms(), Counter[tuple[bool, Known | None]]()
        sample = told[:: HISTORIES // 50]
        with context.database.read() as connection:
            rulers = [ruler.draw(context, connection, IPv4Network((one.address(0), 29))) for one in sample]
        with context.database.read() as connection, context.findings.looking() as world:
            wanted = {f"{mac:x}": Whom(NOWHERE, frozenset({mac})) for one in told for mac in one.where}
            facts = Facts(connection, context.plan.site_here, wanted.values(), now - SPANS[-1])
            for one, drawn in zip(sample, rulers, strict=True):
                ticks = {tick.address: tick for tick in drawn.ticks}
                for mac in one.where:
                    device = device_queries.device_of_mac(connection, mac)
                    row = device_queries.one(connection, device) if device is not None else None
                    latest = {place: max(at) for (place, of), at in one.answers.items() if of == mac}
                    if latest:
                        assert row is not None
                        self.assertEqual(row.last_seen, latest[row.address - one.address(0)], "of the same answer")
                        later = {place for place, at in latest.items() if at > row.last_seen}
                        self.assertFalse({place for place in later if one.stands(place, mac)}, "it is elsewhere")
                    pairs = {pair.address: pair for pair in facts.pairs(wanted[f"{mac:x}"])}
                    for moment in [last, *(last - source.randrange(SPANS[-1] // 3) for _ in range(3))]:
                        for place in range(PLACES):
                            address = Address(one.address(place))
                            then = pairs[address].at(moment) if address in pairs else None
                            by_moment = {
                                k.row.mac: k.then
                                for k in moments_of(connection, context.plan.site_here, address, moment)
                            }
                            if mac in by_moment:  # who left long ago need not be told of a moment
                                self.assertEqual(then, by_moment[mac], f"{one.number} {place} {mac:x} at {moment}")
                            elif then is not None:
                                self.assertFalse(then.known.there, f"{one.number} {place} {mac:x} at {moment}")
                for place in range(PLACES):
                    address = Address(one.address(place))
                    verdicts = {
                        k.row.mac: k.then.known
                        for k in moments_of(connection, context.plan.site_here, address, now)
                        if not k.then.leased
                    }
                    tick = ticks.get(str(IPv4Address(address)))
                    self.assertEqual(tick is None, not verdicts)
                    best = max(verdicts.values(), key=ORDER.index, default=None)
                    answering = tick is not None and tick.state in ("answering", "two")
                    found[answering, best] += 1
                    for held_by, known in verdicts.items():
                        held = world.holders.get(address, {}).get(held_by)
                        silent = held is None or held.silence.count > 0
                        self.assertTrue(
                            silent or known is not Known.SILENT, f"{one.number} {place} {held_by} {held} {known}"
                        )
                        self.assertFalse(silent and known.there, f"{one.number} {place} {held_by} {held} {known}")
        self.assertGreater(found[True, Known.HELD] + found[True, Known.PROBABLY], 10)
        self.assertGreater(found[False, Known.SILENT] + found[False, Known.UNKNOWN], 10)
        self.assertEqual(
            {key for key in found if key[0] and key[1] is Known.SILENT}, set(), "the ruler's answer was none"
        )
        self.assertEqual(
            {key for key in found if not key[0] and key[1] is not None and key[1].there}, set(), "one was left out"
        )

    def restart(self, context: Context) -> None:
        """What is in memory is gone; the records are read again."""
        findings = FindingsBook(
            context.database, context.plan, context.steady_ms, now_ms, context.randomised, context._vendor, context.tell
        )
        context.findings = findings
        context.observer = Observer(
            context.database, context.plan, findings, context.known_links, context.vendor_of, now_ms, context.tell
        )

    def compare(self, context: Context, told: list[Told], moments: list[int], source: random.Random) -> None:
        found = Counter[Known]()
        with context.database.read() as connection:
            for one in told:
                place = source.randrange(PLACES)
                text = str(IPv4Address(one.address(place)))
                rows = history.between(context, connection, text, 0, moments[-1] + 1, 500).stays
                self.assertEqual(
                    sorted((int(r.mac.replace(":", ""), 16), round(r.first_seen.timestamp() * 1000), round(r.last_seen.timestamp() * 1000), r.ended) for r in rows if r.mac and r.sources != ["lease"]),
                    sorted((s.mac, s.first, s.last, s.reason.words) for s in one.stays.get(place, [])), text,
                )  # fmt: skip
                for _ in range(3):
                    moment = source.choice(moments) + source.choice((0, 1, 60_000, 900_000, -60_000, 7_000_000))
                    answer = history.at(context, connection, text, moment)
                    said = {
                        int(k.mac.replace(":", ""), 16): Known(k.known)
                        for k in answer.known
                        if k.mac and not k.said.startswith("It was leased to")
                    }
                    for mac in one.where:
                        may = one.known(place, mac, moment)
                        told_of = {said[mac]} if mac in said else set()
                        self.assertLessEqual(
                            told_of,
                            may,
                            f"{text} {mac:x} at {moment}: {[k for k in answer.known]} {one.answers.get((place, mac))} {one.vain.get((place, mac))} {moments}",
                        )
                        likely = may & {Known.HELD, Known.PROBABLY}  # who left long ago need not be told of
                        self.assertTrue(told_of or not likely, f"{text} {mac:x} at {moment}: {answer.sentences}")
                        self.assertTrue(may or not told_of, "before its first answer nothing is told of it")
                        found.update(told_of)
        self.assertEqual(set(found), set(Known), "every verdict was among them")
        self.assertGreater(found[Known.SILENT], 20, "silence is told between two looks, not only in one")


class FullDisks(unittest.TestCase):
    def test_silence_that_could_not_be_kept_is_kept_with_the_next_look(self) -> None:
        with days(hall, lambda *_: None) as site:
            findings, spans = site.context.findings, SpanSet.of([NETWORK])
            findings.links([Link("far0", (NETWORK,))], [], [])
            both = [Sighting(Address(BASE + n), MacNumber(0x02C07A000000 + n), now_ms(), Source.ARP) for n in (1, 2)]
            site.context.observer.observe([Batch(SEGMENT, "far0", both)])
            for fails in (True, False):
                site.sleep(360)
                site.context.observer.observe(
                    [Batch(SEGMENT, "far0", [Sighting(Address(BASE + 2), both[1].mac, now_ms(), Source.ARP)])]
                )
                full = DiskFull("the disk is full") if fails else None
                with patch.object(site.context.database, "write", side_effect=full, wraps=site.context.database.write):
                    findings.looked(spans, now_ms(), controlled=True)
            with site.context.database.read() as connection:
                counts = {
                    row.address: row.times
                    for row in connection.execute(
                        select(stays.c.address, silences.c.times).join(silences, silences.c.stay_id == stays.c.id)
                    )
                }
            self.assertEqual((counts[BASE + 1], counts.get(BASE + 2)), (2, None))


if __name__ == "__main__":
    unittest.main()
