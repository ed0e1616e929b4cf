"""A new workshop at the theatre, as it stands in a spreadsheet with odd headers."""

from __future__ import annotations

from pathlib import Path

ROWS = 80
PRINTERS = "".join(f"02-C0-44-00-88-{n:02X}, press-{n}\n" for n in range(1, 6))


def write_sheet(path: Path) -> None:
    """A list as somebody kept it, with headers of their own."""
    lines = [f"10.44.50.{20 + n};bench-{n};02:c0:9f:77:00:{n:02x};Werkbank {n}" for n in range(ROWS)]
    path.write_text("\n".join(["Wo steht's;Wie heisst's;Kennung;Bemerkung", *lines]) + "\n", encoding="cp1252")
