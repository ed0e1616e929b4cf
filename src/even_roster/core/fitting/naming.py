"""Hostnames by a pattern: `camera-{n:02}` is camera-01, camera-02 and so on. Pure."""

from __future__ import annotations

import re
from collections.abc import Collection

from ..names import is_hostname, no_hostname

MOST_DIGITS = 6
_NUMBER = re.compile(r"\{n(?::0?(\d))?\}")


class PatternError(ValueError):
    """No names can be made of a pattern; the message says why."""


def names(pattern: str, count: int, taken: Collection[str]) -> list[str]:
    """`count` hostnames that nobody has, with the lowest numbers that are free; `taken` are compared without regard to case.
    A text without {n} is the name itself. Raises PatternError."""
    bare = pattern.strip()
    if "{" not in bare and "}" not in bare:
        if bare and not is_hostname(bare):
            raise PatternError(no_hostname(bare))
        if count > 1 and bare:
            raise PatternError(f"{count} devices cannot all be called {bare!r}; write {bare}-{{n:02}}")
        if bare.casefold() in {one.casefold() for one in taken} and bare:
            raise PatternError(f"there is a {bare!r} already")
        return [bare] * count
    match = _NUMBER.search(bare)
    if match is None or len(_NUMBER.findall(bare)) != 1 or set("{}") & set(_NUMBER.sub("", bare)):
        raise PatternError(f"{pattern!r} is no pattern: write one such as camera-{{n:02}}, with {{n}} once")
    width = int(match[1] or 1)
    if width > MOST_DIGITS:
        raise PatternError(f"numbers have at most {MOST_DIGITS} digits")
    there = {one.casefold() for one in taken}
    found: list[str] = []
    number = 1
    while len(found) < count:
        name = f"{bare[: match.start()]}{number:0{width}}{bare[match.end() :]}"
        if not is_hostname(name):
            raise PatternError(no_hostname(name))
        if name.casefold() not in there:
            found.append(name)
        number += 1
    return found
