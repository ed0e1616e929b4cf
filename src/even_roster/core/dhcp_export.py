"""Pools and reservations as texts: our open JSON, `host` blocks for servers edited by hand, a sheet for web forms.

The JSON form (documented in docs/formats.md) is complete and can be read back; the others are for people.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence
from ipaddress import IPv4Network
from typing import Any

from .address import address_of, dotted, ipv4
from .dhcp import OPTION_NAMES, Pool, Reservation, Scope, option_items
from .mac import Mac, MacError, MacNumber
from .plan.model import HandedOut

FORMAT = "even-roster-dhcp"


class FormatError(ValueError):
    """A text is not in the JSON form; the message says where and what would be right."""


def to_json(scopes: Iterable[Scope]) -> str:
    """Our JSON form."""
    document = {"format": FORMAT, "version": 1, "subnets": [_scope(scope) for scope in scopes]}
    return json.dumps(document, indent=2, ensure_ascii=False) + "\n"


def _scope(scope: Scope) -> dict[str, Any]:
    options = scope.options
    given = {
        "lease_seconds": options.lease_seconds, "gateway": dotted(options.gateway) if options.gateway is not None else "",
        "dns": [dotted(a) for a in options.dns], "domain": options.domain, "ntp": [dotted(a) for a in options.ntp],
        "boot_server": options.boot_server, "boot_file": options.boot_file,
        "vendor_options": [{"code": code, "value": value} for code, value in options.vendor_options],
    }  # fmt: skip
    return {
        "subnet": str(scope.network),
        "pools": [{"first": dotted(pool.first), "last": dotted(pool.last)} for pool in scope.pools],
        "options": {name: value for name, value in given.items() if value},
        "reservations": [
            {"mac": str(Mac(one.mac)), "address": dotted(one.address), "name": one.name} for one in scope.reservations
        ],
    }


def from_json(text: str) -> list[Scope]:
    """Read the JSON form. Raises FormatError."""
    try:
        document = json.loads(text)
    except ValueError as error:
        raise FormatError(f"this is not JSON: {error}") from error
    if not isinstance(document, dict) or document.get("format") != FORMAT or document.get("version") != 1:
        raise FormatError(f'the document must begin with "format": "{FORMAT}", "version": 1')
    scopes = []
    for number, subnet in enumerate(document.get("subnets", [])):
        try:
            scopes.append(_read_scope(subnet))
        except (KeyError, TypeError, AttributeError) as error:
            raise FormatError(f"subnets[{number}]: {error} is missing or of the wrong type") from error
        except (ValueError, MacError) as error:
            raise FormatError(f"subnets[{number}]: {error}") from error
    return scopes


def _read_scope(value: dict[str, Any]) -> Scope:
    given = value.get("options", {})
    gateway = given.get("gateway")
    network = IPv4Network(value["subnet"])
    options = HandedOut(
        int(given.get("lease_seconds", 0)), ipv4(gateway) if gateway else None,
        tuple(ipv4(a) for a in given.get("dns", ())), str(given.get("domain", "")),
        tuple(ipv4(a) for a in given.get("ntp", ())), str(given.get("boot_server", "")),
        str(given.get("boot_file", "")),
        tuple((int(o["code"]), bytes.fromhex(o["value"]).hex()) for o in given.get("vendor_options", ())),
    )  # fmt: skip
    pools = tuple(Pool(ipv4(p["first"]), ipv4(p["last"])) for p in value.get("pools", ()))
    for pool in pools:
        if pool.last < pool.first or not _inside(network, pool.first) or not _inside(network, pool.last):
            raise ValueError(f"the pool {pool} does not lie in {network}")
    reservations = tuple(
        Reservation(Mac.parse(r["mac"]).value, ipv4(r["address"]), str(r.get("name", "")))
        for r in value.get("reservations", ())
    )
    for one in reservations:
        if not _inside(network, one.address):
            raise ValueError(f"the reservation {one} does not lie in {network}")
    return Scope(network, pools, options, reservations)


def _inside(network: IPv4Network, address: int) -> bool:
    return address_of(network.network_address) <= address <= address_of(network.broadcast_address)


def host_blocks(scopes: Iterable[Scope]) -> str:
    """Subnet and host declarations in the brace-and-semicolon style that many DHCP servers read."""
    lines: list[str] = []
    for scope in scopes:
        options = scope.options
        lines.append(f"subnet {scope.network.network_address} netmask {scope.network.netmask} {{")
        lines += [f"  range {dotted(pool.first)} {dotted(pool.last)};" for pool in scope.pools]
        if options.gateway is not None:
            lines.append(f"  option routers {dotted(options.gateway)};")
        if options.dns:
            lines.append(f"  option domain-name-servers {', '.join(dotted(a) for a in options.dns)};")
        if options.domain:
            lines.append(f'  option domain-name "{options.domain}";')
        if options.ntp:
            lines.append(f"  option ntp-servers {', '.join(dotted(a) for a in options.ntp)};")
        if options.boot_server:
            lines.append(f'  option tftp-server-name "{options.boot_server}";')
        if options.boot_file:
            lines.append(f'  option bootfile-name "{options.boot_file}";')
        if options.lease_seconds:
            lines.append(f"  default-lease-time {options.lease_seconds};")
        lines.append("}")
        for one in scope.reservations:
            label = (one.name or dotted(one.address)).replace(".", "-")
            lines += [
                f"host {label} {{",
                f"  hardware ethernet {Mac(one.mac)};",
                f"  fixed-address {dotted(one.address)};",
                *([f'  option host-name "{one.name}";'] if one.name else []),
                "}",
            ]
        lines.append("")
    return "\n".join(lines)


NOTATIONS = ("colons", "dashes", "dots", "bare", "COLONS", "DASHES", "BARE")


def write_mac(mac: MacNumber, notation: str) -> str:
    """A MAC in one of NOTATIONS; the capitalised ones give capital digits. Raises ValueError."""
    if notation not in NOTATIONS:
        raise ValueError(f"{notation!r} is no notation; there are: {', '.join(NOTATIONS)}")
    digits = f"{mac:012x}"
    if notation.isupper():
        digits = digits.upper()
    match notation.lower():
        case "dots":
            return ".".join(digits[i : i + 4] for i in range(0, 12, 4))
        case "bare":
            return digits
    return (":" if notation.lower() == "colons" else "-").join(digits[i : i + 2] for i in range(0, 12, 2))


def form_text(scopes: Iterable[Scope], notation: str) -> str:
    """What to type into a router's web form: per subnet the pool, then MAC, address and name in the order of addresses."""
    parts: list[str] = []
    for scope in scopes:
        parts.append(f"{scope.network}  mask {scope.network.netmask}")
        for name, text in option_items(scope.options):
            if text:
                parts.append(f"  {OPTION_NAMES[name]}: {text}")
        parts += [f"  pool: {dotted(pool.first)} to {dotted(pool.last)}" for pool in scope.pools]
        ordered: Sequence[Reservation] = sorted(scope.reservations, key=lambda one: one.address)
        parts += [
            f"  [ ] {write_mac(one.mac, notation):17}  {dotted(one.address):15}  {one.name}".rstrip() for one in ordered
        ]
        parts.append("")
    return "\n".join(parts)
