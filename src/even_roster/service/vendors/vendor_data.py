"""Loads vendor data: the shipped registry of all four IEEE lists (made by `tools/vendor_blocks`), netaddr's newer copy of one of
them, the system's ieee-data files where present; a later one replaces an earlier.

Reading the listings takes a second, so what was read is kept in the account's cache folder, under a name made of the files'
sizes and times. A cache that cannot be read or written is done without.
"""

from __future__ import annotations

import hashlib
import logging
import lzma
import marshal
import os
from collections.abc import Iterator
from importlib.resources import files
from pathlib import Path
from typing import Any

from platformdirs import user_cache_path

from ...core.vendors import VendorError, VendorRegistry, read_registry

_SYSTEM = Path("/usr/share/ieee-data")
_SYSTEM_FILES = ("oui.csv", "mam.csv", "oui36.csv", "iab.csv")
SHIPPED = Path(__file__).parent / "blocks.txt.xz"
_FORM = 2  # of the cache; another number makes old ones unused
_log = logging.getLogger(__name__)


def load(registry: VendorRegistry, folder: Path | None = None) -> None:
    """Fill a registry with the public blocks; a file that cannot be read is logged and left out. `folder` is where the
    cache is kept, the account's own when left out."""
    netaddr = Path(str(files("netaddr.eui").joinpath("oui.txt")))
    sources = [SHIPPED, netaddr, *(_SYSTEM / name for name in _SYSTEM_FILES)]
    sources = [path for path in sources if path.exists()]
    cache = (folder or user_cache_path("even-roster")) / f"vendors-{_fingerprint(sources)}.bin"
    tables = _read(cache)
    if tables is not None:
        registry.public = tables
        return
    for path in sources:
        opened = lzma.open if path.suffix == ".xz" else open
        with opened(path, "rt", encoding="utf-8", errors="replace") as lines:
            _load(registry, str(path), lines)
    _write(cache, registry.public)


def _fingerprint(sources: list[Path]) -> str:
    facts = [(str(path), stat.st_size, stat.st_mtime_ns) for path in sources for stat in [path.stat()]]
    return hashlib.sha256(repr((_FORM, marshal.version, facts)).encode()).hexdigest()[:16]


def _read(cache: Path) -> dict[int, dict[int, str]] | None:
    """What an earlier start of this account wrote; None when there is none or it is not sound."""
    try:
        data = cache.read_bytes()
        mark, body = data[:32], data[32:]
        if hashlib.sha256(body).digest() != mark or cache.stat().st_uid != os.getuid():
            return None
        found: Any = marshal.loads(body)
        return found if isinstance(found, dict) else None
    except (OSError, ValueError, EOFError, TypeError):
        return None


def _write(cache: Path, tables: dict[int, dict[int, str]]) -> None:
    body = marshal.dumps(tables)
    part = cache.with_name(f"{cache.name}.{os.getpid()}")
    try:
        cache.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        part.write_bytes(hashlib.sha256(body).digest() + body)
        part.replace(cache)
    except OSError as error:
        _log.info("vendor data is not kept in %s: %s", cache, error)


def _load(registry: VendorRegistry, where: str, lines: Iterator[str]) -> None:
    try:
        for prefix, name in read_registry(lines):
            if name and name != "Private":
                registry.add(prefix, name, own=False)
    except (VendorError, OSError) as error:
        _log.warning("vendor data of %s is not complete: %s", where, error)
