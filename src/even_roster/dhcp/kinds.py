"""The kinds of DHCP servers there are. A kind is a module of this package with a `KIND`; nothing else has to know of it."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Mapping
from functools import cache
from pathlib import Path

from .kind import Kind, KindError
from .server import DhcpServer


@cache
def kinds() -> Mapping[str, Kind]:
    """Every kind by its name."""
    found = {}
    for module in pkgutil.iter_modules([str(Path(__file__).parent)]):
        kind = getattr(importlib.import_module(f"{__package__}.{module.name}"), "KIND", None)
        if isinstance(kind, Kind):
            found[kind.name] = kind
    return found


def checked(kind: str, values: Mapping[str, str]) -> Kind:
    """The kind, when the values are what it needs. Raises KindError."""
    found = kinds().get(kind)
    if found is None:
        raise KindError(f"kind is {kind!r}; there are: {', '.join(sorted(kinds()))}")
    found.check(values)
    return found


def build(kind: str, values: Mapping[str, str], roster: str) -> DhcpServer:
    """A server of a kind; `roster` is what this roster is called in the mark it leaves there. Raises KindError."""
    return checked(kind, values).build(values, roster)


def has_pool_options(kind: str) -> bool:
    """True when servers of a kind can hand out other things in single pools of a subnet (save for the lease time)."""
    found = kinds().get(kind)
    return found is not None and found.pool_options
