"""A dnsmasq server: its hosts file or directory for reservations, its lease file, re-read by signal. Blocks.

dnsmasq reads pools and options only when it starts, so those are compared with the plan and told to a person; what
is published are reservations.
"""

from __future__ import annotations

import contextlib
import os
import tempfile
import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from ipaddress import IPv4Network
from pathlib import Path

from ..core.address import Address
from ..core.dhcp import Scope, ScopeThere, key_of
from ..core.holdings import Holding
from ..core.plan.following import Lease
from . import dnsmasq_holdings, dnsmasq_lines, dnsmasq_text
from .dnsmasq_lines import Followed
from .files import OverLocal, file_or_none, files_as_seen, read_file, restore_files, write_files
from .kind import Kind
from .programs import run_check, tell_to_read
from .server import READ_BACK, Owned, Rendered, Seen, ServerRefused, ServerTrouble, Texts, There, other_roster, said

_SETTLE = 0.3
DEFAULT_CHECK = ("dnsmasq", "--test")


@dataclass(frozen=True, slots=True)
class DnsmasqServer:
    """How to reach one server. `hosts` is a file named by dhcp-hostsfile, or one of ours in a dhcp-hostsdir."""

    hosts: Path
    config: Path | None = None
    lease_file: Path | None = None
    pid_file: Path | None = None
    check_command: Sequence[str] = DEFAULT_CHECK
    roster: str = ""
    pools_by_hand = True
    reserves_in_pools = True
    tells_leases = True
    ends_leases = False
    verified = READ_BACK
    tells_anew = False

    def read(self, owned: Owned, hints: Sequence[IPv4Network]) -> There:
        """See DhcpServer.read; the text is that of the hosts file, the configuration with all that it includes is read along."""
        text = file_or_none(self.hosts) or ""
        texts = {str(self.hosts): text}
        mark, files = dnsmasq_text.mark_of(text), OverLocal(texts)
        scopes = tuple(dnsmasq_text.scopes(self._followed(files), owned, hints))
        return There(texts, scopes, "", other_roster(mark, self.roster), files.seen)

    def as_seen(self, seen: Seen) -> bool:
        """See DhcpServer.as_seen."""
        return files_as_seen(seen)

    def understand(self, texts: Texts, owned: Owned, hints: Sequence[IPv4Network]) -> tuple[ScopeThere, ...]:
        """See DhcpServer.understand."""
        return tuple(dnsmasq_text.scopes(self._followed(OverLocal(texts)), owned, hints))

    def _followed(self, files: OverLocal) -> Followed:
        """The configuration with all that it includes, and the hosts file also where it does not name it."""
        found = dnsmasq_lines.EMPTY
        if self.config is not None:
            if files.text(str(self.config)) is None:
                read_file(self.config)
            found = dnsmasq_lines.follow(str(self.config), files)
        hosts = str(self.hosts)
        if hosts in found.files:
            return found
        text = files.text(hosts)
        return found.with_file(hosts, text, "dhcp-host") if text is not None else found

    def render(self, there: There, scopes: Sequence[Scope], owned: Owned) -> Rendered:
        """See DhcpServer.render. What stands in other files is read only when the server starts: that is work by hand."""
        hosts = str(self.hosts)
        others = [
            (item, one)
            for item in self._followed(OverLocal(there.texts)).settings
            if item.keyword == "dhcp-host"
            and item.path != hosts
            and (one := dnsmasq_text.reservation(item)) is not None
        ]
        edited = dnsmasq_text.edit_hosts(there.texts[hosts], scopes, owned, [one for _, one in others], self.roster)
        wanted = {one.mac: one for scope in scopes for one in scope.reservations}
        mine = {key for keys in owned.values() for key in keys}
        by_hand = [f"line {number} of {hosts}: {said}" for number, said in edited.by_hand]
        for item, one in others:
            target = wanted.get(one.mac)
            if key_of(one) not in mine or target == one:
                continue
            if target is None:
                by_hand.append(f"{item.place}: take out `{item.line.strip()}`, and restart the server")
            else:
                line = dnsmasq_text.changed(item.line, item, one, target).strip()
                by_hand.append(f"{item.place}: write `{line}` for `{item.line.strip()}`, and restart the server")
        return Rendered({hosts: edited.text}, tuple(by_hand))

    def beyond(self, there: There, after: Texts, back: There) -> list[str]:
        """See DhcpServer.beyond: dnsmasq does not tell what it runs."""
        return []

    def check(self, texts: Texts) -> str:
        """See DhcpServer.check: each line as a dhcp-host setting, and the server's own configuration, by its --test."""
        lines = []
        for line in dnsmasq_lines.lines_of(texts[str(self.hosts)]):
            item = dnsmasq_lines.setting(line.rstrip("\r\n"), "dhcp-host")
            lines.append(f"dhcp-host={item.value}\n" if item is not None else "\n")
        with tempfile.NamedTemporaryFile("w", suffix=".conf", encoding="utf-8") as file:
            file.writelines(lines)
            file.flush()
            self._test(file.name, "the reservations")
        if self.config is not None:
            self._test(str(self.config), "its configuration")
        return f"checked by {' '.join(self.check_command)}"

    def _test(self, path: str, what: str) -> None:
        command = [*self.check_command, f"--conf-file={path}"]
        done = run_check(command, what)
        if done.returncode:
            raise ServerRefused(f"the server's own check refuses {what}: {said((done.stderr, done.stdout), path)}")

    def write(self, before: Texts, after: Texts) -> str:
        """See DhcpServer.write."""
        write_files(before, after)
        try:
            return self._signal()
        except ServerTrouble as error:
            raise type(error)(f"{error}; {self.restore(before, after)}") from error

    def _signal(self) -> str:
        if self.pid_file is None:
            return "written; the server reads it when it is told to (SIGHUP): name its pid file to have that done"
        pid = tell_to_read(self.pid_file, "dnsmasq")
        time.sleep(_SETTLE)
        try:
            os.kill(pid, 0)
        except OSError as error:
            raise ServerTrouble("the server ended when it was told to read its hosts file again") from error
        return "written, and the server was told to read it (SIGHUP)"

    def restore(self, before: Texts, after: Texts) -> str:
        """See DhcpServer.restore."""
        told, written = restore_files(before, after)
        if written:
            with contextlib.suppress(ServerTrouble):
                self._signal()
        return told

    def end_lease(self, address: Address) -> None:
        """See DhcpServer.end_lease: dnsmasq has no command that ends a lease."""
        raise ServerTrouble("dnsmasq has no command that ends a lease")

    def holdings(self, networks: Sequence[IPv4Network], there: There | None = None) -> list[Holding]:
        """See DhcpServer.holdings."""
        return dnsmasq_holdings.holdings(self._followed(OverLocal({})), networks)

    def leases(self) -> list[Lease]:
        """See DhcpServer.leases."""
        if self.lease_file is None:
            raise ServerTrouble("no lease file was named for this server")
        return dnsmasq_text.leases(file_or_none(self.lease_file) or "")


def _built(values: Mapping[str, str], roster: str) -> DnsmasqServer:
    given = {name: Path(value) for name, value in values.items()}
    return DnsmasqServer(given["hosts"], given.get("config"), given.get("leases"), given.get("pid"), roster=roster)


KIND = Kind("dnsmasq", ("hosts", "config", "leases", "pid"), (("hosts",),), _built)
