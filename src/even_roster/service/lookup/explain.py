"""Explains one address or MAC: everything known about it, and the short of it in sentences."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from ipaddress import IPv4Address

from sqlalchemy import Connection

from ...api.network import Explanation, ScanTrace
from ...api.plan import AssignmentView
from ...core.absence import Reason
from ...core.address import Address, address_of, dotted
from ...core.findings.claimants import contested
from ...core.mac import Mac, MacNumber
from ...core.measure import kind_of
from ...core.past import looks
from ...core.plan.proof import span_of
from ...core.ranges import parse
from ...core.span import SpanSet
from ...core.stays import Source
from ...core.targets import asked
from ...store import device_queries, heard_records, look_records, scan_records
from ...store.address_column import NO_ADDRESS
from ...store.rows import StayRow
from .. import views
from ..context import Context, now_ms
from ..knowing import moments
from ..plan import plan_views, planning
from ..refs import Subnets
from ..scans.running_scans import UNCONTROLLED, refs_of_macs

HOLDERS = 3
HEARD_SHOWN = 3


def explain_address(context: Context, connection: Connection, address: IPv4Address) -> Explanation:
    """Who holds an address, who did, what the last scans heard."""
    value, here = address_of(address), context.plan.site_here
    stays = device_queries.stays_at(connection, here, value)
    ids = {stay.device_id for stay in stays if stay.device_id is not None}
    devices = device_queries.several(connection, sorted(ids))
    traces = _traces(connection, here, value)
    adapter = next((a for a in context.machine.adapters() if address in a.onlink), None)
    subnet = next((str(network) for network in adapter.networks if address in network), None) if adapter else None
    sentences = _where(address, subnet, adapter.name if adapter else None)
    if adapter is not None and adapter.gateway == address:
        sentences.append(f"It is the gateway of {adapter.name}.")
    sentences += _planned(context, connection, value, stays)
    sentences += _claimed(context, value)
    sentences += _holders(context, connection, value, stays)
    sentences += _heard(context, connection, value)
    sentences += _plugged(context, dict.fromkeys(stay.mac for stay in stays[:HOLDERS] if stay.mac is not None))
    sentences += _read_as_switch(context, value)
    sentences += _last_scan(traces) + _asked(connection, here, value, stays)
    return Explanation(
        subject=str(address), kind="address", sentences=sentences, mac=None, vendor=None, local=False,
        subnet=Subnets(context.plan.plan, here).of(subnet) if subnet else None,
        devices=[views.device_row(row) for row in devices],
        stays=[views.stay_row(stay, context.vendors) for stay in stays],
        names=[views.name_stay(name) for name in device_queries.names_at(connection, here, value)], scans=traces,
        assignment=_assignment(context, connection, value),
    )  # fmt: skip


def explain_mac(context: Context, connection: Connection, mac: Mac) -> Explanation:
    """Whose block a MAC lies in, which device it is, which addresses it had."""
    device = device_queries.device_of_mac(connection, mac.value)
    stays = device_queries.stays_of(connection, [mac.value])
    refs = refs_of_macs(connection, {mac.value})
    view = views.mac_view(mac.value, context.vendors)
    sentences = [_vendor_sentence(mac, view.vendor)]
    if mac.multicast:
        sentences.append("It is a group address: no adapter can have it.")
    if device is None:
        sentences.append("It was never seen here.")
    else:
        ref = refs[mac.value]
        sentences.append(
            f"It belongs to {_called(ref.name)} (device {ref.id}){'' if stays else ', which is expected'}."
        )
        if stays:
            last = stays[0]
            sentences.append(f"It held {dotted(last.address)} when it was last seen, {ago(last.last)}.")
    sentences += _plugged(context, [mac.value])
    rows = device_queries.several(connection, [device]) if device is not None else []
    return Explanation(
        subject=str(mac), kind="mac", sentences=sentences, **dict(view), subnet=None,
        devices=[views.device_row(row) for row in rows],
        stays=[views.stay_row(stay, context.vendors) for stay in stays],
        names=[views.name_stay(name) for name in device_queries.names_of(connection, [mac.value])], scans=[], assignment=None,
    )  # fmt: skip


def _plugged(context: Context, macs: Iterable[MacNumber]) -> list[str]:
    """At which ports the switches that are read learnt some MACs last."""
    return [f"{Mac(mac)} was last learnt at {place}." for mac, place in context.plugged(macs).items()]


def _read_as_switch(context: Context, address: Address) -> list[str]:
    """What a switch or router says of itself, where one is read at an address."""
    for switch in context.switches.switches.values():
        if switch.row.address == address and switch.row.site == context.plan.site_here and switch.row.read is not None:
            told = switch.told
            facts = (
                ("", told.get("model")),
                ("serial number ", told.get("serial")),
                ("firmware ", told.get("firmware")),
            )
            said = ", ".join(f"{what}{value}" for what, value in facts if value) or told.get("text") or switch.called
            return [f"It is read as a {'switch' if told.get('bridge') else 'router'}: {said}."]
    return []


def _assignment(context: Context, connection: Connection, address: Address) -> AssignmentView | None:
    with context.plan.reading() as plan:
        item = plan.at(context.plan.site_here, address)
        return plan_views.assignment_view(context, connection, plan, item) if item is not None else None


def _planned(context: Context, connection: Connection, address: Address, stays: list[StayRow]) -> list[str]:
    """What the plan says of an address."""
    with context.plan.reading() as plan:
        here = context.plan.site_here
        subnet = plan.subnet_at(here, address)
        if subnet is None:
            return []
        band = plan.band_at(subnet.id, address)
        item = plan.at(here, address)
        uses = plan.uses_at(here, address)
    found = [f"The plan has it in {subnet.name or subnet.network}{f', in the {band.title}' if band else ''}."]
    if item is not None:
        found.append(
            f"{planning.taken_sentence(item).replace(dotted(address), 'It', 1)}{'' if item.on else ', switched off'}."
        )
        owner = device_queries.one(connection, item.device)
        at_home = item.mac is None or any(stay.mac == item.mac and stay.reason == Reason.NONE for stay in stays)
        if owner is not None and owner.called not in ("", item.name):
            found.append(f"That device is called {owner.called}.")
        if owner is not None and not owner.last_seen and item.mac is None:
            found.append("It was planned without a MAC: whoever answers here may be it, but nobody has said so.")
        elif owner is not None and not owner.last_seen and any(stay.mac is None for stay in stays):
            found.append(
                "Its own MAC was never seen: who answers here is behind the gateway, where MACs cannot be seen."
            )
        elif owner is not None and not owner.last_seen:
            found.append("It is expected: it was never seen.")
        elif owner is not None and not at_home and owner.address not in (address, NO_ADDRESS):
            found.append(f"Its device was last seen at {dotted(owner.address)}, {ago(owner.last_seen)}.")
    found += [f"{use.user} uses it for {use.purpose}." for use in uses]
    return found


def _claimed(context: Context, address: Address) -> list[str]:
    """What the DHCP servers hold of an address, beside what the plan published."""
    claims = context.plan.claims(context.plan.site_here).at(address)
    return [f"DHCP server {one.said}." for one in claims if not context.plan.is_ours(one)]


def _where(address: IPv4Address, subnet: str | None, adapter: str | None) -> list[str]:
    kind = kind_of(SpanSet.of([address]))
    if subnet is None:
        return [f"{address} is a {kind} address outside the subnets this machine stands in."]
    sentences = [f"{address} lies in {subnet}, on the link of {adapter}."]
    network = parse(subnet).spans[0]
    if len(network) > 2 and address in (network.first, network.last):
        which = "network" if address == network.first else "broadcast"
        sentences.append(f"It is the {which} address: no device can have it.")
    return sentences


def _holders(context: Context, connection: Connection, address: Address, stays: list[StayRow]) -> list[str]:
    """Who holds an address now by the rule for moments, or what is known of who did last."""
    if not stays:
        return ["It was never seen in use."]
    now = now_ms()
    known = moments.of_address(connection, context.plan.site_here, address, max(now, stays[0].last))
    standing = [one.row for one in known if one.then.known.there]
    if not standing:
        latest = stays[0]
        who = _holder(context, latest, latest.mac) if latest.mac is not None else "something behind the gateway"
        why = f": {Reason(latest.reason).words}" if latest.reason else ""
        said = [f"Nobody is known to hold it now; {who} did last, until {ago(latest.last)}{why}."]
        return said if why else [*said, *(one.said for one in known[:1])]
    newest = standing[0].last
    held = [stay for stay in standing if stay.mac is not None]
    if not held:
        return [f"Something behind the gateway answered there, last {ago(newest)}; its MAC cannot be seen from here."]
    own = {a.mac.value for a in context.machine.adapters() if a.mac is not None}
    with context.findings.looking() as world:
        together = contested(world, address)
    if any(IPv4Address(address) == one.ip for a in context.machine.adapters() for one in a.addresses):
        also = [
            f"{_upper(_holder(context, stay, stay.mac))} {'answers' if stay.mac in together else 'answered'} for it too, "
            f"last {ago(stay.last)}."
            for stay in held
            if stay.mac is not None and stay.mac not in own
        ]
        return ["This machine has it itself.", *also]
    told = [_holder(context, stay, stay.mac) for stay in held if stay.mac is not None]
    several = [_holder_of(context, stays, mac) for mac in together]
    if len(several) > 1:
        sentences = [f"It is claimed by {'two' if len(several) == 2 else len(several)}: {' and '.join(several)}."]
    else:
        sentences = [f"{_upper(told[0])} holds it; it answered last {ago(newest)}."]
        for stay, who in zip(held[1:], told[1:], strict=True):
            sentences.append(f"{_upper(who)} answered there too, last {ago(stay.last)}, but not together with it.")
    before = {stay.mac for stay in stays if stay.mac is not None} - {stay.mac for stay in held}
    if before:
        sentences.append(f"Before that {len(before)} other {'adapter' if len(before) == 1 else 'adapters'} held it.")
    return sentences


def _heard(context: Context, connection: Connection, address: Address) -> list[str]:
    """Who was only heard to speak as an address."""
    found = heard_records.of_addresses(connection, context.plan.site_here, address, address, HEARD_SHOWN + 1)
    shown = ", ".join(f"{Mac(row.mac)} (last {ago(row.last)})" for row in found[:HEARD_SHOWN])
    more = " and more" if len(found) > HEARD_SHOWN else ""
    return (
        [
            f"{shown}{more} was heard to speak as it and has not answered there since: any device on the link can send that."
        ]
        if found
        else []
    )


def _holder(context: Context, stay: StayRow, mac: MacNumber) -> str:
    return _holder_of(context, [stay], mac)


def _holder_of(context: Context, stays: Sequence[StayRow], mac: MacNumber) -> str:
    """A MAC with the name and the vendor of its device; one that is kept in no stay yet has no name."""
    stay = next((one for one in stays if one.mac == mac), None)
    vendor = context.vendor_of(Mac(mac))
    return f"{_called(stay.called if stay else None)} ({Mac(mac)}{f', {vendor}' if vendor else ''})"


def _upper(text: str) -> str:
    """With a capital at its beginning."""
    return text[:1].upper() + text[1:]


def _called(name: str | None) -> str:
    return name if name else "a device without a name"


def _vendor_sentence(mac: Mac, vendor: str | None) -> str:
    if vendor and mac.local:
        return f"{mac} lies in the site's own prefix of {vendor}."
    if vendor:
        return f"{mac} lies in a block of {vendor}."
    if mac.local:
        return f"{mac} is locally administered: most likely randomised, so it says nothing about the vendor."
    return f"{mac} lies in no block that is known here."


def _traces(connection: Connection, site: int, address: Address) -> list[ScanTrace]:
    """What the last scans that asked for the address learnt; one that was cut off, or in which nobody answered who was known
    before, says nothing of who did not answer."""
    found = []
    for scan, row in scan_records.scans_of_address(connection, site, address):
        whole = scan.state == "done" and UNCONTROLLED not in scan.notes
        answered = row is not None and row.by != Source.OVERHEARD
        if not answered and (not whole or IPv4Address(address) not in asked(scan.targets, scan.subnet)):
            continue
        found.append(
            ScanTrace(
                scan_id=scan.id, at=views.time_of(scan.started), answered=answered,
                by=Source(row.by).words if row else [], macs=[str(Mac(mac)) for mac in row.macs] if row else [],
            )
        )  # fmt: skip
    return found


def _last_scan(traces: list[ScanTrace]) -> list[str]:
    if not traces:
        return ["No scan has asked for it yet."]
    last = traces[0]
    how = (
        f"answered (by {', '.join(last.by)})"
        if last.answered and last.by
        else "answered"
        if last.answered
        else "silent"
    )
    quiet = sum(1 for trace in traces if not trace.answered)
    more = f"; silent in {quiet} of the last {len(traces)} scans" if quiet and len(traces) > 1 else ""
    return [
        f"In the last scan that asked, {ago(round(last.at.timestamp() * 1000))}, it {'was ' if how == 'silent' else ''}{how}{more}."
    ]


def _asked(connection: Connection, site: int, address: Address, stays: list[StayRow]) -> list[str]:
    """How often it is asked for, and how often without an answer since its last one."""
    now, answered = now_ms(), stays[0].last if stays else None
    last, _ = looks.beside(look_records.near(connection, site, address, now), address, now, answered)
    if last is None:
        return []
    often = f", at least every {span_of(last.every)} for {span_of(last.last - last.first)}" if last.count > 1 else ""
    unanswered = next((stay for stay in stays if stay.silent_count), None)
    times = (
        "once"
        if unanswered is not None and unanswered.silent_count == 1
        else f"{unanswered.silent_count} times"
        if unanswered is not None
        else ""
    )
    silent = f"; {times} without an answer since {ago(unanswered.silent_first)}" if unanswered is not None else ""
    return [f"It was asked for last {ago(last.last)} (by {last.kind.words}){often}{silent}."]


def ago(ms: int) -> str:
    """How long ago, in words."""
    seconds = max((now_ms() - ms) // 1000, 0)
    for size, word in ((86400, "day"), (3600, "hour"), (60, "minute")):
        if seconds >= size:
            count = seconds // size
            return f"{count} {word}{'' if count == 1 else 's'} ago"
    return "just now" if seconds < 10 else f"{seconds} seconds ago"
