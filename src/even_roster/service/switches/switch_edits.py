"""People's edits of which switches are read, and of what they say of ports. Each is one change of the journal."""

from __future__ import annotations

from ipaddress import IPv4Address
from typing import Any

from sqlalchemy import Connection

from ...api.switches import PortEdit, SwitchEdit
from ...core.address import Address, dotted
from ...core.text import clean
from ...store import order_records, switch_records
from ...store.edits import EditError, Missing, StaleEdit, Versions
from ...store.journal import Journal, Written, version
from ..context import Context
from ..naming import resolving
from ..setting_edits import changed, differing, writing
from . import credential_edits

SWITCH, PORT = "switch", "port"
USUAL_SECONDS = 300
LONGEST_NOTE = 200


def version_of(connection: Connection, kind: str, identity: int) -> int:
    """At which version a switch, or what people say of a port, is."""
    return version(connection, kind, (identity,))


def address_of_switch(context: Context, text: str) -> Address:
    """The address that a switch is read at, by itself or by a device. Raises Missing, Ambiguous, EditError."""
    with context.database.read() as connection:
        address = resolving.address(context, connection, text)
    ip = IPv4Address(address)
    if ip.is_multicast or ip.is_unspecified or ip.is_reserved or ip.is_loopback:
        raise EditError(f"{ip} is no address that a switch has", "switch")
    return address


def add(
    context: Context, who: str, address: Address, called: str, credential: int | None, every_seconds: int = USUAL_SECONDS
) -> int:  # fmt: skip
    """Read a switch from now on; gives its id. Raises EditError where it is read already."""
    site = context.plan.site_here
    with writing(context, who) as journal:
        for switch in context.switches.switches.values():
            if (switch.row.site, switch.row.address) == (site, address):
                raise EditError(f"{dotted(address)} is read already, as {switch.called}", "switch")
        values = {
            "site": site, "address": address, "credential": credential, "every_seconds": every_seconds, "on": True,
        }  # fmt: skip
        identity = journal.new_id(SWITCH)
        told = _told(journal.connection, values)
        journal.save("add", SWITCH, called or dotted(address), [Written(SWITCH, (identity,), values)], (None, told))
    changed(context, {SWITCH})
    return identity


def edit(context: Context, who: str, identity: int, called: str, given: SwitchEdit, versions: Versions) -> None:
    """Change how a switch is read. Raises Missing, StaleEdit, EditError."""
    address = address_of_switch(context, given.switch) if given.switch is not None else None
    with writing(context, who) as journal:
        before = _before(journal, identity, called, versions)
        after = dict(before)
        if address is not None:
            after["address"] = address
        if given.credential is not None:
            any_will_do = str(given.credential).strip().casefold() in ("", "any")
            found = None if any_will_do else credential_edits.find(journal.connection, given.credential)
            after["credential"] = found.id if found is not None else None
        if given.every_seconds is not None:
            after["every_seconds"] = given.every_seconds
        if given.on is not None:
            after["on"] = given.on
        told = differing(_told(journal.connection, before), _told(journal.connection, after))
        switch_records.ask_again(journal.connection, identity)
        journal.save("set", SWITCH, called, [Written(SWITCH, (identity,), after)], told)
    changed(context, {SWITCH})


def remove(context: Context, who: str, identity: int, called: str, versions: Versions) -> None:
    """Read a switch no longer; what was read of it stays in history. Raises Missing, StaleEdit, EditError while one of
    its ports is off for now."""
    with writing(context, who) as journal:
        before = _before(journal, identity, called, versions)
        if any(order.switch == identity for order in order_records.open_ones(journal.connection)):
            raise EditError("one of its ports is off for now, and is to come back: wait, or switch it on first")
        told = _told(journal.connection, before)
        journal.save("remove", SWITCH, called, [Written(SWITCH, (identity,), None)], (told, None))
    changed(context, {SWITCH})


def say(context: Context, who: str, ports: dict[int, str], given: PortEdit, versions: Versions = None) -> None:
    """Note, mark or call an uplink some ports, each by its id and what it is called: all as one change. Raises StaleEdit,
    EditError."""
    note = clean(given.notes, LONGEST_NOTE) if given.notes is not None else None
    with writing(context, who) as journal:
        rows, was, now = [], dict[str, Any](), dict[str, Any]()
        for port, called in ports.items():
            before = journal.row(PORT, (port,)) or {"note": "", "mark": "", "uplink": None}
            if versions is not None and version(journal.connection, PORT, (port,)) not in versions:
                raise StaleEdit(f"the port {called}", version(journal.connection, PORT, (port,)), before)
            after = dict(before)
            if note is not None:
                after["note"] = note
            if given.mark is not None:
                after["mark"] = "" if given.mark == "none" else given.mark
            if given.uplink is not None:
                after["uplink"] = {"yes": True, "no": False, "weigh": None}[given.uplink]
            if after == before:
                continue
            empty = after == {"note": "", "mark": "", "uplink": None}
            rows.append(Written(PORT, (port,), None if empty else after))
            was, now = differing(before, after)
        if rows:
            called = ", ".join(list(ports.values())[:5]) + (f" and {len(ports) - 5} more" if len(ports) > 5 else "")
            journal.save("set", PORT, called, rows, (was, now))
    changed(context, {PORT})


def _before(journal: Journal, identity: int, called: str, versions: Versions) -> dict[str, Any]:
    before = journal.row(SWITCH, (identity,))
    if before is None:
        raise Missing(f"there is no switch {identity}")
    journal.expect(SWITCH, (identity,), versions, f"the switch {called}", _told(journal.connection, before))
    return before


def _told(connection: Connection, values: dict[str, Any]) -> dict[str, Any]:
    """A switch as the list of changes shows it."""
    credential = values["credential"]
    name = credential_edits.find(connection, credential).name if credential is not None else "any that fits"
    return {
        "address": dotted(values["address"]), "credential": name, "read every": f"{values['every_seconds']} s",
        **({} if values["on"] else {"on": False}),
    }  # fmt: skip
