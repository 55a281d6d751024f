"""A button of words that wrap, pressed by a click, Enter or the space bar."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QSizePolicy

from tarnwater.desk.widgets.labels import Words


class WordsButton(Words):
    """Calls ``act`` when pressed; underlined while it has the keyboard focus."""

    def __init__(self, text: str, act: Callable[[], object], name: str) -> None:
        super().__init__(text, size=8, role="water")
        self.setAccessibleName(name)
        self.setWordWrap(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        policy = QSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)
        self._act = act

    def press(self) -> None:
        """Call the function of the button."""
        self._act()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:  # noqa: N802
        """Press."""
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._act()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:  # noqa: N802
        """Press by Enter or the space bar."""
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self._act()
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent | None) -> None:  # noqa: N802
        """Show the keyboard focus."""
        self._underline(True)
        super().focusInEvent(event)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:  # noqa: N802
        """Hide the keyboard focus."""
        self._underline(False)
        super().focusOutEvent(event)

    def _underline(self, on: bool) -> None:
        font = self.font()
        font.setUnderline(on)
        self.setFont(font)
