"""Asks for DHCP servers on demand and holds the offers against the plan."""

from __future__ import annotations

import asyncio
from ipaddress import IPv4Address

from ...api.common import ServerRef, SubnetRef
from ...api.watching import AskAnswer, AskRequest, OfferView, OptionView
from ...core.adapters import Adapter, choose
from ...core.address import dotted
from ...core.findings.offers import compare
from ...core.mac import Mac
from ...core.plan.model import BandKind, Subnet
from ...probe.dhcp_ask import OfferHeard
from ...wire import dhcp_options
from .. import views
from ..context import Context
from ..refs import subnet_ref
from .watcher import Watcher


async def ask(context: Context, watcher: Watcher, request: AskRequest) -> AskAnswer:
    """One DISCOVER on an adapter's link; all offers. Raises AdapterError, SegmentError."""
    choice = choose(context.machine.adapters(), None, request.adapter or context.settings.adapter)
    adapter = choice.adapter
    planned = context.plan.plan.subnets_of(context.plan.site_here)
    subnet = next((s for n in adapter.networks for s in planned if s.network == n), None)
    network = subnet.network if subnet is not None else adapter.networks[0]
    began = context.monotonic()
    heard = await watcher.ask(adapter, network, request.wait)
    offers = await asyncio.to_thread(lambda: [_offer(context, one, subnet) for one in heard])
    verdict, well = _verdict(context, adapter, subnet, offers)
    return AskAnswer(
        adapter=adapter.name, subnet=subnet_ref(subnet) if subnet is not None else SubnetRef(id=None, cidr=str(network), name=""),
        seconds=round(context.monotonic() - began, 1), verdict=verdict,
        well=well, offers=offers,
    )  # fmt: skip


def _offer(context: Context, one: OfferHeard, subnet: Subnet | None) -> OfferView:
    offer = one.offer
    differences = compare(offer, context.plan.plan, context.plan.site_here, subnet)
    with context.findings.looking() as world:
        planned = (
            [s for s in world.dhcp.servers_for(subnet.id) if offer.server in s.addresses] if subnet is not None else []
        )
    vendor = views.mac_view(one.mac.value, context.vendors).vendor
    return OfferView(
        server_address=dotted(offer.server), mac=str(Mac(offer.mac)), vendor=vendor,
        relay=dotted(offer.relay) if offer.relay else None, address=dotted(offer.address),
        mask=dotted(offer.mask) if offer.mask is not None else None,
        gateway=dotted(offer.gateways[0]) if offer.gateways else None, dns=[dotted(a) for a in offer.dns],
        domain=offer.domain, lease_seconds=offer.lease, after_ms=round(one.after * 1000, 1),
        options=[OptionView(code=o.code, name=o.name, value=o.text, source=o.source) for o in dhcp_options.show(one.message)],
        server=ServerRef(id=planned[0].id, name=planned[0].name) if planned else None, differences=differences,
    )  # fmt: skip


def _verdict(
    context: Context, adapter: Adapter, subnet: Subnet | None, offers: list[OfferView]
) -> tuple[str, bool]:  # fmt: skip
    where = (subnet.name or str(subnet.network)) if subnet is not None else adapter.name
    if subnet is None:
        told = f"{len(offers)} offer{'' if len(offers) == 1 else 's'}" if offers else "no offer"
        return f"{told} on {adapter.name}; its subnet is not in the plan, so there is nothing to compare with", bool(
            offers
        )
    pools = any(band.kind is BandKind.POOL for band in context.plan.plan.bands_of(subnet.id))
    strangers = [o for o in offers if o.server is None]
    servers = {o.server_address for o in offers}
    if not offers:
        return (
            (f"nobody answers in {where}, where the plan has a pool", False)
            if pools
            else (f"nobody answers in {where}, as planned: it has no pool", True)
        )
    if strangers:
        names = ", ".join(sorted({o.server_address for o in strangers}, key=IPv4Address))
        return f"{len(servers)} server{'s' if len(servers) > 1 else ''} in {where}; nobody planned {names}", False
    if any(o.differences for o in offers):
        return f"the planned server answers in {where}, but not as planned", False
    return f"the planned server answers in {where}, as planned", True
