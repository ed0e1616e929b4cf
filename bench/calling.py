"""What roll calls cost and how soon they settle, through the whole service: half of the lines answer, half are silent."""

from __future__ import annotations

import contextlib
import statistics
import time

from tests.support.lab import Inside, namespace, tap_hosts
from tests.support.patience import until
from tests.support.service import service

from even_roster.api.calling import RollCallEdit, RollCallNew
from even_roster.api.plan import SubnetNew

from .processor import processor_seconds
from .table import Table

LOOKS, LARGEST = 5, 2000
WATCHED_SECONDS = 60.0


def calling(table: Table) -> None:
    """200 lines every 5 s, and LARGEST lines every 30 s."""
    for lines, every in ((200, 5), (LARGEST, 30)):
        _call(table, lines, every)


def _call(table: Table, lines: int, every: int) -> None:
    half = lines // 2
    text = "".join(f"10.77.{place // 256}.{place % 256}\n" for place in range(10, 10 + lines))
    with (
        namespace() as inside,
        tap_hosts(inside, "10.77.0.2/16", half),
        service("serve", inside=inside, watch=True, anew=True) as running,
        contextlib.closing(Inside(inside)) as within,
    ):
        roster = within.do(running.client)
        within.do(lambda: roster.add_subnet(SubnetNew(range="10.77.0.0/16", name="Bench")))
        call = within.do(lambda: roster.add_roll_call(RollCallNew(name="Bench", text=text, every_seconds=86_400)))
        until(lambda: within.do(lambda: roster.roll_call(call.id)).asked_at is not None, "it is not asked")
        times = []
        for _ in range(LOOKS):
            began = time.monotonic()
            view = within.do(lambda: roster.ask_roll_call(call.id))
            times.append(time.monotonic() - began)
        if (view.here_count, view.silent_count) != (half, lines - half):
            raise RuntimeError(f"{view.here_count} here, {view.silent_count} silent, of {lines}")
        goal = "≤ 4 s" if lines == 200 else f"< {every} s"
        what = f"roll call of {lines:,} lines, half silent"
        table.add(f"{what}: asked until settled, median", f"{statistics.median(times):.1f} s", goal)
        at_rest = _used(running.process.pid)
        within.do(lambda: roster.edit_roll_call(call.id, RollCallEdit(every_seconds=every)))
        time.sleep(every)
        used = _used(running.process.pid)
        table.add(
            f"{what}, every {every} s: processor time beside that at rest", f"{(used - at_rest) * 100:.1f} % of a core",
            "≤ 3 %" if lines == 200 else "", floor=f"{at_rest * 100:.1f} % (at rest)",
        )  # fmt: skip


def _used(pid: int) -> float:
    """Which part of a core a service and its helpers use, over WATCHED_SECONDS."""
    before, began = processor_seconds(pid), time.monotonic()
    time.sleep(WATCHED_SECONDS)
    return (processor_seconds(pid) - before) / (time.monotonic() - began)
