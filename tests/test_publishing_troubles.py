"""Whatever goes wrong while a plan is published, the server has what it had before, and what people did meanwhile is never lost."""

from __future__ import annotations

import contextlib
import os
import shutil
import subprocess
import tempfile
import unittest
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from ipaddress import IPv4Address, IPv4Network
from pathlib import Path

from sqlalchemy import insert, select

from even_roster.api.dhcp import DhcpServerNew
from even_roster.api.host_file import Reach, allow
from even_roster.client import RosterError
from even_roster.core.address import address_of
from even_roster.core.dhcp import Reservation, Scope, key_of
from even_roster.core.mac import Mac
from even_roster.dhcp.dnsmasq import DnsmasqServer
from even_roster.dhcp.files import write_files
from even_roster.dhcp.kea import KeaServer
from even_roster.dhcp.kea_control import SocketControl
from even_roster.dhcp.server import Owned, ServerTrouble, Texts, There, publish
from even_roster.store import begun_publishings, lease_records, server_versions
from even_roster.store.begun_publishings import Begun
from even_roster.store.database import Database
from even_roster.store.server_versions import Version
from even_roster.store.tables import dhcp_servers, published
from tests.support import dhcp_lab
from tests.support.dhcp_lab import Link
from tests.support.lab import ROOT, needs_lab, run
from tests.support.patience import until
from tests.support.service import service
from tests.test_dhcp_servers import LAPTOP, PRINTER, needs_dhcpd, needs_dnsmasq, needs_kea, reserve

BESIDE = "link"

SYSTEM_PYTHON = "/usr/bin/python3"
OFFICE = IPv4Network("10.44.10.0/24")
STEPS = ("read", "check", "write", "reload", "read back")


@dataclass(frozen=True, slots=True)
class Disturbed(KeaServer):
    """A real Kea to which something happens just before one of the steps of publishing."""

    before: str = ""
    happens: Callable[[], None] = lambda: None
    seen: tuple[list[str], ...] = ([],)

    def _step(self, name: str) -> None:
        if name == "read" and "read" in self.seen[0]:
            name = "read back"
        self.seen[0].append(name)
        if name == self.before:
            self.happens()

    def read(self, owned: Owned, hints: Sequence[IPv4Network]) -> There:
        self._step("read")
        return KeaServer.read(self, owned, hints)

    def check(self, texts: Texts) -> str:
        self._step("check")
        return KeaServer.check(self, texts)

    def write(self, before: Texts, after: Texts) -> str:
        self._step("write")
        return KeaServer.write(self, before, after)

    def _reload(self) -> str:
        self._step("reload")
        return KeaServer._reload(self)


def wanted(folder: Path) -> list[Scope]:
    """The lab's own configuration as a plan, with one reservation more."""
    (there,) = KeaServer(config=folder / "kea.conf").read({}, []).scopes
    more = Reservation(Mac.parse(LAPTOP).value, address_of(IPv4Address("10.44.10.181")), "portable-05")
    return [Scope(OFFICE, there.scope.pools, there.scope.options, (*there.scope.reservations, more))]


@needs_lab
@needs_kea
class AtEveryStep(unittest.TestCase):
    @contextlib.contextmanager
    def disturbed(self, on: Link, step: str, happens: Callable[[], None]) -> Iterator[tuple[Disturbed, Path, str]]:
        path = on.folder / "kea.conf"
        server = Disturbed(
            path, SocketControl(on.folder / "kea.sock"), roster="aa11", before=step, happens=happens, seen=([],)
        )
        yield server, path, path.read_text()

    def test_a_server_that_dies_keeps_its_configuration(self) -> None:
        for step in STEPS:
            with self.subTest(step=step), dhcp_lab.link() as on, dhcp_lab.kea(on) as process:

                def dies(process: subprocess.Popen[str] = process) -> None:
                    process.kill()
                    process.wait()

                with self.disturbed(on, step, dies) as (server, path, before):
                    with self.assertRaises(ServerTrouble) as trouble:
                        publish(server, wanted(on.folder), {}, None)
                    self.assertIn("does not answer", str(trouble.exception))
                    self.assertEqual(path.read_text(), before, f"{step}: {trouble.exception}")

    def test_what_somebody_edits_meanwhile_is_never_written_over(self) -> None:
        for step in STEPS:
            with self.subTest(step=step), dhcp_lab.link() as on, dhcp_lab.kea(on):
                path = on.folder / "kea.conf"

                def edits(path: Path = path) -> None:
                    path.write_text(path.read_text().replace("bought in spring", "bought in autumn"))

                with self.disturbed(on, step, edits) as (server, _, before):
                    if step == "read":
                        publish(server, wanted(on.folder), {}, None)
                    else:
                        with self.assertRaises(ServerTrouble) as trouble:
                            publish(server, wanted(on.folder), {}, None)
                        if step == "read back":
                            self.assertIn("left as it is", str(trouble.exception))
                            self.assertEqual(Path(f"{path}.previous~").read_text(), before)
                    self.assertIn("bought in autumn", path.read_text(), f"{step}: what somebody wrote is there")


@needs_lab
@needs_dhcpd
class CutOff(unittest.TestCase):
    """The service itself dies when the file is written and nothing is stored of it yet."""

    MINE = "# the theatre's own\nhost desk { hardware ethernet 02:c0:44:00:00:06; fixed-address 10.44.10.33; } # by the window\n"

    def test_what_it_had_written_is_its_own_when_it_comes_back(self) -> None:
        for note in ("", "# somebody looked in\n"):
            with self.subTest(note=note), dhcp_lab.link() as on, dhcp_lab.dhcpd(on, self.MINE):
                self._killed(on, note)

    def _killed(self, on: Link, note: str) -> None:
        hosts, home, kills = on.folder / "hosts.conf", on.folder / "home", on.folder / "kills"
        paths = {
            "config": str(on.folder / "dhcpd.conf"),
            "hosts": str(hosts),
            "leases": str(on.folder / "dhcpd.leases"),
        }
        with service("serve", home=home) as running, running.client() as roster:
            kills.write_text(f"#!/bin/sh\nkill -9 {running.process.pid}\n")
            kills.chmod(0o755)
            allow(home, Reach("office", "dhcpd", {**paths, "reload": str(kills)}))
            server = roster.add_dhcp_server(DhcpServerNew(name="office"))
            roster.dhcp_adopt(server.id, dry_run=False)
            roster.assign(reserve(LAPTOP, "10.44.10.181"))
            self.assertEqual(len(roster.dhcp_preview(server.id).lines), 1)
            with self.assertRaises(RosterError):
                roster.dhcp_publish(server.id)
            until(lambda: running.process.poll() is not None, "the service lives on")
        self.assertIn("10.44.10.181", hosts.read_text())
        hosts.write_text(note + hosts.read_text())
        kills.write_text("#!/bin/sh\n")
        with service("serve", home=home) as running, running.client() as roster:
            self.assertEqual(roster.dhcp_preview(server.id).lines, [])
            state = roster.assignment("10.44.10.181").reservation
            self.assertEqual(
                state.state if state else "", "waiting", "published, though nothing was stored when it was"
            )
            roster.release(roster.assignment("10.44.10.181").id)
            roster.dhcp_publish(server.id)
            # The mark stays as long as the adopted entry is the plan's; only what nobody wrote to since comes back octet for octet.
            text = "".join(
                line for line in hosts.read_text().splitlines(True) if not note or "published by" not in line
            )
            self.assertEqual(text, note + self.MINE)


class WhoseItIs(unittest.TestCase):
    """What is told, from what the server has then, of a publishing that was cut off."""

    NET = "10.44.10.0/24"

    def settled(self, digest: str, *there: str) -> tuple[list[str], list[int], bool]:
        """The ownership record, the addresses that count as published, and whether earlier texts were remembered."""
        with (
            tempfile.TemporaryDirectory() as folder,
            contextlib.closing(Database(Path(folder) / "roster.db")) as database,
            database.write() as connection,
        ):
            owned = {self.NET: ["kept", "lost", "to go", "gone"]}
            connection.execute(insert(dhcp_servers).values(id=1, site=1, name="office", kind="kea", owned=owned))
            entry = Reservation(Mac.parse(LAPTOP).value, address_of(IPv4Address("10.44.10.181")))
            version = Version({"file": "sealed"}, "before", "meant", owned, "after")
            begun = Begun(version, {self.NET: ["kept", "lost", "new", key_of(entry)]}, (entry,))
            begun_publishings.note(connection, 1, begun)
            server = lease_records.server(connection, 1)
            assert server is not None
            has = frozenset((self.NET, key) for key in (*there, key_of(entry)))
            self.assertTrue(begun_publishings.settle(connection, server, digest, has, 5))
            now = lease_records.server(connection, 1)
            assert now is not None
            self.assertFalse(begun_publishings.settle(connection, now, digest, has, 6), "once")
            found = connection.execute(select(published.c.address)).scalars().all()
            known = server_versions.former(connection, 1, digest, "meant") is not None
            return [key for key in now.owned[self.NET] if key != key_of(entry)], list(found), known

    def test_what_is_there_is_ours_and_what_was_ours_is_still_missed(self) -> None:
        office = [address_of(IPv4Address("10.44.10.181"))]
        self.assertEqual(
            self.settled("before", "kept", "to go"),
            (["kept", "lost", "to go", "gone"], [], False),
            "nothing was written",
        )
        self.assertEqual(self.settled("after", "kept", "new"), (["kept", "lost", "new"], office, True))
        self.assertEqual(
            self.settled("edited since", "kept", "new", "to go"), (["kept", "lost", "new", "to go"], office, False)
        )
        self.assertEqual(self.settled("half", "kept", "to go"), (["kept", "lost", "to go"], office, False))


class Disks(unittest.TestCase):
    def setUp(self) -> None:
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        self.folder = Path(made.name)

    @unittest.skipUnless(os.geteuid() == 0, "only root may mount")
    def test_a_full_disk_leaves_the_file_as_it_was(self) -> None:
        run("mount", "-t", "tmpfs", "-o", "size=64k", "tmpfs", str(self.folder))
        self.addCleanup(run, "umount", str(self.folder))
        path = self.folder / "kea.conf"
        before = "x" * 40_000
        path.write_text(before)
        with self.assertRaises(ServerTrouble) as trouble:
            write_files({str(path): before}, {str(path): "y" * 40_000})
        self.assertIn("No space left", str(trouble.exception))
        self.assertEqual(path.read_text(), before)

    @unittest.skipUnless(
        os.geteuid() == 0 and shutil.which("setpriv") and Path(SYSTEM_PYTHON).exists(), "only root may become others"
    )
    def test_an_account_with_the_rights_of_the_docs_and_one_without(self) -> None:
        """Writing needs the group that may write the file and its folder; owner, group and mode stay or the group can still read."""
        group, account = 61234, 61235
        self.folder.chmod(0o755)
        place = self.folder / "etc"
        place.mkdir()
        path = place / "kea.conf"
        path.write_text("old")
        for entry, mode in ((place, 0o770), (path, 0o660)):
            os.chown(entry, 0, group)
            entry.chmod(mode)
        code = (
            "import sys; from even_roster.dhcp.files import write_files; from even_roster.dhcp.server import ServerTrouble\n"
            "try: write_files({sys.argv[1]: 'old'}, {sys.argv[1]: 'new'}); print('written')\n"
            "except ServerTrouble as e: print(e)"
        )

        program = self.folder / "program" / "even_roster"
        for part in ("__init__.py", "core", "dhcp"):
            source = ROOT / "src" / "even_roster" / part
            program.mkdir(parents=True, exist_ok=True)
            if source.is_dir():
                shutil.copytree(source, program / part)
            else:
                shutil.copy(source, program / part)
        run("chmod", "-R", "a+rX", str(program.parent))

        def tried(*groups: str) -> str:
            who = [
                "setpriv",
                f"--reuid={account}",
                f"--regid={account}",
                *groups,
                "--bounding-set=-all",
                "--inh-caps=-all",
            ]
            words = [*who, SYSTEM_PYTHON, "-c", code, str(path)]
            environment = {**os.environ, "PYTHONPATH": str(program.parent), "PYTHONDONTWRITEBYTECODE": "1"}
            done = subprocess.run(words, capture_output=True, text=True, check=False, env=environment, cwd="/")
            return done.stdout.strip() or done.stderr

        said = tried("--clear-groups")
        self.assertIn("cannot be", said)
        self.assertEqual(path.read_text(), "old")
        self.assertEqual(tried(f"--groups={group}"), "written")
        state = path.stat()
        self.assertEqual((path.read_text(), state.st_gid, state.st_mode & 0o777), ("new", group, 0o660))


@needs_lab
class RealClients(unittest.TestCase):
    """Clients nobody here wrote keep their addresses while the server is published to."""

    def leased(self, on: Link, program: str) -> str:
        """The address that a client gets, or renews; it changes nothing on its interface."""
        folder = on.folder
        if program == "dhclient":
            words = [
                "dhclient",
                "-1",
                "-d",
                "-sf",
                "/bin/true",
                "-cf",
                "/dev/null",
                "-lf",
                f"{folder}/dhclient.leases",
                "-pf",
                f"{folder}/dhclient.pid",
                "cli0",
            ]
            (folder / "dhclient.leases").touch()
            before = (
                (folder / "dhclient.leases").read_text().count("lease {")
            )  # it appends one with every acknowledgement
            client = subprocess.Popen(
                on.inside.inside(words), stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True
            )
            try:
                until(
                    lambda: (folder / "dhclient.leases").read_text().count("lease {") > before, "dhclient got no lease"
                )
            finally:
                client.kill()
                client.communicate()
            return (folder / "dhclient.leases").read_text().rpartition("fixed-address ")[2].partition(";")[0]
        if program == "dhcpcd":  # it keeps its leases in one folder of the machine: here it gets one of its own
            own = f"mkdir -p {folder}/dhcpcd /run/dhcpcd && mount --bind {folder}/dhcpcd /var/lib/dhcpcd && mount -t tmpfs none /run/dhcpcd"
            run = "exec dhcpcd -4 -A -B -1 --noconfigure -t 60 -c /bin/true -f /dev/null cli0 2>&1"
            return on.inside.run("sh", "-c", f"{own} && {run}").rpartition("leased ")[2].partition(" ")[0]
        done = on.inside.run("sh", "-c", "udhcpc -i cli0 -n -q -f -s /bin/true -t 8 -T 2 2>&1")
        return done.rpartition("lease of ")[2].partition(" ")[0]

    def all_of_them(self, on: Link) -> list[str]:
        found = [self.leased(on, program) for program in ("dhclient", "udhcpc", "dhcpcd") if shutil.which(program)]
        self.assertTrue(all(address.startswith("10.44.10.") for address in found), found)
        return found

    @needs_dnsmasq
    def test_dnsmasq_is_told_to_read_again_while_clients_hold_leases(self) -> None:
        with dhcp_lab.link() as on, dhcp_lab.dnsmasq(on, ""):
            first = self.all_of_them(on)
            server = DnsmasqServer(
                on.folder / "hosts", on.folder / "dnsmasq.conf", pid_file=on.folder / "pid", roster="aa11"
            )
            # Outside of the pool: dnsmasq picks by the MAC, which the kernel makes up, and may give the client any address of it.
            entry = Reservation(Mac.parse(LAPTOP).value, address_of(IPv4Address("10.44.10.81")), "portable-05")
            (there,) = server.read({}, [OFFICE]).scopes
            publish(server, [Scope(OFFICE, there.scope.pools, there.scope.options, (entry,))], {}, None)
            self.assertEqual(self.all_of_them(on), first)
            self.assertEqual(on.ask(LAPTOP)["acked"], "10.44.10.81")

    @needs_kea
    def test_kea_reads_its_file_again_while_clients_hold_leases(self) -> None:
        with dhcp_lab.link() as on, dhcp_lab.kea(on):
            first = self.all_of_them(on)
            server = KeaServer(on.folder / "kea.conf", SocketControl(on.folder / "kea.sock"), roster="aa11")
            publish(server, wanted(on.folder), {}, None)
            self.assertEqual(self.all_of_them(on), first)
            self.assertEqual((on.ask(LAPTOP)["acked"], on.ask(PRINTER)["acked"]), ("10.44.10.181", "10.44.10.30"))


if __name__ == "__main__":
    unittest.main()
