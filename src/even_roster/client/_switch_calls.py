"""The calls about switches, their ports and credentials as values. Both clients run these; errors are those of the package."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING

from ._calls import Call, ListCall, call, listing, named, or_any

if TYPE_CHECKING:
    from ..api.pairs import LonelyMac, LonelyMacPage, PairPage, PairsDone, PairView
    from ..api.switches import (
        Credential,
        CredentialEdit,
        CredentialNew,
        CredentialPage,
        CredentialView,
        KeptPort,
        KeptPortPage,
        LabelSheet,
        PlacingPage,
        PortEdit,
        PortSheet,
        PortTurn,
        PortTurns,
        SwitchEdit,
        SwitchesAdded,
        SwitchMoments,
        SwitchNew,
        SwitchPage,
        SwitchReading,
        SwitchSearch,
        SwitchView,
    )


def credentials() -> ListCall[CredentialView, CredentialPage]:
    """The credentials that switches are read by; their secrets are never shown."""
    return listing("CredentialPage", "/api/v1/credentials")


def add_credential(new: CredentialNew) -> Call[CredentialView]:
    """Keep a credential, encrypted."""
    return call("CredentialView", "POST", "/api/v1/credentials", body=new)


def edit_credential(identity: int, edit: CredentialEdit, version: int | None = None) -> Call[CredentialView]:
    """Change a credential; what is left out stays, secrets too."""
    path = f"/api/v1/credentials/{identity}"
    return call("CredentialView", "PATCH", path, body=edit, version=or_any(version))


def remove_credential(identity: int, version: int | None = None) -> Call[None]:
    """Keep a credential no longer. Raises BadInput while switches are read by it."""
    return call("None", "DELETE", f"/api/v1/credentials/{identity}", version=version)


def switches() -> ListCall[SwitchView, SwitchPage]:
    """The switches that are read, by name."""
    return listing("SwitchPage", "/api/v1/switches")


def switch(identity: int) -> Call[SwitchView]:
    """One switch."""
    return call("SwitchView", "GET", f"/api/v1/switches/{identity}")


def add_switch(new: SwitchNew) -> Call[SwitchView]:
    """Read a switch from now on."""
    return call("SwitchView", "POST", "/api/v1/switches", body=new)


def search_switches(search: SwitchSearch) -> Call[SwitchesAdded]:
    """Read all switches of some ranges from now on: whoever has the role `network` there, and answers. Takes seconds."""
    return call("SwitchesAdded", "POST", "/api/v1/switches/search", body=search)


def edit_switch(identity: int, edit: SwitchEdit, version: int | None = None) -> Call[SwitchView]:
    """Change how a switch is read."""
    return call("SwitchView", "PATCH", f"/api/v1/switches/{identity}", body=edit, version=or_any(version))


def remove_switch(identity: int, version: int | None = None) -> Call[None]:
    """Read a switch no longer."""
    return call("None", "DELETE", f"/api/v1/switches/{identity}", version=version)


def read_switch_now(identity: int) -> Call[SwitchView]:
    """Read a switch that is kept, and wait for it. Raises BadInput where it cannot be read."""
    return call("SwitchView", "POST", f"/api/v1/switches/{identity}/read")


def read_switch(switch: str, credential: Credential) -> Call[SwitchReading]:
    """Read a switch by SNMP now: its ports, and who is behind each. Takes seconds; nothing of it is kept."""
    body = {"switch": switch, "credential": credential}
    return call("SwitchReading", "POST", "/api/v1/switch-readings", body=body)


def switch_moments(
    identity: int, since: datetime | None = None, until: datetime | None = None, buckets: int = 100
) -> Call[SwitchMoments]:  # fmt: skip
    """When anything turned at a switch."""
    given = {"since": since, "until": until, "buckets": buckets}
    return call("SwitchMoments", "GET", f"/api/v1/switches/{identity}/moments", given)


def switch_turns(identity: int, since: datetime, until: datetime | None = None) -> ListCall[PortTurn, PortTurns]:
    """What is different at a switch between two moments, port by port."""
    return listing("PortTurns", f"/api/v1/switches/{identity}/turns", {"since": since, "until": until})


def ports(
    switch: str | None = None, at: datetime | None = None, text: str | None = None, limit: int | None = None
) -> ListCall[KeptPort, KeptPortPage]:  # fmt: skip
    """The ports of a switch, or of all; with `at` as they were then, with `text` those that say all of its words."""
    return listing("KeptPortPage", "/api/v1/ports", {"switch": switch, "at": at, "text": text}, limit)


def port(identity: int) -> Call[PortSheet]:
    """Everything about a port."""
    return call("PortSheet", "GET", f"/api/v1/ports/{identity}")


def edit_port(identity: int, edit: PortEdit, version: int | None = None) -> Call[KeptPort]:
    """Note or mark a port, or say whether it is an uplink."""
    return call("KeptPort", "PATCH", f"/api/v1/ports/{identity}", body=edit, version=or_any(version))


def pairs(text: str | None = None, source: str | None = None, limit: int | None = None) -> ListCall[PairView, PairPage]:
    """Addresses with their MACs and who says so; with that fragment, by that source."""
    return listing("PairPage", "/api/v1/pairs", {"text": text, "source": source}, limit)


def macs_without_address() -> ListCall[LonelyMac, LonelyMacPage]:
    """MACs that hang on ports and have no address anywhere, each with whom to ask."""
    return listing("LonelyMacPage", "/api/v1/pairs/without")


def enter_pairs(text: str) -> Call[PairsDone]:
    """Take pairs in that people know, one a line: all of them or none."""
    return call("PairsDone", "POST", "/api/v1/pairs", body={"text": text})


def clear_pairs() -> Call[PairsDone]:
    """Forget what routers and switches told; what people entered stays."""
    return call("PairsDone", "DELETE", "/api/v1/pairs/told")


def remove_pair(address: str, mac: str) -> Call[None]:
    """A pair that people entered no more."""
    return call("None", "DELETE", f"/api/v1/pairs/{named(address)}/{named(mac)}")


def port_labels(
    switch: str, pitch_mm: float = 16.0, height_mm: float = 10.0, rows: int = 2, say: str = "notes"
) -> Call[LabelSheet]:
    """A sheet of labels for the ports of a switch, as SVG; `say` is what goes before: notes, description, hangs."""
    given = {"switch": switch, "pitch_mm": pitch_mm, "height_mm": height_mm, "rows": rows, "say": say}
    return call("LabelSheet", "GET", "/api/v1/labels", given)


def where(what: str, at: datetime | None = None) -> Call[PlacingPage]:
    """Where somebody is plugged in, by name, MAC, address or any fragment; with `at` as it was then."""
    return call("PlacingPage", "GET", f"/api/v1/where/{named(what)}", {"at": at})
