"""Curves of areal reduction as text: areas down, durations across or one column of shares."""

from __future__ import annotations

import csv
from pathlib import Path

from pydantic import ValidationError

from tarnwater import units
from tarnwater.errors import TableError, UnitError
from tarnwater.formats.tables import quantity_of, text_of, with_points
from tarnwater.rain.areal import ArealCurve


def read_areal_curve(path: Path) -> ArealCurve:
    """Read a curve of areal reduction from a file; see `areal_curve_from_text`."""
    return areal_curve_from_text(text_of(path), path.name)


def areal_curve_from_text(text: str, where: str = "", area_unit: str = "km2") -> ArealCurve:
    """Read a curve of areal reduction.

    The first column holds the areas (with a unit, or in ``area_unit``), the first row the durations with their units
    over the shares of each; one column of shares needs no first row. Shares are parts of one, or percent with their
    sign. Lines that begin with ``#`` are comments, the first of them the source. Every faulty line is listed in the
    `TableError`.
    """
    comments = [line.lstrip("# ").strip() for line in text.splitlines() if line.startswith("#")]
    lines = [(n, line) for n, line in enumerate(text.splitlines(), 1) if line.strip() and not line.startswith("#")]
    if not lines:
        raise TableError("the curve is empty.", where=where, remedy="Give areas, and the share of the depth beside.")
    mark = next((m for m in "\t;," if m in lines[0][1]), ",")
    rows = [[cell.strip() for cell in next(csv.reader([line], delimiter=mark))] for _, line in lines]
    if mark != ",":
        rows, _ = with_points(rows)
    faults: list[str] = []
    durations, first = _durations(rows[0], faults)
    areas, factors = [], []
    for (number, _), cells in zip(lines[first:], rows[first:], strict=True):
        width = len(durations) or 1
        if len(cells) != width + 1:
            faults.append(f"line {number}: {len(cells)} columns, not {width + 1}")
            continue
        areas.append(quantity_of(cells[0], "area", area_unit, number, "area", faults))
        factors.append(tuple(quantity_of(cell, "share", "", number, "share", faults) for cell in cells[1:]))
    if faults:
        raise TableError(
            f"{len(faults)} entries cannot be read.", where=where, remedy="Correct them.", rows=faults[:20]
        )
    try:
        source = comments[0] if comments else where
        return ArealCurve(areas=tuple(areas), durations=tuple(durations), factors=tuple(factors), source=source)
    except ValidationError as error:
        told = error.errors()[0]["msg"].removeprefix("Value error, ")
        raise TableError(f"{told}.", where=where, remedy="Correct the curve.") from error


def _durations(heads: list[str], faults: list[str]) -> tuple[list[float], int]:
    """Durations of the first row, and the row at which the areas begin; one column needs no duration."""
    try:
        units.parse(heads[0], "area", default="km2")
    except UnitError:
        if len(heads) == 2 and not any(letter.isdigit() for letter in heads[1]):
            return [], 1
        return [quantity_of(head, "time", "", 1, "duration", faults) for head in heads[1:]], 1
    return [], 0


def areal_curve_to_text(curve: ArealCurve, area_unit: str = "km2") -> str:
    """A curve of areal reduction as text that is read again as it is."""
    heads = [f"area, {area_unit}", *(f"{d / 3600:.12g} h" for d in curve.durations)] if curve.durations else []
    factor = units.factor_of(area_unit, "area")
    rows = [
        [f"{area / factor:.12g} {area_unit}", *(repr(share) for share in row)]
        for area, row in zip(curve.areas, curve.factors, strict=True)
    ]
    lines = ["\t".join(row) for row in ([heads, *rows] if heads else rows)]
    return "\n".join([f"# {curve.source}", *lines] if curve.source else lines)
