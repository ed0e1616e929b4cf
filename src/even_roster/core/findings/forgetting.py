"""Drops from the world what lies long back, so that its memory stays bounded. Pure."""

from __future__ import annotations

from .world import KEPT, World


def forget_old(world: World) -> int:
    """Drop pairs not seen for KEPT, but none of a MAC or address that is planned: how long those are away is asked.
    Gives how many."""
    dropped = 0
    world.hearsay.forget(world.now)
    for address, holders in list(world.holders.items()):
        if world.plan.at(world.site, address) is not None:
            continue
        old = [m for m, held in holders.items() if world.now - held.last > KEPT and not (m and world.plan.has_mac(m))]
        for mac in old:
            del holders[mac]
            if mac is not None and (places := world.places.get(mac)) is not None:
                places.pop(address, None)
                if not places:
                    del world.places[mac]
        dropped += len(old)
        if not holders:
            del world.holders[address]
            for about in (world.switches, world.confirmed, world.heard_on):
                about.pop(address, None)
    return dropped
