"""Ticks off what was to be entered into a DHCP server by hand: what the wire shows of each part. Pure.

Shown by offers (RFC 2131 4.3.1): one to nobody in particular shows a pool and its options, one to a device's own MAC its
reservation; and by the device itself, when it is seen at the address that was reserved for it.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from .address import Address, dotted
from .dhcp import OPTION_NAMES, Pool, Reservation, Scope, key_of, option_items, option_text
from .findings.offers import Offer
from .mac import MacNumber

BY_HAND = "by hand"
"""The kind of a server that only a person can tell anything."""
UNSEEN = ("boot_server", "boot_file", "vendor_options")
"""What offers to strangers do not show."""


class Tick(StrEnum):
    """What is known of one part of a sheet."""

    IN_EFFECT = "in effect"
    ENTERED = "entered"
    NOT_YET = "not yet"
    OPEN = "not shown yet"
    HIDDEN = "cannot be seen from here"


@dataclass(frozen=True, slots=True)
class Shown:
    """One part: its network and key (see core.dhcp.key_of), the tick, a sentence that says by what, and when that was (UTC ms)."""

    network: str
    key: str
    tick: Tick
    said: str = ""
    at: int | None = None

    @property
    def sentence(self) -> str:
        """What was seen of a reservation, for a person who waits for it."""
        if self.tick is Tick.ENTERED:
            return "entered into the server; the device takes it when it asks again"
        return f"not entered into the server yet: {self.said}" if self.tick is Tick.NOT_YET else self.said


@dataclass(frozen=True, slots=True)
class Part:
    """One part of a sheet. `key` tells it from others, an option's with its value: what was seen of another value says nothing of
    this one; `what` and `value` are for people."""

    key: str
    what: str
    value: str
    tick: Tick = Tick.OPEN


def parts(scope: Scope) -> list[Part]:
    """Everything that a subnet's sheet says, with what is known before anything is seen."""
    found = [Part(key_of(pool), "pool", str(pool)) for pool in scope.pools]
    found += [
        Part(_key(name, text), OPTION_NAMES[name], text, Tick.HIDDEN if name in UNSEEN else Tick.OPEN)
        for name, text in option_items(scope.options)
        if text
    ]
    return found + [Part(key_of(one), "reservation", str(one)) for one in scope.reservations]


def _key(name: str, text: str) -> str:
    return f"{key_of(name)} {text}"


def ticks(
    scope: Scope, offers: Sequence[Offer], asked: Mapping[MacNumber, Sequence[Offer]],
    before: Mapping[tuple[str, str], Shown], now: int,
) -> Iterator[Shown]:  # fmt: skip
    """What offers show of a subnet's sheet. `offers` went to nobody in particular, `asked` to the device with that MAC (empty where
    nobody offered anything). Of what they do not show, `before` stays, by network and key."""
    network = str(scope.network)
    seen = {key_of(pool): _pool(pool, scope, offers) for pool in scope.pools}
    options = [(name, text) for name, text in option_items(scope.options) if text and name not in UNSEEN]
    seen |= {_key(name, text): _option(name, text, offers) for name, text in options}
    seen |= {key_of(one): _reservation(one, asked.get(one.mac)) for one in scope.reservations}
    for part in parts(scope):
        if (found := seen.get(part.key)) is not None:
            yield Shown(network, part.key, found[0], found[1], now)
        else:
            yield before.get((network, part.key)) or Shown(network, part.key, part.tick)


def _pool(pool: Pool, scope: Scope, offers: Sequence[Offer]) -> tuple[Tick, str] | None:
    for offer in offers:
        if pool.first <= offer.address <= pool.last:
            return Tick.IN_EFFECT, f"the server offers {dotted(offer.address)} out of it; its ends are not seen"
    reserved = {one.address for one in scope.reservations}
    for offer in offers:
        if offer.address not in reserved and not any(one.first <= offer.address <= one.last for one in scope.pools):
            return Tick.NOT_YET, f"the server offers {dotted(offer.address)}, which lies in no pool of the sheet"
    return None


def _option(name: str, text: str, offers: Sequence[Offer]) -> tuple[Tick, str] | None:
    if not offers:
        return None
    offer = offers[-1]
    given: dict[str, Any] = {
        "lease_seconds": offer.lease, "gateway": offer.gateways[0] if offer.gateways else None, "dns": offer.dns,
        "domain": offer.domain.rstrip("."), "ntp": offer.ntp,
    }  # fmt: skip
    there = option_text(name, given[name])
    if there.casefold() == text.casefold():
        return Tick.IN_EFFECT, "the server offers it"
    return Tick.NOT_YET, f"the server offers {there or 'none'}"


def _reservation(one: Reservation, offers: Sequence[Offer] | None) -> tuple[Tick, str] | None:
    if not offers:
        return None  # some servers are silent to a device that holds a lease
    if any(offer.address == one.address for offer in offers):
        return Tick.ENTERED, "the server offers it to this MAC"
    return Tick.NOT_YET, f"the server offers {dotted(Address(offers[0].address))} to this MAC"


def stored(shown: Sequence[Shown], at: int) -> dict[str, Any]:
    """For keeping; the wire was asked at `at`, whatever it showed."""
    parts = {f"{one.network} {one.key}": [one.tick.value, one.said, one.at] for one in shown if one.at is not None}
    return {"asked": at, "parts": parts}


def restored(kept: Mapping[str, Any]) -> dict[tuple[str, str], Shown]:
    """What was kept."""
    found = {}
    for name, (tick, said, at) in kept.get("parts", {}).items():
        network, _, key = name.partition(" ")
        found[network, key] = Shown(network, key, Tick(tick), said, at)
    return found


def asked_at(kept: Mapping[str, Any]) -> int | None:
    """When the wire was asked last (UTC ms)."""
    return kept.get("asked")
