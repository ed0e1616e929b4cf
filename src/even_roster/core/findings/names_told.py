"""The names of a world: what devices call themselves, and what DNS calls addresses. Hearsay; who bears which name is for rules."""

from __future__ import annotations

from collections import defaultdict

from ..address import Address
from ..mac import MacNumber
from ..text import host_key
from .model import DAY

MOST_HEARD = 16
"""How many names a MAC may be overheard to tell within a day: any device can tell them in its name."""


class NamesTold:
    """`by_mac` are the names a MAC told with the latest time (UTC ms), `answered` those that were not only overheard, `macs` who
    told a name, `reverse` the name and time that DNS gave for an address. Names have numbers, so that all keys of rules are
    numbers."""

    EVERYONES = frozenset({"localhost", "unknown", "default", "android", "host", "iphone", "ipad"})
    """Names that say nothing of who bears them."""

    def __init__(self) -> None:
        self.by_mac: dict[MacNumber, dict[str, int]] = {}
        self.answered: dict[MacNumber, set[str]] = {}
        self.macs: dict[str, set[MacNumber]] = defaultdict(set)
        self.reverse: dict[Address, tuple[str, int]] = {}
        self._numbers: dict[str, int] = {}
        self._names: list[str] = []

    def told(self, mac: MacNumber, name: str, at: int, *, heard: bool = False) -> str | None:
        """A device told its own name, or was only heard to; gives the name's key when that is news."""
        key = host_key(name)
        if not key:
            return None
        names = self.by_mac.setdefault(mac, {})
        news = key not in names
        if news and heard and not self._room(mac, names, at):
            return None
        if news:
            self.macs[key].add(mac)
        names[key] = max(at, names.get(key, 0))
        if not heard and key not in self.answered.get(mac, ()):
            self.answered.setdefault(mac, set()).add(key)
            return key
        return key if news else None

    def _room(self, mac: MacNumber, names: dict[str, int], at: int) -> bool:
        """Whether there is room for one more overheard name of a MAC: the oldest of MOST_HEARD goes once it is a day old."""
        sure = self.answered.get(mac, set())
        only = [key for key in names if key not in sure]
        if len(only) < MOST_HEARD:
            return True
        oldest = min(only, key=lambda key: names[key])
        if at - names[oldest] < DAY:
            return False
        del names[oldest]
        self.macs[oldest].discard(mac)
        return True

    def bears(self, mac: MacNumber, name: str) -> bool:
        """True when a MAC is known to have told a name."""
        return host_key(name) in self.by_mac.get(mac, ())

    def from_dns(self, address: Address, name: str, at: int) -> bool:
        """DNS gave a name for an address; True when it is another one than before."""
        before = self.reverse.get(address)
        self.reverse[address] = (name, at)
        return before is None or before[0] != name

    def number(self, name: str) -> int:
        """The number of a name."""
        key = self._numbers.get(name)
        if key is None:
            key = self._numbers[name] = len(self._names)
            self._names.append(name)
        return key

    def name(self, number: int) -> str:
        """The name behind a number."""
        return self._names[number]

    def shared(self) -> list[int]:
        """The numbers of names that more than one MAC told."""
        return [self.number(key) for key, macs in self.macs.items() if len(macs) > 1]
