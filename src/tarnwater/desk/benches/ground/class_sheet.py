"""The classes of cover as a sheet: those of the study, those kept across studies, and those of the program."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QColorDialog,
    QDialog,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from tarnwater import units
from tarnwater.cover import CoverClass
from tarnwater.cover.classes import HATCHES
from tarnwater.desk.benches.ground.land_choices import library_of
from tarnwater.desk.benches.ground.values_table import MeaningDelegate
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.desk.widgets.grid_view import GridView, put_on_clipboard
from tarnwater.desk.widgets.labels import Words
from tarnwater.errors import TarnwaterError
from tarnwater.parameters import description_of
from tarnwater.study.document.entry_units import entry_unit
from tarnwater.study.edits.cover import remove_class, set_class
from tarnwater.study.edits.land_by_numbers import field_read
from tarnwater.study.file.kept import read_kept, write_kept
from tarnwater.study.reckonings.land import mark_of

#: Columns: the field, and its head.
COLUMNS: tuple[tuple[str, str], ...] = (
    ("name", "class"), ("group_a", "A"), ("group_b", "B"), ("group_c", "C"), ("group_d", "D"),
    ("impervious", "impervious"), ("connected", "connected"), ("coefficient", "C to 10 years"),
    ("coefficients", "C by return period"), ("roughness", "roughness n"), ("initial_loss", "initial loss"),
    ("constant_loss", "constant loss"), ("parts", "mix of"), ("colour", "colour"), ("hatch", "hatch"),
    ("name_out", "name elsewhere"), ("", "mark"),
)  # fmt: skip

FIELDS = [field for field, _ in COLUMNS]


class ClassModel(QAbstractTableModel):
    """One row for each class; typing in one of the program copies it into the study."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.desk, self.theme = desk, theme
        self.kept = read_kept()
        self.words = ""
        self.classes: list[CoverClass] = []
        self._refused: dict[tuple[str, int], tuple[str, str]] = {}
        self.refresh()

    def refresh(self) -> None:
        """Show the classes that hold every word that is sought."""
        wanted = self.words.casefold().split()
        library = library_of(self.desk.study, self.kept)
        found = [one for one in library.values() if all(word in one.name.casefold() for word in wanted)]
        if [one.name for one in found] == [one.name for one in self.classes]:
            self.classes = found
            self.dataChanged.emit(self.index(0, 0), self.index(max(len(found) - 1, 0), len(COLUMNS) - 1))
            return
        self.beginResetModel()
        self.classes = found
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:  # noqa: N802
        """Number of classes."""
        return len(self.classes)

    def columnCount(self, parent: QModelIndex | None = None) -> int:  # noqa: N802
        """Number of columns."""
        return len(COLUMNS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:  # noqa: N802
        """Heads with units."""
        if role != Qt.ItemDataRole.DisplayRole or orientation != Qt.Orientation.Horizontal:
            return None
        unit = self._unit(section)
        return f"{COLUMNS[section][1]}, {unit}" if unit else COLUMNS[section][1]

    def _kind(self, column: int) -> str:
        field = FIELDS[column]
        described = description_of(CoverClass.model_fields[field]) if field in CoverClass.model_fields else None
        return "" if described is None else described.kind

    def _unit(self, column: int) -> str:
        kind = self._kind(column)
        if not kind or kind in ("curve number", "factor"):
            return ""
        return "%" if kind == "share" else entry_unit(self.desk.study, kind, kind)

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        """All but the mark can be typed."""
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        return flags | Qt.ItemFlag.ItemIsEditable if FIELDS[index.column()] else flags

    def mark(self, one: CoverClass) -> str:
        """Where a class comes from, and whether the study has it."""
        there = "in the study" if one.name in self.desk.study.cover_classes else ""
        kept = "kept" if one.name in self.kept.classes else ""
        return ", ".join(part for part in (mark_of(one), there, kept) if part)

    def text(self, one: CoverClass, column: int) -> str:
        """A cell in words."""
        field = FIELDS[column]
        if not field:
            return self.mark(one)
        if field == "name_out":
            return self.kept.names_out.get(one.name, "")
        value = getattr(one, field)
        if value is None or value == ():
            return ""
        if field == "coefficients":
            return ", ".join(f"{period:g} {coefficient:g}" for period, coefficient in value)
        if field == "parts":
            return "; ".join(p.cover if p.share is None else f"{p.cover} {100 * p.share:g}%" for p in value)
        if isinstance(value, str):
            return value
        unit = self._unit(column)
        return f"{units.to_unit(value, unit, self._kind(column)) if unit else value:.6g}"

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Texts; a patch with colour and hatch; the classes of the study bold."""
        one, column = self.classes[index.row()], index.column()
        refused = self._refused.get((one.name, column))
        if refused is not None and role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return refused[0]
        if refused is not None and role in (Qt.ItemDataRole.ToolTipRole, Qt.ItemDataRole.ForegroundRole):
            return refused[1] if role == Qt.ItemDataRole.ToolTipRole else self.theme.colour("limit")
        match role:
            case Qt.ItemDataRole.DisplayRole | Qt.ItemDataRole.EditRole | Qt.ItemDataRole.UserRole:
                return self.text(one, column)
            case Qt.ItemDataRole.BackgroundRole if FIELDS[column] == "colour":
                return QColor(one.colour)
            case Qt.ItemDataRole.ForegroundRole if FIELDS[column] == "colour":
                return QColor("#202020" if QColor(one.colour).lightnessF() > 0.5 else "#f0f0f0")
            case Qt.ItemDataRole.TextAlignmentRole:
                side = Qt.AlignmentFlag.AlignRight if self._kind(column) else Qt.AlignmentFlag.AlignLeft
                return side | Qt.AlignmentFlag.AlignVCenter
            case Qt.ItemDataRole.FontRole:
                return desk_font(9, bold=column == 0 and one.name in self.desk.study.cover_classes)
            case Qt.ItemDataRole.ToolTipRole:
                return self._hint(column) or self.text(one, column)
        return None

    def _hint(self, column: int) -> str:
        field = FIELDS[column]
        if field == "name_out":
            return "the name of this cover in other programs, for the map that is written; kept for other studies"
        described = description_of(CoverClass.model_fields[field]) if field else None
        return "" if described is None else "\n".join(p for p in (described.meaning, described.source) if p)

    def setData(self, index: QModelIndex, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:  # noqa: N802
        """Type one cell: the class enters the study with it."""
        one, text = self.classes[index.row()], str(value).strip()
        if text == self.text(one, index.column()):
            return False
        try:
            if FIELDS[index.column()] == "name_out":
                self.kept = read_kept().with_name_out(one.name, text)
                write_kept(self.kept)
                self.refresh()
                return True
            self.put(one, FIELDS[index.column()], self._read(index.column(), text, one.name))
        except (TarnwaterError, ValueError) as error:
            what = f"“{text}” cannot be the {COLUMNS[index.column()][1]} of {one.name}."
            told = str(error) if isinstance(error, TarnwaterError) else what
            self._refused[one.name, index.column()] = text, told
            self.desk.told.emit(told)
            self.dataChanged.emit(index, index)
            return True
        self._refused.pop((one.name, index.column()), None)
        self.refresh()
        return True

    def _read(self, column: int, text: str, where: str) -> Any:
        field, kind = FIELDS[column], self._kind(column)
        if field == "name":
            return text
        if kind and text:
            return units.parse(text, kind, default=self._unit(column) or None)
        return field_read(field, text, where)

    def put(self, one: CoverClass, field: str, value: Any) -> None:
        """Put a class with another value into the study."""
        new = CoverClass(**{**one.model_dump(), field: value})
        was = one.name if one.name in self.desk.study.cover_classes else ""
        self.desk.do(set_class, new, was)

    def add(self) -> int:
        """Add a new class to the study; returns its row."""
        names = set(library_of(self.desk.study, self.kept))
        name = next(f"New class {n}" for n in range(1, 10_000) if f"New class {n}" not in names)
        self.desk.do(set_class, CoverClass(name=name))
        self.refresh()
        return next((n for n, one in enumerate(self.classes) if one.name == name), 0)

    def remove(self, rows: list[int]) -> None:
        """Remove classes from the study; one that something uses stays, and that is said."""
        for row in rows:
            name = self.classes[row].name
            self._refused = {place: told for place, told in self._refused.items() if place[0] != name}
            if name in self.desk.study.cover_classes:
                self.desk.do(remove_class, name)
            else:
                self.desk.told.emit(f"{name} is not in the study; the program's classes always stay.")
        self.refresh()


class ClassDelegate(MeaningDelegate):
    """A list for the hatch, plain cells for the rest."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, lambda: HATCHES)

    def column_has_list(self, column: int) -> bool:
        """Whether a cell is chosen from a list."""
        return FIELDS[column] == "hatch"


class ClassView(GridView):
    """The sheet; Delete removes classes from the study, Enter on a colour opens the choice of colours."""

    def copy(self) -> None:
        """Copy the block as text."""
        rows: dict[int, list[str]] = {}
        for index in self.block():
            rows.setdefault(index.row(), []).append(str(index.data() or ""))
        put_on_clipboard(rows.values())

    def clear_block(self) -> None:
        """Clear the cells of the block; a whole row removes the class."""
        model, block = self.model(), self.block()
        assert isinstance(model, ClassModel)
        by_row: dict[int, list[QModelIndex]] = {}
        for index in block:
            by_row.setdefault(index.row(), []).append(index)
        if any(FIELDS[index.column()] == "name" for index in block):
            model.remove(sorted(by_row))
            return
        for index in block:
            if FIELDS[index.column()]:
                model.setData(index, "")


class ClassSheet(QDialog):
    """The sheet with a filter, and buttons to add, remove, keep, and colour a class."""

    def __init__(self, parent: QWidget, desk: Desk, theme: Theme) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Classes of cover")
        self.resize(1120, 600)
        self.desk = desk
        self.model = ClassModel(desk, theme)
        self.view = ClassView("Classes of cover")
        self.view.setModel(self.model)
        self.view.setItemDelegate(ClassDelegate(self.view))
        head, side = self.view.horizontalHeader(), self.view.verticalHeader()
        if head is not None and side is not None:
            side.hide()
            side.setDefaultSectionSize(self.fontMetrics().height() + 6)
            head.setHighlightSections(False)
            head.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
            head.setStretchLastSection(True)
        self.filter = QLineEdit()
        self.filter.setPlaceholderText("find a class")
        self.filter.setAccessibleName("Find a class")
        self.filter.textChanged.connect(self._find)
        self.told = Words("", size=8.5)
        self.told.setWordWrap(True)
        line = QHBoxLayout()
        line.addWidget(self.filter, 1)
        for words, name, act in (
            ("Add a class", "Add a class", self._add),
            ("Remove   Del", "Remove the class", self._remove),
            ("Colour …", "Choose the colour", self._colour),
            ("Keep for other studies", "Keep the class for other studies", self._keep),
            ("Forget", "Forget the kept class", self._forget),
        ):
            button = QPushButton(words)
            button.setAccessibleName(name)
            button.setAutoDefault(False)
            button.clicked.connect(lambda _=False, act=act: act())
            line.addWidget(button)
        legend = Words(
            "Curve numbers on soil groups A to D, average condition, Ia = 0.2 S. Bold classes are in the study: what "
            "is typed here changes its catchments at once. Ctrl+Z takes it back.",
            quiet=True,
            size=8.5,
        )
        layout = QVBoxLayout(self)
        layout.addLayout(line)
        layout.addWidget(legend)
        layout.addWidget(self.view, 1)
        layout.addWidget(self.told)
        desk.told.connect(self.told.setText)
        desk.study_changed.connect(self.model.refresh)
        self.view.resizeColumnsToContents()
        self.view.setColumnWidth(0, min(self.view.columnWidth(0), 320))
        if self.model.kept.unreadable:
            self.told.setText(f"Some kept classes cannot be read: {', '.join(self.model.kept.unreadable[:5])}.")
        self.view.setFocus()

    def _find(self, words: str) -> None:
        self.model.words = words
        self.model.refresh()

    @property
    def _present(self) -> CoverClass | None:
        row = self.view.currentIndex().row()
        return self.model.classes[row] if 0 <= row < len(self.model.classes) else None

    def _add(self) -> None:
        self.filter.clear()
        row = self.model.add()
        self.view.setCurrentIndex(self.model.index(row, 0))
        self.view.setFocus()
        self.view.edit(self.view.currentIndex())

    def _remove(self) -> None:
        self.model.remove(sorted({index.row() for index in self.view.block()}))

    def _colour(self) -> None:
        one = self._present
        if one is not None:
            chosen = QColorDialog.getColor(
                QColor(one.colour), self, f"Colour of {one.name}", QColorDialog.ColorDialogOption.DontUseNativeDialog
            )
            if chosen.isValid():
                self.model.put(one, "colour", chosen.name())

    def _keep(self) -> None:
        one = self._present
        if one is not None:
            self._write(read_kept().with_class(one), f"{one.name} is kept for other studies.")

    def _forget(self) -> None:
        one = self._present
        if one is not None and one.name in self.model.kept.classes:
            self._write(read_kept().without_class(one.name), f"{one.name} is no longer kept for other studies.")

    def _write(self, kept: Any, words: str) -> None:
        try:
            write_kept(kept)
        except TarnwaterError as error:
            self.told.setText(str(error))
            return
        self.model.kept = kept
        self.model.refresh()
        self.told.setText(words)
