"""A small map of the shapes of a file before they are imported."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PyQt6.QtWidgets import QWidget

from tarnwater.arrays import Floats
from tarnwater.desk.benches.ground.map_view import MapView
from tarnwater.desk.theme import Theme

#: Room around what is zoomed to, as a share of it.
ROOM = 0.6


@dataclass(frozen=True, eq=False)
class Shown:
    """Lines (points, 2) of one row, closed for areas, whether it is left out, and the colour of an area."""

    lines: Sequence[Floats]
    closed: bool
    left_out: bool = False
    fill: QColor | None = None

    @property
    def bounds(self) -> tuple[float, float, float, float]:
        """West, south, east and north."""
        points = np.concatenate(self.lines)
        west, south = points.min(axis=0).tolist()
        east, north = points.max(axis=0).tolist()
        return west, south, east, north


class ShapesPreview(QWidget):
    """Shapes over the extent of the terrain; the chosen one is drawn strong and zoomed to."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.setAccessibleName("Map of the shapes")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(240, 200)
        self.shown: list[Shown] = []
        self.chosen = -1
        self.view: MapView | None = None
        self._terrain: tuple[float, float, float, float] | None = None
        self._pressed: QPointF | None = None

    def sizeHint(self) -> QSize:  # noqa: N802
        """As large as the table beside it."""
        return QSize(420, 320)

    def show_shapes(self, shown: Sequence[Shown], terrain: tuple[float, float, float, float] | None) -> None:
        """Show other shapes, all of them."""
        self.shown, self._terrain, self.chosen = list(shown), terrain, -1
        self.view = None
        self.update()

    def choose(self, index: int) -> None:
        """Draw one shape strong, and zoom to it; -1 shows all."""
        self.chosen = index
        if 0 <= index < len(self.shown):
            west, south, east, north = self.shown[index].bounds
            whole = self._bounds()
            least = 0.02 * max(whole[2] - whole[0], whole[3] - whole[1], 1e-9)
            room = ROOM * max(east - west, north - south, least)
            box = west - room, south - room, east + room, north + room
            self.view = MapView.of_whole(*box, max(self.width(), 2), max(self.height(), 2))
        else:
            self.view = None
        self.update()

    def _bounds(self) -> tuple[float, float, float, float]:
        boxes = [one.bounds for one in self.shown]
        if not boxes:
            return self._terrain or (0.0, 0.0, 1.0, 1.0)
        west, south, east, north = np.array(boxes).T
        return float(west.min()), float(south.min()), float(east.max()), float(north.max())

    def paintEvent(self, event: QPaintEvent | None) -> None:  # noqa: N802
        """Draw the terrain's extent, the shapes, and crosses where something is left out."""
        size = max(self.width(), 2), max(self.height(), 2)
        if self.view is None or (self.view.width, self.view.height) != size:
            self.view = MapView.of_whole(*self._bounds(), *size) if self.view is None else self.view.resized(*size)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(self.theme.raised))
        if self._terrain is not None:
            west, south, east, north = self._terrain
            corner, other = self.view.pixel(west, north), self.view.pixel(east, south)
            painter.fillRect(QRectF(QPointF(*corner), QPointF(*other)), QColor(self.theme.light))
        order = sorted(range(len(self.shown)), key=lambda i: i == self.chosen)
        for index in order:
            self._draw(painter, self.shown[index], chosen=index == self.chosen)
        painter.setPen(QPen(QColor(self.theme.water if self.hasFocus() else self.theme.rule), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def _draw(self, painter: QPainter, one: Shown, *, chosen: bool) -> None:
        assert self.view is not None
        colour = QColor(self.theme.limit if one.left_out else self.theme.water if chosen else self.theme.ink)
        wash = QColor(colour)
        wash.setAlpha(60 if chosen else 0)
        if one.fill is not None:
            wash = QColor(one.fill)
            colour = colour if chosen else QColor(one.fill).darker(140)
        painter.setPen(QPen(colour, 2.4 if chosen else 1.1 if one.fill is None else 0.6))
        painter.setBrush(wash if one.closed else QColor(0, 0, 0, 0))
        for line in one.lines:
            points = self.view.on_screen(line)
            if len(points) == 1 or one.left_out:
                at = QPointF(*points[0])
                painter.drawLine(at + QPointF(-5, -5), at + QPointF(5, 5))
                painter.drawLine(at + QPointF(-5, 5), at + QPointF(5, -5))
            if len(points) > 1:
                polygon = QPolygonF([QPointF(x, y) for x, y in points.tolist()])
                if one.closed:
                    painter.drawPolygon(polygon)
                else:
                    painter.drawPolyline(polygon)

    def wheelEvent(self, event: QWheelEvent | None) -> None:  # noqa: N802
        """Zoom about the pointer."""
        if event is not None and self.view is not None:
            at = event.position()
            self.view = self.view.zoomed(1.2 ** (event.angleDelta().y() / 120), at.x(), at.y())
            self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:  # noqa: N802
        """Begin to drag the map."""
        self._pressed = None if event is None else event.position()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:  # noqa: N802
        """Drag the map."""
        if event is not None and self._pressed is not None and self.view is not None:
            step = event.position() - self._pressed
            self._pressed = event.position()
            self.view = self.view.moved(step.x(), step.y())
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:  # noqa: N802
        """End the drag."""
        self._pressed = None

    def keyPressEvent(self, event: QKeyEvent | None) -> None:  # noqa: N802
        """Zoom by + and -, show everything by Home."""
        if event is None or self.view is None:
            return
        middle = self.width() / 2, self.height() / 2
        if event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.view = self.view.zoomed(1.25, *middle)
        elif event.key() == Qt.Key.Key_Minus:
            self.view = self.view.zoomed(0.8, *middle)
        elif event.key() == Qt.Key.Key_Home:
            self.view = None
        else:
            super().keyPressEvent(event)
            return
        self.update()
