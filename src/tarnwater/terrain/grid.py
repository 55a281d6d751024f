"""An elevation grid: heights of square or oblong cells, north up, in a projected coordinate system."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeVar

import numpy as np

from tarnwater.errors import GridError, NoGround, OutletError
from tarnwater.units import show_place

FEWEST_CELLS = 3


#: One number, or an array of them.
V = TypeVar("V", float, np.ndarray)


@dataclass(frozen=True, eq=False)
class Grid:
    """Heights on a regular grid.

    Parameters
    ----------
    heights : (rows, columns) float32 or float64, m; NaN where there is no data. Row 0 is the north.
    west, north : coordinates of the outer corner of the first cell, in the units of the CRS.
    width, height : size of a cell in the units of the CRS, both positive.
    crs : the projected coordinate system, as ``EPSG:…`` or well-known text.
    metres : metres in one unit of the CRS, exact (1, or 0.3048 for feet).

    Raises `GridError` if there is no ground.
    """

    heights: np.ndarray
    west: float
    north: float
    width: float
    height: float
    crs: str
    metres: float = 1.0

    def __post_init__(self) -> None:
        if self.heights.ndim != 2 or min(self.heights.shape) < FEWEST_CELLS:
            shape = " x ".join(str(n) for n in self.heights.shape)
            raise GridError(
                f"the grid has {shape} cells; slopes need at least {FEWEST_CELLS} rows and {FEWEST_CELLS} columns.",
                remedy="Give a larger piece of terrain.",
            )
        infinite = np.argwhere(np.isinf(self.heights))
        if len(infinite):
            row, column = infinite[0]
            raise GridError(
                f"{len(infinite)} cells hold an infinite height, the first in row {row + 1}, column {column + 1}.",
                remedy="Set them to the grid's no-data value, or mend them, and read the grid again.",
            )
        if not np.isfinite(self.heights).any():
            raise NoGround("every cell is no-data.", remedy="Check the no-data value of the grid.")

    @property
    def dx(self) -> float:
        """Width of a cell, m."""
        return self.width * self.metres

    @property
    def dy(self) -> float:
        """Height of a cell in plan, m."""
        return self.height * self.metres

    @property
    def cell_area(self) -> float:
        """Area of a cell, m2."""
        return self.dx * self.dy

    @property
    def shape(self) -> tuple[int, int]:
        """Rows and columns."""
        return self.heights.shape[0], self.heights.shape[1]

    def centre(self, row: V, column: V) -> tuple[V, V]:
        """Coordinates of the centres of cells, in the units of the CRS."""
        return self.west + (column + 0.5) * self.width, self.north - (row + 0.5) * self.height

    def cell_at(self, x: float, y: float) -> tuple[int, int]:
        """Row and column of the cell at a place; raises `OutletError` outside the ground."""
        if not (np.isfinite(x) and np.isfinite(y)):
            raise OutletError("a coordinate is no number.", where=f"{x}, {y}", remedy="Write the place as X,Y.")
        column = int(np.floor((x - self.west) / self.width))
        row = int(np.floor((self.north - y) / self.height))
        rows, columns = self.shape
        where = show_place(x, y)
        if not (0 <= row < rows and 0 <= column < columns):
            low = show_place(self.west, self.north - rows * self.height)
            high = show_place(self.west + columns * self.width, self.north)
            raise OutletError(
                f"the place lies outside the grid, which goes from {low} to {high}.",
                where=where,
                remedy="Check the order of the coordinates and their system.",
            )
        if np.isnan(self.heights[row, column]):
            raise OutletError(
                f"the place lies on a cell without data (row {row + 1}, column {column + 1}).",
                where=where,
                remedy="Choose a place on the ground.",
            )
        return row, column
