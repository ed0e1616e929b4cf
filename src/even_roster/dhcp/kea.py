"""A Kea DHCPv4 server, by its configuration file, by its control socket or URL, or by both. Blocks; belongs in a thread.

With both, the file is edited (comments and layout stay), the server checks the text (`config-test`), reads the file
again (`config-reload`) and is asked what it has (`config-get`). With the socket alone the configuration is fetched,
tested, set and written back by the server itself (`config-set`, `config-write`).
"""

from __future__ import annotations

import contextlib
import csv
import io
import json
import tempfile
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from ipaddress import IPv4Network
from pathlib import Path
from typing import Any

from ..core.address import Address, dotted, ipv4
from ..core.dhcp import Scope, ScopeThere
from ..core.holdings import Holding, Part, Place
from ..core.mac import Mac, MacError, MacNumber
from ..core.plan.following import Lease
from ..core.text import clean
from . import kea_config, kea_control, kea_files, kea_holdings, kea_running
from .files import GivenFiles, LocalFiles, content, files_as_seen, octets_of, read_file, restore_files, write_files
from .kea_control import Control, HttpControl, SocketControl
from .kind import WORDS, Kind
from .programs import run_check, tell_to_read
from .server import (
    READ_BACK,
    ChangedMeanwhile,
    Owned,
    Rendered,
    Seen,
    ServerRefused,
    ServerTrouble,
    Texts,
    There,
    other_roster,
    said,
)

_NO_LEASES = 3
RUNNING = "running memory"
_IN_EFFECT = {"command": "config-get"}
DEFAULT_CHECK = ("kea-dhcp4", "-t")


@dataclass(frozen=True, slots=True)
class KeaServer:
    """How to reach one server; `config` or `control` must be given. `check` is run with the file's name behind it."""

    config: Path | None = None
    control: Control | None = None
    lease_file: Path | None = None
    pid_file: Path | None = None
    check_command: Sequence[str] = DEFAULT_CHECK
    roster: str = ""
    pools_by_hand = False
    reserves_in_pools = True
    tells_leases = True
    verified = READ_BACK

    def read(self, owned: Owned, hints: Sequence[IPv4Network]) -> There:
        """See DhcpServer.read: the file with what it includes where it is given, else what the server has in effect."""
        seen: Seen = {}
        running = self._running(seen) if self.control is not None else None
        joined = self._joined(running, seen)
        value = kea_config.parse(joined.text).root.value
        there = tuple(kea_config.scopes(value, owned))
        if self.config is not None and running is not None:
            in_effect = {one.scope.network: one.scope for one in kea_config.scopes(running, owned)}
            for one in there:
                now = in_effect.get(one.scope.network)
                if (
                    now is None
                    or set(now.reservations) != set(one.scope.reservations)
                    or set(now.pools) != set(one.scope.pools)
                ):
                    raise ServerTrouble(
                        f"{self.config} and the running server differ in {one.scope.network}: "
                        "reload the server or correct its file first"
                    )
        return There(joined.files, there, running, other_roster(kea_config.marked_by(value), self.roster), seen)

    def as_seen(self, seen: Seen) -> bool:
        """See DhcpServer.as_seen."""
        files = {path: mark for path, mark in seen.items() if path != RUNNING}
        return files_as_seen(files) and (
            self.control is None or content(self.control.send(_IN_EFFECT)) == seen.get(RUNNING)
        )

    def _joined(self, running: Any, seen: Seen) -> kea_files.Joined:
        if self.config is None:
            return kea_files.whole(_readable(running), RUNNING)
        read_file(self.config)  # says why, where it cannot be read
        files = LocalFiles()
        joined = kea_files.join(str(self.config), files)
        seen.update(files.seen)
        return joined

    def understand(self, texts: Texts, owned: Owned, hints: Sequence[IPv4Network]) -> tuple[ScopeThere, ...]:
        """See DhcpServer.understand."""
        return tuple(kea_config.scopes(kea_config.parse(self._together(texts).text).root.value, owned))

    def _together(self, texts: Texts) -> kea_files.Joined:
        return (
            kea_files.join(str(self.config), GivenFiles(texts))
            if self.config is not None
            else kea_files.whole(texts[RUNNING], RUNNING)
        )

    def render(self, there: There, scopes: Sequence[Scope], owned: Owned) -> Rendered:
        """See DhcpServer.render."""
        joined = self._together(there.texts)
        document = kea_config.parse(joined.text)
        by_hand = kea_config.edit(document, scopes, owned, self.roster)
        return Rendered(
            joined.edited(document.edits), tuple(f"{joined.place(one.position)}: {one.said}" for one in by_hand)
        )

    def beyond(self, there: There, after: Texts, back: There) -> list[str]:
        """See DhcpServer.beyond: what has changed in the running server is compared with what was changed in the texts."""
        if there.running is None:
            return []
        texts = [kea_config.parse(self._together(one).text).root.value for one in (there.texts, after)]
        return kea_running.beyond((texts[0], texts[1]), (there.running, back.running))

    @property
    def ends_leases(self) -> bool:
        """See DhcpServer.ends_leases: by its lease commands."""
        return self.control is not None

    def end_lease(self, address: Address) -> None:
        """See DhcpServer.end_lease: by `lease4-del` (Kea's lease commands)."""
        if self.control is None:
            raise ServerTrouble("a lease can be ended by the server's control socket or URL alone, and none was named")
        answer = self._ask("lease4-del", {"ip-address": dotted(address)})
        if answer["result"] not in (0, _NO_LEASES):
            raise ServerTrouble(f"the server refuses lease4-del: {clean(str(answer.get('text')), 600)}")

    @property
    def tells_anew(self) -> bool:
        """See DhcpServer.tells_anew: by its socket alone the server tells what it has in its own words."""
        return self.config is None

    def check(self, texts: Texts) -> str:
        """See DhcpServer.check: by `config-test`, or by the server's program with -t."""
        text = self._together(texts).text
        if self.control is not None:
            answer = self._ask("config-test", kea_config.parse(text).root.value)
            if answer["result"]:
                raise ServerRefused(f"the server refuses the configuration: {clean(str(answer.get('text')), 600)}")
            return "checked by the server (config-test)"
        with tempfile.NamedTemporaryFile("w", suffix=".json", encoding="utf-8") as file:
            file.write(text)
            file.flush()
            command = [*self.check_command, file.name]
            done = run_check(command, "the configuration")
        if done.returncode:
            raise ServerRefused(
                f"the server's own check refuses the configuration: {said((done.stdout, done.stderr), file.name)}"
            )
        return f"checked by {' '.join(self.check_command)}"

    def write(self, before: Texts, after: Texts) -> str:
        """See DhcpServer.write."""
        if self.config is None:
            if _readable(self._running({})) != before[RUNNING]:
                raise ChangedMeanwhile("the running configuration was changed meanwhile; look at the difference again")
            return self._set(after[RUNNING])
        write_files(before, after)
        try:
            return self._reload()
        except ServerTrouble as error:
            raise type(error)(f"{error}; {self.restore(before, after)}") from error

    def _set(self, text: str) -> str:
        self._must("config-set", kea_config.parse(text).root.value)
        answer = self._ask("config-write", None)
        if answer["result"]:
            said = clean(str(answer.get("text")), 300)
            return f"in effect, but the server could not write its file ({said}): after a restart it is as before"
        return "set and written back by the server"

    def _reload(self) -> str:
        if self.control is not None:
            self._must("config-reload", None)
            return "written, and read by the server"
        if self.pid_file is not None:
            tell_to_read(self.pid_file, "kea-dhcp4")
            return "written, and the server was told to read it (SIGHUP)"
        return "written; the server reads it when it is reloaded or restarted"

    def restore(self, before: Texts, after: Texts) -> str:
        """See DhcpServer.restore."""
        if self.config is None:
            self._set(before[RUNNING])
            return "the previous configuration is in place again"
        told, written = restore_files(before, after)
        if written:
            with contextlib.suppress(ServerTrouble):
                self._reload()
        return told

    def holdings(self, networks: Sequence[IPv4Network], there: There | None = None) -> list[Holding]:
        """See DhcpServer.holdings: from the file and what it includes; what the running server has beside it, too."""
        found: list[Holding] = []
        if self.config is not None:
            joined = self._together(there.texts) if there is not None else self._joined(None, {})
            found = kea_holdings.holdings(kea_config.parse(joined.text), joined.place)
        if self.control is None:
            return found
        running = there.running if there is not None else self._running({})
        known = {kea_holdings.meaning(one) for one in found}
        beside = kea_holdings.holdings(
            kea_config.parse(_readable(kea_holdings.without(running, known))), lambda position: Place(RUNNING)
        )
        if self.config is None:
            return beside
        about = (Part.POOL, Part.RESERVATION, Part.SUBNET)
        return found + [one for one in beside if one.part in about and kea_holdings.meaning(one) not in known]

    def leases(self) -> list[Lease]:
        """See DhcpServer.leases: by the lease commands where the server has them, else from its lease file."""
        if self.control is not None:
            answer = self._ask("lease4-get-all", None)
            if answer["result"] in (0, _NO_LEASES):
                rows = answer.get("arguments", {}).get("leases", [])
                return [lease for row in rows if row.get("state", 0) in (0, 2) and (lease := _of_command(row))]
        path = self.lease_file
        if path is None:
            raise ServerTrouble("the server has no lease commands (hook) and no lease file was named")
        return _of_file(path)

    def _running(self, seen: Seen) -> dict[str, Any]:
        """What the server has in effect. Raises ServerTrouble."""
        assert self.control is not None
        octets = self.control.send(_IN_EFFECT)
        seen[RUNNING] = content(octets)
        arguments = _given("config-get", kea_control.answer(octets, "config-get"))
        return {"Dhcp4": kea_config.settings_of(arguments)}

    def _must(self, command: str, arguments: Any) -> dict[str, Any]:
        return _given(command, self._ask(command, arguments))

    def _ask(self, command: str, arguments: Any) -> dict[str, Any]:
        assert self.control is not None
        return kea_control.ask(self.control, command, arguments)


def _readable(running: Any) -> str:
    """What a server has in effect as the text that people read and that is edited, where there is no file."""
    return json.dumps(running, indent=2, ensure_ascii=False)


def _given(command: str, answer: dict[str, Any]) -> dict[str, Any]:
    """What an answer gives. Raises ServerTrouble when the server refuses the command."""
    if answer["result"]:
        raise ServerTrouble(f"the server refuses {command}: {clean(str(answer.get('text')), 600)}")
    given = answer.get("arguments", {})
    return given if isinstance(given, dict) else {}


def _of_command(row: dict[str, Any]) -> Lease | None:
    try:
        since = int(row["cltt"]) * 1000
        expires = since + int(row["valid-lft"]) * 1000
        name = clean(str(row.get("hostname", ""))).rstrip(".")
        return Lease(ipv4(str(row["ip-address"])), _mac(row.get("hw-address")), name, expires, since)
    except (KeyError, ValueError, TypeError):
        return None


def _of_file(path: Path) -> list[Lease]:
    """Kea's memfile: CSV to which every renewal is appended; the last line of an address counts."""
    found: dict[int, Lease | None] = {}
    for place in (path.with_name(f"{path.name}.2"), path):
        if place != path and not place.exists():
            continue
        text = octets_of(place).decode("utf-8", "replace")
        for row in csv.DictReader(io.StringIO(text, newline="")):
            _take_row(row, found)
    return [lease for lease in found.values() if lease is not None]


def _take_row(row: dict[str, str | None], found: dict[int, Lease | None]) -> None:
    try:
        address = ipv4(row["address"] or "")
        name = clean(row.get("hostname") or "").rstrip(".")
        expires = int(row["expire"] or 0) * 1000
        since = expires - int(row.get("valid_lifetime") or 0) * 1000
        lease = Lease(address, _mac(row.get("hwaddr")), name, expires, since)
        gone = row.get("state") == "1" or row.get("valid_lifetime") == "0"
    except (KeyError, ValueError):
        return
    found[address] = None if gone else lease


def _mac(text: Any) -> MacNumber | None:
    try:
        return Mac.parse(str(text)).value
    except MacError:
        return None


def _built(values: Mapping[str, str], roster: str) -> KeaServer:
    given = {name: Path(value) for name, value in values.items() if name not in WORDS}
    control: Control | None = SocketControl(given["socket"]) if "socket" in given else None
    if "url" in values:
        control = HttpControl(
            values["url"], values.get("user", ""), values.get("password", ""), given.get("ca"), given.get("certificate"),
            given.get("key"),
        )  # fmt: skip
    return KeaServer(given.get("config"), control, given.get("leases"), given.get("pid"), roster=roster)


KIND = Kind(
    "kea", ("config", "socket", "url", "user", "password", "ca", "certificate", "key", "leases", "pid", "partner"),
    (("config", "socket", "url"),), _built, pool_options=True,
)  # fmt: skip
