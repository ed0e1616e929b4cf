"""A DHCP server that only a person can tell anything: a router with a web form. No I/O.

Its configuration is the sheet that was handed out last, in our open JSON form. Publishing hands out a new one; what the server
really does of it is seen on the wire later (see core.ticking).
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import replace
from ipaddress import IPv4Network

from ..core.dhcp import Scope
from ..core.dhcp_export import from_json, to_json
from ..core.holdings import Holding, Place
from .controlled import ControlledServer
from .server import There

NOTHING = to_json(())


class Sheet:
    """What was handed out last, behind the door of a server that is controlled in our form."""

    def __init__(self, text: str) -> None:
        self.text = text or NOTHING

    def answer(self, question: bytes) -> bytes:
        """See controlled.Control."""
        asked = json.loads(question)
        match asked["command"]:
            case "get":
                return json.dumps({"configuration": json.loads(self.text)}).encode()
            case "set":
                self.text = json.dumps(asked["configuration"], indent=2, ensure_ascii=False) + "\n"
        return b"{}"


class ByHandServer(ControlledServer):
    """One server behind its sheet."""

    tells_leases = False
    ends_leases = False
    verified = "handed out as a sheet, to be entered there by hand; what the wire shows of it is ticked off"

    def check(self, texts: dict[str, str]) -> str:
        """See DhcpServer.check: nobody checks it before it is entered."""
        return "compared with what was handed out before"

    def holdings(self, networks: Sequence[IPv4Network], there: There | None = None) -> list[Holding]:
        """See DhcpServer.holdings: what it should hold, for nobody can tell what it does."""
        return [replace(one, place=Place("its sheet")) for one in super().holdings(networks, there)]

    def write(self, before: dict[str, str], after: dict[str, str]) -> str:
        """See DhcpServer.write."""
        super().write(before, after)
        return "nothing was sent"


def by_hand(text: str) -> ByHandServer:
    """The server of a sheet."""
    return ByHandServer(Sheet(text).answer)


def scopes_of(sheet: str) -> list[Scope]:
    """What a sheet says; nothing where none was handed out yet."""
    return from_json(sheet or NOTHING)
