"""Where a name can come from, and which of several is shown. Pure."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum

from .text import clean


class NameSource(StrEnum):
    """Who said the name; in the order in which they are believed."""

    DHCP = "dhcp"
    DNS = "dns"
    MDNS = "mdns"
    NETBIOS = "netbios"
    LLMNR = "llmnr"
    SELF = "self"


_BELIEF = {source: rank for rank, source in enumerate((
    NameSource.SELF, NameSource.DHCP, NameSource.DNS, NameSource.MDNS, NameSource.NETBIOS, NameSource.LLMNR,
))}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Name:
    """A name as some source gave it, already clean."""

    name: str
    source: NameSource


def heard(text: str, source: NameSource) -> Name | None:
    """A name from the network made safe; None when nothing of it is left."""
    name = clean(text).rstrip(".")
    return Name(name, source) if name else None


def best(names: Iterable[Name]) -> Name | None:
    """The name to show: the most believed source, then the shortest text, then the alphabet."""
    return min(names, key=lambda name: (_BELIEF[name.source], len(name.name), name.name), default=None)


def is_hostname(name: str) -> bool:
    """True for a name that may stand in DHCP and DNS: labels of letters, digits and inner dashes (RFC 1123 2.1)."""
    return len(name) <= 253 and all(_is_label(label) for label in name.split("."))


def _is_label(label: str) -> bool:
    plain = label.replace("-", "a")
    return 1 <= len(label) <= 63 and plain.isascii() and plain.isalnum() and label[0] != "-" and label[-1] != "-"
