"""A dnsmasq server: its hosts file or directory for reservations, its lease file, re-read by signal. Blocks.

dnsmasq reads pools and options only when it starts, so those are compared with the plan and told to a person; what
is published are reservations.
"""

from __future__ import annotations

import os
import signal
import subprocess
import tempfile
import time
from collections.abc import Sequence
from dataclasses import dataclass
from ipaddress import IPv4Network
from pathlib import Path

from ..core.dhcp import Scope
from ..core.holdings import Holding
from ..core.plan.following import Lease
from . import dnsmasq_holdings, dnsmasq_lines, dnsmasq_text
from .server import LocalFiles, Owned, ServerRefused, ServerTrouble, There, read_file, said, write_file

_SECONDS = 15.0
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
    pools_by_hand = True

    def read(self, owned: Owned, hints: Sequence[IPv4Network]) -> There:
        """See DhcpServer.read; the text is that of the hosts file."""
        text = read_file(self.hosts) if self.hosts.exists() else ""
        config = read_file(self.config) if self.config is not None else ""
        return There(text, tuple(dnsmasq_text.scopes(config, text, owned, hints)))

    def render(self, there: There, scopes: Sequence[Scope], owned: Owned) -> str:
        """See DhcpServer.render."""
        return dnsmasq_text.edit_hosts(there.text, scopes, owned)

    def check(self, text: str) -> str:
        """See DhcpServer.check: each line as a dhcp-host setting, and the server's own configuration, by its --test."""
        lines = []
        for line in text.splitlines():
            bare = line.split("#", 1)[0].strip()
            if bare:
                lines.append(f"dhcp-host={bare.removeprefix('dhcp-host=')}\n")
        with tempfile.NamedTemporaryFile("w", suffix=".conf", encoding="utf-8") as file:
            file.writelines(lines)
            file.flush()
            self._test(file.name, "the reservations")
        if self.config is not None:
            self._test(str(self.config), "its configuration")
        return f"checked by {' '.join(self.check_command)}"

    def _test(self, path: str, what: str) -> None:
        command = [*self.check_command, f"--conf-file={path}"]
        try:
            done = subprocess.run(command, capture_output=True, text=True, timeout=_SECONDS, check=False)
        except FileNotFoundError as error:
            raise ServerTrouble(f"{command[0]} is not installed here, so the reservations cannot be checked") from error
        except subprocess.TimeoutExpired as error:
            raise ServerTrouble(f"{command[0]} took longer than {_SECONDS:.0f} s to check {what}") from error
        if done.returncode:
            raise ServerRefused(f"the server's own check refuses {what}: {said((done.stderr, done.stdout), path)}")

    def write(self, text: str) -> str:
        """See DhcpServer.write. Names that begin with a dot or end with ~ are ones dnsmasq does not read."""
        write_file(self.hosts, text, self.hosts.with_name(f"{self.hosts.name}~"))
        return self._signal()

    def _signal(self) -> str:
        if self.pid_file is None:
            return "written; the server reads it when it is told to (SIGHUP): name its pid file to have that done"
        try:
            pid = int(self.pid_file.read_text())
            os.kill(pid, signal.SIGHUP)
            time.sleep(_SETTLE)
            os.kill(pid, 0)
        except (OSError, ValueError) as error:
            raise ServerTrouble(f"the server cannot be told to read its hosts file again: {error}") from error
        return "written, and the server was told to read it (SIGHUP)"

    def restore(self, there: There) -> None:
        """See DhcpServer.restore."""
        write_file(self.hosts, there.text, self.hosts.with_name(f"{self.hosts.name}.refused~"))
        self._signal()

    def holdings(self, networks: Sequence[IPv4Network]) -> list[Holding]:
        """See DhcpServer.holdings; the hosts file too where the configuration does not name it."""
        files, hosts = LocalFiles(), str(self.hosts)
        found = dnsmasq_lines.follow(str(self.config), files) if self.config is not None else dnsmasq_lines.EMPTY
        if hosts not in found.files and self.hosts.exists():
            found = found.with_file(hosts, files.text(hosts), "dhcp-host")
        return dnsmasq_holdings.holdings(found, networks)

    def leases(self) -> list[Lease]:
        """See DhcpServer.leases."""
        if self.lease_file is None:
            raise ServerTrouble("no lease file was named for this server")
        return dnsmasq_text.leases(read_file(self.lease_file)) if self.lease_file.exists() else []
