"""How quick the truth on the wire is: folding, rules, a year of history, listening under load."""

from __future__ import annotations

import json
import random
import sqlite3
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from ipaddress import IPv4Address, IPv4Network
from pathlib import Path

import psutil
from sqlalchemy import insert, select
from tests.support.lab import Namespace, namespace
from tests.support.service import Service, service

from even_roster.core.address import Address
from even_roster.core.findings.engine import Engine
from even_roster.core.findings.facts import KnownDevice, Link
from even_roster.core.findings.world import World
from even_roster.core.mac import MacNumber
from even_roster.core.past.looks import Kind, Series
from even_roster.core.plan.model import Assignment, AssignmentKind, Band, BandKind, Plan, Site, Subnet
from even_roster.core.span import SpanSet
from even_roster.core.stays import Pair, Sighting, Source, Stay, fold
from even_roster.service.context import now_ms, open_context
from even_roster.service.knowing.observing import Batch
from even_roster.service.settings import Settings
from even_roster.standin import larkspur
from even_roster.standin.segment import StandinMachine
from even_roster.store import look_records, scan_records
from even_roster.store.database import Database
from even_roster.store.past_tables import silences
from even_roster.store.scan_records import SegmentSeen
from even_roster.store.summaries import refresh
from even_roster.store.tables import adapters, devices, stays

from .processor import processor_seconds
from .roster import p95, rested
from .table import Table

DAY = 24 * 3600 * 1000
DAYS, SECONDS = 365, 10
_BASE = int(IPv4Address("10.48.0.0"))


def folding(table: Table) -> None:
    """A million sightings of 2,000 pairs, scan by scan, as a service folds them."""
    latest: dict[Pair, Stay] = {}
    scans, pairs = 500, 2000
    batches = [
        [
            Sighting(Address(_BASE + n), MacNumber(0x02C044000000 + n), scan * 3_600_000 + n, Source.ARP)
            for n in range(pairs)
        ]
        for scan in range(scans)
    ]
    began = time.perf_counter()
    count = sum(1 for batch in batches for one in batch if one.address and one.mac)
    floor = time.perf_counter() - began
    began = time.perf_counter()
    for batch in batches:
        rivals = {one.address: [latest[one.pair]] for one in batch if one.pair in latest}
        done = fold(latest, rivals, batch)
        for stay in (*done.begun, *done.grown):
            latest[stay.pair] = stay if stay.id is not None else Stay(1, *_rest(stay))
    spent = time.perf_counter() - began
    table.add(
        "1,000,000 sightings folded into stays", f"{count / spent:,.0f}/s", "≥ 50,000/s",
        floor=f"{count / floor:,.0f}/s (one look at each)", ratio=spent / floor,
    )  # fmt: skip


def _rest(stay: Stay) -> tuple[Address, MacNumber | None, int, int, int, Source]:
    return stay.address, stay.mac, stay.first, stay.last, stay.count, stay.sources


def observing(table: Table) -> None:
    """Batches of 5,000 facts through the one door: rules told, records folded and stored, events told, rules run."""
    size, rates = 5_000, []
    with tempfile.TemporaryDirectory() as folder:
        context = open_context(Settings(home=Path(folder) / "home", watch=False), StandinMachine(larkspur.build()))
        segment = SegmentSeen("office0", "10.96.0.0/15", None)
        for number in range(16):
            first, now = number % 4 * size, now_ms()
            facts = [
                Sighting(Address(_BASE + first + n), MacNumber(0x02C044000000 + first + n), now, Source.ARP)
                for n in range(size)
            ]
            began = time.perf_counter()
            context.observer.observe([Batch(segment, "office0", facts)])
            context.findings.settle()
            rates.append(size / (time.perf_counter() - began))
        with sqlite3.connect(Path(folder) / "bare.db") as bare:
            bare.execute("CREATE TABLE t (a INTEGER PRIMARY KEY, b, c, d)")
            began = time.perf_counter()
            bare.executemany("INSERT INTO t VALUES (?,?,?,?)", [(one.address, one.mac, one.at, 1) for one in facts])
            bare.commit()
            floor = size / (time.perf_counter() - began)
        context.close()
    for what, found, goal in (("known pairs", rates[4:], "≥ 10,000/s"), ("devices never seen", rates[:4], "")):
        rate = sorted(found)[len(found) // 2]
        table.add(
            f"facts of {what} observed in batches of 5,000: store, rules, events", f"{rate:,.0f}/s", goal,
            floor=f"{floor:,.0f}/s (bare rows into SQLite)", ratio=floor / rate,
        )  # fmt: skip


def rules(table: Table) -> None:
    """All rules after one scan of 50,000 devices, and after one change."""
    subnets = [
        Subnet(n, 1, f"net-{n}", IPv4Network((_BASE + n * 512, 23)), Address(_BASE + n * 512 + 1))
        for n in range(1, 129)
    ]
    bands = [Band(s.id, s.id, BandKind.POOL, s.first + 400, s.first + 500, server=1) for s in subnets]
    count = 50_000
    places = [subnets[n % 128].first + 2 + n // 128 for n in range(count)]
    items = [
        Assignment(
            n + 1,
            1,
            subnets[n % 128].id,
            Address(places[n]),
            AssignmentKind.STATIC,
            MacNumber(0x02C044000000 + n),
            f"host-{n}",
            "other",
        )
        for n in range(count)
    ]
    plan = Plan([Site(1, "x", True), *subnets, *bands, *items])
    world = World(plan, 1, lambda mac: False)
    world.links = {"x0": Link("x0", (IPv4Network((_BASE, 15)),), Address(_BASE + 1), MacNumber(1))}
    now = 1_800_000_000_000
    began = time.perf_counter()
    for n in range(count):
        world.saw(Address(places[n]), MacNumber(0x02C044000000 + n), now + n, Source.ARP, "x0")
    floor = time.perf_counter() - began
    world.devices = {0x02C044000000 + n: KnownDevice(n, "", "other") for n in range(count)}
    engine = Engine()
    world.looked(SpanSet.of([IPv4Network((_BASE, 15))]), now)
    began = time.perf_counter()
    engine.settle(world, now + count)
    whole = time.perf_counter() - began
    table.add(
        "all rules after one scan of 50,000 devices", f"{whole:.2f} s", "≤ 1 s",
        floor=f"{floor:.2f} s (taking the sightings in)", ratio=whole / floor,
    )  # fmt: skip

    def change(number: int) -> None:
        world.saw(
            Address(places[number * 11]),
            MacNumber(0x02C0FF000000 + number),
            now + count + number,
            Source.ARP,
            "x0",
        )
        engine.settle(world, now + count + number)

    table.add("rules after one change, p95", f"{p95(change, 300):.2f} ms", "≤ 20 ms")


def year(table: Table) -> None:
    """A year of a 2,000-device site: 1,400 that stay, 600 that roam and sleep three times a day, and 40 visitors' phones a day with
    a new MAC each; scanned every four hours, checked every quarter of an hour."""
    with tempfile.TemporaryDirectory() as folder:
        home = Path(folder) / "home"
        home.mkdir()
        now = time.time_ns() // 1_000_000
        rows = _fill_year(home / "roster.db", now)
        size = sum(path.stat().st_size for path in home.glob("roster.db*")) / 1e6
        table.add("a year of a 2,000-device site on disk", f"{size:.0f} MB, {rows:,} stays and silences", "≤ 60 MB")
        with service("serve", "--new-key", home=home, anew=True) as running, running.client() as roster:
            source = random.Random(3)
            rested(psutil.Process(running.process.pid))
            floor = p95(lambda _: roster.health())
            when = datetime.now(UTC) - timedelta(days=100)

            def at_address(number: int) -> object:
                return roster.at(str(IPv4Address(_BASE + source.randrange(4000))), when + timedelta(hours=number))

            def at_subnet(number: int) -> object:
                return roster.at("10.48.8.0/24", when + timedelta(hours=number))

            def history_of_mac(number: int) -> object:
                return roster.history(f"02:c0:9f:a0:{number % 600 // 256:02x}:{number % 256:02x}")

            def history_of_subnet(number: int) -> object:
                return roster.history("10.48.8.0/24", when, when + timedelta(days=7))

            for what, call, goal in (
                ("'at' for an address", at_address, "≤ 50 ms"), ("'at' for a /24", at_subnet, "≤ 80 ms"),
                ("'history' of a MAC", history_of_mac, "≤ 80 ms"), ("'history' of a /24 in a week", history_of_subnet, "≤ 80 ms"),
            ):  # fmt: skip
                spent = p95(call)
                table.add(
                    f"{what}, a year on record, p95", f"{spent:.0f} ms", goal, floor=f"{floor:.1f} ms (healthz)",
                    ratio=spent / floor,
                )  # fmt: skip


def _fill_year(path: Path, now: int) -> int:
    database = Database(path)
    source = random.Random(5)
    macs: dict[MacNumber, int] = {}
    rows = []

    def stay(address: int, mac: MacNumber, first: int, last: int) -> None:
        rows.append(
            {
                "segment_id": 1,
                "address": _BASE + address,
                "mac": mac,
                "first": first,
                "last": last,
                "sightings": 24,
                "sources": int(Source.ARP | Source.ECHO),
                "widest": 4 * 3_600_000,
            }
        )
        macs.setdefault(mac, first)

    start = now - DAYS * DAY
    for n in range(1400):
        for part in range(3):
            stay(n, MacNumber(0x02C044000000 + n), start + part * 120 * DAY, start + (part + 1) * 120 * DAY - 15 * DAY)
    for n in range(600):
        at = start
        while at < now:
            length = int(source.uniform(1, 5) * DAY)
            stay(2048 + source.randrange(1500), MacNumber(0x02C09FA00000 + n), at, min(at + length, now))
            at += length
    for day in range(DAYS):
        for n in range(40):
            at = start + day * DAY + source.randrange(DAY // 2)
            stay(3600 + n * 10 + day % 10, MacNumber(0x0E0000000000 + day * 1000 + n), at, at + 4 * 3_600_000)
    with database.write() as connection:
        scan_records.segment_id(connection, SegmentSeen("x0", "10.48.0.0/20", None), now)
        known = list(macs.items())
        for begin in range(0, len(known), 5000):
            some = list(enumerate(known[begin : begin + 5000], start=begin + 1))
            connection.execute(insert(devices), [{"id": i, "created_at": at} for i, (_, at) in some])
            connection.execute(
                insert(adapters),
                [{"device_id": i, "mac": mac, "first_seen": at, "last_seen": at} for i, (mac, at) in some],
            )
        for begin in range(0, len(rows), 20_000):
            connection.execute(insert(stays), rows[begin : begin + 20_000])
        naps = []
        roaming = select(stays.c.id, stays.c.first, stays.c.last).where(
            stays.c.mac.between(0x02C09FA00000, 0x02C09FAFFFFF)
        )
        for identity, first, last in connection.execute(roaming).all():
            for at in range(first + DAY // 6, last, DAY // 3):
                at += source.randrange(3_600_000)
                naps.append(
                    {"stay_id": identity, "first": at, "last": at, "times": 1, "before": at - 900_000, "after": at + 900_000}
                )  # fmt: skip
        for begin in range(0, len(naps), 20_000):
            connection.execute(insert(silences), naps[begin : begin + 20_000])
        every = SpanSet.of([IPv4Network((_BASE, 20))])
        for day in range(0, DAYS, 5):  # as if the service was restarted now and then
            begun, ended = start + day * DAY, start + (day + 5) * DAY
            for kind, apart in ((Kind.SCAN, 4 * 3_600_000), (Kind.LIGHT, 900_000)):
                last = ended - apart
                one = Series(
                    None, kind, Source.ARP, "x0", every, begun, last, last + 9_000, 5 * DAY // apart, apart + 9_000
                )  # fmt: skip
                look_records.keep(connection, 1, [one])
        for begin in range(0, len(known), 5000):
            refresh(connection, range(begin + 1, min(begin + 5000, len(known)) + 1), lambda _: "Fenmoor Portables")
    database.close()
    return len(rows) + len(naps)


def listening(table: Table) -> None:
    """ARP from 2,000 hosts at 10,000 and 20,000 frames a second, into a service that listens."""
    for pace in (10_000, 20_000):
        with _flooded_link() as (inside, running):
            process = psutil.Process(running.process.pid)
            sender = inside.start(sys.executable, "-m", "bench.flood", "far0", str(pace), str(SECONDS))
            assert sender.stdout is not None
            sender.stdout.readline()
            before = processor_seconds(process.pid)
            sent = int(sender.stdout.readline().split()[0])
            spent = processor_seconds(process.pid) - before
            own = float(sender.stdout.readline().split()[0])
            sender.wait()
            time.sleep(1.5)
            heard = next(one for one in _heard(running) if one[0] == "site0")
            _, frames, unread, lost = heard
            table.add(
                f"listening to {sent // SECONDS:,} ARP frames/s for {SECONDS} s",
                f"{spent / SECONDS * 100:.0f} % of a core; {unread + lost:,} of {sent:,} missed",
                "≤ 50 % of a core" if pace == 20_000 else "nothing missed",
                floor=f"{own / SECONDS * 100:.0f} % of a core (sending them)",
                ratio=spent / own,
            )  # fmt: skip
            if frames < sent:
                print(f"  {frames:,} frames counted of {sent:,}")


def _heard(running: Service) -> list[tuple[str, int, int, int]]:
    done = running.roster("listen", "--once", "--json")
    return [(x["adapter"], x["frames"], x["unread"], x["lost"]) for x in json.loads(done.stdout)["items"]]


@contextmanager
def _flooded_link() -> Iterator[tuple[Namespace, Service]]:
    with namespace() as inside:
        inside.ip("link", "add", "site0", "type", "veth", "peer", "name", "far0")
        inside.ip("address", "add", "10.48.0.1/20", "dev", "site0")
        for name in ("site0", "far0"):
            inside.ip("link", "set", name, "up")
        with service("serve", inside=inside, watch=True, anew=True) as running:
            done = running.roster("subnet", "add", "10.48.0.0/20", "--name", "Flood")
            assert done.returncode == 0, done.stderr
            running.roster("watch", "set", "Flood", "--off")
            time.sleep(6)
            yield inside, running
