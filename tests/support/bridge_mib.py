"""BRIDGE-MIB (RFC 4188) of a Linux bridge for snmpd's pass_persist: `python -m tests.support.bridge_mib`. It reads the kernel's own
forwarding database by `bridge` and `ip`; base ports count from 11, so that they are no interface's index."""

from __future__ import annotations

import json
import subprocess
import sys

BRIDGE = (1, 3, 6, 1, 2, 1, 17)
FIRST = 11


def rows() -> dict[tuple[int, ...], tuple[str, object]]:
    """Every object with its type and value, as they are now."""
    links = json.loads(subprocess.run(["ip", "-j", "link"], capture_output=True, text=True, check=True).stdout)
    ports = {one["ifname"]: one["ifindex"] for one in links if one.get("master") == "br0"}
    bases = {name: FIRST + number for number, name in enumerate(sorted(ports))}
    found: dict[tuple[int, ...], tuple[str, object]] = {}
    for name, base in bases.items():
        found[(*BRIDGE, 1, 4, 1, 1, base)] = "integer", base
        found[(*BRIDGE, 1, 4, 1, 2, base)] = "integer", ports[name]
    entries = json.loads(subprocess.run(["bridge", "-j", "fdb"], capture_output=True, text=True, check=True).stdout)
    for one in entries:
        if one.get("master") != "br0" or one["ifname"] not in bases or one.get("state") == "permanent":
            continue
        mac = tuple(bytes.fromhex(one["mac"].replace(":", "")))
        found[(*BRIDGE, 4, 3, 1, 2, *mac)] = "integer", bases[one["ifname"]]
        found[(*BRIDGE, 4, 3, 1, 3, *mac)] = "integer", 3
    return found


def main() -> None:
    """Answer the agent's questions until it closes the pipe."""
    while command := sys.stdin.readline().strip():
        if command == "PING":
            print("PONG", flush=True)
            continue
        asked = tuple(int(part) for part in sys.stdin.readline().strip().strip(".").split("."))
        there = rows()
        oid = asked if command == "get" else next((one for one in sorted(there) if one > asked), None)
        if oid is None or oid not in there:
            print("NONE", flush=True)
            continue
        kind, value = there[oid]
        print("." + ".".join(map(str, oid)), kind, value, sep="\n", flush=True)


if __name__ == "__main__":
    main()
