"""Named points: save the present state under a name, compare any two, restore one."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from tarnwater.desk.desk import Desk
from tarnwater.desk.widgets.labels import Words
from tarnwater.errors import TarnwaterError
from tarnwater.study.document import Study
from tarnwater.study.document.changes import ABSENT, ORDER, Change, changes_between

PRESENT = "the study as it is"


class NamedPoints(QDialog):
    """Opened by Ctrl+S. Every edit is already on the disk; a named point is a state that can be restored."""

    def __init__(self, parent: QWidget, desk: Desk) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Named points")
        self.resize(620, 460)
        self.desk = desk
        self.name = QLineEdit()
        self.name.setAccessibleName("Name of the point")
        self.name.setPlaceholderText("name of a point to come back to")
        self.comment = QLineEdit()
        self.comment.setAccessibleName("Comment on the point")
        self.comment.setPlaceholderText("comment")
        self.keep = QPushButton("Keep")
        self.keep.setDefault(True)
        self.keep.clicked.connect(self._keep)
        self.one, self.other = QComboBox(), QComboBox()
        self.one.setAccessibleName("Compare this point")
        self.other.setAccessibleName("with this point")
        for box in (self.one, self.other):
            box.activated.connect(self._compare)
        self.differences = QListWidget()
        self.differences.setAccessibleName("Differences")
        self.differences.setWordWrap(True)
        self.restore = QPushButton("Go back to the first of them")
        self.restore.setAutoDefault(False)
        self.restore.clicked.connect(self._restore)
        self.told = Words("", role="stop")
        self.told.setWordWrap(True)
        grid = QGridLayout()
        grid.addWidget(Words("Every edit is saved. Save this state under a name:", quiet=True), 0, 0, 1, 3)
        grid.addWidget(self.name, 1, 0)
        grid.addWidget(self.comment, 1, 1)
        grid.addWidget(self.keep, 1, 2)
        row = QHBoxLayout()
        row.addWidget(Words("From"))
        row.addWidget(self.one, 1)
        row.addWidget(Words("to"))
        row.addWidget(self.other, 1)
        layout = QVBoxLayout(self)
        layout.addLayout(grid)
        layout.addWidget(self.told)
        layout.addLayout(row)
        layout.addWidget(self.differences, 1)
        layout.addWidget(self.restore)
        self._fill()

    def _fill(self) -> None:
        points = self.desk.file.history.points
        for box in (self.one, self.other):
            box.clear()
        for point in reversed(points.values()):
            words = f"{point.name} · {point.at[:16].replace('T', ' ')}{f' · {point.comment}' if point.comment else ''}"
            self.one.addItem(words, point.name)
            self.other.addItem(words, point.name)
        self.other.insertItem(0, PRESENT, "")
        self.other.setCurrentIndex(0)
        self.restore.setEnabled(bool(points))
        self._compare()

    def _keep(self) -> None:
        name = self.name.text().strip()
        if not name:
            self.told.setText("A point needs a name.")
            self.name.setFocus()
            return
        if name in self.desk.file.history.points:
            self.told.setText(f"There is a point “{name}” already. Choose another name: points are not overwritten.")
            return
        try:
            self.desk.file.keep(name, self.comment.text().strip())
        except TarnwaterError as error:
            self.told.setText(str(error))
            return
        self.accept()

    def _study(self, name: str) -> Study:
        return self.desk.file.history.point(name).study if name else self.desk.study

    def _compare(self) -> None:
        self.differences.clear()
        if self.one.count() == 0:
            self.differences.addItem("There are no named points yet.")
            return
        before, after = self._study(self.one.currentData()), self._study(self.other.currentData())
        changes = changes_between(before.as_dict(), after.as_dict())
        self.differences.addItems([in_words(change, after) for change in changes[:500]] or ["They are the same."])
        if len(changes) > 500:
            self.differences.addItem(f"… and {len(changes) - 500} more")

    def _restore(self) -> None:
        name = self.one.currentData()
        if name and self.desk.restore(name):
            self.accept()


def in_words(change: Change, study: Study) -> str:
    """A change as a line: place, old value, new value."""
    path, before, after = change
    if path and path[-1] == ORDER:
        return f"{_place(path[:-1], study)}: another order"
    return f"{_place(path, study)}: {_value(before)} → {_value(after)}"


def _place(path: list[Any], study: Study) -> str:
    words = [str(part) for part in path]
    if words[:1] == ["elements"] and len(words) > 1:
        words = [study.name_of(words[1]), *words[2:]]
    return ", ".join(word.replace("_", " ") for word in words) or "the study"


def _value(value: Any) -> str:
    if value == ABSENT:
        return "nothing"
    if isinstance(value, dict):
        inner = value.get("typed", value).get("value") if isinstance(value.get("typed", value), dict) else None
        return f"{inner}" if inner is not None else "…"
    text = f"{value:.6g}" if isinstance(value, float) else str(value)
    return text if len(text) < 60 else text[:57] + "…"
