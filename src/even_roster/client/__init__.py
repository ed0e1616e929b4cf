"""The client library: talk to a service from Python.

from even_roster.client import Roster, ScanRequest

with Roster() as roster:
    scan = roster.start_scan(ScanRequest(targets=["10.44.10.0/24"]))
    for device in roster.devices(unknown=True):
        print(device.address, device.mac, device.vendor)
"""

from ..api.devices import BulkItem, DeviceEdit, DeviceNew, DevicePage, DeviceRow, DeviceSheet, FindAnswer, ReviewCase
from ..api.network import Explanation, Here, MeasureView, Ruler, VendorView
from ..api.scans import AddressResult, ScanInfo, ScanRequest
from ._client import AsyncRoster, Happening, Roster
from ._errors import (
    BadInput,
    Conflict,
    NeedsConfirm,
    NotFound,
    NotPermitted,
    Refused,
    RosterError,
    ServiceFault,
    StaleEdit,
    Unreachable,
)  # fmt: skip

__all__ = [
    "AddressResult",
    "AsyncRoster",
    "BadInput",
    "BulkItem",
    "Conflict",
    "DeviceEdit",
    "DeviceNew",
    "DevicePage",
    "DeviceRow",
    "DeviceSheet",
    "Explanation",
    "FindAnswer",
    "Happening",
    "Here",
    "MeasureView",
    "NeedsConfirm",
    "NotFound",
    "NotPermitted",
    "Refused",
    "ReviewCase",
    "Roster",
    "RosterError",
    "Ruler",
    "ScanInfo",
    "ScanRequest",
    "ServiceFault",
    "StaleEdit",
    "Unreachable",
    "VendorView",
]  # fmt: skip
