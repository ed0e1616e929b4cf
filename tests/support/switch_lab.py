"""Switches of the kernel's own bridges, each in a namespace with Debian's snmpd and lldpd over it."""

from __future__ import annotations

import contextlib
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

from even_roster.api.switches import Credential
from tests.support.lab import ROOT, Namespace, namespace, run
from tests.support.patience import until

ONE, OTHER = "quillmark-one", "quillmark-two"
USER = Credential(user="lark", auth="sha512", auth_password=ONE, privacy="aes256", privacy_password=OTHER)
WRITER = Credential(user="hand", auth="sha512", auth_password=ONE, privacy="aes256", privacy_password=OTHER)
FORWARD_SECONDS = 4
"""How long the spanning tree of a lab takes to open a port: twice its forward delay."""


class Switch:
    """One bridge in a namespace with an agent over it."""

    def __init__(self, inside: Namespace, folder: Path, name: str, *, tree: bool = False) -> None:
        self.inside, self.folder, self.name = inside, folder, name
        self._started: list[subprocess.Popen[str]] = []
        delay = ("stp_state", "1", "forward_delay", "200", "hello_time", "100") if tree else ("forward_delay", "0")
        inside.ip("link", "add", "br0", "type", "bridge", *delay)
        inside.ip("link", "set", "br0", "up")

    def plug(self, port: str, other: Namespace, theirs: str, address: str | None, mac: str) -> None:
        """A cable from a port to somebody's adapter."""
        run(
            "ip",
            "link",
            "add",
            port,
            "netns",
            self.inside.name,
            "type",
            "veth",
            "peer",
            "name",
            theirs,
            "netns",
            other.name,
        )
        self.inside.ip("link", "set", port, "master", "br0")
        self.inside.ip("link", "set", port, "up")
        other.ip("link", "set", theirs, "address", mac)
        if address:
            other.ip("address", "add", address, "dev", theirs)
        other.ip("link", "set", theirs, "up")

    def serve(self, address: str) -> None:
        """Switch its agents on."""
        self.inside.ip("address", "add", address, "dev", "br0")
        bridge = f"/usr/bin/env PYTHONPATH={ROOT} PATH=/usr/sbin:/usr/bin:/sbin:/bin {sys.executable} -m tests.support.bridge_mib"
        (self.folder / "kept").mkdir()
        (self.folder / "snmpd.conf").write_text(
            f"master agentx\nagentXSocket unix:{self.folder}/ax\nagentXTimeout 1\nagentXRetries 0\nrocommunity test\nsysName {self.name}\n"
            f"createUser lark SHA-512 {ONE} AES-256 {OTHER}\nrouser lark authPriv\n"
            f"createUser hand SHA-512 {ONE} AES-256 {OTHER}\nrwuser hand authPriv\npass_persist .1.3.6.1.2.1.17 {bridge}\n"
        )
        self._snmpd()

    def _snmpd(self) -> None:
        self._start("env", f"SNMP_PERSISTENT_DIR={self.folder}/kept", "MIBS=", "snmpd", "-f", "-C", "-c", f"{self.folder}/snmpd.conf",
                    "-Lf", f"{self.folder}/log", "-p", f"{self.folder}/pid", "udp:161")  # fmt: skip
        until(lambda: ":161" in self.inside.run("ss", "-lun"), "snmpd does not start")

    def announce(self) -> None:
        """Say by LLDP who it is, and hear others; the agent tells of it over AgentX."""
        self._start("lldpd", "-d", "-x", "-X", f"unix:{self.folder}/ax", "-u", f"{self.folder}/s", "-I", "p*,up*", "-C", "p1,up*",
                    "-L", "/bin/true", "-O", f"{self.folder}/none")  # fmt: skip
        asking = self.inside.inside(["lldpcli", "-u", f"{self.folder}/s", "show", "chassis"])

        def listens() -> bool:  # its socket is there before it may be written to
            return (self.folder / "s").exists() and subprocess.run(
                asking, capture_output=True, check=False
            ).returncode == 0

        until(listens, "lldpd does not start")
        for words in (
            f"configure system hostname {self.name}",
            "configure lldp portidsubtype ifname",
            "configure lldp tx-interval 1",
            "resume",
        ):
            self.inside.run("lldpcli", "-u", f"{self.folder}/s", *words.split())

    def _start(self, *command: str) -> None:
        self._started.append(self.inside.start(*command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL))

    def restart(self) -> None:
        """Switch its agent off and on; what announces neighbours joins it again when it likes."""
        agent = self._started.pop(0)
        agent.terminate()
        agent.wait()
        self._snmpd()

    def close(self) -> None:
        """Switch them off."""
        for process in self._started:
            process.kill()
            process.wait()


def join(one: Switch, port: str, other: Switch, theirs: str) -> None:
    """A cable between two switches."""
    run(
        "ip",
        "link",
        "add",
        port,
        "netns",
        one.inside.name,
        "type",
        "veth",
        "peer",
        "name",
        theirs,
        "netns",
        other.inside.name,
    )
    for which, name in ((one, port), (other, theirs)):
        which.inside.ip("link", "set", name, "master", "br0")
        which.inside.ip("link", "set", name, "up")


@contextlib.contextmanager
def switch(name: str, *, tree: bool = False) -> Iterator[Switch]:
    """A switch for the length of a block; with `tree` it speaks the spanning tree protocol."""
    with namespace() as inside, tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        folder.chmod(0o777)
        made = Switch(inside, folder, name, tree=tree)
        try:
            yield made
        finally:
            made.close()
