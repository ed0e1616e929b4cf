"""A reading: what one agent said at one time, as values, with a list of what was missing and why. Pure.

A port has three numbers that are never mixed: `index` is its interface (ifIndex), the base port is its number as a bridge
(dot1dBasePort), and what it is called (ifName) is what lasts over restarts. A forwarding table's FdbId is not a VLAN.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from ..address import Address
from ..mac import Mac, MacError, MacNumber


class Link(StrEnum):
    """How a port stands: as it was told to (ifAdminStatus) and as it is (ifOperStatus)."""

    UP = "up"
    DOWN = "down"
    TESTING = "testing"
    UNKNOWN = "unknown"
    DORMANT = "dormant"
    ABSENT = "not present"
    LOWER_DOWN = "lower layer down"


@dataclass(frozen=True, slots=True)
class Description:
    """What an agent says of itself (SNMPv2-MIB system); `up_ticks` are hundredths of a second since its start (sysUpTime, which
    begins anew after 497 days). Model, serial number and firmware are those of its chassis (ENTITY-MIB)."""

    name: str = ""
    text: str = ""
    contact: str = ""
    place: str = ""
    up_ticks: int | None = None
    model: str = ""
    serial: str = ""
    firmware: str = ""


@dataclass(frozen=True, slots=True)
class Counted:
    """The counters of an interface: octets, packets and errors each way."""

    octets_in: int = 0
    octets_out: int = 0
    errors_in: int = 0
    errors_out: int = 0
    packets_in: int = 0
    packets_out: int = 0


@dataclass(frozen=True, slots=True)
class Pair:
    """An address and the MAC that an ARP or neighbour table has for it."""

    address: Address
    mac: MacNumber


@dataclass(frozen=True, slots=True)
class Port:
    """One interface (IF-MIB). `speed` is in bits a second, None where it is not told; `base` its number as a bridge, None where
    it is no port of the bridge; `text` is its older name (ifDescr), `duplex` half, full or empty where it is not told, `vlan` the
    one of frames without a tag, `tagged` those of frames with one. `tree` is its part in the spanning tree, `bundle` the interface
    that it is a member of, `power` what it feeds over Ethernet; `changed_ticks` when its link changed last (ifLastChange, in
    hundredths of a second since the agent's start). `towards` is which bridge and port the spanning tree has at the other end,
    `feeds` its group and number in POWER-ETHERNET-MIB. `raw` is its name octet for octet, by which it is known again."""

    index: int
    name: str
    alias: str = ""
    kind: int = 0
    mac: MacNumber | None = None
    speed: int | None = None
    wanted: Link = Link.UNKNOWN
    link: Link = Link.UNKNOWN
    base: int | None = None
    text: str = ""
    duplex: str = ""
    vlan: int | None = None
    tagged: tuple[int, ...] = ()
    tree: str = ""
    bundle: str = ""
    power: str = ""
    changed_ticks: int | None = None
    counted: Counted | None = None
    towards: tuple[MacNumber, int] | None = None
    feeds: tuple[int, int] | None = None
    raw: bytes = b""


@dataclass(frozen=True, slots=True)
class Neighbour:
    """Who announces itself by LLDP at a port, by its interface's index: chassis and port as they call themselves, what it is, and
    where it is managed."""

    at: int
    chassis: str
    port: str
    port_text: str = ""
    name: str = ""
    text: str = ""
    capabilities: tuple[str, ...] = ()
    address: str | None = None

    @property
    def mac(self) -> MacNumber | None:
        """The MAC that it calls its chassis by, None where that is none."""
        try:
            return Mac.parse(self.chassis).value if self.chassis.count(":") == 5 else None
        except MacError:
            return None


@dataclass(frozen=True, slots=True)
class Learnt:
    """A MAC that a bridge has learnt behind a port, by its interface's index; in which VLANs, where that is told."""

    mac: MacNumber
    port: int
    vlans: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True)
class Lack:
    """What a reading does not have, or has only in part, and why."""

    what: str
    why: str


@dataclass(frozen=True, slots=True)
class Reading:
    """What one agent said: itself, its ports in their order, what it has learnt, who announces itself, what is missing; which
    MACs its ARP and neighbour tables have, its addresses and its own MACs; which bridge is the root of its spanning tree;
    `addressed` are the interfaces that have an address, by index (None: not told, or not whole). Without `ports_whole` there may be
    more ports than it told; `cut` are the fields of ports that were told for some of them only."""

    description: Description
    ports: tuple[Port, ...]
    learnt: tuple[Learnt, ...]
    neighbours: tuple[Neighbour, ...] = ()
    lacks: tuple[Lack, ...] = ()
    pairs: tuple[Pair, ...] = ()
    addresses: tuple[Address, ...] = ()
    own: frozenset[MacNumber] = frozenset()
    ports_whole: bool = True
    cut: frozenset[str] = frozenset()
    root: MacNumber | None = None
    addressed: frozenset[int] | None = None
    learnt_whole: bool = True
    """Whether its forwarding tables were read to their ends."""
