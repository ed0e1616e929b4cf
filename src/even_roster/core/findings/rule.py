"""One kind of finding: what it is called, what it means, what it looks at, and how patient it is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from .model import About, Away, Found
from .world import World


@dataclass(frozen=True, slots=True)
class Rule:
    """One kind of finding. `check` looks at one key and gives what is wrong with it, None, or AWAY.

    It opens when the cause has stood for `patience` ms, and closes when it has been gone for `lingers` ms; while the device
    is away (off, asleep) it stands on for `keeps` ms, so that nothing opens and closes with a lid.
    """

    kind: str
    title: str
    about: About
    means: str
    check: Callable[[World, Any], Found | Away | None]
    patience: int = 0
    lingers: int = 0
    keeps: int = 0
