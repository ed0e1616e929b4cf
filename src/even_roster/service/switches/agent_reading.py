"""Reads a switch: walks what there is to know of it and puts the answers together. What cannot be had is named in the reading."""

from __future__ import annotations

import asyncio
import re
from collections.abc import Mapping
from dataclasses import replace
from ipaddress import IPv4Address

from ...api.switches import Credential
from ...core.switches.columns import BRIDGE_KIND, CALLED, FIELDS, Column, Oid, Rows
from ...core.switches.readers import reading
from ...core.switches.reading import Lack, Reading
from ...core.text import clean
from ...probe.segment import Segment
from ...probe.snmp_agent import Agent, Ending, Walked
from ...probe.snmp_session import CommunitySession, Session
from ...probe.snmp_user import UserSession
from ...store.edits import EditError
from ...wire.snmp import Version
from ...wire.usm import LEAST_PASSWORD, Auth, Privacy, User

SWITCHES = frozenset(
    (
        Column.BASE_PORT,
        Column.FORWARDING,
        Column.VLAN_FORWARDING,
        Column.VLAN_DATABASE,
        Column.ALIAS,
        Column.HIGH_SPEED,
    )
)
"""What only who passes frames on has; a router that does not is not told to lack it."""
APART = (Column.BASE_PORT, Column.FORWARDING, Column.FORWARDING_STATUS)
LEARNING = frozenset({
    Column.BASE_PORT, Column.FORWARDING, Column.FORWARDING_STATUS, Column.VLAN_FORWARDING, Column.VLAN_FORWARDING_STATUS,
})  # fmt: skip
"""What says who was learnt behind which port."""
MOST_PARTS, PART_SECONDS = 64, 20.0
SYSTEM_NAME = (*Column.SYSTEM.value, 5, 0)


def authenticates(credential: Credential) -> bool:
    """Whether others cannot make up the answers: version 3 with authentication (RFC 3414)."""
    return credential.snmp == "3" and credential.auth != "none"


def session(credential: Credential) -> Session:
    """How an agent is asked by a credential. Raises EditError."""
    if credential.snmp != "3":
        if not credential.community:
            raise EditError("give the community that the switch may be read with", "credential.community")
        version = Version.V1 if credential.snmp == "1" else Version.V2C
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
        await agent.get([SYSTEM_NAME])  # who does not answer this is not asked for fifty things more
        walks = dict(zip(Column, await agent.columns([one.value for one in Column]), strict=True))
        columns = {column: _rows(column, walked) for column, walked in walks.items()}
        parts, missing = await _parts(segment, address, how, walks, columns)
    finally:
        await segment.close()
    bridge = walks[Column.BASE_PORT].ending is not Ending.ABSENT or walks[Column.FORWARDING].ending is not Ending.ABSENT
    wanted = CALLED.keys() if bridge else CALLED.keys() - SWITCHES
    lacks = [
        Lack(CALLED.get(column) or column.name.lower().replace("_", " "), walked.why or "it does not have it")
        for column, walked in walks.items()
        if walked.ending is Ending.CUT
        or (column in wanted and walked.ending is Ending.ABSENT and not _instead(column, walks))
    ]
    short = {column for column, walked in walks.items() if walked.ending is Ending.CUT}
    told = await asyncio.to_thread(reading, columns, [*lacks, *missing], parts)
    whole = not short & {Column.DESCRIPTION, Column.NAME, Column.KIND}
    if short & {Column.OWN_ADDRESSES, Column.OLDER_ADDRESSES}:
        told = replace(told, addressed=None)  # of those that are missing it is not known
    if short & LEARNING or any(lack.what.startswith("forwarding database of") for lack in missing):
        told = replace(told, learnt_whole=False)
    return replace(told, ports_whole=whole, cut=frozenset(FIELDS[column] for column in short & FIELDS.keys()))


async def _parts(
    segment: Segment, address: IPv4Address, how: Session, walks: Mapping[Column, Walked], columns: Mapping[Column, Rows]
) -> tuple[list[tuple[int | None, dict[Column, Rows]]], list[Lack]]:
    """What an agent tells of its bridges that it keeps apart, one a VLAN, where it has no table of all (entLogicalTable)."""
    if walks[Column.VLAN_FORWARDING].ending is not Ending.ABSENT:
        return [], []
    found: list[tuple[int | None, dict[Column, Rows]]] = []
    missing: list[Lack] = []
    for key, kind in list(columns[Column.LOGICAL_KIND].items())[:MOST_PARTS]:
        session = how.within(
            _octets(columns, Column.LOGICAL_CONTEXT, key), _octets(columns, Column.LOGICAL_COMMUNITY, key)
        )
        if kind != BRIDGE_KIND or session is None:
            continue
        called = _octets(columns, Column.LOGICAL_TEXT, key).decode("utf-8", "replace")
        part = Agent(segment, address, session, seconds=PART_SECONDS)
        told = dict(zip(APART, await part.columns([one.value for one in APART]), strict=True))
        if told[Column.FORWARDING].ending is Ending.CUT:
            missing.append(Lack(f"forwarding database of {clean(called, 60)}", told[Column.FORWARDING].why))
        number = re.search(r"\d{1,4}", called)
        vlan = int(number[0]) if number is not None and 1 <= int(number[0]) <= 4094 else None
        found.append((vlan, {column: _rows(column, walked) for column, walked in told.items()}))
    return found, missing


def _octets(columns: Mapping[Column, Rows], column: Column, key: Oid) -> bytes:
    value = columns[column].get(key)
    return value if isinstance(value, bytes) else b""


def _instead(column: Column, walks: Mapping[Column, Walked]) -> bool:
    """Whether another column says the same, so that one that is not there is no lack."""
    others = {Column.FORWARDING: Column.VLAN_FORWARDING, Column.VLAN_FORWARDING: Column.FORWARDING,
              Column.VLAN_DATABASE: Column.FORWARDING}  # fmt: skip
    other = others.get(column)
    absent = walks[column].ending is Ending.ABSENT
    return absent and other is not None and walks[other].ending is Ending.WHOLE


def _rows(column: Column, walked: Walked) -> Rows:
    size = len(column.value)
    return {one.oid[size:]: one.value for one in walked.variables}
