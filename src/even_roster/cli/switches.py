"""`roster switch`: what switches say of their ports, and who is behind each."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from .common import connect, secret
from .grammar import Noun
from .output import Out, Text, ago, plain

if TYPE_CHECKING:
    from ..client import Credential, PortView, SwitchReading

SHOWN = 3
PARTS = ((1_000_000_000, "Gbit/s"), (1_000_000, "Mbit/s"), (1_000, "kbit/s"))


def add_commands(commands: Any, shared: argparse.ArgumentParser) -> None:
    """Add this module's commands."""
    switch = Noun(commands, shared, "switch", _heard)
    read = switch.verb("read", "its ports now, and who is behind each, by SNMP", _read)
    read.add_argument("switch", metavar="ADDRESS|DEVICE", help="the switch")
    how = read.add_mutually_exclusive_group(required=True)
    how.add_argument("--community", action="store_true", help="read a community, from the terminal or standard input")
    how.add_argument("--user", metavar="NAME", help="as this user of version 3")
    read.add_argument("--v1", action="store_true", help="by version 1: for switches that know no other")
    read.add_argument(
        "--auth", default="none", metavar="KIND", help="sha1, sha224, sha256, sha384, sha512; its password is read"
    )
    read.add_argument("--privacy", default="none", metavar="KIND", help="aes128, aes192, aes256; its password is read")
    read.add_argument("--all", action="store_true", help="all ports, those without a link, too")


def _heard(options: argparse.Namespace) -> int:
    """The switches that announce themselves to this machine's adapters (IEEE 802.1AB)."""
    out = Out(options.json)
    with connect(options) as roster:
        found = [(link.adapter, one) for link in roster.listening() for one in link.neighbours]
    if out.as_json:
        out.json_list([{"adapter": adapter, **plain(one)} for adapter, one in found])
        return 0
    if not found:
        out.say("No switch has announced itself yet; 'roster switch read ADDRESS' reads any that is asked.")
        return 0
    out.table(
        ("switch", "address", "adapter", "port", "description", "last heard"),
        (
            (one.switch, one.address or "", adapter, one.port, one.port_text, ago(one.last_seen))
            for adapter, one in found
        ),
    )
    return 0


def _read(options: argparse.Namespace) -> int:
    out = Out(options.json)
    credential = _credential(options)
    with connect(options) as roster, out.waiting("reading the switch"):
        reading = roster.read_switch(options.switch, credential)
    if out.as_json:
        out.json(reading)
    else:
        _print(out, reading, options.all)
    return 0


def _credential(options: argparse.Namespace) -> Credential:
    from ..api.switches import Credential

    if options.community:
        return Credential(version="1" if options.v1 else "2c", community=secret("Community"))
    auth = secret("Authentication password") if options.auth != "none" else ""
    privacy = secret("Privacy password") if options.privacy != "none" else ""
    return Credential(
        version="3",
        user=options.user,
        auth=options.auth,
        auth_password=auth,
        privacy=options.privacy,
        privacy_password=privacy,
    )


def _print(out: Out, reading: SwitchReading, whole: bool) -> None:
    called = reading.name or (reading.device.name if reading.device else None) or reading.address
    what = f"{called} at {reading.address}: {reading.text}" if reading.text else f"{called} at {reading.address}"
    out.say(what, "bold")
    if reading.model or reading.serial:
        facts = ((reading.model, ""), (reading.serial, "serial number "), (reading.firmware, "firmware "))
        out.say(", ".join(f"{what}{value}" for value, what in facts if value))
    up = [port for port in reading.ports if port.link == "up"]
    shown = list(reading.ports) if whole else up
    macs = sum(port.behind_count for port in reading.ports)
    out.say(
        f"{len(up)} of {len(reading.ports)} ports have a link; {macs} MACs behind them; read in {reading.seconds:.1f} s."
    )
    out.table(
        ("port", "link", "speed", "behind it", "description"),
        ((port.name, _link(port), speed(port.speed), behind(port), port.alias) for port in shown),
    )
    for lack in reading.missing:
        out.notice(f"{lack.what}: {lack.why}")


def _link(port: PortView) -> Text:
    if port.wanted == "down":
        return Text("x switched off", "yellow")
    return Text("+ up", "green") if port.link == "up" else Text(f"- {port.link}", "dim")


def speed(bits: int | None) -> str:
    """Bits a second as people say them."""
    if bits is None:
        return ""
    size, unit = next(((size, unit) for size, unit in PARTS if bits >= size), (1, "bit/s"))
    return f"{bits / size:g} {unit}"


def behind(port: PortView) -> str:
    """Who is behind a port: who announces itself, else the first by name or MAC, and how many more."""
    if port.neighbours:
        told = [f"{one.name or one.chassis}, port {one.port}" for one in port.neighbours]
        more = f"; {port.behind_count} MACs" if port.behind_count else ""
        return "; ".join(told) + more
    names = [one.device.name if one.device and one.device.name else one.mac for one in port.behind[:SHOWN]]
    more = f" and {port.behind_count - SHOWN} more" if port.behind_count > SHOWN else ""
    return ", ".join(names) + more
