"""Whether this link is the one the roster knows, or another one with the same addresses. Pure.

Two sites may both use 192.168.1.0/24 with the gateway at .1. What tells them apart is who is there: the gateway's MAC, the
DHCP server, and devices that the roster has seen before.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from .mac import Mac, MacNumber


class Verdict(StrEnum):
    """`same`: the known network; `elsewhere`: another one; `unknown`: nothing speaks for or against it."""

    SAME = "same"
    ELSEWHERE = "elsewhere"
    UNKNOWN = "unknown"


@dataclass(frozen=True, slots=True)
class Signs:
    """What was asked and heard: the gateway's MAC known and now (None: not known, no answer), how many known devices
    were asked for and how many answered with their known MAC, and the DHCP servers known and heard now, by MAC."""

    known_gateway: MacNumber | None
    gateway: MacNumber | None
    asked: int
    familiar: int
    known_servers: frozenset[MacNumber] = frozenset()
    servers: frozenset[MacNumber] = frozenset()


def judge(signs: Signs) -> tuple[Verdict, str]:
    """The verdict and the sentence for it. A replaced router alone is not another place."""
    if signs.known_gateway is not None and signs.gateway == signs.known_gateway:
        return Verdict.SAME, f"the gateway is {Mac(signs.gateway)}, as always"
    if signs.familiar:
        told = f"{signs.familiar} of {signs.asked} known devices answer"
        return Verdict.SAME, told if signs.gateway is None else f"{told}, though the gateway is another one"
    if signs.known_servers & signs.servers:
        return Verdict.SAME, "the DHCP server is the known one"
    if signs.known_gateway is None and not signs.asked:
        return Verdict.UNKNOWN, "nothing is known of this network yet"
    if signs.known_gateway is not None and signs.gateway is not None:
        return Verdict.ELSEWHERE, (
            f"the gateway here is {Mac(signs.gateway)}, the one known is {Mac(signs.known_gateway)}, "
            f"and none of {signs.asked} known devices answers: this is another network with the same addresses"
        )
    if signs.asked >= 5:
        return Verdict.ELSEWHERE, f"none of {signs.asked} known devices answers: this is another network, or all is off"
    return Verdict.UNKNOWN, "nobody who is known answers"
