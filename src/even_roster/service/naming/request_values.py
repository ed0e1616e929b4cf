"""Reads what people write in requests of the plan: addresses, subnets, sites, options. Errors name the field."""

from __future__ import annotations

import re
from collections.abc import Sequence
from difflib import get_close_matches
from ipaddress import IPv4Network

from ...api.plan import HandedOutView
from ...core.address import Address, address_of, dotted
from ...core.mac import Mac, MacNumber
from ...core.names import is_hostname, no_hostname
from ...core.plan.model import Band, BandKind, HandedOut, Plan, Subnet
from ...core.ranges import RangeError, parse, parse_parts
from ...core.span import Span
from ...core.text import clean
from ...store.edits import EditError, Missing

_QUIET = re.compile(r"(\d{1,2}):(\d{2})\s*-\s*(\d{1,2}):(\d{2})$")


def address(text: str, field: str = "address") -> Address:
    """One address, with or without a prefix behind it. Raises EditError."""
    bare = text.strip().partition("/")[0]
    try:
        spans = parse(bare)
    except RangeError as error:
        raise EditError(str(error), field) from error
    if len(spans) != 1:
        raise EditError(f"{text!r} is more than one address; write one such as 10.44.10.7", field)
    return Address(spans.pairs[0][0])


def addresses(texts: Sequence[str], field: str) -> tuple[Address, ...]:
    """A list of addresses."""
    return tuple(address(text, field) for text in texts if text.strip())


def maybe_mac(text: str | None) -> MacNumber | None:
    """A MAC in any notation; nothing and an empty text are none. Raises MacError, EditError."""
    if text is None or not text.strip():
        return None
    mac = Mac.parse(text)
    if mac.unusable_as_source:
        raise EditError(f"{mac} is a group or empty address: no adapter has it", "mac")
    return mac.value


def network(text: str) -> IPv4Network:
    """One subnet with its prefix or mask; host bits are refused, because they are nearly always a mistyped mask."""
    parts, _ = parse_parts(text)
    found = parts[0].network if len(parts) == 1 else None
    if found is None:
        raise EditError(f"{text!r} is not one subnet; write one such as 10.44.10.0/24", "range")
    written = address(parts[0].text.partition("/")[0], "range")
    if written != address_of(found.network_address):
        raise EditError(
            f"{dotted(written)} is an address inside {found}, not its beginning: a wrong mask? "
            f"write {found}, or correct the mask", "range",
        )  # fmt: skip
    return found


def span(text: str, subnet: Subnet) -> Span:
    """A stretch within a subnet: in any notation, or short as 20-60 for a subnet of at most a /24."""
    wanted = text.strip()
    if wanted.replace("-", "").replace(" ", "").isdigit() and subnet.network.prefixlen >= 24:
        head = dotted(subnet.first).rpartition(".")[0]
        wanted = "-".join(f"{head}.{part.strip()}" for part in wanted.split("-"))
    try:
        spans = parse(wanted)
    except RangeError as error:
        raise EditError(str(error), "range") from error
    if len(spans.pairs) != 1:
        raise EditError(f"{text!r} is more than one stretch; draw a band for each", "range")
    return spans.spans[0]


def site(plan: Plan, text: str | None, here: int) -> int:
    """A site by name or id; the one here when none is named. Raises Missing."""
    if text is None or not text.strip():
        return here
    for one in plan.sites.values():
        if text.strip().casefold() == one.name.casefold() or text.strip() == str(one.id):
            return one.id
    there = ", ".join(one.name for one in plan.sites.values())
    raise Missing(f"there is no site {text!r}; there are: {there}")


def find_subnet(plan: Plan, site: int, text: str) -> Subnet | None:
    """A subnet by name, by its range, or by an address in it; None when it is none of these."""
    key = text.strip().casefold()
    subnets = plan.subnets_of(site)
    for one in subnets:
        if key in (one.name.casefold(), str(one.network)):
            return one
    if (pair := _one_stretch(text)) is None:
        return None
    first, last = pair
    subnet = plan.subnet_at(site, Address(first))
    if subnet is not None and first == last:
        return subnet
    return next((one for one in subnets if (one.first, one.last) == (first, last)), None)


def find_band(plan: Plan, site: int, text: str) -> Band | None:
    """A band by its name, or by its exact stretch."""
    key = text.strip().casefold()
    named = [b for s in plan.subnets_of(site) for b in plan.bands_of(s.id) if b.name and b.name.casefold() == key]
    if len(named) == 1:
        return named[0]
    if len(named) > 1:
        places = ", ".join(plan.subnets[b.subnet].name or str(plan.subnets[b.subnet].network) for b in named)
        raise EditError(f"several bands are called {text!r} (in {places}); name the band by its range", "where")
    if (pair := _one_stretch(text)) is None:
        return None
    subnet = plan.subnet_at(site, Address(pair[0]))
    bands = plan.bands_of(subnet.id) if subnet else []
    return next((b for b in bands if (b.first, b.last) == pair), None)


def find_stretch(plan: Plan, site: int, text: str) -> Band | None:
    """A stretch of a planned subnet that is no band, as one without a purpose; None when the text means none."""
    if find_subnet(plan, site, text) is not None:
        return None
    pair = _one_stretch(text)
    subnet = plan.subnet_at(site, Address(pair[0])) if pair is not None else None
    if pair is None or subnet is None or pair[1] > subnet.last:
        return None
    return Band(0, subnet.id, BandKind.STATIC, *pair)


def _one_stretch(text: str) -> tuple[int, int] | None:
    """The first and last address of a text that is one stretch; None for any other."""
    try:
        found = parse(text)
    except RangeError:
        return None
    return found.pairs[0] if len(found.pairs) == 1 else None


def known_subnet(plan: Plan, site: int, text: str) -> Subnet:
    """As `find_subnet`. Raises Missing with the subnets that are planned."""
    found = find_subnet(plan, site, text)
    if found is None:
        known = [s.name or str(s.network) for s in plan.subnets_of(site)]
        shown = ", ".join(known[:12]) + (" and more" if len(known) > 12 else "") if known else "none is planned yet"
        raise Missing(f"no planned subnet is called {text!r}; planned are: {shown}")
    return found


def handed_out(view: HandedOutView) -> HandedOut:
    """What a pool hands out. Raises EditError."""
    vendor = []
    for text in view.vendor_options:
        code, equals, value = text.partition("=")
        digits = value.replace(":", "").replace(" ", "").lower()
        bad = not code.strip().isdigit() or not 1 <= int(code) <= 254 or not equals
        if bad or len(digits) % 2 or not digits or any(char not in "0123456789abcdef" for char in digits):
            raise EditError(f"{text!r} is not code=hexadecimal; write one such as 43=0104c0a80101", "vendor_options")
        vendor.append((int(code), digits))
    return HandedOut(
        view.lease_seconds, address(view.gateway, "gateway") if view.gateway else None, addresses(view.dns, "dns"),
        domain(view.domain), addresses(view.ntp, "ntp"), _plain(view.boot_server, "boot_server"),
        _plain(view.boot_file, "boot_file"), tuple(vendor),
    )  # fmt: skip


def domain(text: str) -> str:
    """A domain name (RFC 1123 2.1), without the dot at its end. Raises EditError."""
    name = text.strip().rstrip(".").lower()
    if name and not is_hostname(name):
        raise EditError(f"{text!r} is not a domain name; write one such as larkspur.example", "domain")
    return name


def hostname(text: str, field: str = "name") -> str:
    """A hostname, short or with its domain (RFC 1123 2.1): it goes into DHCP and DNS. Raises EditError."""
    name = clean(text, 120).rstrip(".")
    if name and not is_hostname(name):
        raise EditError(no_hostname(name), field)
    return name


def _plain(text: str, field: str) -> str:
    if len(text) > 127 or not text.isascii() or any(char in text for char in "\"'\\,\n\r") or not text.isprintable():
        raise EditError(f"{text!r} cannot be handed out: up to 127 plain characters without quotes and commas", field)
    return text.strip()


def role(text: str, plan: Plan) -> str:
    """One of the roles: the usual ones and the site's own; an empty text is none. Raises EditError."""
    name = role_name(text)
    if name and name not in plan.rules:
        near = get_close_matches(name, plan.rules, 1)
        raise EditError(
            f"there is no role {name!r}{f' (perhaps {near[0]!r}?)' if near else ''}; the roles are: {', '.join(plan.rules)}. "
            "A role of the site's own is entered with its rule first: 'roster role set ROLE'", "role",
        )  # fmt: skip
    return name


def role_name(text: str) -> str:
    """A role's name as it is stored."""
    return clean(text, 40).casefold()


def quiet_hours(text: str) -> tuple[int | None, int | None]:
    """Hours of the day as minutes, written 22:00-06:00; none for an empty text. Raises EditError."""
    if text.strip().casefold() in ("none", ""):
        return None, None
    match = _QUIET.match(text.strip())
    if match is None or int(match[1]) > 23 or int(match[3]) > 23 or int(match[2]) > 59 or int(match[4]) > 59:
        raise EditError(f"{text!r} are no quiet hours; write them as 22:00-06:00, or 'none'", "quiet")
    return int(match[1]) * 60 + int(match[2]), int(match[3]) * 60 + int(match[4])
