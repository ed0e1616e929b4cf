"""The calls about switches as values. Both clients run these; errors are those of the package."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ._calls import Call, call

if TYPE_CHECKING:
    from ..api.switches import Credential, SwitchReading


def read_switch(switch: str, credential: Credential) -> Call[SwitchReading]:
    """Read a switch by SNMP now: its ports, and who is behind each. Takes seconds; nothing of it is kept."""
    body = {"switch": switch, "credential": credential}
    return call("SwitchReading", "POST", "/api/v1/switch-readings", body=body)
