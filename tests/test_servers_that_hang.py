"""What stands in the way of reading a DHCP server: pipes, devices, foreign processes, servers that never answer. No real server."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import tempfile
import threading
import unittest
from collections.abc import Callable
from pathlib import Path
from unittest.mock import patch

from sqlalchemy import insert

from even_roster.api.host_file import Reach, allow
from even_roster.dhcp.dnsmasq import DnsmasqServer
from even_roster.dhcp.files import octets_of
from even_roster.dhcp.kea import KeaServer
from even_roster.dhcp.kea_control import SocketControl
from even_roster.dhcp.programs import tell_to_read
from even_roster.dhcp.server import ServerTrouble
from even_roster.service.context import Context, open_context
from even_roster.service.dhcp.dhcp_servers import DhcpServers
from even_roster.service.settings import Settings
from even_roster.standin import larkspur
from even_roster.standin.segment import StandinMachine
from even_roster.store.tables import dhcp_servers
from tests.support.patience import until

BESIDE = "anything"

LINE = "02:c0:9f:00:00:01,10.44.10.20,printer-1\n"


class Folder(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))


class InTheWay(Folder):
    def test_only_plain_files_are_opened(self) -> None:
        pipe = self.folder / "pipe"
        os.mkfifo(pipe)
        for path, said in (
            (pipe, "no plain file"),
            (Path("/dev/zero"), "no plain file"),
            (self.folder, "no plain file"),
        ):
            with self.subTest(path=path), self.assertRaisesRegex(ServerTrouble, said):
                octets_of(path)
        with patch("even_roster.dhcp.files.MOST_OCTETS", 100):
            large = self.folder / "large"
            large.write_text("x" * 101)
            with self.assertRaisesRegex(ServerTrouble, "is over"):
                octets_of(large)
        for server in (DnsmasqServer(pipe), KeaServer(config=pipe)):
            with self.assertRaisesRegex(ServerTrouble, "no plain file"):
                server.read({}, [])
        with self.assertRaisesRegex(ServerTrouble, "no plain file"):
            KeaServer(config=pipe, lease_file=pipe).leases()

    def test_a_stale_pid_file_signals_nobody_else(self) -> None:
        pid = self.folder / "pid"

        def hears_the_signal() -> None:  # also where whoever runs the tests does not (nohup)
            signal.signal(signal.SIGHUP, signal.SIG_DFL)

        with subprocess.Popen(["sleep", "1000"], preexec_fn=hears_the_signal) as other:
            try:
                for text in (str(other.pid), "-1", "0", "1", "99999999", "x", ""):
                    pid.write_text(text)
                    with self.subTest(text=text), self.assertRaises(ServerTrouble):
                        tell_to_read(pid, "dnsmasq")
                self.assertIsNone(other.poll())
                pid.write_text(str(other.pid))
                self.assertEqual(tell_to_read(pid, "sleep"), other.pid)
                self.assertEqual(other.wait(), -signal.SIGHUP)
            finally:
                other.kill()

    def test_a_server_that_gives_an_octet_now_and_then_ends_all_the_same(self) -> None:
        path, over = self.folder / "socket", threading.Event()
        with socket.socket(socket.AF_UNIX) as door, patch("even_roster.dhcp.kea_control.SECONDS", 0.5):
            door.bind(str(path))
            door.listen()

            def drips() -> None:
                line, _ = door.accept()
                with line:
                    while not over.wait(0.05):
                        try:
                            line.send(b" ")
                        except OSError:
                            return

            thread = threading.Thread(target=drips)
            thread.start()
            with self.assertRaisesRegex(ServerTrouble, "longer than|timed out"):
                KeaServer(control=SocketControl(path)).read({}, [])
            over.set()
            thread.join()


class AsSeen(Folder):
    """What is as it was is not understood again; anything that a server reads may change that."""

    def test_every_file_that_is_followed_counts(self) -> None:
        more = self.folder / "more"
        more.mkdir()
        config, hosts, part = self.folder / "dnsmasq.conf", self.folder / "hosts", more / "office.conf"
        config.write_text(f"dhcp-range=10.44.10.100,10.44.10.199,1h\nconf-dir={more}\ndhcp-hostsfile={hosts}\n")
        part.write_text("dhcp-host=02:c0:9f:00:00:09,10.44.10.29\n")
        server = DnsmasqServer(hosts, config)
        changes: dict[str, Callable[[], object]] = {
            "a part": lambda: part.write_text("dhcp-host=02:c0:9f:00:00:09,10.44.10.28\n"),
            "a part more": lambda: (more / "stage.conf").write_text("# nothing yet\n"),
            "that part gone": lambda: (more / "stage.conf").unlink(),
            "the file of hosts, which was not there": lambda: hosts.write_text(LINE),
            "its text, as long as before": lambda: hosts.write_text(LINE.replace("printer-1", "printer-2")),
            "its text, empty": lambda: hosts.write_text(""),
            "its text again": lambda: hosts.write_text(LINE),
            "the configuration": lambda: config.write_text(config.read_text() + "# end\n"),
            "the file of hosts, gone again": lambda: hosts.unlink(),
        }
        for what, change in changes.items():
            with self.subTest(what):
                seen = server.read({}, []).seen
                self.assertTrue(server.as_seen(seen))
                change()
                self.assertFalse(server.as_seen(seen))


class Beside(Folder):
    def setUp(self) -> None:
        super().setUp()
        self.home = self.folder / "home"
        self.context: Context = open_context(Settings(home=self.home, watch=False), StandinMachine(larkspur.build()))
        self.addCleanup(self.context.close)
        self.servers = DhcpServers(self.context)
        self.reading: list[threading.Thread] = []

    def manage(self, name: str, kind: str, values: dict[str, str]) -> int:
        allow(self.home, Reach(name, kind, values))
        with self.context.database.write() as connection:
            row = {"site": self.context.plan.site_here, "name": name, "kind": kind, "settings": {"reach": name}}
            key = connection.execute(insert(dhcp_servers).values(**row)).inserted_primary_key
        assert key is not None
        return int(key[0])

    def names(self, identity: int) -> list[str]:
        return [one.name for one in self.servers.holdings(identity)]

    def test_a_server_that_hangs_holds_up_nobody(self) -> None:
        path, hosts = self.folder / "socket", self.folder / "hosts"
        hosts.write_text(LINE)
        with (
            socket.socket(socket.AF_UNIX) as door,
            patch("even_roster.dhcp.kea_control.SECONDS", 3600),
            patch("even_roster.service.dhcp.dhcp_servers.IN_TURN_SECONDS", 0.2),
        ):
            door.bind(str(path))
            door.listen(9)  # and nobody ever answers
            hangs = self.manage("a that hangs", "kea", {"socket": str(path)})
            good = self.manage("b", "dnsmasq", {"hosts": str(hosts)})
            self.read_all()  # once: it must not wait for ever itself
            until(lambda: self.names(good) == ["printer-1"], "the server beside was not read")
            hosts.write_text(LINE.replace("printer-1", "printer-2"))
            until(lambda: self.read_on(good) == ["printer-2"], "the server beside was not read again")
            reader = self.servers._readers[hangs]
            self.assertTrue(reader.is_alive(), "the other hangs still")
            self.assertEqual([one.name for one in threading.enumerate()].count(reader.name), 1, "and is asked once")
        reader.join()  # with the door its line is gone
        for thread in self.reading:  # nobody writes into the folder any more
            thread.join()

    def read_on(self, identity: int) -> list[str]:
        """Read all once more, as it is done every minute; what is known of one server."""
        self.read_all()
        return self.names(identity)

    def read_all(self) -> None:
        self.reading.append(threading.Thread(target=self.servers._read_all, daemon=True))
        self.reading[-1].start()

    def test_what_has_not_changed_is_not_understood_again(self) -> None:
        hosts = self.folder / "hosts"
        hosts.write_text(LINE)
        good = self.manage("b", "dnsmasq", {"hosts": str(hosts)})
        self.servers.read_holdings(good)
        first = self.servers.row(good).holdings_at
        assert first is not None
        with patch.object(DnsmasqServer, "read", side_effect=AssertionError("it is read again")):
            until(lambda: self.looked_after(good, first), "that it was looked at is not told")
        hosts.write_text("not a line of hosts\n" + LINE)
        self.servers.read_holdings(good)
        self.assertEqual(self.names(good), ["", "printer-1"])

    def looked_after(self, identity: int, first: int) -> bool:
        self.servers.read_holdings(identity)
        return (self.servers.row(identity).holdings_at or 0) > first


if __name__ == "__main__":
    unittest.main()
