"""When a device asks for its lease again by itself, and what a person does to have it ask at once. Pure.

The times are those of RFC 2131 4.4.5: half of a lease (T1), from then on of its server alone; seven eighths (T2), of any server;
its end."""

from __future__ import annotations

from dataclasses import dataclass

from .following import Lease

T1, T2 = 0.5, 0.875


@dataclass(frozen=True, slots=True)
class Times:
    """When a device asks again (UTC ms): None where that is past, or not known."""

    renews: int | None
    rebinds: int | None
    ends: int | None


def times(lease: Lease, seconds: int, now: int) -> Times:
    """When the device of a lease asks again. `seconds` is how long its server lends for, 0 where that is not known; used where it
    does not say since when the lease runs."""
    if lease.expires is None:
        return Times(None, None, None)
    since = lease.since if lease.since is not None else lease.expires - seconds * 1000 if seconds else None
    if since is None or since >= lease.expires:
        return Times(None, None, lease.expires)
    length = lease.expires - since
    renews, rebinds = since + round(length * T1), since + round(length * T2)
    return Times(renews if renews > now else None, rebinds if rebinds > now else None, lease.expires)


_COMPUTER = (
    "Windows: ipconfig /release, then ipconfig /renew",
    "macOS: System Settings, Network, Details, TCP/IP, Renew DHCP Lease",
    "Linux: nmcli device reapply NAME, or networkctl renew NAME, or dhcpcd --rebind NAME",
)
_POWERED = "switch it off and on again; if a switch feeds it over its cable, unplug that for ten seconds"
_BY_ROLE: dict[str, tuple[str, ...]] = {
    "workstation": _COMPUTER, "portable": _COMPUTER, "server": _COMPUTER,
    "phone": ("restart it from its menu, or switch its Wi-Fi off and on; " + _POWERED,),
    "printer": ("restart it at its panel, or there: network, TCP/IP, obtain the address again",),
    "camera": (_POWERED,), "access-point": (_POWERED,), 
    "network": ("its management interface: renew, or restart it at a quiet hour",),
    "control": (_POWERED + " between shows, never during one",),
}  # fmt: skip


def how(role: str) -> tuple[str, ...]:
    """What has a device of a role ask for its address at once, by its kind of system, in the order of likelihood."""
    return (
        *_BY_ROLE.get(role, (*_COMPUTER, f"other things: {_POWERED}")),
        "anything: unplug its cable for ten seconds",
    )
