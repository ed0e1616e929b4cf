"""How questions are wrapped for an SNMP agent and its answers are taken, by version and credential."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Protocol

from ..wire import snmp
from ..wire.snmp import Kind, Unit


@dataclass(frozen=True, slots=True)
class Report:
    """An agent has not answered but reported; `again` where the same question, wrapped anew, may do better."""

    why: str
    again: bool = False


class Session(Protocol):
    """Wraps data units for one agent and takes its answers."""

    @property
    def bulk(self) -> bool:
        """Whether several rows may be asked for at once (RFC 3416 4.2.3)."""

    def within(self, context: bytes, community: bytes) -> Session | None:
        """A session for a part of what the agent knows, by what the agent calls it (RFC 6933 3.3); None where it names none."""

    def wrap(self, unit: Unit) -> bytes:
        """A message with a data unit in it."""

    def unwrap(self, data: bytes, request: int) -> Unit | Report | None:
        """What a message says to a request, None where it is no answer to it. Raises WireError."""


@dataclass(frozen=True, slots=True)
class CommunitySession:
    """Version 1 or 2c: whoever knows the community may ask."""

    version: snmp.Version
    community: bytes = field(repr=False)

    @property
    def bulk(self) -> bool:
        """See Session.bulk."""
        return self.version is not snmp.Version.V1

    def within(self, context: bytes, community: bytes) -> Session | None:
        """See Session.within."""
        return CommunitySession(self.version, community) if community and community != self.community else None

    def wrap(self, unit: Unit) -> bytes:
        """See Session.wrap."""
        return snmp.encode(snmp.Message(self.version, self.community, unit))

    def unwrap(self, data: bytes, request: int) -> Unit | Report | None:
        """See Session.unwrap."""
        message = snmp.decode(data)
        unit = message.unit
        ours = message.version is self.version and message.community == self.community and unit.request == request
        return unit if ours and unit.kind is Kind.RESPONSE else None
