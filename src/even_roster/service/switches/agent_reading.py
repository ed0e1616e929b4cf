"""Reads a switch: walks what there is to know of it and puts the answers together. What cannot be had is named in the reading."""

from __future__ import annotations

from ipaddress import IPv4Address

from ...api.switches import Credential
from ...core.switches.readers import Column, Rows, reading
from ...core.switches.reading import Lack, Reading
from ...probe.segment import Segment
from ...probe.snmp_agent import Agent, Ending, Walked
from ...probe.snmp_session import CommunitySession, Session
from ...probe.snmp_user import UserSession
from ...store.edits import EditError
from ...wire.snmp import Version
from ...wire.usm import LEAST_PASSWORD, Auth, Privacy, User

CALLED = {
    Column.SYSTEM: "system", Column.DESCRIPTION: "interfaces", Column.NAME: "names of interfaces",
    Column.ALIAS: "descriptions of ports",
    Column.ENTITY_CLASS: "model and serial number", Column.NEIGHBOURS: "neighbours (LLDP)",
    Column.HIGH_SPEED: "speeds over 4 Gbit/s", Column.BASE_PORT: "ports of the bridge", Column.FORWARDING: "forwarding database",
    Column.VLAN_FORWARDING: "forwarding database by VLAN", Column.VLAN_DATABASE: "VLANs of the forwarding database",
}  # fmt: skip
SYSTEM_NAME = (*Column.SYSTEM.value, 5, 0)


def session(credential: Credential) -> Session:
    """How an agent is asked by a credential. Raises EditError."""
    if credential.version != "3":
        if not credential.community:
            raise EditError("give the community that the switch may be read with", "credential.community")
        version = Version.V1 if credential.version == "1" else Version.V2C
        return CommunitySession(version, credential.community.encode())
    if not credential.user:
        raise EditError("give the user that the switch may be read as", "credential.user")
    auth, privacy = Auth(credential.auth), Privacy(credential.privacy)
    if privacy is not Privacy.NONE and auth is Auth.NONE:
        raise EditError("there is no privacy without authentication (RFC 3414 1.4.2)", "credential.auth")
    for kind, password, field in (
        (auth.value, credential.auth_password, "auth_password"), (privacy.value, credential.privacy_password, "privacy_password"),
    ):  # fmt: skip
        if kind != "none" and len(password.encode()) < LEAST_PASSWORD:
            raise EditError(f"a password has at least {LEAST_PASSWORD} characters", f"credential.{field}")
    return UserSession(User(credential.user, auth, credential.auth_password, privacy, credential.privacy_password))


async def read(segment: Segment, address: IPv4Address, how: Session) -> Reading:
    """Read a switch; closes the segment. Raises AgentError where it does not answer at all."""
    try:
        agent = Agent(segment, address, how)
        await agent.get([SYSTEM_NAME])  # who does not answer this is not asked for twenty things more
        walks = dict(zip(Column, await agent.columns([one.value for one in Column]), strict=True))
    finally:
        await segment.close()
    columns = {column: _rows(column, walked) for column, walked in walks.items()}
    lacks = [
        Lack(CALLED[column], walked.why or "it does not have it")
        for column, walked in walks.items()
        if column in CALLED and walked.ending is not Ending.WHOLE and not _instead(column, walks)
    ]
    return reading(columns, lacks)


def _instead(column: Column, walks: dict[Column, Walked]) -> bool:
    """Whether another column says the same, so that one that is not there is no lack."""
    others = {Column.FORWARDING: Column.VLAN_FORWARDING, Column.VLAN_FORWARDING: Column.FORWARDING,
              Column.VLAN_DATABASE: Column.FORWARDING}  # fmt: skip
    other = others.get(column)
    absent = walks[column].ending is Ending.ABSENT
    return absent and other is not None and walks[other].ending is Ending.WHOLE


def _rows(column: Column, walked: Walked) -> Rows:
    size = len(column.value)
    return {one.oid[size:]: one.value for one in walked.variables}
