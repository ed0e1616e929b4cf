"""Everything that a dnsmasq configuration holds about DHCP, with where it stands (dnsmasq(8), version 2.90). No I/O.

Settings of DNS, TFTP and the program itself are left out, being about no client's address; a keyword that is in none of the lists,
and a value that cannot be read, is told as not understood.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from ipaddress import IPv4Address, IPv4Network

from ..core.address import Address, dotted, ipv4
from ..core.holdings import By, Holding, Part, addresses_in, naming, not_understood, one_line
from ..core.mac import Mac, MacError
from .dnsmasq_lines import Followed, Setting

_TAGGING = {
    "dhcp-match", "dhcp-name-match", "dhcp-vendorclass", "dhcp-userclass", "dhcp-mac", "dhcp-circuitid", "dhcp-remoteid",
    "dhcp-subscrid", "tag-if", "dhcp-ignore",
}  # fmt: skip
_DHCP_WORDS = """
    dhcp-authoritative dhcp-lease-max dhcp-leasefile dhcp-lease-file leasefile-ro dhcp-script dhcp-luascript dhcp-scriptuser
    script-arp script-on-renewal dhcp-no-override dhcp-fqdn dhcp-generate-names dhcp-ignore-names dhcp-broadcast
    dhcp-client-update dhcp-alternate-port dhcp-ttl dhcp-reply-delay dhcp-rapid-commit dhcp-sequential-ip dhcp-ignore-clid
    dhcp-proxy dhcp-pxe-vendor pxe-prompt pxe-service bootp-dynamic no-ping shared-network bridge-interface
    no-dhcp-interface no-dhcpv4-interface dhcp-duid domain dhcp-hostsfile dhcp-hostsdir dhcp-optsfile dhcp-optsdir
    read-ethers conf-file conf-dir interface except-interface listen-address
"""
_DHCP = frozenset(_DHCP_WORDS.split())
_OTHER_WORDS = """
    address bogus-priv bogus-nxdomain cache-size no-daemon domain-needed selfmx expand-hosts filterwin2k filter-A
    filter-AAAA filter-rr group no-hosts addn-hosts hostsdir keep-in-foreground localmx mx-host no-poll no-negcache
    use-stale-cache strict-order edns-packet-max log-queries query-port port port-limit no-resolv resolv-file servers-file
    server rev-server local mx-target local-ttl neg-ttl max-ttl max-cache-ttl min-cache-ttl fast-dns-retry user alias
    srv-host pid-file localise-queries txt-record ptr-record interface-name bind-interfaces enable-dbus enable-ubus
    no-dhcpv6-interface log-facility dns-forward-max clear-on-reload enable-tftp tftp-root tftp-unique-root tftp-secure
    tftp-no-fail tftp-max tftp-mtu tftp-no-blocksize tftp-lowercase tftp-port-range tftp-single-port log-dhcp log-async
    stop-dns-rebind rebind-localhost-ok rebind-domain-ok all-servers min-port max-port cname add-mac strip-mac add-subnet
    strip-subnet add-cpe-id proxy-dnssec conntrack naptr-record enable-ra host-record dynamic-host caa-record dns-rr
    bind-dynamic auth-server auth-zone auth-ttl auth-soa auth-sec-servers auth-peer ipset nftset connmark-allowlist-enable
    connmark-allowlist synth-domain dnssec trust-anchor dnssec-debug dnssec-check-unsigned dnssec-no-timecheck
    dnssec-timestamp dnssec-limits ra-param quiet-dhcp quiet-dhcp6 quiet-ra log-debug local-service dns-loop-detect
    ignore-address dumpfile dumpmask umbrella quiet-tftp no-round-robin no-ident cache-rr max-tcp-connections test version
    help
"""
_OTHERS = frozenset(_OTHER_WORDS.split())
_MASKS = {"1", "28", "netmask", "broadcast"}
_UNITS = {"s": 1, "m": 60, "h": 3600, "d": 86400, "w": 604800}
_HARDWARE = re.compile(r"^(?:[0-9a-fA-F]{1,2}-)?(?:(?:[0-9a-fA-F]{1,2}|\*)[:]){1,15}(?:[0-9a-fA-F]{1,2}|\*)$")
_NAME = re.compile(r"^[^\s,\[\]=:]+$")


def lease_seconds(text: str) -> int | None:
    """A lease time as dnsmasq writes it, in seconds; None when it is none."""
    if text == "infinite":
        return 0xFFFFFFFF
    if text == "deprecated":
        return 0
    unit = _UNITS.get(text[-1:], 0)
    digits = text[:-1] if unit else text
    return int(digits) * (unit or 1) if digits.isascii() and digits.isdigit() and len(digits) < 12 else None


@dataclass(frozen=True, slots=True)
class Host:
    """A dhcp-host entry. Positions are those of the pieces of its setting; `rest` are pieces that say more than for whom, which
    address and which name: tags, a lease time, `ignore`."""

    identifiers: tuple[tuple[By, str], ...]
    address: Address | None
    name: str
    address_at: int | None
    name_at: int | None
    rest: tuple[tuple[str, str], ...]
    strange: bool = False


def host(setting: Setting) -> Host:
    """What a dhcp-host entry says."""
    identifiers: list[tuple[By, str]] = []
    address, name = None, ""
    address_at = name_at = None
    rest: list[tuple[str, str]] = []
    strange = bool(setting.broken) or not setting.pieces
    for at, piece in enumerate(setting.pieces):
        text = piece.text
        if text.startswith(("set:", "tag:", "net:")):
            kind, _, tag = text.partition(":")
            rest.append(("tag" if kind == "tag" else "set", tag))
            if kind == "tag":
                identifiers.append((By.TAG, tag))
        elif text.startswith("id:"):
            identifiers.append((By.CLIENT_ID, text[3:]))
        elif _HARDWARE.match(text):
            identifiers.append((By.MAC, _plain_mac(text)))
        elif text.startswith("["):
            rest.append(("IPv6", text))
        elif (found := _dotted(text)) is not None:
            strange = strange or address is not None
            address, address_at = found, at
        elif text == "ignore":
            rest.append(("ignored", "yes"))
        elif lease_seconds(text) is not None and text[:1].isdigit() | (text == "infinite"):
            rest.append(("lease time", text))
        elif text and _NAME.match(text) and not name:
            name, name_at = text, at
        else:
            strange = True
    if name and not [one for one in identifiers if one[0] is not By.TAG]:
        identifiers.append((By.NAME, name))
    return Host(tuple(identifiers), address, name, address_at, name_at, tuple(rest), strange)


def _plain_mac(text: str) -> str:
    try:
        return str(Mac.parse(text.removeprefix("01-") if text.count(":") == 5 else text))
    except MacError:
        return text.lower()


@dataclass(frozen=True, slots=True)
class Range:
    """A dhcp-range entry of IPv4: `last` is None for one that hands nothing out by itself (static, proxy)."""

    first: Address
    last: Address | None
    network: IPv4Network | None
    seconds: int | None
    rest: tuple[tuple[str, str], ...]
    first_at: int
    last_at: int | None

    @property
    def tags(self) -> tuple[str, ...]:
        """For whom alone it is."""
        return tuple(value for kind, value in self.rest if kind == "tag")


def range_of(setting: Setting) -> Range | None:
    """What a dhcp-range entry says; None when it cannot be read."""
    rest: list[tuple[str, str]] = []
    places: list[tuple[int, Address]] = []
    modes: list[str] = []
    seconds = None
    for at, piece in enumerate(setting.pieces):
        text = piece.text
        if text.startswith(("tag:", "set:", "net:")):
            kind, _, tag = text.partition(":")
            rest.append(("tag" if kind == "tag" else "set", tag))
        elif text.startswith("interface:"):
            rest.append(("interface", text.partition(":")[2]))
        elif (found := _dotted(text)) is not None:
            places.append((at, found))
        elif text in ("static", "proxy"):
            modes.append(text)
            rest.append(("mode", text))
        elif (time := lease_seconds(text)) is not None:
            seconds = time
            rest.append(("lease time", text))
        elif text and not places and _NAME.match(text):
            rest.append(("tag", text))
        else:
            return None
    if setting.broken or not places or len(places) + len(modes) > 4 or (len(places) < 2 and not modes):
        return None
    network = None
    masks = places[1 if modes else 2 :]
    if masks:
        rest.append(("mask", dotted(masks[0][1])))
        try:
            network = IPv4Network(f"{dotted(places[0][1])}/{dotted(masks[0][1])}", strict=False)
        except ValueError:
            return None
    last = None if modes else places[1]
    if last is not None and last[1] < places[0][1]:
        return None
    return Range(
        places[0][1], last[1] if last else None, network, seconds, tuple(rest), places[0][0], last[0] if last else None
    )  # fmt: skip


def _dotted(text: str) -> Address | None:
    if text.count(".") != 3:
        return None
    try:
        return ipv4(text)
    except ValueError:
        return None


def is_ipv6(setting: Setting) -> bool:
    """Whether a range or an option is one of DHCPv6 or of router advertisements."""
    return any(
        piece.text.startswith(("option6:", "constructor:", "["))
        or ("::" in piece.text and setting.keyword == "dhcp-range")
        for piece in setting.pieces
    )


def holdings(followed: Followed, networks: Sequence[IPv4Network]) -> list[Holding]:
    """All parts, in the order in which the server reads them; `networks` are planned ones, for ranges that tell no mask."""
    found = [not_understood(place, said) for place, said in followed.missing]
    named = [
        one.network
        for item in followed.settings
        if item.keyword == "dhcp-range" and (one := range_of(item)) and one.network
    ]
    homes = [*dict.fromkeys([*named, *networks])]
    for item in followed.settings:
        found += _holdings(item, homes)
    return found


def home_of(address: Address, homes: Sequence[IPv4Network]) -> str:
    """The subnet that an address lies in, as text; empty when none is known."""
    return next((str(one) for one in homes if IPv4Address(address) in one), "")


def _holdings(item: Setting, homes: Sequence[IPv4Network]) -> Iterator[Holding]:
    text = one_line(item.line[: len(item.line) - len(item.comment)] if item.comment else item.line)
    keyword = item.keyword
    if item.broken:
        yield not_understood(item.place, f"{text} ({item.broken})")
    elif keyword == "dhcp-host":
        yield from _reservation(item, homes, text)
    elif keyword == "ether":
        yield from _ether(item, homes, text)
    elif keyword == "dhcp-range":
        yield from _pool(item, homes, text)
    elif keyword in ("dhcp-option", "dhcp-option-force", "dhcp-option-pxe"):
        yield from _option(item, text)
    elif keyword == "dhcp-boot":
        tags = [piece.text for piece in item.pieces if piece.text.startswith(("tag:", "net:"))]
        named = addresses_in(item.pieces[-1].text) if item.pieces else []
        base = Holding(Part.OPTION, item.place, text, ", ".join(tags))
        yield from naming(base, named)
    elif keyword == "dhcp-relay":
        for piece in item.pieces[:2]:
            if (server := _dotted(piece.text)) is not None:
                yield Holding(Part.OPTION, item.place, text, "", server, server)
    elif keyword in _TAGGING:
        sets = next((piece.text[4:] for piece in item.pieces if piece.text.startswith("set:")), "")
        hangs = tuple(("by", piece.text) for piece in item.pieces if not piece.text.startswith("set:"))
        yield Holding(Part.CLASS, item.place, text, name=sets, hangs=hangs)
    elif keyword in _DHCP:
        yield Holding(Part.SETTING, item.place, text)
    elif keyword not in _OTHERS:
        yield not_understood(item.place, text)


def _reservation(item: Setting, homes: Sequence[IPv4Network], text: str) -> Iterator[Holding]:
    entry = host(item)
    if entry.strange or not entry.identifiers:
        yield not_understood(item.place, text)
        return
    within = home_of(entry.address, homes) if entry.address is not None else ""
    yield Holding(
        Part.RESERVATION, item.place, text, within, entry.address, entry.address, entry.identifiers, entry.name, entry.rest
    )  # fmt: skip


def _ether(item: Setting, homes: Sequence[IPv4Network], text: str) -> Iterator[Holding]:
    """A line of /etc/ethers: a MAC, and a name or an address (ethers(5))."""
    words = text.split()
    if len(words) != 2 or not _HARDWARE.match(words[0]):
        yield not_understood(item.place, text)
        return
    address = _dotted(words[1])
    yield Holding(
        Part.RESERVATION, item.place, text, home_of(address, homes) if address is not None else "", address, address,
        ((By.MAC, _plain_mac(words[0])),), "" if address is not None else words[1],
    )  # fmt: skip


def _pool(item: Setting, homes: Sequence[IPv4Network], text: str) -> Iterator[Holding]:
    if is_ipv6(item):
        yield Holding(Part.SETTING, item.place, text)
        return
    found = range_of(item)
    if found is None:
        yield not_understood(item.place, text)
        return
    within = str(found.network) if found.network else home_of(found.first, homes)
    if found.last is None:
        yield Holding(Part.SUBNET, item.place, text, within, hangs=found.rest)
    else:
        yield Holding(Part.POOL, item.place, text, within, found.first, found.last, hangs=found.rest)


@dataclass(frozen=True, slots=True)
class OptionLine:
    """A dhcp-option entry: for which tags, the option's number or name, and its values as they stand."""

    tags: tuple[str, ...]
    option: str
    values: tuple[str, ...]
    more: tuple[str, ...] = ()
    values_at: int = 0


def option_of(item: Setting) -> OptionLine | None:
    """What a dhcp-option entry says; None when it cannot be read."""
    tags: list[str] = []
    more: list[str] = []
    pieces = list(item.pieces)
    while pieces and pieces[0].text.startswith(("tag:", "net:", "encap:", "vi-encap:", "vendor:")):
        text = pieces.pop(0).text
        (tags if text.startswith(("tag:", "net:")) else more).append(text)
    if not pieces:
        return None
    option = pieces[0].text.removeprefix("option:")
    if not option or (not option.isdigit() and not pieces[0].text.startswith("option")):
        return None
    return OptionLine(
        tuple(tags), option, tuple(piece.text for piece in pieces[1:]), tuple(more), len(item.pieces) - len(pieces) + 1
    )  # fmt: skip


def _option(item: Setting, text: str) -> Iterator[Holding]:
    if is_ipv6(item):
        yield Holding(Part.SETTING, item.place, text)
        return
    found = option_of(item)
    if found is None:
        yield not_understood(item.place, text)
        return
    base = Holding(
        Part.OPTION, item.place, text, ", ".join(found.tags), hangs=tuple(("for", one) for one in found.more)
    )
    named = (
        []
        if found.option in _MASKS
        else [a for value in found.values for a in addresses_in(value) if int(IPv4Address(a))]
    )
    yield from naming(base, named)
