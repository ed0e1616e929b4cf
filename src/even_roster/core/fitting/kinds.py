"""What the site knows of one kind of device: how it comes out of its carton, how its page is reached, what that page asks for.

A library of kinds is one JSON document: `{"kinds": [{"name": …, "comes": …}, …]}`, with the fields of `Kind`. It holds
no passwords.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Sequence
from dataclasses import asdict, dataclass, fields
from enum import StrEnum
from ipaddress import IPv4Interface, IPv4Network
from typing import Any

from ..address import Address, address_of
from ..mac import Mac
from ..text import clean, clean_note

LONGEST = 200
MOST_KINDS = 500
LEAST_PREFIX = 22
USUAL_SUBNETS = tuple(
    IPv4Network(text)
    for text in (
        "192.168.1.0/24", "192.168.0.0/24", "192.168.2.0/24", "192.168.10.0/24", "192.168.100.0/24", "192.168.8.0/24",
        "192.168.178.0/24", "10.0.0.0/24", "10.1.1.0/24", "10.10.10.0/24", "172.16.0.0/24", "192.168.200.0/24",
    )
)  # fmt: skip
"""Where makers like to put devices: what a device is asked for that keeps silent, after the factory subnets that the site knows."""
_PATH = re.compile(r"(?:https?://\{address\}(?::\d{1,5})?)?(?:/[\w\-./?=&#%~+:]*)?")


class Comes(StrEnum):
    """How a device comes out of its carton: with a factory address, asking by DHCP or by BOOTP, or nobody knows."""

    ADDRESS = "address"
    DHCP = "dhcp"
    BOOTP = "bootp"
    UNKNOWN = "unknown"


class Field(StrEnum):
    """What a device's page asks for."""

    MODE = "mode"
    ADDRESS = "address"
    MASK = "mask"
    PREFIX = "prefix"
    GATEWAY = "gateway"
    DNS = "dns"
    NAME = "name"
    DOMAIN = "domain"
    NTP = "ntp"
    VLAN = "vlan"
    MAC = "mac"


USUAL_FIELDS = (Field.ADDRESS, Field.MASK, Field.GATEWAY, Field.DNS, Field.NAME, Field.NTP, Field.VLAN)
NOTATIONS = ("colons", "dashes", "dots", "bare")


class KindError(ValueError):
    """Something said of a kind is not usable; `where` names the field, the message says what would be right."""

    def __init__(self, said: str, where: str) -> None:
        super().__init__(said)
        self.where = where


@dataclass(frozen=True, slots=True)
class Kind:
    """One kind of device. `factory` is its address and prefix as it comes (192.168.50.10/24), empty for none; `page` where its page
    is, with {address} for its address; `reset` how it is set back; `store` what must be done besides typing for settings to last,
    empty where nothing; `fields` what the page asks for, in its order; `notation` how it wants MACs."""

    name: str
    comes: Comes = Comes.UNKNOWN
    factory: str = ""
    page: str = ""
    reset: str = ""
    store: str = ""
    fields: tuple[Field, ...] = USUAL_FIELDS
    notation: str = "colons"
    role: str = ""
    notes: str = ""

    @property
    def interface(self) -> IPv4Interface | None:
        """The factory address with its subnet."""
        return IPv4Interface(self.factory) if self.factory else None

    @property
    def address(self) -> Address | None:
        """The factory address."""
        there = self.interface
        return address_of(there.ip) if there is not None else None

    def page_at(self, address: str) -> str:
        """The link to the page of a device that is at an address."""
        if not self.page:
            return ""
        whole = self.page if self.page.startswith("http") else f"http://{{address}}{self.page}"
        return whole.replace("{address}", address)


def checked(kind: Kind) -> Kind:
    """A kind with its texts in order. Raises KindError."""
    name = clean(kind.name, 80)
    if not name or name.isdigit():
        raise KindError("a kind needs a name, such as 'Quillmark Q20'; a number alone is none", "name")
    page = kind.page.strip()
    if len(page) > LONGEST or not _PATH.fullmatch(page):
        raise KindError(
            f"{page[:60]!r} is no page: write a path such as /setup, or https://{{address}}:8443/ without a name or password in it",
            "page",
        )
    if kind.notation not in NOTATIONS:
        raise KindError(f"{kind.notation!r} is no notation; there are: {', '.join(NOTATIONS)}", "notation")
    if len(set(kind.fields)) != len(kind.fields):
        raise KindError("a field stands twice in what the page asks for", "fields")
    factory = _factory(kind.factory)
    comes = Comes.ADDRESS if factory and kind.comes is Comes.UNKNOWN else kind.comes
    if comes is Comes.ADDRESS and not factory:
        raise KindError(
            "a kind that comes with a factory address needs that address, such as 192.168.50.10/24", "factory"
        )
    return Kind(
        name, comes, factory, page, clean_note(kind.reset, 1000), clean_note(kind.store, 1000), kind.fields, kind.notation,
        kind.role, clean_note(kind.notes, 4000),
    )  # fmt: skip


def _factory(text: str) -> str:
    bare = text.strip()
    if not bare:
        return ""
    try:
        found = IPv4Interface(bare)
    except ValueError as error:
        raise KindError(
            f"{text[:60]!r} is no factory address; write one such as 192.168.50.10/24", "factory"
        ) from error
    if "/" not in bare:
        found = IPv4Interface(f"{bare}/24")
    if not LEAST_PREFIX <= found.network.prefixlen <= 30:
        raise KindError(f"a factory subnet is a /{LEAST_PREFIX} to a /30; {found} is not", "factory")
    ip, network = found.ip, found.network
    if (
        ip.is_multicast
        or ip.is_loopback
        or ip.is_reserved
        or ip in (network.network_address, network.broadcast_address)
    ):
        raise KindError(f"{ip} is no address that a device has", "factory")
    return str(found)


def mac_in(mac: Mac, notation: str) -> str:
    """A MAC in the notation that a device's page wants."""
    bare = mac.to_bytes().hex()
    if notation == "dots":
        return ".".join(bare[at : at + 4] for at in (0, 4, 8))
    between = {"colons": ":", "dashes": "-", "bare": ""}[notation]
    return between.join(bare[at : at + 2] for at in range(0, 12, 2))


def written(kinds: Iterable[Kind]) -> str:
    """A library as its JSON document."""
    return json.dumps({"kinds": [asdict(kind) for kind in kinds]}, ensure_ascii=False, indent=2) + "\n"


def read(text: str) -> tuple[Kind, ...]:
    """The kinds of a document. Raises KindError, which says which of them is wrong."""
    try:
        document = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise KindError(f"it is no JSON: {error}", "text") from error
    rows = document.get("kinds") if isinstance(document, dict) else None
    if not isinstance(rows, list) or not all(isinstance(row, dict) for row in rows):
        raise KindError('it is no library of kinds: {"kinds": [{"name": "…"}, …]} is expected', "text")
    if len(rows) > MOST_KINDS:
        raise KindError(f"it holds {len(rows):,} kinds; at most {MOST_KINDS} fit", "text")
    found = [_one(number, row) for number, row in enumerate(rows, start=1)]
    names: set[str] = set()
    for number, kind in enumerate(found, start=1):
        if kind.name.casefold() in names:
            raise KindError(f"kind {number}: {kind.name} stands there already", "text")
        names.add(kind.name.casefold())
    return tuple(found)


def _one(number: int, row: dict[str, Any]) -> Kind:
    known = {one.name for one in fields(Kind)}
    if strange := sorted(set(row) - known):
        raise KindError(
            f"kind {number}: {strange[0]!r} is no field of a kind; there are: {', '.join(sorted(known))}", "text"
        )
    texts = {name: row.get(name, "") for name in known - {"fields", "comes", "notation"}}
    if wrong := [name for name, value in texts.items() if not isinstance(value, str)]:
        raise KindError(f"kind {number}: {wrong[0]} is not a text", "text")
    try:
        wanted = row.get("fields", list(USUAL_FIELDS))
        if not isinstance(wanted, list):
            raise KindError("fields is not a list", "fields")
        return checked(
            Kind(
                **texts, comes=Comes(row.get("comes", Comes.UNKNOWN)), fields=tuple(Field(one) for one in wanted),
                notation=row.get("notation", "colons"),
            )
        )  # fmt: skip
    except (KindError, ValueError) as error:
        raise KindError(f"kind {number}: {error}", "text") from error


def factory_stretch(kinds: Sequence[Kind]) -> list[IPv4Network]:
    """The factory subnets that are known, each once."""
    return list(dict.fromkeys(kind.interface.network for kind in kinds if kind.interface is not None))
