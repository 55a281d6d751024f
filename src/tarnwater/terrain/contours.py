"""Contours of a terrain, for display."""

from __future__ import annotations

import numpy as np

from tarnwater import units
from tarnwater.errors import OutOfRange
from tarnwater.terrain.grid import Grid
from tarnwater.terrain.lines import Lines

#: Of larger grids only every second, third … cell is used: contours are to be looked at.
MOST_CELLS = 4_000_000

#: Heights at which contours may be asked for at once.
MOST_LEVELS = 2_000

#: Every fifth contour is an index contour, drawn heavier.
INDEX = 5


def contours(grid: Grid, interval: float) -> Lines:
    """Contours at multiples of an interval, m; index contours have weight 2, others 1.

    Linear between the centres of the cells. Raises `OutOfRange` for an interval that is no positive number, and for
    one that gives more than 2000 heights.
    """
    from contourpy import contour_generator

    low, high = float(np.nanmin(grid.heights)), float(np.nanmax(grid.heights))
    if not (np.isfinite(interval) and interval > 0):
        raise OutOfRange("the contour interval must be greater than 0.", remedy="Type it, for example 10 m.")
    first, last = int(np.ceil(low / interval)), int(np.floor(high / interval))
    if last - first > MOST_LEVELS:
        raise OutOfRange(
            f"an interval of {{}} gives {last - first} contours; at most {MOST_LEVELS} are drawn.",
            values=(units.Quantity(interval, "height"),),
            remedy="Type a larger one.",
        )
    step = int(np.ceil(np.sqrt(grid.heights.size / MOST_CELLS)))
    shown = grid.heights[::step, ::step].astype(np.float64)
    rows, columns = np.arange(0, grid.shape[0], step), np.arange(0, grid.shape[1], step)
    x = grid.west + (columns + 0.5) * grid.width
    y = grid.north - (rows + 0.5) * grid.height
    generator = contour_generator(x, y, np.ma.masked_invalid(shown))
    lines: list[np.ndarray] = []
    weights: list[float] = []
    for number in range(first, last + 1):
        found = generator.lines(number * interval)
        lines += [np.asarray(line) for line in found]
        weights += [2.0 if number % INDEX == 0 else 1.0] * len(found)
    return Lines.of(lines, weights)


def usual_interval(grid: Grid) -> float:
    """An interval of 1, 2 or 5 times a power of ten, m, that gives about twenty contours."""
    relief = max(float(np.nanmax(grid.heights) - np.nanmin(grid.heights)), 0.01)
    return units.round_up(relief / 20)
