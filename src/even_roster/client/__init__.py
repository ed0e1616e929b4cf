"""The client library: talk to a service from Python.

from even_roster.client import Roster, ScanRequest

with Roster() as roster:
    scan = roster.start_scan(ScanRequest(targets=["10.44.10.0/24"]))
    for device in roster.devices(unknown=True):
        print(device.address, device.mac, device.vendor)
"""

# ruff: noqa: F403 -- all of the API's models stand here under their own names

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from ..api.calling import *
    from ..api.chases import *
    from ..api.common import *
    from ..api.demo import *
    from ..api.devices import *
    from ..api.dhcp import *
    from ..api.events import *
    from ..api.findings import *
    from ..api.fitting import *
    from ..api.history import *
    from ..api.network import *
    from ..api.pairs import *
    from ..api.plan import *
    from ..api.port_orders import *
    from ..api.scans import *
    from ..api.spreadsheets import *
    from ..api.switches import *
    from ..api.watching import *
    from ..api.wiring import *
    from ._client import AsyncRoster as AsyncRoster
    from ._client import Roster as Roster
    from ._events import Happening as Happening
from ._errors import Ambiguous as Ambiguous
from ._errors import BadInput as BadInput
from ._errors import Conflict as Conflict
from ._errors import NeedsConfirm as NeedsConfirm
from ._errors import NotFound as NotFound
from ._errors import NotPermitted as NotPermitted
from ._errors import Refused as Refused
from ._errors import RosterError as RosterError
from ._errors import ServiceFault as ServiceFault
from ._errors import StaleEdit as StaleEdit
from ._errors import Unreachable as Unreachable

_CLIENTS = ("AsyncRoster", "Happening", "Roster")


def __getattr__(name: str) -> Any:
    """The clients and the API's models, when they are first asked for: whoever needs only errors does not wait for them."""
    if name.startswith("_"):
        raise AttributeError(name)
    if name in _CLIENTS:
        from . import _client

        return getattr(_client, name)
    from ._answers import model

    return model(name)
