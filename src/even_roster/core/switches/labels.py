"""One sheet of labels for the ports of a switch or patch panel, as SVG in millimetres: cells of a pitch, in rows, text fitted.
Pure.

With two rows the odd places stand above and the even ones below, as ports do; otherwise they follow one another row by row.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from xml.sax.saxutils import escape

NARROW, WIDE = frozenset("iljtfrI.,:;'|!()[] -"), frozenset("mwMW@%")
LARGEST_PT, LEAST_PT = 9.0, 4.0
_MM_PER_PT = 0.3528
_MARGIN, _GAP, _TITLE, _PAGE = 8.0, 2.0, 7.0, 194.0
MOST_LINES = 3


@dataclass(frozen=True, slots=True)
class Label:
    """What stands on a label: what the port is called, and what hangs there."""

    port: str
    text: str


def text_width(text: str, size: float) -> float:
    """How wide a text is in millimetres at a size in points, by classes of letters; rather too wide than too narrow."""
    units = sum(0.36 if char in NARROW else 1.0 if char in WIDE else 0.76 if char.isupper() else 0.66 for char in text)
    return units * size * _MM_PER_PT


def fitted(text: str, width: float, height: float) -> tuple[float, tuple[str, ...]]:
    """The largest size in points at which a text fits into a width and height in millimetres, in up to MOST_LINES lines, and these;
    what does not fit at the least size is cut and ends with a dot above the line."""
    size = LARGEST_PT
    while size >= LEAST_PT:
        lines = _wrapped(text, width, size)
        if len(lines) <= min(MOST_LINES, max(int(height / (size * _MM_PER_PT * 1.15)), 1)) and all(
            text_width(line, size) <= width for line in lines
        ):
            return size, tuple(lines)
        size -= 0.5
    most = min(MOST_LINES, max(int(height / (LEAST_PT * _MM_PER_PT * 1.15)), 1))
    lines = _wrapped(text, width, LEAST_PT)
    shown = [_cut(line, width) for line in lines[:most]]
    if len(lines) > most and not shown[-1].endswith("·"):
        shown[-1] = (
            _cut(f"{shown[-1]}{lines[most]}", width)
            if text_width(f"{shown[-1]}·", LEAST_PT) > width
            else f"{shown[-1]}·"
        )
    return LEAST_PT, tuple(shown)


def _cut(line: str, width: float) -> str:
    if text_width(line, LEAST_PT) <= width:
        return line
    while line and text_width(f"{line}·", LEAST_PT) > width:
        line = line[:-1]
    return f"{line}·"


def _wrapped(text: str, width: float, size: float) -> list[str]:
    lines: list[str] = []
    for word in text.replace("-", "-\u200b").replace(" ", " \u200b").split("\u200b"):
        if lines and text_width((lines[-1] + word).rstrip(), size) <= width:
            lines[-1] += word
        else:
            lines.append(word)
    return [line.rstrip() for line in lines] or [""]


def sheet(title: str, labels: Sequence[Label], pitch: float, height: float, rows: int) -> str:
    """The sheet as an SVG document. `pitch` is the width of a cell and `height` its height, in millimetres; `rows` how many rows
    stand above one another in a strip. Strips follow one another down the page where one does not hold all."""
    columns = max((len(labels) + rows - 1) // rows, 1)
    across = max(min(columns, int(_PAGE / pitch)), 1)
    parts: list[str] = []
    strips = [
        [(column, row, labels[place]) for column in range(start, min(start + across, columns)) for row in range(rows)
         if (place := _place(column, row, rows, columns)) < len(labels)]
        for start in range(0, columns, across)
    ]  # fmt: skip
    top = _MARGIN + _TITLE
    for number, strip in enumerate(strips):
        y = top + number * (rows * height + _GAP * 3)
        for column, row, label in strip:
            parts.append(_cell(label, _MARGIN + (column % across) * pitch, y + row * height, pitch, height))
    whole = top + len(strips) * (rows * height + _GAP * 3)
    width = 2 * _MARGIN + across * pitch
    head = f'<text x="{_MARGIN:g}" y="{_MARGIN + 3:g}" font-size="3.9" font-weight="600">{escape(title)}</text>'
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:g}mm" height="{whole:g}mm" viewBox="0 0 {width:g} {whole:g}" '
        f'font-family="Atkinson Hyperlegible Next, sans-serif" fill="#000">{head}{"".join(parts)}</svg>'
    )


def _place(column: int, row: int, rows: int, columns: int) -> int:
    return column * rows + row if rows == 2 else row * columns + column


def _cell(label: Label, x: float, y: float, width: float, height: float) -> str:
    number_size = 5.0 * _MM_PER_PT
    size, lines = fitted(label.text, width - 1.2, height - number_size - 1.8)
    step = size * _MM_PER_PT * 1.15
    texts = "".join(
        f'<text x="{x + width / 2:g}" y="{y + number_size + 1.2 + step * (place + 0.8):.2f}" font-size="{size * _MM_PER_PT:.2f}" '
        f'text-anchor="middle">{escape(line)}</text>'
        for place, line in enumerate(lines)
    )
    return (
        f'<rect x="{x:g}" y="{y:g}" width="{width:g}" height="{height:g}" fill="none" stroke="#000" stroke-width="0.15"/>'
        f'<text x="{x + 0.7:g}" y="{y + number_size + 0.3:g}" font-size="{number_size:.2f}" font-weight="600">'
        f"{escape(label.port)}</text>{texts}"
    )
