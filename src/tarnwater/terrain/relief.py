"""Mean slope and pits of a grid, to say what resampling does to them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

#: Rows that are worked on at a time, so that large grids need little memory.
STRIP = 512


@dataclass(frozen=True)
class Relief:
    """Mean slope (m/m), and the number of pits: cells that are lower than all eight neighbours."""

    mean_slope: float
    pits: int


def relief_of(heights: np.ndarray, dx: float, dy: float) -> Relief:
    """Relief of heights (rows, columns) in m, cells of ``dx`` by ``dy`` m; cells beside no-data do not count.

    The slope is that of central differences, |grad z|.
    """
    total, cells, pits = 0.0, 0, 0
    for top in range(1, len(heights) - 1, STRIP):
        block = heights[top - 1 : min(top + STRIP, len(heights) - 1) + 1].astype(np.float64)
        middle = block[1:-1, 1:-1]
        across = (block[1:-1, 2:] - block[1:-1, :-2]) / (2 * dx)
        down = (block[2:, 1:-1] - block[:-2, 1:-1]) / (2 * dy)
        slope = np.hypot(across, down)
        known = np.isfinite(slope)
        total += float(slope[known].sum())
        cells += int(known.sum())
        low = np.ones(middle.shape, bool)
        for row in range(3):
            for column in range(3):
                if (row, column) != (1, 1):
                    high, wide = middle.shape
                    low &= middle < block[row : row + high, column : column + wide]
        pits += int(low.sum())
    return Relief(total / cells if cells else 0.0, pits)
