"""What an empty bench shows: what is needed, ways to get it, and the demo."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from tarnwater.desk.desk import Desk
from tarnwater.desk.widgets.labels import Words


class Bringing(QWidget):
    """Words in the middle, and below them a button for each way (words, accessible name, function)."""

    def __init__(self, desk: Desk, text: str, ways: Sequence[tuple[str, str, Callable[[], object]]]) -> None:
        super().__init__()
        self.words = Words(text, quiet=True, size=10)
        self.words.setAlignment(Qt.AlignmentFlag.AlignCenter)
        row = QHBoxLayout()
        row.addStretch(1)
        for words, name, act in (*ways, ("Open the demo", "Open the demo", desk.demo_wanted.emit)):
            button = QPushButton(words)
            button.setAccessibleName(name)
            button.clicked.connect(lambda _=False, act=act: act())
            row.addWidget(button)
        row.addStretch(1)
        column = QVBoxLayout(self)
        column.addStretch(1)
        column.addWidget(self.words)
        column.addLayout(row)
        column.addStretch(1)
