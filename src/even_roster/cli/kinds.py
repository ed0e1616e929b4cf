"""`roster kind`: what the site knows of kinds of devices: how they come from their makers, what their pages ask for."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from .common import bad_input, connect, missing, text_of, words, write
from .grammar import Noun
from .output import Out

if TYPE_CHECKING:
    from ..client import DeviceKindView
    from .connection import Service

FIELDS = ("mode", "address", "mask", "prefix", "gateway", "dns", "name", "domain", "ntp", "vlan", "mac")


def add_commands(commands: Any, shared: argparse.ArgumentParser) -> None:
    """Add this module's commands."""
    kind = Noun(commands, shared, "kind", _kinds)
    _name(kind.verb("show", "one kind", _show))
    put = kind.verb(
        "set", "a new kind, or other values of one", _set,
        "'Quillmark Q20' --factory 192.168.50.10/24 --page /setup --role printer",
    )  # fmt: skip
    _name(put)
    put.add_argument("--name", dest="new_name", metavar="NEW", help="call it so")
    put.add_argument("--comes", choices=("address", "dhcp", "bootp", "unknown"), help="how it comes from its maker")
    put.add_argument("--factory", metavar="ADDRESS/PREFIX", help="its address as it comes; '' for none")
    put.add_argument("--page", metavar="PAGE", help="where its page is: /setup, or https://{address}:8443/")
    put.add_argument("--reset", metavar="TEXT", help="how it is set back")
    put.add_argument("--store", metavar="TEXT", help="what must be done besides typing for settings to last")
    put.add_argument("--fields", metavar="A,B,…", help=f"what its page asks for, in its order: {', '.join(FIELDS)}")
    put.add_argument("--notation", choices=("colons", "dashes", "dots", "bare"), help="how its page wants MACs")
    put.add_argument("--role", metavar="ROLE", help="what such devices are to the network")
    put.add_argument("--notes", metavar="TEXT", help="anything else; never a password")
    _name(kind.verb("remove", "a kind no more", _remove))
    out = kind.verb("out", "all kinds as one JSON document, to carry elsewhere", _out)
    out.add_argument("file", nargs="?", default="-", metavar="FILE|-", help="left out, standard output")
    take = kind.verb("in", "take such a document in, as one change", _in)
    take.add_argument("file", metavar="FILE|-", help="the document")


def _name(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("name", metavar="NAME", help="what the kind is called, or its id")


def _kinds(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = list(roster.device_kinds())
    if options.json:
        out.json_list(found)
    elif not found:
        out.say(
            "No kind is known yet; fitting a device teaches one, or: roster kind set NAME --factory ADDRESS/PREFIX."
        )
    else:
        rows = [(one.name, one.role, _comes(one), one.page, one.store, str(one.fitted_count)) for one in found]
        out.table(("kind", "role", "comes", "page", "to store", "fittings"), rows)
    return 0


def _comes(one: DeviceKindView) -> str:
    words_of = {"dhcp": "asks by DHCP", "bootp": "asks by BOOTP", "unknown": "not known"}
    return one.factory or words_of.get(one.comes, one.comes)


def _show(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        one = _pick(roster, options.name)
    if options.json:
        out.json(one)
        return 0
    out.say(one.name, "bold")
    facts = [
        ("role", one.role), ("comes", _comes(one)), ("page", one.page), ("to reset", one.reset), ("to store", one.store),
        ("asks for", ", ".join(one.fields)), ("MACs in", one.notation), ("notes", one.notes), ("fittings", str(one.fitted_count)),
    ]  # fmt: skip
    out.facts([(name, value) for name, value in facts if value])
    return 0


def _set(options: argparse.Namespace) -> int:
    from ..api.fitting import DeviceKindEdit, DeviceKindNew

    out = Out(options.json)
    given: dict[str, Any] = {
        name: getattr(options, name)
        for name in ("comes", "factory", "page", "reset", "store", "notation", "role", "notes")
        if getattr(options, name) is not None
    }
    if options.fields is not None:
        given["fields"] = words(options.fields)
    with connect(options) as roster:
        there = _find(list(roster.device_kinds()), options.name)
        if there is None:
            made = roster.add_device_kind(DeviceKindNew(name=options.new_name or options.name, **given))
        else:
            if options.new_name:
                given["name"] = options.new_name
            if not given:
                raise bad_input("say what is to change, such as --factory or --page")
            made = roster.edit_device_kind(there.id, DeviceKindEdit(**given), there.version)
    if options.json:
        out.json(made)
    else:
        out.say(f"The kind {made.name} is {'known now' if there is None else 'changed'}.")
    return 0


def _remove(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        one = _pick(roster, options.name)
        roster.remove_device_kind(one.id, one.version)
    if options.json:
        out.json({"removed": one.name})
    else:
        out.say(f"The kind {one.name} is no more; 'roster change' lists it, and can take that back.")
    return 0


def _out(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        file = roster.kinds_out()
    if options.json:
        out.json(file)
    elif options.file == "-":
        out.raw(file.text)
    else:
        write(options.file, file.text)
        out.say(f"All kinds are in {options.file}.")
    return 0


def _in(options: argparse.Namespace) -> int:
    out = Out(options.json)
    text = text_of(options.file)
    with connect(options) as roster:
        done = roster.kinds_in(text)
    if options.json:
        out.json(done)
    else:
        out.say(f"{done.added_count} kinds are new, {done.changed_count} changed, {done.same_count} are as they were.")
    return 0


def _pick(roster: Service, name: str) -> DeviceKindView:
    kinds = list(roster.device_kinds())
    found = _find(kinds, name)
    if found is None:
        there = ", ".join(one.name for one in kinds[:8]) or "none yet"
        raise missing(f"there is no kind {name!r}; there are: {there}")
    return found


def _find(kinds: list[DeviceKindView], name: str) -> DeviceKindView | None:
    return next((one for one in kinds if name.casefold() == one.name.casefold() or name == str(one.id)), None)
