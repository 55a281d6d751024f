"""The ground along a line on which something is laid: a dam, a ditch."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.errors import BadInput
from tarnwater.terrain.cross_section import read_ground
from tarnwater.terrain.grid import Grid

#: Share of the smaller side of a cell at which a line is followed: no cell that it crosses is left out.
FOLLOWED = 0.25


@dataclass(frozen=True, eq=False)
class LaidLine:
    """Distances (n,) m ``along`` a line and the ``ground`` (n,) m under it, from its higher end down."""

    along: Floats
    ground: Floats

    @property
    def length(self) -> float:
        """Its length, m."""
        return float(self.along[-1])

    @property
    def fall(self) -> float:
        """Height of the ground at its upper end above that at its lower end, m."""
        return float(self.ground[0] - self.ground[-1])

    @property
    def straight(self) -> Floats:
        """Heights (n,) m of the straight between the ground at its ends."""
        found: Floats = self.ground[0] - self.fall * self.along / self.length
        return found

    @property
    def above(self) -> float:
        """By how much the ground lies above that straight at most, m: what is cut there besides."""
        return max(float((self.ground - self.straight).max()), 0.0)

    @property
    def below(self) -> float:
        """By how much the ground lies below that straight at most, m: what is filled there."""
        return max(float((self.straight - self.ground).max()), 0.0)


def laid(grid: Grid, line: Floats) -> LaidLine:
    """The raw ground along a line (points, 2) in the units of the CRS, however it was drawn: water runs down it.

    Raises `BadInput` for a line without length, or with no ground under some of it.
    """
    places, along = followed(grid, line)
    ground = read_ground(grid, places)
    if np.isnan(ground).any():
        raise BadInput("there is no ground under the whole line.", where="line", remedy="Draw it on the terrain.")
    if ground[-1] > ground[0]:
        along, ground = along[-1] - along[::-1], ground[::-1]
    return LaidLine(along, ground)


def followed(grid: Grid, line: Floats, what: str = "line") -> tuple[Floats, Floats]:
    """Places along a line (n, 2) in the units of the CRS, close enough for every cell, and their distances, m."""
    points = np.asarray(line, float)
    lengths = np.hypot(*(np.diff(points, axis=0) * grid.metres).T) if len(points) > 1 else np.zeros(0)
    whole = float(lengths.sum())
    if whole == 0:
        raise BadInput(f"the {what} has no length.", where=what, remedy="Give two places at least.")
    known = np.concatenate([[0.0], np.cumsum(lengths)])
    along = np.linspace(0.0, whole, int(np.ceil(whole / (FOLLOWED * min(grid.dx, grid.dy)))) + 1)
    return np.stack([np.interp(along, known, points[:, axis]) for axis in (0, 1)], axis=1), along
