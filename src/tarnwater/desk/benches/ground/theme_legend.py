"""The legend of the theme: what the colours of the catchments mean."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QBrush, QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QFrame

from tarnwater.desk.theme import Theme, desk_font
from tarnwater.study.pictures.themes import Classes

ROW, LEFT, WORDS, HEAD = 19, 10.0, 40.0, 24


#: Opacity of the least and of the greatest class: one hue, stronger for greater values.
FAINT, STRONG = 40, 215


def brush_of(classes: Classes, theme: Theme, number: int | None) -> QBrush:
    """How the land of a class is filled: zero is left plain, what is missing is hatched."""
    if number is None:
        return QBrush(QColor(theme.quiet), Qt.BrushStyle.BDiagPattern)
    if number < 0:
        return QBrush(QColor(theme.paper))
    colour = QColor(theme.water)
    share = number / max(len(classes.limits) - 2, 1)
    colour.setAlpha(round(FAINT + share * (STRONG - FAINT)))
    return QBrush(colour)


class ThemeLegend(QFrame):
    """One row for each class, and for zero and missing values where there are some."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.classes: Classes | None = None
        self.setProperty("panel", True)
        self.setAccessibleName("Legend of the colours")

    def show_classes(self, classes: Classes | None) -> None:
        """Show other classes; None hides the legend."""
        self.classes = classes
        self.setVisible(classes is not None)
        self.resize(self.sizeHint())
        self.update()

    def sizeHint(self) -> QSize:  # noqa: N802
        """Room for every row."""
        rows = 0 if self.classes is None else len(self.classes.rows)
        return QSize(196, HEAD + ROW * rows + 8)

    def paintEvent(self, event: QPaintEvent | None) -> None:  # noqa: N802
        """Draw the rows."""
        super().paintEvent(event)
        classes = self.classes
        if classes is None:
            return
        painter = QPainter(self)
        painter.setFont(desk_font(8, bold=True))
        painter.setPen(QColor(self.theme.ink))
        head = f"{classes.words}, {classes.unit}" if classes.unit else classes.words
        painter.drawText(QRectF(LEFT, 4, self.width() - LEFT, HEAD - 6), Qt.AlignmentFlag.AlignVCenter, head)
        painter.setFont(desk_font(8))
        for row, (number, words) in enumerate(classes.rows):
            top = HEAD + ROW * row
            painter.setPen(QPen(QColor(self.theme.rule), 1))
            painter.setBrush(brush_of(classes, self.theme, number))
            painter.drawRect(QRectF(LEFT, top + 3, 22, ROW - 6))
            painter.setPen(QColor(self.theme.ink))
            painter.drawText(QRectF(WORDS, top, self.width() - WORDS, ROW), Qt.AlignmentFlag.AlignVCenter, words)
