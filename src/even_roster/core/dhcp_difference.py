"""The exact difference between what a DHCP server should hand out and what it does. Pure.

A server's configuration has parts that the plan owns (it wrote or adopted them) and parts that people wrote by hand. The difference
only ever adds, changes or removes owned parts; where a hand-written part stands against the plan it is a conflict, said in words,
and nothing is published."""

from __future__ import annotations

from collections.abc import Callable, Container, Iterable, Iterator, Sequence
from dataclasses import dataclass, fields, replace
from functools import partial

from .dhcp import NOTHING, OPTION_NAMES, Pool, Reservation, Scope, ScopeThere, key_of, key_of_pool, option_items
from .plan.model import HandedOut


@dataclass(frozen=True, slots=True)
class Line:
    """One difference: `action` is add, change or remove; `before` and `after` as texts, empty where there is none."""

    action: str
    what: str
    network: str
    before: str
    after: str


@dataclass(frozen=True, slots=True)
class Difference:
    """What publishing would do. With `conflicts` nothing may be published; `left` counts hand-written parts."""

    lines: tuple[Line, ...]
    conflicts: tuple[str, ...]
    left: int
    scopes: tuple[Scope, ...]


def difference(wanted: Sequence[Scope], there: Iterable[ScopeThere]) -> Difference:
    """What must be added, changed and removed so that a server has the plan, and what stands against it."""
    lines: list[Line] = []
    conflicts: list[str] = []
    left = 0
    result: list[Scope] = []
    known = {one.scope.network: one for one in there}
    for scope in wanted:
        now = known.pop(scope.network, None)
        if now is None:
            clash = next((n for n in known if n.overlaps(scope.network)), None)
            if clash is not None:
                conflicts.append(
                    f"the server has a subnet {clash} where the plan has {scope.network}: make the masks agree"
                )
                continue
            lines.append(Line("add", "subnet", str(scope.network), "", str(scope.network)))
            now = ScopeThere(Scope(scope.network))
        left += _compare(scope, now, lines, conflicts)
        result.append(scope)
    for network, other in known.items():
        if other.owned:
            empty = Scope(network)
            left += _compare(empty, other, lines, conflicts)
            result.append(empty)
        else:
            left += len(other.scope.pools) + len(other.scope.reservations)
    return Difference(tuple(lines), tuple(conflicts), left, tuple(result))


def _compare(wanted: Scope, now: ScopeThere, lines: list[Line], conflicts: list[str]) -> int:
    """Compare one subnet; gives how many hand-written parts are left as they are."""
    network = str(wanted.network)
    left = _pools(wanted, now, lines, conflicts)
    by_pools = said_by_pools(wanted, now)
    subnet = _Given(
        wanted.options, now.scope.options, now.defaults, lambda name: name in by_pools or key_of(name) in now.owned
    )
    left += _options(network, subnet, "", lines, conflicts, by_pools)
    for pool, to in pool_pairs(wanted, now):
        there = now.scope.of_pool(pool)
        given = _Given(pool_target(wanted, to, there), there, NOTHING, partial(_owned_by_pool, now, pool))
        left += _options(network, given, f" of {to}", lines, conflicts)
        conflicts += _against(network, wanted, to, given)
    return left + _reservations(wanted, now, lines, conflicts)


@dataclass(frozen=True, slots=True)
class _Given:
    """What is handed out, wanted and there; what is there without being said, and which of it is the plan's."""

    wanted: HandedOut
    there: HandedOut
    usual: HandedOut
    owned: Callable[[str], bool]


def _options(
    network: str, given: _Given, where: str, lines: list[Line], conflicts: list[str], but: Container[str] = ()
) -> int:
    """Compare what is handed out, but for some; gives how much of it people wrote and keep."""
    there, usual, left = dict(option_items(given.there)), dict(option_items(given.usual)), 0
    for name, value in option_items(given.wanted):
        before = there[name]
        if name in but or (not before and value == usual[name]):
            continue
        if before == value or (not value and not given.owned(name)):
            left += 1 if before and not given.owned(name) else 0
            continue
        title = f"{OPTION_NAMES[name]}{where}"
        if before and not given.owned(name):
            conflicts.append(_by_hand(network, title, before, value))
            continue
        action = "add" if not before else "change" if value else "remove"
        lines.append(Line(action, title, network, before, value))
    return left


def _by_hand(network: str, title: str, before: str, value: str) -> str:
    return (
        f"{network}: the server hands out the {title} {before} by hand, the plan says {value}; "
        "adopt the server's, or change the plan"
    )


def _against(network: str, wanted: Scope, pool: Pool, given: _Given) -> Iterator[str]:
    """What a pool hands out by hand where the plan has something else for the whole subnet."""
    usual, target = dict(option_items(wanted.options)), dict(option_items(given.wanted))
    for name, before in option_items(given.there):
        if before and not target[name] and usual[name] and usual[name] != before and not given.owned(name):
            yield _by_hand(network, f"{OPTION_NAMES[name]} of {pool}", before, usual[name])


def pool_target(wanted: Scope, pool: Pool, there: HandedOut) -> HandedOut:
    """What a pool is to hand out by itself: what is wanted of it, and what it says already as its whole subnet is to."""
    own, usual = wanted.of_pool(pool), wanted.options
    keep = {
        one.name: value
        for one in fields(HandedOut)
        if (value := getattr(there, one.name)) and not getattr(own, one.name) and value == getattr(usual, one.name)
    }
    return replace(own, **keep)


def said_by_pools(wanted: Scope, now: ScopeThere) -> frozenset[str]:
    """What a subnet need not say, because each of its pools says it as it is wanted."""
    pairs = pool_pairs(wanted, now)
    if not pairs:
        return frozenset()
    told = [dict(option_items(now.scope.of_pool(pool))) for pool, _ in pairs]
    there = dict(option_items(now.scope.options))
    return frozenset(
        name
        for name, value in option_items(wanted.options)
        if value and there[name] != value and all(one[name] == value for one in told)
    )


def _owned_by_pool(now: ScopeThere, pool: Pool, name: str) -> bool:
    return key_of_pool(pool, name) in now.owned


def pool_pairs(wanted: Scope, now: ScopeThere) -> list[tuple[Pool, Pool]]:
    """Each wanted pool with the one at the server that it is or will be; a new one with itself."""
    was = {to: pool for pool, to in pool_changes(wanted, now).items()}
    return [(was.get(pool, pool), pool) for pool in wanted.pools]


def pool_changes(wanted: Scope, now: ScopeThere) -> dict[Pool, Pool]:
    """Which of the plan's pools at a server become which: those that share an end, then those that overlap. What hangs on a pool
    there stays on it, so that it is changed and never taken out and made anew."""
    gone = [pool for pool in now.scope.pools if pool not in wanted.pools and key_of(pool) in now.owned]
    new = [pool for pool in wanted.pools if pool not in now.scope.pools]
    found: dict[Pool, Pool] = {}
    for alike in (_share_an_end, _overlap):
        for pool in gone:
            if pool not in found and (to := next((one for one in new if alike(pool, one)), None)) is not None:
                found[pool] = to
                new.remove(to)
    return found


def _share_an_end(one: Pool, other: Pool) -> bool:
    return one.first == other.first or one.last == other.last


def _overlap(one: Pool, other: Pool) -> bool:
    return one.first <= other.last and other.first <= one.last


def _pools(wanted: Scope, now: ScopeThere, lines: list[Line], conflicts: list[str]) -> int:
    network, left = str(wanted.network), 0
    changes = pool_changes(wanted, now)
    for pool in now.scope.pools:
        if pool in wanted.pools:
            continue
        if key_of(pool) in now.owned:
            to = changes.get(pool)
            lines.append(Line("change" if to else "remove", "pool", network, str(pool), str(to) if to else ""))
            continue
        left += 1
        for mine in wanted.pools:
            if _overlap(pool, mine):
                conflicts.append(
                    f"{network}: the server's own pool {pool} overlaps the planned {mine}; adopt it or change one"
                )
    for pool in wanted.pools:
        if pool not in now.scope.pools and pool not in changes.values():
            lines.append(Line("add", "pool", network, "", str(pool)))
    return left


def _reservations(wanted: Scope, now: ScopeThere, lines: list[Line], conflicts: list[str]) -> int:
    network, left = str(wanted.network), 0
    by_mac = {one.mac: one for one in wanted.reservations}
    by_address = {one.address: one for one in wanted.reservations}
    done: set[Reservation] = set()
    for one in now.scope.reservations:
        mine = by_mac.get(one.mac)
        owned = key_of(one) in now.owned
        if mine == one or (
            mine is not None and not owned and (mine.address, mine.name or one.name) == (one.address, one.name)
        ):
            done.add(mine)
            left += 0 if owned else 1
        elif owned:
            if mine is not None:
                done.add(mine)
                lines.append(Line("change", "reservation", network, str(one), str(mine)))
            else:
                lines.append(Line("remove", "reservation", network, str(one), ""))
        else:
            left += 1
            against = mine or by_address.get(one.address)
            if against is not None:
                conflicts.append(
                    f"{network}: the server has {one} by hand, the plan has {against}; adopt the server's, "
                    "or take it out there"
                )
                done.add(against)
    for one in wanted.reservations:
        if one not in done:
            lines.append(Line("add", "reservation", network, "", str(one)))
    return left


def lost(before: Iterable[ScopeThere], after: Iterable[ScopeThere]) -> list[str]:
    """Hand-written parts that are not there any more: publishing must never cause any."""
    now = {one.scope.network: one.scope for one in after}
    found = []
    for one in before:
        scope = now.get(one.scope.network, Scope(one.scope.network))
        there = dict(option_items(scope.options))
        parts: list[tuple[Pool | Reservation | str, bool]] = [
            *((pool, pool in scope.pools) for pool in one.scope.pools),
            *((entry, entry in scope.reservations) for entry in one.scope.reservations),
            *((name, there[name] == text) for name, text in option_items(one.scope.options) if text),
        ]
        found += [
            f"{scope.network} {key_of(part)}" for part, kept in parts if not kept and key_of(part) not in one.owned
        ]
        stand = [(pool, item) for pool, options in scope.of_pools for item in option_items(options)]
        found += [
            f"{scope.network} {key_of_pool(pool, name)}"
            for pool, options in one.scope.of_pools
            for name, text in option_items(options)
            if text
            and key_of_pool(pool, name) not in one.owned
            and not any(_overlap(pool, other) and item == (name, text) for other, item in stand)
        ]
    return found
