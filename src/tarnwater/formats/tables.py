"""Depth tables as delimited text: durations down, return periods across."""

from __future__ import annotations

import csv
import re
from pathlib import Path

from tarnwater import units
from tarnwater.errors import TableError, TarnwaterError, UnitError
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.depths import Series


def read_depth_table(path: Path, *, unit: str = "mm", source: str = "", series: Series = "unstated") -> DepthTable:
    """Read a depth table.

    The first row names the return periods in years (a ``1 in`` or a unit may stand with them), the
    first column the durations with their units (``15 min``, ``1 h``); lines that begin with ``#`` are
    comments, the first of them the source. Commas, semicolons or tabs part the columns; where commas
    do not, they may part decimals. Every faulty row is listed with its line in the `TableError`.
    """
    return depth_table_from_text(text_of(path), where=str(path), unit=unit, source=source, series=series)


def text_of(path: Path) -> str:
    """The text of a file with a table; `TableError` where it cannot be read."""
    try:
        return path.read_text(encoding="utf-8-sig")
    except FileNotFoundError as error:
        raise TableError("there is no such file.", where=str(path), remedy="Check the name and the folder.") from error
    except IsADirectoryError as error:
        raise TableError("this is a folder.", where=str(path), remedy="Give the file of the table.") from error
    except UnicodeDecodeError as error:
        raise TableError("the file holds no text.", where=str(path), remedy="Give a table as text.") from error
    except OSError as error:
        what = f"the file cannot be read ({error.strerror})."
        raise TableError(what, where=str(path), remedy="Check its name and its rights.") from error


def depth_table_from_text(
    text: str, *, where: str = "", unit: str = "mm", source: str = "", series: Series = "unstated"
) -> DepthTable:
    """Read a depth table from text; see `read_depth_table`."""
    comments = [line.lstrip("# ").strip() for line in text.splitlines() if line.startswith("#")]
    lines = [(n, line) for n, line in enumerate(text.splitlines(), 1) if line.strip() and not line.startswith("#")]
    if not lines:
        raise TableError("the table is empty.", where=where, remedy="Give durations, return periods and depths.")
    separator = next((s for s in "\t;," if s in lines[0][1]), ",")
    rows = [(number, next(csv.reader([line], delimiter=separator))) for number, line in lines]
    if separator != ",":
        pointed, _ = with_points([cells for _, cells in rows])
        rows = [(number, cells) for (number, _), cells in zip(rows, pointed, strict=True)]
    faults: list[str] = []
    periods = _periods(*rows[0], faults)
    durations, depths = [], []
    for number, cells in rows[1:]:
        if len(cells) != len(periods) + 1:
            faults.append(f"line {number}: {len(cells)} columns, not {len(periods) + 1}")
            continue
        durations.append(quantity_of(cells[0], "time", "", number, "duration", faults))
        depths.append(
            tuple(
                quantity_of(c, "rain", unit, number, f"1 in {p:g}", faults)
                for c, p in zip(cells[1:], periods, strict=True)
            )
        )
    if faults:
        remedy = "Correct these lines; decimals need a point, durations their unit."
        raise TableError(f"{len(faults)} entries cannot be read.", where=where, remedy=remedy, rows=faults)
    try:
        table = DepthTable(
            durations=tuple(durations),
            return_periods=tuple(periods),
            depths=tuple(depths),
            source=source or (comments[0] if comments else ""),
            series=series,
        )
    except TarnwaterError as error:
        error.where = f"{where}, {error.where}" if error.where else where
        raise
    if falling := table.falling():
        raise TableError(
            "depths fall where they must rise with duration and return period.",
            where=where,
            remedy="Correct these entries.",
            rows=falling,
        )
    return table


def has_decimal_commas(text: str) -> bool:
    """Whether the commas of a table part decimals, and are read so."""
    lines = [line for line in text.splitlines() if line.strip() and not line.startswith("#")]
    separator = next((s for s in "\t;" if lines and s in lines[0]), "")
    return bool(separator) and with_points([line.split(separator) for line in lines])[1]


def with_points(rows: list[list[str]]) -> tuple[list[list[str]], bool]:
    """Cells with points for decimal commas, where these can be nothing else, and whether there were any.

    One comma that cannot part thousands tells what all of a table mean; a point in any of its
    numbers leaves them as they are.

    >>> with_points([["1 h", "9,5", "14,125"]])
    ([['1 h', '9.5', '14.125']], True)
    """
    cells = [cell for row in rows for cell in row]
    commas = [found for cell in cells if (found := _DECIMAL_COMMA.fullmatch(cell))]
    if any(_POINT.search(cell) for cell in cells):
        return rows, False
    if not any(len(found[2]) != units.THOUSAND or found[1].lstrip("+-") == "0" for found in commas):
        return rows, False
    return [[c.replace(",", ".", 1) if _DECIMAL_COMMA.fullmatch(c) else c for c in row] for row in rows], True


_DECIMAL_COMMA = re.compile(r"\s*([+-]?\d+),(\d+)(\s*\D.*)?")
_POINT = re.compile(r"\d\.\d")


def years_text(cell: str) -> str:
    """A return period without the words that may stand before it.

    >>> years_text("1 in 30")
    '30'
    """
    return re.sub(r"^\s*1\s+in\s+", "", cell).strip()


def _periods(number: int, cells: list[str], faults: list[str]) -> list[float]:
    periods = []
    for cell in cells[1:]:
        periods.append(quantity_of(years_text(cell), "return period", "years", number, "return period", faults))
    return periods


def quantity_of(cell: str, kind: str, default: str, line: int, what: str, faults: list[str]) -> float:
    """A cell as a quantity; NaN, and its line among the faults, where it cannot be read or a duration has no unit."""
    if kind == "time" and re.fullmatch(r"\s*\d+(\.\d*)?\s*", cell):
        faults.append(
            f"line {line}, {what}: “{cell.strip()}” has no unit (write {cell.strip()} min or {cell.strip()} h)"
        )
        return float("nan")
    try:
        return units.parse(cell, kind, default=default or None)
    except UnitError as error:
        faults.append(f"line {line}, {what}: {error.what}")
        return float("nan")
