"""The Rain bench: records and their frequency, depths and storms, events, and each catchment's rain."""

from __future__ import annotations

from functools import cached_property, partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from tarnwater import units
from tarnwater.desk.benches.bench import Bench
from tarnwater.desk.benches.rain.depth_acts import DepthActs
from tarnwater.desk.benches.rain.depth_sheet import DepthSheet, DepthSheetModel
from tarnwater.desk.benches.rain.family_form import FamilyForm
from tarnwater.desk.benches.rain.import_table import ImportTable
from tarnwater.desk.benches.rain.storm_view import StormView
from tarnwater.desk.benches.rain_pages import PAGES
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.plot_view import PlotView
from tarnwater.errors import TarnwaterError
from tarnwater.rain.depths import Depths
from tarnwater.study import edits
from tarnwater.study.answers.storms import DesignStorm
from tarnwater.study.edits import slug
from tarnwater.study.pictures.rain import depth_plot, given_plot, storm_plot

if TYPE_CHECKING:
    from tarnwater.desk.benches.rain.catchments_page import CatchmentsPage
    from tarnwater.desk.benches.rain.events_page import EventsPage
    from tarnwater.desk.benches.rain.frequency_page import FrequencyPage
    from tarnwater.desk.benches.rain.records_page import RecordsPage
    from tarnwater.rain.storms import StormFamily

SERIES = (
    ("of annual maxima", "annual maxima"),
    ("of peaks over a threshold", "peaks over threshold"),
    ("series not stated", "unstated"),
)

#: What the sheet is, by what its depths are.
HINTS = {
    "": (
        "Return periods across, durations down (15 min, 1 h). Paste a whole table with its heads into the corner; "
        "the first table also makes a family of storms."
    ),
    "as published": "Depths by a published equation, as published; More changes it.",
    "as fitted": "Typed depths, and an equation fitted to them: storms are as fitted.",
    "as typed": (
        "Return periods across, durations down (15 min, 1 h). Paste a whole table with its heads into the corner; "
        "the first table also makes a family of storms."
    ),
}

#: Suffixes of grids of rain.
GRIDS = (".nc", ".nc4", ".tif", ".tiff")

TABLE_FILES = "Depth tables (*.csv *.txt);;All files (*)"


class RainBench(Bench):
    """Pages under tabs. Storms: table and curves above, the family and one of its storms below."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(desk, theme)
        self.setAcceptDrops(True)
        self.model = DepthSheetModel(desk, theme)
        self.sheet = DepthSheet(self.model)
        self.curves = PlotView("Depth and duration", theme)
        self.storm = StormView("Storm", theme)
        self.form = FamilyForm(desk)
        self._head = Words("Depth, duration and frequency", bold=True, size=10)
        self._which = QComboBox()
        self._which.setAccessibleName("Depth table shown")
        self._which.activated.connect(self._turn_to_table)
        self.open_button = QPushButton("Open a table …")
        self.open_button.setAccessibleName("Open a depth table")
        self.open_button.clicked.connect(lambda: self.open_table())
        self.more = QPushButton("More …")
        self.more.setAccessibleName("More about depths")
        self._menu = QMenu(self)
        self.acts = DepthActs(self, desk, theme, lambda: self.model.key)
        self.acts.shown.connect(self._show_table)
        self._menu.aboutToShow.connect(lambda: self.acts.fill(self._menu, self.ask_service))
        self.more.setMenu(self._menu)
        self.read = QComboBox()
        self.read.setAccessibleName("Whether storms follow the equation or the typed depths")
        self.read.addItem("storms as fitted", "equation")
        self.read.addItem("storms as typed", "points")
        self.read.activated.connect(lambda _: self.acts.read(self.read.currentData()))
        self.other = QComboBox()
        self.other.setAccessibleName("Table drawn beside")
        self.other.activated.connect(lambda _: self._show_curves())
        self.linear = QPushButton("linear")
        self.linear.setCheckable(True)
        self.linear.setAccessibleName("Linear axes instead of logarithmic ones")
        self.linear.toggled.connect(self._show_curves)
        self._demo_button = QPushButton("Open the demo")
        self._demo_button.setAccessibleName("Open the demo")
        self._demo_button.clicked.connect(desk.demo_wanted.emit)
        self.intensity = QPushButton("intensity")
        self.intensity.setCheckable(True)
        self.intensity.setAccessibleName("Show intensities instead of depths")
        self.intensity.toggled.connect(self._show_curves)
        self.series = QComboBox()
        self.series.setAccessibleName("Series of the depth table")
        self.series.setToolTip(
            "the series of the depths; those of peaks over a threshold are converted to annual return periods"
        )
        for words, series in SERIES:
            self.series.addItem(words, series)
        self.series.activated.connect(lambda n: desk.do(edits.set_series, self.model.key, SERIES[n][1]))
        self.beyond = QCheckBox("allow extrapolation")
        self.beyond.setAccessibleName("Allow extrapolation of the depth table")
        self.beyond.setToolTip("storms outside the table are extrapolated, and each is a doubt")
        self.beyond.clicked.connect(lambda on: desk.do(edits.allow_extrapolation, self.model.key, on))
        self.step = QPushButton("")
        self.step.setProperty("flat", True)
        self.step.setAccessibleName("Step of the run")
        self.step.clicked.connect(lambda: desk.led_to.emit("run/step"))
        self._hint = Words(HINTS[""], quiet=True, size=8)
        self._hint.setWordWrap(True)
        self._lay_out()
        self.model.changed.connect(self._show_curves)
        self.form.tried.connect(self._show_storm)
        self.storm.peak_dragged.connect(self.form.try_peak)
        self.storm.peak_dragged.connect(self.form.show_peak)
        self.storm.peak_dropped.connect(self.form.drop_peak)

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.addWidget(self._head)
        head.addStretch(1)
        head.addWidget(self._which)
        head.addWidget(self.open_button)
        head.addWidget(self.more)
        head.addWidget(self._demo_button)
        table = _column(head, self._hint, self.sheet)
        reading = QHBoxLayout()
        reading.addWidget(self.series)
        reading.addWidget(self.beyond)
        reading.addWidget(self.read)
        reading.addStretch(1)
        below = table.layout()
        assert isinstance(below, QVBoxLayout)
        below.addLayout(reading)
        turn = QHBoxLayout()
        turn.addWidget(self.other)
        turn.addStretch(1)
        turn.addWidget(self.linear)
        turn.addWidget(self.intensity)
        curves = _column(turn, self.curves)
        upper = QSplitter(Qt.Orientation.Horizontal)
        upper.addWidget(table)
        upper.addWidget(curves)
        upper.setSizes([520, 410])
        storms = QHBoxLayout()
        storms.addWidget(Words("Storm family", bold=True, size=10))
        storms.addStretch(1)
        storms.addWidget(self.step)
        storms.addWidget(self.form.new)
        storms.addWidget(self.form.gone)
        family = _column(storms, self.form)
        layout = family.layout()
        assert isinstance(layout, QVBoxLayout)
        layout.addStretch(1)
        lower = QSplitter(Qt.Orientation.Horizontal)
        lower.addWidget(family)
        lower.addWidget(_column(None, self.storm))
        lower.setSizes([490, 440])
        whole = QSplitter(Qt.Orientation.Vertical)
        whole.addWidget(upper)
        whole.addWidget(lower)
        whole.setSizes([350, 290])
        self._pages = QStackedWidget()
        self._pages.addWidget(whole)
        tabs = QHBoxLayout()
        tabs.setContentsMargins(14, 4, 10, 0)
        self._tabs: list[QPushButton] = []
        for number, (words, _) in enumerate(PAGES):
            tab = QPushButton(words)
            tab.setCheckable(True)
            tab.setProperty("tab", True)
            tab.setAccessibleName(f"Show {words.lower()}")
            tab.clicked.connect(partial(self.show_page, number))
            tabs.addWidget(tab)
            self._tabs.append(tab)
            if number:
                self._pages.addWidget(QWidget())
        tabs.addStretch(1)
        body = QVBoxLayout(self)
        body.setContentsMargins(0, 0, 0, 0)
        body.setSpacing(0)
        body.addLayout(tabs)
        body.addWidget(self._pages, 1)
        self._tabs[0].setChecked(True)

    # pages

    @cached_property
    def records(self) -> RecordsPage:
        """Records and what they need; made when it is first shown."""
        from tarnwater.desk.benches.rain.records_page import RecordsPage

        return RecordsPage(self.desk, self.theme)

    @cached_property
    def frequency(self) -> FrequencyPage:
        """Annual maxima and their frequency; made when it is first shown."""
        from tarnwater.desk.benches.rain.frequency_page import FrequencyPage

        page = FrequencyPage(self.desk, self.theme)
        page.record_wanted.connect(self._show_in_record)
        page.table_made.connect(self._show_table)
        return page

    @cached_property
    def events(self) -> EventsPage:
        """Events of a record; made when it is first shown."""
        from tarnwater.desk.benches.rain.events_page import EventsPage

        return EventsPage(self.desk, self.theme)

    @cached_property
    def catchments(self) -> CatchmentsPage:
        """Each catchment's rain; made when it is first shown."""
        from tarnwater.desk.benches.rain.catchments_page import CatchmentsPage

        return CatchmentsPage(self.desk, self.theme)

    def show_page(self, number: int) -> None:
        """Show a page; it is made when it is first shown."""
        name = PAGES[number][1]
        if name and self._pages.widget(number) is not getattr(self, name):
            blank = self._pages.widget(number)
            assert blank is not None
            self._pages.removeWidget(blank)
            blank.deleteLater()
            self._pages.insertWidget(number, getattr(self, name))
        self._pages.setCurrentIndex(number)
        for page, tab in enumerate(self._tabs):
            tab.setChecked(page == number)
        self.refresh()
        self.take_focus()

    @property
    def _shown(self) -> RecordsPage | FrequencyPage | EventsPage | CatchmentsPage | None:
        """The page that is shown; None for the storms."""
        name = PAGES[self._pages.currentIndex()][1]
        return getattr(self, name) if name else None

    def _show_in_record(self, key: str, begin: float, end: float) -> None:
        self.show_page(1)
        self.records.show_gauge(key, begin, end)

    def _show_table(self, key: str) -> None:
        self.show_page(0)
        if key:
            self.model.key = key
            self.refresh()

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self.model.theme = theme
        self.curves.set_theme(theme)
        self.storm.set_theme(theme)
        for _, name in PAGES:
            if name in self.__dict__:
                getattr(self, name).set_theme(theme)
        super().set_theme(theme)

    def take_focus(self) -> None:
        """Work begins in the table, or where the page begins."""
        if self._shown is None:
            self.sheet.setFocus()
        else:
            self._shown.take_focus()

    def show_selected(self) -> None:
        """Another selected element is shown on the map of the catchments."""
        if self._shown is not None:
            self._shown.refresh()

    def refresh(self) -> None:
        """Show the page in view again: table, curves, family and storm, or another one."""
        if self._shown is not None:
            self._shown.refresh()
            return
        self.model.refresh()
        tables = self.desk.study.tables
        self._which.setVisible(len(tables) > 1)
        self._demo_button.setVisible(not tables)
        self._which.clear()
        for key in tables:
            self._which.addItem(key, key)
        self._which.setCurrentIndex(self._which.findData(self.model.key))
        table = tables.get(self.model.key)
        for widget in (self.series, self.beyond):
            widget.setVisible(table is not None)
        self._show_reading(table)
        self._show_others()
        if table is not None:
            self.series.setCurrentIndex(self.series.findData(table.series))
            self.beyond.setChecked(table.extrapolate)
        step = self.desk.study.run.step.value
        self.step.setText(f"step {units.show_duration(step)}" if step else "step …")
        self.form.refresh()
        self._show_curves()
        self._show_storm()

    def _show_curves(self) -> None:
        table = self.desk.study.tables.get(self.model.key)
        if table is None:
            lacking = f" {self.model.lacking}" if self.model.lacking else ""
            self.curves.show_plot(None, f"Curves appear when the table can be read.{lacking}")
        else:
            other = self.desk.study.tables.get(str(self.other.currentData()))
            self.curves.show_plot(
                depth_plot(
                    table, self.desk.study.units, intensity=self.intensity.isChecked(), linear=self.linear.isChecked(),
                    other=other,
                )
            )  # fmt: skip

    def _show_reading(self, table: Depths | None) -> None:
        """Whether storms are as typed, as published or as fitted; with both at hand, a choice."""
        told = "" if table is None else table.told
        self.read.setVisible(told in ("as fitted", "as typed") and table is not None and table.typed_table is not table)
        self.read.setCurrentIndex(self.read.findData("equation" if told == "as fitted" else "points"))
        self._hint.setText(HINTS.get(told, HINTS[""]))

    def _show_others(self) -> None:
        """Tables that can be drawn beside the one that is shown."""
        held = self.other.currentData()
        self.other.clear()
        self.other.addItem("no table beside", "")
        for key in self.desk.study.tables:
            if key != self.model.key:
                self.other.addItem(f"beside: {key}", key)
        self.other.setCurrentIndex(max(self.other.findData(held), 0))
        self.other.setVisible(self.other.count() > 1)

    def ask_service(self) -> None:
        """Ask a design rainfall service for the depths of a place or of the catchments."""
        from tarnwater.desk.benches.rain.service_dialog import ServiceDialog

        asked = ServiceDialog(self, self.desk)
        asked.taken.connect(self._show_table)
        asked.open()

    def _show_storm(self, tried: StormFamily | None = None) -> None:
        """Show the storm in view, or the first of the family, as it is or as it is tried."""
        family, study, view = tried or self.form.family, self.desk.study, self.desk.view
        given = study.storms.get(str(view.event)) if view is not None else None
        given = given or (next(iter(study.storms.values()), None) if family is None else None)
        if given is not None and tried is None:
            self.storm.show_plot(given_plot(study, given, self.desk.selection))
            self.storm.show_peak(None, 0.0)
            return
        if family is None or not family.tried or not family.return_periods:
            self.storm.show_plot(None, "A storm appears when there is a family.")
            return
        period, duration = self._storm_in_view()
        step = study.run.step.value or 300.0
        try:
            plot = storm_plot(family, study.tables[family.table], period, duration, min(step, duration), study.units)
        except TarnwaterError as error:
            self.storm.show_plot(None, str(error))
            return
        self.storm.show_plot(plot)
        self.storm.show_peak(family.pattern.peak, duration / 3600, family.lead / 3600)

    def _storm_in_view(self) -> tuple[float, float]:
        family, case = self.form.family, self.desk.case_in_view()
        assert family is not None
        storm = None if case is None else case.case.storm
        if (
            isinstance(storm, DesignStorm)
            and storm.key == self.form.key
            and storm.return_period in family.return_periods
            and storm.duration in family.tried
        ):
            return storm.return_period, storm.duration
        return family.return_periods[-1], family.tried[len(family.tried) // 2]

    def _turn_to_table(self, number: int) -> None:
        self.model.key = self._which.itemData(number)
        self.refresh()

    # a table from a file

    def open_table(self, path: Path | None = None) -> None:
        """Ask for a file with a depth table and preview it; lines that cannot be read are listed."""
        if path is None:
            chosen, _ = QFileDialog.getOpenFileName(
                self, "Open a depth table", "", TABLE_FILES, options=QFileDialog.Option.DontUseNativeDialog
            )
            if not chosen:
                return
            path = Path(chosen)
        asked = ImportTable(self, self.desk, path)
        asked.accepted.connect(lambda: self._take_in(asked))
        asked.open()

    def _take_in(self, asked: ImportTable) -> None:
        assert asked.table is not None
        key = self.model.key or slug("depths", self.desk.study.tables)
        self.desk.do(edits.set_rain_table, key, asked.table, f"import the depths of {asked.path.name}")

    def take_files(self, paths: list[Path]) -> None:
        """Import what was dropped: a grid of rain, a record, or a depth table."""
        first = paths[0]
        if first.suffix.lower() in GRIDS:
            self.show_page(4)
            self.catchments.import_grid(paths)
        elif holds_record(first):
            self.show_page(1)
            self.records.import_record(first)
        else:
            self.show_page(0)
            self.open_table(first)


def holds_record(path: Path) -> bool:
    """Whether a file holds a record: one with dates, or WaterML; a depth table has none."""
    from tarnwater.formats.records import propose
    from tarnwater.formats.waterml import is_waterml

    if is_waterml(path):
        return True
    try:
        return bool(propose(path).reading.of_role("date and time", "date"))
    except TarnwaterError:
        return False


def _column(head: QHBoxLayout | None, *widgets: QWidget) -> QWidget:
    part = QWidget()
    column = QVBoxLayout(part)
    column.setContentsMargins(16, 8, 10, 4)
    column.setSpacing(4)
    if head is not None:
        column.addLayout(head)
    for widget in widgets:
        column.addWidget(widget)
    return part
