"""The types of answers by the names that calls give them. All of the API's models are looked through only here."""

from __future__ import annotations

import functools
from typing import Any

from pydantic import TypeAdapter

from ..api import (
    calling,
    chases,
    common,
    demo,
    devices,
    dhcp,
    events,
    findings,
    fitting,
    history,
    network,
    pairs,
    plan,
    port_orders,
    scans,
    spreadsheets,
    switches,
    watching,
    wiring,
)

MODULES = (
    calling,
    chases,
    common,
    demo,
    devices,
    dhcp,
    events,
    findings,
    fitting,
    history,
    network,
    pairs,
    plan,
    port_orders,
    scans,
    spreadsheets,
    switches,
    watching,
    wiring,
)


def model(name: str) -> Any:
    """A model of the API by its name. Raises AttributeError."""
    for module in MODULES:
        if hasattr(module, name):
            return getattr(module, name)
    raise AttributeError(f"the API has no model {name}")


@functools.cache
def adapter(answer: str) -> TypeAdapter[Any]:
    """What reads an answer: `answer` is a model's name, "… | None", "None" or "bytes"."""
    kind: Any
    if answer.endswith(" | None"):
        kind = model(answer.removesuffix(" | None")) | None
    else:
        kind = {"None": None, "bytes": bytes}[answer] if answer in ("None", "bytes") else model(answer)
    return TypeAdapter(kind)
