"""What a DHCP server holds, whoever wrote it: every part, where it stands, what hangs on it, which addresses it claims. Pure.

Readers of a server's configuration turn it into `Holding`s; nothing is left out in silence: what a reader does not understand is a
holding too. Whoever wants to know whether an address is anybody's asks `Claims`, never the configuration.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from ipaddress import IPv4Network

from .address import Address, dotted, ipv4
from .mac import Mac, MacError, MacNumber
from .text import MOST, clean

MOST_TEXT = 300


class Part(StrEnum):
    """What a holding is."""

    SUBNET = "subnet"
    SHARED = "shared network"
    POOL = "pool"
    RESERVATION = "reservation"
    OPTION = "option"
    CLASS = "class"
    EXCLUDED = "excluded"
    SETTING = "setting"
    UNKNOWN = "not understood"


class By(StrEnum):
    """What a reservation knows its device by."""

    MAC = "MAC"
    CLIENT_ID = "client id"
    DUID = "DUID"
    CIRCUIT_ID = "circuit id"
    FLEX_ID = "flex id"
    TAG = "tag"
    NAME = "name"


@dataclass(frozen=True, slots=True)
class Place:
    """Where a part lives: a file and its line (from 1), or with line 0 something that has none, such as "running memory"."""

    source: str
    line: int = 0

    def __str__(self) -> str:
        return f"line {self.line} of {self.source}" if self.line else self.source


@dataclass(frozen=True, slots=True)
class Holding:
    """One part. `text` is what it says, on one line; `within` what it hangs on (a subnet, a class, a tag; empty for the server as
    a whole); `first` to `last` the addresses it is about; `identifiers` what a reservation knows its device by; `hangs` all else
    that stands with it, as (what, value)."""

    part: Part
    place: Place
    text: str
    within: str = ""
    first: Address | None = None
    last: Address | None = None
    identifiers: tuple[tuple[By, str], ...] = ()
    name: str = ""
    hangs: tuple[tuple[str, str], ...] = ()

    @property
    def macs(self) -> tuple[MacNumber, ...]:
        """The MACs among its identifiers."""
        return tuple(mac for by, text in self.identifiers if by is By.MAC and (mac := _mac(text)) is not None)

    @property
    def whom(self) -> str:
        """Whom a reservation is for, in words."""
        told = " or ".join(f"{'' if by is By.MAC else f'{by} '}{text}" for by, text in self.identifiers)
        return (
            f"{told} ({self.name})"
            if told and self.name and By.NAME not in dict(self.identifiers)
            else told or self.name
        )

    @property
    def claim(self) -> str:
        """What it says of its addresses, in words for a sentence about one of them; empty when it claims none."""
        if self.first is None:
            return ""
        match self.part:
            case Part.RESERVATION:
                return f"{self.place} reserves it for {self.whom or 'somebody'}"
            case Part.OPTION:
                return f"{self.place} names it ({self.text}{f', for {self.within}' if self.within else ''})"
            case Part.EXCLUDED:
                return f"{self.place} excludes it"
            case Part.POOL:
                return f"{self.place} hands it out (pool {dotted(self.first)}-{dotted(self.last or self.first)})"
            case _:
                return ""


def _mac(text: str) -> MacNumber | None:
    try:
        return Mac.parse(text).value
    except MacError:
        return None


def not_understood(place: Place, text: str, within: str = "") -> Holding:
    """A part that a reader does not understand."""
    return Holding(Part.UNKNOWN, place, one_line(text), within)


def naming(option: Holding, addresses: Sequence[Address]) -> Iterator[Holding]:
    """An option once for every address that it names; once without when it names none."""
    if not addresses:
        yield option
    for address in addresses:
        yield replace(option, first=address, last=address)


def one_line(text: str) -> str:
    """A part's text on one line, not endlessly long."""
    joined = clean(text, MOST_TEXT)
    return joined if len(joined) < MOST_TEXT else f"{joined[: MOST_TEXT - 1]}…"


def safe(one: Holding) -> Holding:
    """A holding whose texts, which come from a file that anybody may have written, are safe to keep and to show."""
    texts = [one.place.source, one.text, one.within, one.name, *(text for _, text in one.identifiers)]
    if all(map(_is_safe, texts)) and all(_is_safe(what) and _is_safe(value) for what, value in one.hangs):
        return one
    return replace(
        one, place=Place(clean(one.place.source, 1000), one.place.line), text=one_line(one.text), within=one_line(one.within),
        identifiers=tuple((by, one_line(text)) for by, text in one.identifiers), name=clean(one.name),
        hangs=tuple((clean(what), one_line(value)) for what, value in one.hangs),
    )  # fmt: skip


def _is_safe(text: str) -> bool:
    """Whether cleaning would leave a text as it is; told quickly, as most of very many texts are."""
    if not (text.isascii() and text.isprintable()) or len(text) > MOST:
        return False
    return not text or ("  " not in text and text[0] != " " and text[-1] != " ")


@dataclass(frozen=True, slots=True)
class Claim:
    """A holding that claims an address, and the server that has it."""

    server: int
    server_name: str
    holding: Holding

    @property
    def said(self) -> str:
        """In words, for a sentence about the address."""
        return f"{self.server_name}: {self.holding.claim}"

    def covers(self, address: Address) -> bool:
        """Whether it is about an address."""
        first, last = self.holding.first, self.holding.last
        return first is not None and first <= address <= (first if last is None else last)


@dataclass(frozen=True, slots=True)
class Claims:
    """The claims of a site's servers: by address, by the MACs of reservations, and stretches that servers hand out or exclude."""

    single: Mapping[Address, tuple[Claim, ...]] = field(default_factory=dict)
    stretches: tuple[Claim, ...] = ()
    by_mac: Mapping[MacNumber, tuple[Claim, ...]] = field(default_factory=dict)

    @classmethod
    def of(cls, claims: Iterable[Claim]) -> Claims:
        """Put together; what claims nothing is left out."""
        single: dict[Address, list[Claim]] = {}
        stretches: list[Claim] = []
        by_mac: dict[MacNumber, list[Claim]] = {}
        for one in claims:
            first, last = one.holding.first, one.holding.last
            if first is None or not one.holding.claim:
                continue
            if last is None or last == first:
                single.setdefault(first, []).append(one)
            else:
                stretches.append(one)
            for mac in one.holding.macs:
                by_mac.setdefault(mac, []).append(one)
        return cls(
            {address: tuple(found) for address, found in single.items()}, tuple(stretches),
            {mac: tuple(found) for mac, found in by_mac.items()},
        )  # fmt: skip

    def at(self, address: Address) -> list[Claim]:
        """Who claims an address, single ones first."""
        return [*self.single.get(address, ()), *(one for one in self.stretches if one.covers(address))]

    def reserved(self, address: Address) -> list[Claim]:
        """What keeps an address from being reserved: entries for it, and exclusions."""
        excluded = (one for one in self.stretches if one.holding.part is Part.EXCLUDED and one.covers(address))
        return [*self.single.get(address, ()), *excluded]

    def runs(self) -> list[tuple[Address, Address]]:
        """Every claimed stretch, single addresses included; they may overlap."""
        wide = [(one.holding.first, one.holding.last) for one in self.stretches]
        return [
            *((address, address) for address in self.single),
            *((a, b) for a, b in wide if a is not None and b is not None),
        ]


def addresses_in(data: str) -> list[Address]:
    """The IPv4 addresses that an option's data names, in its order; masks and lengths behind a slash are no addresses."""
    found = []
    for word in data.replace(",", " ").replace(";", " ").split():
        try:
            found.append(ipv4(word))
        except ValueError:
            continue
    return found


def network_of(text: str) -> IPv4Network | None:
    """A subnet as servers write it, host bits allowed; None when it is none."""
    try:
        return IPv4Network(text.strip(), strict=False)
    except ValueError:
        return None
