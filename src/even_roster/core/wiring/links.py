"""Which ports are joined, by all that is known: what hands say, what switches tell, and what their forwarding tables let one infer.
Pure. What was only inferred is never called told.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Sequence

from ..mac import MacNumber
from .facts import UNREAD, End, Known, Link, Member, Plug, Word, pair
from .inferred_links import Guess, guesses
from .told_links import Directory, told

SETTLED = 6 * 60 * 1000
"""How long two ports must both have learnt somebody before it is said that he hangs between them: switches are read at different
times, and who moved is remembered for some minutes."""
SHUT = ("blocking", "alternate", "backup", "listening", "learning", "broken", "disabled")


def links(members: Sequence[Member], words: Collection[Word] = ()) -> list[Link]:
    """All links, in the order of their ends."""
    directory = Directory(members)
    joined = {pair(one.one, one.other) for one in words if one.joined}
    apart = {pair(one.one, one.other) for one in words if not one.joined}
    found = _stated(directory, joined)
    taken = {port for link in found for port in link.ports}
    said = told(directory)
    for ends, both, reasons in said.joined:
        kept = tuple(end for end in ends if end.port not in taken)
        for group in _without(kept, apart):
            known = Known.BOTH if both and group == ends else Known.ONE
            found.append(Link(group, known, reasons, between=len(group) > 2))
    found = _bundled(found, directory)
    taken |= {port for link in found for port in link.ports}
    found += _inferred(members, found, directory, frozenset(taken), apart)
    found += _routers(members, found, apart)
    return sorted((_between(link, directory) for link in found), key=lambda link: link.ends)


def shut(tree: str) -> str:
    """What keeps a port from passing frames on, by its part in the spanning tree; empty where nothing does. In one tree of several
    it is said in which."""
    return tree if tree.startswith(SHUT) else ""


def _stated(directory: Directory, joined: Collection[tuple[int, int]]) -> list[Link]:
    found = []
    for one, other in sorted(joined):
        if one in directory.plugs and other in directory.plugs:
            ends = tuple(sorted(End(directory.plugs[port][0].id, port) for port in (one, other)))
            found.append(Link(ends, Known.STATED, ("a hand says that these ports are joined",)))
    return found


def _without(ends: tuple[End, ...], apart: Collection[tuple[int, int]]) -> list[tuple[End, ...]]:
    """What is left of a group of ends of which hands say that some are not joined."""
    if len(ends) < 2:
        return []
    denied = [one for one in apart if {end.port for end in ends} >= set(one)]
    if not denied:
        return [ends]
    if len(ends) == 2:
        return []
    left = tuple(end for end in ends if not any(end.port == max(one) for one in denied))
    return [left] if len(left) > 1 else []


def _bundled(found: Sequence[Link], directory: Directory) -> list[Link]:
    """Links of a bundle's members as one."""
    groups: dict[tuple[tuple[int, str], ...], list[Link]] = defaultdict(list)
    single = []
    for link in found:
        names = tuple((end.switch, directory.plugs[end.port][1].bundle if end.port else "") for end in link.ends)
        if len(link.ends) == 2 and all(name for _, name in names):
            groups[names].append(link)
        else:
            single.append(link)
    for names, links_ in groups.items():
        ends = tuple(
            _lead(directory, switch, name, end) for (switch, name), end in zip(names, links_[0].ends, strict=True)
        )
        known = min((link.known for link in links_), key=list(Known).index)
        members = tuple((link.ends[0].port, link.ends[1].port) for link in links_)
        single.append(Link(ends, known, tuple(reason for link in links_ for reason in link.reasons), members))
    return single


def _lead(directory: Directory, switch: int, name: str, end: End) -> End:
    """The port that stands for a bundle: the aggregate where it is a port, else the first member."""
    found = [plug.id for plug in directory.members[switch].plugs if plug.name == name]
    return End(switch, found[0]) if found else end


def _inferred(
    members: Sequence[Member], found: Sequence[Link], directory: Directory, taken: frozenset[int],
    apart: Collection[tuple[int, int]],
) -> list[Link]:  # fmt: skip
    """Links that forwarding tables let one infer between parts that nothing told joins."""
    edges = []
    for link in found:
        first = link.ends[0]
        if not any(shut(directory.plugs[end.port][1].tree) for end in link.ends if end.port):
            edges += [(first.switch, first.port, end.switch, end.port) for end in link.ends[1:]]
    unread = defaultdict[str, list[int]](list)
    for link in found:
        for end in link.ends:
            if end.switch == UNREAD:
                unread[end.called] += [other.switch for other in link.ends if other.switch != UNREAD]
    for around in unread.values():  # two that hang on the same one that is not read are joined by it
        edges += [(around[0], 0, other, 0) for other in around[1:]]
    groups: dict[End, set[End]] = {}
    said: dict[End, list[str]] = defaultdict(list)
    for guess in guesses(members, edges, taken):
        if pair(guess.one.port, guess.other.port) in apart:
            continue
        merged = groups.get(guess.one, {guess.one}) | groups.get(guess.other, {guess.other})
        for end in merged:
            groups[end] = merged
        said[guess.one] += _said(guess, directory)
    inferred = []
    for ends in {frozenset(group) for group in groups.values()}:
        ordered = tuple(sorted(ends))
        reasons = tuple(reason for end in ordered for reason in said.get(end, ()))
        inferred.append(Link(ordered, Known.INFERRED, reasons, between=len(ordered) > 2))
    return inferred


def _routers(
    members: Sequence[Member], found: Sequence[Link], apart: Collection[tuple[int, int]]
) -> list[Link]:  # fmt: skip
    """Where the ports of routers are plugged in: at the one port that leads to no switch and has learnt its MAC."""
    taken = {port for link in found for port in link.ports}
    ports: dict[MacNumber, list[tuple[Member, Plug]]] = defaultdict(list)
    wanted = {mac for one in members if one.router for mac in one.own}
    for member in members:
        for plug in member.plugs:
            if not plug.uplink and plug.up and not member.router:
                for mac in plug.macs.keys() & wanted:
                    ports[mac].append((member, plug))
    groups: dict[tuple[int, int], list[tuple[Member, Plug, Member, Plug]]] = defaultdict(list)
    for router in (one for one in members if one.router):
        for mac in sorted(router.own):
            own = [plug for plug in router.plugs if plug.mac == mac]
            if len(ports[mac]) == 1 and len(own) == 1 and own[0].id not in taken:
                switch, plug = ports[mac][0]
                if plug.id not in taken and pair(plug.id, own[0].id) not in apart:
                    groups[plug.id, router.id].append((switch, plug, router, own[0]))
    return [_plugged(one) for one in groups.values()]


def _plugged(found: Sequence[tuple[Member, Plug, Member, Plug]]) -> Link:
    """The cable of a router: one, though several of its interfaces go through it."""
    switch, plug, router, _ = found[0]
    port = found[0][3].id if len(found) == 1 else 0
    where = f"{switch.name} port {plug.name}, which leads to no switch"
    reasons = tuple(f"the MAC of {router.name} port {own.name} is learnt at {where}" for _, _, _, own in found)
    others = len(plug.macs.keys() - router.own)
    if others:
        reasons += (f"{_those(others)} {_are(others)} learnt there, too: something that is not read hangs between",)
    ends = tuple(sorted((End(switch.id, plug.id), End(router.id, port))))
    return Link(ends, Known.INFERRED, reasons, between=others > 0)


def _said(guess: Guess, directory: Directory) -> list[str]:
    found = []
    for end, far, count in ((guess.one, guess.other, guess.here), (guess.other, guess.one, guess.there)):
        (switch, plug), (behind, _) = directory.plugs[end.port], directory.plugs[far.port]
        found.append(f"{switch.name} has {_those(count)} of {behind.name}'s side behind port {plug.name}")
    if guess.against:
        found.append(f"{_those(guess.against)} {_are(guess.against)} learnt at other ports, which speaks against it")
    return [*found, "no third switch has them behind different ports"]


def _those(count: int) -> str:
    return f"{count} MAC{'' if count == 1 else 's'}"


def _are(count: int) -> str:
    return "is" if count == 1 else "are"


def _between(link: Link, directory: Directory) -> Link:
    """A link with whether something small hangs between: who is learnt at both of its ends at once is on neither side of it."""
    if link.between or len(link.ends) != 2 or link.members or not all(end.port for end in link.ends):
        return link
    (one, first), (other, second) = (directory.plugs[end.port] for end in link.ends)
    both = _facing(first, second, min(one.learnt, other.learnt) - SETTLED)
    if not both or shut(first.tree) or shut(second.tree):
        return link
    said = f"{_those(both)} {_are(both)} learnt at both of its ends: something that is not read hangs between"
    return Link(link.ends, link.known, (*link.reasons, said), link.members, between=True)


def _facing(one: Plug, other: Plug, before: int) -> int:
    return sum(1 for mac, since in one.macs.items() if since <= before and other.macs.get(mac, before + 1) <= before)
