"""Reads and edits dnsmasq's hosts file and reads its configuration (dnsmasq(8): dhcp-host, dhcp-range, dhcp-option).

A hosts file is lines of `MAC,address,name`; what people wrote stays octet for octet, inside a line too. No I/O.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from ipaddress import IPv4Address, IPv4Network
from typing import Any

from ..core.address import dotted, ipv4
from ..core.dhcp import Pool, Reservation, Scope, ScopeThere
from ..core.holdings import By
from ..core.mac import Mac, MacError, MacNumber
from ..core.plan.following import Lease
from ..core.plan.model import HandedOut
from ..core.text import clean
from . import dnsmasq_holdings
from .dnsmasq_lines import Followed, Setting, lines_of, setting
from .json_text import Edit, edited
from .wanted_hosts import WantedHosts, line_end

_OPTIONS = {
    "3": "gateway", "router": "gateway", "6": "dns", "dns-server": "dns", "15": "domain", "domain-name": "domain",
    "42": "ntp", "ntp-server": "ntp", "66": "boot_server", "tftp-server": "boot_server", "67": "boot_file",
    "bootfile-name": "boot_file",
}  # fmt: skip
MARK = "# Reservations of this file are published by the roster "


def reservation(item: Setting) -> Reservation | None:
    """A dhcp-host entry that keeps one address for one MAC and nothing else; None for every other kind."""
    entry = dnsmasq_holdings.host(item)
    if entry.strange or entry.address is None or len(entry.identifiers) != 1 or entry.identifiers[0][0] is not By.MAC:
        return None
    if any(what == "ignored" for what, _ in entry.rest):
        return None
    try:
        return Reservation(Mac.parse(entry.identifiers[0][1]).value, entry.address, entry.name)
    except MacError:
        return None


def scopes(followed: Followed, owned: Mapping[str, frozenset[str]], hints: Sequence[IPv4Network]) -> list[ScopeThere]:
    """What the server hands out, by subnet; `hints` are networks to sort by where it does not say the mask. Pools, options and
    reservations that hold for some clients only (tags) are people's own: see the holdings."""
    networks: dict[IPv4Network, tuple[list[Pool], int]] = {network: ([], 0) for network in hints}
    options: dict[str, Any] = {}
    entries: list[Reservation] = []
    for item in followed.settings:
        match item.keyword:
            case "dhcp-range" if not dnsmasq_holdings.is_ipv6(item):
                _range(item, networks, hints)
            case "dhcp-option" | "dhcp-option-force":
                _option(item, options)
            case "domain" if item.pieces:
                options["domain"] = item.pieces[0].text
            case "dhcp-host" if (one := reservation(item)) is not None:
                entries.append(one)
    told = HandedOut(**options)
    found = []
    for network, (pools, seconds) in networks.items():
        inside = [one for one in entries if IPv4Address(one.address) in network]
        if not pools and not inside and network not in hints:
            continue
        here = told if pools else HandedOut()
        gateway = here.gateway if here.gateway is not None and IPv4Address(here.gateway) in network else None
        given = replace(here, lease_seconds=seconds, gateway=gateway)
        found.append(
            ScopeThere(Scope(network, tuple(pools), given, tuple(inside)), owned.get(str(network), frozenset()))
        )
    return found


def _range(item: Setting, networks: dict[IPv4Network, tuple[list[Pool], int]], hints: Sequence[IPv4Network]) -> None:
    one = dnsmasq_holdings.range_of(item)
    if one is None or one.last is None:
        return
    home = one.network or next((n for n in hints if IPv4Address(one.first) in n), None)
    if home is None:
        home = IPv4Network((one.first, 24), strict=False)
    pools, _ = networks.setdefault(home, ([], 0))
    pools.append(Pool(one.first, one.last))
    networks[home] = pools, one.seconds or 0


def _option(item: Setting, options: dict[str, Any]) -> None:
    one = dnsmasq_holdings.option_of(item)
    if one is None or one.tags or one.more or dnsmasq_holdings.is_ipv6(item):
        return
    field = _OPTIONS.get(one.option)
    if field is None or not one.values:
        return
    if field in ("gateway", "dns", "ntp"):
        try:
            addresses = tuple(ipv4(part) for part in one.values)
        except ValueError:
            return
        options[field] = addresses[0] if field == "gateway" else addresses
    else:
        options[field] = one.values[0]


@dataclass(frozen=True, slots=True)
class Edited:
    """A hosts file with the owned attributes as wanted, and what a person has to do, with its line of that file."""

    text: str
    by_hand: tuple[tuple[int, str], ...]


def edit_hosts(
    hosts: str,
    wanted: Sequence[Scope],
    owned: Mapping[str, frozenset[str]],
    elsewhere: Iterable[Reservation] = (),
    roster: str = "",
) -> Edited:
    """The hosts file with the owned attributes as wanted: the address and the name of a line are changed in their place, everything
    else stays octet for octet. `elsewhere` are reservations that stand in other files: they are not entered twice."""
    hosts_wanted = WantedHosts(wanted, owned)
    for one in elsewhere:
        hosts_wanted.stands_elsewhere(one)
    lines: list[str] = []
    by_hand: list[tuple[int, str]] = []
    ours = False
    for number, line in enumerate(lines_of(hosts), start=1):
        item = setting(line.rstrip("\r\n"), "dhcp-host")
        there = reservation(item) if item is not None else None
        if item is None or there is None:
            lines.append(line)
            continue
        target = hosts_wanted.in_place_of(there)
        if not hosts_wanted.is_ours(there):
            lines.append(line)
        elif target is not None:
            ours = True
            lines.append(changed(line, item, there, target))
        elif len(item.pieces) > (3 if there.name else 2) or item.comment:
            by_hand.append(
                (number, f"take out the reservation {there}: more stands with it; what stands there: {line.strip()}")
            )
            lines.append(line)
    end = line_end(hosts)
    added = [f"{write_line(one)}{end}" for one in hosts_wanted.missing()]
    mark = f"{MARK}{roster}{end}" if roster and (ours or added) else ""
    kept = [line for line in lines if not line.startswith(MARK) or line.rstrip("\r\n") == mark.rstrip("\r\n")]
    if mark and not any(line.startswith(MARK) for line in kept):
        added = [mark, *added]
    if added == [mark] and lines == lines_of(hosts):
        added = []  # nothing of ours has changed
    if added and kept and not kept[-1].endswith("\n"):
        kept[-1] += end
    return Edited("".join([*kept, *added]), tuple(by_hand))


def changed(line: str, item: Setting, one: Reservation, target: Reservation) -> str:
    """A line with another address and another name in their places."""
    entry = dnsmasq_holdings.host(item)
    edits: list[Edit] = []
    assert entry.address_at is not None
    spot = item.pieces[entry.address_at]
    if target.address != one.address:
        edits.append((spot.start, spot.end, dotted(target.address)))
    if target.name != one.name:
        if entry.name_at is None:
            edits.append((spot.end, spot.end, f",{target.name}"))
        else:
            name = item.pieces[entry.name_at]
            start, end = name.start, name.end
            if not target.name and entry.name_at:
                start = item.pieces[entry.name_at - 1].end
            elif not target.name:
                end = item.pieces[1].start
            edits.append((start, end, target.name))
    return edited(line, edits)


def mark_of(hosts: str) -> str:
    """Which roster publishes to this file, by the one line that says so; empty when none does."""
    return next((line[len(MARK) :].strip() for line in lines_of(hosts) if line.startswith(MARK)), "")


def write_line(one: Reservation) -> str:
    """A reservation as a line of a hosts file."""
    return f"{Mac(one.mac)},{dotted(one.address)}{f',{one.name}' if one.name else ''}"


def _mac(text: str) -> MacNumber | None:
    if text.count(":") != 5:
        return None
    try:
        return Mac.parse(text).value
    except MacError:
        return None


def leases(text: str) -> list[Lease]:
    """The lease file: expiry (s, 0 for never), MAC, address, name or *, client id."""
    found = []
    for line in text.splitlines():
        parts = line.split()
        if len(parts) < 4 or parts[0] == "duid":
            continue
        try:
            expiry = int(parts[0])
            lease = Lease(
                ipv4(parts[2]), _mac(parts[1][-17:]), "" if parts[3] == "*" else clean(parts[3]),
                expiry * 1000 if expiry else None,
            )  # fmt: skip
        except ValueError:
            continue
        found.append(lease)
    return found
