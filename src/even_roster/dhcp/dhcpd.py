"""An ISC dhcpd: its configuration and leases are read whole; written is one included file of host declarations. Blocks.

It reads its files only when it starts, so a command that the host allows restarts it. It gives addresses of its pools to anybody,
reserved or not (dhcpd.conf(5), "fixed-address"), so what is to be reserved must lie outside of them.
"""

from __future__ import annotations

import contextlib
import shlex
import subprocess
import tempfile
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from ipaddress import IPv4Network
from pathlib import Path

from ..core.address import Address
from ..core.dhcp import Scope, ScopeThere
from ..core.holdings import Holding
from ..core.plan.following import Lease
from . import dhcpd_config, dhcpd_holdings, dhcpd_text
from .files import OverLocal, file_or_none, files_as_seen, read_file, restore_files, write_files
from .kind import Kind
from .programs import run_check
from .server import READ_BACK, Owned, Rendered, Seen, ServerRefused, ServerTrouble, Texts, There, other_roster, said

_SECONDS = 30.0
DEFAULT_CHECK = ("dhcpd", "-4", "-t", "-cf")


@dataclass(frozen=True, slots=True)
class DhcpdServer:
    """How to reach one server. `hosts` is the included file that the plan is written to, `reload` what restarts it."""

    config: Path
    hosts: Path
    lease_file: Path | None = None
    reload: Sequence[str] = ()
    check_command: Sequence[str] = DEFAULT_CHECK
    roster: str = ""
    pools_by_hand = True
    tells_anew = False
    reserves_in_pools = False
    tells_leases = True
    ends_leases = False
    verified = READ_BACK

    def read(self, owned: Owned, hints: Sequence[IPv4Network]) -> There:
        """See DhcpServer.read; the text is that of the file of hosts, the configuration with what it includes is read along."""
        read_file(self.config)
        text = file_or_none(self.hosts) or ""
        texts = {str(self.hosts): text}
        mark, files = dhcpd_config.mark_of(text), OverLocal(texts)
        scopes = tuple(dhcpd_config.scopes(self._statements(texts, self._followed(files)), owned, hints))
        return There(texts, scopes, "", other_roster(mark, self.roster), files.seen)

    def as_seen(self, seen: Seen) -> bool:
        """See DhcpServer.as_seen."""
        return files_as_seen(seen)

    def understand(self, texts: Texts, owned: Owned, hints: Sequence[IPv4Network]) -> tuple[ScopeThere, ...]:
        """See DhcpServer.understand."""
        return tuple(dhcpd_config.scopes(self._statements(texts, self._followed(OverLocal(texts))), owned, hints))

    def _followed(self, files: OverLocal) -> dhcpd_text.Followed:
        return dhcpd_text.follow(str(self.config), files)

    def _statements(self, texts: Texts, followed: dhcpd_text.Followed) -> tuple[dhcpd_text.Statement, ...]:
        """All statements; those of the file of hosts also where the configuration does not include it."""
        hosts = str(self.hosts)
        if hosts in followed.files or hosts not in texts:
            return followed.statements
        return (*followed.statements, *dhcpd_text.parse(texts[hosts], hosts))

    def render(self, there: There, scopes: Sequence[Scope], owned: Owned) -> Rendered:
        """See DhcpServer.render. What stands in other files is people's own: that is work by hand."""
        hosts = str(self.hosts)
        others = [
            one for one in self._statements(there.texts, self._followed(OverLocal(there.texts))) if one.path != hosts
        ]
        edited = dhcpd_config.edit_hosts(there.texts[hosts], hosts, scopes, owned, others, self.roster)
        by_hand = list(edited.by_hand)
        if hosts not in self._followed(OverLocal({hosts: edited.text})).files:
            by_hand.append(
                f'{self.config}: write `include "{hosts}";` at its end, else the server does not read what is published'
            )
        return Rendered({hosts: edited.text}, tuple(by_hand))

    def beyond(self, there: There, after: Texts, back: There) -> list[str]:
        """See DhcpServer.beyond: dhcpd does not tell what it runs."""
        return []

    def check(self, texts: Texts) -> str:
        """See DhcpServer.check: the whole configuration, with the new file of hosts, by `dhcpd -t`."""
        files = self._followed(OverLocal(texts)).files
        with tempfile.TemporaryDirectory() as folder:
            copies = {path: str(Path(folder) / f"{number}.conf") for number, path in enumerate(files)}
            for path, text in files.items():
                for named, copy in copies.items():
                    text = text.replace(f'"{named}"', f'"{copy}"')
                Path(copies[path]).write_text(text, encoding="utf-8")
            command = [*self.check_command, copies[str(self.config)]]
            done = run_check(command, "the configuration")
            if done.returncode:
                told = done.stderr
                for path, copy in copies.items():
                    told = told.replace(copy, path)
                raise ServerRefused(f"the server's own check refuses the configuration: {_first(told)}")
        return f"checked by {' '.join(self.check_command[:3])}"

    def write(self, before: Texts, after: Texts) -> str:
        """See DhcpServer.write."""
        write_files(before, after)
        try:
            return self._restart()
        except ServerTrouble as error:
            raise type(error)(f"{error}; {self.restore(before, after)}") from error

    def _restart(self) -> str:
        if not self.reload:
            return "written; the server reads it when it is restarted"
        try:
            done = subprocess.run(
                self.reload, capture_output=True, text=True, timeout=_SECONDS, check=False, umask=0o022
            )  # what it writes is its own matter
        except (OSError, subprocess.TimeoutExpired) as error:
            raise ServerTrouble(f"the server cannot be restarted: {error}") from error
        if done.returncode:
            raise ServerTrouble(f"the server cannot be restarted: {said((done.stderr, done.stdout), '')}")
        return f"written, and the server was restarted ({self.reload[0]})"

    def restore(self, before: Texts, after: Texts) -> str:
        """See DhcpServer.restore."""
        told, written = restore_files(before, after)
        if written:
            with contextlib.suppress(ServerTrouble):
                self._restart()
        return told

    def end_lease(self, address: Address) -> None:
        """See DhcpServer.end_lease: dhcpd has no command that ends a lease."""
        raise ServerTrouble("dhcpd has no command that ends a lease")

    def holdings(self, networks: Sequence[IPv4Network], there: There | None = None) -> list[Holding]:
        """See DhcpServer.holdings."""
        read_file(self.config)
        return dhcpd_holdings.holdings(self._followed(OverLocal({})))

    def leases(self) -> list[Lease]:
        """See DhcpServer.leases."""
        if self.lease_file is None:
            raise ServerTrouble("no lease file was named for this server")
        return dhcpd_config.leases(file_or_none(self.lease_file) or "", str(self.lease_file))


def _first(told: str) -> str:
    """The first line of its words that is about the configuration."""
    lines = [line for line in told.splitlines() if " line " in line] or [
        line for line in told.splitlines() if line.strip()
    ]
    return said(lines[:1], "")


def _built(values: Mapping[str, str], roster: str) -> DhcpdServer:
    leases = Path(values["leases"]) if "leases" in values else None
    command = shlex.split(values.get("reload", ""))
    return DhcpdServer(Path(values["config"]), Path(values["hosts"]), leases, command, roster=roster)


KIND = Kind("dhcpd", ("config", "hosts", "leases", "reload"), (("config",), ("hosts",)), _built)
