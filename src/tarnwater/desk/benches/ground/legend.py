"""The legend of the map and of the flow tree."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QFrame

from tarnwater.desk.benches.ground.features_on_map import draw_feature
from tarnwater.desk.benches.ground.symbols import draw_element, draw_links
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.network.elements import Catchment, Confluence, Element, Inflow, Outfall, Reach
from tarnwater.plots import Role
from tarnwater.terrain.features import GroundFeature

ROW, LEFT, WORDS = 26, 20.0, 42.0

SIGNS: tuple[tuple[Element, str], ...] = (
    (Catchment(name="c"), "catchment without an outline"),
    (Confluence(name="n"), "confluence"),
    (Reach(name="r"), "reach without a path"),
    (Inflow.model_construct(name="i"), "inflow from outside"),
    (Outfall(name="o"), "outfall"),
)
WAY = "way of the water"

#: Colours of changed ground.
MOVED: tuple[tuple[Role, str], ...] = (("loss", "ground raised or filled"), ("observed", "ground lowered"))


class MapLegend(QFrame):
    """The legend: each sign once, as it is drawn on the map."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.setProperty("panel", True)
        self.setAccessibleName("Legend of the map")
        self.setFixedSize(self.sizeHint())

    def sizeHint(self) -> QSize:  # noqa: N802
        """Room for every sign."""
        return QSize(214, ROW * (len(SIGNS) + 1 + len(GroundFeature.known) + len(MOVED)) + 10)

    def paintEvent(self, event: QPaintEvent | None) -> None:  # noqa: N802
        """Draw the signs and their words."""
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(desk_font(8))
        for row, (element, words) in enumerate(SIGNS):
            middle = QPointF(LEFT, ROW * (row + 0.5) + 5)
            at = middle - QPointF(0, 5) if element.is_end else middle
            draw_element(painter, self.theme, element, at, chosen=False)
            self._write(painter, middle, words)
        middle = QPointF(LEFT, ROW * (len(SIGNS) + 0.5) + 5)
        draw_links(painter, self.theme, [(middle - QPointF(13, 0), middle + QPointF(13, 0))])
        self._write(painter, middle, WAY)
        row = len(SIGNS) + 1
        for model in GroundFeature.known.values():
            middle = QPointF(LEFT, ROW * (row + 0.5) + 5)
            ends = [[0.0, 0.0]] if model.drawn_as == "place" else [[-13.0, 0.0], [13.0, 0.0]]
            draw_feature(painter, self.theme, model.sign, np.array(ends) + (middle.x(), middle.y()))
            self._write(painter, middle, model.title)
            row += 1
        for role, words in MOVED:
            middle = QPointF(LEFT, ROW * (row + 0.5) + 5)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self.theme.colour(role))
            painter.drawRect(QRectF(middle.x() - 9, middle.y() - 6, 18, 12))
            self._write(painter, middle, words)
            row += 1

    def _write(self, painter: QPainter, middle: QPointF, words: str) -> None:
        painter.setPen(QPen(QColor(self.theme.ink)))
        box = QRectF(WORDS, middle.y() - ROW / 2, self.width() - WORDS, ROW)
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, words)
