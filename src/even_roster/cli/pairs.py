"""`roster pair`: which address belongs to which MAC, and who says so."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from .common import connect, text_of
from .grammar import Noun
from .output import Out, ago

if TYPE_CHECKING:
    from ..client import PairView


def add_commands(commands: Any, shared: argparse.ArgumentParser) -> None:
    """Add this module's commands."""
    pair = Noun(commands, shared, "pair", _list)
    pair.list.add_argument("--find", metavar="TEXT", help="with this fragment of an address, a MAC or a note")
    pair.list.add_argument("--by", metavar="SOURCE", help="by seen, lease, hand, or the name of a router or switch")
    pair.list.add_argument("--limit", type=int, metavar="N", help="how many of them at most")
    pair.verb("without", "MACs on ports that have no address, and whom to ask", _without)
    take = pair.verb("in", "take pairs in that people know, one a line", _in)
    take.add_argument("file", metavar="FILE|-", help="lines of address, MAC, note")
    remove = pair.verb("remove", "a pair that people entered no more", _remove, "10.44.10.30 02:c0:44:00:00:11")
    remove.add_argument("address", metavar="ADDRESS", help="its address")
    remove.add_argument("mac", metavar="MAC", help="its MAC")
    pair.verb("clear", "forget what routers and switches told; people's pairs stay", _clear)


def _list(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = list(roster.pairs(options.find, options.by, options.limit))
    if out.as_json:
        out.json_list(found)
    elif not found:
        out.say("Nobody says that.")
    else:
        out.table(
            ("address", "MAC", "device", "vendor", "who says so", "note"),
            (
                (one.address, one.mac, (one.device.name if one.device else None) or "", one.vendor or "", _said(one), one.notes)
                for one in found
            ),
        )  # fmt: skip
    return 0


def _said(one: PairView) -> str:
    return ", ".join(f"{said.source} {ago(said.at)}" if said.at else said.source for said in one.sources)


def _without(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = list(roster.macs_without_address())
    if out.as_json:
        out.json_list(found)
    elif not found:
        out.say("Every MAC on a port has an address.")
    else:
        out.table(
            ("MAC", "device", "vendor", "switch", "port", "whom to ask"),
            (
                (
                    one.mac, (one.device.name if one.device else None) or "", one.vendor or "", one.switch.name, one.port.name,
                    one.ask,
                )
                for one in found
            ),
        )  # fmt: skip
    return 0


def _in(options: argparse.Namespace) -> int:
    out = Out(options.json)
    text = text_of(options.file)
    with connect(options) as roster:
        done = roster.enter_pairs(text)
    if out.as_json:
        out.json(done)
    else:
        out.say(f"{done.count} {'pair is' if done.count == 1 else 'pairs are'} new or otherwise than before.")
    return 0


def _remove(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        roster.remove_pair(options.address, options.mac)
    if out.as_json:
        out.json({"removed": [options.address, options.mac]})
    else:
        out.say(f"{options.address} with {options.mac} is entered no longer.")
    return 0


def _clear(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        done = roster.clear_pairs()
    if out.as_json:
        out.json(done)
    else:
        out.say(
            f"{done.count} told {'pair is' if done.count == 1 else 'pairs are'} forgotten; the next readings tell anew."
        )
    return 0
