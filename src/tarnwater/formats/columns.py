"""Rain pasted as columns: depths, running totals or rates in equal steps, for all catchments or for each one."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np

from tarnwater import units
from tarnwater.arrays import Floats
from tarnwater.errors import TableError, UnitError
from tarnwater.formats.tables import with_points
from tarnwater.rain.given import Depths

RainForm = Literal["incremental", "cumulative", "rate"]

#: Texts of missing rain, whatever their case.
MISSING = ("", "-", "--", "---", "na", "n/a", "nan", "m", "missing")


def columns_of_rain(text: str, *, form: RainForm, unit: str, step: float) -> dict[str, Depths]:
    """Depths (mm, None where missing) in equal steps (s), by the names of the first row, or under an empty one.

    Columns are parted by tabs or semicolons. The first entry of a running total is that before the first step where it
    is zero. Every fault is listed with its line in the `TableError`.
    """
    lines = text.strip("\n").splitlines()
    mark = next((m for m in "\t;" if any(m in line for line in lines)), "\t")
    rows, _ = with_points([[cell.strip() for cell in line.split(mark)] for line in lines])
    heads = rows[0] if rows and _names(rows[0]) else []
    body = rows[1:] if heads else rows
    width = len(heads) or max((len(row) for row in body), default=0)
    if not heads and width > 1:
        raise TableError("there are several columns.", remedy="Name a catchment over each, or paste one column.")
    faults: list[str] = []
    values = np.full((len(body), max(width, 1)), np.nan)
    for number, row in enumerate(body):
        for column in range(width):
            values[number, column] = _number(row[column] if column < len(row) else "", number + 1 + bool(heads), faults)
    if faults:
        raise TableError(f"{len(faults)} entries cannot be read.", remedy="Correct these lines.", rows=faults[:20])
    if not len(body):
        raise TableError("there is no number.", remedy="Type or paste the rain of each step.")
    factor = units.factor_of(unit, "rain rate" if form == "rate" else "rain")
    factor *= step / 3600 if form == "rate" else 1.0
    return {name: _depths(values[:, n] * factor, form, name) for n, name in enumerate(heads or [""])}


def columns_of_numbers(text: str, columns: Sequence[tuple[str, str, str]]) -> list[list[float]]:
    """Numbers of a table, column by column, in base units.

    ``columns`` are the name, the kind and the unit of each. Columns are parted by tabs, semicolons or spaces; a first
    row without a number is the head. Every fault is listed with its line in the `TableError`.
    """
    lines = {number: line.strip() for number, line in enumerate(text.splitlines(), start=1) if line.strip()}
    mark = next((m for m in "\t;" if any(m in line for line in lines.values())), None)
    rows, _ = with_points([[cell.strip() for cell in line.split(mark)] for line in lines.values()])
    numbered = list(zip(lines, rows, strict=True))
    if rows and not any(_is_number(cell) for cell in rows[0]):
        numbered = numbered[1:]
    if not numbered:
        raise TableError("there is no number.", remedy="Type or paste one row a line.")
    found: list[list[float]] = [[] for _ in columns]
    faults = []
    for number, row in numbered:
        if len(row) != len(columns):
            faults.append(f"line {number}: {len(row)} columns, {len(columns)} are needed")
            continue
        for cell, (name, kind, unit), held in zip(row, columns, found, strict=True):
            try:
                held.append(units.parse(cell, kind, default=unit or None))
            except UnitError as error:
                faults.append(f"line {number}, {name}: {error}")
    if faults:
        raise TableError(f"{len(faults)} entries cannot be read.", remedy="Correct these lines.", rows=faults[:20])
    return found


def columns_of_event(text: str, rain_unit: str, flow_unit: str) -> tuple[list[float], list[float]]:
    """Rain (mm) of each step of an event and flow (m³/s) at the ends of the steps, one more, from two columns.

    The first line is that before the event. Lines after the last rain may have a flow only. Raises `TableError`.
    """
    lines = text.rstrip().splitlines()
    last = max((n for n, line in enumerate(lines) if line[:1] not in ("\t", ";", "")), default=-1)
    filled = [f"0{line}" if n > last and line[:1] in ("\t", ";") else line for n, line in enumerate(lines)]
    rain, flow = columns_of_numbers("\n".join(filled), [("rain", "rain", rain_unit), ("flow", "flow", flow_unit)])
    if rain[0] > 0:
        raise TableError(
            "rain falls in the first line, which is before the event.",
            remedy="Begin with a line of no rain and the flow before the flood.",
        )
    return rain[1:], flow


def _names(row: Sequence[str]) -> bool:
    """Whether a row is of names: none of its cells is a number, and one is more than a sign of missing rain."""
    return any(cell.lower() not in MISSING for cell in row) and not any(_is_number(cell) for cell in row)


def _is_number(cell: str) -> bool:
    try:
        float(cell)
    except ValueError:
        return False
    return True


def _number(cell: str, line: int, faults: list[str]) -> float:
    if cell.lower() in MISSING:
        return float("nan")
    try:
        value = float(cell)
    except ValueError:
        value = float("inf")
    if not np.isfinite(value) or value < 0:
        faults.append(f"line {line}: “{cell[:40]}” is no depth of rain")
        return float("nan")
    return value


def _depths(column: Floats, form: RainForm, name: str) -> Depths:
    if form == "cumulative":
        if (np.diff(column[~np.isnan(column)]) < 0).any():
            remedy = "Paste one storm, or the depth of each step."
            raise TableError("a running total cannot fall.", where=name, remedy=remedy)
        starts_empty = len(column) > 1 and column[0] == 0
        column = np.diff(column) if starts_empty else np.diff(column, prepend=0.0)
    return tuple(None if np.isnan(v) else float(v) for v in column)
