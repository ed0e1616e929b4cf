"""`python -m bench`: runs everything and prints the table; `python -m bench FILE` also writes it into a document.

The document's lines between the two markers are replaced.
"""

from __future__ import annotations

import os
import platform
import shutil
import sys
import time
from pathlib import Path

from tests.support.lab import NO_LAB, possible

from .answers import starting
from .calling import calling
from .detection import detection
from .fitting import fitting
from .plan import holdings, planning, publishing, spreadsheets
from .ports import ports
from .roster import questions, sums
from .scanning import large_link, small_link, waited_for
from .table import Table
from .truth import folding, listening, observing, rules, year
from .wiring import wiring

BEGIN, END = "<!-- table -->", "<!-- end of table -->"


def main() -> None:
    """Run, print, write."""
    table = Table()
    sums(table)
    planning(table)
    folding(table)
    observing(table)
    rules(table)
    year(table)
    ports(table)
    wiring(table)
    starting(table)
    questions(table)
    spreadsheets(table)
    if possible():
        if shutil.which("kea-dhcp4"):
            holdings(table)
            publishing(table)
        listening(table)
        small_link(table)
        waited_for(table)
        detection(table)
        calling(table)
        fitting(table)
        large_link(table)
    else:
        print(f"scans are left out: {NO_LAB}")
    machine = (
        f"{os.cpu_count()} cores, {platform.machine()}, Python {platform.python_version()}, {time.strftime('%Y-%m-%d')}"
    )
    text = f"{table.markdown()}\n\nMeasured on {machine}."
    print(f"\n{text}")
    if sys.argv[1:]:
        path = Path(sys.argv[1])
        head, _, rest = path.read_text().partition(BEGIN)
        path.write_text(f"{head}{BEGIN}\n{text}\n{END}{rest.partition(END)[2]}")


if __name__ == "__main__":
    main()
