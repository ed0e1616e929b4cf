"""The card of an address: what to type into the device, and snippets for common host configurations.

Mask, gateway and DNS come from the subnet every time, so that they agree with each other.
"""

from __future__ import annotations

from dataclasses import dataclass

from .address import Address, dotted
from .dhcp_export import write_mac
from .mac import Mac
from .plan.model import AssignmentKind, Plan

SNIPPETS = ("networkd", "netplan", "ifupdown", "powershell")


class CardError(ValueError):
    """No card can be made; the message says why."""


@dataclass(frozen=True, slots=True)
class Card:
    """The settings for one device. `reserved` means the device stays on DHCP and the server gives it this."""

    address: str
    prefix: int
    mask: str
    network: str
    broadcast: str
    gateway: str
    dns: tuple[str, ...]
    domain: str
    ntp: tuple[str, ...]
    vlan: int | None
    name: str
    mac: str
    role: str
    notes: str
    subnet: str
    reserved: bool

    @property
    def full_name(self) -> str:
        """The name with its domain."""
        return f"{self.name}.{self.domain}" if self.name and self.domain and "." not in self.name else self.name


def card(plan: Plan, site: int, address: Address) -> Card:
    """The card of an address, assigned or not. Raises CardError when it lies in no planned subnet or cannot be a host's."""
    subnet = plan.subnet_at(site, address)
    if subnet is None:
        raise CardError(
            f"{dotted(address)} lies in no planned subnet, so its mask and gateway are not known; plan the subnet first"
        )
    if not int(subnet.hosts.first) <= address <= int(subnet.hosts.last):
        raise CardError(
            f"{dotted(address)} is the network or broadcast address of {subnet.network}: no device can have it"
        )
    item = plan.at(site, address)
    return Card(
        address=dotted(address), prefix=subnet.network.prefixlen, mask=str(subnet.network.netmask),
        network=str(subnet.network), broadcast=str(subnet.network.broadcast_address) if subnet.network.prefixlen < 31 else "",
        gateway=dotted(subnet.gateway) if subnet.gateway is not None and subnet.gateway != address else "",
        dns=tuple(dotted(a) for a in subnet.dns), domain=subnet.domain, ntp=tuple(dotted(a) for a in subnet.ntp),
        vlan=subnet.vlan, name=item.name if item else "",
        mac=str(Mac(item.mac)) if item and item.mac is not None else "", role=item.role if item else "",
        notes=item.notes if item else "", subnet=subnet.name,
        reserved=item is not None and item.kind is AssignmentKind.RESERVED,
    )  # fmt: skip


def lines(one: Card) -> list[tuple[str, str]]:
    """What to type in, in the order forms usually ask for it; empty values are left out."""
    found = [
        ("mode", "automatic (DHCP); the server gives it this address" if one.reserved else "fixed (static, manual)"),
        ("address", one.address), ("mask", f"{one.mask}  (/{one.prefix})"), ("gateway", one.gateway),
        ("DNS", ", ".join(one.dns)), ("domain", one.domain), ("time (NTP)", ", ".join(one.ntp)),
        ("VLAN", str(one.vlan) if one.vlan else ""), ("name", one.name), ("MAC", one.mac),
        ("MAC, other notations", "   ".join(write_mac(Mac.parse(one.mac).value, n) for n in ("DASHES", "bare")) if one.mac else ""),
        ("role", one.role), ("notes", one.notes),
    ]  # fmt: skip
    return [(name, value) for name, value in found if value]


def snippet(one: Card, kind: str, adapter: str) -> str:
    """The settings for a host configuration format; `adapter` is the interface's name there. Raises CardError."""
    if kind not in SNIPPETS:
        raise CardError(f"{kind!r} is no snippet; there are: {', '.join(SNIPPETS)}")
    if not adapter or not all(char.isalnum() or char in "-_. " for char in adapter) or len(adapter) > 60:
        raise CardError(f"{adapter!r} is not an adapter's name; write one such as eth0")
    return {"networkd": _networkd, "netplan": _netplan, "ifupdown": _ifupdown, "powershell": _powershell}[kind](
        one, adapter
    )


def _networkd(one: Card, adapter: str) -> str:
    match = f"[Match]\nMACAddress={one.mac}\n" if one.mac else f"[Match]\nName={adapter}\n"
    if one.reserved:
        return f"{match}\n[Network]\nDHCP=ipv4\n"
    text = [match, "\n[Network]\n", f"Address={one.address}/{one.prefix}\n"]
    text += [f"Gateway={one.gateway}\n"] if one.gateway else []
    text += [f"DNS={server}\n" for server in one.dns]
    text += [f"Domains={one.domain}\n"] if one.domain else []
    text += [f"NTP={server}\n" for server in one.ntp]
    return "".join(text)


def _netplan(one: Card, adapter: str) -> str:
    text = ["network:\n  version: 2\n  ethernets:\n", f"    {_yaml(adapter)}:\n"]
    if one.mac:
        text.append(f'      match:\n        macaddress: "{one.mac}"\n')
    if one.reserved:
        return "".join([*text, "      dhcp4: true\n"])
    text += ["      dhcp4: false\n", f"      addresses:\n        - {one.address}/{one.prefix}\n"]
    if one.gateway:
        text.append(f"      routes:\n        - to: default\n          via: {one.gateway}\n")
    if one.dns or one.domain:
        text.append("      nameservers:\n")
        text += [f"        addresses: [{', '.join(one.dns)}]\n"] if one.dns else []
        text += [f"        search: [{one.domain}]\n"] if one.domain else []
    return "".join(text)


def _yaml(text: str) -> str:
    return text if text.isalnum() else f'"{text}"'


def _ifupdown(one: Card, adapter: str) -> str:
    if one.reserved:
        return f"auto {adapter}\niface {adapter} inet dhcp\n"
    text = [f"auto {adapter}\niface {adapter} inet static\n", f"    address {one.address}/{one.prefix}\n"]
    text += [f"    gateway {one.gateway}\n"] if one.gateway else []
    text += [f"    dns-nameservers {' '.join(one.dns)}\n"] if one.dns else []
    text += [f"    dns-search {one.domain}\n"] if one.domain else []
    return "".join(text)


def _powershell(one: Card, adapter: str) -> str:
    alias = f"'{adapter}'"
    if one.reserved:
        return (
            f"Set-NetIPInterface -InterfaceAlias {alias} -AddressFamily IPv4 -Dhcp Enabled\n"
            f"Set-DnsClientServerAddress -InterfaceAlias {alias} -ResetServerAddresses\n"
        )
    gateway = f" -DefaultGateway {one.gateway}" if one.gateway else ""
    text = [
        f"Remove-NetIPAddress -InterfaceAlias {alias} -AddressFamily IPv4 -Confirm:$false\n",
        f"New-NetIPAddress -InterfaceAlias {alias} -IPAddress {one.address} -PrefixLength {one.prefix}{gateway}\n",
    ]
    if one.dns:
        text.append(f"Set-DnsClientServerAddress -InterfaceAlias {alias} -ServerAddresses {','.join(one.dns)}\n")
    if one.domain:
        text.append(f"Set-DnsClient -InterfaceAlias {alias} -ConnectionSpecificSuffix '{one.domain}'\n")
    return "".join(text)
