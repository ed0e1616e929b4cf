"""Finds what people mean when they name a thing. The one place where references are read, for every route, command and call.

To change a device it is named by its id, a name that somebody gave it, its planned hostname or a MAC: never by a fragment, nor by a
name that was only heard, which anybody can send. To read, an address, a heard name and a fragment will do.
"""

from __future__ import annotations

from collections.abc import Iterable
from difflib import get_close_matches
from ipaddress import AddressValueError, IPv4Address

from sqlalchemy import Connection, Text, bindparam, func, select

from ...api.common import Meant
from ...core.address import Address, address_of, dotted
from ...core.mac import Mac, MacError
from ...core.plan.model import Assignment, Band, Plan, Subnet
from ...core.ranges import RangeError, parse
from ...store import device_queries, lease_records
from ...store.address_column import NO_ADDRESS
from ...store.device_queries import DeviceFilter
from ...store.edits import Missing
from ...store.rows import DeviceRow, DhcpServerRow
from ...store.tables import devices
from .. import views
from ..context import Context
from ..web.problems import SHOWN, Ambiguous, NotByThat
from . import request_values

MOST_DIGITS = 9
_NAMED = select(devices.c.id).where(func.lower(devices.c.name) == bindparam("name", type_=Text))  # put together once
_QUOTES = "\"'`“”„‘’ "


def id_of(text: str) -> int | None:
    """The id that a reference is, when it is a number: nothing is called by one."""
    word = text.strip(_QUOTES)
    return int(word) if word.isascii() and word.isdigit() and len(word) <= MOST_DIGITS else None


def device_to_change(context: Context, connection: Connection, text: str) -> int:
    """The device that an edit is about. Raises Missing, Ambiguous, NotByThat."""
    word = text.strip(_QUOTES)
    if (found := _exactly(context, connection, word)) is not None:
        return found
    rows, how = _loosely(context, connection, word)
    if not rows or how == "fragment":
        raise Missing(f"there is no device {text!r}{_perhaps(word, _names(context, connection))}")
    shown = [_meant(row) for row in rows]
    why = "an address, which another device may have tomorrow" if how == "address" else "a name that was only heard"
    them = "; ".join(one.said for one in shown[:SHOWN])
    raise NotByThat(f"{word} is {why}: name the device by its id, MAC or a name that it was given, here {them}", shown)


def device_or_holder(context: Context, connection: Connection, text: str) -> int:
    """A device to change where an address means what is there now: to keep that it has it, for instance. Raises Missing, Ambiguous,
    NotByThat."""
    try:
        return device_to_change(context, connection, text)
    except NotByThat as error:
        if len(error.candidates) == 1 and text.strip(_QUOTES) == error.candidates[0].address:
            return error.candidates[0].id
        raise


def device_to_read(context: Context, connection: Connection, text: str) -> int:
    """The device that a question is about. Raises Missing, Ambiguous."""
    word = text.strip(_QUOTES)
    if (found := _exactly(context, connection, word)) is not None:
        return found
    rows, _ = _loosely(context, connection, word)
    if not rows:
        raise Missing(f"there is no device {text!r}{_perhaps(word, _names(context, connection))}")
    if len(rows) > 1:
        raise Ambiguous("devices", text, [_meant(row) for row in rows])
    return rows[0].id


def _exactly(context: Context, connection: Connection, word: str) -> int | None:
    """A device by what only its own people and makers gave it. Raises Missing for an id or MAC that is nobody's, Ambiguous."""
    if (identity := id_of(word)) is not None:
        if device_queries.one(connection, identity) is None:
            raise Missing(f"there is no device {word}")
        return identity
    try:
        mac = Mac.parse(word)
    except MacError:
        pass
    else:
        if (found := device_queries.device_of_mac(connection, mac.value)) is None:
            raise Missing(f"no device has the MAC {mac}")
        return found
    rows = _called(context, connection, word)
    if len(rows) > 1:
        raise Ambiguous("devices", word, [_meant(row) for row in rows])
    return rows[0].id if rows else None


def _called(context: Context, connection: Connection, word: str) -> list[DeviceRow]:
    """Devices that were given a name, or have it as a planned hostname; those in the lists before those that are retired."""
    key = word.casefold()
    named = set(connection.execute(_NAMED, {"name": word.lower()}).scalars())
    if not key.isascii():
        named |= {
            row.id
            for row in connection.execute(select(devices.c.id, devices.c.name).where(devices.c.name != ""))
            if row.name.casefold() == key
        }
    named |= {item.device for item in _planned(context.plan.plan, key) if item.device}
    rows = device_queries.several(connection, sorted(named))
    return [row for row in rows if not row.retired] or rows


def _planned(plan: Plan, key: str, site: int | None = None) -> list[Assignment]:
    """Assignments of a hostname, with or without its domain."""
    return [
        item
        for item in plan.assignments.values()
        if item.name and (site is None or item.site == site) and key in _spellings(plan, item)
    ]


def _spellings(plan: Plan, item: Assignment) -> tuple[str, ...]:
    name = item.name.casefold()
    domain = plan.subnets[item.subnet].domain if item.subnet in plan.subnets else ""
    return (name, f"{name}.{domain}") if domain else (name,)


def _loosely(context: Context, connection: Connection, word: str) -> tuple[list[DeviceRow], str]:
    """Devices by what may change or be forged: an address, a heard name, a fragment; and which of these it was."""
    try:
        address = address_of(IPv4Address(word))
    except AddressValueError:
        pass
    else:
        return _at(context, connection, address), "address"
    key = word.casefold()
    heard = func.lower(devices.c.seen_name)
    query = select(devices.c.id).where((heard == key) | heard.startswith(f"{key}.", autoescape=True)).limit(50)
    if rows := device_queries.several(connection, list(connection.execute(query).scalars())):
        return [row for row in rows if not row.retired] or rows, "heard"
    return device_queries.page(connection, DeviceFilter(text=word), "last_seen", True, None, 50).rows, "fragment"


def _at(context: Context, connection: Connection, address: Address) -> list[DeviceRow]:
    """Whose an address is: by the plan, else who was seen there last."""
    item = context.plan.plan.at(context.plan.site_here, address)
    if item is not None and item.device:
        return device_queries.several(connection, [item.device])
    query = select(devices.c.id).where(devices.c.address == address, ~devices.c.retired)
    return device_queries.several(connection, list(connection.execute(query).scalars()))


def address(context: Context, connection: Connection, text: str, site: str | None = None) -> Address:
    """The address that a question is about: itself, or that of a device. Raises Missing, Ambiguous, EditError."""
    word = text.strip(_QUOTES)
    if word.partition("/")[0].replace(".", "").isdigit() and "." in word:
        return request_values.address(word)
    plan = context.plan.plan
    here = request_values.site(plan, site, context.plan.site_here)
    items = _planned(plan, word.casefold(), here)
    if not items:
        row = device_queries.one(connection, device_to_read(context, connection, text))
        assert row is not None
        items = [item for item in plan.of_device(row.id) if item.site == here]
        if not items and row.address != NO_ADDRESS:
            return row.address
        if not items:
            raise Missing(f"{_meant(row).said} has no address")
    if len(items) > 1:
        raise Ambiguous("addresses", text, [_of_item(item) for item in items])
    return items[0].address


def assignment(context: Context, text: str, site: str | None = None) -> Assignment:
    """An assignment by its id, its address or its hostname. Raises Missing, Ambiguous, EditError."""
    word, plan = text.strip(_QUOTES), context.plan.plan
    if word.isascii() and word.isdigit():
        found = plan.assignments.get(int(word))
        if found is None:
            raise Missing(f"there is no assignment {word} in the plan")
        return found
    here = request_values.site(plan, site, context.plan.site_here)
    if not word.replace(".", "").replace("/", "").isdigit():
        items = _planned(plan, word.casefold(), here)
        if len(items) > 1:
            raise Ambiguous("assignments", text, [_of_item(item) for item in items])
        if not items:
            names = [item.name for item in plan.assignments.values() if item.name and item.site == here]
            raise Missing(f"no address is assigned to {text!r}{_perhaps(word, names)}")
        return items[0]
    wanted = request_values.address(word)
    item = plan.at(here, wanted)
    if item is None:
        raise Missing(f"{dotted(wanted)} is assigned to nobody")
    return item


def subnet(context: Context, text: str, site: str | None = None, *, reading: bool = False) -> Subnet:
    """A subnet by its id, range or own name; to read also by a band or an address in it. Raises Missing, EditError."""
    plan, word = context.plan.plan, text.strip(_QUOTES)
    if word.isascii() and word.isdigit():
        if (known := plan.subnets.get(int(word))) is None:
            raise Missing(f"there is no subnet {word} in the plan")
        return known
    here = request_values.site(plan, site, context.plan.site_here)
    found = request_values.find_subnet(plan, here, word)
    if found is None and reading and (band := request_values.find_band(plan, here, word)) is not None:
        found = plan.subnets[band.subnet]
    if found is not None and not reading and _one_address(word):
        what = f"{word} is an address in {found.name or found.network}: name the subnet by its range or name"
        raise NotByThat(what, [Meant(id=found.id, name=found.name, address=str(found.network))])
    return found if found is not None else request_values.known_subnet(plan, here, word)


def _one_address(word: str) -> bool:
    try:
        IPv4Address(word)
    except AddressValueError:
        return False
    return True


def stretches(context: Context, text: str) -> tuple[tuple[int, int], ...]:
    """The addresses that a list is to be narrowed to: ranges as people write them, or a subnet or band by its name.

    Raises RangeError, Missing, Ambiguous."""
    try:
        return parse(text).pairs
    except RangeError as error:
        plan, word = context.plan.plan, text.strip(_QUOTES)
        found: Subnet | Band | None = request_values.find_subnet(plan, context.plan.site_here, word)
        named: list[Subnet | Band] = [*plan.subnets.values(), *plan.bands.values()]
        names = [one.name for one in named if one.name]
        if found is None and any(word.casefold() == name.casefold() for name in names):
            found = band(context, word)
        if found is not None:
            return ((found.first, found.last),)
        if word.replace(" ", "").replace("-", "").isalpha():
            raise Missing(f"no subnet, band or range is called {text!r}{_perhaps(word, names)}") from error
        raise


def band(context: Context, text: str, within: str | None = None, site: str | None = None) -> Band:
    """A band by its id, its range, or its name, which `within` its subnet is enough. Raises Missing, Ambiguous."""
    plan, word = context.plan.plan, text.strip(_QUOTES)
    if word.isascii() and word.isdigit():
        if (known := plan.bands.get(int(word))) is None:
            raise Missing(f"there is no band {word} in the plan")
        return known
    inside = subnet(context, within, site) if within else None
    here = inside.site if inside else request_values.site(plan, site, context.plan.site_here)
    there = plan.bands_of(inside.id) if inside else [b for s in plan.subnets_of(here) for b in plan.bands_of(s.id)]
    key = word.casefold().replace(" ", "")
    found = [one for one in there if f"{dotted(one.first)}-{dotted(one.last)}" == key]
    found = found or [one for one in there if one.name and one.name.casefold() == word.casefold()]
    if len(found) > 1:
        raise Ambiguous("bands", text, [_of_band(plan, one) for one in found])
    if not found:
        names = [one.name for one in there if one.name]
        raise Missing(f"there is no band {text!r}{_perhaps(word, names)}")
    return found[0]


def server(connection: Connection, text: str) -> DhcpServerRow:
    """A DHCP server by its id or name. Raises Missing."""
    rows, word = lease_records.servers(connection), text.strip(_QUOTES)
    for row in rows:
        if word.casefold() == row.name.casefold() or word == str(row.id):
            return row
    raise Missing(f"there is no DHCP server {text!r}{_perhaps(word, [row.name for row in rows])}")


def _meant(row: DeviceRow) -> Meant:
    seen = views.device_row(row)
    return Meant(id=row.id, name=seen.called, address=seen.address, mac=seen.mac)


def _of_item(item: Assignment) -> Meant:
    mac = str(Mac(item.mac)) if item.mac is not None else None
    return Meant(id=item.id, name=item.name, address=dotted(item.address), mac=mac)


def _of_band(plan: Plan, one: Band) -> Meant:
    inside = plan.subnets[one.subnet]
    stretch = f"{dotted(one.first)}-{dotted(one.last)}"
    return Meant(id=one.id, name=f"{one.title} of {inside.name or inside.network}", address=stretch, mac=None)


def _names(context: Context, connection: Connection) -> list[str]:
    """What devices are called, for offering what may have been meant."""
    shown = connection.execute(select(devices.c.called).where(devices.c.called != "", ~devices.c.retired)).scalars()
    return [*shown, *(item.name for item in context.plan.plan.assignments.values() if item.name)]


def _perhaps(word: str, names: Iterable[str]) -> str:
    """What is written nearly so, for the end of a sentence."""
    key = word.casefold()
    alike = {
        name.casefold(): name
        for name in names
        if abs(len(name) - len(key)) <= 3 and (name[:1].casefold() == key[:1] or name[-3:].casefold() == key[-3:])
    }
    near = [alike[one] for one in get_close_matches(key, alike, 3, 0.6)]
    return f"; is it {' or '.join(near)}?" if near else ""
