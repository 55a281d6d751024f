"""Annual maxima of a record and their frequency: the list, probability paper, the histogram, and what tests say."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QSpinBox,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from tarnwater import units
from tarnwater.brief.records import MaximumRow, fit_words, frequency_words, maximum_rows
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.listing import Listing
from tarnwater.desk.widgets.plot_view import PlotView
from tarnwater.desk.widgets.quantity_field import QuantityField
from tarnwater.errors import TarnwaterError
from tarnwater.progress import Progress
from tarnwater.rain.frequency.distributions import Distribution
from tarnwater.rain.records.peaks import PeaksOver, PeaksRule, typed_thresholds
from tarnwater.study.document import checked
from tarnwater.study.document.rain import Gauge, MaximaRule
from tarnwater.study.edits.records import set_maxima, table_from_maxima, use_years
from tarnwater.study.pictures.frequency import frequency_plot, histogram_plot
from tarnwater.study.rain.records import Frequency, frequency_of

MONTHS = ("January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November",
          "December")  # fmt: skip

WAYS = ("L-moments", "maximum likelihood", "product moments")

SAMPLED = ("annual maxima", "peaks over threshold")

TOGETHER = ("one growth curve", "nearest rising depths")


class FrequencyPage(QWidget):
    """The maxima of one duration with their dates; Enter shows one in its record, the space bar leaves its year out."""

    record_wanted = pyqtSignal(str, float, float)
    table_made = pyqtSignal(str)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.desk, self.theme = desk, theme
        self.key, self.duration = "", 0
        self.frequency: Frequency | None = None
        self.rows: list[MaximumRow] = []
        self._of_peaks: list[QWidget] = []
        self._working: Progress | None = None
        self._of: tuple[object, ...] = ()
        self.gauge = self._box("Record of the maxima", self._turn_gauge)
        self.which = self._box("Duration of the maxima", self._turn_duration)
        self.sampled = self._box("What is fitted", self._choose_sampled)
        self.distribution = self._box("Distribution", self._choose_distribution)
        self.way = self._box("Way of fitting", lambda n: self._change("choose the way of fitting", way=WAYS[n]))
        self.together = self._box("How curves are kept from crossing", self._choose_together)
        self.month = self._box("First month of the year", self._choose_month)
        for tag, kind in Distribution.known.items():
            self.distribution.addItem(kind.title, tag)
        self.sampled.addItems(SAMPLED)
        self.way.addItems(WAYS)
        self.together.addItems(TOGETHER)
        self.month.addItems(MONTHS)
        self.complete = QuantityField("", self._read_complete, self._tell, "Completeness of a year")
        self.periods = QuantityField("", self._read_periods, self._tell, "Return periods of the fit")
        self.durations = QuantityField("", self._read_durations, self._tell, "Durations of the maxima")
        self.rate = QuantityField("", self._read_rate, self._tell, "Peaks a year")
        self.threshold = QuantityField("", self._read_threshold, self._tell, "Threshold of the peaks")
        self.apart = QuantityField("", self._read_apart, self._tell, "Time between two peaks")
        for field in (self.periods, self.durations):
            field.setAlignment(Qt.AlignmentFlag.AlignLeft)
        self.corrected = QCheckBox("correct for fixed steps")
        self.corrected.setAccessibleName("Correct for fixed steps")
        self.corrected.setToolTip("8n / (8n − 1), n steps in the duration, below 24 steps (Weiss 1964)")
        self.corrected.clicked.connect(lambda on: self._change("correct for fixed steps", corrected=on))
        self.list = Listing("Annual maxima", ("year", "measured", "corrected", "begins", "data"), right=(1, 2, 4))
        self.list.row_entered.connect(self._show_in_record)
        self.show_button = QPushButton("Show in the record   Enter")
        self.show_button.setAccessibleName("Show the maximum in its record")
        self.show_button.clicked.connect(lambda: self._show_in_record(self.list.currentRow()))
        self.leave_button = QPushButton("Leave out or take in   Space")
        self.leave_button.setAccessibleName("Leave the year out or take it in")
        self.leave_button.clicked.connect(self._leave_out)
        self.paper = PlotView("Probability paper", theme)
        self.histogram = PlotView("Histogram of the maxima", theme)
        self.bins = QSpinBox()
        self.bins.setAccessibleName("Classes of the histogram")
        self.bins.setRange(0, 60)
        self.bins.setSpecialValueText("usual classes")
        self.bins.setSuffix(" classes")
        self.bins.valueChanged.connect(lambda _: self._show_plots())
        self.make = QPushButton("Make a depth table")
        self.make.setAccessibleName("Make a depth table of the maxima")
        self.make.clicked.connect(self._make_table)
        self.words = Words("", size=8.5)
        self.words.setWordWrap(True)
        self.words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._message = Words("", size=8.5, role="limit")
        self._message.setWordWrap(True)
        self._empty = Words("Maxima appear when there is a record: import one under Records.", quiet=True, size=10)
        self._empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._lay_out()
        leave = QShortcut(QKeySequence("Space"), self.list, self._leave_out)
        leave.setContext(Qt.ShortcutContext.WidgetShortcut)

    def _box(self, name: str, chosen: Any) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(name)
        box.setFont(desk_font(9))
        box.activated.connect(chosen)
        return box

    def _lay_out(self) -> None:
        grid = QGridLayout()
        grid.setVerticalSpacing(3)
        rows = (
            (("Record", self.gauge), ("Duration", self.which)),
            (("Years begin in", self.month), ("and need", self.complete)),
            (("Fitted to", self.sampled),),
            (("Peaks a year", self.rate), ("apart", self.apart)),
            (("Threshold", self.threshold),),
            (("Distribution", self.distribution),),
            (("Fitted by", self.way),),
            (("Together by", self.together),),
            (("", self.corrected),),
        )
        for number, cells in enumerate(rows):
            for place, (words, widget) in enumerate(cells):
                label = Words(words, quiet=True, size=8.5)
                grid.addWidget(label, number, 2 * place)
                grid.addWidget(widget, number, 2 * place + 1, 1, 1 if len(cells) > 1 else 3)
                if widget in (self.rate, self.threshold, self.apart):
                    self._of_peaks += [label, widget]
        for words, widget in (("Durations", self.durations), ("1 in", self.periods)):
            number = grid.rowCount()
            grid.addWidget(Words(words, quiet=True, size=8.5), number, 0)
            grid.addWidget(widget, number, 1, 1, 3)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(16, 8, 6, 6)
        column.setSpacing(4)
        column.addLayout(grid)
        column.addWidget(self._message)
        column.addWidget(self.list, 1)
        acts = QHBoxLayout()
        acts.addWidget(self.show_button)
        acts.addWidget(self.leave_button)
        acts.addStretch(1)
        column.addLayout(acts)
        right = QWidget()
        side = QVBoxLayout(right)
        side.setContentsMargins(6, 8, 10, 6)
        side.setSpacing(4)
        head = QHBoxLayout()
        head.addStretch(1)
        head.addWidget(self.bins)
        head.addWidget(self.make)
        side.addLayout(head)
        side.addWidget(self.paper, 3)
        side.addWidget(self.histogram, 2)
        side.addWidget(self.words)
        self._split = QSplitter(Qt.Orientation.Horizontal)
        self._split.addWidget(left)
        self._split.addWidget(right)
        self._split.setSizes([470, 450])
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self._split, 1)
        whole.addWidget(self._empty, 1)

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self.theme = theme
        self.paper.set_theme(theme)
        self.histogram.set_theme(theme)

    def take_focus(self) -> None:
        """Work begins in the list."""
        self.list.setFocus()

    @property
    def rule(self) -> MaximaRule:
        """How the maxima of the shown record are taken."""
        return self.desk.study.gauges[self.key].maxima

    # showing

    def show_gauge(self, key: str) -> None:
        """Show the maxima of another record."""
        self.key = key
        self.refresh()

    def refresh(self) -> None:
        """Show the maxima of the record; they are taken and fitted in a thread."""
        gauges = self.desk.study.gauges
        self._split.setVisible(bool(gauges))
        self._empty.setVisible(not gauges)
        if not gauges:
            return
        if self.key not in gauges:
            self.key = next(iter(gauges))
        gauge = gauges[self.key]
        of = gauges, gauge, self.desk.study.units
        if self._of and all(a is b for a, b in zip(of, self._of, strict=True)):
            return
        self._of = of
        self._show_choices(gauge)
        if self._working is not None:
            self.desk.aside.cancel(self._working)
        study, blobs, key = self.desk.study, self.desk.file.blobs, self.key
        self._message.setText("")

        def work(progress: Progress) -> Frequency:
            return frequency_of(study, blobs, key, progress)

        self._working = self.desk.aside.run(work, self._show, self._failed, f"Fitting the maxima of {gauge.name}")

    def _failed(self, error: BaseException) -> None:
        self._working = None
        self.frequency = None
        if not isinstance(error, TarnwaterError):
            self.desk.fault(error)
            return
        self._message.setText(str(error))
        self.rows = []
        self.list.show_rows([])
        self.words.setText("")
        for plot in (self.paper, self.histogram):
            plot.show_plot(None, str(error))

    def _show_choices(self, gauge: Gauge) -> None:
        gauges, rule = self.desk.study.gauges, gauge.maxima
        self.gauge.clear()
        for key, one in gauges.items():
            self.gauge.addItem(one.name, key)
        self.gauge.setCurrentIndex(self.gauge.findData(self.key))
        self.sampled.setCurrentText(rule.sampled)
        for widget in self._of_peaks:
            widget.setVisible(rule.over_threshold)
        self.distribution.setCurrentIndex(self.distribution.findData(rule.fitted.tag()))
        self.distribution.setEnabled(not rule.over_threshold)
        self.rate.show_value(f"{rule.peaks.rate:g}")
        self.apart.show_value(units.show_duration(self._between(gauge)))
        self.way.setCurrentText(rule.way)
        self.together.setCurrentText(rule.together)
        self.month.setCurrentIndex(rule.years.first_month - 1)
        self.complete.show_value(units.show(rule.years.least_complete, "share"))
        self.periods.show_value(", ".join(f"{t:g}" for t in rule.return_periods))
        self.corrected.setChecked(rule.corrected)
        rain = gauge.quantity == "rain"
        for widget in (self.durations, self.corrected, self.together, self.which, self.make):
            widget.setEnabled(rain)

    def _show(self, frequency: Frequency) -> None:
        self._working = None
        self.frequency = frequency
        durations = frequency.depths.durations
        if self.duration not in durations:
            self.duration = durations[len(durations) // 2]
        self.which.clear()
        for duration in durations:
            self.which.addItem(units.show_duration(duration) if duration else "greatest flow", duration)
        self.which.setCurrentIndex(durations.index(self.duration))
        self.durations.show_value(", ".join(units.show_duration(d) for d in durations if d))
        self._show_duration()

    def _show_duration(self) -> None:
        frequency = self.frequency
        if frequency is None:
            return
        gauge, system = self.desk.study.gauges[self.key], self.desk.study.units
        self._show_threshold(frequency, gauge)
        self.rows = maximum_rows(frequency.maxima, self.duration)
        kind = "flow" if gauge.quantity == "flow" else "rain"
        unit = units.display_unit(kind, [r.corrected for r in self.rows if r.measured == r.measured], system)
        self.list.set_heads(("year", f"measured, {unit}", f"corrected, {unit}", "begins", "data"))
        shown = [
            (
                row.year,
                "–" if row.measured != row.measured else units.rounded(units.to_unit(row.measured, unit, kind)),
                "–" if row.measured != row.measured else units.rounded(units.to_unit(row.corrected, unit, kind)),
                row.date,
                f"{100 * row.complete:.3g} %" + self._remark(row),
            )
            for row in self.rows
        ]
        self.list.show_rows(shown, ["" if row.used else self.theme.quiet for row in self.rows])
        told = [fit_words(frequency, self.duration), *frequency_words(frequency, gauge, self.duration, system)]
        if frequency.depths.together == TOGETHER[1]:
            duration, period, shift = frequency.depths.greatest_shift
            where = f"{units.show_duration(duration)}, 1 in {period:g}"
            told.append(f"greatest shift: {units.show(shift, kind, system)} at {where}")
        self.words.setText("\n".join(told))
        self._show_plots()

    def _remark(self, row: MaximumRow) -> str:
        """What there is to say of a row: a year that is not used, or one without a peak."""
        if self.rule.over_threshold and not row.date:
            return "  no peak" if row.used else "  left out"
        return "" if row.used else "  left out"

    def _show_threshold(self, frequency: Frequency, gauge: Gauge) -> None:
        """The threshold that was typed for the duration, or in its place the one that the rate gives."""
        if not isinstance(frequency.maxima, PeaksOver):
            return
        kind = "flow" if gauge.quantity == "flow" else "rain"
        shown = units.show(frequency.maxima.threshold(self.duration), kind, self.desk.study.units)
        typed = str(self.duration) in gauge.maxima.peaks.thresholds
        self.threshold.setPlaceholderText(f"{shown} by the rate")
        self.threshold.show_value(shown if typed else "")

    def _between(self, gauge: Gauge) -> float:
        """Time between two peaks of a record, s."""
        return gauge.maxima.apart if gauge.quantity == "flow" else gauge.maxima.peaks.between_storms

    def _show_plots(self) -> None:
        frequency = self.frequency
        if frequency is None:
            return
        gauge, system = self.desk.study.gauges[self.key], self.desk.study.units
        self.paper.show_plot(frequency_plot(gauge, frequency, self.duration, system))
        self.histogram.show_plot(histogram_plot(gauge, frequency, self.duration, system, self.bins.value()))

    # acts

    def _tell(self, words: str) -> None:
        self._message.setText(words)

    def _turn_gauge(self, number: int) -> None:
        self.key = self.gauge.itemData(number)
        self.refresh()

    def _turn_duration(self, number: int) -> None:
        self.duration = self.which.itemData(number)
        self._show_duration()

    def _change(self, act: str, **fields: Any) -> str:
        """Change how the maxima are taken; returns the error text, empty if there is none."""
        rule = self.rule
        data = {name: getattr(rule, name) for name in MaximaRule.model_fields} | fields
        try:
            new = checked(lambda: MaximaRule(**data), self.desk.study.gauges[self.key].name)
        except TarnwaterError as error:
            self._tell(str(error))
            return str(error)
        done = self.desk.do(set_maxima, self.desk.file.blobs, self.key, new, act)
        return "" if done else "the edit was refused."

    def _choose_sampled(self, number: int) -> None:
        way = self.rule.way
        # product moments are of logarithms, of which no distribution of peaks is
        if SAMPLED[number] == SAMPLED[1] and way == "product moments":
            way = "L-moments"
        self._change(f"fit {SAMPLED[number]}", sampled=SAMPLED[number], way=way)

    def _read_rate(self, text: str) -> str:
        try:
            peaks = self._peaks_with(rate=units.parse(text, "factor"))
        except TarnwaterError as error:
            return str(error)
        return self._change("change the peaks a year", peaks=peaks)

    def _read_threshold(self, text: str) -> str:
        """Take a typed threshold of the duration; an empty text leaves it to the rate."""
        kind = "flow" if self.desk.study.gauges[self.key].quantity == "flow" else "rain"
        unit = units.display_unit(kind, [1.0], self.desk.study.units)
        try:
            threshold = units.parse(text, kind, default=unit) if text.strip() else None
            known = typed_thresholds(self.rule.peaks.thresholds, self.duration, threshold)
            peaks = self._peaks_with(thresholds=known)
        except TarnwaterError as error:
            return str(error)
        return self._change("change the threshold of the peaks", peaks=peaks)

    def _read_apart(self, text: str) -> str:
        act, flow = "change the time between two peaks", self.desk.study.gauges[self.key].quantity == "flow"
        try:
            apart = units.parse(text, "time", default="d" if flow else "h")
            if flow:
                return self._change(act, apart=apart)
            peaks = self._peaks_with(between_storms=apart)
        except TarnwaterError as error:
            return str(error)
        return self._change(act, peaks=peaks)

    def _peaks_with(self, **fields: Any) -> PeaksRule:
        """The rule of the peaks with other fields; `TarnwaterError` for one that it refuses."""
        data = dict(self.rule.peaks) | fields
        return checked(lambda: PeaksRule(**data), self.desk.study.gauges[self.key].name)

    def _choose_distribution(self, number: int) -> None:
        kind = Distribution.of_tag(self.distribution.itemData(number))
        way = self.rule.way
        if way == "product moments" and not kind.of_logs:
            way = "L-moments"
        self._change(f"fit {kind.title}", distribution=kind(), way=way)

    def _choose_together(self, number: int) -> None:
        self._change("choose how curves are kept from crossing", together=TOGETHER[number])

    def _choose_month(self, number: int) -> None:
        years = self.rule.years.model_copy(update={"first_month": number + 1})
        self._change(f"let years begin in {MONTHS[number]}", years=years, left_out=(), taken_in=())

    def _read_complete(self, text: str) -> str:
        try:
            share = units.parse(text, "share", default="%")
            years = checked(
                lambda: type(self.rule.years)(first_month=self.rule.years.first_month, least_complete=share)
            )
        except TarnwaterError as error:
            return str(error)
        return self._change("change the completeness that a year needs", years=years)

    def _read_periods(self, text: str) -> str:
        try:
            periods = tuple(sorted(set(units.listed(text.replace(";", ","), "return period"))))
        except TarnwaterError as error:
            return str(error)
        return self._change("change the return periods of the fit", return_periods=periods)

    def _read_durations(self, text: str) -> str:
        try:
            durations = tuple(sorted({round(d) for d in units.listed(text.replace(";", ","), "time")}))
        except TarnwaterError as error:
            return str(error)
        return self._change("change the durations of the maxima", durations=durations)

    def _leave_out(self) -> None:
        row = self.list.currentRow()
        if not 0 <= row < len(self.rows):
            return
        one = self.rows[row]
        used = one.number in self.used_years()
        act = f"leave {one.year} out" if used else f"take {one.year} in"
        self.desk.do(use_years, self.desk.file.blobs, self.key, [one.number], not used, act)

    def used_years(self) -> set[int]:
        """Years that are used."""
        if self.frequency is None:
            return set()
        maxima = self.frequency.maxima
        return {year for year, used in zip(maxima.years, maxima.used, strict=True) if used}

    def _show_in_record(self, row: int) -> None:
        if 0 <= row < len(self.rows) and self.rows[row].date:
            self.record_wanted.emit(self.key, float(self.rows[row].begin), float(self.rows[row].end))

    def _make_table(self) -> None:
        before = set(self.desk.study.tables)
        if self.desk.do(table_from_maxima, self.desk.file.blobs, self.key):
            made = next((key for key in self.desk.study.tables if key not in before), "")
            self.table_made.emit(made)
