"""BRIDGE-MIB (RFC 4188) of a Linux bridge for snmpd's pass_persist: `python -m tests.support.bridge_mib`. It reads the kernel's own
forwarding database by `bridge` and its spanning tree by sysfs; base ports count from 11, so that they are no interface's index."""

from __future__ import annotations

import bisect
import json
import subprocess
import sys
import time
from pathlib import Path

BRIDGE = (1, 3, 6, 1, 2, 1, 17)
FIRST = 11
FRESH_SECONDS = 0.2
"""What was read of the kernel answers for so long: a walk asks for each value alone."""
STATES = {0: 1, 1: 3, 2: 4, 3: 5, 4: 2}
"""The kernel's states of a port as dot1dStpPortState has them."""


def rows() -> dict[tuple[int, ...], tuple[str, object]]:
    """Every object with its type and value, as they are now."""
    links = json.loads(subprocess.run(["ip", "-j", "link"], capture_output=True, text=True, check=True).stdout)
    ports = {one["ifname"]: one["ifindex"] for one in links if one.get("master") == "br0"}
    bases = {name: FIRST - 1 + int(told(f"{name}/brport/port_no"), 0) for name in ports}
    found: dict[tuple[int, ...], tuple[str, object]] = {}
    for name, base in bases.items():
        found[(*BRIDGE, 1, 4, 1, 1, base)] = "integer", base
        found[(*BRIDGE, 1, 4, 1, 2, base)] = "integer", ports[name]
        found[(*BRIDGE, 2, 15, 1, 3, base)] = "integer", STATES[int(told(f"{name}/brport/state"))]
        found[(*BRIDGE, 2, 15, 1, 8, base)] = "octet", bridge(told(f"{name}/brport/designated_bridge"))
        number = int(told(f"{name}/brport/designated_port"))
        found[(*BRIDGE, 2, 15, 1, 9, base)] = "octet", f"{0x80:02x} {FIRST - 1 + (number & 0x3FF):02x}"
    found[(*BRIDGE, 1, 1, 0)] = "octet", bridge(told("br0/bridge/bridge_id")).split(" ", 2)[2]
    found[(*BRIDGE, 2, 5, 0)] = "octet", bridge(told("br0/bridge/root_id"))
    root = int(told("br0/bridge/root_port"))
    found[(*BRIDGE, 2, 7, 0)] = "integer", FIRST - 1 + root if root else 0
    entries = json.loads(subprocess.run(["bridge", "-j", "fdb"], capture_output=True, text=True, check=True).stdout)
    for one in entries:
        if one.get("master") != "br0" or one["ifname"] not in bases or one.get("state") == "permanent":
            continue
        mac = tuple(bytes.fromhex(one["mac"].replace(":", "")))
        found[(*BRIDGE, 4, 3, 1, 2, *mac)] = "integer", bases[one["ifname"]]
        found[(*BRIDGE, 4, 3, 1, 3, *mac)] = "integer", 3
    return found


def told(what: str) -> str:
    """What sysfs says of an adapter."""
    return (Path("/sys/class/net") / what).read_text().strip()


def bridge(text: str) -> str:
    """An identity of a bridge, as 8000.5a76215f808c, in octets as pass_persist takes them."""
    digits = text.replace(".", "")
    return " ".join(digits[at : at + 2] for at in range(0, len(digits), 2))


def main() -> None:
    """Answer the agent's questions until it closes the pipe."""
    there: dict[tuple[int, ...], tuple[str, object]] = {}
    order: list[tuple[int, ...]] = []
    read_at = 0.0
    while command := sys.stdin.readline().strip():
        if command == "PING":
            print("PONG", flush=True)
            continue
        asked = tuple(int(part) for part in sys.stdin.readline().strip().strip(".").split("."))
        if time.monotonic() - read_at > FRESH_SECONDS:
            there, read_at = rows(), time.monotonic()
            order = sorted(there)
        at = bisect.bisect_right(order, asked)
        oid = asked if command == "get" else order[at] if at < len(order) else None
        if oid is None or oid not in there:
            print("NONE", flush=True)
            continue
        kind, value = there[oid]
        print("." + ".".join(map(str, oid)), kind, value, sep="\n", flush=True)


if __name__ == "__main__":
    main()
