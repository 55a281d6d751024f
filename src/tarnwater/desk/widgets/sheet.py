"""A sheet of elements that is edited like a spreadsheet: paste a block, fill down, set a column, sort."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QGuiApplication, QKeyEvent
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableView

from tarnwater import units
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme, figures_font
from tarnwater.errors import TarnwaterError
from tarnwater.parameters import Setting
from tarnwater.study import edits
from tarnwater.study.assemble import find_path
from tarnwater.study.fields import description_at, value_at


@dataclass(frozen=True)
class Column:
    """A column: a quantity of the elements by its last name, or a figure computed for each."""

    title: str
    field: str = ""
    kind: str = ""
    figure: Callable[[Desk, str], float | None] | None = None


class SheetModel(QAbstractTableModel):
    """Elements of one kind down, columns across; names stand in the row heads, frozen."""

    def __init__(self, desk: Desk, kind: str, columns: Sequence[Column], theme: Theme) -> None:
        super().__init__()
        self.desk, self.kind, self.columns, self.theme = desk, kind, list(columns), theme
        self.keys: list[str] = []
        self._order: tuple[int, bool] | None = None
        self._units = [""] * len(self.columns)
        self.refresh()

    def refresh(self) -> None:
        """Read the study anew."""
        keys = [k for k, e in self.desk.study.elements.items() if e.kind == self.kind]
        if self._order is not None:
            column, falling = self._order
            keys.sort(key=lambda k: self.value(k, column) or 0.0, reverse=falling)
        if keys == self.keys:
            # the rows stand; an open cell and the selected block stay
            self._units = [self._unit(i) for i in range(len(self.columns))]
            self.headerDataChanged.emit(Qt.Orientation.Horizontal, 0, len(self.columns) - 1)
            if not keys:
                return
            self.dataChanged.emit(self.index(0, 0), self.index(len(keys) - 1, len(self.columns) - 1))
            self.headerDataChanged.emit(Qt.Orientation.Vertical, 0, len(keys) - 1)
            return
        self.beginResetModel()
        self.keys = keys
        self._units = [self._unit(i) for i in range(len(self.columns))]
        self.endResetModel()

    def path(self, key: str, column: int) -> str | None:
        """Path of the quantity in a cell; None where the element has it not, or several times."""
        field = self.columns[column].field
        if not field:
            return None
        try:
            return find_path(self.desk.study.elements[key], field)
        except TarnwaterError:
            return None

    def _setting(self, key: str, column: int) -> Any:
        path = self.path(key, column)
        return None if path is None else value_at(self.desk.study.elements[key], path)

    def value(self, key: str, column: int) -> float | None:
        """The exact value in a cell."""
        figure = self.columns[column].figure
        if figure is not None:
            return figure(self.desk, key)
        if self.columns[column].field == "curve_number" and self.path(key, column) is None:
            return getattr(self.desk.study.elements[key], "curve_number", None)
        setting = self._setting(key, column)
        return setting.value if isinstance(setting, Setting) else setting

    def kind_of(self, column: int) -> str:
        """Kind of quantity in a column."""
        if self.columns[column].kind:
            return self.columns[column].kind
        for key in self.keys:
            path = self.path(key, column)
            description = None if path is None else description_at(self.desk.study.elements[key], path)
            if description is not None:
                return description.kind
        return "factor"

    def _unit(self, column: int) -> str:
        known = [v for v in (self.value(k, column) for k in self.keys) if v is not None]
        return units.display_unit(self.kind_of(column), known, self.desk.study.units)

    def unit(self, column: int) -> str:
        """The one unit of a column, by its largest value."""
        return self._units[column]

    def rowCount(self, parent: QModelIndex | None = None) -> int:  # noqa: N802
        """Elements."""
        return len(self.keys)

    def columnCount(self, parent: QModelIndex | None = None) -> int:  # noqa: N802
        """Columns."""
        return len(self.columns)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:  # noqa: N802
        """Titles with units across, names down."""
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        if orientation == Qt.Orientation.Vertical:
            return self.desk.study.name_of(self.keys[section])
        unit = self.unit(section)
        return f"{self.columns[section].title}\n{unit}"

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Figures to the right; typed ones in the colour of water, bold."""
        key, column = self.keys[index.row()], index.column()
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            value = self.value(key, column)
            unit = self.unit(column)
            return (
                "" if value is None else units.show(value, self.kind_of(column), unit=unit).removesuffix(unit).strip()
            )
        setting = self._setting(key, column)
        typed = isinstance(setting, Setting) and setting.typed is not None
        if role == Qt.ItemDataRole.ForegroundRole:
            return QColor(self.theme.water if typed else self.theme.ink)
        if role == Qt.ItemDataRole.FontRole:
            return figures_font(9, bold=typed)
        if role == Qt.ItemDataRole.ToolTipRole and isinstance(setting, Setting):
            return "typed; Delete gives it back" if typed else "derived"
        return None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        """Computed figures cannot be edited."""
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        if self.path(self.keys[index.row()], index.column()) is not None:
            flags |= Qt.ItemFlag.ItemIsEditable
        return flags

    def setData(self, index: QModelIndex, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:  # noqa: N802
        """Type a value; text may carry its unit, otherwise it is in the unit of the column."""
        if str(value) == self.data(index, Qt.ItemDataRole.EditRole):
            return True
        return self.type_block([(self.keys[index.row()], index.column(), str(value))])

    def type_block(self, cells: Sequence[tuple[str, int, str]]) -> bool:
        """Type many cells as one act; nothing is typed where one of them is refused, and it is told."""
        values = []
        for key, column, text in cells:
            path = self.path(key, column)
            if path is None:
                self.desk.told.emit(
                    f"{self.desk.study.name_of(key)}, {self.columns[column].title}: it cannot be typed."
                )
                return False
            try:
                number = edits.read_value(self.desk.study.elements[key], path, text, self.unit(column))
            except TarnwaterError as error:
                self.desk.told.emit(str(error))
                return False
            values.append((key, path, number))
        return self.desk.do(edits.type_many, values, **self.desk.stamp())

    def sort(self, column: int, order: Qt.SortOrder = Qt.SortOrder.AscendingOrder) -> None:
        """Sort by a column; the selection goes along with its element."""
        self._order = None if column < 0 else (column, order == Qt.SortOrder.DescendingOrder)
        self.refresh()


class Sheet(QTableView):
    """The table; copy, paste, fill down and give back by keys, each one act."""

    wrong = pyqtSignal(str)

    def __init__(self, model: SheetModel, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setModel(model)
        self._sheet = model
        self.setFont(figures_font(9))
        self.setShowGrid(False)
        self.setAlternatingRowColors(False)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ContiguousSelection)
        self.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        head, side = self.horizontalHeader(), self.verticalHeader()
        assert head is not None
        assert side is not None
        head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        head.setSortIndicatorClearable(True)
        head.setMinimumSectionSize(44)
        head.setFont(figures_font(8.5))
        side.setFont(figures_font(9, bold=True))
        side.setDefaultSectionSize(25)
        self.setSortingEnabled(True)
        self.sortByColumn(-1, Qt.SortOrder.AscendingOrder)
        head.setSortIndicatorShown(False)
        self.selectionModel().currentRowChanged.connect(self._follow)  # type: ignore[union-attr]
        model.desk.selection_changed.connect(self.show_selection)
        model.modelReset.connect(self.show_selection)
        self.show_selection()

    def show_selection(self) -> None:
        """Put the mark on the desk's selected element."""
        keys = self._sheet.keys
        if self._sheet.desk.selection in keys:
            row = keys.index(self._sheet.desk.selection)
            if self.currentIndex().row() != row:
                self.setCurrentIndex(self._sheet.index(row, max(self.currentIndex().column(), 0)))

    def dataChanged(self, first: QModelIndex, last: QModelIndex, roles: Iterable[int] = ()) -> None:  # noqa: N802
        """Results that arrive while a cell is open must not replace what is being typed in it."""
        viewport = self.viewport()
        if self.state() == self.State.EditingState and viewport is not None:
            viewport.update()
        else:
            super().dataChanged(first, last, roles)

    def _follow(self, present: QModelIndex) -> None:
        if present.isValid() and self.hasFocus():
            self._sheet.desk.select(self._sheet.keys[present.row()])

    def _block(self) -> list[QModelIndex]:
        chosen = self.selectedIndexes() or [self.currentIndex()]
        return sorted(chosen, key=lambda i: (i.row(), i.column()))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:  # noqa: N802
        """Ctrl+C, Ctrl+V, Ctrl+D and Delete act on the block; Enter opens the cell."""
        if event is None:
            return
        control = event.modifiers() == Qt.KeyboardModifier.ControlModifier
        acts = {Qt.Key.Key_C: self.copy, Qt.Key.Key_V: self.paste, Qt.Key.Key_D: self.fill_down}
        if control and event.key() in acts:
            acts[Qt.Key(event.key())]()
        elif event.key() == Qt.Key.Key_Delete:
            self.give_back()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.state() != self.State.EditingState:
            self.edit(self.currentIndex())
        else:
            super().keyPressEvent(event)

    def copy(self) -> None:
        """Copy the block, exact, in the units of the columns."""
        rows: dict[int, list[str]] = {}
        for index in self._block():
            value = self._sheet.value(self._sheet.keys[index.row()], index.column())
            unit, kind = self._sheet.unit(index.column()), self._sheet.kind_of(index.column())
            rows.setdefault(index.row(), []).append("" if value is None else repr(units.to_unit(value, unit, kind)))
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None:
            clipboard.setText("\n".join("\t".join(cells) for cells in rows.values()))

    def paste(self) -> None:
        """Paste a block from the present cell on; what does not fit is told, and nothing is typed."""
        clipboard = QGuiApplication.clipboard()
        text = "" if clipboard is None else clipboard.text()
        rows = [line.split("\t") for line in text.splitlines() if line.strip()]
        start = self.currentIndex()
        wide = start.column() + max((len(r) for r in rows), default=0) - self._sheet.columnCount()
        long = start.row() + len(rows) - self._sheet.rowCount()
        if wide > 0 or long > 0:
            over = f"{wide} columns" if wide > 0 else f"{long} rows"
            self._sheet.desk.told.emit(f"The pasted block reaches {over} beyond the sheet; nothing was typed.")
            return
        cells = [
            (self._sheet.keys[start.row() + r], start.column() + c, cell)
            for r, row in enumerate(rows)
            for c, cell in enumerate(row)
            if cell.strip()
        ]
        if cells:
            self._sheet.type_block(cells)

    def fill_down(self) -> None:
        """Type the top row of the block into the rest of it; a single cell fills its whole column below."""
        block = self._block()
        top = block[0].row()
        last = block[-1].row() if block[-1].row() > top else self._sheet.rowCount() - 1
        columns = sorted({i.column() for i in block})
        cells = []
        for column in columns:
            value = self._sheet.value(self._sheet.keys[top], column)
            if value is not None:
                unit, kind = self._sheet.unit(column), self._sheet.kind_of(column)
                text = f"{units.to_unit(value, unit, kind)!r} {unit}"
                cells += [(self._sheet.keys[row], column, text) for row in range(top + 1, last + 1)]
        if cells:
            self._sheet.type_block(cells)

    def give_back(self) -> None:
        """Give the typed values of the block back."""
        chosen = [
            (self._sheet.keys[i.row()], self._sheet.path(self._sheet.keys[i.row()], i.column())) for i in self._block()
        ]
        values = [(key, path) for key, path in chosen if path is not None]
        if values:
            self._sheet.desk.do(edits.give_back_many, values)
