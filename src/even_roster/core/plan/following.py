"""Follows a reservation until it is true: not sent yet, waiting for the device to renew, in effect, or refused. Pure."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from ..address import Address, dotted
from ..mac import Mac, MacNumber
from .model import Assignment
from .proof import LastSeen, span_of


class State(StrEnum):
    """Where a reservation stands."""

    OFF = "off"
    UNPUBLISHED = "not published"
    WAITING = "waiting"
    IN_EFFECT = "in effect"
    REFUSED = "refused"


@dataclass(frozen=True, slots=True)
class Lease:
    """One lease as a server tells it: `expires` in UTC ms, None when it never does; `since` when it was given or
    renewed last, None where the server does not say."""

    address: Address
    mac: MacNumber | None
    name: str
    expires: int | None
    since: int | None = None

    def active(self, now: int) -> bool:
        """True while it runs."""
        return self.expires is None or self.expires > now


@dataclass(frozen=True, slots=True)
class Followed:
    """The state of one reservation, a sentence, and until when (UTC ms) a device may keep an old lease."""

    state: State
    sentence: str
    until: int | None = None


def follow(
    item: Assignment,
    *,
    served: bool,
    published: bool,
    leases: Sequence[Lease],
    at_address: Sequence[Lease],
    seen: Sequence[tuple[int, LastSeen]],
    refusal: str,
    now: int,
    sheet: str | None = None,
) -> Followed:
    """Where a reservation stands.

    `leases` are the MAC's, `at_address` those on the reserved address, `seen` where the MAC was seen last, the
    latest first; `refusal` is what the server said against it; times are UTC ms. `sheet` is given for a server that is edited by
    hand: what the wire showed of the entry, empty for nothing yet.
    """
    address = dotted(item.address)
    if not item.on:
        return Followed(State.OFF, "switched off: the server is not told")
    if refusal:
        return Followed(State.REFUSED, refusal)
    if not served:
        return Followed(State.UNPUBLISHED, "no DHCP server is planned for this subnet: draw a pool and name its server")
    if not published:
        return Followed(State.UNPUBLISHED, "not sent to the DHCP server yet: publish it")
    active = [lease for lease in leases if lease.active(now)]
    if any(lease.address == item.address for lease in active):
        return Followed(State.IN_EFFECT, f"the device holds the lease of {address}")
    other = next((o for o in at_address if o.active(now) and o.mac != item.mac), None)
    if other is not None:
        whom = other.name or (str(Mac(other.mac)) if other.mac is not None else "another device")
        left = f"for another {span_of(other.expires - now)}" if other.expires is not None else "for ever"
        return Followed(
            State.REFUSED, f"{whom} holds the lease of {address} {left}; the server gives it away after", other.expires
        )
    if active:
        old = active[0]
        until = f"until {{until}} (for another {span_of(old.expires - now)})" if old.expires is not None else "for ever"
        return Followed(
            State.WAITING,
            f"still on {dotted(old.address)} {until} unless renewed: restart it, unplug its cable for a moment, "
            "or renew its lease",
            old.expires,
        )  # fmt: skip
    if seen and seen[0][0] == item.address:
        return Followed(State.IN_EFFECT, f"the device was seen at {address} {span_of(now - seen[0][1].at)} ago")
    if sheet is not None:
        return Followed(
            State.WAITING, sheet or "to be entered into the server by hand: nothing has shown yet that it was"
        )
    if seen:
        place, when = seen[0]
        return Followed(
            State.WAITING,
            f"was seen at {dotted(place)} {span_of(now - when.at)} ago without a lease of this server: "
            "if that address is typed into it, set it to DHCP",
        )
    return Followed(State.WAITING, "the device was never seen; it gets the address when it asks for one")
