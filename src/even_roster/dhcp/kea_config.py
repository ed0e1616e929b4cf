"""Reads and edits Kea's DHCPv4 configuration (JSON, by its public reference). No I/O.

What the plan owns there: pools, reservations with `hw-address`, and the options it hands out, in subnets by their
range. New entries carry a `user-context` that says who wrote them. All other bytes of the text stay as they are.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from ipaddress import IPv4Address, IPv4Network
from typing import Any

from ..core.address import address_of, dotted
from ..core.dhcp import Pool, Reservation, Scope, ScopeThere, key_of, option_items
from ..core.mac import Mac, MacError
from ..core.plan.model import HandedOut
from .json_text import JsonText, JsonTextError, Spot
from .server import ServerTrouble

MARK = {"written-by": "even-roster"}
_NAMES = {
    "gateway": ("routers", 3), "dns": ("domain-name-servers", 6), "domain": ("domain-name", 15), "ntp": ("ntp-servers", 42),
    "boot_server": ("tftp-server-name", 66), "boot_file": ("boot-file-name", 67),
}  # fmt: skip
_FIELD = {name: field for field, (name, _) in _NAMES.items()} | {
    str(code): field for field, (_, code) in _NAMES.items()
}


@dataclass(frozen=True, slots=True)
class _Subnet:
    """One entry of subnet4, wherever it stands."""

    spot: Spot
    members: dict[str, Spot]
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
    if not isinstance(document.root.value, dict) or not isinstance(document.root.value.get("Dhcp4"), dict):
        raise ServerTrouble("the configuration has no Dhcp4 object: is it that of another server?")
    return document


def _subnets(document: JsonText) -> Iterator[_Subnet]:
    top = document.members(document.members(document.root)["Dhcp4"])
    owners = [top]
    if "shared-networks" in top:
        owners += [document.members(item) for item in document.items(top["shared-networks"])]
    for owner in owners:
        for spot in document.items(owner["subnet4"]) if "subnet4" in owner else ():
            try:
                network = IPv4Network(spot.value["subnet"], strict=False)
            except (KeyError, TypeError, ValueError) as error:
                raise ServerTrouble(f"a subnet4 entry has no usable subnet: {error}") from error
            yield _Subnet(spot, document.members(spot), network)


def scopes(document: JsonText, owned: Mapping[str, frozenset[str]]) -> list[ScopeThere]:
    """What the configuration hands out, by subnet."""
    settings = document.root.value["Dhcp4"]
    usual = settings.get("valid-lifetime")
    base = _handed_out(settings, None)
    found = []
    for subnet in _subnets(document):
        value = subnet.value
        pools = [pool for entry in value.get("pools", []) if (pool := _pool(entry)) is not None]
        entries = [(one, entry) for entry in value.get("reservations", []) if (one := _reservation(entry)) is not None]
        options = _handed_out(value, usual)
        mine = set(owned.get(str(subnet.network), frozenset()))
        mine |= {key_of(one) for one, entry in entries if _marked(entry)}
        mine |= {key_of(pool) for entry in value.get("pools", []) if _marked(entry) and (pool := _pool(entry))}
        if _marked(value):
            mine |= {key_of(name) for name, text in option_items(options) if text}
        scope = Scope(subnet.network, tuple(pools), options, tuple(one for one, _ in entries))
        found.append(ScopeThere(scope, frozenset(mine), replace(base, lease_seconds=usual or 0)))
    return found


def _marked(entry: Mapping[str, Any]) -> bool:
    context = entry.get("user-context")
    return isinstance(context, dict) and context.get("written-by") == MARK["written-by"]


def _pool(entry: Mapping[str, Any]) -> Pool | None:
    """A pool written as first - last or as a prefix."""
    text = str(entry.get("pool", ""))
    try:
        if "/" in text:
            network = IPv4Network(text.strip(), strict=False)
            return Pool(address_of(network.network_address), address_of(network.broadcast_address))
        first, _, last = text.partition("-")
        return Pool(address_of(IPv4Address(first.strip())), address_of(IPv4Address(last.strip())))
    except ValueError:
        return None


def _reservation(entry: Mapping[str, Any]) -> Reservation | None:
    """A reservation of an address for a MAC; those for other identifiers are people's own."""
    try:
        mac = Mac.parse(str(entry["hw-address"]))
        return Reservation(mac.value, address_of(IPv4Address(entry["ip-address"])), str(entry.get("hostname", "")))
    except (KeyError, MacError, ValueError):
        return None


def _handed_out(value: Mapping[str, Any], usual: int | None) -> HandedOut:
    """The options of a subnet. A lease time equal to the `usual` one is no setting of its own."""
    found: dict[str, Any] = {}
    vendor: list[tuple[int, str]] = []
    for option in value.get("option-data", []):
        field = _FIELD.get(str(option.get("name", ""))) or _FIELD.get(str(option.get("code", "")))
        data = str(option.get("data", ""))
        if field is None:
            if option.get("csv-format") is False and isinstance(option.get("code"), int):
                vendor.append((option["code"], "".join(c for c in data.lower() if c in "0123456789abcdef")))
            continue
        found[field] = _value(field, data)
    lease = value.get("valid-lifetime")
    if isinstance(lease, int) and lease != usual and usual is not None:
        found["lease_seconds"] = lease
    return HandedOut(**found, vendor_options=tuple(vendor))


def _value(field: str, data: str) -> Any:
    if field not in ("gateway", "dns", "ntp"):
        return data
    addresses = []
    for text in data.split(","):
        try:
            addresses.append(address_of(IPv4Address(text.strip())))
        except ValueError:
            return None if field == "gateway" else ()
    return (addresses[0] if addresses else None) if field == "gateway" else tuple(addresses)


def edit(document: JsonText, wanted: Sequence[Scope], owned: Mapping[str, frozenset[str]]) -> str:
    """The text with the owned parts of each subnet as wanted."""
    known = {subnet.network: subnet for subnet in _subnets(document)}
    there = {one.scope.network: one for one in scopes(document, owned)}
    fresh = []
    for scope in wanted:
        subnet = known.get(scope.network)
        if subnet is None:
            fresh.append(scope)
            continue
        now = there[scope.network]
        _edit_pools(document, subnet, scope, now)
        _edit_reservations(document, subnet, scope, now)
        _edit_options(document, subnet, scope, now)
    if fresh:
        _add_subnets(document, known, fresh)
    return document.result()


def _edit_list(
    document: JsonText, owner: Spot, members: dict[str, Spot], key: str, replaced: dict[int, Any], removed: set[int],
    added: list[Any],
) -> None:  # fmt: skip
    if key in members:
        document.edit_items(members[key], replaced, removed, added)
    elif added:
        document.set_member(owner, members, key, added)


def _edit_pools(document: JsonText, subnet: _Subnet, wanted: Scope, now: ScopeThere) -> None:
    entries = subnet.value.get("pools", [])
    found = [_pool(entry) for entry in entries]
    removed = {
        number for number, pool in enumerate(found)
        if pool is not None and pool not in wanted.pools and key_of(pool) in now.owned
    }  # fmt: skip
    added = [_pool_entry(pool) for pool in wanted.pools if pool not in found]
    _edit_list(document, subnet.spot, subnet.members, "pools", {}, removed, added)


def _edit_reservations(document: JsonText, subnet: _Subnet, wanted: Scope, now: ScopeThere) -> None:
    entries = subnet.value.get("reservations", [])
    mine = {one.mac: one for one in wanted.reservations}
    there: set[int] = set()
    replaced: dict[int, Any] = {}
    removed: set[int] = set()
    for number, entry in enumerate(entries):
        one = _reservation(entry)
        if one is None:
            continue
        new = mine.get(one.mac)
        if key_of(one) not in now.owned:
            if new is not None:
                there.add(one.mac)
        elif new is None:
            removed.add(number)
        else:
            there.add(one.mac)
            if new != one:
                changed = {**entry, "ip-address": dotted(new.address), "hostname": new.name}
                if not new.name:
                    changed.pop("hostname")
                replaced[number] = changed
    added = [_reservation_entry(one) for one in wanted.reservations if one.mac not in there]
    _edit_list(document, subnet.spot, subnet.members, "reservations", replaced, removed, added)


def _edit_options(document: JsonText, subnet: _Subnet, wanted: Scope, now: ScopeThere) -> None:
    target, current = dict(option_items(wanted.options)), dict(option_items(now.scope.options))
    change = {
        name for name, text in target.items() if text != current[name] and (text or key_of(name) in now.owned)
        and not (not current[name] and text == dict(option_items(now.defaults))[name])
    }  # fmt: skip
    if "lease_seconds" in change:
        seconds = wanted.options.lease_seconds or now.defaults.lease_seconds
        document.set_member(subnet.spot, subnet.members, "valid-lifetime", seconds)
    replaced: dict[int, Any] = {}
    removed: set[int] = set()
    done: set[str] = set()
    for number, option in enumerate(subnet.value.get("option-data", [])):
        field = _FIELD.get(str(option.get("name", ""))) or _FIELD.get(str(option.get("code", "")))
        if field is None and option.get("csv-format") is False and "vendor_options" in change:
            removed.add(number)
        elif field in change:
            done.add(field)
            if target[field]:
                replaced[number] = {**option, "data": _data(field, wanted.options)}
            else:
                removed.add(number)
    added = [
        _option_entry(field, wanted.options)
        for field in _NAMES
        if field in change and field not in done and target[field]
    ]
    if "vendor_options" in change:
        added += [_vendor_entry(code, text) for code, text in wanted.options.vendor_options]
    _edit_list(document, subnet.spot, subnet.members, "option-data", replaced, removed, added)


def _add_subnets(document: JsonText, known: Mapping[IPv4Network, _Subnet], fresh: Sequence[Scope]) -> None:
    used = {subnet.value.get("id") for subnet in known.values()}
    highest = max((number for number in used if isinstance(number, int)), default=0)
    entries = []
    for scope in fresh:
        highest += 1
        entry: dict[str, Any] = {"id": highest, "subnet": str(scope.network), "user-context": MARK}
        if scope.options.lease_seconds:
            entry["valid-lifetime"] = scope.options.lease_seconds
        entry["pools"] = [_pool_entry(pool) for pool in scope.pools]
        given = dict(option_items(scope.options))
        entry["option-data"] = [_option_entry(field, scope.options) for field in _NAMES if given[field]]
        entry["option-data"] += [_vendor_entry(code, text) for code, text in scope.options.vendor_options]
        entry["reservations"] = [_reservation_entry(one) for one in scope.reservations]
        entries.append(entry)
    owner = document.members(document.root)["Dhcp4"]
    members = document.members(owner)
    _edit_list(document, owner, members, "subnet4", {}, set(), entries)


def _pool_entry(pool: Pool) -> dict[str, Any]:
    return {"pool": f"{dotted(pool.first)} - {dotted(pool.last)}", "user-context": MARK}


def _reservation_entry(one: Reservation) -> dict[str, Any]:
    entry: dict[str, Any] = {"hw-address": str(Mac(one.mac)), "ip-address": dotted(one.address)}
    if one.name:
        entry["hostname"] = one.name
    return {**entry, "user-context": MARK}


def _data(field: str, options: HandedOut) -> str:
    return dict(option_items(options))[field]


def _option_entry(field: str, options: HandedOut) -> dict[str, Any]:
    return {"name": _NAMES[field][0], "data": _data(field, options), "user-context": MARK}


def _vendor_entry(code: int, text: str) -> dict[str, Any]:
    return {"code": code, "csv-format": False, "data": text, "user-context": MARK}
