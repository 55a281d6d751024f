"""The Runoff bench: the sheets of catchments and reaches, and how rain becomes flow for the selected one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QSplitter, QVBoxLayout, QWidget

from tarnwater.desk.benches.bench import Bench
from tarnwater.desk.benches.figures import figure_of
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme
from tarnwater.desk.widgets.bringing import Bringing
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.plot_view import PlotView
from tarnwater.desk.widgets.sheet import OF_METHODS, Column, Sheet, SheetModel
from tarnwater.network.elements import Catchment, Pond, Reach
from tarnwater.plots import Plot, end_above
from tarnwater.study.answers.case import Pool
from tarnwater.study.answers.figures import case_title
from tarnwater.study.edits.assignments import method_paths
from tarnwater.study.pictures.hydrographs import event_end, flow_plot, rain_plot, unit_hydrograph_plot
from tarnwater.study.pictures.partial import losses_without_flow, response_without_rain
from tarnwater.study.pictures.passage import passage_plot
from tarnwater.study.pictures.pond import pond_plot, rating_plot


def _figure(figure: str, desk: Desk, key: str) -> float | None:
    return figure_of(desk, key, figure)


def _of_case(figure: str) -> Column:
    kinds = {"peak": "flow", "per_area": "flow per area", "runoff_depth": "rain", "share_of_rain": "share"}
    titles = {"peak": "peak", "per_area": "per area", "runoff_depth": "runoff", "share_of_rain": "of rain"}

    names = {"peak": "peak", "per_area": "peak per area", "runoff_depth": "runoff depth"}
    return Column(
        titles[figure], kind=kinds[figure], figure=partial(_figure, figure), asked=names.get(figure, "share of rain")
    )


def _timing_of(desk: Desk, key: str) -> str:
    """Title of the timing method of a catchment."""
    element = desk.elements[key]
    return element.timing.title if isinstance(element, Catchment) else ""


def _made_for(desk: Desk, key: str) -> str:
    """Name of the design point whose storm an element's figures are of."""
    case = desk.case_showing(key)
    return "" if case is None else desk.study.name_of(case.case.point)


def drains_to(desk: Desk, key: str) -> str:
    """Name of what an element drains into in the condition in view."""
    return ", ".join(desk.study.name_of(down) for down in desk.network.downstream.get(key, ()))


CATCHMENT_COLUMNS = (
    Column("area", "area"),
    Column("CN", "curve_number", "curve number"),
    # the numbers without which there is no flood come first
    Column("lag", "lag"),
    Column("imperv.", "impervious", where_known=True),
    Column("path", "flow_length"),
    Column("slope", "mean_slope"),
    OF_METHODS,
    *(_of_case(f) for f in ("peak", "per_area", "runoff_depth", "share_of_rain")),
    Column("timing", words=_timing_of),
    Column("drains to", words=lambda desk, key: drains_to(desk, key)),
    Column("storm made for", words=_made_for),
)
REACH_COLUMNS = (
    Column("length", "length"),
    Column("slope", "slope"),
    Column("celerity", "celerity"),
    OF_METHODS,
    _of_case("peak"),
    Column("drains to", words=lambda desk, key: drains_to(desk, key)),
)


def _of_pond(read: Callable[[Pool, Pond], float]) -> Callable[[Desk, str], float | None]:
    def figure(desk: Desk, key: str) -> float | None:
        case = desk.case_showing(key)
        pool, pond = None if case is None else case.pool(key), desk.elements[key]
        return None if pool is None or not isinstance(pond, Pond) else read(pool, pond)

    return figure


def _devices_of(desk: Desk, key: str) -> str:
    """The open devices of a pond, by name."""
    pond = desk.elements[key]
    if not isinstance(pond, Pond) or pond.passes:
        return "passes its inflow on"
    return ", ".join(one.sign for one in pond.outlets.devices)


POND_COLUMNS = (
    Column("start", "start_level"),
    Column("freeboard", "freeboard"),
    _of_case("peak"),
    Column("highest", kind="height", figure=_of_pond(lambda pool, pond: pool.top), asked="highest level"),
    Column("stored", kind="volume", figure=_of_pond(lambda pool, pond: pond.stored_at(pool.top)), asked="most stored"),
    Column("overflow", kind="volume", figure=_of_pond(lambda pool, pond: pool.spilled), asked="overflow"),
    Column("devices", words=_devices_of),
    Column("drains to", words=lambda desk, key: drains_to(desk, key)),
)


def fitted(plot: Plot, until: float) -> Plot:
    """The plot with its time axis ending at the end of the event, h, so that plots of one event have one axis."""
    return replace(plot, x=replace(plot.x, high=until))


def storm_to_show(desk: Desk) -> tuple[str, float, float] | None:
    """Family, return period and duration of the storm in view, or of the first storm."""
    view = desk.view
    for key, family in desk.study.families.items():
        if view is not None and view.storm is not None and view.storm[0] != key:
            continue
        if family.return_periods and family.tried:
            wanted = None if view is None else view.event
            period = next((t for t in family.return_periods if t == wanted), family.return_periods[-1])
            duration = view.storm[1] if view is not None and view.storm is not None else family.tried[0]
            return key, period, duration
    return None


class RunoffBench(Bench):
    """Sheets to the left, the selected catchment's rain, flow and unit hydrograph to the right."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(desk, theme)
        self.catchments = SheetModel(desk, "catchment", CATCHMENT_COLUMNS, theme)
        self.reaches = SheetModel(desk, "reach", REACH_COLUMNS, theme)
        self.ponds = SheetModel(desk, "pond", POND_COLUMNS, theme)
        self.sheet = Sheet(self.catchments, "Sheet of catchments")
        self.reach_sheet = Sheet(self.reaches, "Sheet of reaches")
        self.pond_sheet = Sheet(self.ponds, "Sheet of ponds")
        self.rain = PlotView("Rain and losses, or inflows", theme)
        self.flow = PlotView("Flow", theme)
        self.unit = PlotView("Unit hydrograph, or rating", theme)
        self._head = Words("", bold=True, size=10)
        self._hint = Words(
            "Enter edits · Ctrl+V pastes a block · Ctrl+D fills down · Ctrl+Shift+D sets the column · "
            "Delete clears · F1 explains · Insert adds",
            quiet=True,
            size=8,
        )
        self.filter = QLineEdit()
        self.filter.setPlaceholderText("only names with …")
        self.filter.setAccessibleName("Filter the sheets by name")
        self.filter.setClearButtonEnabled(True)
        self.filter.setFixedWidth(150)
        self.filter.textChanged.connect(self._show_only)
        self._of = Words("", bold=True, size=10)
        self._of.setWordWrap(True)
        self._empty = Bringing(
            desk,
            "Insert adds a catchment; type its area, curve number and lag.\nRain comes from the Rain bench.",
            (("Rain   Ctrl+2", "Go to the Rain bench", lambda: desk.led_to.emit("benches/Rain")),),
        )
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(16, 10, 10, 6)
        self._hint.setWordWrap(True)
        heads = QHBoxLayout()
        heads.addWidget(self._head, 1)
        heads.addWidget(self.filter)
        column.addLayout(heads)
        column.addWidget(self._hint)
        column.addWidget(self._empty)
        column.addWidget(self.sheet, 3)
        self._reaches = Words("Reaches", bold=True, size=10)
        column.addWidget(self._reaches)
        column.addWidget(self.reach_sheet, 2)
        self._ponds = Words("Ponds", bold=True, size=10)
        column.addWidget(self._ponds)
        column.addWidget(self.pond_sheet, 1)
        self.times = QPushButton("times …")
        self.times.setProperty("flat", True)
        self.times.setProperty("small", True)
        self.times.setAccessibleName("Compare times of concentration")
        self.times.setToolTip("times of concentration by every equation, side by side   Ctrl+Shift+T")
        self.times.clicked.connect(self.compare_times)
        self.methods = QPushButton("methods …")
        self.methods.setProperty("flat", True)
        self.methods.setProperty("small", True)
        self.methods.setAccessibleName("Compare two methods")
        self.methods.setToolTip("two methods of this element on the storm in view   Ctrl+Shift+K")
        self.methods.clicked.connect(self.compare_methods)
        self.steps = QPushButton("steps …")
        self.steps.setProperty("flat", True)
        self.steps.setProperty("small", True)
        self.steps.setAccessibleName("Losses and convolution step by step")
        self.steps.setToolTip("losses and convolution step by step   Ctrl+Shift+L")
        self.steps.clicked.connect(self.show_steps)
        self.cases = QPushButton("cases …")
        self.cases.setProperty("flat", True)
        self.cases.setProperty("small", True)
        self.cases.setAccessibleName("Hydrographs of several cases")
        self.cases.setToolTip("this element under several conditions, events and durations   Ctrl+Shift+H")
        self.cases.clicked.connect(self.show_cases)
        # rain and flow of one event have one time axis
        self.rain.follow_axis_of(self.flow)
        right = QWidget()
        plots = QVBoxLayout(right)
        plots.setContentsMargins(10, 10, 10, 6)
        # the title is long and the column narrow, so what can be opened stands below it
        opening = QHBoxLayout()
        opening.setSpacing(8)
        for button in (self.times, self.methods, self.steps, self.cases):
            # before the style is known a button asks for more room, which the column would keep
            button.setMinimumWidth(button.fontMetrics().horizontalAdvance(button.text()))
            opening.addWidget(button)
        opening.addStretch(1)
        plots.addWidget(self._of)
        plots.addLayout(opening)
        room = QSplitter(Qt.Orientation.Vertical)
        room.setChildrenCollapsible(False)
        for plot, share in ((self.rain, 3), (self.flow, 5), (self.unit, 3)):
            room.addWidget(plot)
            room.setStretchFactor(room.count() - 1, share)
        room.setSizes([210, 260, 170])
        plots.addWidget(room, 1)
        splitter = QSplitter(Qt.Orientation.Horizontal)
        splitter.addWidget(left)
        splitter.addWidget(right)
        splitter.setSizes([676, 264])
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(splitter)

        desk.gathered_changed.connect(self._show_head)

    def _show_only(self, text: str) -> None:
        self.catchments.show_only(text)
        self.reaches.show_only(text)
        self.ponds.show_only(text)

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        for model in (self.catchments, self.reaches, self.ponds):
            model.set_theme(theme)
        for plot in (self.rain, self.flow, self.unit):
            plot.set_theme(theme)
        super().set_theme(theme)

    def take_focus(self) -> None:
        """Work begins in the sheet."""
        self.sheet.setFocus()

    def refresh(self) -> None:
        """Show sheets and plots again."""
        self.catchments.refresh()
        self.reaches.refresh()
        self.ponds.refresh()
        count = len(self.desk.study.catchments)
        self._show_head()
        self._empty.setVisible(not count)
        for kind, widgets in ((Reach, (self._reaches, self.reach_sheet)), (Pond, (self._ponds, self.pond_sheet))):
            for widget in widgets:
                widget.setVisible(any(isinstance(e, kind) for e in self.desk.elements.values()))
        self.show_selected()

    def _show_head(self) -> None:
        """Show the number of catchments, and of the elements that actions apply to."""
        count, chosen = len(self.desk.study.catchments), len(self.desk.chosen)
        told = f"Catchments ({count})" if count else "Catchments: none yet"
        self._head.setText(f"{told} · actions apply to {chosen} elements" if chosen > 1 else told)

    def _show_what_is_known(self, key: str) -> None:
        """Show losses and unit hydrograph of a catchment whose flow cannot be computed."""
        desk, element = self.desk, self.desk.elements.get(key)
        losses = response = None
        if isinstance(element, Catchment) and not desk.computing:
            storm = storm_to_show(desk)
            losses = None if storm is None else losses_without_flow(desk.study, element, *storm)
            response = response_without_rain(desk.study, element)
        if isinstance(element, Pond):
            response = rating_plot(element, desk.study.units)
        self.rain.show_plot(losses, "")
        self.unit.show_plot(response, "")

    def compare_times(self) -> None:
        """Open the times of the selected catchment by every equation."""
        from tarnwater.desk.benches.runoff.times_dialog import TimesDialog

        if isinstance(self.desk.elements.get(self.desk.selection), Catchment):
            TimesDialog(self, self.desk, self.theme, self.desk.selection).open()

    def show_steps(self) -> None:
        """Open the losses and the convolution of the selected catchment, step by step."""
        from tarnwater.desk.benches.runoff.steps_dialog import StepsDialog

        if isinstance(self.desk.elements.get(self.desk.selection), Catchment):
            StepsDialog(self, self.desk, self.desk.selection).open()

    def show_cases(self) -> None:
        """Open the hydrographs of the selected element under several conditions, events and durations."""
        from tarnwater.desk.benches.runoff.cases_dialog import CasesDialog

        if self.desk.case_showing(self.desk.selection) is not None:
            CasesDialog(self, self.desk, self.theme, self.desk.selection).open()

    def compare_methods(self) -> None:
        """Open the comparison of two methods of the selected element."""
        from tarnwater.desk.benches.runoff.methods_dialog import MethodsDialog

        if self.desk.selection in self.desk.elements:
            MethodsDialog(self, self.desk, self.theme, self.desk.selection).open()

    def show_selected(self) -> None:
        """Show how rain becomes flow for the selected element in the case in view."""
        desk = self.desk
        key, results, case = desk.selection, desk.results, desk.case_showing(desk.selection)
        self._of.setText(desk.study.name_of(key) if key else "")
        of_catchment = not key or isinstance(desk.elements.get(key), Catchment)
        self.times.setVisible(of_catchment)
        self.steps.setVisible(bool(key) and of_catchment)
        self.methods.setVisible(any(True for _ in method_paths(desk.elements[key])) if key in desk.elements else False)
        self.unit.setVisible(of_catchment or isinstance(desk.elements.get(key), Pond))
        self.cases.setVisible(case is not None)
        if results is None or case is None:
            stops = [f for f in desk.findings if f.severity == "stop"]
            why = "computing …" if desk.computing else "not in this case." if not stops else (
                f"not computed: {stops[0].told(desk.study)}"
            )  # fmt: skip
            self._show_what_is_known(key)
            self.flow.show_plot(None, why)
            return
        catchment = isinstance(case.network.elements[key], Catchment)
        self._of.setText(f"{desk.study.name_of(key)} · {case_title(results, case, key)}")
        ghost = None if desk.before is None else desk.case_showing(key, desk.before)
        until = end_above(event_end(case, key))
        self.flow.show_plot(fitted(flow_plot(results, [case], key, ghost=ghost), until))
        above = rain_plot(results, case, key) if catchment else passage_plot(results, case, key)
        self.rain.show_plot(None if above is None else fitted(above, until), "")
        below = unit_hydrograph_plot(results, case, key) if catchment else pond_plot(results, case, key)
        self.unit.show_plot(below, "")
