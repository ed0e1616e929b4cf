"""Loads vendor data: netaddr's copy of IEEE's registry, the system's ieee-data files where present, the roster's own."""

from __future__ import annotations

import logging
from collections.abc import Iterator
from importlib.resources import files
from pathlib import Path

from ..core.vendors import VendorError, VendorRegistry, read_registry

_SYSTEM = Path("/usr/share/ieee-data")
_SYSTEM_FILES = ("oui.csv", "mam.csv", "oui36.csv")
_log = logging.getLogger(__name__)


def load(registry: VendorRegistry) -> None:
    """Fill a registry with the public blocks; a file that cannot be read is logged and left out."""
    _load(registry, "netaddr", _packaged())
    for name in _SYSTEM_FILES:
        path = _SYSTEM / name
        if path.exists():
            with path.open(encoding="utf-8", errors="replace") as lines:
                _load(registry, str(path), lines)


def _load(registry: VendorRegistry, where: str, lines: Iterator[str]) -> None:
    try:
        for prefix, name in read_registry(lines):
            if name and name != "Private":
                registry.add(prefix, name, own=False)
    except (VendorError, OSError) as error:
        _log.warning("vendor data of %s is not complete: %s", where, error)


def _packaged() -> Iterator[str]:
    with files("netaddr.eui").joinpath("oui.txt").open(encoding="utf-8", errors="replace") as lines:
        yield from lines
