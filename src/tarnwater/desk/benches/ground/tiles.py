"""Relief shading on the screen: square tiles of a pyramid, coloured from paper to ink."""

from __future__ import annotations

from collections import OrderedDict

import numpy as np
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QColor, QImage, QPainter

from tarnwater.desk.benches.ground.map_view import MapView
from tarnwater.desk.theme import Theme
from tarnwater.study.pictures.map import RAISED, Extent
from tarnwater.terrain.shade import Pyramid

SIZE = 512
MOST_KEPT = 96

#: Tiles that are made for one quick frame.
MOST_NEW = 3


def shades(theme: Theme) -> np.ndarray:
    """Colours (256,) uint32 for light values: transparent off the ground, then from shade to light."""
    ink, paper = QColor(theme.shade), QColor(theme.light)
    share = np.linspace(0, 1, 255) ** 0.8
    channels = []
    for dark, lit in ((ink.red(), paper.red()), (ink.green(), paper.green()), (ink.blue(), paper.blue())):
        channels.append((dark + share * (lit - dark)).round().astype(np.uint32))
    colours = 0xFF000000 | channels[0] << 16 | channels[1] << 8 | channels[2]
    return np.concatenate([[0], colours]).astype(np.uint32)


def changes(theme: Theme) -> np.ndarray:
    """Colours (256,) uint32 for changed ground: lowered in one colour, raised in another, deeper ones more opaque."""
    found = np.zeros(256, np.uint32)
    for first, colour in ((1, QColor(theme.observed)), (RAISED + 1, QColor(theme.loss))):
        alpha = np.linspace(0.35, 0.95, RAISED - 2)
        # premultiplied by the opacity, as the format of the tiles requires
        channels = [(alpha * c).round().astype(np.uint32) for c in (colour.red(), colour.green(), colour.blue())]
        opaque = (alpha * 255).round().astype(np.uint32) << 24
        found[first : first + RAISED - 2] = opaque | channels[0] << 16 | channels[1] << 8 | channels[2]
    return found


class Tiles:
    """Draws the visible part of a pyramid; recent tiles are cached."""

    def __init__(self, pyramid: Pyramid, extent: Extent, colours: np.ndarray) -> None:
        self._pyramid = pyramid
        self._extent = extent
        self._colours = colours
        self._kept: OrderedDict[tuple[int, int, int], QImage] = OrderedDict()
        self._new = 0

    def recolour(self, colours: np.ndarray) -> None:
        """Use other colours (256,) uint32."""
        self._colours = colours
        self._kept.clear()

    def draw(self, painter: QPainter, view: MapView, *, smooth: bool = True) -> None:
        """Draw the visible part; a quick drawing uses coarser tiles where finer ones would take too long."""
        extent, self._new = self._extent, 0
        finest = self._pyramid.level_for(1 / (view.scale * extent.width))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, smooth)
        rows, columns = self._shown(view, finest)
        for row in rows:
            for column in columns:
                if smooth or (finest, row, column) in self._kept or self._new < MOST_NEW:
                    self._draw_tile(painter, view, finest, row, column, finest, row, column)
                else:
                    self._draw_stand_in(painter, view, finest, row, column)

    def _shown(self, view: MapView, level: int) -> tuple[range, range]:
        """Rows and columns of the tiles of a level that a view meets."""
        extent = self._extent
        rows, columns = self._pyramid.levels[level].shape
        width, height = extent.width * 2**level * SIZE, extent.height * 2**level * SIZE
        west, south, east, north = view.window
        first_row, last_row = max(int((extent.north - north) / height), 0), int((extent.north - south) / height)
        first_column, last_column = max(int((west - extent.west) / width), 0), int((east - extent.west) / width)
        last_row, last_column = min(last_row, (rows - 1) // SIZE), min(last_column, (columns - 1) // SIZE)
        return range(first_row, last_row + 1), range(first_column, last_column + 1)

    def _draw_stand_in(self, painter: QPainter, view: MapView, level: int, row: int, column: int) -> None:
        """Draw the part of the nearest coarser tile that is there, or of the coarsest one, in place of a tile."""
        last = len(self._pyramid.levels) - 1
        for up in range(level + 1, last + 1):
            r, c = row >> (up - level), column >> (up - level)
            if (up, r, c) in self._kept or up == last:
                self._draw_tile(painter, view, level, row, column, up, r, c)
                return

    def _draw_tile(
        self, painter: QPainter, view: MapView, level: int, row: int, column: int, source: int, r: int, c: int
    ) -> None:
        """Draw the place of one tile from a tile of its own or of a coarser level."""
        extent, image = self._extent, self._tile(source, r, c)
        rows, columns = self._pyramid.levels[level].shape
        tall, wide = min(SIZE, rows - row * SIZE), min(SIZE, columns - column * SIZE)
        width, height = extent.width * 2**level, extent.height * 2**level
        x, y = view.pixel(extent.west + column * SIZE * width, extent.north - row * SIZE * height)
        # whole pixels, so that no seam shows between tiles
        left, top = round(x), round(y)
        right, foot = round(x + wide * width * view.scale), round(y + tall * height * view.scale)
        share = 2 ** (source - level)
        part = QRectF(
            (column * SIZE) / share - c * SIZE, (row * SIZE) / share - r * SIZE, wide / share, tall / share
        )  # fmt: skip
        painter.drawImage(QRectF(left, top, right - left, foot - top), image, part)

    def _tile(self, level: int, row: int, column: int) -> QImage:
        key = (level, row, column)
        found = self._kept.get(key)
        if found is None:
            part = self._pyramid.levels[level][row * SIZE : (row + 1) * SIZE, column * SIZE : (column + 1) * SIZE]
            pixels = np.ascontiguousarray(self._colours[part])
            rows, columns = pixels.shape
            kind = QImage.Format.Format_ARGB32_Premultiplied
            found = QImage(pixels.data, columns, rows, columns * 4, kind).copy()  # type: ignore[call-overload]
            self._kept[key] = found
            self._new += 1
            while len(self._kept) > MOST_KEPT:
                self._kept.popitem(last=False)
        else:
            self._kept.move_to_end(key)
        return found
