"""Former words of the command line: they answer for one version, with the new ones."""

from __future__ import annotations

from collections.abc import Callable, Sequence

Words = list[str]

_VERBATIM = {
    "devices": "device", "subnets": "subnet", "sites": "site", "assignments": "assignment", "findings": "finding",
    "changes": "change", "vendors": "vendor", "roles": "role", "ranges": "range", "uses": "use", "notify": "notice",
    "names": "dns", "import": "file in", "export": "file out", "settle": "device settle", "review": "device review",
    "keep": "watch keep", "accept": "finding accept", "remedy": "finding do",
}  # fmt: skip


def translated(arguments: Sequence[str]) -> tuple[Words, str] | None:
    """A former command in the words of today and how it begins now; None for what needs no translation."""
    if not arguments:
        return None
    word, rest = arguments[0], list(arguments[1:])
    found = _SPECIAL[word](rest) if word in _SPECIAL else None
    if found is None and word in _VERBATIM:
        found = [*_VERBATIM[word].split(), *rest]
    if found is None or found == list(arguments):
        return None
    head = [one for one in found[:2] if not one.startswith("-")]
    return found, " ".join(["roster", *head])


def _option(rest: Words, name: str) -> Words | None:
    """What stands behind an option, when it is there."""
    return rest[rest.index(name) + 1 :] if name in rest else None


def _sites(rest: Words) -> Words | None:
    if (given := _option(rest, "--add")) is not None:
        return ["site", "add", *given]
    if (given := _option(rest, "--rename")) is not None and len(given) > 1:
        return ["site", "set", given[0], "--name", *given[1:]]
    if (given := _option(rest, "--here")) is not None and given:
        return ["site", "set", given[0], "--here", *given[1:]]
    if (given := _option(rest, "--remove")) is not None:
        return ["site", "remove", *given]
    return None


def _roles(rest: Words) -> Words | None:
    if (given := _option(rest, "--forget")) is not None:
        return ["role", "remove", *given]
    if (given := _option(rest, "--set")) is not None:
        return ["role", "set", *given, *rest[: rest.index("--set")]]
    return None


def _changes(rest: Words) -> Words | None:
    given = _option(rest, "--undo")
    return ["change", "undo", *given] if given is not None else None


def _scans(rest: Words) -> Words:
    if rest and rest[0].isdigit():
        return [
            "scan",
            "--stop" if "--stop" in rest else "--show",
            rest[0],
            *(one for one in rest[1:] if one != "--stop"),
        ]
    return ["scan", "--earlier", *rest]


def _ranges(rest: Words) -> Words | None:
    if (given := _option(rest, "--name")) is not None and len(given) > 1:
        return ["range", "set", given[0], "--name", *given[1:]]
    given = _option(rest, "--forget")
    return ["range", "remove", *given] if given is not None else None


def _findings(rest: Words) -> Words | None:
    if "--kinds" in rest:
        return ["finding", "kinds", *(one for one in rest if one != "--kinds")]
    return ["finding", "show", *rest] if rest and rest[0].isdigit() else None


def _vendors(rest: Words) -> Words | None:
    return ["vendor", *rest[1:]] if rest[:1] == ["own"] else None


def _uses(rest: Words) -> Words | None:
    if rest[:1] != ["list"]:
        return None
    return ["use", "--about", *rest[1:]] if rest[1:] and not rest[1].startswith("-") else ["use", *rest[1:]]


def _notify(rest: Words) -> Words | None:
    return ["notice", *rest[1:]] if rest[:1] == ["routes"] else None


def _bands(rest: Words) -> Words:
    return ["band", "--in", *rest] if rest and not rest[0].startswith("-") else ["band", *rest]


def _plan(rest: Words) -> Words | None:
    if rest[:1] != ["check"]:
        return None
    given = rest[1:]
    return (
        ["subnet", "check", "--in", *given] if given and not given[0].startswith("-") else ["subnet", "check", *given]
    )


def _device(rest: Words) -> Words | None:
    if rest[:1] == ["name"] and len(rest) > 2:
        return ["device", "set", rest[1], "--name", *rest[2:]]
    if rest[:1] == ["set"] and any("=" in one and not one.startswith("-") for one in rest[2:]):
        found = ["device", "set", rest[1]]
        for one in rest[2:]:
            name, equals, value = one.partition("=")
            found += [f"--{name}", value] if equals and not one.startswith("-") else [one]
        return found
    return None


def _assignment(rest: Words) -> Words | None:
    if not rest or rest[0] in ("show", "set") or rest[0].startswith("-"):
        return None
    changes = any(one.startswith("--") and one not in ("--json", "--site", "--home") for one in rest[1:])
    return ["assignment", "set" if changes else "show", *rest]


def _watch(rest: Words) -> Words | None:
    if not rest or rest[0] in ("set", "keep") or rest[0].startswith("-"):
        return None
    return ["watch", "set", *rest]


def _dhcp(rest: Words) -> Words | None:
    return ["dhcp", *rest[1:]] if rest[:1] == ["servers"] else None


_SPECIAL: dict[str, Callable[[Words], Words | None]] = {
    "sites": _sites, "roles": _roles, "changes": _changes, "scans": _scans, "ranges": _ranges, "findings": _findings,
    "vendors": _vendors, "uses": _uses, "notify": _notify, "bands": _bands, "plan": _plan, "device": _device,
    "assignment": _assignment, "watch": _watch, "dhcp": _dhcp,
}  # fmt: skip
