"""Title, number, author and checker of the study."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QFormLayout, QLineEdit, QVBoxLayout, QWidget

from tarnwater.desk.desk import Desk
from tarnwater.desk.dialogs.answers import keep_or_leave
from tarnwater.study import edits

FIELDS = ("title", "number", "author", "checker", "note")


class StudyDetails(QDialog):
    """Each changed field is one act."""

    def __init__(self, parent: QWidget, desk: Desk) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("The study")
        self.resize(460, 220)
        self.desk = desk
        self.fields = {name: QLineEdit(getattr(desk.study, name)) for name in FIELDS}
        form = QFormLayout()
        for name, field in self.fields.items():
            field.setAccessibleName(f"{name} of the study")
            form.addRow(name, field)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addWidget(keep_or_leave(self))

    def keep(self) -> None:
        """Accept what was typed."""
        for name, field in self.fields.items():
            if field.text() != getattr(self.desk.study, name) and not self.desk.do(
                edits.set_study, name, field.text().strip()
            ):
                return
        self.accept()
