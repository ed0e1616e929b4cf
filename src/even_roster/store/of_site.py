"""Which records belong to a site, told in one place: a segment that no site was said for belongs to the one the service stands in.

Two sites may use the same addresses: whatever is asked about an address is asked at a site.
"""

from __future__ import annotations

from sqlalchemy import BindParameter, ColumnElement, Select, func, select

from .tables import name_stays, segments, sites, stays


def site_of_segment() -> ColumnElement[int]:
    """The site of a row of `segments`."""
    return func.coalesce(segments.c.site_id, select(sites.c.id).where(sites.c.here).limit(1).scalar_subquery())


def segments_at(site: int | BindParameter[int]) -> Select[tuple[int]]:
    """The ids of a site's segments."""
    return select(segments.c.id).where(site_of_segment() == site)


def at_site(site: int | BindParameter[int]) -> ColumnElement[bool]:
    """Stays at a site."""
    return stays.c.segment_id.in_(segments_at(site))


def names_at_site(site: int) -> ColumnElement[bool]:
    """Names heard at a site: of MACs that held the address there, and those that the site's DNS gave for it."""
    held = select(stays.c.id).where(
        stays.c.address == name_stays.c.address, stays.c.mac == name_stays.c.mac, at_site(site)
    )
    return held.exists() | (name_stays.c.mac < 0)
