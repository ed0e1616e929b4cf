"""What the fields about switches and their ports are; see `field_words`."""

from __future__ import annotations

from typing import Any

SWITCH_WORDS: dict[str, str | tuple[str, Any]] = {
    "credential": "by what it may be read; used once and not kept",
    "community": ("the community, for the versions 1 and 2c", "larkspur"),
    "auth": ("how messages are authenticated", "sha256"),
    "auth_password": ("the password for that, eight characters at least", "quillmark-one"),
    "privacy": ("how messages are encrypted", "aes128"),
    "privacy_password": ("the password for that, eight characters at least", "quillmark-two"),
    "duplex": ("half or full; empty: not told", "full"),
    "neighbours": "who announces itself there by LLDP",
    "capabilities": ("what it is, by itself", ["bridge", "router"]),
    "model": ("its model", "TN-2400"),
    "serial": ("its serial number", "TN24-00031"),
    "firmware": ("what runs on it", "4.2.1"),
    "vlans": ("in which VLANs; none where it does not tell", [10]),
    "index": ("its interface's number (ifIndex), which may change at a restart", 107),
    "alias": ("what people described it as at the switch (ifAlias)", "box office, left"),
    "speed": ("its speed in bits a second; null: not told", 1_000_000_000),
    "behind": "the MACs behind it, by the forwarding database",
    "behind_count": ("how many they are", 3),
    "contact": ("whom to ask about it (sysContact)", "stage door"),
    "up_seconds": ("for how long it has run (sysUpTime, which begins anew after 497 days); null: not told", 86_400),
    "missing": "what it does not have, or has only in part",
}
