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
    rows, columns = picture.shape
    padded = np.pad(picture, ((0, rows % 2), (0, columns % 2)))
    found: np.ndarray = padded.reshape(padded.shape[0] // 2, 2, padded.shape[1] // 2, 2).max(axis=(1, 3))
    return found


def _halved(picture: np.ndarray) -> np.ndarray:
    """Mean of each two by two cells that are on the ground."""
    rows, columns = picture.shape
    padded = np.pad(picture, ((0, rows % 2), (0, columns % 2)))
    blocks = padded.reshape(padded.shape[0] // 2, 2, padded.shape[1] // 2, 2)
    total = blocks.sum(axis=(1, 3), dtype=np.uint16)
    count = np.count_nonzero(blocks, axis=(1, 3)).astype(np.uint16)
    found: np.ndarray = (total // np.maximum(count, 1)).astype(np.uint8)
    return found
