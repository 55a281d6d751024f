"""A small map of where the rain of catchments comes from: gauges with their polygons, or the cells of a grid."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from tarnwater.arrays import Floats
from tarnwater.desk.theme import Theme, desk_font

#: Room about the map, in pixels.
ROOM = 14.0

#: Depth that is drawn in the strongest colour, as a share of the greatest of all frames.
FULL = 1.0


class RainMap(QWidget):
    """Outlines of catchments over gauges and their polygons, or over the cells of one frame."""

    def __init__(self, name: str, theme: Theme) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(160, 120)
        self.theme = theme
        self._land: Mapping[str, Any] = {}
        self._selected = ""
        self._gauges: Mapping[str, tuple[float, float]] = {}
        self._polygons: Iterable[Any] = ()
        self._cells: tuple[Floats, Floats] | None = None
        self._values: Floats | None = None
        self._greatest = 1.0

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self.theme = theme
        self.update()

    def show_land(self, outlines: Mapping[str, Any], selected: str) -> None:
        """Outlines of catchments by name; the selected one is drawn heavier."""
        self._land, self._selected = outlines, selected
        self.update()

    def show_gauges(self, places: Mapping[str, tuple[float, float]], polygons: Iterable[Any]) -> None:
        """Gauges by name, and the polygon of each."""
        self._gauges, self._polygons = places, list(polygons)
        self._cells = self._values = None
        self.update()

    def show_frame(self, corners: tuple[Floats, Floats], values: Floats, greatest: float) -> None:
        """Cells of a grid by their corners, and their depths; ``greatest`` is that of all frames."""
        self._cells, self._values, self._greatest = corners, values, max(greatest, 1e-9)
        self._polygons = ()
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:  # noqa: N802
        """Draw everything."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        bounds = self._bounds()
        if bounds is None:
            return
        west, south, east, north = bounds
        scale = min(
            (self.width() - 2 * ROOM) / max(east - west, 1e-9), (self.height() - 2 * ROOM) / max(north - south, 1e-9)
        )

        def at(x: float, y: float) -> QPointF:
            left = (self.width() - scale * (east - west)) / 2
            top = (self.height() - scale * (north - south)) / 2
            return QPointF(left + scale * (x - west), top + scale * (north - y))

        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._draw_cells(painter, at)
        for polygon in self._polygons:
            painter.setPen(QPen(QColor(self.theme.quiet), 1.0, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(_path(polygon, at))
        for name, outline in self._land.items():
            chosen = name == self._selected
            painter.setPen(QPen(QColor(self.theme.water if chosen else self.theme.ink), 2.0 if chosen else 1.0))
            painter.drawPath(_path(outline, at))
        self._draw_names(painter, at)
        self._draw_gauges(painter, at)

    def _draw_cells(self, painter: QPainter, at: Any) -> None:
        if self._cells is None or self._values is None:
            return
        x, y = self._cells
        painter.setPen(Qt.PenStyle.NoPen)
        colour = QColor(self.theme.water)
        for row, column in np.argwhere(~(self._values == 0)):
            value = self._values[row, column]
            if np.isnan(value):
                painter.setBrush(QColor(self.theme.rule))
            else:
                colour.setAlpha(int(20 + 220 * min(value / self._greatest, FULL)))
                painter.setBrush(colour)
            ring = ((row, column), (row, column + 1), (row + 1, column + 1), (row + 1, column))
            painter.drawPolygon(QPolygonF([at(float(x[r, c]), float(y[r, c])) for r, c in ring]))

    def _draw_names(self, painter: QPainter, at: Any) -> None:
        """Names of catchments about a point inside them, where they do not meet one that is drawn already."""
        painter.setFont(desk_font(8))
        painter.setPen(QColor(self.theme.quiet))
        taken = [QRectF(at(*place).x() - 6, at(*place).y() - 9, 110, 18) for place in self._gauges.values()]
        for name, outline in sorted(self._land.items(), key=lambda pair: -pair[1].area):
            point = outline.representative_point()
            spot = at(point.x, point.y)
            width = painter.fontMetrics().horizontalAdvance(name)
            room = QRectF(spot.x() - width / 2, spot.y() - 8, width, 16)
            if not any(room.intersects(other) for other in taken):
                painter.drawText(room.adjusted(-2, 0, 2, 0), Qt.AlignmentFlag.AlignCenter, name)
                taken.append(room)

    def _draw_gauges(self, painter: QPainter, at: Any) -> None:
        painter.setFont(desk_font(8))
        for name, place in self._gauges.items():
            spot = at(*place)
            painter.setPen(QPen(QColor(self.theme.paper), 1.5))
            painter.setBrush(QColor(self.theme.observed))
            painter.drawEllipse(spot, 4.5, 4.5)
            painter.setPen(QColor(self.theme.ink))
            painter.drawText(QRectF(spot.x() + 7, spot.y() - 8, 160, 16), Qt.AlignmentFlag.AlignVCenter, name)

    def _bounds(self) -> tuple[float, float, float, float] | None:
        import shapely

        shapes = list(self._land.values())
        parts = [shapely.total_bounds(np.array(shapes, object))] if shapes else []
        parts += [np.array([x, y, x, y]) for x, y in self._gauges.values()]
        if not parts:
            return None
        whole = np.array(parts)
        west, south = whole[:, :2].min(axis=0)
        east, north = whole[:, 2:].max(axis=0)
        room = 0.04 * max(east - west, north - south, 1.0)
        return west - room, south - room, east + room, north + room


def _path(shape: Any, at: Any) -> QPainterPath:
    """The rings of a polygon, or of several."""
    path = QPainterPath()
    for part in getattr(shape, "geoms", [shape]):
        if part.geom_type != "Polygon":
            continue
        for ring in (part.exterior, *part.interiors):
            path.addPolygon(QPolygonF([at(x, y) for x, y in ring.coords]))
    return path
