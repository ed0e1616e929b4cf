"""What a path names, found before the path function runs: a device, a subnet, a band, an assignment, a DHCP server."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from typing import Annotated

from fastapi import Depends, Path, Query
from sqlalchemy import Connection

from ...api.common import Word
from ..context import Context
from ..web.deps import ContextDep, Who
from . import resolving

_SITE = Annotated[
    Word | None, Query(description="The site, by name or id, where two use the same; the one here when left out.")
]
_DEVICE = Annotated[
    Word, Path(description="A device by its id, a name it was given, its planned hostname or a MAC in any notation.")
]
_SEEN = Annotated[
    Word,
    Path(
        description="A device by its id, a name, a MAC in any notation, an address; a heard name or fragment of one device."
    ),
]
_SUBNET = Annotated[Word, Path(description="A subnet by its id, its range such as 10.44.10.0/24, or its own name.")]
_BAND = Annotated[Word, Path(description="A band by its id, its range such as 10.44.10.100-10.44.10.199, or its name.")]
_ASSIGNMENT = Annotated[Word, Path(description="An assignment by its id, its address or its hostname.")]
_SERVER = Annotated[Word, Path(description="A DHCP server by its id or name.")]


async def _device(which: _DEVICE, context: ContextDep, who: Who) -> int:
    return await _found(resolving.device_to_change, which, context)


async def _seen(which: _SEEN, context: ContextDep, who: Who) -> int:
    return await _found(resolving.device_to_read, which, context)


async def _found(find: Callable[[Context, Connection, str], int], which: str, context: Context) -> int:
    """An id is what it is, and looked up where it is used; whatever else is written is looked for in a thread."""

    def look() -> int:
        with context.database.read() as connection:
            return find(context, connection, which)

    identity = resolving.id_of(which)
    return identity if identity is not None else await asyncio.to_thread(look)


async def _subnet(which: _SUBNET, context: ContextDep, who: Who, site: _SITE = None) -> int:
    return resolving.subnet(context, which, site).id


async def _subnet_seen(which: _SUBNET, context: ContextDep, who: Who, site: _SITE = None) -> int:
    return resolving.subnet(context, which, site, reading=True).id


async def _band(
    which: _BAND,
    context: ContextDep,
    who: Who,
    within: Annotated[
        Word | None, Query(description="The subnet it lies in, where several have one of that name.")
    ] = None,
    site: _SITE = None,
) -> int:
    return resolving.band(context, which, within, site).id


def _assignment(which: _ASSIGNMENT, context: ContextDep, who: Who, site: _SITE = None) -> int:
    return resolving.assignment(context, which, site).id


def _server(which: _SERVER, context: ContextDep, who: Who) -> int:
    with context.database.read() as connection:
        return resolving.server(connection, which).id


DeviceToChange = Annotated[int, Depends(_device)]
DeviceToRead = Annotated[int, Depends(_seen)]
SubnetToChange = Annotated[int, Depends(_subnet)]
SubnetToRead = Annotated[int, Depends(_subnet_seen)]
BandRef = Annotated[int, Depends(_band)]
AssignmentRef = Annotated[int, Depends(_assignment)]
ServerRef = Annotated[int, Depends(_server)]
