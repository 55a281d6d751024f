"""The caption of a plot: its title, the reading, and a key of its curves with their figures."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QGridLayout, QSizePolicy, QWidget

from tarnwater.desk.theme import Theme
from tarnwater.desk.widgets.labels import Words
from tarnwater.plots import Role, Style

PEN_STYLES = {
    "solid": Qt.PenStyle.SolidLine,
    "dashed": Qt.PenStyle.DashLine,
    "dashdot": Qt.PenStyle.DashDotLine,
    "dotted": Qt.PenStyle.DotLine,
}

#: Entries of a key up to this length are two in a row.
SHORT = 18

#: A row of the key: colour and line style of a curve, and its words.
KeyRow = tuple[Role, Style, str]


class Caption(QWidget):
    """A title that wraps, and below it a row for each curve of the key."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.title = Words("", quiet=True)
        self.title.setWordWrap(True)
        self._rows: list[tuple[_Sample, Words]] = []
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(0)
        self._grid.setHorizontalSpacing(6)
        self._grid.addWidget(self.title, 0, 0, 1, 4)
        self._across = 1

    def show_words(self, title: str, key: Sequence[KeyRow] = ()) -> None:
        """Show a title and a key, which may be empty."""
        self.title.setText(title)
        while len(self._rows) < len(key):
            words = Words("", quiet=True)
            # a long entry is cut off, so that a plot never asks for more room than its bench gives it
            words.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
            self._rows.append((_Sample(), words))
            self._across = 0
        self._arrange(2 if key and all(len(text) <= SHORT for *_, text in key) else 1)
        for number, (sample, words) in enumerate(self._rows):
            shown = number < len(key)
            sample.setVisible(shown)
            words.setVisible(shown)
            if shown:
                role, style, text = key[number]
                sample.show_line(QPen(self.theme.colour(role), 2, PEN_STYLES[style]))
                words.setText(text)
                words.setToolTip(text if len(text) > SHORT else "")
        self._share([text for *_, text in key])

    def _arrange(self, across: int) -> None:
        """Put the key one or two in a row."""
        if across == self._across:
            return
        self._across = across
        for number, (sample, words) in enumerate(self._rows):
            row, column = divmod(number, across)
            self._grid.addWidget(sample, row + 1, 2 * column)
            self._grid.addWidget(words, row + 1, 2 * column + 1, 1, 1 if across == 2 else 3)

    def _share(self, words: Sequence[str]) -> None:
        """Give the columns of the key their shares of the width by their longest words."""
        for column in range(self._across):
            own = (self.title.fontMetrics().horizontalAdvance(text) for text in words[column :: self._across])
            self._grid.setColumnStretch(2 * column + 1, max(own, default=1))

    def text(self) -> str:
        """All its words, a row a line."""
        return "\n".join([self.title.text(), *(words.text() for _, words in self._rows if not words.isHidden())])


class _Sample(QWidget):
    """A short piece of a line."""

    def __init__(self) -> None:
        super().__init__()
        self._pen = QPen()

    def sizeHint(self) -> QSize:  # noqa: N802
        """Room for a dash and a dot."""
        return QSize(30, 12)

    def show_line(self, pen: QPen) -> None:
        """Draw with another pen."""
        if pen != self._pen:
            self._pen = pen
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:  # noqa: N802
        """Draw the line across the middle."""
        painter = QPainter(self)
        painter.setPen(self._pen)
        painter.drawLine(0, self.height() // 2, 28, self.height() // 2)
