"""The depth table on the screen, edited and pasted like a spreadsheet."""

from __future__ import annotations

from copy import deepcopy
from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent
from PyQt6.QtWidgets import QHeaderView

from tarnwater.desk.benches.rain.depth_draft import DepthDraft, brings_heads
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.desk.widgets.grid_view import GridView, clipboard_rows, put_on_clipboard
from tarnwater.errors import TarnwaterError
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.depths import Depths
from tarnwater.study import edits
from tarnwater.study.edits import slug

#: What the source of fitted depths says once one of them was typed over.
BY_HAND = ", changed by hand"


class DepthSheetModel(QAbstractTableModel):
    """Return periods across, durations down, with an empty row and column at the ends.

    ``lacking`` says what an unfinished table still needs.
    """

    changed = pyqtSignal()

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.desk, self.theme = desk, theme
        self.key = ""
        self._of: tuple[Depths | None, str] | None = None
        self.lacking = ""
        self.draft = DepthDraft()
        self._past: list[DepthDraft] = []
        desk.drafts.append(self._undo_draft)

    def refresh(self) -> None:
        """Show the study's table; a draft stays until another table is shown."""
        study = self.desk.study
        if self.key not in study.tables:
            self.key = next(iter(study.tables), "")
        held = study.tables.get(self.key)
        if (held, study.units) != self._of:
            self._of = held, study.units
            self.leave_draft()

    @property
    def follows(self) -> bool:
        """Whether the depths follow from an equation, and are not typed."""
        held = self.desk.study.tables.get(self.key)
        return held is not None and held.typed_table is None

    @property
    def _typed(self) -> DepthTable | None:
        """The typed table, or the depths of an equation as a table."""
        held = self.desk.study.tables.get(self.key)
        if held is None or held.typed_table is not None:
            return None if held is None else held.typed_table
        return DepthTable(durations=held.own_durations, return_periods=held.own_periods, depths=held.listed)

    def leave_draft(self) -> None:
        """Show the table of the study and discard the draft."""
        study = self.desk.study
        self._past = []
        self.desk.unfinished = False
        self.lacking = ""
        self._turn_to(DepthDraft.of(self._typed, study.units))
        self.changed.emit()

    def _undo_draft(self) -> str:
        """Undo one act of typing that is not yet in the study; returns its label, or an empty text."""
        if not self.desk.unfinished or not self._past:
            return ""
        self._turn_to(self._past.pop())
        if self._past:
            self.changed.emit()
        else:
            self.leave_draft()
        self.desk.told.emit("")
        return "what was typed in the depth table"

    def rowCount(self, parent: QModelIndex | None = None) -> int:  # noqa: N802
        """Number of rows, with an empty one."""
        return self.draft.rows + 1

    def columnCount(self, parent: QModelIndex | None = None) -> int:  # noqa: N802
        """Number of columns, with an empty one."""
        return self.draft.columns + 1

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        """Flags of a cell: all cells but the corner are editable."""
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        fixed = self.follows or (index.row(), index.column()) == (0, 0)
        return flags if fixed else flags | Qt.ItemFlag.ItemIsEditable

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
            return desk_font(8 if corner else 9, bold=(row == 0 or column == 0) and not corner)
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
        self.type_block(index.row(), index.column(), [[str(value)]], "type a depth")
        return True

    def type_block(self, row: int, column: int, block: list[list[str]], act: str, *, whole: bool = False) -> bool:
        """Type a block, or a ``whole`` table; the study is changed when all of it can be read."""
        if self.follows:
            self.desk.told.emit("These depths follow from an equation. Change it under More, or add a table.")
            return False
        draft = deepcopy(self.draft)
        try:
            if whole:
                draft.put_whole(block)
            else:
                draft.put(row, column, block)
        except TarnwaterError as error:
            self.desk.fault(error)
            return False
        self._past.append(self.draft)
        self._turn_to(draft)
        taken = self._publish(act)
        if taken:
            self._past = []
        return taken

    def _turn_to(self, draft: DepthDraft) -> None:
        """Show another draft; an open cell stays open if the draft only grew in one direction."""
        rows, columns = draft.rows - self.draft.rows, draft.columns - self.draft.columns
        nowhere = QModelIndex()
        if rows > 0 and columns == 0:
            self.beginInsertRows(nowhere, self.rowCount(), self.rowCount() + rows - 1)
            self.draft = draft
            self.endInsertRows()
        elif columns > 0 and rows == 0:
            self.beginInsertColumns(nowhere, self.columnCount(), self.columnCount() + columns - 1)
            self.draft = draft
            self.endInsertColumns()
        elif rows or columns:
            self.beginResetModel()
            self.draft = draft
            self.endResetModel()
        self.draft = draft
        self.dataChanged.emit(self.index(0, 0), self.index(self.rowCount() - 1, self.columnCount() - 1))

    def _publish(self, act: str) -> bool:
        self.desk.unfinished = True
        self.lacking = ""
        try:
            table = self.draft.table()
        except TarnwaterError as error:
            if self.draft.merely_unfinished and act == "type a depth":
                self.lacking = error.remedy
                self.desk.told.emit("")
            else:
                self.desk.fault(error)
            self.changed.emit()
            return False
        key = self.key or slug("depths", self.desk.study.tables)
        table = _kept_from(self.desk.study.tables.get(key), table)
        self.desk.unfinished = not self.desk.do(edits.set_rain_table, key, table, act)
        return not self.desk.unfinished


def _kept_from(before: Depths | None, table: DepthTable) -> DepthTable:
    """A table that was typed on, with what its cells do not show: series, extrapolation, the years of its record."""
    held = None if before is None else before.typed_table
    if held is None or table.source.removesuffix(BY_HAND) != held.source.removesuffix(BY_HAND):
        return table
    kept: dict[str, object] = {"series": held.series, "extrapolate": held.extrapolate, "years": held.years}
    if (table.durations, table.return_periods, table.depths) == (held.durations, held.return_periods, held.depths):
        return held
    if held.years is not None:
        kept["source"] = held.source.removesuffix(BY_HAND) + BY_HAND
    return table.model_copy(update=kept)


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
        self._place = 0, 1
        self.setCurrentIndex(model.index(*self._place))
        model.modelAboutToBeReset.connect(self._keep_place)
        model.modelReset.connect(self._come_back)

    def _keep_place(self) -> None:
        present = self.currentIndex()
        self._place = (present.row(), present.column()) if present.isValid() else self._place

    def _come_back(self) -> None:
        row, column = (
            min(self._place[0], self._sheet.rowCount() - 1),
            min(self._place[1], self._sheet.columnCount() - 1),
        )
        self.setCurrentIndex(self._sheet.index(row, column))

    def begin_of_row(self, began: int) -> int:
        """The column where the next row begins: its duration."""
        return 0

    def keyPressEvent(self, event: QKeyEvent | None) -> None:  # noqa: N802
        """Escape discards what was typed and not accepted."""
        open_cell = self.state() == self.State.EditingState
        if event is not None and event.key() == Qt.Key.Key_Escape and self._sheet.desk.unfinished and not open_cell:
            self._sheet.leave_draft()
            self._sheet.desk.told.emit("")
            return
        super().keyPressEvent(event)

    def copy(self) -> None:
        """Copy the block, exact, in the table's unit."""
        rows: dict[int, list[str]] = {}
        for index in self.block():
            rows.setdefault(index.row(), []).append(self._sheet.draft.exact(index.row(), index.column()))
        put_on_clipboard(rows.values())

    def paste(self) -> None:
        """Paste from the present cell on, into an empty table from its corner; rows and columns are added as needed."""
        present, rows = self.currentIndex(), clipboard_rows()
        if present.isValid() and rows:
            bare = (self._sheet.draft.rows, self._sheet.draft.columns) == (1, 1)
            place = (0, 0) if bare else (present.row(), present.column())
            # pasted heads replace the whole table, because laid over an old table they would mix two
            whole = brings_heads(rows)
            self._sheet.type_block(*place, rows, "paste a table" if whole else "paste depths", whole=whole)

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
        """Clear the block; rows and columns that become empty are removed."""
        block = self.block()
        if block:
            top, left = block[0].row(), block[0].column()
            tall, wide = block[-1].row() - top + 1, max(i.column() for i in block) - left + 1
            self._sheet.type_block(top, left, [[""] * wide] * tall, "clear depths")
