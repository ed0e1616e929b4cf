"""Makes the compact registry of vendor blocks that is shipped: all four lists of the IEEE, from Debian's package ieee-data.

    python -m tools.vendor_blocks [FOLDER]

One line a block, the prefix in hexadecimal digits, a tab and the vendor's name, sorted, xz-compressed. Private blocks are left out.
"""

from __future__ import annotations

import lzma
import sys
from pathlib import Path

from even_roster.core.vendors import read_registry
from even_roster.service.vendors.vendor_data import SHIPPED

LISTS = ("oui.csv", "mam.csv", "oui36.csv", "iab.csv")


def main() -> None:
    """Read the lists and write the file."""
    folder = Path(sys.argv[1] if sys.argv[1:] else "/usr/share/ieee-data")
    found: dict[str, str] = {}
    for name in LISTS:
        with (folder / name).open(encoding="utf-8", errors="replace") as lines:
            for prefix, vendor in read_registry(lines):
                if vendor and vendor != "Private":
                    found[f"{prefix.value >> (48 - prefix.length):0{prefix.length // 4}x}"] = vendor
    text = "".join(f"{prefix}\t{vendor}\n" for prefix, vendor in sorted(found.items()))
    SHIPPED.parent.mkdir(exist_ok=True)
    SHIPPED.write_bytes(lzma.compress(text.encode(), preset=9 | lzma.PRESET_EXTREME))
    print(f"{len(found):,} blocks, {SHIPPED.stat().st_size:,} octets")


if __name__ == "__main__":
    main()
