"""A table of texts with figures to the right; Ctrl+C copies the block exact, under its heads."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QHeaderView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QTableView, QWidget

from tarnwater.brief.text_table import TextTable
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.desk.widgets.grid_view import GridView, put_on_clipboard


class TextModel(QAbstractTableModel):
    """A text table as Qt reads it."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.table = TextTable(())

    def show(self, table: TextTable) -> None:
        """Show a table; one of the same shape keeps what is chosen in it."""
        alike = (
            [c.head for c in table.columns] == [c.head for c in self.table.columns]
            and len(table.roles) == len(self.table.roles)
        )  # fmt: skip
        if not alike:
            self.beginResetModel()
        self.table = table
        if not alike:
            self.endResetModel()
        elif table.columns and table.roles:
            self.dataChanged.emit(self.index(0, 0), self.index(len(table.roles) - 1, len(table.columns) - 1))

    def rowCount(self, parent: QModelIndex | None = None) -> int:  # noqa: N802
        """Rows."""
        return len(self.table.roles)

    def columnCount(self, parent: QModelIndex | None = None) -> int:  # noqa: N802
        """Columns."""
        return len(self.table.columns)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:  # noqa: N802
        """Titles over units."""
        if orientation == Qt.Orientation.Horizontal and section < len(self.table.columns):
            column = self.table.columns[section]
            if role == Qt.ItemDataRole.DisplayRole:
                return f"{column.title}\n{column.unit}"
            if role == Qt.ItemDataRole.TextAlignmentRole:
                side = Qt.AlignmentFlag.AlignRight if column.figures else Qt.AlignmentFlag.AlignLeft
                return side | Qt.AlignmentFlag.AlignVCenter
        return None

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Texts, their side and the colour of their row."""
        column = self.table.columns[index.column()]
        if role == Qt.ItemDataRole.DisplayRole:
            return column.texts[index.row()]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignRight if column.figures else Qt.AlignmentFlag.AlignLeft
            return side | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.ForegroundRole:
            colour = self.table.roles[index.row()]
            return None if colour is None else self.theme.colour(colour)
        return None


class TextCell(QStyledItemDelegate):
    """Draws a cell directly from the table, several times faster than by the roles of the model."""

    def __init__(self, model: TextModel, parent: QWidget) -> None:
        super().__init__(parent)
        self._texts = model

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """Draw the ground of a chosen row, and the text to its side."""
        if painter is None:
            return
        table, theme = self._texts.table, self._texts.theme
        column, role = table.columns[index.column()], table.roles[index.row()]
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(option.rect, QColor(theme.chosen))
        painter.setPen(theme.colour(role or "ink"))
        side = Qt.AlignmentFlag.AlignRight if column.figures else Qt.AlignmentFlag.AlignLeft
        painter.setFont(option.font)
        room = option.rect.adjusted(3, 0, -4, 0)
        painter.drawText(room, side | Qt.AlignmentFlag.AlignVCenter, column.texts[index.row()])


class TextGrid(GridView):
    """The table; ``entered`` tells the row on which Enter was pressed, ``row_chosen`` the row that was chosen."""

    entered = pyqtSignal(int)
    row_chosen = pyqtSignal(int)

    def __init__(self, name: str, theme: Theme) -> None:
        super().__init__(name)
        self.texts = TextModel(theme)
        self.setModel(self.texts)
        self.setItemDelegate(TextCell(self.texts, self))
        self.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
        head, side = self.horizontalHeader(), self.verticalHeader()
        assert head is not None
        assert side is not None
        side.hide()
        side.setDefaultSectionSize(20)
        head.setFont(desk_font(8))
        head.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        head.setHighlightSections(False)
        chosen = self.selectionModel()
        assert chosen is not None
        chosen.currentRowChanged.connect(self._follow)
        self.doubleClicked.connect(lambda index: self.entered.emit(index.row()))

    def _follow(self, present: QModelIndex) -> None:
        if present.isValid() and self.hasFocus():
            self.row_chosen.emit(present.row())

    def show_table(self, table: TextTable) -> None:
        """Show a table; columns are made wide enough, and stay so while only figures change."""
        before = [c.head for c in self.texts.table.columns]
        rows = len(self.texts.table.roles)
        self.texts.show(table)
        if before != [c.head for c in table.columns] or rows != len(table.roles):
            self.fit()

    def fit(self) -> None:
        """Make each column as wide as its texts."""
        metrics, small = self.fontMetrics(), self.horizontalHeader()
        for number, column in enumerate(self.texts.table.columns):
            own = max((metrics.horizontalAdvance(text) for text in column.texts), default=0)
            head = 0 if small is None else max(
                small.fontMetrics().horizontalAdvance(part) for part in (column.title, column.unit)
            )  # fmt: skip
            self.setColumnWidth(number, max(own, head) + 14)

    def choose_row(self, row: int) -> None:
        """Choose a row without telling it."""
        if 0 <= row < self.texts.rowCount() and self.currentIndex().row() != row:
            selection = self.selectionModel()
            assert selection is not None
            selection.blockSignals(True)
            self.selectRow(row)
            selection.blockSignals(False)
            view = self.viewport()
            if view is not None:
                view.update()

    def copy(self) -> None:
        """Copy the block, exact, under its heads."""
        rows = sorted({i.row() for i in self.block()})
        lines = self.texts.table.as_exact
        put_on_clipboard([lines[0], *(lines[row + 1] for row in rows)])

    def keyPressEvent(self, event: Any) -> None:  # noqa: N802
        """Enter acts on the row."""
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.entered.emit(self.currentIndex().row())
        else:
            super().keyPressEvent(event)
