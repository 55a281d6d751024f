"""The legend of cover and soil on the map: one row for each class that is drawn."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QFrame

from tarnwater.desk.benches.ground.land_choices import hatch_brush
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.study.pictures.land import LandSign

ROW, LEFT, WORDS, MOST = 18, 10.0, 40.0, 16


class LandLegend(QFrame):
    """Colour, hatch and words of each sign; the first ones where there are many."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.signs: Sequence[LandSign] = ()
        self.setProperty("panel", True)
        self.setAccessibleName("Legend of cover and soil")
        self.hide()

    def show_signs(self, signs: Sequence[LandSign]) -> None:
        """Show other signs; none hides the legend."""
        if list(signs) == list(self.signs) and self.isVisibleTo(self.parentWidget()) == bool(signs):
            return
        self.signs = list(signs)
        self.setVisible(bool(signs))
        self.resize(self.sizeHint())
        self.update()

    @property
    def rows(self) -> list[str]:
        """Words of the rows."""
        words = [sign.words for sign in self.signs[:MOST]]
        more = len(self.signs) - MOST
        return [*words, f"and {more} more"] if more > 0 else words

    def sizeHint(self) -> QSize:  # noqa: N802
        """Room for every row."""
        metrics = QFontMetricsF(desk_font(8))
        wide = max((metrics.horizontalAdvance(words) for words in self.rows), default=60.0)
        return QSize(int(WORDS + min(wide, 300) + 12), ROW * len(self.rows) + 8)

    def paintEvent(self, event: QPaintEvent | None) -> None:  # noqa: N802
        """Draw the rows."""
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setFont(desk_font(8))
        for row, words in enumerate(self.rows):
            top = 4 + ROW * row
            if row < min(len(self.signs), MOST):
                self._draw_sign(painter, self.signs[row], QRectF(LEFT, top + 2, 22, ROW - 5))
            painter.setPen(QColor(self.theme.ink))
            painter.drawText(QRectF(WORDS, top, self.width() - WORDS, ROW), Qt.AlignmentFlag.AlignVCenter, words)

    def _draw_sign(self, painter: QPainter, sign: LandSign, box: QRectF) -> None:
        painter.setPen(QPen(QColor(self.theme.rule), 1))
        painter.setBrush(QColor(sign.colour))
        painter.drawRect(box)
        hatch = hatch_brush(sign.colour, sign.hatch, dark=self.theme.name == "dark")
        if hatch is not None:
            painter.setBrush(hatch)
            painter.drawRect(box)
