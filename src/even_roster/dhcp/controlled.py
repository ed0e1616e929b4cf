"""A DHCP server that is controlled in our open JSON form, over any door that takes a request and gives an answer.

The stand-in site's server is one; a server of one's own can be made one with a few lines around it (docs/formats.md).
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, fields
from ipaddress import IPv4Network
from typing import Any

from ..core.address import Address, address_of, dotted, ipv4
from ..core.dhcp import OPTION_NAMES, Scope, ScopeThere, key_of, option_items
from ..core.dhcp_export import FormatError, from_json, to_json
from ..core.holdings import By, Holding, Part, Place, addresses_in, naming
from ..core.mac import Mac
from ..core.plan.following import Lease
from ..core.plan.model import HandedOut
from ..core.text import clean
from .files import content
from .server import READ_BACK, ChangedMeanwhile, Owned, Rendered, Seen, ServerRefused, ServerTrouble, Texts, There

PLACE = "its configuration"
Control = Callable[[bytes], bytes]


@dataclass(frozen=True, slots=True)
class ControlledServer:
    """One server behind a control door."""

    control: Control
    pools_by_hand = False
    reserves_in_pools = True
    tells_anew = True
    tells_leases = True
    ends_leases = True
    verified = READ_BACK

    def read(self, owned: Owned, hints: Sequence[IPv4Network]) -> There:
        """See DhcpServer.read."""
        text = self._text()
        return There({PLACE: text}, self.understand({PLACE: text}, owned, hints), seen={PLACE: content(text)})

    def as_seen(self, seen: Seen) -> bool:
        """See DhcpServer.as_seen."""
        return seen == {PLACE: content(self._text())}

    def _text(self) -> str:
        return json.dumps(self._ask("get")["configuration"], indent=2, ensure_ascii=False) + "\n"

    def understand(self, texts: Texts, owned: Owned, hints: Sequence[IPv4Network]) -> tuple[ScopeThere, ...]:
        """See DhcpServer.understand."""
        try:
            scopes = from_json(texts[PLACE])
        except FormatError as error:
            raise ServerTrouble(f"the server's configuration cannot be read: {error}") from error
        return tuple(ScopeThere(s, owned.get(str(s.network), frozenset())) for s in scopes)

    def render(self, there: There, scopes: Sequence[Scope], owned: Owned) -> Rendered:
        """See DhcpServer.render: hand-written parts of the subnets are kept beside the wanted ones."""
        new = {scope.network: scope for scope in scopes}
        merged = []
        for scope in from_json(there.texts[PLACE]):
            wanted = new.pop(scope.network, None)
            merged.append(
                scope if wanted is None else _merged(scope, wanted, owned.get(str(scope.network), frozenset()))
            )
        return Rendered({PLACE: to_json([*merged, *new.values()])})

    def beyond(self, there: There, after: Texts, back: There) -> list[str]:
        """See DhcpServer.beyond: what it has is what it was given, and that was compared."""
        return []

    def check(self, texts: Texts) -> str:
        """See DhcpServer.check."""
        answer = self._ask("test", configuration=json.loads(texts[PLACE]))
        if answer.get("error"):
            raise ServerRefused(f"the server refuses the configuration: {clean(str(answer['error']), 600)}")
        return "checked by the server"

    def write(self, before: Texts, after: Texts) -> str:
        """See DhcpServer.write."""
        if self._text() != before[PLACE]:
            raise ChangedMeanwhile("the server's configuration was changed meanwhile; look at the difference again")
        answer = self._ask("set", configuration=json.loads(after[PLACE]))
        if answer.get("error"):
            raise ServerRefused(f"the server refuses the configuration: {clean(str(answer['error']), 600)}")
        return "set at the server"

    def restore(self, before: Texts, after: Texts) -> str:
        """See DhcpServer.restore."""
        self._ask("set", configuration=json.loads(before[PLACE]))
        return "the previous configuration is in place again"

    def holdings(self, networks: Sequence[IPv4Network], there: There | None = None) -> list[Holding]:
        """See DhcpServer.holdings."""
        return [held for one in self.read({}, networks).scopes for held in _held(one.scope)]

    def end_lease(self, address: Address) -> None:
        """See DhcpServer.end_lease."""
        answer = self._ask("end", address=dotted(address))
        if answer.get("error"):
            raise ServerTrouble(f"the server does not end the lease: {clean(str(answer['error']), 600)}")

    def leases(self) -> list[Lease]:
        """See DhcpServer.leases."""
        try:
            return [
                Lease(
                    ipv4(row["address"]),
                    Mac.parse(row["mac"]).value,
                    clean(row["name"]),
                    row["expires"],
                    row.get("since"),
                )
                for row in self._ask("leases")["leases"]
            ]
        except (KeyError, TypeError, ValueError) as error:
            raise ServerTrouble(f"the server's leases cannot be read: {error}") from error

    def _ask(self, command: str, **more: Any) -> dict[str, Any]:
        try:
            found = json.loads(self.control(json.dumps({"command": command, **more}).encode()))
        except (OSError, ValueError) as error:
            raise ServerTrouble(f"the server does not answer: {error}") from error
        if not isinstance(found, dict):
            raise ServerTrouble("the server's answer is not an object")
        return found


def _held(scope: Scope) -> Iterator[Holding]:
    """One subnet of our open form: it has a pool, what is handed out, and reservations by MAC, nothing else."""
    place, within = Place(PLACE), str(scope.network)
    first, last = address_of(scope.network.network_address), address_of(scope.network.broadcast_address)
    yield Holding(Part.SUBNET, place, within, "", first, last)
    for pool in scope.pools:
        yield Holding(Part.POOL, place, str(pool), within, Address(pool.first), Address(pool.last))
    for name, text in option_items(scope.options):
        if text:
            yield from naming(Holding(Part.OPTION, place, f"{OPTION_NAMES[name]} {text}", within), addresses_in(text))
    for one in scope.reservations:
        yield Holding(
            Part.RESERVATION, place, str(one), within, one.address, one.address, ((By.MAC, str(Mac(one.mac))),), one.name
        )  # fmt: skip


def _merged(there: Scope, wanted: Scope, owned: frozenset[str]) -> Scope:
    pools = [p for p in there.pools if key_of(p) not in owned and p not in wanted.pools]
    kept = [
        r for r in there.reservations if key_of(r) not in owned and r.mac not in {w.mac for w in wanted.reservations}
    ]
    reservations = sorted((*wanted.reservations, *kept), key=lambda r: r.address)
    kept_options = {
        one.name: getattr(there.options, one.name) for one in fields(there.options) if key_of(one.name) not in owned
    }
    options = wanted.options.over(HandedOut(**kept_options))
    return Scope(
        wanted.network, tuple(sorted((*wanted.pools, *pools), key=lambda p: p.first)), options, tuple(reservations)
    )
