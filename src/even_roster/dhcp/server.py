"""What every DHCP server can be asked to do, and how publishing goes: check, write, read back, roll back.

A kind of server implements `DhcpServer`; it never decides what is to be there. Everything here blocks and belongs in
a thread.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from ipaddress import IPv4Network
from typing import Any, Protocol

from ..core.address import Address, dotted
from ..core.dhcp import Scope, ScopeThere, meaning, still_owned
from ..core.dhcp_difference import Difference, Line, difference, lost
from ..core.holdings import Holding
from ..core.mac import Mac
from ..core.plan.following import Lease
from ..core.text import clean


class ServerTrouble(Exception):
    """A server cannot be read or written; the message says what and why, and what would help."""


class ServerRefused(ServerTrouble):
    """The server's own check refused a configuration; nothing was changed."""


class ChangedMeanwhile(ServerTrouble):
    """The configuration is not the one that was looked at; nothing was changed."""


READ_BACK = "read back and verified"
Owned = Mapping[str, frozenset[str]]
Seen = dict[str, str]
"""What was read, by path (of a folder it ends with /), with what tells its content from another; empty where nothing is."""
Texts = dict[str, str]
"""A configuration's texts by the path of their file; of a server that is reached otherwise by a name for it."""


@dataclass(frozen=True, slots=True)
class There:
    """A server's configuration as it is: `texts` are what is edited, `scopes` what they mean, `running` what the server says it has
    in effect (its kind's own values, never changed; None where it does not say), `other_roster` another roster that publishes to
    it, by the mark it left there, `seen` all that it was read from."""

    texts: Texts
    scopes: tuple[ScopeThere, ...]
    running: Any = None
    other_roster: str = ""
    seen: Seen = field(default_factory=dict)

    @property
    def digest(self) -> str:
        """What tells it from every other."""
        return digest(self.texts)


@dataclass(frozen=True, slots=True)
class Rendered:
    """The texts with the owned attributes as wanted, and what a person has to do because it cannot be done so."""

    texts: Texts
    by_hand: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Preview:
    """What publishing would do: the difference by meaning, and the texts before and after for reading side by side.

    `by_hand` are things that this server cannot be told, or not without touching what people wrote: a person has to do them; `left`
    are the lines of the difference that stay because of that. `owned` is the ownership record afterwards, `other_roster` another
    roster that publishes to the server.
    """

    difference: Difference
    before: Texts
    after: Texts
    owned: dict[str, list[str]]
    by_hand: tuple[str, ...] = ()
    left: tuple[Line, ...] = ()
    other_roster: str = ""


@dataclass(frozen=True, slots=True)
class Published:
    """What publishing did. `notes` say how it was checked and verified, `by_hand` what a person has still to do; `before` and
    `after` are the texts, `back` the server as it was read back."""

    lines: tuple[Line, ...]
    scopes: tuple[Scope, ...]
    owned: dict[str, list[str]]
    notes: tuple[str, ...]
    by_hand: tuple[str, ...] = ()
    before: Texts = field(default_factory=dict)
    after: Texts = field(default_factory=dict)
    back: There | None = None


class DhcpServer(Protocol):
    """One server. All methods raise ServerTrouble."""

    @property
    def pools_by_hand(self) -> bool:
        """True when pools and options cannot be published, only compared."""

    @property
    def reserves_in_pools(self) -> bool:
        """False when what is reserved must lie outside of its pools."""

    @property
    def tells_leases(self) -> bool:
        """False when nothing can be read of its leases."""

    @property
    def verified(self) -> str:
        """What can be said of a publishing that went well."""

    @property
    def ends_leases(self) -> bool:
        """True when a lease can be ended there."""

    @property
    def tells_anew(self) -> bool:
        """True when reading back gives the texts in the server's own words, not octet for octet what was written."""

    def read(self, owned: Owned, hints: Sequence[IPv4Network]) -> There:
        """Its configuration now. `hints` are planned networks, where it does not say the mask itself."""

    def as_seen(self, seen: Seen) -> bool:
        """True when all that it was read from is as it was: then it need not be read and understood again."""

    def understand(self, texts: Texts, owned: Owned, hints: Sequence[IPv4Network]) -> tuple[ScopeThere, ...]:
        """What texts mean."""

    def render(self, there: There, scopes: Sequence[Scope], owned: Owned) -> Rendered:
        """The texts with the owned attributes as in `scopes`; every other octet is kept."""

    def check(self, texts: Texts) -> str:
        """Have the server check texts; gives how that was done. Raises ServerRefused."""

    def write(self, before: Texts, after: Texts) -> str:
        """Make the texts the configuration, keeping the previous ones; gives how. Raises ChangedMeanwhile when they are not those
        `before` any more."""

    def restore(self, before: Texts, after: Texts) -> str:
        """Bring texts back that were read before, where they are still those that were written; gives what became of it."""

    def beyond(self, there: There, after: Texts, back: There) -> list[str]:
        """What has changed in the running configuration beyond what was to change."""

    def leases(self) -> list[Lease]:
        """Its leases now, ended ones too where it keeps them."""

    def end_lease(self, address: Address) -> None:
        """Forget the lease of an address, as if it had been given back."""

    def holdings(self, networks: Sequence[IPv4Network], there: There | None = None) -> list[Holding]:
        """All that it holds, whoever wrote it; `networks` are planned ones, where it does not say the mask itself, `there` what was
        just read of it."""


Former = Callable[[There, str], Texts | None]
"""Gives earlier texts of a server that meant exactly this (see core.dhcp.meaning), octet for octet as they were; None when there
are none."""


def other_roster(mark: str, roster: str) -> str:
    """Who a mark is of, when it is not ours."""
    return mark if mark != roster else ""


def _none_before(there: There, meant: str) -> Texts | None:
    return None


def preview(
    server: DhcpServer, wanted: Sequence[Scope], owned: Owned, former: Former = _none_before, take_over: bool = False
) -> tuple[Preview, There]:
    """The exact difference between the plan and a server. That another roster publishes to it stands against it, unless it is to be
    taken over. Raises ServerTrouble."""
    hints = [scope.network for scope in wanted]
    there = server.read(owned, hints)
    by_hand: tuple[str, ...] = ()
    asked = list(wanted)
    if server.pools_by_hand:
        asked, by_hand = only_reservations(asked, there)
    found = difference(asked, there.scopes)
    if not server.reserves_in_pools:
        found = replace(found, conflicts=(*found.conflicts, *_in_pools(asked, there.scopes)))
    if there.other_roster and not take_over:
        other = f"another roster ({there.other_roster}) publishes to this server"
        said = f"{other}, and each would take the other's entries for people's own"
        found = replace(found, conflicts=(*found.conflicts, f"{said}: take it over, or let the other one go"))
    if found.conflicts or not found.lines:
        kept = still_owned(owned, found.scopes, there.scopes)
        return Preview(found, there.texts, there.texts, kept, by_hand, other_roster=there.other_roster), there
    rendered = server.render(there, found.scopes, owned)
    means = server.understand(rendered.texts, {}, hints)
    earlier = former(there, meaning(one.scope for one in means))
    if earlier is not None:
        rendered = Rendered(earlier, rendered.by_hand)
    kept = still_owned(owned, found.scopes, means)
    mine = as_owned(kept)
    left = difference(asked, [replace(one, owned=mine.get(str(one.scope.network), frozenset())) for one in means]).lines
    hands = (*rendered.by_hand, *by_hand)
    return Preview(found, there.texts, rendered.texts, kept, hands, left, there.other_roster), there


def _in_pools(wanted: Iterable[Scope], there: Iterable[ScopeThere]) -> list[str]:
    """Reservations inside of what the server hands out to anybody."""
    pools = [pool for one in there for pool in one.scope.pools]
    return [
        f"{dotted(one.address)}, reserved for {one.name or Mac(one.mac)}, lies in the server's pool {pool}, which it hands out to "
        "anybody: reserve an address outside of it, or make the pool smaller"
        for scope in wanted
        for one in scope.reservations
        for pool in pools
        if pool.first <= one.address <= pool.last
    ]


def as_owned(record: Mapping[str, Sequence[str]]) -> Owned:
    """An ownership record for looking things up."""
    return {network: frozenset(keys) for network, keys in record.items()}


@dataclass(frozen=True, slots=True)
class Prepared:
    """A publishing that the server has checked and that has not begun: what it would do, what the server had when it was looked at,
    and how it was checked (empty when there is nothing to do)."""

    shown: Preview
    there: There
    wanted: tuple[Scope, ...]
    checked: str


def prepare(
    server: DhcpServer, wanted: Sequence[Scope], owned: Owned, expected: str | None, former: Former = _none_before,
    take_over: bool = False,
) -> Prepared:  # fmt: skip
    """Look at a server, and have it check what is to be published. `expected` is the digest of the configuration that a preview
    showed as the one before. Nothing is changed.

    Raises ServerTrouble: on conflicts, when the configuration changed since the preview, and when the server's check refuses.
    """
    shown, there = preview(server, wanted, owned, former, take_over)
    if shown.difference.conflicts:
        raise ServerTrouble(". ".join(shown.difference.conflicts))
    if expected is not None and expected != there.digest:
        raise ChangedMeanwhile("the server's configuration was changed since the preview; look at the difference again")
    checked = server.check(shown.after) if shown.after != there.texts else ""
    return Prepared(shown, there, tuple(wanted), checked)


def carry_out(server: DhcpServer, prepared: Prepared) -> Published:
    """Write what was prepared, have the server read it, and verify.

    Raises ServerTrouble: when the configuration is not the one that was looked at, and when reading back shows something else; then
    the previous configuration is in place again, unless somebody edited it meanwhile.
    """
    shown, there = prepared.shown, prepared.there
    scopes = shown.difference.scopes
    if shown.after == there.texts:
        return Published(
            (), scopes, shown.owned, ("nothing to change",), shown.by_hand, there.texts, there.texts, there
        )
    how = server.write(there.texts, shown.after)
    try:
        back = server.read(as_owned(shown.owned), [scope.network for scope in prepared.wanted])
        _verify(server, shown, there, back, prepared.wanted)
        if changed := server.beyond(there, shown.after, back):
            raise ServerTrouble(f"read back, something has changed that was not to change ({changed[0]})")
    except ServerTrouble as error:
        raise type(error)(f"{error}; {server.restore(there.texts, shown.after)}") from error
    lines = tuple(line for line in shown.difference.lines if line not in shown.left)
    notes = (prepared.checked, how, server.verified)
    return Published(lines, scopes, shown.owned, notes, shown.by_hand, there.texts, back.texts, back)


def publish(
    server: DhcpServer, wanted: Sequence[Scope], owned: Owned, expected: str | None, former: Former = _none_before,
    take_over: bool = False,
) -> Published:  # fmt: skip
    """Publish and verify in one go. Raises ServerTrouble, see `prepare` and `carry_out`."""
    return carry_out(server, prepare(server, wanted, owned, expected, former, take_over))


def _verify(server: DhcpServer, shown: Preview, there: There, back: There, wanted: Sequence[Scope]) -> None:
    """What was read back is what was written, and means what the preview said. Raises ServerTrouble."""
    for path, text in shown.after.items():
        if back.texts.get(path) != text and not server.tells_anew:
            raise ServerTrouble(f"read back, {path} is not what was written")
    asked = only_reservations(list(wanted), back)[0] if server.pools_by_hand else list(wanted)
    left = difference(asked, back.scopes)
    if left.conflicts:
        raise ServerTrouble(f"read back, the server does not have what was published ({left.conflicts[0]})")
    if more := [line for line in left.lines if line not in shown.left]:
        raise ServerTrouble(
            f"read back, the server does not have what was published ({more[0].what} {more[0].after or more[0].before})"
        )
    if gone := lost(there.scopes, back.scopes):
        raise ServerTrouble(f"read back, a part that people wrote by hand is gone ({gone[0]})")


def digest(texts: Texts) -> str:
    """What tells one configuration from another."""
    whole = "\0".join(f"{path}\0{text}" for path, text in sorted(texts.items()))
    return hashlib.sha256(whole.encode("utf-8", "surrogatepass")).hexdigest()[:24]


def only_reservations(wanted: list[Scope], there: There) -> tuple[list[Scope], tuple[str, ...]]:
    """For servers that take reservations only: pools and options are as the server has them."""
    known = {one.scope.network: one.scope for one in there.scopes}
    asked, by_hand = [], []
    for scope in wanted:
        now = known.get(scope.network)
        if now is None or now.pools != scope.pools:
            pools = ", ".join(str(pool) for pool in scope.pools)
            has = ", ".join(str(pool) for pool in now.pools) if now and now.pools else "none"
            by_hand.append(
                f"{scope.network}: the plan has the pool {pools}, the server {has}; enter it in the server's configuration "
                "and restart it: it reads pools only when it starts"
            )
        base = now or Scope(scope.network)
        asked.append(replace(base, reservations=scope.reservations))
    return asked, tuple(by_hand)


def said(outputs: Sequence[str], path: str) -> str:
    """What a server's check said: its first line about an error, without the name of the file it was given."""
    lines = [
        clean(line.replace(path, "line") if path else line, 400)
        for output in outputs
        for line in output.splitlines()
        if line.strip()
    ]
    return next((line for line in lines if "error" in line.casefold()), lines[0] if lines else "it gave no reason")
