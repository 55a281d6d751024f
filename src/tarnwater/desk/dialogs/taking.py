"""A dialog in which something is made and taken into the study."""

from __future__ import annotations

from abc import abstractmethod

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from tarnwater.desk.desk import Desk
from tarnwater.desk.dialogs.answers import keep_or_leave
from tarnwater.desk.widgets.labels import Words
from tarnwater.errors import TarnwaterError


class TakingDialog(QDialog):
    """What is asked at the top, what comes of it below with words on it, and a button that takes it.

    The button, and Ctrl+Return, call ``keep``; it can be pressed only once `ready` was called.
    """

    def __init__(self, parent: QWidget, desk: Desk, key: str, title: str, size: tuple[int, int]) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.desk, self.key = desk, key
        self.setWindowTitle(title)
        self.resize(*size)
        self.told = Words("", size=8.5)
        self.told.setWordWrap(True)
        self.buttons = keep_or_leave(self, "Use it")
        self.take = next(b for b in self.buttons.findChildren(QPushButton) if b.text() == "Use it")
        self._asked = QHBoxLayout()
        self._asked.addStretch(1)
        QShortcut(QKeySequence("Ctrl+Return"), self, self.keep)

    def ask(self, words: str, widget: QWidget) -> None:
        """Put a field with its words at the end of the row at the top."""
        place = self._asked.count() - 1
        if words:
            self._asked.insertWidget(place, Words(words, quiet=True))
            place += 1
        self._asked.insertWidget(place, widget)

    def lay_out(self, middle: QWidget) -> None:
        """Put what is asked above, the words and the buttons below what is made."""
        layout = QVBoxLayout(self)
        layout.addLayout(self._asked)
        layout.addWidget(middle, 1)
        layout.addWidget(self.told)
        layout.addWidget(self.buttons)

    def wait(self, words: str) -> None:
        """Say why there is nothing to take yet."""
        self.told.setText(words)
        self.take.setEnabled(False)

    def refuse(self, error: TarnwaterError) -> None:
        """Say why nothing can be made, with its figures in the units of the study."""
        error.in_units(self.desk.study.units)
        self.wait(str(error))

    def ready(self, words: str) -> None:
        """Say what was made, and let it be taken."""
        self.told.setText(words)
        self.take.setEnabled(True)

    @abstractmethod
    def keep(self) -> None:
        """Take what was made into the study."""
