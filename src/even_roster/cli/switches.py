"""`roster switch` and `roster credential`: which switches are read, by what, and what they say."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from ..client import BadInput
from ..core.switches.sentences import speed_said
from .common import bad_input, connect, missing, secret
from .grammar import Noun
from .history import moment
from .output import Out, Text, ago, plain
from .ports import port_table, print_turns

if TYPE_CHECKING:
    from ..client import Credential, CredentialView, PortView, SwitchReading, SwitchView
    from .connection import Service

SHOWN = 3


def add_commands(commands: Any, shared: argparse.ArgumentParser) -> None:
    """Add this module's commands."""
    switch = Noun(commands, shared, "switch", _list)
    show = switch.verb("show", "one switch and its ports, now or at a moment", _show, "switch-office-1")
    show.add_argument("switch", metavar="SWITCH", help="its name, address or id")
    show.add_argument("--at", metavar="TIME", help="as it was then")
    add = switch.verb(
        "add", "read a switch from now on, or all of a range", _add, "switch-stage-2 --credential larkspur"
    )
    add.add_argument(
        "switch", metavar="ADDRESS|DEVICE|RANGE", help="the switch; of a range all that have the role network"
    )
    put = switch.verb("set", "read it otherwise", _set, "switch-office-1 --every 600")
    put.add_argument("switch", metavar="SWITCH", help="its name, address or id")
    put.add_argument("--address", metavar="ADDRESS|DEVICE", help="read it there")
    put.add_argument("--off", action="store_true", help="do not read it for the time being")
    put.add_argument("--on", action="store_true", help="read it again")
    for one in (add, put):
        one.add_argument("--credential", metavar="NAME", help="by this credential; 'any': by any that fits")
        one.add_argument(
            "--every", type=int, metavar="SECONDS", help="seconds between two readings; 300 where not said"
        )
    read = switch.verb("read", "read it now, and print its ports", _read, "switch-office-1")
    read.add_argument("switch", metavar="SWITCH|ADDRESS", help="one that is kept; any other with --community or --user")
    _how(read)
    read.add_argument("--all", action="store_true", help="all ports, those without a link, too")
    turns = switch.verb(
        "compare", "what is different between two moments", _compare, "switch-office-1 --since yesterday"
    )
    turns.add_argument("switch", metavar="SWITCH", help="its name, address or id")
    turns.add_argument("--since", metavar="TIME", required=True, help="the first moment")
    turns.add_argument("--until", metavar="TIME", help="the second moment; now where not said")
    remove = switch.verb("remove", "read a switch no longer; its history stays", _remove, "")
    remove.add_argument("switch", metavar="SWITCH", help="its name, address or id")
    credential = Noun(commands, shared, "credential", _credentials)
    for word, helped, run in (
        ("add", "keep a credential, encrypted", _add_credential),
        ("set", "change one", _set_credential),
    ):
        one = credential.verb(word, helped, run)
        one.add_argument("name", metavar="NAME", help="what it is called")
        _how(one)
        if word == "set":
            one.add_argument("--name", dest="new_name", metavar="NEW", help="call it so")
    forget = credential.verb("remove", "keep it no longer", _remove_credential)
    forget.add_argument("name", metavar="NAME", help="what it is called")


def _how(parser: argparse.ArgumentParser) -> None:
    """The options of a credential; what is secret is read, never typed on a command line."""
    how = parser.add_mutually_exclusive_group()
    how.add_argument("--community", action="store_true", help="a community, read from the terminal or standard input")
    how.add_argument("--user", metavar="NAME", help="this user of version 3")
    parser.add_argument("--v1", action="store_true", help="a community of version 1: for switches that know no other")
    parser.add_argument(
        "--auth", default="none", metavar="KIND", help="sha1, sha224, sha256, sha384, sha512; its password is read"
    )
    parser.add_argument(
        "--privacy", default="none", metavar="KIND", help="aes128, aes192, aes256; its password is read"
    )


def _list(options: argparse.Namespace) -> int:
    """The switches that are read, and those that only announce themselves (IEEE 802.1AB)."""
    out = Out(options.json)
    with connect(options) as roster:
        found = list(roster.switches())
        heard = (
            [(link.adapter, one) for link in roster.listening() for one in link.neighbours] if not out.as_json else []
        )
    if out.as_json:
        out.json_list(found)
        return 0
    if found:
        out.table(
            ("switch", "address", "model", "ports", "up", "MACs", "read", "trouble"),
            (
                (
                    one.name, one.address, one.model, str(one.port_count), str(one.up_count), str(one.behind_count),
                    "now" if one.reading else ago(one.read_at) if one.read_at else "never", one.trouble,
                )
                for one in found
            ),
            right=("ports", "up", "MACs"),
        )  # fmt: skip
    known = {one.name for one in found} | {one.address for one in found}
    for adapter, one in heard:
        if one.switch not in known and one.address not in known:
            where = f" at {one.address}" if one.address else ""
            out.say(f"{one.switch}{where} announces itself on {adapter}, port {one.port}; it is not read yet.")
    if not found:
        out.say("No switch is read yet: 'roster credential add NAME --community', then 'roster switch add ADDRESS'.")
    return 0


def pick(roster: Service, name: str) -> SwitchView:
    """A switch by its id, name or address. Raises NotFound."""
    found = list(roster.switches())
    word = name.strip().casefold()
    for one in found:
        if word in (one.name.casefold(), one.address, str(one.id)):
            return one
    names = ", ".join(one.name for one in found) or "none yet: 'roster switch add ADDRESS'"
    raise missing(f"no switch {name!r} is read; those that are: {names}")


def _show(options: argparse.Namespace) -> int:
    out, at = Out(options.json), moment(options.at)
    with connect(options) as roster:
        one = pick(roster, options.switch)
        ports = list(roster.ports(one.name, at))
    if out.as_json:
        out.json({"switch": plain(one), "ports": [plain(port) for port in ports]})
        return 0
    _facts(out, one)
    if at is not None:
        out.say(f"As it was at {options.at}:")
    port_table(out, ports)
    for lack in one.missing:
        out.notice(f"{lack.what}: {lack.why}")
    return 0


def _facts(out: Out, one: SwitchView) -> None:
    out.say(f"{one.name} at {one.address}{f': {one.text}' if one.text else ''}", "bold")
    facts = ((one.model, ""), (one.serial, "serial number "), (one.firmware, "firmware "))
    if told := ", ".join(f"{what}{value}" for value, what in facts if value):
        out.say(told)
    by = f"by {one.credential.name}" if one.credential else "by any credential that fits"
    read = f"read {ago(one.read_at)}" if one.read_at else "not read yet"
    out.say(f"{one.said}; {read}, every {one.every_seconds} s {by}{'' if one.on else ', switched off'}.")
    if one.trouble:
        out.notice(f"it cannot be read: {one.trouble}")


def _add(options: argparse.Namespace) -> int:
    from ..api.switches import SwitchNew, SwitchSearch

    out = Out(options.json)
    credential = None if options.credential in (None, "any") else options.credential
    given: dict[str, Any] = {"credential": credential} | ({"every_seconds": options.every} if options.every else {})
    text = options.switch
    if "/" in text or ("-" in text and text.replace("-", "").replace(".", "").replace(" ", "").isdigit()):
        with connect(options) as roster, out.waiting("asking who is a switch there"):
            done = roster.search_switches(SwitchSearch(within=text, **given))
        if out.as_json:
            out.json(done)
            return 0 if done.added else 1
        for one in done.added:
            out.say(f"{one.name} at {one.address} is read from now on: {one.said}.")
        for no in done.refused:
            called = f"{no.device.name} at {no.address}" if no.device and no.device.name else no.address
            out.notice(f"{called} is not: {no.why}")
        return 0 if done.added else 1
    with connect(options) as roster:
        added = roster.add_switch(SwitchNew(switch=text, **given))
        try:
            with out.waiting(f"reading {added.name}"):
                added = roster.read_switch_now(added.id)
        except BadInput as error:
            raise bad_input(
                f"{added.name} is entered, but cannot be read yet: {error}; 'roster switch set' or 'roster switch remove' it"
            ) from error
    if out.as_json:
        out.json(added)
    else:
        out.say(f"{added.name} at {added.address} is read every {added.every_seconds} s from now on: {added.said}.")
    return 0


def _set(options: argparse.Namespace) -> int:
    from ..api.switches import SwitchEdit

    on = True if options.on else False if options.off else None
    edit = SwitchEdit(switch=options.address, credential=options.credential, every_seconds=options.every, on=on)
    if all(value is None for value in edit.model_dump().values()):
        raise bad_input("say what is to change: --address, --credential, --every, --off or --on")
    out = Out(options.json)
    with connect(options) as roster:
        one = pick(roster, options.switch)
        one = roster.edit_switch(one.id, edit, one.version)
    if out.as_json:
        out.json(one)
    else:
        _facts(out, one)
    return 0


def _remove(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        one = pick(roster, options.switch)
        roster.remove_switch(one.id, one.version)
    if out.as_json:
        out.json({"removed": one.name})
    else:
        out.say(f"{one.name} is read no longer; what was read of it stays.")
    return 0


def _compare(options: argparse.Namespace) -> int:
    out, since, until = Out(options.json), moment(options.since), moment(options.until)
    assert since is not None
    with connect(options) as roster:
        one = pick(roster, options.switch)
        found = list(roster.switch_turns(one.id, since, until))
    if out.as_json:
        out.json_list(found)
    elif not found:
        out.say(f"Nothing is different at {one.name}.")
    else:
        print_turns(out, found)
    return 0


def _read(options: argparse.Namespace) -> int:
    out = Out(options.json)
    if options.community or options.user:
        credential = _credential(options)
        with connect(options) as roster, out.waiting("reading the switch"):
            reading = roster.read_switch(options.switch, credential)
        if out.as_json:
            out.json(reading)
        else:
            _print(out, reading, options.all)
        return 0
    with connect(options) as roster:
        one = pick(roster, options.switch)
        with out.waiting(f"reading {one.name}"):
            one = roster.read_switch_now(one.id)
        ports = list(roster.ports(one.name))
    if out.as_json:
        out.json({"switch": plain(one), "ports": [plain(port) for port in ports]})
        return 0
    _facts(out, one)
    port_table(out, ports if options.all else [port for port in ports if port.link == "up"])
    return 0


def _credential(options: argparse.Namespace) -> Credential:
    from ..api.switches import Credential

    return Credential(**_said(options))


def _said(options: argparse.Namespace) -> dict[str, Any]:
    """What the options say of a credential; secrets are read."""
    if options.community:
        return {"snmp": "1" if options.v1 else "2c", "community": secret("Community")}
    if not options.user:
        return {}
    auth = secret("Authentication password") if options.auth != "none" else ""
    privacy = secret("Privacy password") if options.privacy != "none" else ""
    return {
        "snmp": "3", "user": options.user, "auth": options.auth, "auth_password": auth, "privacy": options.privacy,
        "privacy_password": privacy,
    }  # fmt: skip


def _credentials(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = list(roster.credentials())
    if out.as_json:
        out.json_list(found)
        return 0
    if not found:
        out.say(
            "No credential is kept yet: 'roster credential add NAME --community', or --user with --auth and --privacy."
        )
        return 0
    rows = ((one.name, f"version {one.snmp}", _by(one), str(one.switch_count)) for one in found)
    out.table(("credential", "SNMP", "how", "switches"), rows, right=("switches",))
    return 0


def _by(one: CredentialView) -> str:
    if one.snmp != "3":
        return "community"
    parts = [f"user {one.user}", *(kind for kind in (one.auth, one.privacy) if kind != "none")]
    return ", ".join(parts)


def _add_credential(options: argparse.Namespace) -> int:
    from ..api.switches import CredentialNew

    said = _said(options)
    if not said:
        raise bad_input("say how switches are read: --community, or --user NAME with --auth and --privacy")
    out = Out(options.json)
    with connect(options) as roster:
        one = roster.add_credential(CredentialNew(name=options.name, **said))
    if out.as_json:
        out.json(one)
    else:
        out.say(f"{one.name} is kept, encrypted; it is never shown again.")
    return 0


def _set_credential(options: argparse.Namespace) -> int:
    from ..api.switches import CredentialEdit

    said = _said(options) | ({"name": options.new_name} if options.new_name else {})
    if not said:
        raise bad_input("say what is to change: --name, --community, or --user with --auth and --privacy")
    out = Out(options.json)
    with connect(options) as roster:
        one = _pick_credential(roster, options.name)
        one = roster.edit_credential(one.id, CredentialEdit(**said), one.version)
    if out.as_json:
        out.json(one)
    else:
        out.say(f"{one.name} is changed: {_by(one)}.")
    return 0


def _remove_credential(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        one = _pick_credential(roster, options.name)
        roster.remove_credential(one.id, one.version)
    if out.as_json:
        out.json({"removed": one.name})
    else:
        out.say(f"{one.name} is kept no longer.")
    return 0


def _pick_credential(roster: Service, name: str) -> CredentialView:
    found = list(roster.credentials())
    for one in found:
        if name.casefold() == one.name.casefold() or name == str(one.id):
            return one
    names = ", ".join(one.name for one in found) or "none yet"
    raise missing(f"there is no credential {name!r}; those that are kept: {names}")


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
        ((port.name, _link(port), speed_said(port.speed), _behind(port), port.alias) for port in shown),
    )
    for lack in reading.missing:
        out.notice(f"{lack.what}: {lack.why}")


def _link(port: PortView) -> Text:
    if port.wanted == "down":
        return Text("x switched off", "yellow")
    return Text("+ up", "green") if port.link == "up" else Text(f"- {port.link}", "dim")


def _behind(port: PortView) -> str:
    """Who is behind a port: who announces itself, else the first by name or MAC, and how many more."""
    if port.neighbours:
        told = [f"{one.name or one.chassis}, port {one.port}" for one in port.neighbours]
        more = f"; {port.behind_count} MACs" if port.behind_count else ""
        return "; ".join(told) + more
    names = [one.device.name if one.device and one.device.name else one.mac for one in port.behind[:SHOWN]]
    more = f" and {port.behind_count - SHOWN} more" if port.behind_count > SHOWN else ""
    return ", ".join(names) + more
