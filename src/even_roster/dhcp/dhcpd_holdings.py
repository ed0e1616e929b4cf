"""Everything that a dhcpd configuration holds, with where it stands (dhcpd.conf(5), dhcp-options(5), version 4.4). No I/O."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from ipaddress import IPv4Network

from ..core.address import Address, address_of, ipv4
from ..core.holdings import By, Holding, Part, addresses_in, naming, not_understood, one_line
from ..core.mac import Mac, MacError
from .dhcpd_text import Followed, Statement

_SETTING_WORDS = """
    abandon-lease-time adaptive-lease-time-threshold always-broadcast always-reply-rfc1048 authoritative
    boot-unknown-clients check-secs-byte-order db-time-format ddns-hostname ddns-domainname ddns-dual-stack-mixed-mode
    ddns-guard-id-must-match ddns-local-address4 ddns-other-guard-is-dynamic ddns-rev-domainname ddns-update-style
    ddns-updates default-lease-time delayed-ack max-ack-delay dhcp-cache-threshold do-forward-updates do-reverse-updates
    dont-use-fsync duplicates declines dynamic-bootp-lease-cutoff dynamic-bootp-lease-length echo-client-id filename
    get-lease-hostnames ignore-client-uids infinite-is-reserved lease-file-name lease-id-format local-port local-address
    log-facility log-threshold-high log-threshold-low max-lease-time min-lease-time min-secs not omapi-port omapi-key
    one-lease-per-client persist-eui-64-leases pid-file-name ping-check ping-cltt-secs ping-timeout ping-timeout-ms
    preferred-lifetime prefix-length-mode release-on-roam remote-port server-id-check server-identifier server-name
    site-option-space stash-agent-options update-conflict-detection update-optimization update-static-leases use-eui-64
    use-host-decl-names use-lease-addr-for-default-route vendor-option-space interface failover key zone allow deny
    ignore client-updates log execute set unset on spawn match primary secondary algorithm secret return switch case
    break default lease limit
"""
_SETTINGS = frozenset(_SETTING_WORDS.split())
_BRANCHES = {"if", "elsif", "else"}
_NO_HOSTS = {"subnet-mask", "broadcast-address"}


def holdings(followed: Followed) -> list[Holding]:
    """All parts, in the order in which the server reads them."""
    found = [not_understood(place, said) for place, said in followed.missing]
    for one in followed.statements:
        found += _of(one, "")
    return found


def network_of(one: Statement) -> IPv4Network | None:
    """The network of a subnet declaration."""
    if len(one.words) != 4 or one.words[2].text.lower() != "netmask":
        return None
    try:
        return IPv4Network(f"{one.words[1].text}/{one.words[3].text}")
    except ValueError:
        return None


def range_of(one: Statement) -> tuple[Address, Address] | None:
    """The stretch of a range statement; the server takes its ends in any order."""
    words = [word.text for word in one.words[1:] if word.text.lower() != "dynamic-bootp"]
    found = [address for word in words if (address := dotted_of(word)) is not None]
    return (min(found), max(found)) if len(found) == len(words) and 1 <= len(found) <= 2 else None


def dotted_of(text: str) -> Address | None:
    """An IPv4 address; None when it is none."""
    try:
        return ipv4(text)
    except ValueError:
        return None


@dataclass(frozen=True, slots=True)
class Host:
    """A host declaration: what it knows its device by, its addresses, names it is known by, and the rest of it."""

    identifiers: tuple[tuple[By, str], ...]
    addresses: tuple[Address, ...]
    elsewhere: tuple[str, ...]
    name: str
    rest: tuple[tuple[str, str], ...]


def host(one: Statement) -> Host:
    """What a host declaration says."""
    identifiers: list[tuple[By, str]] = []
    addresses: list[Address] = []
    elsewhere: list[str] = []
    name = ""
    rest: list[tuple[str, str]] = []
    for part in one.inner:
        words = [word.text for word in part.words if word.text != ","]
        match [word.lower() for word in words[:2]]:
            case ["hardware", *_] if len(words) == 3:
                identifiers.append(
                    (By.MAC, _mac(words[2]) if words[1].lower() == "ethernet" else f"{words[1]} {words[2]}")
                )
            case ["uid", *_]:
                identifiers.append((By.CLIENT_ID, " ".join(words[1:])))
            case ["option", "dhcp-client-identifier"]:
                identifiers.append((By.CLIENT_ID, " ".join(words[2:])))
            case ["host-identifier", *_]:
                circuit = "circuit-id" in part.said
                identifiers.append((By.CIRCUIT_ID if circuit else By.FLEX_ID, part.rest()))
            case ["fixed-address", *_]:
                for word in words[1:]:
                    address = dotted_of(word)
                    if address is None:
                        elsewhere.append(word)
                    else:
                        addresses.append(address)
            case ["option", "host-name"] if len(words) == 3:
                name = words[2]
            case _:
                rest.append((part.keyword, part.rest()))
    return Host(tuple(identifiers), tuple(addresses), tuple(elsewhere), name, tuple(rest))


def _mac(text: str) -> str:
    try:
        return str(Mac.parse(text))
    except MacError:
        return text.lower()


def _of(one: Statement, within: str) -> Iterator[Holding]:
    keyword = one.keyword
    if keyword == "subnet" and one.block:
        network = network_of(one)
        if network is None:
            yield not_understood(one.place, one.said, within)
            return
        first, last = address_of(network.network_address), address_of(network.broadcast_address)
        yield Holding(Part.SUBNET, one.place, str(network), within, first, last, hangs=_hangs(one))
        yield from _inner(one, str(network))
    elif keyword == "shared-network" and one.block:
        yield Holding(Part.SHARED, one.place, one.rest(), within, hangs=_hangs(one))
        yield from _inner(one, one.rest())
    elif keyword == "pool" and one.block:
        hangs = _hangs(one)
        for part in one.inner:
            if part.keyword == "range":
                yield _range(part, within, hangs)
            elif part.keyword == "option":
                yield from _option(part, f"pool in {within}")
            elif part.keyword not in _SETTINGS | _BRANCHES:
                yield not_understood(part.place, part.said, within)
    elif keyword == "range":
        yield _range(one, within, ())
    elif keyword == "host" and one.block:
        yield from _host(one, within)
    elif keyword in ("class", "subclass"):
        yield Holding(
            Part.CLASS,
            one.place,
            one.said,
            within,
            name=one.words[1].text if len(one.words) > 1 else "",
            hangs=_hangs(one),
        )
        for part in one.inner:
            if part.keyword in ("option", "next-server"):
                yield from _of(part, one.said)
    elif keyword == "group" and one.block:
        yield from _inner(one, within)
    elif keyword in _BRANCHES and one.block:
        yield Holding(Part.CLASS, one.place, one_line(one.said), within)
        yield from _inner(one, one_line(one.said))
    elif keyword == "option":
        yield from _option(one, within)
    elif keyword == "next-server":
        yield from naming(Holding(Part.OPTION, one.place, one.said, within), addresses_in(one.rest()))
    elif keyword in _SETTINGS:
        yield Holding(Part.SETTING, one.place, one_line(one.said), within)
    else:
        yield not_understood(one.place, one.said, within)


def _inner(one: Statement, within: str) -> Iterator[Holding]:
    for part in one.inner:
        yield from _of(part, within)


def _range(one: Statement, within: str, hangs: tuple[tuple[str, str], ...]) -> Holding:
    stretch = range_of(one)
    if stretch is None:
        return not_understood(one.place, one.said, within)
    return Holding(Part.POOL, one.place, one.said, within, stretch[0], stretch[1], hangs=hangs)


def _host(one: Statement, within: str) -> Iterator[Holding]:
    entry = host(one)
    if not entry.identifiers:
        yield not_understood(one.place, one.said, within)
        return
    hangs = (*entry.rest, *(("fixed-address", name) for name in entry.elsewhere))
    for address in entry.addresses or (None,):
        text = one_line(one.whole)
        yield Holding(Part.RESERVATION, one.place, text, within, address, address, entry.identifiers, entry.name, hangs)
    for part in one.inner:
        if part.keyword in ("option", "next-server") and part.words[1].text.lower() not in (
            "host-name",
            "dhcp-client-identifier",
        ):
            yield from _of(part, one.said)


def _option(one: Statement, within: str) -> Iterator[Holding]:
    words = [word.text for word in one.words]
    if (len(words) >= 4 and words[2:4] in (["code", words[3]], ["space", words[3]])) or (
        len(words) > 1 and words[1] == "space"
    ):
        yield Holding(Part.SETTING, one.place, one_line(one.said), within)  # the definition of an option, not one
        return
    if len(words) < 3:
        yield not_understood(one.place, one.said, within)
        return
    named = [] if words[1].lower() in _NO_HOSTS else addresses_in(one.rest(2))
    yield from naming(Holding(Part.OPTION, one.place, one_line(one.rest()), within), named)


def _hangs(one: Statement) -> tuple[tuple[str, str], ...]:
    """What hangs on a declaration: parameters, permissions, options; not what is a part of its own."""
    parts = ("subnet", "pool", "range", "host", "group", "shared-network", "class", "subclass")
    return tuple(
        (part.keyword, one_line(part.rest())) for part in one.inner if part.keyword not in parts and not part.block
    )
