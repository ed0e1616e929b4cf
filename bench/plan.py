"""How quick the address plan is: free addresses, checks, spreadsheets, publishing to a real Kea."""

from __future__ import annotations

import csv
import io
import json
import sqlite3
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from ipaddress import IPv4Address, IPv4Network
from pathlib import Path
from typing import Any

import psutil
from tests.support import dhcp_lab
from tests.support.service import service

from even_roster.api.dhcp import DhcpServerNew
from even_roster.api.host_file import Reach, allow
from even_roster.api.plan import SubnetNew
from even_roster.core.address import Address
from even_roster.core.mac import MacNumber
from even_roster.core.plan.checks import Checked
from even_roster.core.plan.free import Seen, Wanted, candidates
from even_roster.core.plan.model import Assignment, AssignmentKind, Band, BandKind, Plan, Site, Subnet
from even_roster.core.plan.runs import Runs
from even_roster.dhcp.kea import KeaServer

from .roster import p95, rested
from .table import Table

STATIC = AssignmentKind.STATIC
ROWS, RESERVATIONS, LINES = 10_000, 5_000, 20_000


def planning(table: Table) -> None:
    """The core's sums, without a service."""
    _free(table)
    _checks(table)


def _free(table: Table) -> None:
    def work(network: str, count: int) -> Callable[[int], object]:
        subnet = Subnet(1, 1, "", IPv4Network(network))
        step = max((subnet.last - subnet.first) // (count + 1), 1)
        items = [
            Assignment(n, 1, 1, Address(subnet.first + n * step), STATIC, None, f"h{n}", "other")
            for n in range(1, count + 1)
        ]
        plan = Plan([Site(1, "x", True), subnet, *items])
        looked = Seen.of(plan, 1, {Address(item.address + 1): item.id for item in items})
        return lambda _: candidates(plan, subnet, Wanted(5, role="printer"), looked, Runs())

    small, large = p95(work("10.44.10.0/24", 100), 300), p95(work("10.0.0.0/8", 100_000), 300)
    table.add(
        "five free addresses in a /8 with 100,000 assignments, p95", f"{large:.2f} ms", "≤ 5 ms, ≤ 1.5 × a /24",
        floor=f"{small:.2f} ms (a /24 with 100)", ratio=large / small,
    )  # fmt: skip


def _checks(table: Table) -> None:
    base = int(IPv4Address("10.0.0.0"))
    subnets = [
        Subnet(n, 1, f"net-{n}", IPv4Network((base + n * 512, 23)), Address(base + n * 512 + 1)) for n in range(1, 201)
    ]
    bands = [
        Band(2 * s.id + n, s.id, kind, s.first + 2 + 300 * n, s.first + 290 + 200 * n, server=1)
        for s in subnets for n, kind in enumerate((BandKind.STATIC, BandKind.POOL))
    ]  # fmt: skip
    items = [
        Assignment(
            n,
            1,
            subnets[n % 200].id,
            Address(subnets[n % 200].first + 2 + n // 200),
            STATIC,
            MacNumber(n + 1),
            f"host-{n}",
            "other",
        )
        for n in range(50_000)
    ]
    plan = Plan([Site(1, "x", True), *subnets, *bands, *items])
    began = time.perf_counter()
    checked = Checked(plan)
    whole = time.perf_counter() - began
    began = time.perf_counter()
    sum(1 for item in items if item.role and item.address)
    floor = time.perf_counter() - began
    table.add(
        "plan check of 200 subnets, 50,000 assignments", f"{whole:.2f} s", "≤ 1 s",
        floor=f"{floor * 1000:.1f} ms (one look at each)", ratio=whole / floor,
    )  # fmt: skip

    def edit_one(number: int) -> None:
        nonlocal checked
        old = checked.plan.assignments[number * 7 + 1]
        checked = checked.edited([old], [replace(old, notes=f"{number}", role="printer")])

    def edit_band(number: int) -> None:
        nonlocal checked
        old = checked.plan.bands[2 * (number % 200 + 1) + 1]
        checked = checked.edited([old], [replace(old, last=old.last - 1)])

    table.add("the same after one assignment was edited, p95", f"{p95(edit_one):.2f} ms", "≤ 20 ms")
    table.add("the same after one band was edited, p95", f"{p95(edit_band):.2f} ms", "≤ 20 ms")


def spreadsheets(table: Table) -> None:
    """Import of ROWS rows through the service, beside reading the table and storing its rows alone."""
    text = "ip,name,mac,role,note\n" + "".join(
        f"10.96.{n // 250}.{n % 250 + 2},host-{n},{0x02C05B000000 + n:012x},other,row {n}\n" for n in range(ROWS)
    )
    began = time.perf_counter()
    with sqlite3.connect(":memory:") as connection:
        connection.execute("CREATE TABLE t (a, b, c, d, e)")
        connection.executemany("INSERT INTO t VALUES (?,?,?,?,?)", list(csv.reader(io.StringIO(text))))
    floor = time.perf_counter() - began
    with service("serve", anew=True) as running, running.client() as roster:
        roster.add_subnet(SubnetNew(range="10.96.0.0/16", name="Big"))
        for dry in (True, False):
            began = time.perf_counter()
            report = roster.import_sheet(text.encode(), dry_run=dry)
            took = time.perf_counter() - began
            assert report.added_count == ROWS and not report.refused_count
            table.add(
                f"{'dry run of an' if dry else 'an'} import of 10,000 rows", f"{took:.1f} s", "≤ 5 s",
                floor=f"{floor:.2f} s (csv and SQLite alone)", ratio=took / floor,
            )  # fmt: skip


def publishing(table: Table) -> None:
    """Preview and publish RESERVATIONS reservations to Kea, beside the time that Kea itself takes for them."""
    with dhcp_lab.link() as on:
        text = dhcp_lab.kea_config(on.folder).replace("10.44.10.0/24", "10.44.0.0/16")
        with dhcp_lab.kea(on, text), service("serve", anew=True) as running, running.client() as roster:
            paths = {"config": str(on.folder / "kea.conf"), "socket": str(on.folder / "kea.sock")}
            allow(running.home, Reach("office", "kea", paths))
            server = roster.add_dhcp_server(DhcpServerNew(name="office"))
            roster.dhcp_adopt(server.id, dry_run=False)
            rows = "".join(
                f"10.44.{100 + n // 250}.{n % 250 + 2},p-{n},{0x02C09FA00000 + n:012x},reserved\n"
                for n in range(RESERVATIONS)
            )
            report = roster.import_sheet(f"ip,name,mac,kind\n{rows}".encode(), dry_run=False)
            assert report.added_count == RESERVATIONS
            rested(psutil.Process(running.process.pid))
            began = time.perf_counter()
            preview = roster.dhcp_preview(server.id)
            shown = time.perf_counter() - began
            assert len(preview.lines) == RESERVATIONS
            began = time.perf_counter()
            roster.dhcp_publish(server.id, preview.digest)
            done = time.perf_counter() - began
            own = _kea_alone(on, on.folder / "kea.conf")
    table.add("preview of 5,000 reservations for Kea", f"{shown:.2f} s", "≤ 0.5 s")
    table.add(
        "publish them: checked, written, read back, verified", f"{done:.2f} s", "≤ 2 × the server's own commands",
        floor=f"{own:.2f} s (Kea: config-test, config-reload, three config-get)", ratio=done / own,
    )  # fmt: skip


def holdings(table: Table) -> None:
    """Read all that a configuration of 20,000 lines holds, beside the standard library's reading of the same values."""
    address = '"hw-address": "02:c0:44:00:{0:02x}:{1:02x}",\n  "ip-address": "10.44.{0}.{1}"'
    entry = f'{{{{ {address}, // by hand\n  "hostname": "h-{{0}}-{{1}}" }}}}'
    entries = ",\n".join(entry.format(n >> 8, n & 255) for n in range(LINES // 3))
    text = f'{{ "Dhcp4": {{ "subnet4": [ {{ "subnet": "10.44.0.0/16", "reservations": [\n{entries}\n] }} ] }} }}\n'
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "kea.conf"
        path.write_text(text)
        plain = text.replace(" // by hand", "")
        began = time.perf_counter()
        json.loads(plain)
        floor = time.perf_counter() - began
        began = time.perf_counter()
        found = KeaServer(config=path).holdings([])
        took = time.perf_counter() - began
    assert len(found) == LINES // 3 + 1
    table.add(
        "holdings of a Kea configuration of 20,000 lines", f"{took:.2f} s", "≤ 1 s",
        floor=f"{1000 * floor:.0f} ms (the same values by json)", ratio=took / floor,
    )  # fmt: skip


def _kea_alone(on: dhcp_lab.Link, config: Path) -> float:
    """The server's own time for the same commands on the same document."""
    text = config.read_text().replace("// the theatre's own notes stay where they are", "")
    for comment in ("# an hour", "/* Office */", "// bought in spring"):
        text = text.replace(comment, "")
    document: Any = json.loads(text)
    began = time.perf_counter()
    assert dhcp_lab.kea_command(on, "config-test", document)["result"] == 0
    assert dhcp_lab.kea_command(on, "config-reload")["result"] == 0
    for _ in range(3):
        dhcp_lab.kea_command(on, "config-get")
    return time.perf_counter() - began
