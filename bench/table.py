"""Collects results and prints them as one table."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass
class Table:
    """Rows of: what, measured, floor of the same run, ratio, and what it must reach."""

    rows: list[tuple[str, str, str, str, str]] = field(default_factory=list)

    def add(self, what: str, value: str, goal: str, *, floor: str = "", ratio: float | None = None) -> None:
        """One row; printed at once as well, so that a long run shows something."""
        row = (what, value, floor, f"{ratio:.2f} ×" if ratio is not None else "", goal)
        self.rows.append(row)
        print(" | ".join(row), flush=True)

    def markdown(self) -> str:
        """The table for the docs."""
        head = ("what", "measured", "floor in the same run", "ratio", "goal")
        lines = [head, tuple("---" for _ in head), *self.rows]
        return "\n".join(f"| {' | '.join(line)} |" for line in lines)
