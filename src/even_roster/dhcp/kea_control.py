"""How a Kea server is told commands: over its control socket, or over HTTP. Blocks; belongs in a thread.

One JSON object there, one back (Kea's public reference, "Control Channel"). Over HTTP the answer is a list with one object for each
service that was asked; TLS by RFC 8446, basic authentication by RFC 7617.
"""

from __future__ import annotations

import json
import socket
import ssl
import time
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

import httpx

from .server import ServerTrouble

SECONDS = 30.0
MOST = 64 << 20


class Control(Protocol):
    """A way to tell a server commands."""

    def send(self, question: dict[str, Any]) -> bytes:
        """One command, one answer. Raises ServerTrouble."""


def ask(control: Control, command: str, arguments: Any) -> dict[str, Any]:
    """One command and its answer: `result` 0 when it went well. Raises ServerTrouble."""
    question: dict[str, Any] = {"command": command}
    if arguments is not None:
        question["arguments"] = arguments
    return answer(control.send(question), command)


def answer(octets: bytes, command: str) -> dict[str, Any]:
    """What a server answered to a command. Raises ServerTrouble."""
    try:
        found = json.loads(octets)
    except ValueError as error:
        raise ServerTrouble(f"the answer to {command} is not JSON") from error
    if isinstance(found, list) and found:
        found = found[0]
    if not isinstance(found, dict) or not isinstance(found.get("result"), int):
        raise ServerTrouble(f"the answer to {command} is not one of Kea's")
    return found


def _octets(question: dict[str, Any]) -> bytes:
    return json.dumps(question, ensure_ascii=False).encode()  # Kea reads no \\u escapes


def _left(until: float) -> float:
    """The seconds that are left of an answer's time. Raises TimeoutError."""
    left = until - time.monotonic()
    if left <= 0:
        raise TimeoutError(f"its answer takes longer than {SECONDS:.0f} s")
    return left


@dataclass(frozen=True, slots=True)
class SocketControl:
    """Its control socket."""

    path: Path

    def send(self, question: dict[str, Any]) -> bytes:
        """See Control.send."""
        try:
            with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as line:
                until = time.monotonic() + SECONDS
                line.settimeout(SECONDS)
                line.connect(str(self.path))
                line.sendall(_octets(question))
                answer = bytearray()
                while part := line.recv(1 << 16):
                    line.settimeout(_left(until))
                    answer += part
                    if len(answer) > MOST:
                        raise ServerTrouble(f"the answer to {question['command']} is over {MOST >> 20} MiB")
        except OSError as error:
            raise ServerTrouble(f"the control socket {self.path} does not answer: {error.strerror or error}") from error
        return bytes(answer)


@dataclass(frozen=True, slots=True)
class HttpControl:
    """Its HTTP control API; `ca` is what its certificate is checked by, `certificate` and `key` what we sign in with."""

    url: str
    user: str = ""
    password: str = ""
    ca: Path | None = None
    certificate: Path | None = None
    key: Path | None = None

    def send(self, question: dict[str, Any]) -> bytes:
        """See Control.send. No proxy and no redirect is followed: the address is the one that the host allows."""
        try:
            context = ssl.create_default_context(cafile=str(self.ca) if self.ca else None)
            if self.certificate is not None:
                context.load_cert_chain(self.certificate, self.key)
            sign_in = httpx.BasicAuth(self.user, self.password) if self.user else None
            with httpx.Client(verify=context, auth=sign_in, timeout=SECONDS, trust_env=False) as client:
                headers = {"Content-Type": "application/json"}
                with client.stream(
                    "POST", self.url, content=_octets({**question, "service": ["dhcp4"]}), headers=headers
                ) as answer:
                    body = bytearray()
                    until = time.monotonic() + SECONDS
                    for part in answer.iter_bytes():
                        body += part
                        _left(until)
                        if len(body) > MOST:
                            raise ServerTrouble(f"the answer to {question['command']} is over {MOST >> 20} MiB")
                    if answer.status_code == 401:
                        raise ServerTrouble(
                            f"{self.url} does not let {self.user or 'somebody without a name'} in (401)"
                        )
                    if answer.status_code != 200:
                        raise ServerTrouble(f"{self.url} answers {answer.status_code} to {question['command']}")
        except (httpx.HTTPError, httpx.InvalidURL, OSError, ValueError) as error:
            raise ServerTrouble(f"{self.url} does not answer: {error}") from error
        return bytes(body)
