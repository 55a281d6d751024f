"""The ground while features are applied to it: culverts, burned streams, walls, depressions that keep their water."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.terrain.cells import cells_along, course_along
from tarnwater.terrain.grid import Grid


@dataclass(frozen=True)
class Effect:
    """What one feature changed: cells, volume in m3, the greatest change in m and its place; and what is to be said.

    ``most`` is positive where the ground was raised. ``place`` is None if nothing changed; with ``ends_flow`` it is
    the cell at which the water ends.
    """

    cells: int = 0
    volume: float = 0.0
    most: float = 0.0
    place: tuple[float, float] | None = None
    notes: tuple[str, ...] = ()
    ends_flow: bool = False


@dataclass(eq=False)
class ShapedGround:
    """A terrain with the changes that features make.

    Parameters
    ----------
    grid : the raw terrain, which is not changed.
    heights : (rows, columns) m, as the features leave them.
    walls : (rows, columns) bool, cells that stand higher as walls.
    passages : (rows, columns) bool, cells of culverts, which walls do not close.
    sinks : rows and columns of cells whose water leaves there, for depressions that keep their water.
    """

    grid: Grid
    heights: Floats
    walls: np.ndarray
    passages: np.ndarray
    sinks: list[tuple[int, int]] = field(default_factory=list)

    @classmethod
    def of(cls, grid: Grid) -> ShapedGround:
        """The ground before any feature."""
        return cls(grid, grid.heights.copy(), np.zeros(grid.shape, bool), np.zeros(grid.shape, bool))

    def along(self, line: Floats) -> tuple[np.ndarray, np.ndarray, Floats]:
        """Rows, columns and distance (m) of the ground cells along a line; see `cells_along`."""
        return cells_along(self.grid, line)

    def course(self, line: Floats) -> tuple[np.ndarray, np.ndarray, Floats]:
        """Rows, columns and distance (m) of the ground cells by which water follows a line; see `course_along`."""
        return course_along(self.grid, line)

    def lowest_beside(self, row: int, column: int) -> float:
        """Lowest height of a cell and its eight neighbours, m."""
        return float(np.nanmin(self.heights[max(row - 1, 0) : row + 2, max(column - 1, 0) : column + 2]))

    def lower(self, rows: np.ndarray, columns: np.ndarray, levels: Floats) -> Effect:
        """Lower cells to levels (cells,) m where they are higher."""
        before = self.heights[rows, columns].astype(float)
        # a line may cross a cell twice: the lower level counts
        np.minimum.at(self.heights, (rows, columns), levels.astype(self.heights.dtype))
        return self._effect(rows, columns, self.heights[rows, columns] - before)

    def lift(self, rows: np.ndarray, columns: np.ndarray, height: float) -> Effect:
        """Lift cells by a height, m, as a wall; cells of culverts and of other walls at least as high stay."""
        cells = np.unique(np.column_stack([rows, columns]), axis=0)
        rows, columns = cells[:, 0], cells[:, 1]
        open_to_flow = self.passages[rows, columns]
        rows, columns = rows[~open_to_flow], columns[~open_to_flow]
        before = self.heights[rows, columns].astype(float)
        crest = np.where(
            self.walls[rows, columns], np.maximum(before, self.grid.heights[rows, columns] + height), before + height
        )
        self.heights[rows, columns] = crest
        self.walls[rows, columns] = True
        return self._effect(rows, columns, crest - before)

    def pit_below(self, row: int, column: int) -> tuple[int, int]:
        """The cell without a lower neighbour to which the steepest way from a cell leads."""
        high, wide = self.grid.shape
        while True:
            top, left = max(row - 1, 0), max(column - 1, 0)
            near = self.heights[top : row + 2, left : column + 2].astype(float)
            down, across = np.indices(near.shape)
            length = np.hypot((down + top - row) * self.grid.dy, (across + left - column) * self.grid.dx)
            with np.errstate(invalid="ignore", divide="ignore"):
                fall = np.where(length > 0, (float(self.heights[row, column]) - near) / length, 0.0)
            fall = np.nan_to_num(fall, nan=0.0)
            if fall.max() <= 0:
                return row, column
            step = np.unravel_index(int(np.argmax(fall)), fall.shape)
            row, column = min(int(step[0]) + top, high - 1), min(int(step[1]) + left, wide - 1)

    def _effect(self, rows: np.ndarray, columns: np.ndarray, change: Floats) -> Effect:
        moved = np.flatnonzero(change != 0)
        if not len(moved):
            return Effect()
        # a cell that the line crosses twice is counted once
        cells, first = np.unique(np.column_stack([rows, columns])[moved], axis=0, return_index=True)
        change = change[moved][first]
        worst = int(np.argmax(np.abs(change)))
        row, column = cells[worst]
        place = self.grid.centre(int(row), int(column))
        volume = float(change.sum() * self.grid.cell_area)
        return Effect(len(cells), volume, float(change[worst]), place)
