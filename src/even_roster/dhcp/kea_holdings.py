"""Everything that a Kea DHCPv4 configuration holds, with where it stands. No I/O.

Source: the public reference of Kea's DHCPv4 server, versions 2.2 to 2.6. Keys that are about other things than addresses (loggers,
hooks, timers, names in DNS) are settings; a key that is in none of the lists is told as not understood.
"""

from __future__ import annotations

from collections.abc import Callable, Container, Iterator, Mapping, Sequence
from dataclasses import dataclass
from ipaddress import IPv4Address
from typing import Any

from ..core.address import Address, address_of, dotted, ipv4
from ..core.holdings import By, Holding, Part, Place, addresses_in, naming, network_of, not_understood, one_line
from .json_text import JsonText, Spot

_DDNS = frozenset({
    "ddns-send-updates", "ddns-override-no-update", "ddns-override-client-update", "ddns-replace-client-name",
    "ddns-generated-prefix", "ddns-qualifying-suffix", "ddns-update-on-renew", "ddns-use-conflict-resolution",
    "ddns-conflict-resolution-mode", "ddns-ttl", "ddns-ttl-percent", "ddns-ttl-min", "ddns-ttl-max", "hostname-char-set",
    "hostname-char-replacement",
})  # fmt: skip
_TIMES = frozenset({
    "valid-lifetime", "min-valid-lifetime", "max-valid-lifetime", "renew-timer", "rebind-timer", "calculate-tee-times",
    "t1-percent", "t2-percent", "cache-threshold", "cache-max-age", "offer-lifetime",
})  # fmt: skip
_BOOT = frozenset({"next-server", "server-hostname", "boot-file-name"})
_MODES = frozenset({
    "reservation-mode", "reservations-global", "reservations-in-subnet", "reservations-out-of-pool", "store-extended-info",
    "match-client-id", "authoritative", "allocator",
})  # fmt: skip
_WORDS = frozenset({"user-context", "comment"})
_CHOICE = frozenset({
    "client-class", "client-classes", "require-client-classes", "evaluate-additional-classes",
})  # fmt: skip
_LINK = (
    _DDNS
    | _TIMES
    | _BOOT
    | _MODES
    | _WORDS
    | _CHOICE
    | {"interface", "relay", "4o6-interface", "4o6-interface-id", "4o6-subnet"}
)
_GLOBAL = _DDNS | _TIMES | _BOOT | _MODES | _WORDS | {
    "interfaces-config", "control-socket", "control-sockets", "lease-database", "host-reservation-identifiers",
    "option-def", "hooks-libraries", "expired-leases-processing", "dhcp4o6-port", "dhcp-ddns", "dhcp-queue-control",
    "multi-threading", "sanity-checks", "config-control", "server-tag", "echo-client-id", "decline-probation-period",
    "statistic-default-sample-count", "statistic-default-sample-age", "reservations-lookup-first", "ip-reservations-unique",
    "early-global-reservations-lookup", "loggers", "compatibility", "parked-packet-limit", "stash-agent-options",
}  # fmt: skip
_SUBNET = _LINK | {"id", "subnet"}
_SHARED = _LINK | {"name"}
_POOL = _DDNS | _WORDS | _CHOICE | {"pool", "pool-id"}
_RESERVATION = _BOOT | _WORDS | _CHOICE | {"ip-address", "hostname"}
_CLASS = _BOOT | _WORDS | _TIMES | {
    "name", "test", "template-test", "option-def", "only-if-required", "only-in-additional-list",
}  # fmt: skip
_OPTION = _WORDS | {"name", "code", "space", "data", "csv-format", "always-send", "never-send", "client-classes"}
HIDDEN = "(hidden)"
_MARKS = str.maketrans("", "", ":-. ")
_IDENTIFIERS = {
    "hw-address": By.MAC, "client-id": By.CLIENT_ID, "duid": By.DUID, "circuit-id": By.CIRCUIT_ID, "flex-id": By.FLEX_ID,
}  # fmt: skip
# Options whose addresses are no hosts: subnet mask, broadcast address.
_NO_HOSTS = {"subnet-mask", "broadcast-address", "1", "28"}
_HOST_LISTS = {str(code) for code in (3, 4, 5, 6, 7, 8, 9, 10, 11, 41, 42, 44, 45, 48, 49, 65, 69, 70, 71, 72, 150)}


def holdings(document: JsonText, place: Callable[[int], Place]) -> list[Holding]:
    """All parts of a configuration, in the order in which they stand; `place` tells where a position of the text is."""
    return list(_Reader(document, place).all())


def meaning(one: Holding) -> tuple[object, ...]:
    """What a part is about, wherever it stands and however it is written: the running server writes it its own way."""
    return one.part, one.within, one.first, one.last, tuple((by, _bare(text)) for by, text in one.identifiers)


def without(running: Any, known: Container[tuple[object, ...]]) -> Any:
    """What a server has in effect but for its reservations whose meaning is known: of thousands there are seldom any others.

    What is not formed as it should be stays whole, for the reader to tell."""
    try:
        return _without(running, known)
    except (AttributeError, KeyError, TypeError):
        return running


def _without(running: Any, known: Container[tuple[object, ...]]) -> Any:
    settings = running["Dhcp4"]
    rest = {key: value for key, value in settings.items() if key not in ("subnet4", "shared-networks")}
    if "subnet4" in settings:
        rest["subnet4"] = _rest(settings["subnet4"], known)
    if "shared-networks" in settings:
        rest["shared-networks"] = [
            {**network, "subnet4": _rest(network.get("subnet4", []), known)} for network in settings["shared-networks"]
        ]
    return {**running, "Dhcp4": rest}


def _rest(subnets: Any, known: Container[tuple[object, ...]]) -> list[Any]:
    found = []
    for subnet in subnets:
        within = str(network_of(str(subnet.get("subnet", ""))))
        reserved = [one for one in subnet.get("reservations", ()) if _meant(one, within) not in known]
        found.append({**subnet, "reservations": reserved})
    return found


def _meant(entry: Any, within: str) -> tuple[object, ...]:
    """The meaning of a reservation as it stands in the configuration."""
    address = _address(entry.get("ip-address"))
    identifiers = tuple((by, _bare(str(entry[key]))) for key, by in _IDENTIFIERS.items() if key in entry)
    return Part.RESERVATION, within, address, address, identifiers


def _bare(identifier: str) -> str:
    return identifier.lower().translate(_MARKS)


@dataclass(frozen=True, slots=True)
class _Reader:
    document: JsonText
    place: Callable[[int], Place]

    def all(self) -> Iterator[Holding]:
        root = self.document.members(self.document.root)
        for key, spot in root.items():
            if key == "Dhcp4":
                yield from self._server(self.document.members(spot))
            elif key not in ("Dhcp6", "DhcpDdns", "Control-agent", "Logging"):
                yield not_understood(self.place(spot.begin), _said(key, spot.value))

    def _server(self, members: dict[str, Spot]) -> Iterator[Holding]:
        for key, spot in members.items():
            match key:
                case "subnet4":
                    for item in self._items(spot):
                        yield from self._subnet(item, "")
                case "shared-networks":
                    for item in self._items(spot):
                        yield from self._shared(item)
                case "option-data":
                    yield from self._options(spot, "")
                case "reservations":
                    yield from self._reservations(spot, "")
                case "client-classes":
                    for item in self._items(spot):
                        yield from self._class(item)
                case "hosts-database" | "hosts-databases":
                    yield not_understood(
                        self.place(spot.begin), f"{key}: reservations that are kept in a database are not read"
                    )
                case "next-server":
                    yield self._next_server(spot, "")
                case _ if key in _GLOBAL:
                    yield Holding(Part.SETTING, self.place(spot.begin), _said(key, spot.value))
                case _:
                    yield not_understood(self.place(spot.begin), _said(key, spot.value))

    def _items(self, spot: Spot) -> list[Spot]:
        return self.document.items(spot) if isinstance(spot.value, list) else []

    def _shared(self, spot: Spot) -> Iterator[Holding]:
        if not isinstance(spot.value, dict):
            yield not_understood(self.place(spot.start), _short(spot.value))
            return
        name = str(spot.value.get("name", ""))
        members = self.document.members(spot)
        own = {key: member for key, member in members.items() if key not in ("subnet4", "option-data")}
        yield Holding(Part.SHARED, self.place(spot.start), name, hangs=_hangs(own, {"name"}))
        yield from self._strange(members, _SHARED | {"subnet4", "option-data"}, name)
        if "next-server" in members:
            yield self._next_server(members["next-server"], name)
        if "option-data" in members:
            yield from self._options(members["option-data"], name)
        for item in self._items(members["subnet4"]) if "subnet4" in members else ():
            yield from self._subnet(item, name)

    def _subnet(self, spot: Spot, shared: str) -> Iterator[Holding]:
        if not isinstance(spot.value, dict) or (network := network_of(str(spot.value.get("subnet", "")))) is None:
            yield not_understood(self.place(spot.start), _short(spot.value))
            return
        members = self.document.members(spot)
        within = str(network)
        own = {key: m for key, m in members.items() if key not in ("pools", "reservations", "option-data")}
        yield Holding(
            Part.SUBNET, self.place(spot.start), within, shared, address_of(network.network_address),
            address_of(network.broadcast_address), hangs=_hangs(own, {"subnet"}),
        )  # fmt: skip
        yield from self._strange(members, _SUBNET | {"pools", "reservations", "option-data"}, within)
        if "next-server" in members:
            yield self._next_server(members["next-server"], within)
        if "option-data" in members:
            yield from self._options(members["option-data"], within)
        for item in self._items(members["pools"]) if "pools" in members else ():
            yield from self._pool(item, within)
        if "reservations" in members:
            yield from self._reservations(members["reservations"], within)

    def _pool(self, spot: Spot, within: str) -> Iterator[Holding]:
        stretch = stretch_of(str(spot.value.get("pool", ""))) if isinstance(spot.value, dict) else None
        if stretch is None:
            yield not_understood(self.place(spot.start), _short(spot.value), within)
            return
        first, last = stretch
        own = {key: value for key, value in spot.value.items() if key not in ("pool", "option-data")}
        options = _option_texts(spot.value.get("option-data"))
        yield Holding(
            Part.POOL, self.place(spot.start), f"{dotted(first)}-{dotted(last)}", within, first, last,
            hangs=(*((key, _short(value)) for key, value in own.items()), *options),
        )  # fmt: skip
        if set(own) - _POOL or options:
            members = self.document.members(spot)
            yield from self._strange(members, _POOL | {"option-data"}, within)
            if "option-data" in members:
                yield from self._options(members["option-data"], f"pool {dotted(first)}-{dotted(last)}")

    def _reservations(self, spot: Spot, within: str) -> Iterator[Holding]:
        for item in self._items(spot):
            entry = item.value
            if not isinstance(entry, dict):
                yield not_understood(self.place(item.start), _short(entry), within)
                continue
            identifiers = [(by, str(entry[key])) for key, by in _IDENTIFIERS.items() if key in entry]
            name = str(entry.get("hostname", ""))
            text = entry.get("ip-address")
            address = _address(text)
            if (text is not None and address is None) or not identifiers:
                yield not_understood(self.place(item.start), _short(entry), within)
                continue
            own = {k: v for k, v in entry.items() if k not in (*_IDENTIFIERS, "hostname", "ip-address", "option-data")}
            options = _option_texts(entry.get("option-data"))
            yield Holding(
                Part.RESERVATION, self.place(item.start), _reserved(address, identifiers, name), within, address, address,
                tuple(identifiers), name, (*((key, _short(value)) for key, value in own.items()), *options),
            )  # fmt: skip
            if set(own) - _RESERVATION or options or "next-server" in own:
                members = self.document.members(item)
                yield from self._strange(members, _RESERVATION | set(_IDENTIFIERS) | {"option-data"}, within)
                for_whom = f"reservation of {identifiers[0][1]}"
                if "next-server" in members:
                    yield self._next_server(members["next-server"], for_whom)
                if "option-data" in members:
                    yield from self._options(members["option-data"], for_whom)

    def _class(self, spot: Spot) -> Iterator[Holding]:
        if not isinstance(spot.value, dict) or not spot.value.get("name"):
            yield not_understood(self.place(spot.start), _short(spot.value))
            return
        name = f"class {spot.value['name']}"
        members = self.document.members(spot)
        own = {key: member for key, member in members.items() if key != "option-data"}
        yield Holding(Part.CLASS, self.place(spot.start), str(spot.value["name"]), hangs=_hangs(own, {"name"}))
        yield from self._strange(members, _CLASS | {"option-data"}, name)
        if "next-server" in members:
            yield self._next_server(members["next-server"], name)
        if "option-data" in members:
            yield from self._options(members["option-data"], name)

    def _options(self, spot: Spot, within: str) -> Iterator[Holding]:
        for item in self._items(spot):
            option = item.value
            if not isinstance(option, dict) or not ("name" in option or "code" in option) or set(option) - _OPTION:
                yield not_understood(self.place(item.start), _short(option), within)
                continue
            text = _option_text(option)
            hangs = tuple((k, _short(v)) for k, v in option.items() if k not in ("name", "code", "data"))
            yield from naming(Holding(Part.OPTION, self.place(item.start), text, within, hangs=hangs), _hosts(option))

    def _next_server(self, spot: Spot, within: str) -> Holding:
        address = _address(spot.value)
        if address is not None and not int(address):
            address = None
        return Holding(Part.OPTION, self.place(spot.begin), f"next-server {spot.value}", within, address, address)

    def _strange(self, members: Mapping[str, Spot], known: frozenset[str] | set[str], within: str) -> Iterator[Holding]:
        for key, spot in members.items():
            if key not in known:
                yield not_understood(self.place(spot.begin), _said(key, spot.value), within)


def stretch_of(text: str) -> tuple[Address, Address] | None:
    """A pool written as first - last or as a prefix; None when it is neither."""
    if "/" in text:
        network = network_of(text)
        return (address_of(network.network_address), address_of(network.broadcast_address)) if network else None
    first, _, last = text.partition("-")
    low, high = _address(first.strip()), _address(last.strip())
    return (low, high) if low is not None and high is not None and low <= high else None


def _address(text: Any) -> Address | None:
    try:
        return ipv4(str(text))
    except ValueError:
        return None


def _hosts(option: Mapping[str, Any]) -> list[Address]:
    """The hosts that an option names; those of the usual lists of addresses also where it is written as hexadecimal digits."""
    name, code, data = str(option.get("name", "")), str(option.get("code", "")), str(option.get("data", ""))
    if name in _NO_HOSTS or code in _NO_HOSTS:
        return []
    if option.get("csv-format") is False:
        digits = "".join(c for c in data.removeprefix("0x") if c not in ": ")
        if code not in _HOST_LISTS or len(digits) % 8 or any(c not in "0123456789abcdefABCDEF" for c in digits):
            return []
        return [address_of(IPv4Address(bytes.fromhex(digits[at : at + 8]))) for at in range(0, len(digits), 8)]
    return addresses_in(data)


def _option_text(option: Mapping[str, Any]) -> str:
    return one_line(f"{option.get('name') or option.get('code')} {option.get('data', '')}")


def _option_texts(options: Any) -> tuple[tuple[str, str], ...]:
    entries = [one for one in options if isinstance(one, dict)] if isinstance(options, list) else []
    return tuple(
        (f"option {one.get('name') or one.get('code')}", one_line(str(one.get("data", "")))) for one in entries
    )


def _reserved(address: Address | None, identifiers: Sequence[tuple[By, str]], name: str) -> str:
    told = ", ".join(f"{by} {text}" for by, text in identifiers)
    where = dotted(address) if address is not None else "no address"
    return f"{where} for {told}{f', {name}' if name else ''}"


def _hangs(members: Mapping[str, Spot], but: set[str]) -> tuple[tuple[str, str], ...]:
    return tuple((key, _short(spot.value)) for key, spot in members.items() if key not in but)


def _said(key: str, value: Any) -> str:
    """A setting on one line; secrets are nobody's business who may look at what the server holds."""
    return f"{key}: {HIDDEN if _is_secret(key) else _short(value)}"


def _is_secret(key: str) -> bool:
    return any(word in key.lower() for word in ("password", "secret"))


def _short(value: Any) -> str:
    """A value on one line, as people would write it."""
    if isinstance(value, list):
        return one_line(", ".join(_short(one) for one in value))
    if isinstance(value, dict):
        return one_line(
            "; ".join(f"{key} {_short(one) if not _is_secret(key) else HIDDEN}" for key, one in value.items())
        )
    return one_line({True: "yes", False: "no"}.get(value, str(value)) if isinstance(value, bool) else str(value))
