"""Relief shading of a terrain, and its pyramid of levels for display at any scale."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

#: Direction of the light: degrees from north, and above the horizon.
AZIMUTH, ALTITUDE = 315.0, 42.0

#: Exaggeration of slopes, because most valleys look flat.
EXAGGERATION = 1.6

#: The coarsest level of a pyramid is no larger than this.
COARSEST = 256


def hillshade(heights: np.ndarray, dx: float, dy: float) -> np.ndarray:
    """Relief shading of a terrain (rows, columns) in m, cells of ``dx`` by ``dy`` m.

    Uint8 from 1 to 255, 0 off the ground.
    """
    from tarnwater.terrain import _kernels as kernels
    from tarnwater.terrain.parallel import one_at_a_time

    light = np.empty(heights.shape, np.uint8)
    azimuth, altitude = np.radians(AZIMUTH), np.radians(ALTITUDE)
    sun = (np.sin(azimuth) * np.cos(altitude), np.cos(azimuth) * np.cos(altitude), np.sin(altitude))
    with one_at_a_time:
        kernels.shade(heights, dx / EXAGGERATION, dy / EXAGGERATION, *sun, light)
    return light


@dataclass(frozen=True, eq=False)
class Pyramid:
    """A picture (uint8, 0 is off the ground) in levels, each with half the resolution of the one before."""

    levels: tuple[np.ndarray, ...]

    @classmethod
    def of(cls, picture: np.ndarray, *, keep: Literal["mean", "most"] = "mean") -> Pyramid:
        """Build the levels of a picture, of the mean of each two by two cells, or of the greatest value in them."""
        halve = _halved if keep == "mean" else _most
        levels = [np.ascontiguousarray(picture)]
        while max(levels[-1].shape) > COARSEST:
            levels.append(halve(levels[-1]))
        return cls(tuple(levels))

    def level_for(self, cells_a_pixel: float) -> int:
        """The coarsest level with at least one cell for every pixel."""
        level = int(np.floor(np.log2(max(cells_a_pixel, 1.0))))
        return min(level, len(self.levels) - 1)


def _most(picture: np.ndarray) -> np.ndarray:
    """Greatest value of each two by two cells."""
    first, *others = _quarters(picture)
    found = first.copy()
    for quarter in others:
        np.maximum(found, quarter, out=found)
    return found


def _halved(picture: np.ndarray) -> np.ndarray:
    """Mean of each two by two cells that are on the ground."""
    first, *others = _quarters(picture)
    total, count = first.astype(np.uint16), (first > 0).astype(np.uint16)
    for quarter in others:
        total += quarter
        count += quarter > 0
    found: np.ndarray = (total // np.maximum(count, 1)).astype(np.uint8)
    return found


def _quarters(picture: np.ndarray) -> list[np.ndarray]:
    """The four cells of each two by two cells; beyond an odd edge they are 0."""
    rows, columns = picture.shape
    padded = np.pad(picture, ((0, rows % 2), (0, columns % 2)))
    return [padded[row::2, column::2] for row in (0, 1) for column in (0, 1)]
