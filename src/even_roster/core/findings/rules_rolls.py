"""Rules of what people began and expect to be kept up: roll calls and fittings."""

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


def idle(world: World, fitting: int) -> Found | None:
    """Nothing has moved a fitting for long; what it holds is held for nothing, perhaps."""
    one = world.fittings.idle.get(fitting)
    if one is None:
        return None
    shown = ", ".join(one.names[:5]) + (f" and {len(one.names) - 5} more" if len(one.names) > 5 else "")
    return Found(
        Severity.NOTICE, (Subject("name", one.names[0] if one.names else str(fitting)),),
        (Evidence(f"nobody has moved the fitting {fitting} of {shown} for two weeks", one.since), Evidence(f"{one.who} began it")),
        f"Go on with it ('roster fit show {fitting}'), or give it up: then the addresses it holds are free again",
        (accept(),),
    )  # fmt: skip


RULES = (
    Rule(
        "absent", "Somebody on a roll call is absent", About.LINE,
        "Whom people keep an eye on does not answer for longer than they have patience for", absent, keeps=HOUR,
    ),
    Rule(
        "idle-fitting", "A fitting stands still", About.FITTING,
        "Addresses are taken for devices that nobody is bringing in any more", idle,
    ),
)  # fmt: skip
