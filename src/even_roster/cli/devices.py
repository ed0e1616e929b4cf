"""`roster device`, `roster change`."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from itertools import islice
from typing import TYPE_CHECKING, Any, get_args

from ..api.words import DeviceSort
from .common import PARTLY, bad_input, called, connect, several, words
from .grammar import Noun
from .output import Out, Text, ago, clock, error

if TYPE_CHECKING:
    from ..client import ChangeRow, DeviceRow, DeviceSheet, ReviewCase

COLUMNS: dict[str, Callable[[DeviceRow], str]] = {
    "id": lambda d: str(d.id),
    "address": lambda d: d.address or "",
    "name": lambda d: f"({d.called})" if d.called_because.startswith("heard") else d.called,
    "role": lambda d: d.role,
    "owner": lambda d: d.owner,
    "place": lambda d: d.place,
    "mac": lambda d: (d.mac or "") + (f" +{d.adapter_count - 1}" if d.adapter_count > 1 else ""),
    "vendor": lambda d: d.vendor or ("locally administered" if d.local else ""),
    "ports": lambda d: " ".join(str(port) for port in d.ports),
    "web": lambda d: d.web or "",
    "notes": lambda d: d.notes.replace("\n", " / "),
    "first seen": lambda d: ago(d.first_seen),
    "last seen": lambda d: _seen(d),
}
HEARD_MS = 60_000
"""How much later than its last answer a device must have been overheard for that to be told."""
USUAL = ("id", "address", "name", "role", "mac", "vendor", "last seen")
FIELDS = ("name", "role", "owner", "place", "notes")
BULK = ("role", "owner", "place")


def _heard_since(device: Any) -> bool:
    """True when it was overheard after its last answer."""
    if device.heard_at is None:
        return False
    return bool(device.last_seen is None or (device.heard_at - device.last_seen).total_seconds() * 1000 > HEARD_MS)


def _seen(device: Any) -> str:
    """When it answered last, and whether it was heard since."""
    seen = "expected" if device.expected else ago(device.last_seen)
    return f"{seen}, heard {ago(device.heard_at)}" if _heard_since(device) else seen


def add_commands(commands: Any, shared: argparse.ArgumentParser) -> None:
    """Add this module's commands."""
    device = Noun(commands, shared, "device", _devices)
    many = device.list
    many.add_argument("--search", "-q", default="", metavar="TEXT", help="words that must be contained somewhere")
    many.add_argument("--role", help="only this role")
    many.add_argument("--owner", help="only this owner")
    many.add_argument("--vendor", metavar="TEXT", help="only vendors that contain this")
    many.add_argument("--in", dest="range", metavar="WHERE", help="only addresses of a range, subnet or band")
    many.add_argument(
        "--unknown", action="store_true", default=None, help="only devices that nobody has named or planned"
    )
    many.add_argument(
        "--expected", action="store_true", default=None, help="only devices that are planned and were never seen"
    )
    many.add_argument(
        "--random", dest="local", action="store_true", default=None, help="only locally administered MACs"
    )
    many.add_argument("--retired", action="store_true", help="retired devices instead")
    many.add_argument(
        "--sort",
        choices=get_args(DeviceSort),
        default="address",
        metavar="KEY",
        help=f"of: {', '.join(get_args(DeviceSort))}",
    )
    many.add_argument("--descending", action="store_true", help="the other way round")
    many.add_argument("--columns", type=words, metavar="LIST", help=f"of: {', '.join(COLUMNS)}")
    many.add_argument("--limit", type=int, metavar="N", help="at most so many")
    named = "its id, name, planned hostname or MAC in any notation"
    show = device.verb("show", "everything about one", _show, "printer-1")
    show.add_argument("which", metavar="DEVICE", help=f"{named}; an address, a heard name or a fragment too")
    setting = device.verb("set", "change one, or several at once", _set, "printer-1 --name 'Box office printer'")
    setting.add_argument("which", nargs="+", metavar="DEVICE", help=f"{named}; '-' reads them from standard input")
    for field in FIELDS:
        setting.add_argument(f"--{field}", metavar="TEXT", help="'' takes it away")
    setting.add_argument(
        "--with-hostname",
        action="store_true",
        help="a new name becomes its planned hostname too: in DNS, DHCP and on cards",
    )
    setting.add_argument("--version", type=int, metavar="N", help="refuse if it was changed since this version")
    adding = device.verb("add", "enter one that is expected", _add)
    adding.add_argument("name", nargs="?", default="", help="what to call it")
    adding.add_argument("--mac", metavar="MAC", help="in any notation")
    for field in FIELDS[1:]:
        adding.add_argument(f"--{field}", default="")

    def action(name: str, about: str, run: Callable[[argparse.Namespace], int]) -> argparse.ArgumentParser:
        parser = device.verb(name, about, run)
        parser.add_argument("which", metavar="DEVICE", help=named)
        return parser

    action("join", "other devices' adapters belong to it", _join).add_argument("others", nargs="+", metavar="OTHER")
    action("split", "make some adapters a device of their own", _split).add_argument("macs", nargs="+", metavar="MAC")
    replacing = action("replace", "new hardware: its MAC inherits name, addresses and reservations", _replace)
    replacing.add_argument("mac", metavar="NEW-MAC", help="in any notation")
    replacing.add_argument("--old", metavar="MAC", help="which of its adapters was replaced, where it has several")
    retiring = action("retire", "take it out of the lists", _retire)
    retiring.add_argument("--undo", action="store_true", help="bring it back")
    retiring.add_argument("--release", action="store_true", help="its addresses are nobody's any more")
    settle = device.verb("settle", "make the addresses that devices have now lasting", _settle)
    settle.description = (
        "Reserved where it is leased, static where it is typed in; a role that must not depend on a pool gets a static "
        "address of its band."
    )
    settle.add_argument("devices", nargs="+", metavar="DEVICE|ADDRESS", help="'-' reads them from standard input")
    settle.add_argument("--dry-run", action="store_true", help="only say what that would be")
    review = device.verb("review", "where two records of one device said different things", _review)
    review.add_argument("--done", type=int, metavar="ID", help="take this case off the list")
    change = Noun(commands, shared, "change", _changes)
    change.list.add_argument("--limit", type=int, default=30, metavar="N", help="at most so many (default 30)")
    undoing = change.verb("undo", "take edits back: all that are named, or none", _undo)
    undoing.add_argument("ids", type=int, nargs="+", metavar="ID")


def _devices(options: argparse.Namespace) -> int:
    out = Out(options.json)
    columns = options.columns or list(USUAL)
    wrong = [column for column in columns if column not in COLUMNS]
    if wrong:
        error(f"there is no column {wrong[0]!r}; there are: {', '.join(COLUMNS)}")
        return 2
    with connect(options) as roster:
        found = roster.devices(
            q=options.search, role=options.role, owner=options.owner, vendor=options.vendor, range=options.range,
            unknown=options.unknown, expected=options.expected, local=options.local, retired=options.retired, sort=options.sort,
            descending=options.descending,
        )  # fmt: skip
        rows = islice(found, options.limit)
        if options.json:
            out.json_list(rows)
            return 0
        shown = [[_cell(column, device) for column in columns] for device in rows]
    if not shown:
        out.say("No device matches." if _filtered(options) else "The roster is empty. 'roster scan' fills it.")
        return 1
    out.table(columns, shown, right=("id",))
    out.say(f"\n{len(shown):,} {'device' if len(shown) == 1 else 'devices'}", "dim")
    return 0


def _filtered(options: argparse.Namespace) -> bool:
    return any(
        (
            options.search,
            options.role,
            options.owner,
            options.vendor,
            options.range,
            options.unknown,
            options.expected,
            options.local,
        )
    )


def _cell(column: str, device: DeviceRow) -> Text:
    text = Text(COLUMNS[column](device))
    if column == "name" and not device.name:
        text.stylize("dim")
    return text


def _show(options: argparse.Namespace) -> int:
    with connect(options) as roster:
        _print_sheet(roster.device(options.which), options.json)
    return 0


def _print_sheet(sheet: DeviceSheet, as_json: bool) -> None:
    out = Out(as_json)
    if as_json:
        out.json(sheet)
        return
    device = sheet.device
    out.say(device.called or "(nobody has named this device)", "bold")
    out.facts(
        [
            ("device", f"{device.id}, version {device.version}{', retired' if device.retired else ''}"),
            ("called so", device.called_because),
            ("otherwise", device.seen_name if device.seen_name != device.called else ""), ("role", device.role),
            ("owner", device.owner), ("place", device.place),
            ("notes", device.notes), ("address", device.address), ("web page", device.web),
            ("open ports", " ".join(str(port) for port in device.ports)),
            ("first seen", clock(device.first_seen)),
            ("last seen", "never: it is expected" if device.expected else f"{clock(device.last_seen)} ({ago(device.last_seen)})"),
            ("heard", f"{clock(device.heard_at)} ({ago(device.heard_at)})" if _heard_since(device) else ""),
        ]
    )  # fmt: skip
    rows = [
        (a.mac, a.vendor or ("locally administered" if a.local else ""), ago(a.last_seen) if a.last_seen else "never")
        for a in sheet.adapters
    ]
    if rows:
        out.say("\nAdapters", "bold")
        out.table(("mac", "vendor", "last seen"), rows)
    if sheet.assignments:
        out.say("\nPlanned", "bold")
        out.table(
            ("address", "hostname", "kind", "mac", "subnet", "notes"),
            [
                (a.address, a.name, a.kind if a.on else f"{a.kind}, off", a.mac or "", called(a.subnet), a.notes)
                for a in sheet.assignments
            ],
        )
    for case in sheet.reviews:
        out.say(f"\nTo look at: {_case(case)}")
    if sheet.names:
        out.say("\nNames heard", "bold")
        out.table(
            ("name", "source", "address", "last"),
            [(n.name, n.source, n.address, ago(n.last_seen)) for n in sheet.names],
        )
    if sheet.stays:
        out.say("\nAddresses held", "bold")
        stays = [
            (s.address, clock(s.first_seen), clock(s.last_seen), str(s.count), "+".join(s.sources)) for s in sheet.stays
        ]
        out.table(("address", "from", "to", "seen", "by"), stays, right=("seen",))
    for hint in sheet.hints:
        others = ", ".join(f"{d.name or 'device'} ({d.id})" for d in hint.devices)
        out.say(f"\nPerhaps one device with {others}: {hint.reason}.")
    if sheet.changes:
        out.say("\nChanges", "bold")
        out.table(
            ("id", "when", "who", "what"),
            [(str(c.id), clock(c.at), c.who, _what(c.before, c.after, c.action)) for c in sheet.changes],
            right=("id",),
        )


def _what(before: Any, after: Any, action: str) -> str:
    if action in ("set", "undo") and isinstance(before, dict) and isinstance(after, dict):
        told = ", ".join(f"{name}: {before.get(name)!r} → {value!r}" for name, value in after.items())
        return told if action == "set" else f"undo, {told}"
    if isinstance(before, dict) and isinstance(after, dict):
        return f"{action}, {_values(before)} → {_values(after)}"
    given = after if isinstance(after, dict) else before
    return f"{action}, {_values(given)}" if isinstance(given, dict) else action


def _values(values: dict[str, Any]) -> str:
    return ", ".join(f"{name} {value}" for name, value in values.items())


def _case(case: ReviewCase) -> str:
    if case.other is not None:
        other = (
            f"device {case.other.id}, {f'called {case.other.name}' if case.other.name else 'which nobody has named'}"
        )
        return f"{case.said} That is {other}; 'roster device join {case.device.id} {case.other.id}' says yes."
    return f"{case.said}. 'roster device review --done {case.id}' takes this off the list."


def _set(options: argparse.Namespace) -> int:
    from ..api.devices import BulkItem, DeviceEdit

    fields = {field: value for field in FIELDS if (value := getattr(options, field)) is not None}
    if not fields:
        raise bad_input(f"say what is to change: {', '.join(f'--{field}' for field in FIELDS)}")
    which = several(options.which)
    if len(which) == 1:
        return _set_one(options, which[0], fields)
    if wrong := [field for field in fields if field not in BULK]:
        raise bad_input(
            f"--{wrong[0]} is of one device; several at once can be given {', '.join(f'--{one}' for one in BULK)}"
        )
    if options.version is not None:
        raise bad_input("--version is of one device")
    out = Out(options.json)
    with connect(options) as roster:
        done = roster.edit_devices([BulkItem(id=one) for one in which], DeviceEdit.model_validate(fields))
    if options.json:
        out.json(done)
    else:
        out.say(
            f"{done.changed:,} devices now have {', '.join(f'{name} {value!r}' for name, value in fields.items())}."
        )
    return 0


def _set_one(options: argparse.Namespace, which: str, fields: dict[str, str]) -> int:
    from ..api.devices import DeviceEdit

    out = Out(options.json)
    edit = DeviceEdit.model_validate({**fields, "with_hostname": options.with_hostname})
    with connect(options) as roster:
        row = roster.edit_device(which, edit, options.version)
        given = roster.device(row.id).assignments if "name" in fields else []
    if options.json:
        out.json(row)
        return 0
    said = ", ".join(f"{name} {getattr(row, name)!r}" for name in fields)
    out.say(f"Device {row.id} ({row.address or row.mac or 'expected'}) now has {said}.")
    if given:
        names = ", ".join(f"{one.name or 'no name'} ({one.address})" for one in given[:4])
        out.say(
            f"Its planned hostname is {names} now: DNS, hosts files, cards and reservations follow when they are next written."
            if options.with_hostname else f"Its planned hostname stays {names}; --with-hostname changes that too.", "dim",
        )  # fmt: skip
    return 0


def _add(options: argparse.Namespace) -> int:
    from ..client import DeviceNew

    new = DeviceNew(name=options.name, mac=options.mac, **{field: getattr(options, field) for field in FIELDS[1:]})
    with connect(options) as roster:
        _print_sheet(roster.add_device(new), options.json)
    return 0


def _replace(options: argparse.Namespace) -> int:
    with connect(options) as roster:
        _print_sheet(roster.replace_device(options.which, options.mac, options.old), options.json)
    return 0


def _review(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        if options.done is not None:
            roster.reviewed(options.done)
        cases = roster.reviews()
    if options.json:
        out.json_list(cases)
    elif not cases:
        out.say("Nothing to look at.")
    else:
        rows = [
            (str(c.id or ""), f"{c.device.name or 'device'} ({c.device.id})", clock(c.at), c.said if c.id else _case(c))
            for c in cases
        ]
        out.table(("id", "device", "since", "what"), rows, right=("id",))
    return 0


def _join(options: argparse.Namespace) -> int:
    with connect(options) as roster:
        _print_sheet(roster.join_devices(options.which, options.others), options.json)
    return 0


def _split(options: argparse.Namespace) -> int:
    with connect(options) as roster:
        _print_sheet(roster.split_device(options.which, options.macs), options.json)
    return 0


def _retire(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        row = roster.retire_device(options.which, not options.undo, release=options.release)
    if options.json:
        out.json(row)
    else:
        out.say(f"Device {row.id} is {'back in the lists' if options.undo else 'retired; its history stays'}.")
    return 0


def _changes(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = roster.changes(limit=max(1, options.limit))
    if options.json:
        out.json_list(found)
    elif not found:
        out.say("Nothing was edited yet.")
    else:
        rows = [(str(c.id), clock(c.at), c.who, f"{c.kind} {c.item}", _change_told(c)) for c in found]
        out.table(("id", "when", "who", "item", "what"), rows, right=("id",))
    return 0


def _undo(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        roster.undo(*options.ids)
    if options.json:
        out.json({"undone": options.ids})
    elif len(options.ids) == 1:
        out.say(f"Change {options.ids[0]} is taken back.")
    else:
        out.say(f"{len(options.ids)} changes are taken back.")
    return 0


def _change_told(change: ChangeRow) -> str:
    """What a change did, and that it stands no more."""
    said = _what(change.before, change.after, change.action)
    return said if change.taken_back_by is None else f"{said} (taken back by {change.taken_back_by})"


def _settle(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster, out.waiting("looking at what they have"):
        found = roster.settle(several(options.devices), options.dry_run)
    if options.json:
        out.json(found)
        return PARTLY if any(one.why_not for one in found.devices) else 0
    for one in found.devices:
        name = one.name or f"device {one.device}"
        if one.why_not:
            out.say(f"{name}: nothing to do: {one.why_not}.", "yellow")
        elif one.moves:
            out.say(
                f"{name}: static {one.address}, since its role must not depend on a pool; type it in: roster card {one.address}"
            )
        elif one.kind == "reserved":
            out.say(f"{name}: {one.address} is reserved for it; publish it with: roster dhcp publish")
        else:
            out.say(f"{name}: {one.address} is static, as it is typed in")
    if options.dry_run:
        out.say("Nothing was changed.", "dim")
    return PARTLY if any(one.why_not for one in found.devices) else 0
