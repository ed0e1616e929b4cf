"""`roster here`, `find`, `explain`, `vendor`, `measure`: questions. `measure` needs no service."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING, Any

from .common import connect
from .grammar import Noun, verb
from .output import Out, ago, clock, error

if TYPE_CHECKING:
    from ..api.devices import NameStay
    from ..client import Here
    from ..core.measure import Measure
    from ..core.targets import Size


def add_commands(commands: Any, shared: argparse.ArgumentParser) -> None:
    """Add this module's commands."""
    verb(commands, shared, "here", _here).add_argument(
        "--adapter", metavar="NAME", help="as a scan from this adapter would see it"
    )
    find = verb(commands, shared, "find", _find)
    find.add_argument("text", metavar="TEXT")
    find.add_argument("--limit", type=int, default=20, metavar="N")
    verb(commands, shared, "explain", _explain).add_argument("subject", metavar="ADDRESS|MAC|DEVICE")
    vendor = Noun(commands, shared, "vendor", _own)
    vendor.verb("show", "the vendor of a MAC", _vendor, "02C0.4400.0026").add_argument("mac", metavar="MAC")
    vendor.verb("load", "load a registry file (IEEE's CSV or listing)", _load).add_argument(
        "file", metavar="FILE", type=Path
    )
    add = vendor.verb("add", "name a prefix of the site's own; '' takes it away", _add, "02:c0:99 'Bells of Larkspur'")
    add.add_argument("prefix", metavar="PREFIX", help="such as 02:ab:cd or 02:ab:cd:e/28")
    add.add_argument("name", metavar="NAME")
    verb(commands, shared, "measure", _measure).add_argument("range", metavar="RANGE", nargs="+")


def _here(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = roster.here(options.adapter)
    if options.json:
        out.json(found)
    else:
        _print_here(found, out)
    return 0 if found.chosen else 1


def _print_here(found: Here, out: Out) -> None:
    out.say(f"{found.hostname}{' (simulated site)' if found.simulated else ''}", "bold")
    for adapter in found.adapters:
        if not adapter.addresses and not adapter.up:
            continue
        mark = "  ← used for scans" if adapter.chosen else ""
        out.say(f"\n{adapter.name}{mark}", "bold")
        mac = f"{adapter.mac}{f' ({adapter.vendor})' if adapter.vendor else ''}" if adapter.mac else None
        facts = [("adapter", f"{adapter.medium}, {'up' if adapter.up else 'down'}, mtu {adapter.mtu}"), ("mac", mac)]
        for address in adapter.addresses:
            name = f" {address.subnet.name}" if address.subnet.name else ""
            known = "scanned before" if address.known else "not scanned yet"
            facts += [
                ("address", f"{address.address}/{address.prefix_length}  mask {address.mask}"),
                ("subnet", f"{address.subnet.cidr}{name}  ({known})"),
                ("usable", f"{address.first_usable} to {address.last_usable}, {address.hosts:,} addresses"),
                ("broadcast", address.broadcast),
            ]
        facts += [("gateway", adapter.gateway), ("dns", ", ".join(adapter.dns)), ("plugged into", adapter.plugged_into)]
        out.facts(facts)
    out.say(f"\nA scan would use {found.chosen or 'no adapter'}: {found.reason}.")
    for limit in found.limits:
        out.say(f"Note: {limit}.")
    if found.ranges:
        out.say("Remembered here: " + ", ".join(f"{r.name} ({r.text})" if r.name else r.text for r in found.ranges))


def _find(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        answer = roster.find(options.text, limit=max(1, min(options.limit, 200)))
    if options.json:
        out.json(answer)
    elif not answer.items:
        out.say(f"Nothing contains {options.text!r}.")
    else:
        rows = [
            (
                str(hit.device.id) if hit.device else "", hit.title, hit.detail if not hit.device else hit.device.address,
                hit.device.mac if hit.device else "", hit.device.vendor if hit.device else "", hit.matched,
                ago(hit.device.last_seen) if hit.device else "", hit.web,
            )
            for hit in answer.items
        ]  # fmt: skip
        out.table(("id", "what", "address", "mac", "vendor", "matched", "last seen", "web page"), rows, right=("id",))
        if answer.more:
            out.say("There is more; give another word to narrow it.", "dim")
    return 0 if answer.items else 1


def _explain(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        told = roster.explain(options.subject)
    if options.json:
        out.json(told)
        return 0
    out.say(told.subject, "bold")
    for sentence in told.sentences:
        out.say(sentence)
    if told.stays:
        out.say("\nStays", "bold")
        rows = [
            (
                s.address,
                s.mac,
                s.device.name if s.device else "",
                s.vendor,
                clock(s.first_seen),
                clock(s.last_seen),
                str(s.count),
                "+".join(s.sources),
            )
            for s in told.stays
        ]
        out.table(("address", "mac", "name", "vendor", "from", "to", "seen", "by"), rows, right=("seen",))
    if told.names:
        out.say("\nNames heard", "bold")
        out.table(("name", "source", "last"), _names(told.names))
    return 0


def _names(names: list[NameStay]) -> list[tuple[str, str, str]]:
    """Each name by each source once, as heard last: it may have been heard for the address alone and for its holder."""
    latest: dict[tuple[str, str], NameStay] = {}
    for name in sorted(names, key=lambda one: one.last_seen, reverse=True):
        latest.setdefault((name.name, name.source), name)
    return [(one.name, one.source, ago(one.last_seen)) for one in latest.values()]


def _vendor(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = roster.vendor(options.mac)
    if options.json:
        out.json(found)
    else:
        block = f"{found.prefix} ({found.bits} bits{', own prefix' if found.own else ''})" if found.prefix else None
        kind = "locally administered" if found.local else "assigned by IEEE"
        out.facts(
            [
                ("mac", found.mac), ("vendor", found.vendor or "in no block that is known here"), ("block", block),
                ("kind", kind + (", group address" if found.multicast else "")),
                ("also written", "  ".join(found.notations[1:])),
            ]
        )  # fmt: skip
    return 0 if found.vendor else 1


def _load(options: argparse.Namespace) -> int:
    out = Out(options.json)
    try:
        text = options.file.read_text(encoding="utf-8", errors="replace")
    except OSError as bad:
        error(f"{options.file} cannot be read: {bad.strerror}; give a registry file such as IEEE's oui.csv")
        return 2
    with connect(options) as roster:
        done = roster.load_vendors(text)
    out.json(done) if options.json else out.say(f"{done.loaded:,} blocks loaded; {done.total:,} are known now.")
    return 0


def _add(options: argparse.Namespace) -> int:
    with connect(options) as roster:
        roster.set_own_prefix(options.prefix, options.name)
    return _own(options)


def _own(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = roster.own_prefixes()
    if options.json:
        out.json_list(found)
    elif found:
        out.table(("prefix", "vendor"), [(row.prefix, row.name) for row in found])
    else:
        out.say("The site has no prefixes of its own.")
    return 0


def _measure(options: argparse.Namespace) -> int:
    out = Out(options.json)
    from ..core import targets
    from ..core.measure import measure

    found = measure(" ".join(options.range))
    size = targets.size_up(found.count, 1000.0, 3)
    if options.json:
        out.json(_measure_json(found, size))
        return 0
    out.facts(
        [
            ("addresses", f"{found.count:,}"), ("kind", found.kind), ("first", str(found.first)), ("last", str(found.last)),
            ("as spans", str(found.spans)), ("as networks", _blocks(found)), ("inside", str(found.smallest_cover)),
            ("a scan takes", f"{targets.duration(size.seconds)} at most, at 1,000 probes a second"),
        ]
    )  # fmt: skip
    for one in found.subnets:
        out.say(f"\n{one.network}", "bold")
        out.facts(
            [
                ("mask", str(one.mask)), ("inverse mask", str(one.inverse_mask)), ("network", str(one.network.network_address)),
                ("broadcast", str(one.broadcast) if one.broadcast else "none"),
                ("usable", f"{one.first_usable} to {one.last_usable}"), ("hosts", f"{one.hosts:,}"),
                ("reverse zone", one.reverse_zone),
            ]
        )  # fmt: skip
    return 0


def _blocks(found: Measure) -> str:
    more = found.blocks_total - len(found.blocks)
    return ", ".join(str(block) for block in found.blocks) + (f" and {more} more" if more else "")


def _measure_json(found: Measure, size: Size) -> dict[str, Any]:
    return {
        "count": found.count, "kind": found.kind, "first": str(found.first), "last": str(found.last),
        "spans": [str(span) for span in found.spans.spans], "blocks": [str(block) for block in found.blocks],
        "blocks_total": found.blocks_total, "smallest_cover": str(found.smallest_cover), "scan_seconds": round(size.seconds, 1),
        "sums": [
            {
                "cidr": str(one.network), "mask": str(one.mask), "inverse_mask": str(one.inverse_mask),
                "broadcast": str(one.broadcast) if one.broadcast else None, "first_usable": str(one.first_usable),
                "last_usable": str(one.last_usable), "hosts": one.hosts, "reverse_zone": one.reverse_zone,
            }
            for one in found.subnets
        ],
    }  # fmt: skip
