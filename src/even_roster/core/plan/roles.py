"""What a role means for planning: whether it may depend on a pool to be reachable, and whether it travels.

The rules are the site's to change; these are the ones a new roster begins with.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class OnPool(StrEnum):
    """May a role live on a pool's dynamic addresses: never, rather not, or it is fine."""

    NEVER = "never"
    AVOID = "avoid"
    FINE = "fine"


@dataclass(frozen=True, slots=True)
class RoleRule:
    """One role: `on_pool`, and `travels` when a reservation serves it better than settings typed into it."""

    name: str
    on_pool: OnPool
    travels: bool = False


DEFAULT_RULES = (
    RoleRule("network", OnPool.NEVER), RoleRule("server", OnPool.NEVER), RoleRule("storage", OnPool.NEVER),
    RoleRule("phone", OnPool.FINE), RoleRule("printer", OnPool.AVOID), RoleRule("camera", OnPool.NEVER),
    RoleRule("wireless", OnPool.NEVER), RoleRule("workstation", OnPool.FINE), RoleRule("portable", OnPool.FINE, True),
    RoleRule("control", OnPool.AVOID), RoleRule("other", OnPool.FINE),
)  # fmt: skip

UNKNOWN_ROLE = RoleRule("", OnPool.FINE)
