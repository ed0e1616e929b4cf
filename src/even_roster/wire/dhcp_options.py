"""DHCP options for people: every option by its name, its value as text (RFC 2132 and those named in the table).

An option with an unknown code or a value that does not fit its form is shown in hexadecimal: nothing is left out.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from ipaddress import IPv4Address

from ..core.text import clean
from .dhcp import Kind, Message
from .errors import WireError, reader

_MOST_TEXT = 400


@dataclass(frozen=True, slots=True)
class Shown:
    """One option: its code, name, value as text, and the RFC that defines it."""

    code: int
    name: str
    text: str
    source: str


@reader
def show(message: Message) -> list[Shown]:
    """All options of a message in the order of their codes, the message type first."""
    found = [Shown(53, "message type", message.kind.name, "RFC 2132 9.6")]
    for code, value in sorted(message.options):
        name, form, source = TABLE.get(code, (f"option {code}", None, ""))
        found.append(Shown(code, name, _shown(form, value), source))
    return found


def _shown(form: Callable[[bytes], str] | None, value: bytes) -> str:
    if form is not None:
        try:
            return form(value)
        except (WireError, ValueError, IndexError):
            pass
    return f"0x{value.hex()}" if value else "(empty)"


def domain_list(value: bytes) -> list[str]:
    """A list of domain names, compressed within the option (RFC 3397 2, RFC 1035 4.1.4). Raises WireError."""
    names: list[str] = []
    at = 0
    while at < len(value):
        labels, at = _name(value, at)
        names.append(".".join(labels))
        if len(names) > 64:
            raise WireError("too many names in a search list")
    return names


def _name(value: bytes, at: int) -> tuple[list[str], int]:
    labels: list[str] = []
    after: int | None = None
    for _ in range(128):
        if at >= len(value):
            raise WireError("a domain name runs past the end of the option")
        size = value[at]
        if size >= 0xC0:
            if at + 1 >= len(value):
                raise WireError("a pointer is cut off")
            after = at + 2 if after is None else after
            target = (size & 0x3F) << 8 | value[at + 1]
            if target >= at:
                raise WireError("a pointer must point backwards")
            at = target
            continue
        at += 1
        if size == 0:
            return labels, at if after is None else after
        if size > 63 or at + size > len(value):
            raise WireError("a label runs past the end of the option")
        labels.append(clean(value[at : at + size].decode("utf-8", "replace"), 63))
        at += size
    raise WireError("a domain name has too many labels")


def routes(value: bytes) -> list[tuple[str, str]]:
    """Classless static routes as (destination, router) pairs (RFC 3442). Raises WireError."""
    found = []
    at = 0
    while at < len(value):
        prefix = value[at]
        size = (prefix + 7) // 8
        if prefix > 32 or at + 1 + size + 4 > len(value):
            raise WireError("a classless static route is cut off")
        network = IPv4Address(value[at + 1 : at + 1 + size].ljust(4, b"\0"))
        router = IPv4Address(value[at + 1 + size : at + 5 + size])
        found.append((f"{network}/{prefix}", str(router)))
        at += 5 + size
    return found


def full_name(value: bytes) -> tuple[str, int]:
    """The client's full name and the flags (RFC 4702 2.1); the name in either encoding. Raises WireError."""
    if len(value) < 3:
        raise WireError("a full domain name option has three octets before the name")
    if value[0] & 0x04:
        labels: list[str] = []
        at = 3
        while at < len(value) and value[at]:
            size = value[at]
            if size > 63 or at + 1 + size > len(value):
                raise WireError("a label runs past the end of the option")
            labels.append(value[at + 1 : at + 1 + size].decode("utf-8", "replace"))
            at += 1 + size
        return clean(".".join(labels)), value[0]
    return clean(value[3:].decode("utf-8", "replace")), value[0]


def _addresses(value: bytes) -> str:
    if not value or len(value) % 4:
        raise WireError("not a list of addresses")
    return ", ".join(str(IPv4Address(value[i : i + 4])) for i in range(0, len(value), 4))


def _pairs(value: bytes) -> str:
    texts = _addresses(value).split(", ")
    return ", ".join(f"{a} by {b}" for a, b in zip(texts[::2], texts[1::2], strict=True))


def _number(value: bytes) -> str:
    if not 1 <= len(value) <= 4:
        raise WireError("not a number")
    return str(int.from_bytes(value, "big"))


def _signed(value: bytes) -> str:
    return f"{int.from_bytes(value, 'big', signed=True)} s"


def _seconds(value: bytes) -> str:
    total = int(_number(value))
    if total == 0xFFFFFFFF:
        return "for ever"
    days, rest = divmod(total, 86400)
    hours, minutes = divmod(rest // 60, 60)
    parts = [f"{n} {w}" for n, w in ((days, "d"), (hours, "h"), (minutes, "min"), (total % 60, "s")) if n]
    return f"{total} s ({' '.join(parts)})" if total >= 60 else f"{total} s"


def _text(value: bytes) -> str:
    return clean(value.rstrip(b"\0").decode("utf-8", "replace"), _MOST_TEXT)


def _flag(value: bytes) -> str:
    return {b"\0": "no", b"\1": "yes"}[value] if value in (b"\0", b"\1") else f"0x{value.hex()}"


def _codes(value: bytes) -> str:
    return ", ".join(TABLE[code][0] if code in TABLE else str(code) for code in value)


def _client(value: bytes) -> str:
    if len(value) == 7 and value[0] == 1:
        return ":".join(f"{octet:02x}" for octet in value[1:])
    return f"0x{value.hex()}"


def _relay(value: bytes) -> str:
    """Relay agent information (RFC 3046): circuit and remote identities as text where they are, else hexadecimal."""
    told = []
    at = 0
    while at + 2 <= len(value):
        kind, part = value[at], value[at + 2 : at + 2 + value[at + 1]]
        shown = part.decode("ascii") if part.isascii() and part.decode("ascii").isprintable() else f"0x{part.hex()}"
        told.append(f"{ {1: 'circuit', 2: 'remote', 5: 'link'}.get(kind, str(kind)) } {shown}")
        at += 2 + value[at + 1]
    return ", ".join(told)


def _kind(value: bytes) -> str:
    return Kind(value[0]).name


def _search(value: bytes) -> str:
    return ", ".join(domain_list(value))


def _routes(value: bytes) -> str:
    return ", ".join(f"{network} by {router}" for network, router in routes(value))


def _full(value: bytes) -> str:
    name, flags = full_name(value)
    return f"{name} (flags 0x{flags:02x})"


_Row = tuple[str, Callable[[bytes], str] | None, str]
_2132 = "RFC 2132"
TABLE: dict[int, _Row] = {
    1: ("subnet mask", _addresses, _2132), 2: ("time offset", _signed, _2132), 3: ("gateways", _addresses, _2132),
    4: ("time servers (RFC 868)", _addresses, _2132), 5: ("name servers (IEN 116)", _addresses, _2132),
    6: ("DNS servers", _addresses, _2132), 7: ("log servers", _addresses, _2132),
    9: ("print servers", _addresses, _2132), 12: ("hostname", _text, _2132), 13: ("boot file size", _number, _2132),
    15: ("domain", _text, _2132), 16: ("swap server", _addresses, _2132), 17: ("root path", _text, _2132),
    19: ("forward packets", _flag, _2132), 23: ("time to live", _number, _2132), 26: ("MTU", _number, _2132),
    27: ("all subnets local", _flag, _2132), 28: ("broadcast address", _addresses, _2132),
    31: ("look for routers", _flag, _2132), 33: ("static routes", _pairs, _2132),
    40: ("NIS domain", _text, _2132), 41: ("NIS servers", _addresses, _2132), 42: ("NTP servers", _addresses, _2132),
    43: ("vendor's own", None, _2132), 44: ("NetBIOS name servers", _addresses, _2132),
    46: ("NetBIOS node type", _number, _2132), 47: ("NetBIOS scope", _text, _2132),
    50: ("requested address", _addresses, _2132), 51: ("lease time", _seconds, _2132),
    52: ("options in other fields", _number, _2132), 53: ("message type", _kind, _2132),
    54: ("server", _addresses, _2132), 55: ("options asked for", _codes, _2132), 56: ("message", _text, _2132),
    57: ("largest message", _number, _2132), 58: ("renewal (T1)", _seconds, _2132),
    59: ("rebinding (T2)", _seconds, _2132), 60: ("vendor class", _text, _2132), 61: ("client identifier", _client, _2132),
    66: ("boot server", _text, _2132), 67: ("boot file", _text, _2132), 69: ("mail servers", _addresses, _2132),
    70: ("POP3 servers", _addresses, _2132), 77: ("user class", None, "RFC 3004"), 80: ("rapid commit", None, "RFC 4039"),
    81: ("full domain name", _full, "RFC 4702"), 82: ("relay agent", _relay, "RFC 3046"),
    93: ("system architecture", _number, "RFC 4578"), 100: ("time zone (POSIX)", _text, "RFC 4833"),
    101: ("time zone", _text, "RFC 4833"), 108: ("IPv6-only preferred", _seconds, "RFC 8925"),
    114: ("captive portal", _text, "RFC 8910"), 116: ("self-assigned addresses", _flag, "RFC 2563"),
    118: ("subnet selection", _addresses, "RFC 3011"), 119: ("domain search list", _search, "RFC 3397"),
    120: ("SIP servers", None, "RFC 3361"), 121: ("classless static routes", _routes, "RFC 3442"),
    125: ("vendors' own", None, "RFC 3925"), 138: ("access controllers", _addresses, "RFC 5417"),
    150: ("TFTP servers", _addresses, "RFC 5859"), 162: ("encrypted DNS", None, "RFC 9463"),
}  # fmt: skip
