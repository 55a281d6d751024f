"""Importing a depth table from a file: a preview before anything enters the study."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QHBoxLayout,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from tarnwater import units
from tarnwater.desk.desk import Desk
from tarnwater.desk.dialogs.answers import keep_or_leave
from tarnwater.desk.theme import desk_font
from tarnwater.desk.widgets.labels import Words
from tarnwater.errors import TarnwaterError
from tarnwater.formats.tables import has_decimal_commas, read_depth_table
from tarnwater.rain.depth_table import DepthTable


class ImportTable(QDialog):
    """Shows the table as it was read; the unit of its depths can be corrected. ``table`` is the result."""

    def __init__(self, parent: QWidget, desk: Desk, path: Path) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Import a depth table")
        self.resize(620, 420)
        self.desk, self.path = desk, path
        self.table: DepthTable | None = None
        self.unit = QComboBox()
        self.unit.setAccessibleName("Unit of the depths")
        self.unit.addItems(["mm", "in"])
        self.unit.setCurrentText("in" if desk.study.units == "US" else "mm")
        self.unit.currentIndexChanged.connect(lambda _: self._read())
        self.told = Words("")
        self.told.setWordWrap(True)
        self.shown = QTableWidget()
        self.shown.setAccessibleName("The table as it was understood")
        self.shown.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.shown.setTabKeyNavigation(False)
        self.shown.setFont(desk_font(9))
        row = QHBoxLayout()
        row.addWidget(Words("Depths are in", quiet=True))
        row.addWidget(self.unit)
        row.addStretch(1)
        self.buttons = keep_or_leave(self, "Import")
        layout = QVBoxLayout(self)
        layout.addWidget(Words(path.name, bold=True, size=11))
        layout.addWidget(self.told)
        layout.addWidget(self.shown, 1)
        layout.addLayout(row)
        layout.addWidget(self.buttons)
        self._read()

    def _read(self) -> None:
        try:
            self.table = read_depth_table(self.path, unit=self.unit.currentText(), source=self.path.name)
        except TarnwaterError as error:
            self.table = None
            self.told.setText(str(error))
        else:
            table, unit = self.table, self.unit.currentText()
            lasts = " to ".join(units.show_duration(d) for d in (table.durations[0], table.durations[-1]))
            greatest = units.show(max(max(row) for row in table.depths), "rain", unit=unit)
            self.told.setText(
                f"{len(table.durations)} durations from {lasts}, {len(table.return_periods)} return periods, "
                f"the greatest depth {greatest}. Source: {table.source}{self._commas()}"
            )
        self.shown.setVisible(self.table is not None)
        take = next(b for b in self.buttons.findChildren(QPushButton) if b.text() == "Import")
        take.setEnabled(self.table is not None)
        self._show()

    def _commas(self) -> str:
        commas = has_decimal_commas(self.path.read_text(encoding="utf-8-sig"))
        return "\nCommas were read as those of decimals." if commas else ""

    def _show(self) -> None:
        table = self.table
        if table is None:
            return
        self.shown.setRowCount(len(table.durations))
        self.shown.setColumnCount(len(table.return_periods))
        self.shown.setVerticalHeaderLabels([units.show_duration(d) for d in table.durations])
        self.shown.setHorizontalHeaderLabels([f"1 in {t:g}" for t in table.return_periods])
        for row, depths in enumerate(table.depths):
            for column, depth in enumerate(depths):
                item = QTableWidgetItem(units.rounded(units.to_unit(depth, self.unit.currentText(), "rain")))
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.shown.setItem(row, column, item)
        self.shown.resizeColumnsToContents()

    def keep(self) -> None:
        """Enter the table into the study."""
        if self.table is not None:
            self.accept()
