"""The one rule for moments: what is known of a pair of address and MAC at a moment, from the facts on both sides of it.

What stands between two facts is told as that, whoever came after. A pair is *held* only between two answers that lie closer
together than CLOSE; *probably* held where it answered before and nothing that is known speaks against it; *silent* between two
looks in which it was asked without an answer; else it is unknown. Pure; times are UTC milliseconds.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum

from ..address import Address
from ..mac import MacNumber
from ..stays import GAP_MS, Source, Stay

MINUTE = 60_000
CLOSE = 5_000
"""How far apart two answers may lie for nothing to be missed between them: whoever is off for less keeps its address."""
AT_ONCE = 1_000
"""How far apart a MAC's answers at two addresses may lie for it to hold both: one look asked for them, and nothing moves in it."""
PROBABLE = 2 * 60 * MINUTE
"""How long after its last answer a pair is probably there still, where nobody asked since."""
BETWEEN = GAP_MS
"""How far apart two answers of one pair may lie for it to have been there probably in between."""


class Known(StrEnum):
    """What is known of a pair at a moment."""

    HELD = "held"
    PROBABLY = "probably"
    UNKNOWN = "unknown"
    SILENT = "silent"

    @property
    def there(self) -> bool:
        """Whether the pair counts as there."""
        return self in (Known.HELD, Known.PROBABLY)


@dataclass(frozen=True, slots=True)
class Run:
    """How often in a row a pair was asked without an answer, the first and the last time; when it had answered last before, and
    when it answered again (0: not yet). `reason` is the number of `absence.Reason`: why its stay ended."""

    first: int
    last: int
    count: int
    before: int
    after: int = 0
    reason: int = 0


@dataclass(frozen=True, slots=True)
class Against:
    """What speaks against a pair having stayed: at `at` another MAC answered at its address, or its MAC at another address."""

    at: int
    mac: MacNumber | None = None
    address: Address | None = None


@dataclass(frozen=True, slots=True)
class Then:
    """What is known of a pair at a moment, and what that stands on. `before` and `after` are its nearest answers as far as they are
    known; `apart` how far apart at most two answers around the moment lie, where only that is known; `run` the looks without an
    answer around or before it; `asked` the first look without an answer after it; `against` what speaks against it; `outline` that
    the records are folded."""

    known: Known
    before: int | None = None
    after: int | None = None
    apart: int | None = None
    run: Run | None = None
    asked: int | None = None
    against: Against | None = None
    outline: bool = False
    leased: bool = False


def judge(
    moment: int, stays: Sequence[Stay], run: Run | None, apart: int | None = None, against: Iterable[Against] = (),
    looked: tuple[int | None, int | None] = (None, None),
) -> Then | None:  # fmt: skip
    """What is known of a pair at a moment; None where it had not answered before and is not known to have been asked.

    `stays` are the pair's own, `run` the looks without an answer between the answers around the moment, `apart` how far apart at
    most two looks lie that asked for it then, `against` what is known to speak against it, `looked` the end of the last look that
    asked for the address before the moment, and the beginning of the next one after it."""
    inside = next((one for one in stays if one.first <= moment <= one.last), None)
    earlier = max((one for one in stays if one.last < moment), key=lambda one: one.last, default=None)
    later = min((one.first for one in stays if one.first > moment), default=None)
    if run is not None and run.before < moment and not (run.after and moment >= run.after):
        return _around(moment, run, run.after or later, looked)
    if inside is not None:
        return _inside(moment, inside, apart)
    if earlier is None:
        return None
    return _after(moment, earlier, later, against)


def _around(moment: int, run: Run, after: int | None, looked: tuple[int | None, int | None]) -> Then:
    """Between two answers, or after the last one, with looks without an answer since."""
    if moment < run.first:
        return Then(Known.UNKNOWN, run.before, after, run=run, asked=run.first)
    if moment <= run.last:
        return Then(Known.SILENT, run.before, after, run=run)
    asked = looked[1]
    if asked is not None and asked >= moment and (after is None or asked < after):
        return Then(Known.SILENT, run.before, after, run=run, asked=asked)
    return Then(Known.UNKNOWN, run.before, after, run=run)


def _inside(moment: int, stay: Stay, apart: int | None) -> Then:
    """Between two answers of one stay, without a look without an answer."""
    if stay.sources & Source.FOLDED:
        return Then(Known.UNKNOWN, outline=True)
    if not stay.answered:
        return Then(Known.UNKNOWN, leased=True)
    if moment in (stay.first, stay.last):
        return Then(Known.HELD, moment, moment, 0)
    known = [one for one in (apart, stay.widest) if one is not None]
    widest = min([*known, stay.last - stay.first]) if known else None
    if widest is None:
        return Then(Known.PROBABLY)
    return Then(Known.HELD if widest <= CLOSE else Known.PROBABLY if widest <= BETWEEN else Known.UNKNOWN, apart=widest)


def _speaks_against(one: Against, stay: Stay) -> bool:
    return one.at > stay.last + (AT_ONCE if one.address is not None else 0)


def _after(moment: int, stay: Stay, later: int | None, against: Iterable[Against]) -> Then:
    """After the last answer of a stay, without a look without an answer since."""
    if not stay.answered:
        return Then(Known.UNKNOWN, leased=True)
    rival = min((one for one in against if _speaks_against(one, stay)), key=lambda one: one.at, default=None)
    if rival is not None and (later is None or rival.at < later):
        return Then(Known.UNKNOWN, stay.last, later, against=rival)
    if stay.sources & Source.FOLDED:  # of what is known in outline not even the end needs to be an answer
        return Then(Known.UNKNOWN, stay.last, later, outline=True)
    likely = later - stay.last <= BETWEEN if later is not None else moment - stay.last <= PROBABLE
    return Then(Known.PROBABLY if likely else Known.UNKNOWN, stay.last, later)
