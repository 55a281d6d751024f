"""A label that changes the figure beside it while it is dragged to the left or right."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent

from tarnwater.desk.widgets.labels import Words

#: Pixels of a drag for one step of the figure.
PIXELS_A_STEP = 4


class DragWords(Words):
    """Tells the steps of a drag while it goes on, and once when it ends; the keyboard types into the field instead."""

    dragged = pyqtSignal(int)
    dropped = pyqtSignal(int)

    def __init__(self, text: str, name: str) -> None:
        super().__init__(text, size=8.5, role="water")
        self.setAccessibleName(name)
        self.setToolTip("drag to the left or right to change it")
        self.setCursor(Qt.CursorShape.SizeHorCursor)
        self._from: float | None = None
        self._steps = 0

    def mousePressEvent(self, event: QMouseEvent | None) -> None:  # noqa: N802
        """A drag begins."""
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._from, self._steps = event.globalPosition().x(), 0

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:  # noqa: N802
        """The figure follows."""
        if event is None or self._from is None:
            return
        steps = round((event.globalPosition().x() - self._from) / PIXELS_A_STEP)
        if steps != self._steps:
            self._steps = steps
            self.dragged.emit(steps)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:  # noqa: N802
        """The drag ends."""
        if self._from is not None:
            self._from = None
            self.dropped.emit(self._steps)
