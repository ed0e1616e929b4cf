"""Reads and edits dnsmasq's hosts file and reads its configuration (dnsmasq(8): dhcp-host, dhcp-range, dhcp-option).

A hosts file is lines of `MAC,address,name`; lines that people wrote stay byte for byte. No I/O.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from ipaddress import IPv4Address, IPv4Network
from typing import Any

from ..core.address import Address, address_of, dotted
from ..core.dhcp import Pool, Reservation, Scope, ScopeThere, key_of
from ..core.mac import Mac, MacError, MacNumber
from ..core.plan.following import Lease
from ..core.plan.model import HandedOut
from ..core.text import clean

_OPTIONS = {
    "3": "gateway", "router": "gateway", "6": "dns", "dns-server": "dns", "15": "domain", "domain-name": "domain",
    "42": "ntp", "ntp-server": "ntp", "66": "boot_server", "tftp-server": "boot_server", "67": "boot_file",
    "bootfile-name": "boot_file",
}  # fmt: skip
_UNITS = {"s": 1, "m": 60, "h": 3600, "d": 86400, "w": 604800}


@dataclass(frozen=True, slots=True)
class Setting:
    """One line of a configuration: keyword and value."""

    keyword: str
    value: str


def settings(text: str) -> Iterator[Setting]:
    """The settings of a configuration file; comments and blanks left out."""
    for line in text.splitlines():
        bare = line.split("#", 1)[0].strip() if not line.lstrip().startswith("#") else ""
        if bare:
            keyword, _, value = bare.partition("=")
            yield Setting(keyword.strip(), value.strip())


def reservation(value: str) -> Reservation | None:
    """A dhcp-host entry that keeps one address for one MAC; None for every other kind."""
    macs: list[MacNumber] = []
    address = None
    name = ""
    for part in (piece.strip() for piece in value.split(",")):
        found = _mac(part)
        if found is not None:
            macs.append(found)
        elif part.count(".") == 3 and part.replace(".", "").isdigit():
            try:
                address = address_of(IPv4Address(part))
            except ValueError:
                return None
        elif ":" in part or part in ("ignore", "") or _time(part) is not None:
            if part.startswith(("id:", "[")) or part == "ignore":
                return None
        else:
            name = part
    return Reservation(macs[0], address, name) if len(macs) == 1 and address is not None else None


def _mac(text: str) -> MacNumber | None:
    if text.count(":") != 5:
        return None
    try:
        return Mac.parse(text).value
    except MacError:
        return None


def _time(text: str) -> int | None:
    if text == "infinite":
        return 0xFFFFFFFF
    unit = _UNITS.get(text[-1:], 0)
    digits = text[:-1] if unit else text
    return int(digits) * (unit or 1) if digits.isdigit() else None


@dataclass(frozen=True, slots=True)
class Known:
    """Everything a configuration hands out, before it is sorted by subnet."""

    ranges: tuple[tuple[Pool, IPv4Network | None, int], ...]
    options: HandedOut
    reservations: tuple[Reservation, ...]


def known(text: str) -> Known:
    """What a configuration file says about DHCP. Options with tags are left out: they hold for some clients only."""
    ranges: list[tuple[Pool, IPv4Network | None, int]] = []
    options: dict[str, Any] = {}
    reservations = []
    for setting in settings(text):
        match setting.keyword:
            case "dhcp-range":
                if found := _range(setting.value):
                    ranges.append(found)
            case "dhcp-option" | "dhcp-option-force":
                _option(setting.value, options)
            case "domain":
                options["domain"] = setting.value.split(",")[0]
            case "dhcp-host":
                if one := reservation(setting.value):
                    reservations.append(one)
    return Known(tuple(ranges), HandedOut(**options), tuple(reservations))


def _range(value: str) -> tuple[Pool, IPv4Network | None, int] | None:
    parts = [part.strip() for part in value.split(",") if not part.strip().startswith(("tag:", "set:", "interface:"))]
    addresses = [part for part in parts if part.count(".") == 3]
    if len(addresses) < 2:
        return None
    try:
        pool = Pool(address_of(IPv4Address(addresses[0])), address_of(IPv4Address(addresses[1])))
        network = IPv4Network(f"{addresses[0]}/{addresses[2]}", strict=False) if len(addresses) > 2 else None
    except ValueError:
        return None
    times = [found for part in parts if part.count(".") != 3 and (found := _time(part)) is not None]
    return pool, network, times[-1] if times else 0


def _option(value: str, options: dict[str, Any]) -> None:
    parts = [part.strip() for part in value.split(",")]
    if any(part.startswith(("tag:", "vendor:", "encap:")) for part in parts):
        return
    field = _OPTIONS.get(parts[0].removeprefix("option:"))
    if field is None or len(parts) < 2:
        return
    if field in ("gateway", "dns", "ntp"):
        try:
            addresses = tuple(address_of(IPv4Address(part)) for part in parts[1:])
        except ValueError:
            return
        options[field] = addresses[0] if field == "gateway" else addresses
    else:
        options[field] = parts[1]


def scopes(
    config: str, hosts: str, owned: Mapping[str, frozenset[str]], hints: Sequence[IPv4Network]
) -> list[ScopeThere]:
    """What the server hands out, by subnet; `hints` are networks to sort by where it does not say the mask."""
    told = known(config)
    networks: dict[IPv4Network, tuple[list[Pool], int]] = {network: ([], 0) for network in hints}
    for pool, network, seconds in told.ranges:
        home = network or next((n for n in hints if IPv4Address(pool.first) in n), None)
        if home is None:
            home = IPv4Network((pool.first, 24), strict=False)
        pools, _ = networks.setdefault(home, ([], 0))
        pools.append(pool)
        networks[home] = pools, seconds
    lines = [one for line in hosts.splitlines() if (one := line_reservation(line))]
    found = []
    for network, (pools, seconds) in networks.items():
        inside = [one for one in (*told.reservations, *lines) if IPv4Address(one.address) in network]
        if not pools and not inside and network not in hints:
            continue
        options = told.options if pools else HandedOut()
        options = HandedOut(
            seconds, options.gateway if _in(network, options.gateway) else None, options.dns, options.domain, options.ntp,
            options.boot_server, options.boot_file,
        )  # fmt: skip
        found.append(
            ScopeThere(Scope(network, tuple(pools), options, tuple(inside)), owned.get(str(network), frozenset()))
        )
    return found


def _in(network: IPv4Network, address: Address | None) -> bool:
    return address is not None and IPv4Address(address) in network


def line_reservation(line: str) -> Reservation | None:
    """The reservation of one line of a hosts file."""
    bare = line.split("#", 1)[0].strip()
    return reservation(bare.removeprefix("dhcp-host=")) if bare else None


def edit_hosts(hosts: str, wanted: Sequence[Scope], owned: Mapping[str, frozenset[str]]) -> str:
    """The hosts file with the owned lines as wanted; all other lines stay byte for byte."""
    mine = {key for keys in owned.values() for key in keys}
    new = {one.mac: one for scope in wanted for one in scope.reservations}
    lines = []
    done: set[int] = set()
    for line in hosts.splitlines(keepends=True):
        one = line_reservation(line)
        if one is None or key_of(one) not in mine:
            if one is not None and one.mac in new:
                done.add(one.mac)
            lines.append(line)
            continue
        target = new.get(one.mac)
        if target is None or one.mac in done:
            continue
        done.add(one.mac)
        end = line[len(line.rstrip("\r\n")) :]
        lines.append(line if target == one else f"{write_line(target)}{end}")
    if lines and not lines[-1].endswith("\n"):
        lines[-1] += "\n"
    lines += [f"{write_line(one)}\n" for one in new.values() if one.mac not in done]
    return "".join(lines)


def write_line(one: Reservation) -> str:
    """A reservation as a line of a hosts file."""
    return f"{Mac(one.mac)},{dotted(one.address)}{f',{one.name}' if one.name else ''}"


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
                address_of(IPv4Address(parts[2])), _mac(parts[1][-17:]), "" if parts[3] == "*" else clean(parts[3]),
                expiry * 1000 if expiry else None,
            )  # fmt: skip
        except ValueError:
            continue
        found.append(lease)
    return found
