"""The one table of addresses and MACs: from what was seen, leases, the tables of routers and switches, and what people entered. A
router says whom it heard last, perhaps hours ago: its word is told with its time, and never taken for having seen somebody."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field

from sqlalchemy import Connection

from ...core.address import LAST_IPV4, Address, dotted
from ...core.mac import Mac, MacError, MacNumber
from ...core.text import clean
from ...store import device_queries, lease_records, switch_counters
from ...store.edits import EditError, Missing
from ...store.journal import Written
from ..context import Context, now_ms
from ..knowing.switch_now import SwitchNow
from ..naming import request_values
from ..setting_edits import changed, writing

PAIR = "hand pair"
MOST_LINES = 50_000
LONGEST = 120


@dataclass(slots=True)
class Paired:
    """An address and a MAC: who says so, each with when it did last (UTC ms; None: a hand, for good), and a hand's note."""

    address: Address
    mac: MacNumber
    said: dict[str, int | None] = field(default_factory=dict)
    note: str = ""


def _own_name(one: SwitchNow) -> str:
    return one.called


def every(context: Context, connection: Connection, name_of: Callable[[SwitchNow], str] = _own_name) -> list[Paired]:
    """All pairs of the site here, by address and MAC; `name_of` gives what a switch or router is called."""
    site = context.plan.site_here
    found: dict[tuple[Address, MacNumber], Paired] = {}

    def say(address: Address, mac: MacNumber | None, source: str, at: int | None, note: str = "") -> None:
        if mac is None:
            return
        one = found.get((address, mac))
        if one is None:
            one = found[address, mac] = Paired(address, mac)
        before = one.said.get(source)
        one.said[source] = at if before is None or at is None else max(before, at)
        one.note = note or one.note

    for seen in device_queries.seen_in(connection, site, 0, LAST_IPV4):
        say(seen.address, seen.mac, "seen", seen.last)
    servers = {row.id: row for row in lease_records.servers(connection) if row.site == site}
    now = now_ms()
    for row in lease_records.all_leases(connection):
        lease, server = row.lease, servers.get(row.server)
        if server is not None and (lease.expires is None or lease.expires > now):
            say(lease.address, lease.mac, "lease", server.read_at)
    called = {one.row.id: name_of(one) for one in context.switches.switches.values() if one.row.site == site}
    learnt = {one.row.id: one.row.learnt for one in context.switches.switches.values()}
    for told in switch_counters.all_pairs(connection):
        if told.switch in called:
            say(
                told.address, told.mac, called[told.switch], told.last if told.last is not None else learnt[told.switch]
            )
    for hand in switch_counters.pairs_by_hand(connection):
        if hand.site == site:
            say(hand.address, hand.mac, "hand", None, hand.note)
    return [found[key] for key in sorted(found)]


def holders(context: Context, connection: Connection, address: Address) -> list[MacNumber]:
    """Who has an address by hand or by the tables of routers and switches, the latest word first."""
    hands = [
        row.mac for row in switch_counters.pairs_by_hand(connection)
        if row.address == address and row.site == context.plan.site_here
    ]  # fmt: skip
    switches = context.switches.switches
    rows = [row for row in switch_counters.pairs_at(connection, address) if row.switch in switches]
    rows.sort(key=lambda row: -(row.last if row.last is not None else switches[row.switch].row.learnt or row.first))
    return list(dict.fromkeys([*hands, *(row.mac for row in rows)]))[:1]


def addresses(connection: Connection, macs: Iterable[MacNumber]) -> dict[MacNumber, Address]:
    """The address of some MACs by hand or by the tables of routers and switches that stand."""
    found: dict[MacNumber, Address] = {}
    for row in switch_counters.pairs_of(connection, list(macs)):
        if row.mac not in found or row.last is None:
            found[row.mac] = row.address
    return found


@dataclass(frozen=True, slots=True)
class Without:
    """A MAC on an edge port of which nobody knows an address, and whom to ask."""

    mac: MacNumber
    switch: int
    port: int
    vlans: tuple[int, ...]
    ask: str


def without(context: Context, connection: Connection) -> list[Without]:
    """MACs that hang on ports and have no address anywhere, each with whom to ask: the gateway of its VLAN's subnet."""
    known = {one.mac for one in every(context, connection)}
    read = {address for one in context.switches.switches.values() for address in one.told.get("addresses", ())}
    read |= {dotted(one.row.address) for one in context.switches.switches.values()}
    gates: dict[int, str] = {}
    for subnet in context.plan.plan.subnets_of(context.plan.site_here):
        if subnet.vlan is not None and subnet.gateway is not None:
            gate = dotted(subnet.gateway)
            if gate in read:
                gates[subnet.vlan] = (
                    f"{gate} is read and does not know it: it may speak to nobody outside, or not IP at all"
                )
            else:
                gates[subnet.vlan] = (
                    f"{gate}, the gateway of {subnet.name or subnet.network}: 'roster switch add {gate}'"
                )
    found = []
    for switch in context.switches.switches.values():
        for port in switch.ports.values():
            if port.state is None or port.state.uplink:
                continue
            for stay in port.here:
                if stay.mac not in known:
                    vlans = stay.vlans or ((port.state.vlan,) if port.state.vlan else ())
                    ask = next(
                        (gates[vlan] for vlan in vlans if vlan in gates), "a router of its subnet; none is planned"
                    )
                    found.append(Without(stay.mac, switch.row.id, port.id, vlans, ask))
    return sorted(found, key=lambda one: (one.switch, one.port, one.mac))


# People's pairs


def enter(context: Context, who: str, text: str) -> int:
    """Take pairs in, one a line: an address and a MAC in any order, then a note; gives how many are new or otherwise. All of them
    or none. Raises EditError with the line that cannot be read."""
    wanted: dict[tuple[Address, MacNumber], str] = {}
    for number, line in enumerate(text.splitlines(), start=1):
        plain = line.split("#", 1)[0].strip()
        if plain:
            address, mac, note = _line(plain, number)
            wanted[address, mac] = note
    if not wanted:
        raise EditError("there is no pair in it; write one a line: 10.44.10.30 02:c0:44:00:00:11 note", "text")
    if len(wanted) > MOST_LINES:
        raise EditError(f"{len(wanted)} pairs are more than {MOST_LINES:,} at once", "text")
    site = context.plan.site_here
    with writing(context, who) as journal:
        rows = [
            Written(PAIR, (site, address, mac), {"note": note}) for (address, mac), note in wanted.items()
            if (journal.row(PAIR, (site, address, mac)) or {}).get("note") != note
        ]  # fmt: skip
        first, mac = next(iter(wanted))
        called = f"{dotted(first)} {Mac(mac)}" + (f" and {len(wanted) - 1} more" if len(wanted) > 1 else "")
        if rows:
            journal.save("add", PAIR, called, rows, (None, {"pairs": len(rows)}))
    changed(context, {PAIR})
    return len(rows)


def _line(plain: str, number: int) -> tuple[Address, MacNumber, str]:
    parts = [part for part in plain.replace("\t", " ").replace(",", " ").replace(";", " ").split(" ") if part]
    address: Address | None = None
    mac: MacNumber | None = None
    while parts and (address is None or mac is None):
        part = parts[0]
        try:
            if address is None and part.count(".") == 3:
                address = request_values.address(part)
            elif mac is None:
                mac = Mac.parse(part).value
            else:
                break
        except (EditError, MacError) as error:
            raise EditError(f"line {number}: {error}", "text") from error
        parts.pop(0)
    if address is None or mac is None:
        lacking = "an address" if address is None else "a MAC"
        raise EditError(f"line {number} has not {lacking}: {clean(plain, 60)!r}; write address, MAC and a note", "text")
    return address, mac, clean(" ".join(parts), LONGEST)


def remove(context: Context, who: str, address: Address, mac: MacNumber) -> None:
    """A pair that people entered no more. Raises Missing."""
    site = context.plan.site_here
    with writing(context, who) as journal:
        before = journal.row(PAIR, (site, address, mac))
        if before is None:
            raise Missing(f"nobody entered {dotted(address)} with {Mac(mac)}")
        rows = [Written(PAIR, (site, address, mac), None)]
        journal.save("remove", PAIR, f"{dotted(address)} {Mac(mac)}", rows, (before, None))
    changed(context, {PAIR})


def clear(context: Context) -> int:
    """Forget what routers and switches told; what people entered stays, and the next readings tell anew. Gives how many."""
    with context.database.write() as connection:
        gone = switch_counters.forget_pairs(connection)
    changed(context, {PAIR})
    return gone
