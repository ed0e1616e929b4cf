"""Real DHCP servers in a network namespace that the test makes, and a client that asks them with our own messages."""

from __future__ import annotations

import contextlib
import json
import os
import socket
import subprocess
import tempfile
import time
from collections.abc import Iterator
from ipaddress import IPv4Address
from pathlib import Path
from typing import Any

from even_roster.core.mac import Mac, MacNumber
from even_roster.wire import dhcp
from even_roster.wire.dhcp import Kind, Message, Option

from .lab import Inside, Namespace, namespace, run
from .patience import until

SERVER = "10.44.10.2"
VENDOR_CLASS, CLIENT_ID = 60, 61


class Link:
    """A namespace with a server's end (srv0, 10.44.10.2/24) and a client's end (cli0, without an address) of a link."""

    def __init__(self, inside: Namespace, folder: Path, client: Inside | None = None) -> None:
        self.inside, self.folder, self._client = inside, folder, client or Inside(inside)

    def ask(
        self, mac: str, *, request: bool = True, client: str | None = None, vendor: str = "", client_id: str = ""
    ) -> dict[str, Any]:
        """DISCOVER, and REQUEST what is offered (or renew `client`); gives {'offered','acked','kind','name'}. `vendor` is the
        vendor class that it tells (RFC 2132 9.13), `client_id` its identifier as colon-separated octets."""
        how = "request" if request else "discover"
        return self._client.do(lambda: _client(mac, how, client or "", vendor, client_id))

    def of(self, folder: Path) -> Link:
        """The same link for another server, whose files are in a folder of their own."""
        return Link(self.inside, folder, self._client)


@contextlib.contextmanager
def link() -> Iterator[Link]:
    """The link for the length of a block."""
    with namespace() as inside, tempfile.TemporaryDirectory() as folder:
        Path(folder).chmod(0o755)
        inside.ip("link", "add", "srv0", "type", "veth", "peer", "name", "cli0")
        inside.ip("address", "add", f"{SERVER}/24", "dev", "srv0")
        for name in ("srv0", "cli0"):
            inside.ip("link", "set", name, "up")
        with contextlib.closing(Inside(inside)) as client:
            yield Link(inside, Path(folder), client)


def kea_config(folder: Path, extra: str = "", subnet: str = "") -> str:
    """A Kea configuration with a hand-written part: comments, an option, a class, a reservation."""
    return f"""{{
  // the theatre's own notes stay where they are
  "Dhcp4": {{
    "interfaces-config": {{ "interfaces": [ "srv0" ], "dhcp-socket-type": "raw" }},
    "control-socket": {{ "socket-type": "unix", "socket-name": "{folder}/kea.sock" }},
    "lease-database": {{ "type": "memfile", "persist": true, "name": "{folder}/leases.csv", "lfc-interval": 0 }},
    "hooks-libraries": [ {{ "library": "{_hook()}" }} ],
    "valid-lifetime": 3600, # an hour
    "option-data": [ {{ "name": "domain-name-servers", "data": "10.44.10.1" }} ],
    "client-classes": [ {{ "name": "touring", "test": "member('KNOWN')" }} ],
    "subnet4": [
      {{
        "id": 10,
        "subnet": "10.44.10.0/24", /* Office */
        "pools": [ {{ "pool": "10.44.10.100 - 10.44.10.199" }} ],
        "option-data": [ {{ "name": "routers", "data": "10.44.10.1" }} ],{subnet}
        "reservations": [
          // bought in spring
          {{ "hw-address": "02:c0:44:00:00:01", "ip-address": "10.44.10.30", "hostname": "printer-1", "client-classes": [ "touring" ] }},
          {{ "client-id": "01:aa:bb", "ip-address": "10.44.10.31" }}
        ]
      }}
    ]{extra}
  }}
}}
"""


def grown_office(folder: Path) -> str:
    """A configuration of an office as it has grown over the years, for Kea."""
    text = (Path(__file__).parents[1] / "corpus" / "office-kea.json").read_text()
    return text.replace("@FOLDER@", str(folder)).replace("@HOOK@", _hook())


def _hook() -> str:
    found = sorted(Path("/usr/lib").glob("*/kea/hooks/libdhcp_lease_cmds.so"))
    return str(found[0]) if found else "/usr/lib/kea/hooks/libdhcp_lease_cmds.so"


@contextlib.contextmanager
def kea(on: Link, text: str | None = None) -> Iterator[subprocess.Popen[str]]:
    """Kea with a configuration, for the length of a block."""
    config = on.folder / "kea.conf"
    config.write_text(text or kea_config(on.folder))
    environment = {**os.environ, "KEA_PIDFILE_DIR": str(on.folder), "KEA_LOCKFILE_DIR": str(on.folder)}
    log = (on.folder / "kea.log").open("w")
    process = subprocess.Popen(
        on.inside.inside(["kea-dhcp4", "-c", str(config)]), env=environment, stdout=log, stderr=log, text=True
    )
    try:
        _until(lambda: _answers(on.folder / "kea.sock"), process, on.folder / "kea.log")
        yield process
    finally:
        process.terminate()
        process.wait(timeout=60)
        log.close()


@contextlib.contextmanager
def kea_pair(on: Link) -> Iterator[tuple[Link, Link]]:
    """Two Kea servers that stand in for each other (its high-availability hook, hot standby), until both know of each other."""
    on.inside.ip("link", "set", "lo", "up")
    ends = []
    with contextlib.ExitStack() as stack:
        for name in ("a", "b"):
            folder = on.folder / name
            folder.mkdir()
            hook = {
                "library": str(Path(_hook()).with_name("libdhcp_ha.so")),
                "parameters": {"high-availability": [{
                    "this-server-name": name, "mode": "hot-standby", "heartbeat-delay": 300, "max-response-delay": 60000,
                    "max-ack-delay": 60000, "max-unacked-clients": 0,
                    "multi-threading": {"enable-multi-threading": True, "http-dedicated-listener": True},
                    "peers": [
                        {"name": "a", "url": "http://127.0.0.1:8101/", "role": "primary"},
                        {"name": "b", "url": "http://127.0.0.1:8102/", "role": "standby"},
                    ],
                }]},
            }  # fmt: skip
            text = kea_config(folder, extra=', "multi-threading": { "enable-multi-threading": true }')
            text = text.replace(f'{{ "library": "{_hook()}" }}', f'{{ "library": "{_hook()}" }}, {json.dumps(hook)}')
            end = on.of(folder)
            stack.enter_context(kea(end, text))
            ends.append(end)

        def ready() -> bool:
            states = [
                kea_command(end, "status-get")["arguments"]["high-availability"][0]["ha-servers"]["local"]["state"]
                for end in ends
            ]
            return states == ["hot-standby", "hot-standby"]

        until(ready, lambda: (ends[0].folder / "kea.log").read_text()[-2000:], pause=0.2)
        yield ends[0], ends[1]


@contextlib.contextmanager
def control_agent(on: Link, user: str, password: str) -> Iterator[str]:
    """Kea's control agent on https://127.0.0.1 in the namespace, with a certificate of its own (cert.pem); gives its URL."""
    folder = on.folder
    run(
        "openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", "-subj", "/CN=127.0.0.1", "-addext",
        "subjectAltName=IP:127.0.0.1", "-keyout", str(folder / "key.pem"), "-out", str(folder / "cert.pem"),
    )  # fmt: skip
    config = {
        "Control-agent": {
            "http-host": "127.0.0.1", "http-port": 8443, "trust-anchor": str(folder / "cert.pem"),
            "cert-file": str(folder / "cert.pem"), "key-file": str(folder / "key.pem"), "cert-required": False,
            "authentication": {"type": "basic", "realm": "kea", "clients": [{"user": user, "password": password}]},
            "control-sockets": {"dhcp4": {"socket-type": "unix", "socket-name": f"{folder}/kea.sock"}},
        }
    }  # fmt: skip
    (folder / "agent.conf").write_text(json.dumps(config))
    environment = {**os.environ, "KEA_PIDFILE_DIR": str(folder), "KEA_LOCKFILE_DIR": str(folder)}
    log = (folder / "agent.log").open("w")
    on.inside.ip("link", "set", "lo", "up")
    words = on.inside.inside(["kea-ctrl-agent", "-c", str(folder / "agent.conf")])
    process = subprocess.Popen(words, env=environment, stdout=log, stderr=log, text=True)
    try:
        _until(
            lambda: (
                "HTTPS" in (folder / "agent.log").read_text()
                or "CTRL_AGENT_STARTED" in (folder / "agent.log").read_text()
            ),
            process,
            folder / "agent.log",
        )
        yield "https://127.0.0.1:8443/"
    finally:
        process.terminate()
        process.wait(timeout=60)
        log.close()


def kea_command(on: Link, command: str, arguments: Any = None) -> dict[str, Any]:
    """A command over the control socket, independent of the product's code."""
    with socket.socket(socket.AF_UNIX) as line:
        line.connect(str(on.folder / "kea.sock"))
        line.sendall(json.dumps({"command": command, **({"arguments": arguments} if arguments else {})}).encode())
        answer = b""
        while part := line.recv(65536):
            answer += part
    found: dict[str, Any] = json.loads(answer)
    return found


@contextlib.contextmanager
def dnsmasq(on: Link, hosts: str, text: str | None = None) -> Iterator[subprocess.Popen[str]]:
    """dnsmasq with a hosts file, or another configuration, for the length of a block."""
    folder = on.folder
    (folder / "hosts").write_text(hosts)
    (folder / "dnsmasq.conf").write_text(
        text
        or f"port=0\ninterface=srv0\nbind-interfaces\nno-ping\ndhcp-authoritative\nuser=root\n"
        f"dhcp-range=10.44.10.100,10.44.10.199,255.255.255.0,1h\ndhcp-option=3,10.44.10.1\n"
        f"dhcp-hostsfile={folder}/hosts\ndhcp-leasefile={folder}/leases\npid-file={folder}/pid\n"
    )
    log = (folder / "dnsmasq.log").open("w")
    process = subprocess.Popen(
        on.inside.inside(["dnsmasq", "--keep-in-foreground", "--log-dhcp", "--log-facility=-", f"--conf-file={folder}/dnsmasq.conf"]),
        stdout=log, stderr=log, text=True,
    )  # fmt: skip
    try:
        _until(lambda: "sockets bound" in (folder / "dnsmasq.log").read_text(), process, folder / "dnsmasq.log")
        yield process
    finally:
        process.terminate()
        process.wait(timeout=60)
        log.close()


DHCPD = """# Larkspur Hall, office
default-lease-time 3600; authoritative; ddns-update-style none;
class "phones" {{ match if substring(option vendor-class-identifier, 0, 4) = "tone"; }}
subnet 10.44.10.0 netmask 255.255.255.0 {{
  option routers 10.44.10.1; # the gate
  pool {{ allow members of "phones"; range 10.44.10.50 10.44.10.69; }}
  pool {{ deny members of "phones"; range 10.44.10.100 10.44.10.149; }} # guests
}}
host printer-1 {{ hardware ethernet 02:c0:44:00:00:01; fixed-address 10.44.10.30; option host-name "printer-1"; }}
host by-id {{ option dhcp-client-identifier 01:02:c0:44:00:00:03; fixed-address 10.44.10.32; }}
include "{folder}/hosts.conf";
"""


@contextlib.contextmanager
def dhcpd(on: Link, hosts: str = "") -> Iterator[str]:
    """ISC dhcpd with a file of hosts, for the length of a block; gives the command that restarts it."""
    folder = on.folder
    (folder / "hosts.conf").write_text(hosts)
    (folder / "dhcpd.conf").write_text(DHCPD.format(folder=folder))
    (folder / "dhcpd.leases").touch()
    words = f"dhcpd -4 -q -cf {folder}/dhcpd.conf -lf {folder}/dhcpd.leases -pf {folder}/dhcpd.pid srv0"
    script = folder / "restart"
    script.write_text(
        f"#!/bin/sh\nold=$(cat {folder}/dhcpd.pid 2>/dev/null) && kill $old && while kill -0 $old 2>/dev/null; do sleep 0.05; done\n"
        f"exec {' '.join(on.inside.inside(words.split()))} >{folder}/dhcpd.log 2>&1\n"
    )
    script.chmod(0o755)
    try:
        run(str(script))
        yield str(script)
    finally:
        with contextlib.suppress(OSError, ValueError):
            os.kill(int((folder / "dhcpd.pid").read_text()), 15)


def _answers(path: Path) -> bool:
    with socket.socket(socket.AF_UNIX) as line, contextlib.suppress(OSError):
        line.connect(str(path))
        return True
    return False


def _until(ready: Any, process: subprocess.Popen[str], log: Path) -> None:
    until(
        lambda: ready() or process.poll() is not None, lambda: f"the server does not start: {log.read_text()[-2000:]}"
    )
    if process.poll() is not None:
        raise AssertionError(f"the server did not start: {log.read_text()[-2000:]}")


def _client(mac_text: str, how: str, client: str, vendor: str, client_id: str) -> dict[str, Any]:
    """Runs inside the namespace: raw frames out of cli0, answers by raw frames too."""
    mac = Mac.parse(mac_text)
    says: tuple[tuple[int, bytes], ...] = ()
    if vendor:
        says += ((VENDOR_CLASS, vendor.encode()),)
    if client_id:
        says += ((CLIENT_ID, bytes.fromhex(client_id.replace(":", ""))),)
    with socket.socket(socket.AF_PACKET, socket.SOCK_RAW, socket.htons(0x0003)) as door:
        door.bind(("cli0", 0))
        door.settimeout(0.5)
        transaction = int.from_bytes(os.urandom(4), "big")

        def exchange(kind: Kind, options: tuple[tuple[int, bytes], ...], own: IPv4Address) -> Message | None:
            message = Message(False, transaction, mac, kind, client=own, broadcast=True, options=(*options, *says))
            for _ in range(6):
                door.send(dhcp.frame(message, mac, Mac(MacNumber((1 << 48) - 1))))
                until = time.monotonic() + 1.0
                while time.monotonic() < until:
                    with contextlib.suppress(TimeoutError, ValueError):
                        answer = dhcp.of_frame(door.recv(65535))
                        if answer is not None and answer.reply and answer.transaction == transaction:
                            return answer
            return None

        if client:
            answer = exchange(Kind.REQUEST, ((Option.ADDRESS, IPv4Address(client).packed),), dhcp.NOBODY)
            return {"kind": answer.kind.name if answer else None, "acked": str(answer.yours) if answer else None}
        offer = exchange(
            Kind.DISCOVER, ((Option.HOSTNAME, b"lab"), (Option.PARAMETERS, bytes((1, 3, 6, 12, 15)))), dhcp.NOBODY
        )
        if offer is None or how == "discover":
            return {"offered": str(offer.yours) if offer else None}
        chosen = ((Option.ADDRESS, offer.yours.packed), (Option.SERVER, offer.option(Option.SERVER) or b""))
        acked = exchange(Kind.REQUEST, chosen, dhcp.NOBODY)
        return {
            "offered": str(offer.yours), "acked": str(acked.yours) if acked else None,
            "kind": acked.kind.name if acked else None, "name": acked.text(Option.HOSTNAME) if acked else None,
            "router": [str(a) for a in offer.addresses(Option.ROUTERS)], "lease": offer.number(Option.LEASE_TIME),
        }  # fmt: skip


__all__ = ["SERVER", "Link", "dnsmasq", "kea", "kea_command", "kea_config", "link", "run"]
