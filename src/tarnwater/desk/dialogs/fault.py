"""The dialog of a program error, with a report to copy."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QPlainTextEdit, QVBoxLayout, QWidget

from tarnwater.desk.theme import desk_font
from tarnwater.desk.widgets.labels import Words


class Fault(QDialog):
    """Shows a report of what failed; it contains no data of the study."""

    def __init__(self, parent: QWidget, report: str) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Program error")
        self.resize(640, 380)
        self.report = QPlainTextEdit(report)
        self.report.setReadOnly(True)
        self.report.setFont(desk_font(8))
        self.report.setAccessibleName("Report")
        self.report.setTabChangesFocus(True)
        words = Words(
            "The program failed while it was working. The study is whole: every edit is on the disk, and what "
            "failed changed nothing. Please send this report and say what you were doing."
        )
        words.setWordWrap(True)
        buttons = QDialogButtonBox()
        copy = buttons.addButton("Copy the report", QDialogButtonBox.ButtonRole.ActionRole)
        buttons.addButton("Go on", QDialogButtonBox.ButtonRole.AcceptRole)
        assert copy is not None
        copy.clicked.connect(self._copy)
        buttons.accepted.connect(self.accept)
        layout = QVBoxLayout(self)
        layout.addWidget(words)
        layout.addWidget(self.report, 1)
        layout.addWidget(buttons)

    def _copy(self) -> None:
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self.report.toPlainText())
