"""Where the plan wants of a DHCP server what its kind cannot do. Pure.

Said before it is saved, not when it is published.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass

from ..dhcp import differ
from .checks import Problem, Severity
from .model import Band, Plan


@dataclass(frozen=True, slots=True)
class Carrier:
    """A server: its name, and whether single pools of a subnet may hand out other things there."""

    name: str
    by_pool: bool


def problems(plan: Plan, subnets: Iterable[int], servers: Mapping[int, Carrier]) -> Iterator[Problem]:
    """What the servers of some subnets cannot hand out."""
    for identity in subnets:
        subnet = plan.subnets.get(identity)
        if subnet is None:
            continue
        bands: dict[int, list[Band]] = {}
        for band in plan.bands_of(identity):
            if band.server is not None:
                bands.setdefault(band.server, []).append(band)
        for server, pools in bands.items():
            carrier = servers.get(server)
            found = differ(subnet, pools, carrier.by_pool) if carrier is not None else []
            if carrier is not None and found:
                yield Problem(
                    "not carried", Severity.MISTAKE,
                    f"the pools of {subnet.name or subnet.network} differ in {', '.join(found)}, which {carrier.name} cannot hand "
                    "out by pool",
                    "give them the same, or make them subnets of their own",
                    (("subnet", str(subnet.id)), *(("band", str(band.id)) for band in pools)),
                )  # fmt: skip
