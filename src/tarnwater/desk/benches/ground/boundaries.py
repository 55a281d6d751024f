"""The boundaries of the catchments as a table: gaps, overlaps, and land that drains to an outfall and lies in none."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QHeaderView, QPushButton, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from tarnwater import units
from tarnwater.brief.boundaries import BoundaryRow, boundary_rows
from tarnwater.desk.desk import Desk
from tarnwater.desk.outlines import OutlineActs
from tarnwater.desk.theme import desk_font
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.quantity_field import QuantityField
from tarnwater.errors import TarnwaterError
from tarnwater.progress import Progress
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.entry_units import entry_unit
from tarnwater.study.edits.outlines import Redrawn, mended

HEADS = ("what", "area", "where")


class Boundaries(QWidget):
    """The table, with the area up to which gaps and overlaps are mended; the chosen row is shown on the map."""

    row_chosen = pyqtSignal(object)

    def __init__(self, desk: Desk, acts: OutlineActs) -> None:
        super().__init__()
        self.desk, self._acts = desk, acts
        self.rows: list[BoundaryRow] = []
        self._of: tuple[object, ...] = ()
        self._looking: Progress | None = None
        self._up_to = 0.0
        self.told = Words("", quiet=True, size=8.5)
        self.table = QTableWidget(0, len(HEADS))
        self.table.setAccessibleName("Gaps, overlaps and open land")
        self.table.setHorizontalHeaderLabels(HEADS)
        self.table.setFont(desk_font(9))
        self.table.setShowGrid(False)
        self.table.setTabKeyNavigation(False)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        side, head = self.table.verticalHeader(), self.table.horizontalHeader()
        if side is not None and head is not None:
            side.hide()
            side.setDefaultSectionSize(self.fontMetrics().height() + 6)
            head.setHighlightSections(False)
            head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
            head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
            head.setStretchLastSection(True)
        self.table.currentCellChanged.connect(lambda row, *_: self._choose(row))
        self.up_to = QuantityField("", self._typed, desk.told.emit, "gaps and overlaps to mend")
        self.up_to.setFixedWidth(80)
        self._unit = Words("", quiet=True, size=8.5)
        self.mend_button = QPushButton("Mend")
        self.mend_button.setAccessibleName("Mend gaps and overlaps")
        self.mend_button.clicked.connect(self._mend)
        line = QHBoxLayout()
        for widget in (Words("Mend gaps and overlaps up to", size=8.5), self.up_to, self._unit, self.mend_button):
            line.addWidget(widget)
        line.addStretch(1)
        line.addWidget(self.told)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addLayout(line)
        column.addWidget(self.table, 1)

    def refresh(self) -> None:
        """Look for gaps, overlaps and open land again, in a thread, if outlines or terrain are others."""
        study, drainage = self.desk.study, self.desk.ground.drainage
        self._unit.setText(self._area_unit)
        stands_on = study.terrain, drainage, study.units, tuple((k, c.outline) for k, c in study.catchments.items())
        if stands_on == self._of:
            return
        self._of = stands_on
        if self._looking is not None:
            self.desk.aside.cancel(self._looking)
        blobs = self.desk.file.blobs
        self.told.setText("looking …")

        def work(progress: Progress) -> list[BoundaryRow]:
            return boundary_rows(study, blobs, drainage)

        self._looking = self.desk.aside.run(work, self._show, self._failed)

    def _failed(self, error: BaseException) -> None:
        self._looking = None
        self.told.setText("")
        self.desk.fault(error)

    def _show(self, rows: list[BoundaryRow]) -> None:
        self._looking = None
        self.rows = rows
        self.table.setRowCount(len(rows))
        for number, row in enumerate(rows):
            cells = row.what, units.show(row.area, "area", self.desk.study.units), row.where
            for column, text in enumerate(cells):
                item = QTableWidgetItem(text)
                if column == 1:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(number, column, item)
        count = len(self.desk.study.catchments)
        self.told.setText("" if rows else f"no gap, no overlap and no open land between {count} catchments")
        self.mend_button.setEnabled(any(row.what != "open land" for row in rows))
        self.row_chosen.emit(None)

    def _choose(self, number: int) -> None:
        self.row_chosen.emit(self.rows[number] if 0 <= number < len(self.rows) else None)

    @property
    def _area_unit(self) -> str:
        return entry_unit(self.desk.study, "sliver", "area") if self.desk.study.units == "US" else "m²"

    def _typed(self, text: str) -> str:
        try:
            self._up_to = units.parse(text, "area", default=self._area_unit)
        except TarnwaterError as error:
            return str(error)
        return ""

    def _mend(self) -> None:
        up_to = self._up_to
        if not up_to > 0:
            self.desk.told.emit("Type the area up to which gaps and overlaps are mended; larger ones stay.")
            self.up_to.setFocus()
            return

        def make(study: Study, blobs: Blobs) -> Redrawn:
            return mended(study, blobs, up_to)[0]

        told = units.show(up_to, "area", self.desk.study.units)
        self._acts.redraw(f"mend gaps and overlaps up to {told}", make)
