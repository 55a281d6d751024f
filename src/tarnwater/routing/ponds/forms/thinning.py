"""Long tables thinned: fewer rows between which straight lines stay near those left out."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tarnwater.arrays import Floats


@dataclass(frozen=True, eq=False)
class Thinned:
    """Positions of the rows that are kept, and the greatest error of the others, in the unit of the values."""

    kept: tuple[int, ...]
    error: float


def thinned(at: Floats, values: Floats, error: float) -> Thinned:
    """Rows (row,) such that straight lines between those kept err by no more than ``error`` at the others.

    First and last row are kept. The row that is farthest off the line between two kept ones is kept too, until none is
    too far off.
    """
    kept, waiting, worst = {0, len(at) - 1}, [(0, len(at) - 1)], 0.0
    while waiting:
        first, last = waiting.pop()
        if last - first < 2:
            continue
        inner = np.arange(first + 1, last)
        off = np.abs(np.interp(at[inner], at[[first, last]], values[[first, last]]) - values[inner])
        most = int(np.argmax(off))
        if off[most] > error:
            kept.add(int(inner[most]))
            waiting += [(first, int(inner[most])), (int(inner[most]), last)]
        else:
            worst = max(worst, float(off[most]))
    return Thinned(tuple(sorted(kept)), worst)
