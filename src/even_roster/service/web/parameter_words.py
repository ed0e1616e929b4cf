"""What the parameters of the API's paths are, as api/field_words.py has it of fields."""

from __future__ import annotations

from typing import Any

NAMED = "by name, CIDR or id"
WORDS: dict[str, tuple[str, Any]] = {
    "source": ("only those that it says: seen, lease, hand, or the name of a router or switch", "hand"),
    "port": ("only those of this port, by its id", 23),
    "my_device": (
        "where whoever orders it sits: an address, a MAC, SWITCH:PORT, here, or unknown",
        "switch-office-2:6",
    ),
    "by": ("the credential that is to order, by name or id", "machinist"),
    "begin": ("where the path begins: a device, address or switch", "printer-1"),
    "end": ("where it ends", "sound-desk"),
    "one": ("the id of one port", 23),
    "other": ("the id of the other port", 51),
    "what": ("a name, address, MAC, or a fragment of one", "printer-1"),
    "switch": ("only those of this switch, by name, address or id", "switch-office-1"),
    "mac": ("a MAC, in any notation", "02:c0:44:00:00:29"),
    "pitch_mm": ("the width of a label, in millimetres", 16.0),
    "height_mm": ("the height of a label, in millimetres", 10.0),
    "rows": ("how many rows of ports stand above one another", 2),
    "say": ("what goes before: notes, description, or who hangs there", "notes"),
    "buckets": ("in how many equal stretches", 100),
    "adapter": ("the network interface; left out, the usual one", "office0"),
    "address": ("an IPv4 address, or the name or MAC of what has it", "10.44.10.41"),
    "after": ("the id of the event to resume behind", "f3a1-41"),
    "assignment": ("the assignment's id", 1),
    "at": ("as it was at this time; left out, as it is now", "2026-11-27T09:30:00Z"),
    "cursor": ("`next` of the page before; left out, the list begins", None),
    "descending": ("whether the order is turned round", False),
    "device": ("only what is about this device, by id, name, MAC or address", "printer-1"),
    "dry_run": ("say what it would do, and change nothing", True),
    "expected": ("only those that were never seen, or with false only those that were", True),
    "form": ("how it is written", "csv"),
    "hours": ("how many hours back", 24),
    "identity": ("its id", 1),
    "kind": ("only those of this kind", "static"),
    "last-event-id": ("the id of the event to resume behind, as browsers send it", "f3a1-41"),
    "limit": ("how many of them at most", 200),
    "local": ("only those with a locally administered MAC, or with false only others", True),
    "mapping": ("which header is which field, as field=HEADER; may be given several times", ["address=IP"]),
    "name": ("its name", "piano"),
    "not_seen_since": ("only those not seen since then", "2026-11-01T00:00:00Z"),
    "notation": ("how MACs are written: colons, dashes, dots or bare", "colons"),
    "now": ("read it from the server first", True),
    "label": ("what the carton is called at the simulated site", "printer-carton"),
    "offset": ("how many are left out before the page", 400),
    "on": ("only those switched on, or with false only those switched off", True),
    "open": ("only those that are not over", True),
    "owner": ("only those of this owner", "Box office"),
    "part": ("only parts of this kind", "reservation"),
    "q": ("words, each of which must be contained somewhere", "box office"),
    "range": ("addresses as people write them: CIDR, first-last, a wildcard, a name", "10.44.10.0/24"),
    "retired": ("whether those out of the lists are meant", False),
    "role": ("only those of this role; empty: without one", "printer"),
    "search": ("a text, name, identifier or address to look for", "printer-1"),
    "seen_since": ("only those seen since then", "2026-11-20T00:00:00Z"),
    "server": ("the DHCP server, by name or id", "ledger"),
    "silent": ("whether addresses that did not answer are listed, too", False),
    "since": ("from when on; left out, the last 30 days", "2026-11-01T00:00:00Z"),
    "site": ("the site, by name or id; left out, the one here or all", "Larkspur Hall"),
    "sort": ("what it is sorted by", "address"),
    "state": ("those in which state", "open"),
    "subject": ("an address, MAC, name or subnet", "10.44.10.41"),
    "subnet": (f"the subnet, {NAMED}; also by an address in it", "Office"),
    "take_over": ("as if another roster's publishing were to be taken over", False),
    "text": ("any fragment of it", "box off"),
    "time": ("when", "2026-11-27T09:30:00Z"),
    "total": ("whether they are counted", True),
    "unknown": ("only those that nobody has named or planned, or with false only others", True),
    "until": ("until when; left out, now", "2026-11-27T00:00:00Z"),
    "vendor": ("only those of this vendor", "Tolvane Networks"),
    "zone": ("a domain, or a subnet for its reverse names; left out, all", "larkspur.example"),
}
CLOSER: dict[tuple[str, str], tuple[str, Any]] = {
    ("/api/v1/find", "text"): ("any fragment of a name, address, MAC, vendor or note", "box off"),
    ("/api/v1/findings", "kind"): ("only those of this kind", "duplicate-address"),
    ("/api/v1/findings", "subject"): ("only those about this address, MAC or name", "10.44.20.41"),
    ("/api/v1/names", "server"): ("a DNS server of the zones, NAME or NAME=ADDRESS; several are taken", ["ns.larkspur.example"]),
    ("/api/v1/names/check", "server"): ("the DNS server to ask; left out, the planned one", "10.44.10.1"),
    ("/api/v1/vendors/of/{text}", "text"): ("a MAC in any notation", "02-C0-44-00-00-29"),
    ("/api/v1/reply-times/{subject}", "subject"): ("an address, or a device by any of its names", "printer-1"),
    ("/api/v1/uses", "address"): ("only the uses of this address", "10.44.10.12"),
    ("/api/v1/watches/{subnet}", "subnet"): ("the subnet's id", 1),
    ("/api/v1/sheets/import", "limit"): ("how many rows are told about at most", 2000),
}  # fmt: skip


def describe(path: str, parameter: dict[str, Any]) -> None:
    """Put into a parameter what it is. Raises KeyError for one that nobody has described."""
    name = parameter["name"]
    parameter["schema"] = _without_null(parameter["schema"])
    if "description" in parameter and "example" not in parameter and name in ("which", "within", "site", "if-match"):
        return
    said, example = CLOSER.get((path, name)) or WORDS[name]
    parameter.setdefault("description", said[:1].upper() + said[1:] + ".")
    if example is not None:
        parameter.setdefault("example", example)


def _without_null(schema: dict[str, Any]) -> dict[str, Any]:
    """What a parameter may be: it is there or left out, but never null."""
    kinds = [one for one in schema.get("anyOf", ()) if one.get("type") != "null"]
    if len(kinds) != 1:
        return schema
    return {**kinds[0], **{key: value for key, value in schema.items() if key != "anyOf"}}
