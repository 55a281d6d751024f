"""A plain list of rows: texts to the left, figures to the right, one row chosen."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent
from PyQt6.QtWidgets import QHeaderView, QTableWidget, QTableWidgetItem

from tarnwater.desk.theme import desk_font
from tarnwater.desk.widgets.grid_view import put_on_clipboard


class Listing(QTableWidget):
    """Up and down choose a row; Enter or a double click acts on it; Ctrl+C copies the rows."""

    row_chosen = pyqtSignal(int)
    row_entered = pyqtSignal(int)

    def __init__(self, name: str, heads: Sequence[str], right: Collection[int] = ()) -> None:
        super().__init__(0, len(heads))
        self._right = frozenset(right)
        self._heads = list(heads)
        self.setAccessibleName(name)
        self.setHorizontalHeaderLabels(heads)
        self.setFont(desk_font(9))
        self.setShowGrid(False)
        self.setTabKeyNavigation(False)
        self.setWordWrap(False)
        self.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.setSelectionMode(QTableWidget.SelectionMode.SingleSelection)
        self.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        side, head = self.verticalHeader(), self.horizontalHeader()
        if side is not None and head is not None:
            side.hide()
            side.setDefaultSectionSize(self.fontMetrics().height() + 6)
            head.setHighlightSections(False)
            head.setFont(desk_font(8))
            head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
            head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
            # figures stand beside the others; a stretched column of them keeps the width of the empty list
            head.setStretchLastSection(len(heads) - 1 not in self._right)
        for column in self._right:
            item = self.horizontalHeaderItem(column)
            if item is not None:
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.currentCellChanged.connect(self._changed)
        self.cellDoubleClicked.connect(lambda row, _: self.row_entered.emit(row))

    def _changed(self, row: int, _column: int, before: int, _before: int) -> None:
        if row != before:
            self.row_chosen.emit(row)

    def set_heads(self, heads: Sequence[str]) -> None:
        """Other heads of the columns."""
        self._heads = list(heads)
        for column, text in enumerate(heads):
            item = self.horizontalHeaderItem(column)
            if item is not None:
                item.setText(text)

    def show_rows(self, rows: Sequence[Sequence[str]], colours: Sequence[str] = (), row: int | None = None) -> None:
        """Show rows, each in a colour where one is given; the row that was chosen stays so, or another is chosen."""
        chosen = self.currentRow() if row is None else row
        self.blockSignals(True)
        self.setRowCount(len(rows))
        for number, cells in enumerate(rows):
            for column, text in enumerate(cells):
                item = QTableWidgetItem(text)
                if column in self._right:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                if colours and colours[number]:
                    item.setForeground(QColor(colours[number]))
                self.setItem(number, column, item)
        if rows:
            self.setCurrentCell(min(max(chosen, 0), len(rows) - 1), 0)
        self.blockSignals(False)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:  # noqa: N802
        """Enter acts on the row, Ctrl+C copies all rows."""
        if event is None:
            return
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.row_entered.emit(self.currentRow())
        elif event.key() == Qt.Key.Key_C and event.modifiers() == Qt.KeyboardModifier.ControlModifier:
            texts = [[(item.text() if (item := self.item(r, c)) else "") for c in range(self.columnCount())]
                     for r in range(self.rowCount())]  # fmt: skip
            put_on_clipboard([self._heads, *texts])
        else:
            super().keyPressEvent(event)
