"""The work of a catchment step by step: its losses, and the convolution."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from tarnwater import units
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import desk_font
from tarnwater.desk.widgets.grid_view import GridView, put_on_clipboard
from tarnwater.desk.widgets.labels import Words
from tarnwater.errors import TarnwaterError
from tarnwater.study.answers.figures import case_title
from tarnwater.study.reckonings.steps import StepTable, convolution_steps, loss_steps

TABLES = (("losses, surface by surface", loss_steps), ("convolution, pulse by pulse", convolution_steps))

_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter


class StepModel(QAbstractTableModel):
    """A table of steps; cells are worked out when they are shown."""

    def __init__(self, table: StepTable, system: units.System) -> None:
        super().__init__()
        self._table = table
        self._units = [units.display_unit(c.kind, list(c.values) or [0.0], system) for c in table.columns]
        top = float(table.excess.max(initial=0.0) * table.unit_flows.max(initial=0.0))
        self._flow = units.display_unit("flow", [top], system)

    def rowCount(self, _parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008, N802
        """Its steps."""
        return len(self._table.times)

    def columnCount(self, _parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008, N802
        """Its columns, and a pulse each."""
        return len(self._table.columns) + len(self._table.pulses)

    def headerData(self, section: int, across: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:  # noqa: N802
        """Heads with units, and the ends of the steps."""
        if role == Qt.ItemDataRole.TextAlignmentRole and across == Qt.Orientation.Vertical:
            return _RIGHT
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        table = self._table
        if across == Qt.Orientation.Vertical:
            return units.show_duration(round(float(table.times[section])))
        if section < len(table.columns):
            return f"{table.columns[section].head}\n{self._units[section]}"
        pulse = table.pulses[section - len(table.columns)]
        return f"from {units.show_duration(round((pulse + 1) * table.step))}\n{self._flow}"

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Figures, aligned to the right."""
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return _RIGHT
        return self.text(index.row(), index.column()) if role == Qt.ItemDataRole.DisplayRole else None

    def text(self, row: int, column: int) -> str:
        """One figure to four digits; a pulse that does not reach the step is blank."""
        table = self._table
        if column < len(table.columns):
            one = table.columns[column]
            return units.rounded(units.to_unit(float(one.values[row]), self._units[column], one.kind))
        part = table.part(row, table.pulses[column - len(table.columns)])
        return units.rounded(units.to_unit(part, self._flow, "flow")) if part else ""


class StepsView(GridView):
    """The table; Ctrl+C copies the block with all digits."""

    def copy(self) -> None:
        """Copy the block, row by row."""
        model = self.model()
        lines: dict[int, list[str]] = {}
        assert isinstance(model, StepModel)
        for index in self.block():
            lines.setdefault(index.row(), []).append(model.text(index.row(), index.column()))
        put_on_clipboard(lines.values())


class StepsDialog(QDialog):
    """Which table, the case, and the steps."""

    def __init__(self, parent: QWidget, desk: Desk, key: str) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._desk, self._key = desk, key
        self.setWindowTitle(f"Step by step: {desk.study.name_of(key)}")
        self.resize(860, 560)
        self.which = QComboBox()
        self.which.setAccessibleName("Table of steps")
        for words, read in TABLES:
            self.which.addItem(words, read)
        self.which.activated.connect(lambda _: self._show())
        self._case = Words("", quiet=True)
        self.view = StepsView("Steps")
        self.told = Words("", size=8.5)
        self.told.setWordWrap(True)
        close = QDialogButtonBox()
        close.addButton("Close", QDialogButtonBox.ButtonRole.RejectRole)
        close.rejected.connect(self.reject)
        top = QHBoxLayout()
        top.addWidget(self.which)
        top.addWidget(self._case, 1)
        layout = QVBoxLayout(self)
        layout.addLayout(top)
        layout.addWidget(self.view, 1)
        layout.addWidget(self.told)
        layout.addWidget(close)
        head, side = self.view.horizontalHeader(), self.view.verticalHeader()
        for one in (head, side):
            if one is not None:
                one.setFont(desk_font(8))
        if side is not None:
            side.setDefaultSectionSize(self.view.fontMetrics().height() + 6)
        self._show()
        self.view.setFocus()

    def _show(self) -> None:
        desk, case = self._desk, self._desk.case_showing(self._key)
        if desk.results is None or case is None:
            self.told.setText("The case is not computed.")
            return
        self._case.setText(case_title(desk.results, case, self._key))
        try:
            table = self.which.currentData()(case, self._key)
        except TarnwaterError as error:
            self.view.setModel(None)
            self.told.setText(str(error))
            return
        self.model = StepModel(table, desk.study.units)
        self.view.setModel(self.model)
        self._fit_columns(len(table.columns))
        self._show_first_excess(table)
        self.told.setText(table.note)

    def _fit_columns(self, own: int) -> None:
        """Fit its columns; all pulses, of which there may be thousands, are as wide as the longest of their heads."""
        head = self.view.horizontalHeader()
        assert head is not None
        pulses = range(own, self.model.columnCount())
        widest = max((head.sectionSizeHint(n) for n in (*pulses[:1], *pulses[-1:])), default=60)
        head.setDefaultSectionSize(widest + 8)
        # sections of the table before keep their sizes
        for column in pulses:
            head.resizeSection(column, widest + 8)
        for column in range(own):
            self.view.resizeColumnToContents(column)

    def _show_first_excess(self, table: StepTable) -> None:
        """Begin where the first excess is; before it all columns are zero."""
        if table.pulses:
            first = self.model.index(table.pulses[0], 0)
            self.view.setCurrentIndex(first)
            self.view.scrollTo(first, QAbstractItemView.ScrollHint.PositionAtTop)
