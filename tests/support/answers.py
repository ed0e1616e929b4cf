"""Compares what the answers of a service say of the same devices and addresses, whichever question they answer."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from ipaddress import IPv4Address, IPv4Network

import httpx

from even_roster.api.devices import DeviceRow
from even_roster.api.findings import FindingView
from even_roster.api.network import Tick
from even_roster.api.plan import AssignmentRow
from even_roster.client import Roster
from even_roster.client._place import locate

from .patience import until
from .service import Service

CONTESTED = frozenset({"duplicate-address", "gateway-changed"})
TICKED = frozenset({"answering", "gateway", "self", "two"})
MOST_TICKS = 4096
Facts = tuple[str, str, str | None, str | None]


@dataclass(frozen=True)
class Whole:
    """What the lists say."""

    devices: list[DeviceRow]
    assignments: dict[str, AssignmentRow]
    ticks: dict[str, Tick]
    findings: list[FindingView]
    hosts: dict[str, list[str]]
    zones: str

    @property
    def contested(self) -> set[str]:
        """The addresses that a standing finding tells as claimed by several."""
        return {one.subjects[0].value for one in self.findings if one.kind in CONTESTED}


def whole(roster: Roster) -> Whole:
    """What the lists of a service say now."""
    drawn = [
        roster.ruler(one.subnet.cidr)
        for one in roster.subnets()
        if IPv4Network(one.subnet.cidr).num_addresses <= MOST_TICKS
    ]  # fmt: skip
    names = roster.names_text()
    lines = (line.split("#")[0].split() for line in names.hosts_file.splitlines())
    return Whole(
        list(roster.devices()), {one.address: one for one in roster.assignments()},
        {tick.address: tick for ruler in drawn for tick in ruler.ticks}, list(roster.findings("standing")),
        {line[0]: line[1:] for line in lines if line}, "\n".join(zone.text for zone in names.zones),
    )  # fmt: skip


def disagreements(roster: Roster, every: int = 1) -> list[str]:
    """Where two answers of a service contradict each other, in sentences: of every so many of its devices and assignments."""
    lists = whole(roster)
    found: list[str] = []
    for row in lists.devices[::every]:
        found += _device(roster, row)
    addresses = {row.address for row in lists.devices[::every] if row.address is not None} | lists.contested
    for address in sorted(addresses, key=IPv4Address):
        found += _address(roster, address, lists)
    for assignment in list(lists.assignments.values())[::every]:
        found += _planned(roster, assignment, lists)
    return found


def _facts(row: DeviceRow) -> Facts:
    return row.called, row.role, row.address, row.mac


def _device(roster: Roster, row: DeviceRow) -> Iterator[str]:
    """Its page, the search by all that it has, and what is known of its address and MAC say the same of it."""
    asked = [("its page", roster.device(row.id).device)]
    for text in filter(None, (row.called, row.mac, row.address)):
        hits = [hit.device for hit in roster.find(text, limit=200).items if hit.device and hit.device.id == row.id]
        if not hits:
            yield f"{row.called or row.mac} is not found by {text}"
        asked += [(f"find {text}", hit) for hit in hits if hit is not None]
    for subject in filter(None, (row.mac, row.address if row.last_seen else None)):
        told = [one for one in roster.explain(subject).devices if one.id == row.id]
        if not told:
            yield f"explain {subject} does not tell of {row.called or row.mac}"
        asked += [(f"explain {subject}", one) for one in told]
    for where, other in asked:
        if _facts(other) != _facts(row):
            yield f"{where} has {_facts(other)}, the list {_facts(row)}"
        if row.last_seen is not None and (other.last_seen is None or other.last_seen < row.last_seen):
            yield f"{where} saw {row.called or row.mac} last at {other.last_seen}, the list at {row.last_seen}"


def _address(roster: Roster, address: str, lists: Whole) -> Iterator[str]:
    """Who has an address now: by the ruler, what explains it, the moment, and the findings."""
    told = " ".join(roster.explain(address).sentences)
    moment = roster.at(address, datetime.now(UTC) + timedelta(seconds=1))
    there = [one for one in moment.known if one.known in ("held", "probably")]
    tick = lists.ticks.get(address)
    state = tick.state if tick is not None else "none"
    holds = any(
        word in told for word in ("holds it;", "claimed by", "This machine has it", "behind the gateway answered")
    )
    several = "claimed by" in told or "answers for it too" in told
    if bool(there) != holds:
        yield f"at says {[one.said for one in there]} of {address}, explain says {told}"
    if tick is not None and (state in TICKED) != holds:
        yield f"the ruler has {address} as {state}, explain says {told}"
    if several != (address in lists.contested):
        yield f"explain says {told} of {address}, told are {sorted(lists.contested)}"
    if tick is not None and (state == "two") != several:
        yield f"the ruler has {address} as {state}, explain says {told}"
    for row in lists.devices:
        if row.address != address or row.last_seen is None or tick is None or state == "two":
            continue
        if (
            state in TICKED
            and (tick.device is None or tick.device.id != row.id)
            and [one.mac for one in there] == [row.mac]
        ):
            yield f"the ruler has {tick.device} at {address}, the list {row.called or row.mac}"
        if (
            tick.device is not None
            and tick.device.id == row.id
            and (tick.device.name or "", tick.role) != (row.called, row.role)
        ):
            yield f"the ruler calls {address} {tick.device.name} ({tick.role}), the list {row.called} ({row.role})"


def _planned(roster: Roster, item: AssignmentRow, lists: Whole) -> Iterator[str]:
    """What the plan has at an address: on its card, in the names, and on the ruler."""
    card = roster.card(item.address)
    if (card.name, card.role, card.mac) != (item.name, item.role, item.mac):
        yield f"the card of {item.address} has {card.name} ({card.role}, {card.mac}), the plan {item.name} ({item.role}, {item.mac})"
    tick = lists.ticks.get(item.address)
    if tick is not None and item.name and tick.assigned != item.name:
        yield f"the ruler has {tick.assigned} planned at {item.address}, the plan {item.name}"
    for row in lists.devices:
        if item.device is not None and row.id == item.device.id:
            if (item.device.name or "") != row.called:
                yield f"the plan calls {item.address} {item.device.name}, the list {row.called}"
            if (item.seen_at or row.address) != row.address:
                yield f"the plan saw {item.name} last at {item.seen_at}, the list at {row.address}"
    hosts = lists.hosts.get(item.address, [])
    if item.on and item.name and item.name not in hosts:
        yield f"the hosts file has {hosts} at {item.address}, the plan {item.name}"
    if item.on and item.name and lists.zones and item.address not in lists.zones:
        yield f"no zone has {item.address}"
    said = " ".join(roster.explain(item.address).sentences)
    if item.name not in said:
        yield f"explain {item.address} does not tell of {item.name}: {said}"


def counted(service: Service, roster: Roster) -> list[str]:
    """Where the metrics do not count what the lists show."""
    place = locate(service.home)
    text = httpx.get(f"{place.url}/metrics", headers={"Authorization": f"Bearer {place.token}"}).text
    numbers = {
        line.rsplit(" ", 1)[0]: float(line.rsplit(" ", 1)[1]) for line in text.splitlines() if line[:1] not in ("#", "")
    }
    rows = list(roster.devices())
    expected = {
        "roster_devices": len(rows), "roster_devices_expected": sum(1 for row in rows if row.expected),
        **{
            f'roster_findings{{severity="{severity}"}}': count
            for severity, count in Counter(one.severity for one in roster.findings()).items()
        },
    }  # fmt: skip
    return [
        f"{name} is {numbers.get(name)}, the lists have {count}"
        for name, count in expected.items()
        if numbers.get(name) != count
    ]


def agree(compare: Callable[[], list[str]], when: str) -> None:
    """Wait until nothing contradicts anything; else raise with the contradictions, and when that was."""
    found: list[str] = []

    def agreed() -> bool:
        found[:] = compare()
        return not found

    until(agreed, lambda: "\n".join((f"{when}:", *found)), pause=0.5)
