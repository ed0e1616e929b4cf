"""A changing set of addresses kept as runs, for questions about what is left between them.

Adding or removing one address costs a binary search; walking the gaps from any place costs only the gaps walked,
however many addresses lie in a run. Addresses are 32-bit integers.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable, Iterator

Gap = tuple[int, int]


class Runs:
    """Disjoint, non-touching runs of addresses, sorted."""

    __slots__ = ("_firsts", "_lasts", "total")

    def __init__(self, addresses: Iterable[int] = ()) -> None:
        self._firsts: list[int] = []
        self._lasts: list[int] = []
        self.total = 0
        for address in sorted(set(addresses)):
            if self._lasts and self._lasts[-1] == address - 1:
                self._lasts[-1] = address
            else:
                self._firsts.append(address)
                self._lasts.append(address)
            self.total += 1

    def copy(self) -> Runs:
        """The same runs, to be changed apart."""
        new = Runs()
        new._firsts, new._lasts, new.total = self._firsts.copy(), self._lasts.copy(), self.total
        return new

    def add(self, address: int) -> None:
        """Take an address in; nothing happens when it is there already."""
        at = bisect_right(self._firsts, address)
        if at and self._lasts[at - 1] >= address:
            return
        self.total += 1
        below = at > 0 and self._lasts[at - 1] == address - 1
        above = at < len(self._firsts) and self._firsts[at] == address + 1
        if below and above:
            self._lasts[at - 1] = self._lasts[at]
            del self._firsts[at], self._lasts[at]
        elif below:
            self._lasts[at - 1] = address
        elif above:
            self._firsts[at] = address
        else:
            self._firsts.insert(at, address)
            self._lasts.insert(at, address)

    def cover(self, first: int, last: int) -> None:
        """Take a whole stretch in; costs the runs within."""
        low = bisect_right(self._firsts, first) - 1
        low = low if low >= 0 and self._lasts[low] >= first - 1 else low + 1
        high = low
        while high < len(self._firsts) and self._firsts[high] <= last + 1:
            first, last = min(first, self._firsts[high]), max(last, self._lasts[high])
            self.total -= self._lasts[high] - self._firsts[high] + 1
            high += 1
        self._firsts[low:high], self._lasts[low:high] = [first], [last]
        self.total += last - first + 1

    def remove(self, address: int) -> None:
        """Take an address out; nothing happens when it is not there."""
        at = bisect_right(self._firsts, address) - 1
        if at < 0 or self._lasts[at] < address:
            return
        self.total -= 1
        first, last = self._firsts[at], self._lasts[at]
        if first == last:
            del self._firsts[at], self._lasts[at]
        elif address == first:
            self._firsts[at] = address + 1
        elif address == last:
            self._lasts[at] = address - 1
        else:
            self._lasts[at] = address - 1
            self._firsts.insert(at + 1, address + 1)
            self._lasts.insert(at + 1, last)

    def __contains__(self, address: object) -> bool:
        if not isinstance(address, int):
            return False
        at = bisect_right(self._firsts, address) - 1
        return at >= 0 and self._lasts[at] >= address

    def __len__(self) -> int:
        return self.total

    def gaps(self, first: int, last: int) -> Iterator[Gap]:
        """The stretches within first..last that no run covers, upwards, lazily."""
        at = bisect_right(self._firsts, first) - 1
        if at >= 0 and self._lasts[at] >= first:
            first = self._lasts[at] + 1
        at += 1
        while first <= last:
            if at >= len(self._firsts) or self._firsts[at] > last:
                yield first, last
                return
            yield first, self._firsts[at] - 1
            first = self._lasts[at] + 1
            at += 1

    def count(self, first: int, last: int) -> int:
        """How many addresses within first..last are in the set; costs the runs within."""
        return sum(min(high, last) - max(low, first) + 1 for low, high in self.within(first, last))

    def within(self, first: int, last: int) -> Iterator[Gap]:
        """The runs that meet first..last, whole, upwards."""
        at = max(bisect_right(self._firsts, first) - 1, 0)
        while at < len(self._firsts) and self._firsts[at] <= last:
            if self._lasts[at] >= first:
                yield self._firsts[at], self._lasts[at]
            at += 1
