"""A field for one quantity: takes a unit typed with the number, and keeps what cannot be read."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QLineEdit

from tarnwater.desk.theme import figures_font


class QuantityField(QLineEdit):
    """Calls ``commit`` with the text on Enter or when the field is left; a refused text stays and is marked.

    ``commit`` answers an empty text where it took the value, otherwise what is wrong.
    """

    def __init__(self, text: str, commit: Callable[[str], str], refused: Callable[[str], None], name: str) -> None:
        super().__init__(text)
        self.setAccessibleName(name)
        self.setFont(figures_font(9))
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self._shown = text
        self._commit = commit
        self._refused = refused
        self.editingFinished.connect(self._finish)

    def show_value(self, text: str) -> None:
        """Show another value, unless something is being typed."""
        if self.text() == self._shown == text and not self.property("wrong"):
            return
        if self.text() == self._shown or not self.hasFocus():
            self.setProperty("wrong", False)
            self._shown = text
            self.setText(text)
            self.setCursorPosition(0)

    def _finish(self) -> None:
        if self.text() == self._shown:
            return
        wrong = self._commit(self.text())
        self.setProperty("wrong", bool(wrong))
        style = self.style()
        if style is not None:
            style.unpolish(self)
            style.polish(self)
        self._refused(wrong)
        if not wrong:
            self._shown = self.text()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:  # noqa: N802
        """Escape gives the shown value back."""
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.setText(self._shown)
            self.setProperty("wrong", False)
            self._refused("")
            return
        super().keyPressEvent(event)
