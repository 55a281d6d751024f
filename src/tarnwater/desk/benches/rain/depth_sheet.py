"""The depth table on the screen, edited and pasted like a spreadsheet."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt, QTimer
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QHeaderView

from tarnwater.desk.benches.rain.depth_draft import DepthDraft
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme, figures_font
from tarnwater.desk.widgets.grid_view import GridView, clipboard_rows, put_on_clipboard
from tarnwater.errors import TarnwaterError
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.storms import StormFamily
from tarnwater.study import edits
from tarnwater.study.document import Study
from tarnwater.study.edits import edit, slug


@edit("{act}")
def set_rain_table(study: Study, key: str, table: DepthTable, act: str) -> Study:
    """Set a depth table; the study's first one comes with a family of all its storms."""
    study = edits.set_table(study, key, table)
    if study.families:
        return study
    family = StormFamily(table=key, return_periods=table.return_periods, durations=table.durations)
    return edits.set_family(study, slug("storms", study.families), family)


class DepthSheetModel(QAbstractTableModel):
    """Return periods across, durations down, an empty row and column at the ends to go on in."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.desk, self.theme = desk, theme
        self.key = ""
        self._of: tuple[DepthTable | None, str] | None = None
        self.draft = DepthDraft()

    def refresh(self) -> None:
        """Show the study's table; what is being typed stays until the table is another."""
        study = self.desk.study
        if self.key not in study.tables:
            self.key = next(iter(study.tables), "")
        table = study.tables.get(self.key)
        if (table, study.units) != self._of:
            self.beginResetModel()
            self._of = table, study.units
            self.draft = DepthDraft.of(table, study.units)
            self.desk.unfinished = False
            self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:  # noqa: N802
        """Rows, with one to go on in."""
        return self.draft.rows + 1

    def columnCount(self, parent: QModelIndex | None = None) -> int:  # noqa: N802
        """Columns, with one to go on in."""
        return self.draft.columns + 1

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        """Everything but the corner is typed."""
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        return flags if (index.row(), index.column()) == (0, 0) else flags | Qt.ItemFlag.ItemIsEditable

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Texts to the right, heads bold, faults in the colour of limits with their words."""
        row, column = index.row(), index.column()
        corner = (row, column) == (0, 0)
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.DisplayRole:
            shown = self.draft.shown(row, column)
            if corner:
                return f"{self.draft.unit} · 1 in"
            return shown
        if role == Qt.ItemDataRole.EditRole:
            return self.draft.shown(row, column)
        if role == Qt.ItemDataRole.FontRole:
            return figures_font(8 if corner else 9, bold=(row == 0 or column == 0) and not corner)
        if role == Qt.ItemDataRole.ForegroundRole:
            bad = self.draft.fault(row, column)
            return QColor(self.theme.limit if bad else self.theme.quiet if corner else self.theme.ink)
        if role == Qt.ItemDataRole.ToolTipRole:
            return self.draft.fault(row, column) or None
        return None

    def setData(self, index: QModelIndex, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:  # noqa: N802
        """Type one cell."""
        if str(value).strip() == self.draft.shown(index.row(), index.column()):
            return True
        place = index.row(), index.column()
        # the cell must be closed before the sheet is laid out anew
        QTimer.singleShot(0, lambda: self.type_block(*place, [[str(value)]], "type a depth"))
        return True

    def type_block(self, row: int, column: int, block: list[list[str]], act: str) -> bool:
        """Type a block; the study follows when the whole table can be read."""
        self.beginResetModel()
        try:
            self.draft.put(row, column, block)
        except TarnwaterError as error:
            self.desk.told.emit(str(error))
            return False
        finally:
            self.endResetModel()
        return self._publish(act)

    def _publish(self, act: str) -> bool:
        self.desk.unfinished = True
        try:
            table = self.draft.table()
        except TarnwaterError as error:
            self.desk.told.emit(str(error))
            return False
        key = self.key or slug("depths", self.desk.study.tables)
        self.desk.unfinished = not self.desk.do(set_rain_table, key, table, act)
        return not self.desk.unfinished


class DepthSheet(GridView):
    """The grid; a block pasted into the corner brings its durations and return periods along."""

    def __init__(self, model: DepthSheetModel) -> None:
        super().__init__("Depth table")
        self.setModel(model)
        self._sheet = model
        head, side = self.horizontalHeader(), self.verticalHeader()
        assert head is not None
        assert side is not None
        head.hide()
        side.hide()
        head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        head.setMinimumSectionSize(48)
        side.setDefaultSectionSize(23)
        self.setShowGrid(True)
        self.setCurrentIndex(model.index(0, 0))

    def copy(self) -> None:
        """Copy the block, exact, in the table's unit."""
        rows: dict[int, list[str]] = {}
        for index in self.block():
            rows.setdefault(index.row(), []).append(self._sheet.draft.exact(index.row(), index.column()))
        put_on_clipboard(rows.values())

    def paste(self) -> None:
        """Paste from the present cell on; rows and columns are added as needed."""
        present, rows = self.currentIndex(), clipboard_rows()
        if present.isValid() and rows:
            self._sheet.type_block(present.row(), present.column(), rows, "paste depths")

    def fill_down(self) -> None:
        """Type the top row of the block into the rest of it."""
        block = self.block()
        if block:
            self._fill(block[0].row(), sorted({i.column() for i in block}), block[-1].row())

    def set_columns(self) -> None:
        """Type the present cell into its column below the heads."""
        present = self.currentIndex()
        if present.isValid():
            self._fill(present.row(), [present.column()], self._sheet.draft.rows - 1, first=1)

    def _fill(self, source: int, columns: list[int], last: int, first: int | None = None) -> None:
        texts = [self._sheet.draft.exact(source, column) for column in columns]
        begin = source + 1 if first is None else first
        if last >= begin:
            self._sheet.type_block(begin, columns[0], [texts] * (last - begin + 1), "fill depths")

    def clear_block(self) -> None:
        """Empty the block; a row or a column emptied whole goes."""
        block = self.block()
        if block:
            top, left = block[0].row(), block[0].column()
            tall, wide = block[-1].row() - top + 1, max(i.column() for i in block) - left + 1
            self._sheet.type_block(top, left, [[""] * wide] * tall, "clear depths")
