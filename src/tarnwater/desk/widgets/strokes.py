"""Graphics items of live plots: lines, steps and dots, each thinned to the resolution of the screen."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from tarnwater.arrays import Floats

#: Radius of a dot, in pixels.
DOT = 2.5


def thinned(x: Floats, y: Floats, most: int) -> tuple[Floats, Floats]:
    """At most ``most`` points of a curve, with the highest and the lowest of each stretch.

    >>> x, y = thinned(np.arange(1000.0), np.sin(np.arange(1000.0)), 100)
    >>> len(x) <= 100, float(y.max()) > 0.9999
    (True, True)
    """
    size = -(-2 * len(x) // (most - 1)) if most > 1 else 1
    if size <= 2:
        return x, y
    lacking = -len(x) % size
    stretches = np.pad(y, (0, lacking), "edge").reshape(-1, size)
    ends = np.pad(x, (0, lacking), "edge").reshape(-1, size)[:, [0, size // 2]]
    low, high = stretches.min(axis=1), stretches.max(axis=1)
    # in the order of the curve, so that a steep flank is not jagged
    rises = stretches[:, 0] <= stretches[:, -1]
    first, second = np.where(rises, low, high), np.where(rises, high, low)
    thin_x, thin_y = ends.ravel(), np.column_stack([first, second]).ravel()
    return np.append(thin_x, x[-1]), np.append(thin_y, y[-1])


class Stroke(pg.GraphicsObject):
    """A line, filled down to zero if it has a brush; without a pen only the filling."""

    def __init__(self, pen: QPen | None, brush: QColor | None = None, *, base: float = 0.0) -> None:
        super().__init__()
        self._pen, self._brush = pen, brush
        self.base = base
        self._x = self._y = np.empty(0)
        self._rightward = True
        self._made: tuple[int, QPolygonF] | None = None

    def set_data(self, x: Floats, y: Floats) -> None:
        """Points in the units of the axes, as they are drawn (their logarithms on log axes)."""
        self._x, self._y = np.asarray(x, float), np.asarray(y, float)
        self._rightward = bool((self._x[1:] >= self._x[:-1]).all())
        self._made = None
        self.update()

    def set_steps(self, left: Floats, width: float, tops: Floats) -> None:
        """Bars side by side, as one outline."""
        ends = np.append(left, left[-1] + width) if len(left) else np.empty(0)
        self.set_data(np.repeat(ends, 2)[1:-1], np.repeat(tops, 2))

    def boundingRect(self) -> QRectF:  # noqa: N802
        """The visible area, because a moving line is painted as a whole."""
        view: QRectF = self.viewRect()
        return view

    def viewTransformChanged(self) -> None:  # noqa: N802
        """Select the visible points again after a change of range or size."""
        self.prepareGeometryChange()
        self._made = None

    def paint(self, painter: QPainter, *_: Any) -> None:
        """Fill, then draw the line."""
        if not len(self._x):
            return
        polygon = self._polygon()
        if self._brush is not None:
            area = QPolygonF(polygon)
            area.append(QPointF(polygon.last().x(), self.base))
            area.append(QPointF(polygon.first().x(), self.base))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self._brush)
            painter.drawPolygon(area)
        if self._pen is not None:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(self._pen)
            painter.drawPolyline(polygon)

    def _polygon(self) -> QPolygonF:
        box = self.getViewBox()
        most = 4 * max(int(box.width()), 50) if box is not None else len(self._x)
        if self._made is None or self._made[0] != most:
            x, y = thinned(*self._seen(), most)
            self._made = most, pg.functions.arrayToQPolygonF(x, y)
        return self._made[1]

    def _seen(self) -> tuple[Floats, Floats]:
        """The visible points, and one beyond on each side; all points if x does not increase."""
        box = self.getViewBox()
        if box is None or not self._rightward:
            return self._x, self._y
        low, high = box.viewRange()[0]
        first = max(int(np.searchsorted(self._x, low)) - 1, 0)
        last = int(np.searchsorted(self._x, high, side="right")) + 1
        return self._x[first:last], self._y[first:last]


class Dots(pg.GraphicsObject):
    """Points as round dots of one size on the screen."""

    def __init__(self, rim: QColor, inside: QColor, radius: float = DOT) -> None:
        super().__init__()
        self._rim, self._inside, self._radius = rim, inside, radius
        self._places: list[QPointF] = []

    def set_data(self, x: Floats, y: Floats) -> None:
        """Points in the units of the axes, as they are drawn."""
        self._places = [QPointF(*place) for place in zip(np.asarray(x, float), np.asarray(y, float), strict=True)]
        self.update()

    def boundingRect(self) -> QRectF:  # noqa: N802
        """All that is seen."""
        view: QRectF = self.viewRect()
        return view

    def viewTransformChanged(self) -> None:  # noqa: N802
        """Another range."""
        self.prepareGeometryChange()

    def paint(self, painter: QPainter, *_: Any) -> None:
        """Draw each dot, whatever the scale."""
        to_screen = painter.transform()
        painter.resetTransform()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self._rim, 1))
        painter.setBrush(self._inside)
        for place in self._places:
            painter.drawEllipse(to_screen.map(place), self._radius, self._radius)
