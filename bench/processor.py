"""How much processor time a service uses, its helpers included."""

from __future__ import annotations

import psutil


def processor_seconds(pid: int) -> float:
    """The seconds that a process and its children have used."""
    root = psutil.Process(pid)
    return sum(sum(one.cpu_times()[:2]) for one in (root, *root.children(recursive=True)))
