"""Symbols and labels of the map."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPen, QPixmap, QPolygonF

from tarnwater.arrays import Flags
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.desk.widgets.signs import valley
from tarnwater.network.elements import Element

#: Pixels of a square of what labels take, and of a stamp of a symbol.
SQUARE, STAMP = 2.0, 32


def draw_element(painter: QPainter, theme: Theme, element: Element, at: QPointF, *, chosen: bool) -> None:
    """Draw the symbol of an element that has no shape of its own on the map."""
    painter.setPen(QPen(QColor(theme.water if chosen else theme.ink), 2.0 if chosen else 1.3))
    painter.setBrush(QColor(theme.chosen if chosen else theme.paper))
    match element.shape:
        case "valley":
            painter.drawPolygon(valley(at))
        case "end":
            painter.drawEllipse(at, 3.0, 3.0)
            for down in (6, 11):
                painter.drawLine(at + QPointF(-11, down), at + QPointF(11, down))
        case "arrow":
            painter.drawPolygon(QPolygonF([at + QPointF(x, y) for x, y in ((-6, -7), (6, -7), (0, 5))]))
        case "bar":
            painter.drawRoundedRect(QRectF(at.x() - 9, at.y() - 3, 18, 6), 3, 3)
        case "pool":
            painter.drawPolygon(QPolygonF([at + QPointF(x, y) for x, y in ((-9, -5), (9, -5), (5, 5), (-5, 5))]))
            painter.drawLine(at + QPointF(-6, -1), at + QPointF(6, -1))
        case "fork":
            painter.drawPolyline(QPolygonF([at + QPointF(x, y) for x, y in ((-7, 7), (0, -1), (7, 7))]))
            painter.drawLine(at + QPointF(0, -8), at + QPointF(0, -1))
        case "dot":
            painter.drawEllipse(at, 4.5, 4.5)


@lru_cache(maxsize=8192)
def _size_of(text: str, bold: bool) -> tuple[float, float]:
    """Width and height of a label with its margin."""
    metrics = QFontMetricsF(desk_font(8.5, bold=bold))
    lines = text.split("\n")
    return max(metrics.horizontalAdvance(line) for line in lines) + 8, metrics.height() * len(lines) + 4


def draw_links(painter: QPainter, theme: Theme, ways: list[tuple[QPointF, QPointF]]) -> None:
    """Draw links with a small chevron in the middle."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for up, down in ways:
        painter.setPen(QPen(QColor(theme.quiet), 1.2, Qt.PenStyle.DotLine))
        painter.drawLine(up, down)
        along = down - up
        length = max((along.x() ** 2 + along.y() ** 2) ** 0.5, 1e-9)
        ahead, aside = along / length, QPointF(-along.y(), along.x()) / length
        middle = (up + down) / 2
        painter.setPen(QPen(QColor(theme.quiet), 1.4))
        painter.drawPolyline(
            QPolygonF([middle - ahead * 4 + aside * 4, middle + ahead * 2, middle - ahead * 4 - aside * 4])
        )


class Stamps:
    """Symbols of elements drawn once each, for a map with so many that drawing every one anew takes too long."""

    def __init__(self) -> None:
        self._drawn: dict[tuple[str, Theme, float], QPixmap] = {}

    def draw(self, painter: QPainter, theme: Theme, element: Element, at: QPointF) -> None:
        """Draw the symbol of an element that is not chosen."""
        device = painter.device()
        scale = 1.0 if device is None else device.devicePixelRatioF()
        key = element.shape, theme, scale
        if key not in self._drawn:
            self._drawn[key] = self._made(theme, element, scale)
        painter.drawPixmap(at - QPointF(STAMP / 2, STAMP / 2), self._drawn[key])

    @staticmethod
    def _made(theme: Theme, element: Element, scale: float) -> QPixmap:
        stamp = QPixmap(round(STAMP * scale), round(STAMP * scale))
        stamp.setDevicePixelRatio(scale)
        stamp.fill(Qt.GlobalColor.transparent)
        painter = QPainter(stamp)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw_element(painter, theme, element, QPointF(STAMP / 2, STAMP / 2), chosen=False)
        painter.end()
        return stamp


class Labels:
    """Places labels without overlaps; a label without room is left out.

    What is taken is kept as squares of `SQUARE` pixels, so that a place is tried in the same time however many there
    are.
    """

    def __init__(self, painter: QPainter, theme: Theme, wide: float, high: float) -> None:
        self._painter, self._theme = painter, theme
        self._taken = np.zeros((int(high / SQUARE) + 1, int(wide / SQUARE) + 1), bool)

    def keep_clear(self, box: QRectF) -> None:
        """Reserve a rectangle that no label may cover."""
        self._squares(box)[...] = True

    def _is_free(self, box: QRectF) -> bool:
        return not self._squares(box).any()

    def _squares(self, box: QRectF) -> Flags:
        """The squares that a rectangle meets, as far as they are in view."""
        left, top = max(int(box.left() // SQUARE), 0), max(int(box.top() // SQUARE), 0)
        right, bottom = max(math.ceil(box.right() / SQUARE), 0), max(math.ceil(box.bottom() / SQUARE), 0)
        return self._taken[top:bottom, left:right]

    def put(
        self,
        text: str,
        at: QPointF,
        *,
        beside: bool = False,
        chosen: bool = False,
        quiet: bool = False,
        fixed: QPointF | None = None,
    ) -> QRectF | None:
        """Put a label in the middle of a place or beside it, or where it is ``fixed``; returns its box, if it has room.

        A fixed one has a line to its place.
        """
        width, height = _size_of(text, chosen)
        spots = (
            [(10.0, -height / 2), (-10 - width, -height / 2), (-width / 2, -height - 10), (-width / 2, 12.0)]
            if beside
            else [(-width / 2, -height / 2), (-width / 2, -height), (-width / 2, 0.0)]
        )
        boxes = [QRectF(at.x() + x, at.y() + y, width, height) for x, y in spots]
        if fixed is not None:
            box: QRectF | None = QRectF(fixed.x() - width / 2, fixed.y() - height / 2, width, height)
            self._lead(fixed, at)
        else:
            box = next((b for b in boxes if self._is_free(b)), boxes[0] if chosen else None)
        if box is None:
            return None
        self.keep_clear(box)
        ground = QColor(self._theme.paper)
        ground.setAlpha(205)
        self._painter.setPen(Qt.PenStyle.NoPen)
        self._painter.setBrush(ground)
        self._painter.drawRect(box)
        self._painter.setFont(desk_font(8.5, bold=chosen))
        self._painter.setPen(QColor(self._theme.water if chosen else self._theme.quiet if quiet else self._theme.ink))
        self._painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
        return box

    def _lead(self, label: QPointF, at: QPointF) -> None:
        """Draw a thin line from a label that was moved to its place."""
        self._painter.setPen(QPen(QColor(self._theme.quiet), 1))
        self._painter.drawLine(label, at)
        self._painter.setBrush(QColor(self._theme.quiet))
        self._painter.drawEllipse(at, 1.6, 1.6)
