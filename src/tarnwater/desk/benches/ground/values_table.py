"""The values of a map of cover or soil as a table: what each means, and which lies over which."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any

from PyQt6.QtCore import QEvent, QModelIndex, QObject, QStringListModel, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QCompleter,
    QHeaderView,
    QStyledItemDelegate,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)
from PyQt6.sip import isdeleted

from tarnwater.desk.theme import Theme, desk_font

VALUE, MEANS, COUNT, AREA = range(4)
HEADS = ("value", "means", "polygons", "area")

#: Shown where nothing is known of a value.
UNKNOWN = "unknown"


@dataclass(frozen=True)
class ValueRow:
    """A value with what it means, its polygons, and their area in words; or a remark on a row that is left out."""

    value: str
    means: str
    count: str
    area: str
    left_out: bool = False


class MeaningDelegate(QStyledItemDelegate):
    """Chooses what a value means, from a list that narrows while one types."""

    def __init__(self, parent: QWidget, options: Callable[[], Sequence[str]]) -> None:
        super().__init__(parent)
        self._options = options
        # it outlives the cells: a list that is destroyed while it is the active window takes the dialog with it
        self._words = QStringListModel(parent)
        self._completer = QCompleter(self._words, parent)
        self._completer.setFilterMode(Qt.MatchFlag.MatchContains)
        self._completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)

    def createEditor(self, parent: QWidget | None, option: Any, index: QModelIndex) -> QWidget | None:  # noqa: N802
        """A list of everything that a value may mean."""
        if not self.column_has_list(index.column()):
            return super().createEditor(parent, option, index)
        chooser = QComboBox(parent)
        chooser.setEditable(True)
        chooser.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        options = list(self.options_at(index.column()))
        chooser.addItems(["", *options])
        self._words.setStringList(options)
        chooser.setCompleter(self._completer)
        chooser.activated.connect(lambda _: QTimer.singleShot(0, partial(self._chosen, chooser)))
        return chooser

    def column_has_list(self, column: int) -> bool:
        """Whether a cell is chosen from a list."""
        return column == MEANS

    def options_at(self, column: int) -> Sequence[str]:
        """The list of a column."""
        return self._options()

    def eventFilter(self, chooser: QObject | None, event: QEvent | None) -> bool:  # noqa: N802
        """Enter takes the choice once: of a known text the list tells too, and the later of the two finds it taken."""
        if (
            isinstance(chooser, QComboBox)
            and isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.KeyPress
            and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
        ):
            QTimer.singleShot(0, partial(self._chosen, chooser))
            return True
        return super().eventFilter(chooser, event)

    def _chosen(self, chooser: QComboBox) -> None:
        if isdeleted(chooser) or not chooser.isVisible():
            return
        popup = self._completer.popup()
        if popup is not None:
            popup.hide()
        self.commitData.emit(chooser)
        if not isdeleted(chooser):
            self.closeEditor.emit(chooser)

    def setEditorData(self, editor: QWidget | None, index: QModelIndex) -> None:  # noqa: N802
        """Show the present meaning."""
        if isinstance(editor, QComboBox):
            editor.setEditText(str(index.data(Qt.ItemDataRole.UserRole) or ""))
            line = editor.lineEdit()
            if line is not None:
                line.selectAll()
        else:
            super().setEditorData(editor, index)

    def setModelData(self, editor: QWidget | None, model: Any, index: QModelIndex) -> None:  # noqa: N802
        """Take what was typed or chosen, if it is one of the list, or its only match."""
        if isinstance(editor, QComboBox):
            chosen = meant_by(editor.currentText(), self.options_at(index.column()))
            model.setData(index, chosen, Qt.ItemDataRole.UserRole)
        else:
            super().setModelData(editor, model, index)


def meant_by(text: str, options: Sequence[str]) -> str:
    """The option that a text names: itself, whatever its case, or the only one that contains it; otherwise the text.

    >>> meant_by("MEADOW", ["Meadow", "Woods"]), meant_by("oo", ["Meadow", "Woods"]), meant_by("x", ["Meadow"])
    ('Meadow', 'Woods', 'x')
    """
    wanted = text.strip().casefold()
    exact = next((one for one in options if one.casefold() == wanted), None)
    if exact is not None or not wanted:
        return exact or ""
    holding = [one for one in options if wanted in one.casefold()]
    return holding[0] if len(holding) == 1 else text.strip()


class ValuesTable(QTableWidget):
    """Rows from the highest to the lowest; Alt+Up and Alt+Down move one, Enter opens its list, Delete clears it."""

    meaning_chosen = pyqtSignal(str, str)
    order_changed = pyqtSignal()

    def __init__(self, theme: Theme, options: Callable[[], Sequence[str]], name: str) -> None:
        super().__init__(0, len(HEADS))
        self.theme = theme
        self.options = options
        self.rows: list[ValueRow] = []
        self.setAccessibleName(name)
        self.setHorizontalHeaderLabels(HEADS)
        self.setFont(desk_font(9))
        self.setTabKeyNavigation(False)
        self.setShowGrid(False)
        self.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.setSelectionMode(QTableWidget.SelectionMode.ExtendedSelection)
        self.setEditTriggers(
            QTableWidget.EditTrigger.DoubleClicked
            | QTableWidget.EditTrigger.EditKeyPressed
            | QTableWidget.EditTrigger.AnyKeyPressed
        )
        self.setItemDelegate(MeaningDelegate(self, options))
        rows, head = self.verticalHeader(), self.horizontalHeader()
        if rows is not None and head is not None:
            rows.hide()
            head.setHighlightSections(False)
            head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
            rows.setDefaultSectionSize(self.fontMetrics().height() + 6)
            for column in (VALUE, COUNT, AREA):
                head.setSectionResizeMode(column, QHeaderView.ResizeMode.ResizeToContents)
            head.setSectionResizeMode(MEANS, QHeaderView.ResizeMode.Stretch)
        self.itemChanged.connect(self._changed)

    @property
    def order(self) -> list[str]:
        """The values from the highest to the lowest."""
        return [row.value for row in self.rows if not row.left_out]

    @property
    def meanings(self) -> dict[str, str]:
        """What each value means."""
        return {row.value: row.means for row in self.rows if not row.left_out}

    def show_rows(self, rows: Sequence[ValueRow]) -> None:
        """Show other rows; the present one stays if its value does."""
        here = self.rows[self.currentRow()].value if 0 <= self.currentRow() < len(self.rows) else ""
        self.rows = list(rows)
        self.blockSignals(True)
        self.setRowCount(len(rows))
        for number, row in enumerate(rows):
            self._put(number, row)
        self.blockSignals(False)
        at = next((i for i, row in enumerate(rows) if row.value == here and not row.left_out), 0)
        if rows:
            self.setCurrentCell(at, MEANS)

    def _put(self, number: int, row: ValueRow) -> None:
        unknown = not row.means and not row.left_out
        cells = (row.value, UNKNOWN if unknown else row.means, row.count, row.area)
        for column, text in enumerate(cells):
            item = QTableWidgetItem(text)
            flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
            may_be_typed = column == MEANS and not row.left_out
            item.setFlags(flags | Qt.ItemFlag.ItemIsEditable if may_be_typed else flags)
            if column == MEANS:
                item.setData(Qt.ItemDataRole.UserRole, row.means)
            if column in (COUNT, AREA):
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            if row.left_out or (unknown and column == MEANS):
                item.setForeground(self.theme.colour("limit"))
            item.setToolTip(text)
            self.setItem(number, column, item)

    def _changed(self, item: QTableWidgetItem) -> None:
        if item.column() == MEANS:
            chosen = {index.row() for index in self.selectedIndexes()} | {item.row()}
            means = str(item.data(Qt.ItemDataRole.UserRole) or "")
            # a meaning that is chosen with several rows selected is that of all of them
            for number in sorted(chosen):
                if not self.rows[number].left_out:
                    self.meaning_chosen.emit(self.rows[number].value, means)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:  # noqa: N802
        """Move a row, open its list, or clear its meaning."""
        if event is None:
            return
        key, alt = event.key(), bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        if alt and key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.move_row(-1 if key == Qt.Key.Key_Up else 1)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.state() == self.State.EditingState:
            # the cell that is open has taken the key
            event.accept()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.setCurrentCell(self.currentRow(), MEANS)
            self.edit(self.currentIndex())
        elif key == Qt.Key.Key_Delete:
            for number in {index.row() for index in self.selectedIndexes()}:
                if not self.rows[number].left_out:
                    self.meaning_chosen.emit(self.rows[number].value, "")
        else:
            super().keyPressEvent(event)

    def move_row(self, by: int) -> None:
        """Move the present row up (-1) or down (1) among the values."""
        here, there = self.currentRow(), self.currentRow() + by
        last = len(self.order) - 1
        if not (0 <= here <= last and 0 <= there <= last):
            return
        rows = list(self.rows)
        rows.insert(there, rows.pop(here))
        self.show_rows(rows)
        self.setCurrentCell(there, MEANS)
        self.order_changed.emit()
