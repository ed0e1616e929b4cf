"""Where the service stands: the network it knows, or another one that only looks alike (a technician's copy on a laptop).

What decides is in `core.known_link`; here the verdicts are kept, per adapter.
"""

from __future__ import annotations

from dataclasses import dataclass

from ...core.known_link import Verdict
from ...core.mac import MacNumber


@dataclass(frozen=True, slots=True)
class KnownLink:
    """What is known of one adapter's link: the verdict, the sentence for it, the gateway's MAC there."""

    verdict: Verdict
    said: str
    gateway_mac: MacNumber | None = None


class KnownLinks:
    """What is known of all adapters' links. Unknown ones count as the known network."""

    def __init__(self) -> None:
        self._links: dict[str, KnownLink] = {}

    def of(self, adapter: str) -> KnownLink:
        """Where an adapter stands."""
        return self._links.get(adapter, KnownLink(Verdict.UNKNOWN, "not looked at yet"))

    def put(self, adapter: str, link: KnownLink) -> bool:
        """Keep a verdict; True when it is another one than before."""
        before = self._links.get(adapter)
        self._links[adapter] = link
        return before is None or before.verdict is not link.verdict

    def elsewhere(self, adapter: str) -> bool:
        """True when an adapter stands on another network."""
        return self.of(adapter).verdict is Verdict.ELSEWHERE
