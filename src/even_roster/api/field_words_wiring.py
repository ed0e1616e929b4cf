"""What the fields about links, paths and the map are; see `field_words`."""

from __future__ import annotations

from typing import Any

WIRING_WORDS: dict[str, str | tuple[str, Any]] = {
    "blocked": "whether the spanning tree keeps it shut",
    "blocked_at": ("at which of its ports, and why; empty: at none", "switch-stage-3 port 24 (blocking)"),
    "members": "the ports that are joined as members of a bundle",
    "between": "whether something that is not read hangs between",
    "ring": ("the number of the ring that it belongs to; null: none", 1),
    "falls": ("the switches that nothing else joins to the others", ["switch-attic"]),
    "link_ids": ("its links", [4, 7, 9]),
    "blocked_ids": ("those of its links that are kept shut", [9]),
    "loop": "whether nothing of it is told to be kept shut",
    "rings": "the rings that the links make",
    "words": "what hands say of links",
    "one": "one end",
    "joined": "whether they are joined",
    "begin": "where it begins",
    "hops": "its cables, in order",
    "routed_by": "the router that joins the subnets of both; null: none is needed, or none is known",
    "whole": "whether each cable of it is known",
    "lacks": ("what is not known of it", ["no link that forwards is known between switch-attic and switch-stage-1"]),
    "link_id": ("the link that it goes through; null: it is a device's own cable", 4),
}

WIRING_CLOSER: dict[str, str | tuple[str, Any]] = {
    "LinkView.ends": "its ends: two, or more where something that is not read hangs between",
    "LinkView.known": ("how well it is known", "told by both"),
    "LinkMember.other": "the port at the other end",
    "LinkWordView.other": "the other end",
    "PathView.end": "where it ends",
    "PathView.by": ("the switches on the way", ["switch-office-1", "switch-office-2"]),
    "PathStretch.by": ("the switches on the way", ["switch-office-1", "switch-office-2"]),
    "PathHop.other": "the other end",
    "PathHop.seen": "whether the forwarding table of the switch before it says the same; null: it says nothing",
    "LinkView.said": ("the link in a sentence", "switch-office-1 port 23 – switch-office-2 port 25, 10 Gbit/s"),
    "LinkWordNew.one": ("the id of one port", 23),
    "LinkWordNew.other": ("the id of the other port", 51),
    "RingView.said": ("the ring in a sentence", "a ring of switch-stage-1, switch-stage-2, switch-stage-3"),
    "PathView.said": ("the way in a sentence", "printer-1 to desk-payroll by switch-office-1"),
    "PathHop.said": ("the cable in a sentence", "10 Gbit/s, told by both"),
    "PathHop.known": ("how well it is known; of a device's own cable: on this port, behind this port", "told by both"),
    "PathStretch.said": ("the way in a sentence", "printer-1 to desk-payroll by switch-office-1"),
}
