"""Outlets that divide land into catchments of about one size."""

from __future__ import annotations

import numpy as np

from tarnwater import units
from tarnwater.errors import OutOfRange
from tarnwater.progress import Progress
from tarnwater.terrain.catchments import Catchments

#: Cells that a part must have, and the most outlets that are proposed.
FEWEST_CELLS, MOST_OUTLETS = 50, 2000

#: Share of the size that is enough for a part that ends above a confluence.
ENOUGH = 0.5


def subdivide(
    catchments: Catchments, size: float, indices: tuple[int, ...], progress: Progress | None = None
) -> list[tuple[int, int]]:
    """Find outlets that divide the local catchments of some outlets into parts of about a size, m2.

    Returns rows and columns of cells, from the top down. Going down the streams, the land that has no outlet yet is
    added up. Where it reaches the size there is an outlet; at a confluence it is put above it, on the largest of the
    branches that have at least half the size each. So a part that is proposed has at least half the size, and seldom
    more than one and a half times; what is left above the outlets that are there already may be smaller. Raises
    `OutOfRange` for a size of less than 50 cells, and for one that would give more than 2000 outlets.
    """
    drainage, progress = catchments.drainage, progress or Progress()
    wanted = size / drainage.grid.cell_area
    if not wanted >= FEWEST_CELLS:
        least = units.show(FEWEST_CELLS * drainage.grid.cell_area, "area")
        raise OutOfRange(
            f"parts of {units.show(size, 'area')} have less than {FEWEST_CELLS} cells.",
            remedy=f"Give at least {least}.",
        )
    land = sum(catchments.local_area(index) for index in indices)
    if land / size > MOST_OUTLETS:
        raise OutOfRange(
            f"{units.show(land, 'area')} in parts of {units.show(size, 'area')} are more than {MOST_OUTLETS} parts.",
            remedy="Give a larger size.",
        )
    found = _Division(catchments, wanted).along(_down_the_streams(catchments, indices, wanted), progress)
    rows, columns = drainage.cell_of(np.array(found, np.int64))
    return list(zip(rows.tolist(), columns.tolist(), strict=True))


def _down_the_streams(catchments: Catchments, indices: tuple[int, ...], wanted: float) -> list[int]:
    """Padded indices of the cells in some catchments at which a part may end, each after those above it."""
    drainage = catchments.drainage
    # below an outlet that is there, the land above it must be known even where it is small
    least = min([ENOUGH * wanted, *(drainage.upstream[o.row, o.column] for o in catchments.outlets)])
    shown = np.isin(catchments.labels, np.array(indices) + 1) & (drainage.upstream >= least)
    cells = drainage.flat_index(*np.nonzero(shown))
    # every cell has more land above it than those that drain to it
    found: list[int] = cells[np.argsort(drainage.flat_upstream[cells], kind="stable")].tolist()
    return found


class _Division:
    """Land that has no outlet yet, in cells, while the streams are followed down."""

    def __init__(self, catchments: Catchments, wanted: float) -> None:
        drainage = catchments.drainage
        self._drainage, self._wanted = drainage, wanted
        self._ends = {int(drainage.flat_index(o.row, o.column)) for o in catchments.outlets}
        self._taken: dict[int, int] = {}
        self._branches: dict[int, list[int]] = {}
        for end in self._ends:
            self._take_away(end)

    def _area(self, cell: int) -> int:
        return int(self._drainage.flat_upstream[cell])

    def _left(self, cell: int) -> int:
        """Land above a cell that has no outlet yet."""
        return self._area(cell) - self._taken.get(cell, 0)

    def _take_away(self, cell: int) -> None:
        """The land above an outlet counts no more below it."""
        below = self._drainage.below(cell)
        if below >= 0:
            self._taken[below] = self._taken.get(below, 0) + self._area(cell)

    def along(self, cells: list[int], progress: Progress) -> list[int]:
        """Cells of the outlets."""
        found: list[int] = []
        for number, cell in enumerate(cells):
            if number % 10_000 == 0:
                progress.tell("dividing the land", number / len(cells))
            if cell in self._ends:
                continue
            found += self._ended_above(cell)
            if self._left(cell) >= self._wanted:
                found.append(cell)
                self._take_away(cell)
            else:
                self._pass_on(cell)
        return found

    def _ended_above(self, cell: int) -> list[int]:
        """Branches of a confluence that end above it, the largest first."""
        found: list[int] = []
        while self._left(cell) >= self._wanted:
            branches = [b for b in self._branches.get(cell, []) if self._left(b) >= ENOUGH * self._wanted]
            if len(branches) < 2 and not found:
                break
            if not branches:
                break
            largest = max(branches, key=self._left)
            self._taken[cell] = self._taken.get(cell, 0) + self._left(largest)
            self._branches[cell].remove(largest)
            found.append(largest)
        return found

    def _pass_on(self, cell: int) -> None:
        below = self._drainage.below(cell)
        if below >= 0 and below not in self._ends:
            self._taken[below] = self._taken.get(below, 0) + self._taken.get(cell, 0)
            self._branches.setdefault(below, []).append(cell)
