"""Reads what a dhcpd hands out, edits its file of host declarations, reads its leases (dhcpd.conf(5), dhcpd.leases(5)). No I/O.

A host declaration that people wrote stays octet for octet but for the address and the name that the plan owns in it.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from ipaddress import IPv4Address, IPv4Network
from typing import Any

from ..core.address import Address, dotted
from ..core.dhcp import Pool, Reservation, Scope, ScopeThere
from ..core.holdings import By
from ..core.mac import Mac, MacError
from ..core.plan.following import Lease
from ..core.plan.model import HandedOut
from ..core.text import clean
from .dhcpd_holdings import dotted_of, host, network_of, range_of
from .dhcpd_text import Statement, parse
from .dnsmasq_lines import lines_of
from .json_text import Edit, edited
from .server import ServerTrouble
from .wanted_hosts import WantedHosts, line_end

MARK = "# Host declarations of this file are published by the roster "
_LISTS = {"routers": "gateway", "domain-name-servers": "dns", "ntp-servers": "ntp"}
_WORDS = {"domain-name": "domain", "tftp-server-name": "boot_server", "bootfile-name": "boot_file"}


def scopes(
    statements: Iterable[Statement], owned: Mapping[str, frozenset[str]], hints: Sequence[IPv4Network]
) -> Iterator[ScopeThere]:
    """What the server hands out, by subnet."""
    everything = list(_flat(statements, ()))
    usual = _handed_out([one for above, one in everything if not above])
    entries = [entry for _, one in everything if (entry := reservation(one)) is not None]
    declared = [
        (network, one, above) for above, one in everything if one.keyword == "subnet" and (network := network_of(one))
    ]
    for network, one, above in declared:
        inside = [part for _, part in _flat(one.inner, ())]
        pools = [Pool(*stretch) for part in inside if part.keyword == "range" and (stretch := range_of(part))]
        shared = [part for outer in above for part in outer.inner]
        base = _handed_out(shared).over(usual)
        mine = tuple(entry for entry in entries if IPv4Address(entry.address) in network)
        scope = Scope(network, tuple(pools), _handed_out(one.inner), mine)
        yield ScopeThere(scope, owned.get(str(network), frozenset()), base)
    known = [network for network, _, _ in declared]
    for network in hints:
        mine = tuple(entry for entry in entries if IPv4Address(entry.address) in network)
        if network not in known and (mine or not any(one.overlaps(network) for one in known)):
            yield ScopeThere(Scope(network, reservations=mine), owned.get(str(network), frozenset()), usual)


def _flat(
    statements: Iterable[Statement], above: tuple[Statement, ...]
) -> Iterator[tuple[tuple[Statement, ...], Statement]]:
    """Every statement with the blocks around it; what is in a host or a class is its own."""
    for one in statements:
        yield above, one
        if one.block and one.keyword not in (
            "host",
            "class",
            "subclass",
            "failover",
            "key",
            "zone",
            "if",
            "elsif",
            "else",
        ):
            yield from _flat(one.inner, (*above, one))


def _handed_out(statements: Iterable[Statement]) -> HandedOut:
    found: dict[str, Any] = {}
    for one in statements:
        words = [word.text for word in one.words if word.text != ","]
        if one.keyword == "default-lease-time" and len(words) == 2 and words[1].isdigit():
            found["lease_seconds"] = int(words[1])
        elif one.keyword == "option" and len(words) > 2 and words[1] in _LISTS:
            addresses = [dotted_of(word) for word in words[2:]]
            if None not in addresses:
                told = tuple(address for address in addresses if address is not None)
                found[_LISTS[words[1]]] = told[0] if words[1] == "routers" else told
        elif one.keyword == "option" and len(words) == 3 and words[1] in _WORDS:
            found[_WORDS[words[1]]] = words[2]
    return HandedOut(**found)


def reservation(one: Statement) -> Reservation | None:
    """A host declaration that keeps one address for one MAC; None for every other statement."""
    if one.keyword != "host" or not one.block:
        return None
    entry = host(one)
    if (
        len(entry.identifiers) != 1
        or entry.identifiers[0][0] is not By.MAC
        or len(entry.addresses) != 1
        or entry.elsewhere
    ):
        return None
    try:
        return Reservation(Mac.parse(entry.identifiers[0][1]).value, entry.addresses[0], entry.name)
    except MacError:
        return None


@dataclass(frozen=True, slots=True)
class Edited:
    """A file of hosts with the owned attributes as wanted, and what a person has to do, with its place."""

    text: str
    by_hand: tuple[str, ...]


def edit_hosts(
    text: str,
    path: str,
    wanted: Sequence[Scope],
    owned: Mapping[str, frozenset[str]],
    others: Iterable[Statement],
    roster: str,
) -> Edited:
    """The file of hosts with the owned attributes as wanted; `others` are the statements of other files. Raises ServerTrouble."""
    hosts_wanted = WantedHosts(wanted, owned)
    by_hand: list[str] = []
    edits: list[Edit] = []
    ours = False
    for _, statement in _flat(others, ()):
        one = reservation(statement)
        if one is None:
            continue
        target = hosts_wanted.in_place_of(one)
        hosts_wanted.stands_elsewhere(one)
        if hosts_wanted.is_ours(one) and target != one:
            to = f"write {target} for it" if target is not None else "take it out"
            by_hand.append(f"{statement.place}: {to}, and restart the server; what stands there: {statement.said} …")
    here = [(statement, reservation(statement)) for _, statement in _flat(parse(text, path), ())]
    for statement, one in here:
        if one is None:
            continue
        target = hosts_wanted.in_place_of(one)
        if not hosts_wanted.is_ours(one):
            continue
        if target is not None:
            ours = True
            edits += _changes(statement, one, target)
        elif host(statement).rest or "#" in text[statement.start : statement.end]:
            by_hand.append(f"{statement.place}: take out the reservation {one}: more stands with it")
        else:
            edits.append(_whole_line(text, statement))
    end = line_end(text)
    names = {
        statement.words[1].text for statement, _ in here if statement.keyword == "host" and len(statement.words) > 1
    }
    added = [f"{_declared(one, names)}{end}" for one in hosts_wanted.missing()]
    result = edited(text, edits)
    mark = f"{MARK}{roster}{end}" if roster and (ours or added) else ""
    if edits or added:
        result = "".join(
            line for line in lines_of(result) if not line.startswith(MARK) or line.rstrip("\r\n") == mark.rstrip("\r\n")
        )
        if mark and mark.rstrip("\r\n") not in result:
            added = [mark, *added]
        if added and result and not result.endswith("\n"):
            result += end
    return Edited("".join([result, *added]), tuple(by_hand))


def _changes(statement: Statement, one: Reservation, target: Reservation) -> Iterator[Edit]:
    """The address and the name in their places."""
    fixed = statement.find("fixed-address")
    assert fixed is not None
    if target.address != one.address:
        word = next(word for word in fixed.words[1:] if dotted_of(word.text) is not None)
        yield word.start, word.end, dotted(target.address)
    if target.name == one.name:
        return
    named = statement.find("option", "host-name")
    if named is None:
        yield fixed.end, fixed.end, f' option host-name "{target.name}";'
    elif target.name:
        yield named.words[2].start, named.words[2].end, f'"{target.name}"'
    else:
        yield named.start, named.end, ""


def _whole_line(text: str, statement: Statement) -> Edit:
    """A declaration with its line where nothing else stands on it."""
    begin, end = text.rfind("\n", 0, statement.start) + 1, text.find("\n", statement.end)
    end = len(text) if end < 0 else end + 1
    alone = not text[begin : statement.start].strip() and not text[statement.end : end].strip()
    return (begin, end, "") if alone else (statement.start, statement.end, "")


def _declared(one: Reservation, names: set[str]) -> str:
    base = f"roster-{one.mac:012x}"
    name = next(
        name for number in range(1, 1 << 16) if (name := base if number == 1 else f"{base}-{number}") not in names
    )
    names.add(name)
    said = f' option host-name "{one.name}";' if one.name else ""
    return f"host {name} {{ hardware ethernet {Mac(one.mac)}; fixed-address {dotted(one.address)};{said} }}"


def mark_of(text: str) -> str:
    """Which roster publishes to this file, by the one line that says so; empty when none does."""
    return next((line[len(MARK) :].strip() for line in lines_of(text) if line.startswith(MARK)), "")


def leases(text: str, path: str) -> list[Lease]:
    """The lease file: every renewal is appended, the last declaration of an address counts. What was being written is left out."""
    found: dict[Address, Lease | None] = {}
    try:
        statements = parse(text, path)
    except ServerTrouble:
        statements = parse(text[: text.rfind("\n}") + 2], path)
    for one in statements:
        if one.keyword != "lease" or len(one.words) != 2 or (address := dotted_of(one.words[1].text)) is None:
            continue
        state, hardware, named = (
            one.find("binding", "state"),
            one.find("hardware", "ethernet"),
            one.find("client-hostname"),
        )
        if state is None or state.words[-1].text not in ("active", "abandoned", "bootp"):
            found[address] = None
            continue
        mac = None
        if hardware is not None:
            try:
                mac = Mac.parse(hardware.words[2].text).value
            except MacError:
                mac = None
        name = clean(named.words[1].text) if named is not None and len(named.words) > 1 else ""
        found[address] = Lease(address, mac, name, _moment(one.find("ends")), _moment(one.find("starts")))
    return [lease for lease in found.values() if lease is not None]


def _moment(one: Statement | None) -> int | None:
    """A moment of the lease file in UTC ms: `W Y/M/D H:M:S`, or `epoch N`; None for never."""
    words = [word.text for word in one.words[1:]] if one is not None else []
    try:
        if len(words) == 2 and words[0] == "epoch":
            return int(words[1]) * 1000
        if len(words) == 3:
            return int(
                datetime.strptime(" ".join(words[1:]), "%Y/%m/%d %H:%M:%S").replace(tzinfo=UTC).timestamp() * 1000
            )
    except ValueError:
        return None
    return None
