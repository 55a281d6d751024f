"""Zones of equal travel time, drawn over the map."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QColor, QImage, QPainter

from tarnwater.desk.benches.ground.map_view import MapView
from tarnwater.desk.theme import Theme
from tarnwater.study.pictures.travel import TravelPicture

#: Bands of travel time that are told apart by their shade, and the opacity of these and of the chosen zone, 0 to 255.
BANDS, OPACITY, CHOSEN = 10, 215, 255


class ZonesOnMap:
    """The zones of one catchment; the darker, the later their water arrives. A chosen one stands out."""

    def __init__(self, picture: TravelPicture) -> None:
        self.picture = picture
        self._zone: int | None = None
        self._image: tuple[tuple[str, int | None], QImage] | None = None

    @property
    def zone(self) -> int | None:
        """The zone that stands out; None for none."""
        return self._zone

    def choose(self, zone: int | None) -> bool:
        """Let a zone stand out; returns whether that changes the picture."""
        changed = zone != self._zone
        self._zone = zone
        return changed

    def draw(self, painter: QPainter, view: MapView, theme: Theme) -> None:
        """Draw the zones in place."""
        west, south, east, north = self.picture.box
        left, top = view.pixel(west, north)
        room = QRectF(left, top, (east - west) * view.scale, (north - south) * view.scale)
        painter.drawImage(room, self._coloured(theme))

    def _coloured(self, theme: Theme) -> QImage:
        wanted = theme.name, self._zone
        if self._image is None or self._image[0] != wanted:
            self._image = wanted, self._make(theme)
        return self._image[1]

    def _make(self, theme: Theme) -> QImage:
        times = self.picture.times
        inside = np.isfinite(times)
        known = np.where(inside, times, 0.0)
        longest = max(float(known.max(initial=0.0)), 1e-9)
        band = np.minimum((BANDS * known / longest).astype(int), BANDS - 1)
        table = np.zeros(BANDS + 2, np.uint32)
        near, far = QColor(theme.paper), QColor(theme.water)
        for number in range(BANDS):
            share = number / (BANDS - 1)
            parts = ((near.red(), far.red()), (near.green(), far.green()), (near.blue(), far.blue()))
            red, green, blue = (round(a + share * (b - a)) for a, b in parts)
            table[number] = QColor(red, green, blue, OPACITY).rgba()
        chosen = QColor(theme.limit)
        chosen.setAlpha(CHOSEN)
        table[BANDS] = chosen.rgba()
        if self._zone is not None:
            band = np.where((known // self.picture.width).astype(int) == self._zone, BANDS, band)
        pixels = np.ascontiguousarray(table[np.where(inside, band, BANDS + 1)])
        rows, columns = pixels.shape
        # the bytes belong to Python: the copy does not
        return QImage(pixels.tobytes(), columns, rows, 4 * columns, QImage.Format.Format_ARGB32).copy()
