"""What is walked at an agent: every column with its identifier, the MIB object and what people call it. Pure.

IF-MIB is RFC 2863, EtherLike-MIB RFC 3635, ENTITY-MIB RFC 6933, BRIDGE-MIB RFC 4188, Q-BRIDGE-MIB RFC 4363, SNMPv2-MIB RFC 3418,
IP-MIB RFC 4293, POWER-ETHERNET-MIB RFC 3621, LLDP-MIB IEEE 802.1AB, IEEE8021-MSTP-MIB IEEE 802.1Q, IEEE8023-LAG-MIB IEEE 802.1AX.
"""

from __future__ import annotations

from collections.abc import Mapping
from enum import Enum

Oid = tuple[int, ...]
Value = int | bytes | Oid | None
Rows = Mapping[Oid, Value]
"""The values of one column by what stands behind its identifier."""

SYSTEM: Oid = (1, 3, 6, 1, 2, 1, 1)
_INTERFACES: Oid = (1, 3, 6, 1, 2, 1, 2, 2, 1)
_MORE: Oid = (1, 3, 6, 1, 2, 1, 31, 1, 1, 1)
_BRIDGE: Oid = (1, 3, 6, 1, 2, 1, 17)
_IP: Oid = (1, 3, 6, 1, 2, 1, 4)
_ENTITY: Oid = (1, 3, 6, 1, 2, 1, 47, 1, 1, 1, 1)
_LOGICAL: Oid = (1, 3, 6, 1, 2, 1, 47, 1, 2, 1, 1)
_LLDP: Oid = (1, 0, 8802, 1, 1, 2, 1)
_MSTP: Oid = (1, 3, 111, 2, 802, 1, 1, 6, 1, 4, 1)


class Column(Enum):
    """What is walked, with its identifier."""

    SYSTEM = SYSTEM
    """sysDescr, sysUpTime, sysContact, sysName, sysLocation"""
    DESCRIPTION = (*_INTERFACES, 2)
    """ifDescr"""
    KIND = (*_INTERFACES, 3)
    """ifType"""
    SPEED = (*_INTERFACES, 5)
    """ifSpeed"""
    ADDRESS = (*_INTERFACES, 6)
    """ifPhysAddress"""
    WANTED = (*_INTERFACES, 7)
    """ifAdminStatus"""
    LINK = (*_INTERFACES, 8)
    """ifOperStatus"""
    CHANGED = (*_INTERFACES, 9)
    """ifLastChange"""
    OCTETS_IN = (*_INTERFACES, 10)
    """ifInOctets"""
    PACKETS_IN = (*_INTERFACES, 11)
    """ifInUcastPkts"""
    ERRORS_IN = (*_INTERFACES, 14)
    """ifInErrors"""
    OCTETS_OUT = (*_INTERFACES, 16)
    """ifOutOctets"""
    PACKETS_OUT = (*_INTERFACES, 17)
    """ifOutUcastPkts"""
    ERRORS_OUT = (*_INTERFACES, 20)
    """ifOutErrors"""
    NAME = (*_MORE, 1)
    """ifName"""
    HIGH_OCTETS_IN = (*_MORE, 6)
    """ifHCInOctets"""
    HIGH_PACKETS_IN = (*_MORE, 7)
    """ifHCInUcastPkts"""
    HIGH_OCTETS_OUT = (*_MORE, 10)
    """ifHCOutOctets"""
    HIGH_PACKETS_OUT = (*_MORE, 11)
    """ifHCOutUcastPkts"""
    HIGH_SPEED = (*_MORE, 15)
    """ifHighSpeed"""
    ALIAS = (*_MORE, 18)
    """ifAlias"""
    BRIDGE_ADDRESS = (*_BRIDGE, 1, 1)
    """dot1dBaseBridgeAddress"""
    BASE_PORT = (*_BRIDGE, 1, 4, 1, 2)
    """dot1dBasePortIfIndex"""
    ROOT = (*_BRIDGE, 2, 5)
    """dot1dStpDesignatedRoot"""
    ROOT_PORT = (*_BRIDGE, 2, 7)
    """dot1dStpRootPort"""
    TREE_STATE = (*_BRIDGE, 2, 15, 1, 3)
    """dot1dStpPortState"""
    TREE_BRIDGE = (*_BRIDGE, 2, 15, 1, 8)
    """dot1dStpPortDesignatedBridge"""
    TREE_PORT = (*_BRIDGE, 2, 15, 1, 9)
    """dot1dStpPortDesignatedPort"""
    FORWARDING = (*_BRIDGE, 4, 3, 1, 2)
    """dot1dTpFdbPort"""
    FORWARDING_STATUS = (*_BRIDGE, 4, 3, 1, 3)
    """dot1dTpFdbStatus"""
    VLAN_FORWARDING = (*_BRIDGE, 7, 1, 2, 2, 1, 2)
    """dot1qTpFdbPort"""
    VLAN_FORWARDING_STATUS = (*_BRIDGE, 7, 1, 2, 2, 1, 3)
    """dot1qTpFdbStatus"""
    VLAN_DATABASE = (*_BRIDGE, 7, 1, 4, 2, 1, 3)
    """dot1qVlanFdbId"""
    VLAN_MEMBERS = (*_BRIDGE, 7, 1, 4, 2, 1, 4)
    """dot1qVlanCurrentEgressPorts"""
    VLAN_UNTAGGED = (*_BRIDGE, 7, 1, 4, 2, 1, 5)
    """dot1qVlanCurrentUntaggedPorts"""
    VLAN = (*_BRIDGE, 7, 1, 4, 5, 1, 1)
    """dot1qPvid"""
    TREES_STATE = (*_MSTP, 5)
    """ieee8021MstpPortState"""
    TREES_PART = (*_MSTP, 12)
    """ieee8021MstpPortRole"""
    DUPLEX = (1, 3, 6, 1, 2, 1, 10, 7, 2, 1, 19)
    """dot3StatsDuplexStatus"""
    NEIGHBOUR_MACS = (*_IP, 35, 1, 4)
    """ipNetToPhysicalPhysAddress"""
    NEIGHBOUR_STATES = (*_IP, 35, 1, 7)
    """ipNetToPhysicalState"""
    MEDIA_MACS = (*_IP, 22, 1, 2)
    """ipNetToMediaPhysAddress"""
    MEDIA_KINDS = (*_IP, 22, 1, 4)
    """ipNetToMediaType"""
    OWN_ADDRESSES = (*_IP, 34, 1, 3)
    """ipAddressIfIndex"""
    OLDER_ADDRESSES = (*_IP, 20, 1, 2)
    """ipAdEntIfIndex"""
    ENTITY_CLASS = (*_ENTITY, 5)
    """entPhysicalClass"""
    FIRMWARE = (*_ENTITY, 9)
    """entPhysicalFirmwareRev"""
    SOFTWARE = (*_ENTITY, 10)
    """entPhysicalSoftwareRev"""
    SERIAL = (*_ENTITY, 11)
    """entPhysicalSerialNum"""
    MODEL = (*_ENTITY, 13)
    """entPhysicalModelName"""
    LOGICAL_TEXT = (*_LOGICAL, 2)
    """entLogicalDescr"""
    LOGICAL_KIND = (*_LOGICAL, 3)
    """entLogicalType"""
    LOGICAL_COMMUNITY = (*_LOGICAL, 4)
    """entLogicalCommunity"""
    LOGICAL_CONTEXT = (*_LOGICAL, 8)
    """entLogicalContextName"""
    POWER = (1, 3, 6, 1, 2, 1, 105, 1, 1, 1, 6)
    """pethPsePortDetectionStatus"""
    POWER_CLASS = (1, 3, 6, 1, 2, 1, 105, 1, 1, 1, 10)
    """pethPsePortPowerClassifications"""
    BUNDLE = (1, 2, 840, 10006, 300, 43, 1, 2, 1, 1, 13)
    """dot3adAggPortAttachedAggID"""
    LOCAL_CHASSIS = (*_LLDP, 3, 2)
    """lldpLocChassisId"""
    LOCAL_PORTS = (*_LLDP, 3, 7, 1)
    """lldpLocPortTable"""
    NEIGHBOURS = (*_LLDP, 4, 1, 1)
    """lldpRemTable"""
    NEIGHBOUR_ADDRESSES = (*_LLDP, 4, 2, 1)
    """lldpRemManAddrTable"""


FIELDS = {
    Column.ALIAS: "alias", Column.WANTED: "wanted", Column.LINK: "link", Column.SPEED: "speed", Column.HIGH_SPEED: "speed",
    Column.DUPLEX: "duplex", Column.VLAN: "vlan", Column.VLAN_MEMBERS: "tagged", Column.TREE_STATE: "tree",
    Column.TREES_STATE: "tree", Column.BUNDLE: "bundle", Column.POWER: "power", Column.NEIGHBOURS: "neighbours",
    Column.LOCAL_PORTS: "neighbours",
}  # fmt: skip
"""Which field of a port a column tells."""
BRIDGE_KIND: Oid = _BRIDGE
"""dot1dBridge: the type of a logical entity that is a bridge (entLogicalType)."""
CALLED = {
    Column.SYSTEM: "system", Column.DESCRIPTION: "interfaces", Column.NAME: "names of interfaces",
    Column.ALIAS: "descriptions of ports",
    Column.ENTITY_CLASS: "model and serial number", Column.NEIGHBOURS: "neighbours (LLDP)",
    Column.HIGH_SPEED: "speeds over 4 Gbit/s", Column.BASE_PORT: "ports of the bridge", Column.FORWARDING: "forwarding database",
    Column.VLAN_FORWARDING: "forwarding database by VLAN", Column.VLAN_DATABASE: "VLANs of the forwarding database",
}  # fmt: skip
"""Whose lack is told."""
