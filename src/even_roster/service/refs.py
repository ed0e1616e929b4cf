"""What answers name other things by: sites, subnets, bands and servers with their ids and names. No queries here."""

from __future__ import annotations

from collections.abc import Mapping
from ipaddress import IPv4Network

from ..api.common import BandRef, ServerRef, SiteRef, SubnetRef
from ..core.plan.model import Band, Plan, Subnet


def site_ref(plan: Plan, identity: int) -> SiteRef:
    """A site of the plan."""
    return SiteRef(id=identity, name=plan.sites[identity].name)


def subnet_ref(subnet: Subnet) -> SubnetRef:
    """A planned subnet."""
    return SubnetRef(id=subnet.id, cidr=str(subnet.network), name=subnet.name)


def band_ref(band: Band) -> BandRef:
    """A band, by its name or what it is."""
    return BandRef(id=band.id, name=band.title)


def server_ref(identity: int | None, names: Mapping[int, str]) -> ServerRef | None:
    """A server by the names of all of them; None for none."""
    return ServerRef(id=identity, name=names[identity]) if identity is not None and identity in names else None


class Subnets:
    """The subnets of a site by what they span: planned ones with their ids and names, others as they are written."""

    def __init__(self, plan: Plan, site: int) -> None:
        self._planned = {str(one.network): subnet_ref(one) for one in plan.subnets_of(site)}

    def of(self, network: IPv4Network | str) -> SubnetRef:
        """One subnet."""
        text = str(network)
        return self._planned.get(text) or SubnetRef(id=None, cidr=text, name="")
