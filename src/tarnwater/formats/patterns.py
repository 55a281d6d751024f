"""Storm patterns as columns: the share of the time, and the share of the depth of each pattern."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np
from pydantic import ValidationError

from tarnwater.errors import TableError
from tarnwater.formats.tables import with_points
from tarnwater.rain.patterns import MassCurve

#: A whole share in a table of percent, or of parts of one.
WHOLES = (100.0, 1.0)


def curves_from_rows(rows: Sequence[Sequence[str]], where: str = "") -> tuple[MassCurve, ...]:
    """Patterns of rows of cells: times in the first column, and a pattern in each other one.

    Shares are in percent or in parts of one; increments (which do not rise but add up to a whole) are added up. The
    first row may name the patterns. Every fault is listed in the `TableError`.
    """
    pointed, _ = with_points([list(row) for row in rows if any(cell.strip() for cell in row)])
    if len(pointed) < 3:
        raise TableError("a pattern needs at least two rows of shares.", where=where, remedy="Paste its whole column.")
    names = [] if _is_number(pointed[0][0]) else pointed[0][1:]
    body = pointed[1:] if names else pointed
    width = len(body[0])
    if width < 2:
        raise TableError("there is one column.", where=where, remedy="Give times, and the shares of the depth beside.")
    bad = [n for n, row in enumerate(body) if len(row) != width or not all(map(_is_number, row))]
    faults = [f"row {n + 1}: “{' '.join(body[n])}”" for n in bad]
    if faults:
        raise TableError(f"{len(faults)} rows cannot be read.", where=where, remedy="Correct them.", rows=faults)
    values = np.array([[float(cell) for cell in row] for row in body])
    times = _whole(values[:, 0], "the times", where)
    curves = []
    for column in range(1, width):
        name = names[column - 1].strip() if column <= len(names) and names[column - 1].strip() else f"pattern {column}"
        curves.append(_curve(name, times, values[:, column], where))
    return tuple(curves)


def read_patterns(path: Path) -> tuple[MassCurve, ...]:
    """Patterns of a delimited text; lines that begin with ``#`` are comments."""
    import csv

    try:
        text = path.read_text(encoding="utf-8-sig")
    except FileNotFoundError as error:
        raise TableError("there is no such file.", where=str(path), remedy="Check the name and the folder.") from error
    except (OSError, UnicodeDecodeError) as error:
        raise TableError("the file holds no text.", where=str(path), remedy="Give patterns as text.") from error
    lines = [line for line in text.splitlines() if line.strip() and not line.startswith("#")]
    mark = next((m for m in "\t;," if lines and m in lines[0]), ",")
    return curves_from_rows(list(csv.reader(lines, delimiter=mark)), path.name)


def _is_number(text: str) -> bool:
    try:
        return bool(np.isfinite(float(text)))
    except ValueError:
        return False


def _whole(column: np.ndarray, what: str, where: str) -> np.ndarray:
    """A column of shares in parts of one, by its greatest value."""
    last = float(column.max())
    whole = next((w for w in WHOLES if abs(last - w) <= 0.01 * w), None)
    if whole is None:
        raise TableError(
            f"{what} end at {last:g}.", where=where, remedy="Give them in percent, to 100, or in parts of one, to 1."
        )
    return column / last


def _curve(name: str, times: np.ndarray, column: np.ndarray, where: str) -> MassCurve:
    rises = bool((np.diff(column) >= 0).all())
    if not rises:
        # rain of each interval: added up; the first entry may be that of no time yet
        column = np.cumsum(column)
    shares = _whole(column, f"the shares of “{name}”", where)
    if times[0] > 0:
        times, shares = np.append(0.0, times), np.append(0.0, shares)
    try:
        return MassCurve(name=name, times=tuple(times.tolist()), shares=tuple(shares.tolist()))
    except ValidationError as error:
        told = error.errors()[0]["msg"].removeprefix("Value error, ")
        raise TableError(f"{told}.", where=f"{where} {name}".strip(), remedy="Correct the column.") from error
