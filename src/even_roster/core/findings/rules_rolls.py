"""The rule of roll calls: somebody whom a person keeps on a list is absent for longer than that person has patience."""

from __future__ import annotations

from .model import AWAY, HOUR, About, Away, Evidence, Found, Severity, Subject
from .rule import Rule
from .wording import accept
from .world import World


def absent(world: World, line: int) -> Found | Away | None:
    """Whom a line names is silent since longer than its patience."""
    one = world.rolls.absent.get(line)
    if one is None:
        return None if world.rolls.known(line) else AWAY
    called = f"{one.name} ({one.subject})" if one.name and one.name != one.subject else one.subject
    subjects = (Subject("name", one.name or one.subject), *([Subject("address", one.address)] if one.address else []))
    return Found(
        Severity.WRONG, subjects,
        (Evidence(f"{called}, of the roll call {one.call}, does not answer", one.since),
         Evidence(f"its patience is {one.minutes} minutes")),
        "See whether it has power and link; where it is away on purpose, leave the line alone until it is back",
        (accept(),),
    )  # fmt: skip


RULES = (
    Rule(
        "absent", "Somebody on a roll call is absent", About.LINE,
        "Whom people keep an eye on does not answer for longer than they have patience for", absent, keeps=HOUR,
    ),
)  # fmt: skip
