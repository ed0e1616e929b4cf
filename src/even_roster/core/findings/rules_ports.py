"""Rules of switches and their ports. What is wrong is worked out by `port_troubles` when a switch was read; here it is given its
kind and its patience."""

from __future__ import annotations

from collections.abc import Callable

from .model import AWAY, HOUR, MINUTE, SECOND, About, Away, Found
from .rule import Rule
from .wording import accept
from .world import World


def _check(kind: str) -> Callable[[World, int], Found | Away | None]:
    def check(world: World, key: int) -> Found | Away | None:
        if not world.wiring.heard:
            return AWAY
        one = world.wiring.of(kind, key)
        return Found(one.severity, one.subjects, one.evidence, one.remedy, (accept(),)) if one is not None else None

    return check


def _rule(kind: str, title: str, means: str, patience: int = 0, lingers: int = 0) -> Rule:
    return Rule(kind, title, About.WIRING, means, _check(kind), patience=patience, lingers=lingers, keeps=HOUR)


RULES = (
    _rule(
        "mac-on-two-ports", "One MAC hangs on two ports",
        "Two devices have the same MAC, or there is a loop: frames for it go now here, now there",
    ),
    _rule(
        "moved-port", "A device hangs on another port",
        "Somebody plugged it in elsewhere; labels, VLANs and notes of the port before may not fit any more",
    ),
    _rule(
        "unknown-on-port", "Something that nobody knows hangs on a port",
        "A switch has learnt it, and it never answered a question: it has no address here, or hides",
    ),
    _rule(
        "flapping-port", "A port loses its link again and again",
        "A cable, plug or adapter is failing, or a device restarts over and over", lingers=HOUR,
    ),
    _rule(
        "errors-on-port", "A port receives or sends damaged frames",
        "A cable, plug or adapter is failing; what is damaged is sent again, and everything slows down", lingers=HOUR,
    ),
    _rule(
        "ends-disagree", "Both ends of a link disagree",
        "Speed or duplex are set by hand at one end: the link loses frames under load", lingers=MINUTE,
    ),
    _rule(
        "switch-restarted", "A switch restarted",
        "Everything behind it was cut off meanwhile; settings that were not stored are gone", lingers=MINUTE,
    ),
    _rule(
        "switch-silent", "A switch cannot be read",
        "Where devices are plugged in is told as it was last, and is not known now", lingers=MINUTE,
    ),
    _rule(
        "link-lost", "Two switches are joined no more",
        "Whoever hung on one of them by way of the other is cut off, or goes another way", lingers=15 * SECOND,
    ),
    _rule(
        "ring-open", "A ring of switches is open",
        "Everything still works, but the next cable or switch that fails cuts somebody off", lingers=15 * SECOND,
    ),
    _rule(
        "one-way-left", "Switches that had several ways have fewer",
        "Everything still works, but the next cable that fails may cut somebody off", lingers=15 * SECOND,
    ),
    _rule(
        "link-slower", "A link between switches is slower than it was",
        "Both ends have agreed on less than they could: a cable or plug is failing, or a speed was set by hand",
        lingers=15 * SECOND,
    ),
    _rule(
        "loop-suspected", "Links between switches make a circle that nothing guards",
        "Frames to everybody may go round for ever and fill every link", patience=10 * MINUTE, lingers=15 * SECOND,
    ),
    _rule(
        "root-changed", "The spanning tree has another root",
        "All ways between switches may be others now, and longer; a root failed, or somebody plugged in a switch that took over",
    ),
    _rule(
        "vlans-differ", "Both ends of a link have other VLANs for frames without a tag",
        "What is sent into one VLAN comes out in another: devices meet whom they should not", lingers=15 * SECOND,
    ),
)  # fmt: skip
