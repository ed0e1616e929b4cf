"""What may be chosen of a few words, apart from the models: the command line offers them, too."""

from __future__ import annotations

from typing import Literal

DeviceSort = Literal["name", "address", "mac", "vendor", "role", "owner", "last_seen", "first_seen"]
HoldingPart = Literal[
    "subnet", "shared network", "pool", "reservation", "option", "class", "excluded", "setting", "not understood"
]  # fmt: skip

TickWord = Literal["in effect", "entered", "not yet", "not shown yet", "cannot be seen from here"]
