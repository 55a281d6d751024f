"""The Cases bench: the board of conditions and events at a design point, the flow tree, hydrographs."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QScrollArea, QSplitter, QVBoxLayout, QWidget

from tarnwater.brief.answers import withheld_lines
from tarnwater.desk.benches.bench import Bench
from tarnwater.desk.benches.cases.board import HEAD, ROW, Board
from tarnwater.desk.benches.cases.durations import Durations
from tarnwater.desk.benches.cases.elements_table import ElementsTable
from tarnwater.desk.benches.cases.flow_tree import FlowTree
from tarnwater.desk.benches.cases.peaks import PeaksTable
from tarnwater.desk.desk import Desk, View
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.desk.widgets.bringing import Bringing
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.plot_view import PlotView
from tarnwater.study.answers import CaseResult, points_in
from tarnwater.study.answers.figures import what_makes_the_peak
from tarnwater.study.pictures.durations import durations_plot
from tarnwater.study.pictures.hydrographs import flow_plot
from tarnwater.units import display_unit, show

#: Number of reasons listed under the board.
MOST_WITHHELD = 3

#: Height of the bench below which durations and flow tree are not shown together, and durations shown then and else.
ROOM_FOR_BOTH, FEW_DURATIONS, MANY_DURATIONS = 640, 5, 9

#: Number of conditions shown without scrolling.
MOST_CONDITIONS = 5.5


def _scrolling(widget: QWidget) -> QScrollArea:
    area = QScrollArea()
    area.setWidget(widget)
    area.setWidgetResizable(True)
    area.setFrameShape(QScrollArea.Shape.NoFrame)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    return area


class CasesBench(Bench):
    """The board above; below it the flow tree beside the hydrographs of every condition."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(desk, theme)
        self.point = QComboBox()
        self.point.setAccessibleName("Design point")
        self.point.setFont(desk_font(10, bold=True))
        self.point.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.point.activated.connect(self._look_at_point)
        self.board = Board(desk, theme)
        self.tree = FlowTree(desk, theme)
        self.plot = PlotView("Hydrographs", theme)
        self.durations = Durations(desk)
        self.by_duration = PlotView("Peaks by duration", theme)
        self.peaks = PeaksTable(desk)
        self.table_button = QPushButton("Table of peaks")
        self.table_button.setCheckable(True)
        self.table_button.setAccessibleName("Show the table of peaks")
        self.table_button.toggled.connect(self._show_table)
        self.elements = ElementsTable(desk)
        self.elements_button = QPushButton("All elements")
        self.elements_button.setCheckable(True)
        self.elements_button.setAccessibleName("Show the table of all elements")
        self.elements_button.toggled.connect(self._show_elements)
        self._board_area = _scrolling(self.board)
        self.board.opened.connect(self._turn_durations)
        self.durations.closed.connect(self.board.setFocus)
        self.durations.closed.connect(self._share_room)
        self.empty = Bringing(
            desk,
            "",
            (
                ("Rain   Ctrl+2", "Go to the Rain bench", lambda: desk.led_to.emit("benches/Rain")),
                ("Runoff   Ctrl+3", "Go to the Runoff bench", lambda: desk.led_to.emit("benches/Runoff")),
            ),
        )
        self.empty.words.setWordWrap(True)
        self._unit = Words("", quiet=True)
        self._parts = Words("", quiet=True, size=8.5)
        self._withheld = Words("", role="doubt", size=8.5)
        self._withheld.setWordWrap(True)
        self._withheld.setAccessibleName("Cases withheld")
        self._parts.setWordWrap(True)
        head = QHBoxLayout()
        head.addWidget(Words("Flood peak at", bold=True, size=11))
        head.addWidget(self.point)
        head.addWidget(self._unit)
        head.addStretch(1)
        head.addWidget(self.table_button)
        head.addWidget(self.elements_button)
        right = QWidget()
        column = QVBoxLayout(right)
        column.setContentsMargins(8, 0, 8, 4)
        column.addWidget(self.plot, 1)
        column.addWidget(self._parts)
        splitter = QSplitter(Qt.Orientation.Horizontal)
        self.by_duration.hide()
        splitter.addWidget(self.tree)
        splitter.addWidget(self.by_duration)
        splitter.addWidget(right)
        splitter.setSizes([460, 460, 460])
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 10, 6, 4)
        layout.addLayout(head)
        layout.addWidget(self.empty, 1)
        layout.addWidget(self._board_area)
        layout.addWidget(self._withheld)
        layout.addWidget(self.durations)
        layout.addWidget(splitter, 1)
        layout.addWidget(self.peaks, 1)
        layout.addWidget(self.elements, 1)
        self.peaks.hide()
        self.elements.hide()
        self._drawn = splitter

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self.board.theme = self.tree.theme = theme
        self.plot.set_theme(theme)
        self.by_duration.set_theme(theme)
        super().set_theme(theme)

    def _show_table(self, shown: bool) -> None:
        if shown:
            self.elements_button.setChecked(False)
        self.peaks.setVisible(shown)
        self.refresh()
        if shown:
            self.peaks.setFocus()

    def _show_elements(self, shown: bool) -> None:
        if shown:
            self.table_button.setChecked(False)
        self.elements.setVisible(shown)
        self.refresh()
        if shown:
            self.elements.setFocus()

    @property
    def table_in_view(self) -> str:
        """Name of the table that is shown: of the design points, of all elements, or none."""
        return "points" if self.table_button.isChecked() else "elements" if self.elements_button.isChecked() else ""

    def _turn_durations(self) -> None:
        if self.durations.isVisible():
            self.durations.hide()
        else:
            self.durations.open()
        self._share_room()
        self._show_by_duration()

    def _share_room(self) -> None:
        """Peaks by duration stand in place of the flow tree while durations are open, where there is room for them."""
        narrow = not self.durations.isHidden() and self.height() < ROOM_FOR_BOTH
        self.durations.show_at_most(FEW_DURATIONS if narrow else MANY_DURATIONS)
        self.by_duration.setVisible(not self.durations.isHidden() and not narrow)
        self.tree.setVisible(self.durations.isHidden())

    def _show_by_duration(self) -> None:
        """Draw the peaks of the open cell by duration."""
        results, view = self.desk.results, self.desk.view
        if results is not None and view is not None and not self.durations.isHidden():
            self.by_duration.show_plot(durations_plot(results, view.condition, view.point, view.event))

    def take_focus(self) -> None:
        """Work begins on the board."""
        self.board.setFocus()

    def refresh(self) -> None:
        """Show the board, the tree and the hydrographs again, or what is missing for them."""
        desk, results = self.desk, self.desk.results
        bare = (results is None or not results.cases) and not desk.computing
        self.empty.setVisible(bare)
        self._board_area.setVisible(not bare)
        self._drawn.setVisible(not bare and not self.table_in_view)
        self.empty.words.setText(self._missing() if bare else "")
        self.point.clear()
        self._show_withheld(bare)
        for key in points_in(results):
            self.point.addItem(desk.study.name_of(key), key)
        if desk.view is not None:
            self.point.setCurrentIndex(max(self.point.findData(desk.view.point), 0))
        self.board.refresh()
        self._fit_board()
        self._share_room()
        if self.durations.isVisible():
            self.durations.refresh()
            self._show_by_duration()
        if self.table_in_view == "points":
            self.peaks.refresh()
        elif self.table_in_view == "elements":
            self.elements.refresh()
        else:
            self.tree.refresh()
            self.show_selected()

    def _show_withheld(self, bare: bool) -> None:
        """List under the board what is withheld, each reason once."""
        results = self.desk.results
        lines = [] if results is None or bare else list(withheld_lines(results))
        self._withheld.setVisible(bool(lines))
        more = [f"… and {len(lines) - MOST_WITHHELD} more reasons"] if len(lines) > MOST_WITHHELD else []
        self._withheld.setText("\n".join([*lines[:MOST_WITHHELD], *more]))

    def _fit_board(self) -> None:
        """Set the height of the board, up to some conditions, and scroll to the case in view."""
        area, bar = self._board_area, self._board_area.horizontalScrollBar()
        assert bar is not None
        beside = bar.sizeHint().height() if self.board.minimumWidth() > area.width() else 0
        area.setFixedHeight(min(self.board.height(), int(HEAD + ROW * MOST_CONDITIONS)) + beside)
        place = self.board.cell_in_view
        if place is not None:
            middle = place.center().toPoint()
            area.ensureVisible(middle.x(), middle.y(), int(place.width() / 2), int(place.height() / 2))

    def resizeEvent(self, event: QResizeEvent | None) -> None:  # noqa: N802
        """Fit the board to another width."""
        super().resizeEvent(event)
        self._share_room()
        self._fit_board()

    def _missing(self) -> str:
        """Reason why no peaks are computed, in words."""
        results = self.desk.results
        told = [f.told(self.desk.study) for f in self.desk.findings if f.severity == "stop"]
        if not told and results is not None:
            told = list(withheld_lines(results))
        more = [f"… and {len(told) - 4} more: F8 walks through them."] if len(told) > 5 else told[4:5]
        lines = [*told[:4], *more] or ["Rain and a catchment are needed first."]
        return "Flood peaks appear here once there is rain and a catchment.\n\n" + "\n".join(lines)

    def show_selected(self) -> None:
        """Show hydrographs of the selected element, or of the design point if the element lies outside its network."""
        desk, results, case = self.desk, self.desk.results, self._case_shown()
        if results is None or case is None or desk.view is None:
            self.plot.show_plot(None, "computing …" if desk.computing else "not computed; the reason stands above.")
            self._unit.setText("")
            self._parts.setText("")
            return
        key = desk.selection if desk.selection in case.network.elements else case.case.point
        others = [c for c in desk.study.conditions if c != desk.condition]
        views = [replace(desk.view, condition=c) for c in others]
        cases = [case, *(desk.case_showing(key, view=view) for view in views)]
        limit = results.limit(key, desk.view.event, desk.view.condition) if key == case.case.point else None
        self.plot.show_plot(flow_plot(results, [c for c in cases if c is not None], key, limit=limit, rained=True))
        network = (desk.case_in_view() or case).network
        area = show(network.area_above(desk.view.point), "area", desk.study.units)
        self._unit.setText(f"{self.board.unit} · greatest peak · {area}")
        self._parts.setText(self._why(case, key))
        self.tree.show_case(case)

    def _case_shown(self) -> CaseResult | None:
        """The case in view, or for an element that drains elsewhere the case of its own outfall."""
        return self.desk.case_showing(self.desk.selection) or self.desk.case_in_view()

    def _why(self, case: CaseResult, key: str) -> str:
        """The parts of the peak, and why their own peaks do not add up."""
        desk = self.desk
        parts = what_makes_the_peak(case, key)
        if len(parts) < 2:
            return ""
        unit = display_unit("flow", [then for _, then, _ in parts], desk.study.units)
        then = ", ".join(f"{desk.study.name_of(up)} {show(flow, 'flow', unit=unit)}" for up, flow, _ in parts)
        own = show(sum(peak for *_, peak in parts), "flow", unit=unit)
        return (
            f"At the peak: {then}. The parts peak at different times, so their own peaks ({own} in all) do not add up."
        )

    def _look_at_point(self) -> None:
        view = self.desk.view
        if view is not None:
            point = self.point.currentData()
            self.desk.look_at(View(view.condition, point, view.event, None))
            self.desk.select(point)
