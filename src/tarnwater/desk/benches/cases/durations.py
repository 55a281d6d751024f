"""All durations of a cell of the board: which one governs, and by how much."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem

from tarnwater import units
from tarnwater.desk.desk import Desk, View
from tarnwater.desk.theme import desk_font
from tarnwater.desk.widgets.grid_view import put_on_clipboard
from tarnwater.study.answers import CaseResult, Results
from tarnwater.study.answers.results import typical_of

HEADS = ("duration", "family", "pattern", "counts", "peak", "typical", "of the governing", "at", "rain", "runoff")

#: Columns of ensembles, hidden where there is none.
OF_ENSEMBLES = (HEADS.index("pattern"), HEADS.index("typical"))

#: Width up to which a column follows its words, in pixels.
WIDEST = 170

STANDINGS = {"counted": "", "beside": "beside", "other length": "another length"}


@dataclass(frozen=True)
class DurationRow:
    """A storm (its key and its duration in s), whether it governs, and its pattern where it is of an ensemble.

    ``typical`` m3/s is the typical peak of its ensemble, on the row of the member that stands for it.
    """

    storm: tuple[str, float, int]
    governs: bool
    pattern: str = ""
    typical: float | None = None


class Durations(QTableWidget):
    """Up and down go through the durations, Enter or a click looks at one, Escape closes."""

    closed = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__(0, len(HEADS))
        self.setAccessibleName("Durations of the case in view")
        self.desk = desk
        self.rows: list[DurationRow] = []
        self._most = 9
        self.setFont(desk_font(9))
        self.setShowGrid(False)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setTabKeyNavigation(False)
        head, side = self.horizontalHeader(), self.verticalHeader()
        assert head is not None
        assert side is not None
        side.hide()
        side.setDefaultSectionSize(21)
        head.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        for column in (*OF_ENSEMBLES, *(HEADS.index(name) for name in ("family", "of the governing", "at"))):
            head.setSectionResizeMode(column, QHeaderView.ResizeMode.ResizeToContents)
        head.setMaximumSectionSize(WIDEST)
        head.setFont(desk_font(8))
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.cellClicked.connect(lambda row, _: self._look(row))
        self.hide()

    def refresh(self) -> None:
        """Show the durations of the case in view."""
        desk, view = self.desk, self.desk.view
        self.rows = []
        if desk.results is None or view is None:
            self.setRowCount(0)
            return
        found = desk.results.all_of(view.condition, view.point, view.event)
        governing = desk.results.governing(view.condition, view.point, view.event)
        system = desk.study.units
        unit = units.display_unit("flow", [r.peak(view.point).ordinate for r in found], system)
        self.setHorizontalHeaderLabels([f"{head}, {unit}" if head in ("peak", "typical") else head for head in HEADS])
        self.setRowCount(len(found))
        for row, case in enumerate(found):
            figures = case.figures(view.point)
            governs = case is governing
            storm = case.case.storm
            self.rows.append(self._row_of(desk.results, case, governs))
            own = self.rows[-1]
            greatest = governing.peak(view.point).ordinate if governing is not None else 0.0
            share = figures.peak.ordinate / greatest if greatest else 0.0
            texts = (
                units.show_duration(storm.duration),
                storm.maker(desk.study),
                own.pattern,
                "governs" if governs else STANDINGS[case.standing],
                units.show(figures.peak.ordinate, "flow", unit=unit).removesuffix(unit).strip(),
                self._typical_words(case, own, unit),
                units.show(share, "share", digits=3),
                case.when(figures.peak.time),
                units.show(figures.rain_depth, "rain", system),
                units.show(figures.runoff_depth, "rain", system),
            )
            for column, text in enumerate(texts):
                item = QTableWidgetItem(text)
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                item.setFont(desk_font(9, bold=governs))
                self.setItem(row, column, item)
        for column in OF_ENSEMBLES:
            self.setColumnHidden(column, not any(row.pattern for row in self.rows))
        self._fit()

    def _row_of(self, results: Results, case: CaseResult, governs: bool) -> DurationRow:
        storm, members = case.case.storm, results.members(case)
        if len(members) < 2:
            return DurationRow(storm.mark, governs)
        ((stands, peak),) = typical_of(results.study, case.case.point, members)
        typical = peak if case is stands else None
        return DurationRow(storm.mark, governs, storm.pattern_name(results.study), typical)

    def _typical_words(self, case: CaseResult, row: DurationRow, unit: str) -> str:
        """The typical peak of the ensemble, and whether it is the mean or the median."""
        if row.typical is None:
            return ""
        shown = units.show(row.typical, "flow", unit=unit).removesuffix(unit).strip()
        return f"{shown} {case.case.storm.typical_peak(self.desk.study)}"

    def show_at_most(self, count: int) -> None:
        """Set how many durations are visible without scrolling."""
        self._most = count
        self._fit()
        if self.currentIndex().isValid():
            self.scrollTo(self.currentIndex())

    def _fit(self) -> None:
        self.setFixedHeight(28 + 21 * min(self.rowCount(), self._most))

    def open(self) -> None:
        """Show the durations, with the governing one or the one in view selected."""
        self.refresh()
        self.show()
        view = self.desk.view
        wanted = view.storm if view is not None else None
        at = next((i for i, r in enumerate(self.rows) if (r.governs if wanted is None else r.storm == wanted)), 0)
        self.setCurrentCell(at, 0)
        self.setFocus()

    def _look(self, row: int) -> None:
        view = self.desk.view
        if view is not None and 0 <= row < len(self.rows):
            storm = None if self.rows[row].governs else self.rows[row].storm
            self.desk.look_at(View(view.condition, view.point, view.event, storm))

    def copy(self) -> None:
        """Copy the durations, exact, with their peaks in m3/s."""
        desk, view = self.desk, self.desk.view
        if desk.results is None or view is None:
            return
        rows = [
            ["family", "standing", "duration h", "peak m3/s", "time of peak h", "rain mm", "runoff mm", "pattern",
             "typical peak m3/s"]
        ]  # fmt: skip
        for case in desk.results.all_of(view.condition, view.point, view.event):
            found = case.figures(view.point)
            values = (
                case.case.storm.duration / 3600, found.peak.ordinate, found.peak.time / 3600, found.rain_depth,
                found.runoff_depth,
            )  # fmt: skip
            family, row = case.case.storm.maker(desk.study), self._row_of(desk.results, case, False)
            typical = "" if row.typical is None else repr(row.typical)
            rows.append([family, case.standing, *(repr(float(v)) for v in values), row.pattern, typical])
        put_on_clipboard(rows)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:  # noqa: N802
        """Enter looks at a duration, Escape closes."""
        if event is None:
            return
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._look(self.currentRow())
        elif event.key() == Qt.Key.Key_Escape:
            self.hide()
            self.closed.emit()
        elif event.matches(QKeySequence.StandardKey.Copy):
            self.copy()
        else:
            super().keyPressEvent(event)
