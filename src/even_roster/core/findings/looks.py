"""The last full looks: which addresses were asked, from when to when (UTC ms on the world's clock)."""

from __future__ import annotations

from collections import deque

from ..address import Address
from ..span import SpanSet

LOOKS_KEPT = 64


class Looks:
    """The latest first; a look that covers an older one takes its place."""

    def __init__(self) -> None:
        self._kept: deque[tuple[SpanSet, int, int]] = deque(maxlen=LOOKS_KEPT)

    def over(self, spans: SpanSet, began: int, ended: int) -> None:
        """A look at some addresses is over."""
        older = [one for one in self._kept if not spans.covers(one[0])]
        self._kept = deque([(spans, began, ended), *older], maxlen=LOOKS_KEPT)

    def began(self, address: Address) -> int:
        """When the last look that covered an address began; 0 when there was none."""
        return next((began for spans, began, _ in self._kept if address in spans), 0)

    def ended(self, address: Address) -> int:
        """When the last look that covered an address ended; 0 when there was none."""
        return next((ended for spans, _, ended in self._kept if address in spans), 0)
