"""Where a name can come from, and which of several is shown. Pure."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum

from .text import clean


class NameSource(StrEnum):
    """Who said the name: a DHCP server's record, an answer to a question of ours, or a device in a frame that was only overheard,
    which any device on the link can forge."""

    DHCP = "dhcp"
    DNS = "dns"
    MDNS = "mdns"
    NETBIOS = "netbios"
    LLMNR = "llmnr"
    SELF = "self"
    DHCP_HEARD = "dhcp, heard"
    MDNS_HEARD = "mdns, heard"

    @property
    def overheard(self) -> bool:
        """True where any device on the link could have said it."""
        return self in (NameSource.DHCP_HEARD, NameSource.MDNS_HEARD)


_BELIEF = {source: rank for rank, source in enumerate((
    NameSource.SELF, NameSource.DHCP, NameSource.DNS, NameSource.MDNS, NameSource.NETBIOS, NameSource.LLMNR,
    NameSource.DHCP_HEARD, NameSource.MDNS_HEARD,
))}  # fmt: skip
SELF_TOLD = frozenset(NameSource) - {NameSource.DNS, NameSource.SELF}
"""The sources by which a device tells its own name."""


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


def as_hostname(name: str) -> str:
    """A hostname for something called so by people or by itself: the name when it is one, else one made of its letters and
    digits ("Box office printer" is box-office-printer), else nothing."""
    bare = clean(name.split(".", 1)[0] if name.endswith(".local") else name, 120).rstrip(".")
    if not bare or is_hostname(bare):
        return bare
    plain = unicodedata.normalize("NFKD", bare).encode("ascii", "ignore").decode().lower()
    made = re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:63].rstrip("-")
    return made if is_hostname(made) else ""


def no_hostname(name: str) -> str:
    """What is said of a name that is no hostname: why, and what would be one."""
    made = as_hostname(name)
    would = f"{made} would be one" if made else "such as printer-2"
    return f"{name[:40]!r} is not a hostname: letters, digits and dashes only, {would}; the rest belongs in the notes"


def _is_label(label: str) -> bool:
    plain = label.replace("-", "a")
    return 1 <= len(label) <= 63 and plain.isascii() and plain.isalnum() and label[0] != "-" and label[-1] != "-"
