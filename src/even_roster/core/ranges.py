"""Reads address ranges in the ways people write them.

    10.44.10.0/24          10.44.10.0/255.255.255.0      10.44.10.7
    10.44.10.20-60         10.44.10.20-10.44.11.60       Office
    10.44.10.0/24, 10.44.20.0/24 except 10.44.10.1-9

Several parts are separated by commas, semicolons or blanks; everything after the word `except` is taken away.
A name is looked up in the names given. Errors carry the exact stretch of the text that is wrong.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from ipaddress import IPv4Address, IPv4Network

from .span import Span, SpanSet

EXCEPT = "except"
_DASHES = re.compile(r"\s*[\-\u2010-\u2015\u2212]\s*")
_PART = re.compile(r"[^\s,;]+")
_TIGHT_DASH = re.compile(r"(?<=[0-9])\s*[\-\u2010-\u2015\u2212]\s*(?=[0-9])")
_NUMERIC = re.compile(r"[0-9./\-\u2010-\u2015\u2212]+\Z")


class RangeError(ValueError):
    """A range cannot be read: `text` is the whole input, `start`..`end` the wrong stretch of it.

    `reason` says what is wrong, `remedy` what would be right; `str(error)` is one sentence with both.
    """

    def __init__(self, text: str, start: int, end: int, reason: str, remedy: str) -> None:
        self.text, self.start, self.end, self.reason, self.remedy = text, start, end, reason, remedy
        super().__init__(f"{reason}; {remedy}")


@dataclass(frozen=True, slots=True)
class Part:
    """One piece of a range as it was written: where it stands in the text and what it means."""

    text: str
    start: int
    spans: SpanSet
    network: IPv4Network | None


def parse(text: str, names: Mapping[str, SpanSet] | None = None) -> SpanSet:
    """The set of addresses a text means. `names` are known subnets, looked up without regard to case.

    Raises RangeError.
    """
    return combine(text, *parse_parts(text, names))


def combine(text: str, wanted: list[Part], taken: list[Part]) -> SpanSet:
    """What is left of the parts after their exceptions. Raises RangeError when nothing is."""
    left = _union(wanted) - _union(taken)
    if not left:
        raise RangeError(text, 0, len(text), "the exceptions take away the whole range", "leave something to scan")
    return left


def parse_parts(text: str, names: Mapping[str, SpanSet] | None = None) -> tuple[list[Part], list[Part]]:
    """The parts of a range and the parts of its exceptions, in the order written. Raises RangeError."""
    known = {name.casefold(): spans for name, spans in (names or {}).items()}
    blanked = _close_dashes(text)
    wanted: list[Part] = []
    taken: list[Part] = []
    target = wanted
    for whole, start in _pieces(blanked, known):
        if whole.casefold() == EXCEPT and EXCEPT not in known:
            if target is taken:
                raise RangeError(text, start, start + len(whole), "'except' stands twice", "write it once, at the end")
            target = taken
            continue
        spans, network = _part(text, whole, start, known)
        target.append(Part(whole, start, spans, network))
    if not wanted:
        raise RangeError(text, 0, len(text), "the range is empty", "write one such as 10.44.10.0/24 or 10.44.10.20-60")
    if target is taken and not taken:
        raise RangeError(text, len(text), len(text), "nothing follows 'except'", "write what to leave out")
    return wanted, taken


def _pieces(text: str, known: Mapping[str, SpanSet]) -> list[tuple[str, int]]:
    """Split at blanks, commas and semicolons, but keep a known name that has blanks in it whole."""
    pieces: list[tuple[str, int]] = []
    spaced = sorted((name for name in known if " " in name), key=len, reverse=True)
    folded = text.casefold()
    at = 0
    while match := _PART.search(text, at):
        start = match.start()
        name = next((n for n in spaced if folded.startswith(n, start)), None)
        end = start + len(name) if name else match.end()
        pieces.append((text[start:end], start))
        at = end
    return pieces


def _close_dashes(text: str) -> str:
    """Blanks around a dash between numbers are moved behind the second number, so positions hold."""

    def tighten(match: re.Match[str]) -> str:
        inner = match.group()
        dash = next(char for char in inner if not char.isspace())
        return "\x00" * inner.index(dash) + dash + "\x00" * (len(inner) - inner.index(dash) - 1)

    return _TIGHT_DASH.sub(tighten, text)


def _part(text: str, piece: str, start: int, known: Mapping[str, SpanSet]) -> tuple[SpanSet, IPv4Network | None]:
    named = known.get(piece.casefold())
    if named is not None:
        return named, None
    clean = piece.replace("\x00", "")
    if ":" in clean and re.fullmatch(r"[0-9a-fA-F:./%]+", clean):
        _fail(text, piece, start, f"{clean} is IPv6 or a MAC address", "ranges are IPv4, such as 10.44.10.0/24")
    if not _NUMERIC.match(clean):
        known_names = ", ".join(sorted(known)) if known else "none are known yet"
        _fail(
            text, piece, start, f"{_short(clean)!r} is neither a range nor a known subnet",
            f"write a range such as 10.44.10.0/24 or one of the names ({known_names})",
        )  # fmt: skip
    if "/" in clean:
        network = _network(text, piece, clean, start)
        return SpanSet.of([network]), network
    ends = _DASHES.split(clean)
    if len(ends) > 2:
        _fail(
            text,
            piece,
            start,
            f"{_short(clean)} has more than one dash",
            "write first-last, as 10.44.10.20-60",
        )
    first = _address(text, piece, ends[0], start)
    if len(ends) == 1:
        return SpanSet.of([first]), None
    second_start = start + piece.rindex(ends[1]) if ends[1] else start + len(piece)
    last = _last(text, ends[1], second_start, first)
    if last < first:
        _fail(
            text, piece, start, f"{_short(clean)} runs backwards: {last} comes before {first}",
            f"did you mean {_backwards(first, last)}?",
        )  # fmt: skip
    return SpanSet.of([Span(first, last)]), None


def _backwards(first: IPv4Address, last: IPv4Address) -> str:
    short = str(first).rpartition(".")[2] if int(first) >> 8 == int(last) >> 8 else str(first)
    return f"{last}-{short}"


def _last(text: str, written: str, start: int, first: IPv4Address) -> IPv4Address:
    if written.isascii() and written.isdigit():
        if len(written) > 3 or int(written) > 255:
            raise RangeError(
                text, start, start + len(written), f"{_short(written)} is not a last part from 0 to 255",
                f"write the last address whole or its last part, as {first}-254",
            )  # fmt: skip
        return IPv4Address(int(first) & 0xFFFFFF00 | int(written))
    return _address(text, written, written, start)


def _network(text: str, piece: str, clean: str, start: int) -> IPv4Network:
    base, _, mask = clean.partition("/")
    address = _address(text, piece, base, start)
    mask_start = start + piece.index("/") + 1
    if mask.isascii() and mask.isdigit() and len(mask) <= 3:
        if int(mask) > 32:
            raise RangeError(
                text, mask_start, start + len(piece), f"/{mask} is not a prefix length",
                f"it goes from /0 to /32, such as {address}/24",
            )  # fmt: skip
        return IPv4Network((int(address) & _mask_bits(int(mask)), int(mask)))
    dotted = _address(text, piece, mask, mask_start) if mask else None
    if dotted is None:
        raise RangeError(text, mask_start, start + len(piece), f"{clean} has no mask", f"write {address}/24")
    inverse = ~int(dotted) & 0xFFFFFFFF
    if inverse & (inverse + 1):
        raise RangeError(
            text, mask_start, start + len(piece), f"{mask} is not a mask: its ones are not all on the left",
            "write one such as 255.255.255.0, or /24",
        )  # fmt: skip
    length = 32 - inverse.bit_length()
    return IPv4Network((int(address) & _mask_bits(length), length))


def _mask_bits(length: int) -> int:
    return (0xFFFFFFFF << (32 - length)) & 0xFFFFFFFF


def _address(text: str, piece: str, written: str, start: int) -> IPv4Address:
    octets = written.split(".")
    offset = start
    for octet in octets:
        if octet == "" or not (octet.isascii() and octet.isdigit()):
            break
        if len(octet) > 3 or int(octet) > 255:
            raise RangeError(
                text, offset, offset + len(octet), f"{_short(written)} is not an address: {_short(octet)} is over 255",
                "each of the four numbers goes from 0 to 255",
            )  # fmt: skip
        if len(octet) > 1 and octet[0] == "0":
            raise RangeError(
                text, offset, offset + len(octet), f"{_short(written)} is ambiguous: {octet} has a leading zero",
                f"write {int(octet)}",
            )  # fmt: skip
        offset += len(octet) + 1
    else:
        if len(octets) == 4:
            return IPv4Address(".".join(octets))
    raise RangeError(
        text, start, start + max(len(written), 1), f"{_short(written)!r} is not a whole IPv4 address",
        "write four numbers with dots, such as 10.44.10.7",
    )  # fmt: skip


def _fail(text: str, piece: str, start: int, reason: str, remedy: str) -> None:
    raise RangeError(text, start, start + len(piece), reason, remedy)


def _union(parts: list[Part]) -> SpanSet:
    union = SpanSet()
    for part in parts:
        union |= part.spans
    return union


def _short(text: str) -> str:
    return text if len(text) <= 40 else text[:37] + "..."
