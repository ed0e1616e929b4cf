"""What reading switches costs, and how soon a year of it answers."""

from __future__ import annotations

import asyncio
import os
import random
import statistics
import tempfile
import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from ipaddress import IPv4Address
from pathlib import Path
from typing import Any, TypeVar, cast
from unittest import mock

from tests.support.service import service

from even_roster.api.switches import CredentialNew, SwitchNew
from even_roster.core.mac import MacNumber
from even_roster.core.switches.port_states import PortState
from even_roster.probe.segment import Segment
from even_roster.probe.snmp_session import CommunitySession
from even_roster.service.switches import agent_reading
from even_roster.standin.cabling import Cabling
from even_roster.standin.generated_cabling import cable
from even_roster.standin.generator import generate
from even_roster.standin.segment import StandinSegment
from even_roster.standin.site import Site
from even_roster.standin.switches import COMMUNITY, switch_rows
from even_roster.store.database import Database
from even_roster.store.switch_tables import port_states, port_stays, switch_ports, switches
from even_roster.wire import snmp
from even_roster.wire.snmp import Version

from .roster import p95
from .table import Table

T = TypeVar("T")
MACS, SWITCHES, PORTS, DEVICES = 500, 30, 48, 2000
HOUR = 3600 * 1000
DAY = 24 * HOUR


class Recorded:
    """A segment that gives the answers that a simulated agent gave before, at once."""

    def __init__(self, segment: StandinSegment, answers: dict[bytes, bytes]) -> None:
        self._segment, self.answers, self.recording = segment, answers, True

    async def datagram(
        self, to: IPv4Address, port: int, payload: bytes, accept: Callable[[bytes], T | None], **_: Any
    ) -> T | None:
        """The answer to a question."""
        if self.recording:
            for _delay, _sender, answer in self._segment._site.datagram(self._segment.adapter.name, to, port, payload):
                self.answers[payload] = answer
        return accept(self.answers[payload]) if payload in self.answers else None

    async def close(self) -> None:
        """Nothing to give back."""


def ports(table: Table) -> None:
    """One switch, thirty side by side, and a year of them."""
    _one(table)
    _thirty(table)
    _year(table)


def _one(table: Table) -> None:
    site = generate(MACS)
    cabling = cable(site, 12)
    address = next(iter(cabling.switches.values())).host.addresses[0]
    recorded = Recorded(StandinSegment(site, site.adapters[0]), {})

    def read() -> float:
        began = time.process_time()
        with mock.patch("even_roster.probe.snmp_agent.random.getrandbits", lambda _: 1):
            asyncio.run(_read(recorded, address))
        return time.process_time() - began

    read()
    recorded.recording = False
    messages = list(recorded.answers.values())
    variables = sum(len(snmp.decode(one).unit.variables) for one in messages)

    def bare() -> float:
        began = time.process_time()
        for one in messages:
            snmp.decode(one)
        return time.process_time() - began

    turns = [(read(), bare()) for _ in range(15)]  # by turns: the machine is not always as fast
    spent, floor = min(one for one, _ in turns), min(one for _, one in turns)
    table.add(
        f"a switch of {PORTS} ports with {MACS} MACs, {variables:,} variables: processor time of a reading",
        f"{spent * 1000:.0f} ms", "≤ 1.5 ×, < 1 s", floor=f"{floor * 1000:.0f} ms (decoding the same answers)", ratio=spent / floor,
    )  # fmt: skip


async def _read(recorded: Recorded, address: IPv4Address) -> None:
    """One reading; what it says is let go of here, as asyncio.run writes down what a task gives."""
    await agent_reading.read(cast(Segment, recorded), address, CommunitySession(Version.V2C, COMMUNITY))


def _thirty(table: Table) -> None:
    with (
        service("demo", "--hosts", str(MACS), "--switches", str(SWITCHES), anew=True) as running,
        running.client() as roster,
    ):
        roster.add_credential(CredentialNew(name="bench", snmp="2c", community=COMMUNITY.decode()))
        site = generate(MACS)
        cabling = cable(site, SWITCHES)
        addresses = [str(one.host.addresses[0]) for one in cabling.switches.values()]
        identities = [roster.add_switch(SwitchNew(switch=address)).id for address in addresses]
        waits: list[float] = []
        done = threading.Event()

        def ask() -> None:
            with running.client() as other:
                while not done.is_set():
                    began = time.monotonic()
                    list(other.devices(limit=50))
                    waits.append(time.monotonic() - began)
                    time.sleep(0.02)

        for round_ in range(2):  # the first reading makes everything new, the second finds it as it was
            waits.clear()
            done.clear()
            asking = threading.Thread(target=ask)
            asking.start()
            began, used = time.monotonic(), _processor(running.process.pid)
            clients = [running.client() for _ in identities]
            threads = [
                threading.Thread(target=client.read_switch_now, args=(identity,))
                for client, identity in zip(clients, identities, strict=True)
            ]
            for thread in threads:
                thread.start()
            for thread in threads:
                thread.join()
            wall, spent = time.monotonic() - began, _processor(running.process.pid) - used
            done.set()
            asking.join()
            for client in clients:
                client.close()
            agents = _agents(addresses, site, cabling)
            slow = statistics.quantiles(waits, n=20)[-1] if len(waits) > 20 else max(waits)
            which = "first" if round_ == 0 else "again"
            table.add(f"{SWITCHES} such switches side by side, {which}: wall", f"{wall:.1f} s", "< 8 s")
            table.add(
                "the same: processor time, the simulated agents' taken off", f"{spent - agents:.1f} s", "< 4 s",
                floor=f"{agents:.1f} s (the agents alone)",
            )  # fmt: skip
            table.add("the same: other answers meanwhile, p95", f"{slow * 1000:.0f} ms", "< 50 ms")


def _agents(addresses: list[str], site: Site, cabling: Cabling) -> float:
    """The processor time of the agents alone, for one reading of each: what answering the same questions costs."""
    recorded = Recorded(StandinSegment(site, site.adapters[0]), {})
    began = time.process_time()
    asyncio.run(_read(recorded, IPv4Address(addresses[0])))
    questions = list(recorded.answers)
    began = time.process_time()
    answer = site.agents[int(IPv4Address(addresses[0]))]
    for one in questions:
        answer(one)
    sorted(switch_rows(site, cabling, next(iter(cabling.switches.values()))))  # its tables are made once in a reading
    return (time.process_time() - began) * len(addresses)


def _processor(pid: int) -> float:
    ticks = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    return (int(ticks[11]) + int(ticks[12])) / os.sysconf("SC_CLK_TCK")


def _year(table: Table) -> None:
    with tempfile.TemporaryDirectory() as folder:
        home = Path(folder) / "home"
        home.mkdir()
        now = time.time_ns() // 1_000_000
        Database(home / "roster.db").close()
        before = sum(path.stat().st_size for path in home.glob("roster.db*"))
        rows = _fill(home / "roster.db", now)
        size = (sum(path.stat().st_size for path in home.glob("roster.db*")) - before) / 1e6
        what = f"a year of {SWITCHES} switches and {DEVICES:,} devices, read every 5 min, on disk"
        table.add(what, f"{size:.0f} MB, {rows:,} stays", "< 200 MB")
        with service("serve", "--new-key", home=home, anew=True) as running, running.client() as roster:
            source = random.Random(3)
            floor = p95(lambda _: roster.health())
            when = datetime.now(UTC) - timedelta(days=200)

            def mac(number: int) -> str:
                return f"02:c0:9f:00:{number // 256:02x}:{number % 256:02x}"

            def at(number: int) -> datetime:
                return when + timedelta(hours=number)

            def anybody() -> str:
                return mac(source.randrange(DEVICES))

            calls: list[tuple[str, str, Callable[[int], object]]] = [
                ("'where' of a MAC now", "≤ 20 ms", lambda _: roster.where(anybody())),
                ("'where' of a MAC then", "≤ 20 ms", lambda n: roster.where(anybody(), at(n))),
                ("a switch as it was at any moment", "≤ 100 ms", lambda n: list(roster.ports("1", at(n)))),
                ("a switch as it is", "", lambda _: list(roster.ports("1"))),
            ]
            for what, goal, call in calls:
                spent = p95(call)
                table.add(
                    f"{what}, a year on record, p95", f"{spent:.0f} ms", goal, floor=f"{floor:.1f} ms (healthz)",
                    ratio=spent / floor,
                )  # fmt: skip


def _fill(path: Path, now: int) -> int:
    """Devices that stay at an edge and are known to every switch by its uplink; a tenth of them moves once a month, and there are
    40 new MACs a day."""
    database, source, start = Database(path), random.Random(5), now - 365 * DAY
    stays: list[dict[str, Any]] = []

    def known(mac: MacNumber, first: int, last: int | None, edge: tuple[int, int]) -> None:
        for switch in range(1, SWITCHES + 1):
            port = (switch - 1) * (PORTS + 2) + (edge[1] if switch == edge[0] else PORTS + 1)
            stays.append({"switch": switch, "port": port, "mac": mac, "vlans": "10", "first": first, "last": last,
                          "ended": 0 if last is None else 1})  # fmt: skip

    def somewhere() -> tuple[int, int]:
        return source.randrange(1, SWITCHES + 1), source.randrange(1, PORTS + 1)

    for number in range(DEVICES):
        mac, at = MacNumber(0x02C09F000000 + number), start
        edge = somewhere()
        for _ in range(12 if number % 10 == 0 else 0):
            until = at + 30 * DAY
            known(mac, at, until, edge)
            at, edge = until + 60_000, somewhere()
        known(mac, at, None, edge)
    for day in range(365):
        for visitor in range(40):
            first = start + day * DAY + visitor * 60_000
            edge = somewhere()
            mac = MacNumber(0x0E0000000000 + day * 100 + visitor)
            for switch in {edge[0], 1}:
                port = (switch - 1) * (PORTS + 2) + (edge[1] if switch == edge[0] else PORTS + 1)
                row = {"switch": switch, "port": port, "mac": mac, "vlans": "10", "first": first, "last": first + HOUR}
                stays.append({**row, "ended": 0})
    with database.write() as connection:
        connection.execute(switches.insert(), [
            {
                "id": one, "site": 1, "address": 0x0A000000 + one, "every_seconds": 300, "on": True, "read": now, "learnt": now,
                "asked": now, "trouble": "",
                "told": {"name": f"switch-{one}", "own": [0x02C03E000000 + one], "bridge": True, "up_ticks": 100},
            }
            for one in range(1, SWITCHES + 1)
        ])  # fmt: skip
        every = [(switch, place) for switch in range(1, SWITCHES + 1) for place in range(1, PORTS + 3)]
        connection.execute(switch_ports.insert(), [
            {"id": (switch - 1) * (PORTS + 2) + place, "switch": switch, "name": str(place), "place": place, "there": True}
            for switch, place in every
        ])  # fmt: skip
        states = []
        for switch, place in every:
            port = (switch - 1) * (PORTS + 2) + place
            state = PortState(place, link="up", wanted="up", speed=10**9, uplink=place > PORTS).stored()
            for month in range(12):  # links go and come now and then
                first = start + month * 30 * DAY + place * 1000
                states.append({"port": port, "first": first, "last": first + 30 * DAY - 1000, "state": state})
            states.append({"port": port, "first": start + 360 * DAY + place * 1000, "last": None, "state": state})
        connection.execute(port_states.insert(), states)
        for begin in range(0, len(stays), 50_000):
            connection.execute(port_stays.insert(), stays[begin : begin + 50_000])
    database.close()
    return len(stays)
