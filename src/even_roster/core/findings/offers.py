"""What a DHCP server offers, and where that disagrees with the plan. Pure."""

from __future__ import annotations

from dataclasses import dataclass
from ipaddress import IPv4Network

from ..address import Address, dotted
from ..mac import Mac, MacNumber
from ..plan.model import BandKind, HandedOut, Plan, Subnet


@dataclass(frozen=True, slots=True)
class Offer:
    """One offer (RFC 2131 4.3.1). Addresses as integers, 0 for none; `lease` in seconds; `mac` the frame's sender,
    which is the relay's or router's where there is one between."""

    server: int
    mac: MacNumber
    relay: int
    address: Address
    mask: int | None
    gateways: tuple[int, ...]
    dns: tuple[Address, ...]
    domain: str
    ntp: tuple[Address, ...]
    lease: int | None

    @property
    def title(self) -> str:
        """Who offers, for a sentence."""
        return f"{dotted(self.server)} ({Mac(self.mac)})"


def compare(offer: Offer, plan: Plan, site: int, subnet: Subnet | None) -> list[str]:
    """Where an offer made on a planned subnet's link disagrees with the plan, in sentences."""
    if subnet is None:
        return []
    said = []
    if offer.address and not subnet.first <= offer.address <= subnet.last:
        return [f"it offers {dotted(offer.address)}, which lies outside {subnet.network}"]
    band = plan.band_at(subnet.id, offer.address)
    reserved = plan.at(site, offer.address)
    if offer.address and (band is None or band.kind is not BandKind.POOL) and reserved is None:
        said.append(f"it offers {dotted(offer.address)}, which lies in no pool of the plan")
    own = band.options if band is not None and band.kind is BandKind.POOL else HandedOut()
    wanted = own.over(subnet.handed_out)
    if offer.mask is not None and offer.mask != int(subnet.network.netmask):
        shown = dotted(offer.mask)
        said.append(f"it hands out the mask {shown} where the plan has {subnet.network.netmask}")
    if wanted.gateway is not None and offer.gateways[:1] != (wanted.gateway,):
        given = dotted(offer.gateways[0]) if offer.gateways else "none"
        said.append(f"it hands out the gateway {given} where the plan has {dotted(wanted.gateway)}")
    if wanted.dns and set(offer.dns) != set(wanted.dns):
        said.append(f"it hands out the DNS servers {_list(offer.dns)} where the plan has {_list(wanted.dns)}")
    if wanted.domain and offer.domain.casefold().rstrip(".") != wanted.domain.casefold():
        said.append(f"it hands out the domain {offer.domain or 'none'} where the plan has {wanted.domain}")
    if wanted.ntp and set(offer.ntp) != set(wanted.ntp):
        said.append(f"it hands out the time servers {_list(offer.ntp)} where the plan has {_list(wanted.ntp)}")
    if wanted.lease_seconds and offer.lease is not None and offer.lease > wanted.lease_seconds:
        # A server may give less, because an older lease or a relay's limit runs; more is never the plan.
        said.append(f"it gives leases of {offer.lease} s where the plan has {wanted.lease_seconds} s")
    return said


def mask_of(offer: Offer) -> IPv4Network | None:
    """The subnet a client would believe to be in; None when the mask is missing or has holes."""
    if offer.mask is None or not offer.address:
        return None
    try:
        return IPv4Network((offer.address, dotted(offer.mask)), strict=False)
    except ValueError:
        return None


def _list(addresses: tuple[Address, ...]) -> str:
    return ", ".join(dotted(address) for address in addresses) or "none"
