"""Light and shade on the screen: square tiles of a pyramid, coloured from paper to ink."""

from __future__ import annotations

from collections import OrderedDict

import numpy as np
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QColor, QImage, QPainter

from tarnwater.desk.benches.ground.map_view import MapView
from tarnwater.desk.theme import Theme
from tarnwater.study.ground import Extent
from tarnwater.terrain.shade import Pyramid

SIZE = 512
MOST_KEPT = 96


def shades(theme: Theme) -> np.ndarray:
    """Colours (256,) uint32 of the light: none off the ground, then from shade to light."""
    ink, paper = QColor(theme.shade), QColor(theme.light)
    share = np.linspace(0, 1, 255) ** 0.8
    channels = []
    for dark, lit in ((ink.red(), paper.red()), (ink.green(), paper.green()), (ink.blue(), paper.blue())):
        channels.append((dark + share * (lit - dark)).round().astype(np.uint32))
    colours = 0xFF000000 | channels[0] << 16 | channels[1] << 8 | channels[2]
    return np.concatenate([[0], colours]).astype(np.uint32)


class Tiles:
    """Draws the part of a pyramid that a view shows; tiles that were drawn lately are kept."""

    def __init__(self, pyramid: Pyramid, extent: Extent, theme: Theme) -> None:
        self._pyramid = pyramid
        self._extent = extent
        self._colours = shades(theme)
        self._kept: OrderedDict[tuple[int, int, int], QImage] = OrderedDict()

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._colours = shades(theme)
        self._kept.clear()

    def draw(self, painter: QPainter, view: MapView, *, smooth: bool = True) -> None:
        """Draw what the view shows."""
        extent = self._extent
        level = self._pyramid.level_for(1 / (view.scale * extent.width))
        picture = self._pyramid.levels[level]
        rows, columns = picture.shape
        width, height = extent.width * 2**level, extent.height * 2**level
        west, south, east, north = view.window
        first_column = max(int((west - extent.west) / width) // SIZE, 0)
        last_column = min(int((east - extent.west) / width) // SIZE, (columns - 1) // SIZE)
        first_row = max(int((extent.north - north) / height) // SIZE, 0)
        last_row = min(int((extent.north - south) / height) // SIZE, (rows - 1) // SIZE)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, smooth)
        for row in range(first_row, last_row + 1):
            for column in range(first_column, last_column + 1):
                image = self._tile(level, row, column)
                x, y = view.pixel(extent.west + column * SIZE * width, extent.north - row * SIZE * height)
                # whole pixels, so that no seam shows between tiles
                x2, y2 = x + image.width() * width * view.scale, y + image.height() * height * view.scale
                left, top = round(x), round(y)
                target = QRectF(left, top, round(x2) - left, round(y2) - top)
                painter.drawImage(target, image, QRectF(0, 0, image.width(), image.height()))

    def _tile(self, level: int, row: int, column: int) -> QImage:
        key = (level, row, column)
        found = self._kept.get(key)
        if found is None:
            part = self._pyramid.levels[level][row * SIZE : (row + 1) * SIZE, column * SIZE : (column + 1) * SIZE]
            pixels = np.ascontiguousarray(self._colours[part])
            rows, columns = pixels.shape
            image = QImage(pixels.data, columns, rows, columns * 4, QImage.Format.Format_ARGB32)  # type: ignore[call-overload]
            found = image.convertToFormat(QImage.Format.Format_ARGB32_Premultiplied)
            self._kept[key] = found
            while len(self._kept) > MOST_KEPT:
                self._kept.popitem(last=False)
        else:
            self._kept.move_to_end(key)
        return found
