"""Rain of grids on catchments: frames in time, weighted by the exact areas of their cells."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np

from tarnwater.arrays import Floats, Integers
from tarnwater.errors import BadInput
from tarnwater.progress import Progress

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

#: Share of a catchment's area that may lie outside of the grid before its rain is missing.
OUTSIDE = 1e-6

#: Frames that are weighted between two tellings of progress.
TOGETHER = 64


@dataclass(frozen=True, eq=False)
class Frames:
    """Rain (frame, row, column) in mm of intervals that end at ``ends`` (frame,) and last ``spans`` (frame,), s.

    Corners (row + 1, column + 1) of the cells are in the coordinates ``crs``. A missing cell is NaN. Moments are
    seconds since 1970 in universal time, shown in a zone of the ``offset``, s.
    """

    ends: Integers
    spans: Integers
    values: Floats
    corners_x: Floats
    corners_y: Floats
    crs: str = ""
    offset: int = 0

    def __post_init__(self) -> None:
        frames, rows, columns = self.values.shape
        if self.ends.shape != (frames,) or self.spans.shape != (frames,):
            raise BadInput("frames need as many ends and lengths of intervals.")
        if self.corners_x.shape != (rows + 1, columns + 1) or self.corners_y.shape != (rows + 1, columns + 1):
            raise BadInput("a grid has one more row and column of corners than of cells.")
        if frames > 1 and (self.ends[1:] - self.spans[1:] < self.ends[:-1]).any():
            raise BadInput("the frames overlap, or are not in order of time.", remedy="Check their times.")

    @property
    def step(self) -> int:
        """The commonest length of a frame, s."""
        lengths, counts = np.unique(self.spans, return_counts=True)
        return int(lengths[np.argmax(counts)])

    @cached_property
    def missing(self) -> list[tuple[int, int, int]]:
        """Stretches without a frame: begin, end (s since 1970), and how many frames are missing."""
        begins = (self.ends - self.spans)[1:]
        at = np.flatnonzero(begins > self.ends[:-1])
        return [
            (int(self.ends[i]), int(begins[i]), max(1, round((int(begins[i]) - int(self.ends[i])) / self.step)))
            for i in at
        ]

    @cached_property
    def cells(self) -> np.ndarray:
        """Polygons of the cells, (row * column,)."""
        import shapely

        x, y = self.corners_x, self.corners_y
        ring = [(part[:-1, :-1], part[:-1, 1:], part[1:, 1:], part[1:, :-1]) for part in (x, y)]
        corners = np.stack([np.stack(part, axis=-1) for part in ring], axis=-1)
        return np.asarray(shapely.polygons(corners.reshape(-1, 4, 2)))


@dataclass(frozen=True, eq=False)
class CellShares:
    """Shares (catchment, cell) of cells in the areas of catchments, sparse, and the share of each that is covered."""

    shares: Any
    covered: Floats

    def of(self, catchment: int) -> list[tuple[int, float]]:
        """Cells with their shares in one catchment."""
        row = self.shares[[catchment]].tocoo()
        return list(zip(row.col.tolist(), row.data.tolist(), strict=True))


def cell_shares(cells: np.ndarray, catchments: Sequence[BaseGeometry]) -> CellShares:
    """Shares of cells (polygons) in catchments (polygons), by the exact areas in which they meet.

    The shares of a catchment add up to one over the part of it that the cells cover.
    """
    import shapely
    from scipy.sparse import csr_array

    land = np.array(catchments, object)
    shapely.prepare(land)
    which, cell = shapely.STRtree(cells).query(land, predicate="intersects")
    areas = shapely.area(cells[cell])
    cut = ~shapely.contains_properly(land[which], cells[cell])
    areas[cut] = shapely.area(shapely.intersection(land[which[cut]], cells[cell[cut]]))
    meets = areas > 0
    which, cell, areas = which[meets], cell[meets], areas[meets]
    sums = np.bincount(which, areas, minlength=len(land))
    shares = csr_array((areas / sums[which], (which, cell)), shape=(len(land), len(cells)))
    shares.sort_indices()
    return CellShares(shares, sums / shapely.area(land))


def rain_of_frames(
    shares: CellShares, values: Floats, *, factor: float = 1.0, progress: Progress | None = None
) -> Floats:
    """Rain (catchment, frame) in mm of frames (frame, row, column) by shares of their cells, times a bias factor.

    It is missing (NaN) where a cell with a share is missing, and on a catchment that the grid does not cover.
    """
    from tarnwater.rain.areas import _kernels

    flat = np.ascontiguousarray(values.reshape(len(values), -1), np.float64)
    matrix = shares.shares
    by_frame = np.empty((len(flat), matrix.shape[0]))

    def weigh(begin: int) -> None:
        part = slice(begin, begin + TOGETHER)
        _kernels.weighted_sums(matrix.indptr, matrix.indices, matrix.data, flat[part], by_frame[part])

    begins = range(0, len(flat), TOGETHER)
    with ThreadPoolExecutor(2) as pool:
        for done, _ in enumerate(pool.map(weigh, begins), start=1):
            if progress is not None:
                progress.tell("rain of frames", done / len(begins))
    found = np.ascontiguousarray(by_frame.T)
    found[shares.covered < 1 - OUTSIDE] = np.nan
    return found * factor if factor != 1 else found


def bias_factor(gauge: Floats, cell: Floats) -> float:
    """Rain of a gauge over that of the cell it stands in, (frame,), over the frames that both have; NaN without any."""
    both = ~np.isnan(gauge) & ~np.isnan(cell)
    total = float(cell[both].sum())
    return float(gauge[both].sum()) / total if total > 0 else float("nan")
