"""A sheet of elements, edited like a spreadsheet: paste a block, fill down, set a column, sort."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QPoint, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFocusEvent, QFont, QPainter
from PyQt6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from tarnwater import units
from tarnwater.desk.desk import Desk
from tarnwater.desk.ledger.contents import hint_of
from tarnwater.desk.ledger.marks import MARKS, MEANINGS, State, origin_of
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.desk.widgets.grid_view import GridView, clipboard_rows, put_on_clipboard
from tarnwater.desk.widgets.labels import as_hint
from tarnwater.desk.widgets.unit_button import unit_menu
from tarnwater.errors import TarnwaterError
from tarnwater.network.elements import Catchment, Element
from tarnwater.network.memo import IdentityMemo
from tarnwater.parameters import Setting
from tarnwater.study import edits
from tarnwater.study.document import Condition
from tarnwater.study.document.conditions import lineage
from tarnwater.study.document.entry_units import entry_unit
from tarnwater.study.document.fields import description_at, paths_by_name, value_at
from tarnwater.study.edits.assignments import method_paths

#: States in which a person typed the value.
_TYPED: tuple[State, ...] = ("typed", "here", "inherited")


@dataclass(frozen=True)
class Column:
    """A column: a quantity of the elements by its last name, a figure computed for each, or words.

    One ``where_known`` is shown only if an element has its quantity.
    """

    title: str
    field: str = ""
    kind: str = ""
    figure: Callable[[Desk, str], float | None] | None = None
    asked: str = ""
    words: Callable[[Desk, str], str] | None = None
    where_known: bool = False

    @property
    def quantity(self) -> str:
        """Name of the quantity that is typed in it."""
        return self.field.rsplit("/", 1)[-1]


#: Placeholder in the columns of a sheet for the columns of the methods.
OF_METHODS = Column("of the methods")


def columns_of_methods(element: Element) -> tuple[Column, ...]:
    """Columns of the methods of an element."""
    found = []
    for path, _ in method_paths(element):
        place = path.rsplit("/", 1)[-1]
        found += [Column(head, f"{place}/{name}") for name, head in value_at(element, path).columns.items()]
    return tuple(dict.fromkeys(found))


_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
_TOP_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop

#: Room to the right of a figure, in pixels.
PADDING = 4

#: Item role of the mark of a value.
MARK_ROLE = Qt.ItemDataRole.UserRole + 1


class MarkedCell(QStyledItemDelegate):
    """Draws the mark of a typed value in the corner of its cell."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:  # noqa: N802
        """Room for a mark beside the figure."""
        size = super().sizeHint(option, index)
        return QSize(size.width() + (7 if index.data(MARK_ROLE) else 0), size.height())

    def __init__(self, model: SheetModel, parent: QWidget) -> None:
        super().__init__(parent)
        self._sheet = model
        self._small = desk_font(6)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """Draw figure and mark directly from the sheet, ten times faster than by the roles of the model."""
        if painter is None:
            return
        cell, theme = self._sheet.cell_at(index), self._sheet.theme
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(option.rect, QColor(theme.chosen))
        if option.state & QStyle.StateFlag.State_HasFocus:
            painter.setPen(QColor(theme.water))
            painter.drawRect(option.rect.adjusted(0, 0, -1, -1))
        font, colour = self._sheet.look_of(cell)
        painter.setPen(colour)
        painter.setFont(font)
        painter.drawText(option.rect.adjusted(0, 0, -PADDING, 0), _RIGHT, cell.text)
        if cell.mark:
            painter.setFont(self._small)
            painter.drawText(option.rect.adjusted(3, 1, 0, 0), _TOP_LEFT, cell.mark)


@dataclass(frozen=True)
class Cell:
    """One cell: its exact value, text, mark with its meaning, and the path of its quantity.

    A ``refused`` one shows the typed text that was not accepted, and the reason.
    """

    value: float | None
    text: str
    path: str | None
    state: State | Literal[""]
    words: str
    refused: bool = False

    @property
    def mark(self) -> str:
        """The mark that is drawn, or none."""
        if self.refused:
            return MARKS["missing"]
        return MARKS[self.state] if self.state and self.state in (*_TYPED, "missing") else ""


#: What is said of a quantity whose part is made when it is typed.
NONE_YET = "There is none yet. Type a number to make it."

_NOTHING = Cell(None, "", None, "", "")


def _same(before: tuple[Any, ...], now: tuple[Any, ...]) -> bool:
    """Whether a row is made from the same objects: element and conditions, which never change in place."""
    conditions = before[1], now[1]
    alike = len(conditions[0]) == len(conditions[1]) and all(a is b for a, b in zip(*conditions, strict=True))
    return before[0] is now[0] and alike and before[2:] == now[2:]


class SheetModel(QAbstractTableModel):
    """Elements of one kind down, columns across; names are in the fixed row heads.

    All cells are computed when the study or its results change, and only read while they are drawn.
    """

    fitted = pyqtSignal()

    def __init__(self, desk: Desk, kind: str, columns: Sequence[Column], theme: Theme) -> None:
        super().__init__()
        self._names: list[str] = []
        self._asked_for = columns
        self._of_methods: IdentityMemo[tuple[Column, ...]] = IdentityMemo(most=1 << 14)
        self.desk, self.kind, self.theme = desk, kind, theme
        self.columns = self._columns_for(())
        self.keys: list[str] = []
        self._cells: list[list[Cell]] = []
        self._paths: IdentityMemo[dict[str, str]] = IdentityMemo(most=1 << 14)
        self._made: IdentityMemo[tuple[str, ...]] = IdentityMemo(most=1 << 14)
        self._held: IdentityMemo[dict[str, float | None]] = IdentityMemo(most=1 << 14)
        self._refused: dict[tuple[str, int], tuple[str, str]] = {}
        self._rows: dict[str, tuple[tuple[Any, ...], list[Cell]]] = {}
        self._why = ""
        self._order: tuple[int, bool] | None = None
        self._filter = ""
        self._units = [""] * len(self.columns)
        self._kinds = [column.kind or "factor" for column in self.columns]
        self._fonts = desk_font(9), desk_font(9, bold=True)
        self.set_theme(theme)
        desk.drafts.append(self._undo_refused)
        self.refresh()

    def refresh(self) -> None:
        """Read the study again; if the rows are the same, an open cell and the selection are kept."""
        wanted = self._filter.casefold().split()
        elements = self.desk.elements
        keys = [
            k
            for k, e in elements.items()
            if getattr(e, "kind", "") == self.kind and all(word in e.name.casefold() for word in wanted)
        ]
        self._take_columns(self._columns_for([elements[key] for key in keys]))
        values = {key: [self._value(elements[key], key, column) for column in self.columns] for key in keys}
        if self._order is not None:
            column, falling = self._order
            words = self.columns[column].words
            by_words = None if words is None else {k: words(self.desk, k) for k in keys}
            keys.sort(key=lambda k: by_words[k] if by_words else values[k][column] or 0.0, reverse=falling)
        same = keys == self.keys
        if not same:
            self.beginResetModel()
        before, heads = self._cells, list(self._units)
        self.keys = keys
        for number, shown in enumerate(self.columns):
            self._kinds[number] = shown.kind or self._kind_of(shown, [elements[key] for key in keys])
            known = [v for key in keys if (v := values[key][number]) is not None]
            self._units[number] = self._unit_for(number, known)
        conditions = lineage(self.desk.study, self.desk.condition)
        self._cells = [self._row(elements[key], key, values[key], conditions) for key in keys]
        if not same:
            self.endResetModel()
            return
        self._tell_changes(before, heads)

    def _columns_for(self, elements: Sequence[Element]) -> list[Column]:
        """Columns for some elements: the fixed ones, and those of their methods at their place."""
        of_methods: dict[Column, None] = {}
        for element in elements:
            known = self._of_methods.get((element,))
            if known is None:
                known = self._of_methods.put((element,), columns_of_methods(element))
            of_methods.update(dict.fromkeys(known))
        shown = [one for asked in self._asked_for for one in (of_methods if asked is OF_METHODS else (asked,))]
        return [one for one in shown if not one.where_known or any(self._path(e, one.field) for e in elements)]

    def _take_columns(self, columns: list[Column]) -> None:
        """Show other columns if the methods in use have others; refused texts are removed with their column."""
        if columns == self.columns:
            return
        place = {number: columns.index(one) for number, one in enumerate(self.columns) if one in columns}
        self.beginResetModel()
        self._refused = {(key, place[n]): told for (key, n), told in self._refused.items() if n in place}
        self._order = (
            None if self._order is None or self._order[0] not in place else (place[self._order[0]], self._order[1])
        )
        self.columns, self.keys, self._cells, self._names = columns, [], [], []
        self._units, self._kinds = [""] * len(columns), [column.kind or "factor" for column in columns]
        self._rows.clear()
        self.endResetModel()

    def _tell_changes(self, before: list[list[Cell]], heads: list[str]) -> None:
        """Tell the view what to draw again: rows with a changed cell, heads with another unit or name."""
        last = len(self.columns) - 1
        if heads != self._units:
            self.headerDataChanged.emit(Qt.Orientation.Horizontal, 0, last)
        names = [self.desk.study.name_of(key) for key in self.keys]
        if names != self._names:
            self._names = names
            self.headerDataChanged.emit(Qt.Orientation.Vertical, 0, len(names) - 1)
        for row, (old, new) in enumerate(zip(before, self._cells, strict=True)):
            if old != new:
                self.dataChanged.emit(self.index(row, 0), self.index(row, last))
        self.fitted.emit()

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self.theme = theme
        self._colours = QColor(theme.ink), QColor(theme.water), QColor(theme.limit)

    def show_only(self, text: str) -> None:
        """Show the elements whose names contain every word of a text; all elements for an empty text."""
        self._filter = text
        self.refresh()

    def _unit_for(self, number: int, known: Sequence[float]) -> str:
        """Unit of a column: the unit of entry if values are typed in it, otherwise by its largest value."""
        kind, study = self._kinds[number], self.desk.study
        if self.columns[number].field:
            return entry_unit(study, self.columns[number].quantity, kind)
        return units.display_unit(kind, known, study.units)

    def _path(self, element: Element, field: str) -> str | None:
        """Path of the quantity of an element; None if it has none, or several."""
        known = self._paths.get((element,))
        if known is None:
            known = self._paths.put((element,), paths_by_name(element))
        if field in self._made_for(element):
            return field
        if "/" not in field or field in known:
            return known.get(field)
        ends = [path for path in known if path.endswith(f"/{field}")]
        return ends[0] if len(ends) == 1 else None

    def _made_for(self, element: Element) -> tuple[str, ...]:
        """Quantities for which a part of an element is made when they are typed; until then they are zero."""
        known = self._made.get((element,))
        if known is None:
            asked = [column.field for column in self._asked_for if column.field]
            made = tuple(field for field in asked if element.with_room_for(field) is not element)
            known = self._made.put((element,), made)
        return known

    def _value(self, element: Element, key: str, column: Column) -> float | None:
        if column.figure is not None:
            return column.figure(self.desk, key)
        if column.words is not None:
            return None
        known = self._held.get((element,))
        if known is None:
            known = self._held.put((element,), {})
        if column.field not in known:
            known[column.field] = self._held_at(element, column.field)
        return known[column.field]

    def _held_at(self, element: Element, field: str) -> float | None:
        """Value of a quantity of an element; None if it has none, or several."""
        path = self._path(element, field)
        if path in self._made_for(element):
            return 0.0
        if path is None:
            return element.curve_number if field == "curve_number" and isinstance(element, Catchment) else None
        setting = value_at(element, path)
        value: float | None = setting.value if isinstance(setting, Setting) else setting
        return value

    def _kind_of(self, column: Column, elements: Sequence[Element]) -> str:
        for element in elements:
            path = self._path(element, column.field)
            description = None if path is None else description_at(element, path)
            if description is not None:
                return description.kind
        return "factor"

    def _row(self, element: Element, key: str, values: list[float | None], conditions: list[Condition]) -> list[Cell]:
        """Cells of an element; the same objects if nothing that they show has changed."""
        refused = [told for told in self._refused.items() if told[0][0] == key]
        made_of = (
            element,
            conditions,
            [*self._units],
            values,
            refused,
            [column.words(self.desk, key) for column in self.columns if column.words is not None],
        )
        known = self._rows.get(key)
        if known is None or not _same(known[0], made_of):
            known = self._rows[key] = made_of, [self._cell(element, key, n, value) for n, value in enumerate(values)]
        return known[1]

    def _cell(self, element: Element, key: str, number: int, value: float | None) -> Cell:
        unit, kind = self._units[number], self._kinds[number]
        text = "" if value is None else units.show(value, kind, unit=unit).removesuffix(unit).strip()
        column = self.columns[number]
        if column.words is not None:
            return Cell(None, column.words(self.desk, key), None, "", "")
        path = self._path(element, column.field) if column.field else None
        if path is None:
            return Cell(value, text, None, "", "")
        if (key, number) in self._refused:
            return self._refused_cell(value, path, *self._refused[key, number])
        if path in self._made_for(element):
            return Cell(value, text, path, "", NONE_YET)
        origin = origin_of(self.desk, key, path, value_at(element, path))
        words = f"{MEANINGS[origin.state]}{f': {origin.condition}' if origin.condition else ''}"
        return Cell(value, text, path, origin.state, words)

    @staticmethod
    def _refused_cell(value: float | None, path: str, text: str, why: str) -> Cell:
        return Cell(value, text or "(empty)", path, "", why, refused=True)

    def cell_at(self, index: QModelIndex) -> Cell:
        """The cell at an index."""
        return self._cells[index.row()][index.column()]

    def look_of(self, cell: Cell) -> tuple[QFont, QColor]:
        """Font and colour of a cell: bold in the colour of water if typed, in the colour of limits if refused."""
        if cell.refused:
            return self._fonts[1], self._colours[2]
        typed = cell.state in _TYPED
        return self._fonts[typed], self._colours[typed]

    def cell(self, key: str, column: int) -> Cell:
        """A cell by its element; an empty one if the element is not shown."""
        return self._cells[self.keys.index(key)][column] if key in self.keys else _NOTHING

    def path(self, key: str, column: int) -> str | None:
        """Path of the quantity in a cell; None if it cannot be typed."""
        return self.cell(key, column).path

    def is_to_be_made(self, key: str, path: str | None) -> bool:
        """Whether a quantity has no place in its element until it is typed."""
        return path is not None and path in self._made_for(self.desk.elements[key])

    def value(self, key: str, column: int) -> float | None:
        """The exact value in a cell."""
        return self.cell(key, column).value

    def kind_of(self, column: int) -> str:
        """Kind of quantity in a column."""
        return self._kinds[column]

    def unit(self, column: int) -> str:
        """The unit of a column."""
        return self._units[column]

    @property
    def widths(self) -> list[int]:
        """Length of the longest text of each column."""
        return [max((len(row[n].text) for row in self._cells), default=0) for n in range(len(self.columns))]

    def rowCount(self, parent: QModelIndex | None = None) -> int:  # noqa: N802
        """Elements."""
        return len(self.keys)

    def columnCount(self, parent: QModelIndex | None = None) -> int:  # noqa: N802
        """Columns."""
        return len(self.columns)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:  # noqa: N802
        """Titles with units across, names down; a hint gives the whole name of a quantity and what it means."""
        if role == Qt.ItemDataRole.ToolTipRole and orientation == Qt.Orientation.Horizontal:
            return as_hint(self._hint_of(self.columns[section]))
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        if orientation == Qt.Orientation.Vertical:
            return self.desk.study.name_of(self.keys[section])
        return f"{self.columns[section].title}\n{self.unit(section)}"

    def _hint_of(self, column: Column) -> str:
        """The hint of the head of a column, by the first element that has it."""
        for key in self.keys:
            element = self.desk.elements[key]
            path = self._path(element, column.field) if column.field else None
            described = description_at(element, path) if path is not None else None
            if path is not None and described is not None:
                unit = entry_unit(self.desk.study, path, described.kind)
                return f"{described.name}\n{hint_of(element, path, described, unit)}"
        return column.title

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Figures to the right; typed ones in the colour of water, bold."""
        cell = self._cells[index.row()][index.column()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return cell.text
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.ForegroundRole:
            return self.look_of(cell)[1]
        if role == Qt.ItemDataRole.FontRole:
            return self.look_of(cell)[0]
        if role == MARK_ROLE:
            return cell.mark
        if role == Qt.ItemDataRole.ToolTipRole:
            return as_hint(cell.words) or None
        return None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        """Computed figures cannot be edited."""
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        return flags if self._cells[index.row()][index.column()].path is None else flags | Qt.ItemFlag.ItemIsEditable

    def setData(self, index: QModelIndex, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:  # noqa: N802
        """Type a value; the text may have a unit, otherwise the unit of the column applies.

        A refused text stays in the cell with the reason until it is changed or cleared.
        """
        text, place = str(value), (self.keys[index.row()], index.column())
        if text == self.data(index, Qt.ItemDataRole.EditRole):
            return True
        self._refused.pop(place, None)
        taken = self.type_block([(*place, text)])
        if not taken:
            self._refused[place] = text, self._why
        self.refresh()
        return taken

    def forget_refused(self, cells: Sequence[tuple[str, int]]) -> bool:
        """Discard refused texts and show the values again; returns whether there were any."""
        found = [place for place in cells if self._refused.pop(place, None) is not None]
        if found:
            self.refresh()
        return bool(found)

    def _undo_refused(self) -> str:
        """Discard the last refused text; returns its label, or an empty text."""
        if not self._refused:
            return ""
        (key, column), (text, _) = list(self._refused.items())[-1]
        self.forget_refused([(key, column)])
        self.desk.told.emit("")
        return f"type {text!r} in {self.columns[column].title} of {self.desk.study.name_of(key)}"

    def type_block(self, cells: Sequence[tuple[str, int, str]]) -> bool:
        """Type many cells as one act; nothing is typed where one of them is refused, and the reason is shown."""
        values: list[tuple[str, str, float]] = []
        texts: dict[str, str] = {}
        for key, column, text in cells:
            path = self.path(key, column)
            if path is None:
                return self._refuse(
                    f"{self.desk.study.name_of(key)}, {self.columns[column].title}: it cannot be typed."
                )
            try:
                number = edits.read_value(self.desk.elements[key], path, text, self.unit(column))
            except TarnwaterError as error:
                return self._refuse(str(error))
            values.append((key, path, number))
            texts.setdefault(path, text)
        return not values or self.desk.type_values(values, texts=texts) or self._refuse("")

    def _refuse(self, why: str) -> bool:
        self._why = why or "the edit was refused."
        if why:
            self.desk.told.emit(why)
        return False

    def sort(self, column: int, order: Qt.SortOrder = Qt.SortOrder.AscendingOrder) -> None:
        """Sort by a column; the selection stays on its element."""
        wanted = None if column < 0 else (column, order == Qt.SortOrder.DescendingOrder)
        if wanted != self._order:
            self._order = wanted
            self.refresh()


class Sheet(GridView):
    """The table; copy, paste, fill down and clear by keys, each as one act."""

    def __init__(self, model: SheetModel, name: str) -> None:
        super().__init__(name)
        self._arriving = False
        self.setModel(model)
        self._sheet = model
        head, side = self.horizontalHeader(), self.verticalHeader()
        assert head is not None
        assert side is not None
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        head.setSortIndicatorClearable(True)
        head.setMinimumSectionSize(44)
        head.setFont(desk_font(8.5))
        head.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        head.customContextMenuRequested.connect(lambda at: self.choose_unit(head.logicalIndexAt(at)))
        side.setFont(desk_font(9, bold=True))
        side.setDefaultSectionSize(25)
        self.setItemDelegate(MarkedCell(model, self))
        self.setSortingEnabled(True)
        self.sortByColumn(-1, Qt.SortOrder.AscendingOrder)
        head.setSortIndicatorShown(False)
        marks = self.selectionModel()
        assert marks is not None
        marks.currentRowChanged.connect(self._follow)
        marks.selectionChanged.connect(self._gather)
        self.pressed.connect(self._pressed)
        model.desk.selection_changed.connect(self.show_selection)
        self._widths: list[int] = []
        model.modelReset.connect(self.show_selection)
        model.modelReset.connect(self._fit)
        model.fitted.connect(self._fit)
        self._fit()
        self.show_selection()

    def _fit(self) -> None:
        """Fit the columns if the lengths of their longest texts have changed."""
        if self._sheet.widths != self._widths:
            self._widths = self._sheet.widths
            self.resizeColumnsToContents()

    def show_selection(self) -> None:
        """Move the current cell to the selected element."""
        keys = self._sheet.keys
        if self._sheet.desk.selection in keys:
            row = keys.index(self._sheet.desk.selection)
            if self.currentIndex().row() != row:
                self.setCurrentIndex(self._sheet.index(row, max(self.currentIndex().column(), 0)))

    def focusInEvent(self, event: QFocusEvent | None) -> None:  # noqa: N802
        """Keep the selection when the focus arrives; moving in the sheet changes it."""
        self._arriving = True
        super().focusInEvent(event)
        self._arriving = False

    def _follow(self, present: QModelIndex) -> None:
        if present.isValid() and self.hasFocus() and not self._arriving:
            self._sheet.desk.select(self._sheet.keys[present.row()])

    def _pressed(self, present: QModelIndex) -> None:
        """Handle a press on the current row: select its element, or with Shift the block."""
        self._follow(present)
        self._gather()

    def _gather(self) -> None:
        """Let actions apply to every row of the block."""
        rows = sorted({index.row() for index in self.selectedIndexes()})
        if self.hasFocus() and not self._arriving:
            self._sheet.desk.gather([self._sheet.keys[row] for row in rows] if len(rows) > 1 else ())

    def copy(self) -> None:
        """Copy the block, exact, in the units of the columns."""
        rows: dict[int, list[str]] = {}
        for index in self.block():
            value = self._sheet.value(self._sheet.keys[index.row()], index.column())
            unit, kind = self._sheet.unit(index.column()), self._sheet.kind_of(index.column())
            text = self._sheet.cell_at(index).text if value is None else repr(units.to_unit(value, unit, kind))
            rows.setdefault(index.row(), []).append(text)
        put_on_clipboard(rows.values())

    def paste(self) -> None:
        """Paste a block from the present cell on; what does not fit is reported, and nothing is typed."""
        rows = clipboard_rows()
        start = self.currentIndex()
        heads = len(rows) - len(without_heads(rows))
        rows = rows[heads:]
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
        if cells and self._sheet.type_block(cells) and heads:
            told = f"{heads} row{'s'[: heads > 1]} of the pasted block hold no number and were taken as heads."
            self._sheet.desk.told.emit(told)

    def set_columns(self) -> None:
        """Type the value of the present cell into its whole column."""
        present = self.currentIndex()
        if present.isValid():
            self._type_into(present.row(), [present.column()], range(self._sheet.rowCount()))

    def choose_unit(self, column: int | None = None) -> None:
        """Open the units of a column, by default of the present one."""
        column = self.currentIndex().column() if column is None else column
        if not 0 <= column < len(self._sheet.columns) or not self._sheet.columns[column].field:
            self._sheet.desk.say("The unit of this column follows its figures.")
            return
        head = self.horizontalHeader()
        assert head is not None
        kind, unit = self._sheet.kind_of(column), self._sheet.unit(column)
        menu = unit_menu(self, self._sheet.desk, self._sheet.columns[column].quantity, kind, unit)
        menu.popup(head.mapToGlobal(QPoint(head.sectionViewportPosition(column), head.height())))

    def asked(self) -> tuple[str, str] | None:
        """The target of F1: element and field, or figure, of the current cell."""
        present = self.currentIndex()
        if not present.isValid():
            return None
        key, column = self._sheet.keys[present.row()], self._sheet.columns[present.column()]
        path = self._sheet.path(key, present.column())
        # a quantity whose part is still to be made has no origin
        return None if self._sheet.is_to_be_made(key, path) else (key, column.asked or path or "peak")

    def fill_down(self) -> None:
        """Type the top row of the block into the rest of it; a single cell fills its whole column below."""
        block = self.block()
        top = block[0].row()
        last = block[-1].row() if block[-1].row() > top else self._sheet.rowCount() - 1
        columns = sorted({i.column() for i in block})
        self._type_into(top, columns, range(top + 1, last + 1))

    def _type_into(self, source: int, columns: Sequence[int], rows: Iterable[int]) -> None:
        """Type the values of one row into the columns of others, as one act."""
        cells = []
        for column in columns:
            value = self._sheet.value(self._sheet.keys[source], column)
            if value is not None:
                unit, kind = self._sheet.unit(column), self._sheet.kind_of(column)
                text = f"{units.to_unit(value, unit, kind)!r} {unit}"
                # rows whose methods have no such value are left out
                keys = (self._sheet.keys[row] for row in rows)
                cells += [(key, column, text) for key in keys if self._sheet.path(key, column) is not None]
        if cells:
            self._sheet.type_block(cells)

    def clear_block(self) -> None:
        """Clear what was refused in the block, otherwise its typed values."""
        chosen = [
            (self._sheet.keys[i.row()], self._sheet.path(self._sheet.keys[i.row()], i.column())) for i in self.block()
        ]
        values = [(key, path) for key, path in chosen if path is not None]
        if self._sheet.forget_refused([(self._sheet.keys[i.row()], i.column()) for i in self.block()]):
            return
        if values:
            self._sheet.desk.give_back(values)


def without_heads(rows: Sequence[list[str]]) -> list[list[str]]:
    """Rows of a pasted block without those at its top in which no cell begins like a number."""
    first = next(
        (i for i, row in enumerate(rows) if any(cell.strip()[:1] in "0123456789+-.−" for cell in row if cell.strip())),
        0,
    )
    return list(rows[first:])
