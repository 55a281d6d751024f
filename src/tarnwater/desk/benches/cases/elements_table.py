"""The table of all elements: return periods across, conditions side by side, peak and time in each cell."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PyQt6.QtWidgets import QHeaderView

from tarnwater.brief.elements import element_rows
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import desk_font
from tarnwater.desk.widgets.grid_view import GridView, put_on_clipboard


class ElementsModel(QAbstractTableModel):
    """Rows of elements in the storms that govern the design point in view."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.rows: list[list[str]] = [[""]]
        self.keys: list[str] = []

    def refresh(self) -> None:
        """Read the peaks again."""
        results, view = self.desk.results, self.desk.view
        self.beginResetModel()
        self.rows, self.keys = [[""]], []
        if results is not None and view is not None:
            self.rows, self.keys = element_rows(results, view.point), list(results.study.all_elements)
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:  # noqa: N802
        """Elements."""
        return len(self.rows) - 1

    def columnCount(self, parent: QModelIndex | None = None) -> int:  # noqa: N802
        """Conditions of each return period."""
        return len(self.rows[0]) - 1

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:  # noqa: N802
        """Return periods and conditions across, names down."""
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        if orientation == Qt.Orientation.Vertical:
            return self.rows[section + 1][0]
        return self.rows[0][section + 1].replace(", ", "\n", 1)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Peak and time."""
        if role == Qt.ItemDataRole.DisplayRole:
            return self.rows[index.row() + 1][index.column() + 1]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        return None


class ElementsTable(GridView):
    """The table; Ctrl+C copies all of it with its heads, the current row selects its element."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("Table of all elements")
        self.elements = ElementsModel(desk)
        self.setModel(self.elements)
        head, side = self.horizontalHeader(), self.verticalHeader()
        assert head is not None
        assert side is not None
        side.setDefaultSectionSize(22)
        side.setFont(desk_font(9, bold=True))
        head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        head.setFont(desk_font(8))
        selection = self.selectionModel()
        assert selection is not None
        selection.currentRowChanged.connect(self._follow)

    def _follow(self, present: QModelIndex) -> None:
        if present.isValid() and self.hasFocus():
            self.elements.desk.select(self.elements.keys[present.row()])

    def refresh(self) -> None:
        """Show the peaks again, the present cell staying where it was."""
        present = self.currentIndex()
        row, column = present.row(), present.column()
        self.elements.refresh()
        if row >= 0:
            self.setCurrentIndex(self.elements.index(row, column))

    def copy(self) -> None:
        """Copy the whole table as it is shown."""
        put_on_clipboard(self.elements.rows)
