"""Reads and edits Kea's DHCPv4 configuration (JSON, by its public reference). No I/O.

What the plan owns there are single attributes: the ends of a pool, the address and the hostname of a reservation with
`hw-address`, the data of an option it hands out, in subnets by their range; which ones, the roster's own records say. All other
bytes of the text stay as they are. One `user-context` at the top says which roster publishes to the server.
"""

from __future__ import annotations

from collections.abc import Container, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from ipaddress import IPv4Network
from typing import Any

from ..core.address import address_of, dotted, ipv4
from ..core.dhcp import Pool, Reservation, Scope, ScopeThere, key_of, key_of_pool, option_items
from ..core.dhcp_difference import pool_changes, pool_pairs, pool_target, said_by_pools
from ..core.mac import Mac, MacError, colons
from ..core.plan.model import HandedOut
from .json_text import JsonText, JsonTextError, KeptComment, Spot
from .server import ServerTrouble

MARKED = "even-roster"
MARK = {"written-by": MARKED}
"""Stood in every entry that older versions wrote."""
_OWN = {
    "pools": {"pool"}, "reservations": {"hw-address", "ip-address", "hostname"},
    "option-data": {"name", "code", "data", "csv-format", "space"},
}  # fmt: skip
_NAMES = {
    "gateway": ("routers", 3), "dns": ("domain-name-servers", 6), "domain": ("domain-name", 15), "ntp": ("ntp-servers", 42),
    "boot_server": ("tftp-server-name", 66), "boot_file": ("boot-file-name", 67),
}  # fmt: skip
USUAL_SECONDS = 7200
"""The lease time of a server that says none."""
OPTION_CODES = dict(_NAMES.values())
_FIELD = {name: field for field, (name, _) in _NAMES.items()} | {
    str(code): field for field, (_, code) in _NAMES.items()
}


@dataclass(frozen=True, slots=True)
class _Owner:
    """An object that has options: a subnet or a pool."""

    spot: Spot
    members: dict[str, Spot]


@dataclass(frozen=True, slots=True)
class _Subnet(_Owner):
    """One entry of subnet4, wherever it stands."""

    network: IPv4Network

    @property
    def value(self) -> dict[str, Any]:
        value: dict[str, Any] = self.spot.value
        return value


def parse(text: str) -> JsonText:
    """The configuration as an editable text. Raises ServerTrouble."""
    try:
        document = JsonText(text)
    except JsonTextError as error:
        raise ServerTrouble(f"the configuration is not JSON: {error}") from error
    settings_of(document.root.value)
    return document


def settings_of(value: Any) -> dict[str, Any]:
    """What a whole configuration says of this service. Raises ServerTrouble where it says nothing."""
    settings = value.get("Dhcp4") if isinstance(value, dict) else None
    if not isinstance(settings, dict):
        raise ServerTrouble("the configuration has no Dhcp4 object: is it that of another server?")
    return settings


def _subnets(document: JsonText) -> Iterator[_Subnet]:
    top = document.members(document.members(document.root)["Dhcp4"])
    owners = [top]
    if "shared-networks" in top:
        owners += [document.members(item) for item in document.items(top["shared-networks"])]
    for owner in owners:
        for spot in document.items(owner["subnet4"]) if "subnet4" in owner else ():
            yield _Subnet(spot, document.members(spot), _network(spot.value))


def _network(subnet: Any) -> IPv4Network:
    try:
        return IPv4Network(subnet["subnet"], strict=False)
    except (KeyError, TypeError, ValueError) as error:
        raise ServerTrouble(f"a subnet4 entry has no usable subnet: {error}") from error


def scopes(value: Any, owned: Mapping[str, frozenset[str]]) -> list[ScopeThere]:
    """What a configuration, as JSON values, hands out, by subnet. Raises ServerTrouble."""
    try:
        return _scopes(value, owned)
    except (AttributeError, KeyError, TypeError, ValueError) as error:
        raise ServerTrouble(f"the configuration is JSON, but not formed as Kea's: {error}") from error


def _scopes(value: Any, owned: Mapping[str, frozenset[str]]) -> list[ScopeThere]:
    settings = settings_of(value)
    usual = settings.get("valid-lifetime", USUAL_SECONDS)
    base = _handed_out(settings, usual)
    found = []
    entries = [
        *settings.get("subnet4", []),
        *(s for n in settings.get("shared-networks", []) for s in n.get("subnet4", [])),
    ]
    for subnet in entries:
        network = _network(subnet)
        pools = [(pool, entry) for entry in subnet.get("pools", []) if (pool := _pool(entry)) is not None]
        of_pools = [(pool, own) for pool, entry in pools if (own := _handed_out(entry, 0)) != HandedOut()]
        reserved = tuple(one for entry in subnet.get("reservations", []) if (one := _reservation(entry)) is not None)
        mine = owned.get(str(network), frozenset())
        scope = Scope(network, tuple(pool for pool, _ in pools), _handed_out(subnet, usual), reserved, tuple(of_pools))
        found.append(ScopeThere(scope, mine, replace(base, lease_seconds=usual)))
    return found


def _pool(entry: Mapping[str, Any]) -> Pool | None:
    """A pool written as first - last or as a prefix."""
    text = str(entry.get("pool", ""))
    try:
        if "/" in text:
            network = IPv4Network(text.strip(), strict=False)
            return Pool(address_of(network.network_address), address_of(network.broadcast_address))
        first, _, last = text.partition("-")
        return Pool(ipv4(first.strip()), ipv4(last.strip()))
    except ValueError:
        return None


def _reservation(entry: Mapping[str, Any]) -> Reservation | None:
    """A reservation of an address for a MAC; those for other identifiers are people's own."""
    try:
        mac = Mac.parse(str(entry["hw-address"]))
        return Reservation(mac.value, ipv4(str(entry["ip-address"])), str(entry.get("hostname", "")))
    except (KeyError, MacError, ValueError):
        return None


def _handed_out(value: Mapping[str, Any], usual: int) -> HandedOut:
    """The options of a subnet. A lease time equal to the `usual` one is no setting of its own."""
    found: dict[str, Any] = {}
    vendor: list[tuple[int, str]] = []
    for option in value.get("option-data", []):
        field, data = _field_of(option), str(option.get("data", ""))
        if field is None:
            if (digits := _vendor(option)) is not None:
                vendor.append((option["code"], digits))
            continue
        found[field] = _value(field, data)
    lease = value.get("valid-lifetime")
    if isinstance(lease, int) and lease != usual:
        found["lease_seconds"] = lease
    return HandedOut(**found, vendor_options=tuple(vendor))


def _value(field: str, data: str) -> Any:
    if field not in ("gateway", "dns", "ntp"):
        return data
    addresses = []
    for text in data.split(","):
        try:
            addresses.append(ipv4(text.strip()))
        except ValueError:
            return None if field == "gateway" else ()
    return (addresses[0] if addresses else None) if field == "gateway" else tuple(addresses)


def edit(document: JsonText, wanted: Sequence[Scope], owned: Mapping[str, frozenset[str]], roster: str) -> list[ByHand]:
    """Edit the owned parts of each subnet so that they are as wanted, each attribute in its place, and set or take away the one
    mark that says whose they are. Gives what cannot be done without touching what is not owned."""
    return _Editing(document, owned, roster).edit(wanted)


@dataclass(frozen=True, slots=True)
class ByHand:
    """What a person has to do: where in the text, and the sentence."""

    position: int
    said: str


class _Editing:
    """The edits of one text."""

    def __init__(self, document: JsonText, owned: Mapping[str, frozenset[str]], roster: str) -> None:
        self._document, self._roster = document, roster
        self._subnets = {subnet.network: subnet for subnet in _subnets(document)}
        self._there = {one.scope.network: one for one in scopes(document.root.value, owned)}
        self._by_hand: list[ByHand] = []

    def edit(self, wanted: Sequence[Scope]) -> list[ByHand]:
        """See the function of this name."""
        fresh = []
        for scope in wanted:
            subnet = self._subnets.get(scope.network)
            if subnet is None:
                fresh.append(scope)
                continue
            now = self._there[scope.network]
            self._pools(subnet, scope, now)
            self._reservations(subnet, scope, now)
            self._options_of(subnet, scope, now)
        if fresh:
            self._add_subnets(fresh)
        if self._roster and self._document.edits:
            self._mark(any(_has_parts(scope) for scope in wanted))
        return self._by_hand

    def _list(
        self, owner: _Owner, key: str, removed: Mapping[int, str], added: list[Any], whole: Container[int] = ()
    ) -> None:
        """Take entries out of a list of a subnet or pool, and append new ones. An entry that bears more than the plan's own
        attributes, or a comment, stays, and that it goes becomes work by hand; of those in `whole` all options are the plan's
        too."""
        if key not in owner.members:
            if added:
                self._document.set_member(owner.spot, owner.members, key, added)
            return
        array = owner.members[key]
        items = self._document.items(array)
        out = set()
        for number, said in removed.items():
            spot = items[number]
            more = set(spot.value) - _OWN[key] - ({"option-data"} if number in whole else set())
            if more - {"user-context"} or (more and spot.value["user-context"] != MARK):
                self._hand(spot, f"take out {said}: {', '.join(sorted(more))} stands with it")
            elif self._document.has_comment(spot.start, spot.end):
                self._hand(spot, f"take out {said}: a comment stands in it")
            else:
                out.add(number)
        self._document.edit_items(array, {}, out, added)

    def _hand(self, spot: Spot, said: str) -> None:
        text = " ".join(self._document.text[spot.start : spot.end].split())
        self._by_hand.append(ByHand(spot.start, f"{said}; what stands there: {text}"))

    def _pools(self, subnet: _Subnet, wanted: Scope, now: ScopeThere) -> None:
        entries = subnet.value.get("pools", [])
        changes = pool_changes(wanted, now)
        removed: dict[int, str] = {}
        for number, entry in enumerate(entries):
            pool = _pool(entry)
            if pool is None or pool in wanted.pools or key_of(pool) not in now.owned:
                continue
            if pool in changes:
                spot = self._document.items(subnet.members["pools"])[number]
                between = "-" if " - " not in entry["pool"] else " - "
                value = f"{dotted(changes[pool].first)}{between}{dotted(changes[pool].last)}"
                self._document.replace(self._document.members(spot)["pool"], value)
            else:
                removed[number] = f"the pool {pool}"
        there = {pool for entry in entries if (pool := _pool(entry)) is not None} | set(changes.values())
        added = [_pool_entry(pool, wanted.of_pool(pool)) for pool in wanted.pools if pool not in there]
        whole = {number for number in removed if _all_owned(entries[number], now)}
        self._list(subnet, "pools", removed, added, whole)
        self._pool_options(subnet, wanted, now)

    def _pool_options(self, subnet: _Subnet, wanted: Scope, now: ScopeThere) -> None:
        """Edit what single pools hand out."""
        to = dict(pool_pairs(wanted, now))
        for number, entry in enumerate(subnet.value.get("pools", [])):
            pool = _pool(entry)
            if pool is None or pool not in to:
                continue
            there = now.scope.of_pool(pool)
            target = pool_target(wanted, to[pool], there)
            if target != there:
                spot = self._document.items(subnet.members["pools"])[number]
                owned = {name for name, _ in option_items(there) if key_of_pool(pool, name) in now.owned}
                self._options(_Owner(spot, self._document.members(spot)), target, there, HandedOut(), owned)

    def _reservations(self, subnet: _Subnet, wanted: Scope, now: ScopeThere) -> None:
        mine = {one.mac: one for one in wanted.reservations}
        there: set[int] = set()
        removed: dict[int, str] = {}
        spots: list[Spot] | None = None
        for number, entry in enumerate(subnet.value.get("reservations", [])):
            one = _reservation(entry)
            if one is None:
                continue
            new = mine.get(one.mac)
            if key_of(one) not in now.owned:
                if new is not None:
                    there.add(one.mac)
            elif new is None:
                removed[number] = f"the reservation {one}"
            else:
                there.add(one.mac)
                if new != one:
                    spots = self._document.items(subnet.members["reservations"]) if spots is None else spots
                    self._reservation(spots[number], one, new)
        added = [_reservation_entry(one) for one in wanted.reservations if one.mac not in there]
        self._list(subnet, "reservations", removed, added)

    def _reservation(self, spot: Spot, one: Reservation, new: Reservation) -> None:
        """Change the address and the name of an entry, nothing else."""
        members = self._document.members(spot)
        if new.address != one.address:
            self._document.replace(members["ip-address"], dotted(new.address))
        if new.name == one.name:
            return
        if new.name:
            self._document.set_member(spot, members, "hostname", new.name, behind="ip-address")
            return
        try:
            self._document.remove_member(spot, members, "hostname")
        except KeptComment:
            self._hand(spot, f"take the hostname out of the reservation {one}: a comment stands in it")

    def _options_of(self, subnet: _Subnet, wanted: Scope, now: ScopeThere) -> None:
        """Edit what a subnet hands out, but for what its pools say already."""
        by_pools = said_by_pools(wanted, now)
        kept = {name: getattr(now.scope.options, name) for name in by_pools}
        owned = {name for name, _ in option_items(now.scope.options) if key_of(name) in now.owned}
        self._options(subnet, replace(wanted.options, **kept), now.scope.options, now.defaults, owned)

    def _options(
        self, owner: _Owner, wanted: HandedOut, there: HandedOut, defaults: HandedOut, owned: Container[str]
    ) -> None:
        target, current = dict(option_items(wanted)), dict(option_items(there))
        usual = dict(option_items(defaults))
        change = {
            name for name, text in target.items() if text != current[name] and (text or name in owned)
            and not (not current[name] and text == usual[name])
        }  # fmt: skip
        if "lease_seconds" in change:
            self._lease_time(owner, wanted.lease_seconds)
        vendor = dict(wanted.vendor_options) if "vendor_options" in change else {}
        removed: dict[int, str] = {}
        done: set[str] = set()
        spots = self._document.items(owner.members["option-data"]) if change and "option-data" in owner.members else []
        for number, spot in enumerate(spots):
            option = spot.value
            field, code = _field_of(option), option.get("code")
            if field is None and "vendor_options" in change and (had := _vendor(option)) is not None:
                if code not in vendor:
                    removed[number] = f"the option {code}"
                elif (text := vendor.pop(code)) != had:
                    data = f"0x{text}" if str(option.get("data", "")).startswith("0x") else text
                    self._document.replace(self._document.members(spot)["data"], data)
            elif field in change:
                done.add(field)
                if not target[field]:
                    removed[number] = f"the option {option.get('name') or code}"
                elif not current[field]:
                    self._hand(
                        spot,
                        f"set the option {option.get('name') or code} to {target[field]}: its value now is not understood",
                    )
                else:
                    _, *others = str(option["data"]).split(",", 1) if field == "gateway" else (option["data"],)
                    value = ",".join([target[field], *others]) if others else target[field]
                    self._document.replace(self._document.members(spot)["data"], value)
        added = [_option_entry(name, wanted) for name in _NAMES if name in change and name not in done and target[name]]
        added += [_vendor_entry(code, text) for code, text in vendor.items()]
        self._list(owner, "option-data", removed, added)

    def _lease_time(self, owner: _Owner, seconds: int) -> None:
        if seconds:
            self._document.set_member(owner.spot, owner.members, "valid-lifetime", seconds, behind="subnet")
            return
        try:
            self._document.remove_member(owner.spot, owner.members, "valid-lifetime")
        except KeptComment:
            self._hand(owner.members["valid-lifetime"], "take the valid-lifetime out: a comment stands in it")

    def _add_subnets(self, fresh: Sequence[Scope]) -> None:
        owner = self._document.members(self._document.root)["Dhcp4"]
        members = self._document.members(owner)
        used = [subnet.value.get("id") for subnet in self._subnets.values()]
        numbered = not used or any(isinstance(number, int) for number in used)
        if not numbered and "shared-networks" in members:
            # Numbers that the server gives by itself would go to other subnets, and their leases with them.
            self._by_hand += [
                ByHand(
                    owner.start,
                    f"enter the subnet {scope.network} with an id: the other subnets have none of their own",
                )
                for scope in fresh
            ]
            return
        highest = max((number for number in used if isinstance(number, int)), default=0)
        entries = []
        for scope in fresh:
            highest += 1
            entry: dict[str, Any] = {**({"id": highest} if numbered else {}), "subnet": str(scope.network)}
            if scope.options.lease_seconds:
                entry["valid-lifetime"] = scope.options.lease_seconds
            entry["pools"] = [_pool_entry(pool, scope.of_pool(pool)) for pool in scope.pools]
            entry["option-data"] = _option_entries(scope.options)
            entry["reservations"] = [_reservation_entry(one) for one in scope.reservations]
            entries.append(entry)
        if "subnet4" in members:
            self._document.edit_items(members["subnet4"], {}, set(), entries)
        else:
            self._document.set_member(owner, members, "subnet4", entries)

    def _mark(self, needed: bool) -> None:
        """One mark for the whole configuration says which roster publishes to it; it goes when nothing of it is left."""
        owner = self._document.members(self._document.root)["Dhcp4"]
        members = self._document.members(owner)
        context = members.get("user-context")
        if context is None:
            if needed:
                self._document.set_member(owner, members, "user-context", {MARKED: self._roster})
            return
        if not isinstance(context.value, dict):
            return
        inside = self._document.members(context)
        if needed and context.value.get(MARKED) != self._roster:
            self._document.set_member(context, inside, MARKED, self._roster)
        elif not needed and context.value == {MARKED: self._roster}:
            self._document.remove_member(owner, members, "user-context")
        elif not needed and context.value.get(MARKED) == self._roster:
            self._document.remove_member(context, inside, MARKED)


def marked_by(value: Any) -> str:
    """Which roster publishes to this server, by its mark; empty when none does."""
    context = settings_of(value).get("user-context")
    return str(context.get(MARKED, "")) if isinstance(context, dict) else ""


def _has_parts(scope: Scope) -> bool:
    return bool(scope.pools or scope.reservations or any(text for _, text in option_items(scope.options)))


def _field_of(option: Mapping[str, Any]) -> str | None:
    """Which of the things that the plan hands out an option is; None for others, and for numbers of another space."""
    if option.get("space", "dhcp4") != "dhcp4":
        return None
    return _FIELD.get(str(option.get("name", ""))) or _FIELD.get(str(option.get("code", "")))


def _vendor(option: Mapping[str, Any]) -> str | None:
    """The hexadecimal digits of an option that is written so by its number; None for others."""
    if (
        option.get("csv-format") is not False
        or not isinstance(option.get("code"), int)
        or option.get("space", "dhcp4") != "dhcp4"
    ):
        return None
    data = str(option.get("data", "")).strip().lower().removeprefix("0x")
    return "".join(c for c in data if c in "0123456789abcdef")


def _pool_entry(pool: Pool, own: HandedOut) -> dict[str, Any]:
    entry: dict[str, Any] = {"pool": f"{dotted(pool.first)} - {dotted(pool.last)}"}
    options = _option_entries(own)
    return {**entry, "option-data": options} if options else entry


def _option_entries(options: HandedOut) -> list[dict[str, Any]]:
    given = dict(option_items(options))
    found = [_option_entry(field, options) for field in _NAMES if given[field]]
    return found + [_vendor_entry(code, text) for code, text in options.vendor_options]


def _all_owned(entry: Mapping[str, Any], now: ScopeThere) -> bool:
    """True when every option of a pool's entry is the plan's."""
    pool = _pool(entry)
    if pool is None:
        return False
    fields_of = [
        _field_of(option) or ("vendor_options" if _vendor(option) is not None else "")
        for option in entry.get("option-data", [])
    ]
    return all(field and key_of_pool(pool, field) in now.owned for field in fields_of)


def _reservation_entry(one: Reservation) -> dict[str, Any]:
    entry = {"hw-address": colons(one.mac), "ip-address": dotted(one.address)}
    return {**entry, "hostname": one.name} if one.name else entry


def _option_entry(field: str, options: HandedOut) -> dict[str, Any]:
    return {"name": _NAMES[field][0], "data": dict(option_items(options))[field]}


def _vendor_entry(code: int, text: str) -> dict[str, Any]:
    return {"code": code, "csv-format": False, "data": text}
