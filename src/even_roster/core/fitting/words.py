"""What a person is told of a fitting: each step in a sentence, what to type in, what the wire shows of it, why nothing comes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from ipaddress import IPv4Network
from typing import Literal

from ..adapters import Adapter
from ..address import Address, dotted
from ..cards import Card
from ..mac import Mac, MacNumber
from .kinds import Comes, Field, Kind, mac_in
from .progress import Means, Progress, Sign, Step, step_of

Passing = Literal["passed", "now", "ahead", "not needed"]
Visible = Literal["seen", "otherwise", "unseen"]
ORDER = (Step.WHO, Step.WHERE, Step.FIND, Step.REACH, Step.TYPE, Step.SEE, Step.KEEP, Step.RECORD)


@dataclass(frozen=True, slots=True)
class StepTold:
    """One step: `passed`, `now`, `ahead` or `not needed`, and a sentence."""

    step: Step
    state: Passing
    said: str


@dataclass(frozen=True, slots=True)
class Fitted:
    """What is told about: who, with what name, where to, of what kind, and how far it is. `near` means that its present address is
    in a subnet of the adapter it was found on, so that it is reached as it is; `reserved` that it stays on DHCP; `over` that its
    fitting is; `behind` who comes first, because both have one and the same address now; `shared` who else has that address by
    the plan; `answered` that it has its address from here, `limited` that it is looked for without raw frames."""

    mac: MacNumber
    name: str
    target: Address
    kind: Kind | None
    progress: Progress
    reserved: bool = False
    near: bool = False
    over: bool = False
    behind: str = ""
    shared: str = ""
    answered: bool = False
    limited: bool = False


def now_at(one: Fitted) -> Step:
    """The step it is at."""
    return step_of(one.mac, one.target, one.progress)


def steps(one: Fitted) -> list[StepTold]:
    """All steps in their order."""
    at = len(ORDER) if one.over else ORDER.index(now_at(one))
    return [_step(one, step, place, at) for place, step in enumerate(ORDER)]


def _step(one: Fitted, step: Step, place: int, at: int) -> StepTold:
    state: Passing = "passed" if place < at else "now" if place == at else "ahead"
    if step is Step.REACH and one.progress.found is not None:
        state = "not needed" if one.near or (place < at and one.progress.seen) else "now" if place == at - 1 else state
    if step is Step.TYPE and one.reserved and state == "ahead":
        state = "not needed" if at > place else state
    return StepTold(step, state, _said(one, step, state))


def _said(one: Fitted, step: Step, state: str) -> str:
    now = one.progress
    if step is Step.WHO:
        return str(Mac(one.mac)) + (f", {one.kind.name}" if one.kind else "")
    if step is Step.WHERE:
        return (
            f"{dotted(one.target)}{f' as {one.name}' if one.name else ''}, {'reserved' if one.reserved else 'static'}"
        )
    if step is Step.FIND:
        return _found(now)
    if state == "ahead":
        return ""
    if step is Step.REACH:
        return _reach(one)
    if step is Step.TYPE:
        return _type(one, state)
    if step is Step.SEE:
        return _see(one)
    if step is Step.KEEP:
        return _keep(one)
    if state == "passed":
        return "in the roster"
    return "look it over, say where it stands, and who must be told of its address"


def _found(now: Progress) -> str:
    if now.found is not None:
        return f"answers at {now.found.where}"
    if now.heard is not None and now.heard.address:
        return f"heard at {now.heard.where}; asked there, it has not answered yet"
    if now.heard is not None and now.heard.means in (Means.DHCP, Means.BOOTP):
        return f"heard {now.heard.where}"
    if now.heard is not None:
        return f"heard on {now.heard.adapter}, it has not told its address yet; it is asked for likely ones"
    return "give it power and plug it in; it is listened for and asked for on every adapter"


def _reach(one: Fitted) -> str:
    now = one.progress
    if now.found is None:
        how = "BOOTP" if now.heard is not None and now.heard.means.value == "bootp" else "DHCP"
        return f"it asks for an address by {how}, and has none yet"
    if one.near and one.shared:
        return f"{dotted(now.found.address)} is also that of {one.shared}: unplug that one, or a browser may reach it instead"
    if one.near:
        return f"{dotted(now.found.address)} is reached as it is"
    return f"{dotted(now.found.address)} is in a foreign subnet: a computer needs an address of that subnet to open its page"


def _type(one: Fitted, state: str) -> str:
    if state == "passed":
        return "done: it answers with the new settings" if one.progress.seen else "its address is the new one"
    if one.behind:
        return f"wait: {one.behind} is at the same address and comes first; leave this one without power until then"
    again = "type it in once more" if one.progress.lost is not None else "type the card into its page"
    store = f", and store it: {one.kind.store}" if one.kind and one.kind.store else ""
    if one.reserved:
        return "set it to automatic (DHCP) if it is not, and publish its reservation"
    if one.progress.lost is not None and not store:
        store = ", and look for a button that stores settings for good"
    return f"{again}{store}"


def _see(one: Fitted) -> str:
    now = one.progress
    if now.seen is not None:
        gone = f", no more at {', '.join(map(dotted, now.olds))}" if now.olds else ""
        return f"answers at {dotted(one.target)}, nobody else does{gone}"
    if now.against:
        return "this does not pass yet: mend what stands against it, and it goes on by itself"
    return f"it is asked whether it is alone at {dotted(one.target)}"


def _keep(one: Fitted) -> str:
    now = one.progress
    if now.kept is not None:
        return "went and came back with its address"
    if now.against:
        return "this does not pass yet: mend what stands against it, and it goes on by itself"
    if now.went is not None:
        return "it went; now it is waited for: give it power again"
    if one.answered:
        return "its address was given from here: type the card into its page, then pull its power for ten seconds"
    if one.limited:
        return "pull its power for a whole minute: without raw frames it is not seen sooner that it went"
    return "pull its power for ten seconds: settings that were not stored are gone then"


def sentence(one: Fitted) -> str:
    """What is to be done now, in a sentence."""
    told = next((step for step in steps(one) if step.step is now_at(one)), None)
    return told.said if told is not None else ""


def card_lines(card: Card, kind: Kind | None) -> list[tuple[str, str]]:
    """What to type in, in the order in which the kind's page asks for it; empty values are left out. A device that stays on DHCP is
    set to that and nothing else."""
    if card.reserved:
        return [("mode", "automatic (DHCP)")]
    fields = kind.fields if kind is not None else Kind("").fields
    notation = kind.notation if kind is not None else "colons"
    values = {
        Field.MODE: "fixed (static, manual)", Field.ADDRESS: card.address, Field.MASK: card.mask,
        Field.PREFIX: str(card.prefix), Field.GATEWAY: card.gateway, Field.DNS: ", ".join(card.dns), Field.NAME: card.name,
        Field.DOMAIN: card.domain, Field.NTP: ", ".join(card.ntp), Field.VLAN: str(card.vlan) if card.vlan else "",
        Field.MAC: mac_in(Mac.parse(card.mac), notation) if card.mac else "",
    }  # fmt: skip
    return [(field.value, values[field]) for field in fields if values[field]]


def settings(one: Fitted, card: Card) -> list[tuple[str, str, Visible, str]]:
    """What the wire shows of the settings: (name, wanted, seen | otherwise | unseen, why)."""
    signs = one.progress.signs
    network = IPv4Network(card.network)
    found: list[tuple[str, str, Visible, str]] = [
        ("mask", card.mask, *_mask(signs.get(Sign.BROADCAST, ""), signs.get(Sign.OUTSIDE, ""), network))
    ]
    if card.gateway:
        asked = signs.get(Sign.GATEWAY) == card.gateway
        why = f"it asks for {card.gateway} on the link" if asked else "it has not asked for its gateway yet"
        found.append(("gateway", card.gateway, "seen" if asked else "unseen", why))
    if card.dns:
        found.append(("DNS", ", ".join(card.dns), "unseen", "what it asks a server does not pass by here"))
    if card.name:
        told = signs.get(Sign.HOSTNAME, "")
        same = told.partition(".")[0].casefold() == card.name.partition(".")[0].casefold()
        state: Visible = "unseen" if not told else "seen" if same else "otherwise"
        found.append(("name", card.name, state, f"it calls itself {told}" if told else "it has not told its name"))
    return found


def _mask(broadcast: str, outside: str, network: IPv4Network) -> tuple[Visible, str]:
    if broadcast == str(network.broadcast_address):
        return "seen", f"it sends to {broadcast}, the broadcast address of {network}"
    if broadcast:
        return (
            "otherwise",
            f"it sends to the broadcast address {broadcast}; that of {network} is {network.broadcast_address}",
        )
    if outside:
        return "otherwise", f"it asks on the link for {outside}, which lies outside {network}"
    return "unseen", "nothing it sent shows it"


def why_silent(
    adapters: Sequence[Adapter], kind: Kind | None, looking: Sequence[str], limited: bool = False
) -> list[str]:
    """Why nothing comes of a device, the likeliest first. `looking` are the adapters that are listened and asked on, `limited`
    says that it is done without raw frames."""
    wired = [one for one in adapters if one.medium != "loopback"]
    down = [one.name for one in wired if not one.up]
    found: list[str] = []
    if not looking:
        found.append(
            "no adapter of this machine can look for it: "
            + ("none has a link" if down else "raw frames are not permitted")
        )
    if limited:
        found.append(
            "without raw frames (CAP_NET_RAW) it is seen only at addresses of this machine's own subnets, not at its factory's"
        )
    if down:
        found.append(f"no link on {', '.join(down)}: if it hangs there, look at the cable and both its plugs")
    if looking:
        found.append("it has no power: look at its lamp; where power comes over the cable, the port must give it")
        found.append(f"its port is in another VLAN than {', '.join(looking)}")
        found.append("the MAC was misread: 8 and B, 0 and D look alike; compare it with the label")
    if kind is not None and kind.comes is Comes.UNKNOWN:
        found.append(f"nothing is known of how {kind.name} comes from its maker: its manual has the factory address")
    if kind is not None and kind.reset:
        found.append(f"somebody changed its settings before: reset it ({kind.reset})")
    return found
