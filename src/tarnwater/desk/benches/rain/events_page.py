"""Events of a record, found by rules or dragged on it; a chosen one becomes a storm with each catchment's own rain."""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QPushButton, QSplitter, QVBoxLayout, QWidget

from tarnwater import units
from tarnwater.clock import show_day, show_moment
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.listing import Listing
from tarnwater.desk.widgets.quantity_field import QuantityField
from tarnwater.desk.widgets.record_view import RecordView, Stretch
from tarnwater.errors import TarnwaterError
from tarnwater.progress import Progress
from tarnwater.rain.records.events import EventRule, RainEvent, event_between, events_of
from tarnwater.rain.records.record import Record, moment_of
from tarnwater.study import edits
from tarnwater.study.document import checked
from tarnwater.study.edits.records import cut_storm, set_event_rule
from tarnwater.study.rain.records import record_of

#: Steps that a storm may have, s.
STEPS = (60, 120, 300, 600, 900, 1800, 3600, 7200, 10800, 21600, 86400)

RULES = (
    ("dry", "Dry between events", "time", "Dry time between events"),
    ("least_depth", "At least", "rain", "Least depth of an event"),
    ("lead", "Before the rain", "time", "Time before the rain"),
    ("extension", "After the rain", "time", "Time after the rain"),
)


class EventsPage(QWidget):
    """The rule and the list beside the record; list and record show the same event, whose ends can be dragged."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.desk, self.theme = desk, theme
        self.key = ""
        self.events: list[RainEvent] = []
        self.stretch: RainEvent | None = None
        self._record: Record | None = None
        self._working: Progress | None = None
        self._of: tuple[object, ...] = ()
        self.gauge = QComboBox()
        self.gauge.setAccessibleName("Record of the events")
        self.gauge.setFont(desk_font(9))
        self.gauge.activated.connect(self._turn_gauge)
        self.fields: dict[str, QuantityField] = {}
        for name, _, kind, meaning in RULES:
            self.fields[name] = QuantityField("", partial(self._read_rule, name, kind), self._tell, meaning)
        self.list = Listing("Events", ("begins", "lasts", "depth", "most", "missing"), right=(1, 2, 3, 4))
        self.list.row_chosen.connect(self._choose)
        self.list.row_entered.connect(lambda _: self.make_storm())
        self.view = RecordView("Record of the events", theme, picks=True)
        self.view.picked.connect(self._picked)
        self.begin = QuantityField("", lambda text: self._read_end("begin", text), self._tell, "Begin of the stretch")
        self.end = QuantityField("", lambda text: self._read_end("end", text), self._tell, "End of the stretch")
        self.name = QuantityField("", lambda _: "", self._tell, "Name of the storm")
        for field in (self.begin, self.end, self.name):
            field.setAlignment(Qt.AlignmentFlag.AlignLeft)
        self.step = QComboBox()
        self.step.setAccessibleName("Step of the storm")
        self.make = QPushButton("Make a storm   Enter")
        self.make.setAccessibleName("Make a storm of the stretch")
        self.make.clicked.connect(self.make_storm)
        self.type_button = QPushButton("Type or paste a storm …")
        self.type_button.setAccessibleName("Type or paste a storm")
        self.type_button.clicked.connect(self.type_storm)
        self.storms = QComboBox()
        self.storms.setAccessibleName("Recorded and typed storms of the study")
        self.remove_button = QPushButton("Remove it")
        self.remove_button.setAccessibleName("Remove the recorded or typed storm")
        self.remove_button.clicked.connect(lambda: self.desk.do(edits.remove_storm, self.storms.currentData()))
        self._found = Words("", quiet=True, size=8.5)
        self._held = Words("", size=8.5)
        self._message = Words("", size=8.5, role="limit")
        self._message.setWordWrap(True)
        words = "Events appear when there is a record of rain: import one under Records."
        self._empty = Words(words, quiet=True, size=10)
        self._empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._lay_out()

    def _lay_out(self) -> None:
        grid = QGridLayout()
        grid.addWidget(Words("Record", quiet=True, size=8.5), 0, 0)
        grid.addWidget(self.gauge, 0, 1)
        for number, (name, words, _, _) in enumerate(RULES, start=1):
            grid.addWidget(Words(words, quiet=True, size=8.5), number, 0)
            grid.addWidget(self.fields[name], number, 1)
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(16, 8, 6, 8)
        column.setSpacing(4)
        column.addWidget(Words("Events", bold=True, size=10))
        column.addLayout(grid)
        column.addWidget(self._message)
        column.addWidget(self._found)
        column.addWidget(self.list, 1)
        right = QWidget()
        side = QVBoxLayout(right)
        side.setContentsMargins(6, 8, 10, 8)
        side.setSpacing(4)
        side.addWidget(self.view, 1)
        side.addWidget(self._held)
        ends, line = QHBoxLayout(), QHBoxLayout()
        parts: tuple[tuple[QHBoxLayout, str, QWidget], ...] = (
            (ends, "From", self.begin), (ends, "to", self.end), (ends, "in steps of", self.step),
            (line, "Called", self.name),
        )  # fmt: skip
        for row, words, widget in parts:
            row.addWidget(Words(words, quiet=True, size=8.5))
            row.addWidget(widget)
        line.addWidget(self.make)
        side.addLayout(ends)
        side.addLayout(line)
        hint = Words(
            "The ends of the shaded stretch can be dragged. A storm has each catchment's own rain, as set under "
            "Catchments, and follows its records.", quiet=True, size=8,
        )  # fmt: skip
        hint.setWordWrap(True)
        side.addWidget(hint)
        left.setMinimumWidth(24 * self.fontMetrics().height())
        self._split = QSplitter(Qt.Orientation.Horizontal)
        self._split.addWidget(left)
        self._split.addWidget(right)
        self._split.setSizes([440, 500])
        held = QHBoxLayout()
        held.setContentsMargins(16, 0, 10, 6)
        held.addWidget(Words("Storms of the study", quiet=True, size=8.5))
        held.addWidget(self.storms, 1)
        held.addWidget(self.remove_button)
        held.addWidget(self.type_button)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self._split, 1)
        whole.addWidget(self._empty, 1)
        whole.addLayout(held)

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self.theme = theme
        self.view.set_theme(theme)

    def take_focus(self) -> None:
        """Work begins in the list."""
        self.list.setFocus()

    @property
    def rain_gauges(self) -> dict[str, Any]:
        """Records of rain, by key."""
        return {key: gauge for key, gauge in self.desk.study.gauges.items() if gauge.quantity == "rain"}

    def refresh(self) -> None:
        """Show the events of the record; they are found in a thread."""
        gauges = self.rain_gauges
        self._show_storms()
        self._split.setVisible(bool(gauges))
        self._empty.setVisible(not gauges)
        if not gauges:
            return
        if self.key not in gauges:
            self.key = next(iter(gauges))
        study, blobs, key = self.desk.study, self.desk.file.blobs, self.key
        of = study.gauges, study.event_rule, study.units, key
        if self._of and all(a is b for a, b in zip(of, self._of, strict=True)):
            return
        self._of = of
        self.gauge.clear()
        for name, gauge in gauges.items():
            self.gauge.addItem(gauge.name, name)
        self.gauge.setCurrentIndex(self.gauge.findData(key))
        for name, _, kind, _ in RULES:
            value = getattr(study.event_rule, name)
            self.fields[name].show_value(
                units.show_duration(value) if kind == "time" else units.show(value, kind, study.units)
            )
        if self._working is not None:
            self.desk.aside.cancel(self._working)
        rule = study.event_rule

        def work(progress: Progress) -> tuple[Record, list[RainEvent]]:
            record = record_of(study, blobs, key)
            return record, events_of(record, rule)

        self._working = self.desk.aside.run(work, self._show, self._failed, "Finding events")

    def _show_storms(self) -> None:
        held = self.storms.currentData()
        self.storms.clear()
        for key, storm in self.desk.study.storms.items():
            self.storms.addItem(f"{storm.name}, {units.show_duration(storm.duration)}", key)
        self.storms.setCurrentIndex(max(self.storms.findData(held), 0))
        self.storms.setEnabled(bool(self.desk.study.storms))
        self.remove_button.setEnabled(bool(self.desk.study.storms))

    def type_storm(self) -> None:
        """Type or paste a storm as columns."""
        from tarnwater.desk.benches.rain.storm_dialog import StormDialog

        StormDialog(self, self.desk, self.theme).open()

    def _failed(self, error: BaseException) -> None:
        self._working = None
        if isinstance(error, TarnwaterError):
            self._message.setText(str(error))
        else:
            self.desk.fault(error)

    def _show(self, found: tuple[Record, list[RainEvent]]) -> None:
        self._working = None
        self._record, events = found
        # the deepest first: those are looked for
        self.events = sorted(events, key=lambda event: -event.depth)
        system = self.desk.study.units
        unit = units.display_unit("rain", [e.depth for e in self.events], system)
        self.list.set_heads(("begins", "lasts", f"depth, {unit}", f"most, {unit}", "missing"))

        def told(value: float) -> str:
            return units.rounded(units.to_unit(value, unit, "rain"))

        offset = self._record.offset
        rows = [
            (show_moment(moment_of(e.begin, offset)), units.show_duration(e.end - e.begin), told(e.depth), told(e.most),
             units.show_duration(e.missing) if e.missing else "")
            for e in self.events
        ]  # fmt: skip
        self._found.setText(f"{len(rows)} events, the deepest first" if rows else "No event by this rule.")
        self.list.show_rows(rows)
        gauge = self.desk.study.gauges[self.key]
        self.view.show_record(self._record, f"{gauge.name}, {units.show_duration(self._record.step)}", system)
        shown = (step for step in STEPS if not self._record.step or step % self._record.step == 0)
        self.step.clear()
        for step in shown:
            self.step.addItem(units.show_duration(step), step)
        self._choose(self.list.currentRow())

    def _choose(self, row: int) -> None:
        if not 0 <= row < len(self.events):
            self.view.unpick()
            return
        event = self.events[row]
        self._take(event)
        self.view.look_at(event.begin, event.end, 0.6)
        assert self._record is not None
        self.name.show_value(f"Storm of {show_day(moment_of(event.begin, self._record.offset))}")

    def _take(self, event: RainEvent) -> None:
        """Show a stretch in the record and in the fields."""
        assert self._record is not None
        self.stretch = event
        self.view.pick(event.begin, event.end)
        missing = self._record.whole_between(np.array([event.begin]), np.array([event.end]))
        self.view.shade([] if missing.all() else [Stretch(event.begin, event.end)])
        offset = self._record.offset
        self.begin.show_value(f"{moment_of(event.begin, offset):%Y-%m-%d %H:%M}")
        self.end.show_value(f"{moment_of(event.end, offset):%Y-%m-%d %H:%M}")
        length = units.show_duration(event.end - event.begin)
        told = f"{units.show(event.depth, 'rain', self.desk.study.units)} in {length}"
        if event.missing:
            told += f" · {units.show_duration(event.missing)} of it missing: a storm of it stops its cases"
        self._held.setText(told)

    def _picked(self, begin: int, end: int) -> None:
        """A stretch was dragged: its ends go to whole steps."""
        if self._record is None:
            return
        step = self._record.step or 60
        first = self._record.first
        begin, end = (first + round((s - first) / step) * step for s in (begin, end))
        self._take(event_between(self._record, begin, max(end, begin + step)))

    # acts

    def _tell(self, words: str) -> None:
        self._message.setText(words)

    def _turn_gauge(self, number: int) -> None:
        self.key = self.gauge.itemData(number)
        self.refresh()

    def _read_rule(self, name: str, kind: str, text: str) -> str:
        rule = self.desk.study.event_rule
        try:
            value = units.parse(text, kind, default="h" if kind == "time" else None)
            new = checked(lambda: EventRule(**{**dict(rule), name: value}), "events")
        except TarnwaterError as error:
            return str(error)
        return "" if self.desk.do(set_event_rule, new) else "the edit was refused."

    def _read_end(self, which: str, text: str) -> str:
        """Read a typed end of the stretch, in the zone of the record."""
        from datetime import datetime

        if self._record is None or self.stretch is None:
            return ""
        try:
            when = datetime.fromisoformat(text.strip())
        except ValueError:
            return f"“{text}” is no time. Write it as 2019-11-09 06:00."
        zone = moment_of(0, self._record.offset).tzinfo
        seconds = int((when if when.tzinfo is not None else when.replace(tzinfo=zone)).timestamp())
        begin, end = (seconds, self.stretch.end) if which == "begin" else (self.stretch.begin, seconds)
        if end <= begin:
            return "the end must be after the begin."
        self._take(event_between(self._record, begin, end))
        return ""

    def make_storm(self) -> None:
        """Make a storm of the stretch that is marked, and look at it."""
        event = self.stretch
        if event is None or self._record is None:
            return
        name = self.name.text().strip() or "Recorded storm"
        taken = {storm.name for storm in self.desk.study.storms.values()}
        name = next(n for n in (name, *(f"{name} ({k})" for k in range(2, len(taken) + 3))) if n not in taken)
        step = int(self.step.currentData() or self._record.step or 300)
        words = show_moment(moment_of(event.begin, self._record.offset))
        blobs = self.desk.file.blobs
        done = self.desk.do(cut_storm, blobs, name, event.begin, event.end, step, words=words)
        if done:
            self.desk.say(f"“{name}” is a storm of the study now; its cases are computed.")
