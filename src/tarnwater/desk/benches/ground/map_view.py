"""From places on the map to places on the screen and back."""

from __future__ import annotations

from dataclasses import dataclass, replace

from PyQt6.QtGui import QTransform

from tarnwater.arrays import Floats
from tarnwater.study.pictures.map import Extent

#: Limits of the zoom: pixels for a cell, and share of the whole.
FINEST = 40.0
COARSEST_SHARE = 0.2


@dataclass(frozen=True)
class MapView:
    """The visible part of the map: ``scale`` pixels a unit, the place in the middle, the size of the screen."""

    scale: float
    x: float
    y: float
    width: int
    height: int

    @classmethod
    def of_whole(cls, west: float, south: float, east: float, north: float, width: int, height: int) -> MapView:
        """A view of a whole extent with a margin."""
        across, up = max(east - west, 1e-9), max(north - south, 1e-9)
        scale = 0.94 * min(width / across, height / up)
        return cls(max(scale, 1e-9), (west + east) / 2, (south + north) / 2, width, height)

    def on_screen(self, points: Floats) -> Floats:
        """Pixels (points, 2) of places (points, 2)."""
        return (points - (self.x, self.y)) * (self.scale, -self.scale) + (self.width / 2, self.height / 2)

    def pixel(self, x: float, y: float) -> tuple[float, float]:
        """Pixel of one place."""
        return (x - self.x) * self.scale + self.width / 2, (self.y - y) * self.scale + self.height / 2

    def place(self, px: float, py: float) -> tuple[float, float]:
        """Place of one pixel."""
        return self.x + (px - self.width / 2) / self.scale, self.y - (py - self.height / 2) / self.scale

    @property
    def transform(self) -> QTransform:
        """Transform from places to pixels."""
        s = self.scale
        return QTransform(s, 0, 0, -s, self.width / 2 - self.x * s, self.height / 2 + self.y * s)

    @property
    def window(self) -> tuple[float, float, float, float]:
        """West, south, east and north of what is shown."""
        half_x, half_y = self.width / 2 / self.scale, self.height / 2 / self.scale
        return self.x - half_x, self.y - half_y, self.x + half_x, self.y + half_y

    def moved(self, dx: float, dy: float) -> MapView:
        """The view after a move by some pixels."""
        return replace(self, x=self.x - dx / self.scale, y=self.y + dy / self.scale)

    def zoomed(self, factor: float, px: float, py: float, whole: Extent | None = None) -> MapView:
        """The view zoomed by a factor about a pixel."""
        scale = self.scale * factor
        if whole is not None:
            least = COARSEST_SHARE * min(
                self.width / (whole.east - whole.west), self.height / (whole.north - whole.south)
            )
            scale = min(max(scale, least), FINEST / whole.width)
        x, y = self.place(px, py)
        return replace(self, scale=scale, x=x - (px - self.width / 2) / scale, y=y + (py - self.height / 2) / scale)

    def resized(self, width: int, height: int) -> MapView:
        """The view with the same middle and scale for another size of screen."""
        return replace(self, width=width, height=height)
