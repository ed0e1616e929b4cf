"""The stand-in segment: the same door as a real network's, the simulated site behind it. Sends nothing anywhere."""

from __future__ import annotations

import asyncio
import heapq
from collections.abc import Callable, Sequence
from ipaddress import IPv4Address, IPv4Network

from ..core.adapters import Adapter, AdapterError
from ..core.mac import Mac
from ..probe.segment import Abilities, NeighbourDoor, Reached, SegmentError, T
from .site import CHATTER_EVERY, Site

_STEP = 0.002


class StandinDoor:
    """Frames into the site and out again, each at its time."""

    def __init__(self, site: Site, adapter: str, *, listening: bool = False, seeking: bool = False) -> None:
        """`listening` hears what hosts tell everybody, not only the chatter of those that nobody asks; `seeking` both that and the
        answers to what is sent."""
        self._site, self._adapter = site, adapter
        self._heard = site.elapsed() if listening or seeking else None
        self._seeking = seeking
        self._coming: list[tuple[float, int, bytes]] = []
        self._sequence = 0
        self._next_chatter = site.clock() + CHATTER_EVERY / 2
        self._read_until = site.clock()
        self.sent = 0

    def now(self) -> float:
        """The site's clock."""
        return self._site.clock()

    def send(self, frame: bytes) -> None:
        """Put a frame on the site's wire."""
        self.sent += 1
        now = self.now()
        for delay, answer in self._site.deliver(self._adapter, frame):
            self._put(now + delay, answer)

    def receive(self, timeout: float) -> Sequence[tuple[float, bytes]]:
        """See FrameDoor.receive."""
        if self._heard is not None and not self._seeking:
            return self._overhear(timeout)
        now = self.now()
        until = now + timeout
        chatter = until if self._seeking else self._next_chatter
        earliest = min(self._coming[0][0] if self._coming else until, chatter, until)
        if earliest > now:
            self._site.sleep(max(earliest - now, 0.0002))
            now = self.now()
        if self._heard is not None:
            for at, frame in self._overhear(0.0):
                self._put(at, frame)
        elif now >= self._next_chatter:
            self._next_chatter = now + CHATTER_EVERY
            for frame in self._site.chatter(self._adapter):
                self._put(now, frame)
        self._read_until = now
        frames = []
        while self._coming and self._coming[0][0] <= now:
            at, _, frame = heapq.heappop(self._coming)
            frames.append((at, frame))
        return frames

    def _overhear(self, timeout: float) -> Sequence[tuple[float, bytes]]:
        assert self._heard is not None
        if timeout:
            self._site.sleep(timeout)
        before, self._heard = self._heard, self._site.elapsed()
        return [
            (self._site.started + at, frame) for at, frame in self._site.overheard(self._adapter, before, self._heard)
        ]

    def read_until(self) -> float:
        """See FrameDoor.read_until."""
        return self._read_until

    def lost(self) -> int:
        """Never any."""
        return 0

    def _put(self, at: float, frame: bytes) -> None:
        self._sequence += 1
        heapq.heappush(self._coming, (at, self._sequence, frame))

    def close(self) -> None:
        """Forget what was still coming."""
        self._coming.clear()


class StandinSegment:
    """One adapter's view of the site."""

    kind = "standin"
    own_process = False

    def __init__(self, site: Site, adapter: Adapter) -> None:
        self._site, self.adapter = site, adapter

    def abilities(self) -> Abilities:
        """Everything on the link is visible."""
        return Abilities(frames=True, echo=True, neighbours=False)

    def frames(self) -> StandinDoor:
        """Open frames into the site."""
        return StandinDoor(self._site, self.adapter.name)

    def arp_answers(self) -> StandinDoor:
        """The site's wire carries every answer."""
        return self.frames()

    def frames_as(self, client: Mac) -> StandinDoor:
        """The site's wire carries every answer."""
        return self.frames()

    def listen(self) -> StandinDoor:
        """Hear what hosts tell everybody."""
        return StandinDoor(self._site, self.adapter.name, listening=True)

    def seek(self, macs: Sequence[Mac]) -> StandinDoor:
        """Hear everybody, and every answer."""
        return StandinDoor(self._site, self.adapter.name, seeking=True)

    def neighbours(self) -> NeighbourDoor:
        """Never needed here."""
        raise SegmentError("the stand-in site is reached by frames")

    async def datagram(
        self, to: IPv4Address, port: int, payload: bytes, accept: Callable[[bytes], T | None], *,
        answers_from: IPv4Address, timeout: float,
    ) -> T | None:  # fmt: skip
        """See Segment.datagram."""
        for delay, sender, answer in sorted(self._site.datagram(self.adapter.name, to, port, payload)):
            if delay > timeout:
                break
            if sender == answers_from and (value := accept(answer)) is not None:
                await asyncio.sleep(delay)
                return value
        await asyncio.sleep(min(timeout, 0.25))
        return None

    async def stream(self, to: IPv4Address, port: int, timeout: float) -> Reached:
        """See Segment.stream."""
        outcome = self._site.connects(to, port)
        if outcome is None or outcome[0] > timeout:
            await asyncio.sleep(min(timeout, 0.25))
            return Reached.SILENT
        await asyncio.sleep(outcome[0])
        return Reached.OPEN if outcome[1] else Reached.REFUSED

    async def close(self) -> None:
        """Nothing to give back."""


class StandinLender:
    """Lends the simulated machine's adapters addresses: what it lends goes by itself, as on a real one."""

    def __init__(self, site: Site) -> None:
        self._site = site
        self.lent: dict[tuple[str, IPv4Address, IPv4Address], float] = {}

    def why_not(self) -> str:
        """It always may."""
        return ""

    def routes(self) -> list[IPv4Network]:
        """The simulated machine's subnets, and those it stands in."""
        return [network for adapter in self._site.adapters for network in adapter.networks]

    def lend(self, adapter: str, own: IPv4Address, device: IPv4Address, seconds: int) -> None:
        """See Lender.lend."""
        self.lent[adapter, own, device] = self._site.elapsed() + seconds

    def take_back(self, adapter: str, own: IPv4Address, device: IPv4Address) -> None:
        """See Lender.take_back."""
        self.lent.pop((adapter, own, device), None)

    def there(self) -> list[tuple[str, IPv4Address, IPv4Address]]:
        """What is lent now."""
        now = self._site.elapsed()
        return [key for key, until in self.lent.items() if until > now]


class StandinMachine:
    """The machine the service believes to run on: the site's own box-office computer."""

    simulated = True

    def __init__(self, site: Site) -> None:
        self.site = site
        self.hostname = site.own_name
        self._lender = StandinLender(site)

    def adapters(self) -> list[Adapter]:
        """The simulated machine's adapters."""
        return list(self.site.adapters)

    def open(self, adapter: Adapter) -> StandinSegment:
        """A segment into the site. Raises AdapterError for an adapter that is not the site's."""
        if adapter not in self.site.adapters:
            raise AdapterError(f"{adapter.name} is not an adapter of {self.site.name}")
        return StandinSegment(self.site, adapter)

    def lender(self) -> StandinLender:
        """See Machine.lender."""
        return self._lender

    def dhcp_control(self, name: str) -> Callable[[bytes], bytes] | None:
        """See Machine.dhcp_control."""
        server = self.site.dhcp_server(name)
        return server.control if server is not None else None
