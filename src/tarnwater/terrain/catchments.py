"""Catchments of outlets, exact to the cell, and the paths of the water between them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from tarnwater.terrain.cells import outline_of
from tarnwater.terrain.drainage import COLUMN_STEP, OUT, ROW_STEP, VOID, Drainage
from tarnwater.terrain.outlets import Snapped
from tarnwater.terrain.parallel import one_at_a_time

if TYPE_CHECKING:
    from shapely.geometry import MultiPolygon

#: Number of the first diagonal direction.
DIAGONALS = 4


@dataclass(frozen=True, eq=False)
class Catchments:
    """Local catchments of some outlets.

    Parameters
    ----------
    drainage : the terrain.
    outlets : the outlets.
    labels : (rows, columns) int32; i + 1 in the local catchment of outlet i, 0 elsewhere.
    downstream : for each outlet the index of the next one down, -1 if there is none.
    """

    drainage: Drainage
    outlets: tuple[Snapped, ...]
    labels: np.ndarray
    downstream: tuple[int, ...]
    _last_own: dict[int, tuple[tuple[slice, slice], np.ndarray]] = field(default_factory=dict, repr=False)
    _centres: dict[int, tuple[float, float]] = field(default_factory=dict, repr=False)

    @cached_property
    def _boxes(self) -> list[tuple[slice, slice] | None]:
        from scipy import ndimage

        boxes: list[tuple[slice, slice] | None] = ndimage.find_objects(self.labels, max_label=len(self.outlets))
        return boxes

    def own(self, index: int) -> tuple[tuple[slice, slice], np.ndarray]:
        """Rows and columns around a local catchment, and a mask (bool) of its cells in them.

        The last one is kept: what is asked of a catchment is asked together.
        """
        if index not in self._last_own:
            box = self._boxes[index] or (slice(0, 0), slice(0, 0))
            self._last_own.clear()
            self._last_own[index] = box, self.labels[box] == index + 1
        return self._last_own[index]

    def local_area(self, index: int) -> float:
        """Area of the local catchment, m2."""
        return float(np.count_nonzero(self.own(index)[1]) * self.drainage.grid.cell_area)

    def total_area(self, index: int) -> float:
        """Total area that drains through the outlet, m2."""
        return self.outlets[index].area_after

    def is_cut_off(self, index: int) -> bool:
        """Whether land beyond the edge of the terrain could drain to it.

        That is so where it holds a border cell at which the ground does not fall toward the edge.
        """
        box, own = self.own(index)
        return bool((own & self._gains_from_beyond[box]).any())

    @cached_property
    def _gains_from_beyond(self) -> np.ndarray:
        """Border cells that are at least as high as their neighbour on the inner side, (rows, columns) bool.

        Edges decide; a cell that touches the outside only at a corner is judged over that corner.
        """
        heights = np.pad(self.drainage.grid.heights, 1, constant_values=np.nan)
        ground = ~np.isnan(heights)
        inside = ground.copy()
        for down, across in zip(ROW_STEP.tolist(), COLUMN_STEP.tolist(), strict=True):
            inside[1:-1, 1:-1] &= ground[
                1 + down : ground.shape[0] - 1 + down, 1 + across : ground.shape[1] - 1 + across
            ]
        rows, columns = np.nonzero(ground & ~inside)
        there = rows[:, None] + ROW_STEP, columns[:, None] + COLUMN_STEP
        outside = ~ground[there]
        outside[:, DIAGONALS:] &= ~outside[:, :DIAGONALS].any(axis=1, keepdims=True)
        inner = heights[rows[:, None] - ROW_STEP, columns[:, None] - COLUMN_STEP]
        found = np.zeros_like(ground)
        # no height on the inner side: nothing shows that the ground falls outward
        found[rows, columns] = (outside & ~(heights[rows, columns][:, None] < inner)).any(axis=1)
        gains: np.ndarray = found[1:-1, 1:-1]
        return gains

    def centre(self, index: int) -> tuple[float, float]:
        """Middle of the local catchment, in the units of the CRS."""
        if index not in self._centres:
            box, own = self.own(index)
            count = np.count_nonzero(own)
            row = own.sum(axis=1) @ np.arange(own.shape[0]) / count
            column = own.sum(axis=0) @ np.arange(own.shape[1]) / count
            x, y = self.drainage.grid.centre(row + box[0].start, column + box[1].start)
            self._centres[index] = float(x), float(y)
        return self._centres[index]

    def outline(self, index: int) -> MultiPolygon:
        """Outline along the cell edges: a valid shapely MultiPolygon in the units of the CRS.

        Parts that only touch at a corner are separate parts.
        """
        box, own = self.own(index)
        return outline_of(self.drainage.grid, own, box[0].start, box[1].start)

    def _cell(self, index: int) -> int:
        return int(self.drainage.flat_index(self.outlets[index].row, self.outlets[index].column))

    def _is_twin(self, index: int) -> bool:
        """Whether another outlet on the same cell has the catchment."""
        outlet, below = self.outlets[index], self.downstream[index]
        other = self.outlets[below] if below >= 0 else None
        return other is not None and (other.row, other.column) == (outlet.row, outlet.column)

    def path_down(self, index: int) -> np.ndarray:
        """Padded indices of the cells from an outlet down to the next outlet or the end.

        An outlet on the cell of another one has only that cell; the path between them has no length.
        """
        if self._is_twin(index):
            return np.array([self._cell(index)])
        ends = {int(self.drainage.flat_index(o.row, o.column)) for o in self.outlets}
        here = self._cell(index)
        cells = [here]
        while (here := self.drainage.below(here)) >= 0:
            cells.append(here)
            if here in ends:
                break
        return np.array(cells)


def delineate(drainage: Drainage, outlets: Sequence[Snapped]) -> Catchments:
    """Give every cell to the first outlet down its path.

    Local catchments do not overlap; with all catchments upstream, each has exactly the accumulated cells of its
    outlet. Of two outlets on one cell the first has the catchment.
    """
    from tarnwater.terrain import _kernels as kernels

    directions = drainage.flat_directions
    labels = np.full(directions.size, -1, np.int32)
    labels[directions >= OUT] = 0
    indices = [int(drainage.flat_index(o.row, o.column)) for o in outlets]
    for number, index in reversed(list(enumerate(indices, start=1))):
        labels[index] = number
    with one_at_a_time:
        kernels.follow_down(directions, drainage.offsets, drainage.row_length, labels, np.zeros(1, np.uint8))
    labels[directions == VOID] = 0
    downstream = []
    for number, index in enumerate(indices, start=1):
        if labels[index] != number:
            downstream.append(int(labels[index]) - 1)
            continue
        below = drainage.below(index)
        downstream.append(int(labels[below]) - 1 if below >= 0 else -1)
    return Catchments(drainage, tuple(outlets), drainage.unpadded(labels), tuple(downstream))
