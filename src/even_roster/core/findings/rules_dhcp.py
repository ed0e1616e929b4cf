"""Rules that hold a managed DHCP server against the plan: what waits to be published, what it lost, who else publishes to it."""

from __future__ import annotations

from .facts import Drift
from .model import DAY, About, Action, Evidence, Found, Severity, Step, Subject
from .rule import Rule
from .wording import accept
from .world import World

SHOWN = 5


def lost(world: World, server: int) -> Found | None:
    """What was published to a server, or adopted from it, is there no more, and nobody published since."""
    name, drift = _of(world, server)
    if drift is None or not drift.lost:
        return None
    evidence = [Evidence(f"{name} does not have the {part} any more") for part in drift.lost[:SHOWN]]
    if len(drift.lost) > SHOWN:
        evidence.append(Evidence(f"{len(drift.lost) - SHOWN} more parts are gone"))
    return Found(
        Severity.WRONG, (Subject("server", name),), tuple(evidence),
        "Find out who changed the server; publish the plan to have it again, or take the server's new state into the plan",
        (Step(Action.PUBLISH, "see what publishing would change"), accept()),
    )  # fmt: skip


def waiting(world: World, server: int) -> Found | None:
    """The plan has had something for a day that the server was not told."""
    name, drift = _of(world, server)
    if drift is None or drift.lost or drift.since is None or not drift.waiting or world.now - drift.since < DAY:
        return None
    many = f"{drift.waiting} changes wait" if drift.waiting != 1 else "one change waits"
    return Found(
        Severity.NOTICE, (Subject("server", name),),
        (Evidence(f"{many} to be published to {name} for more than a day", drift.since), Evidence(f"the first: {drift.first}")),
        "Publish the plan, do what its preview leaves by hand, or take back what was not meant",
        (Step(Action.PUBLISH, "see what publishing would change"), accept()),
    )  # fmt: skip


def two_rosters(world: World, server: int) -> Found | None:
    """Another roster publishes to the same server."""
    name, drift = _of(world, server)
    if drift is None or not drift.other:
        return None
    return Found(
        Severity.WRONG, (Subject("server", name),),
        (Evidence(f"{name} bears the mark of the roster {drift.other}, which is not this one"),
         Evidence("each of the two would take the other's entries for people's own")),
        "Let one of the two go: remove the server there, or take it over here with 'roster dhcp publish --take-over'",
        (Step(Action.PUBLISH, "see what publishing would change"), accept()),
    )  # fmt: skip


def _of(world: World, server: int) -> tuple[str, Drift | None]:
    planned = world.dhcp.planned_servers.get(server)
    return (planned.name, world.dhcp.drifts.get(server)) if planned is not None else ("", None)


RULES = (
    Rule(
        "published-lost", "A DHCP server lost what was published", About.MANAGED,
        "Devices do not get the addresses, or the settings, that the plan has for them", lost,
    ),
    Rule(
        "plan-unpublished", "The plan waits to be published", About.MANAGED,
        "What the plan says is not so at the DHCP server, and nobody has looked at it for a day", waiting,
    ),
    Rule(
        "two-rosters", "Two rosters publish to one DHCP server", About.MANAGED,
        "Entries of the one are hand-written ones to the other; both will be surprised", two_rosters,
    ),
)  # fmt: skip
