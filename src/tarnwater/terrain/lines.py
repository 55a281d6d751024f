"""Many lines in one array, thinned for a scale."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property

import numpy as np


@dataclass(frozen=True, eq=False)
class Lines:
    """Lines on a map.

    Parameters
    ----------
    points : (points, 2) places in the units of the CRS, line after line.
    first : (lines + 1,) start of each line, and end of the last one.
    weight : (lines,) weight of each line: the Strahler order of a stream, 1 for an outline.
    """

    points: np.ndarray
    first: np.ndarray
    weight: np.ndarray

    @classmethod
    def of(cls, lines: Iterable[np.ndarray], weight: Iterable[float] | None = None) -> Lines:
        """Join lines (points, 2), each with weight 1 by default."""
        lines = [np.asarray(line, float).reshape(-1, 2) for line in lines]
        first = np.cumsum([0, *(len(line) for line in lines)])
        points = np.concatenate(lines) if lines else np.empty((0, 2))
        return cls(points, first, np.ones(len(lines)) if weight is None else np.array(list(weight), float))

    def __len__(self) -> int:
        return len(self.first) - 1

    def parts(self) -> list[np.ndarray]:
        """Each line by itself, (points, 2)."""
        return np.split(self.points, self.first[1:-1]) if len(self) else []

    @cached_property
    def line_of_point(self) -> np.ndarray:
        """Number of the line of each point, (points,)."""
        return np.repeat(np.arange(len(self)), np.diff(self.first))

    @cached_property
    def _bounds(self) -> tuple[np.ndarray, np.ndarray]:
        starts = self.first[:-1]
        if not len(self):
            return np.empty((0, 2)), np.empty((0, 2))
        return np.minimum.reduceat(self.points, starts), np.maximum.reduceat(self.points, starts)

    def within(self, west: float, south: float, east: float, north: float) -> Lines:
        """The lines whose bounds meet a window."""
        low, high = self._bounds
        meets = (low[:, 0] <= east) & (high[:, 0] >= west) & (low[:, 1] <= north) & (high[:, 1] >= south)
        return self if meets.all() else self._taking(meets, np.repeat(meets, np.diff(self.first)))

    def clipped(self, west: float, south: float, east: float, north: float) -> Lines:
        """The pieces of the lines whose points lie in a window, each with the point before and after it."""
        x, y = self.points.T
        inside = (x >= west) & (x <= east) & (y >= south) & (y <= north)
        along = self.line_of_point[1:] == self.line_of_point[:-1]
        keep = inside.copy()
        keep[1:] |= inside[:-1] & along
        keep[:-1] |= inside[1:] & along
        if not keep.any():
            return Lines.of([])
        begins = keep.copy()
        begins[1:] &= ~(keep[:-1] & along)
        first = np.append(np.cumsum(keep)[begins] - 1, np.count_nonzero(keep))
        return Lines(self.points[keep], first, self.weight[self.line_of_point[begins]])

    def thinned(self, size: float) -> Lines:
        """Lines with one point for each square of ``size`` that they cross; ends are kept."""
        if not len(self):
            return self
        square = np.floor(self.points / size)
        keep = np.ones(len(self.points), bool)
        keep[1:] = (square[1:] != square[:-1]).any(axis=1)
        keep[self.first[:-1]] = True
        keep[self.first[1:] - 1] = True
        return self._taking(np.ones(len(self), bool), keep)

    def _taking(self, lines: np.ndarray, points: np.ndarray) -> Lines:
        counts = np.add.reduceat(points, self.first[:-1]) if len(self) else np.empty(0, int)
        first = np.concatenate([[0], np.cumsum(counts[lines])]).astype(np.int64)
        return Lines(self.points[points], first, self.weight[lines])
