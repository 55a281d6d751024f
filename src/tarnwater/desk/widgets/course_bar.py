"""The course bar: the benches as points on one line, the case in view, the action finder."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from tarnwater.desk.desk import Desk, View
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.desk.widgets.labels import Words
from tarnwater.study.answers import CaseResult
from tarnwater.study.answers.storms import event_title
from tarnwater.units import show_duration


class Course(QWidget):
    """The benches as points on a line, each with its name and its state in two words."""

    chosen = pyqtSignal(int)

    def __init__(self, names: Sequence[str], theme: Theme) -> None:
        super().__init__()
        self.setAccessibleName("Benches")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.theme = theme
        self._names = list(names)
        self._states = [("", "quiet")] * len(names)
        self._present = 0
        self.setMinimumHeight(58)

    def sizeHint(self) -> QSize:  # noqa: N802
        """Room for every name."""
        return QSize(110 * len(self._names), 58)

    def show_states(self, present: int, states: Sequence[tuple[str, str]]) -> None:
        """Show the bench at work and the state of each with its role."""
        if (present, list(states)) != (self._present, self._states):
            self._present, self._states = present, list(states)
            self.update()

    def place_of(self, index: int) -> QPointF:
        """Position at which a bench is drawn."""
        step = self.width() / len(self._names)
        return QPointF(step * (index + 0.5), 14.0)

    def paintEvent(self, event: QPaintEvent | None) -> None:  # noqa: N802
        """Draw the line, its points and their words."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        painter.setPen(QPen(QColor(self.theme.rule), 3))
        painter.drawLine(self.place_of(0), self.place_of(len(self._names) - 1))
        for index, name in enumerate(self._names):
            here = index == self._present
            place = self.place_of(index)
            painter.setPen(QPen(QColor(self.theme.water if here else self.theme.quiet), 1.6))
            painter.setBrush(QColor(self.theme.water if here else self.theme.paper))
            painter.drawEllipse(place, 6 if here else 4, 6 if here else 4)
            width = self.width() / len(self._names)
            painter.setPen(QColor(self.theme.water if here else self.theme.ink))
            painter.setFont(desk_font(9.5, bold=here))
            centre = Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop
            painter.drawText(QRectF(place.x() - width / 2, 22, width, 18), centre, name)
            words, role = self._states[index]
            painter.setPen(QColor(getattr(self.theme, role)))
            painter.setFont(desk_font(8))
            shown = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(width) - 4)
            painter.drawText(QRectF(place.x() - width / 2, 39, width, 16), centre, shown)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(self.theme.water), 1, Qt.PenStyle.DotLine))
            painter.drawRect(self.rect().adjusted(1, 1, -2, -2))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:  # noqa: N802
        """Go to the bench under the pointer."""
        if event is not None:
            self.chosen.emit(int(event.position().x() / (self.width() / len(self._names))))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:  # noqa: N802
        """Handle left and right: select another bench."""
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(event.key()) if event is not None else None  # type: ignore[call-overload]
        if step is None:
            super().keyPressEvent(event)
        elif 0 <= self._present + step < len(self._names):
            self.chosen.emit(self._present + step)


class CourseBar(QWidget):
    """Study name, course, case in view, finder."""

    def __init__(self, desk: Desk, names: Sequence[str], theme: Theme, find: Callable[[], None]) -> None:
        super().__init__()
        self._desk = desk
        self.course = Course(names, theme)
        self._title = Words("", bold=True, size=12)
        self._kept = Words("", quiet=True, size=8.5)
        self.condition, self.events, self.storm = QComboBox(), QComboBox(), QComboBox()
        for box, name in ((self.condition, "Condition in view"), (self.events, "Event in view"),
                          (self.storm, "Storm in view")):  # fmt: skip
            box.setAccessibleName(name)
            box.setToolTip(name)
            box.setFont(desk_font(9))
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
            box.activated.connect(self._look)
        finder = QPushButton("Find  Ctrl+K")
        finder.setAccessibleName("Find an action")
        finder.clicked.connect(lambda: find())
        titles = QVBoxLayout()
        titles.setSpacing(0)
        titles.addWidget(self._title)
        titles.addWidget(self._kept)
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 4, 12, 4)
        row.addLayout(titles)
        row.addWidget(self.course, 1)
        for widget in (self.condition, self.events, self.storm, finder):
            row.addWidget(widget)
        self.refresh()

    def refresh(self) -> None:
        """Show the study, whether it is computed, and the case in view."""
        desk = self._desk
        self._title.setText(desk.study.title)
        state = "computing …" if desk.computing else "Saved" if not desk.study.locked else "locked"
        self._kept.setText(state)
        view, results = desk.view, desk.results
        for box in (self.condition, self.events, self.storm):
            box.setEnabled(results is not None)
        if view is None or results is None:
            return
        self._fill(self.condition, [(c.name, k) for k, c in desk.study.conditions.items()], view.condition)
        events = results.events_of(view.condition, view.point)
        self._fill(self.events, [(event_title(desk.study, event), event) for event in events], view.event)
        governing = results.governing(view.condition, view.point, view.event)
        told = f"governing, {show_duration(governing.case.storm.duration)}" if governing else "governing"
        storms = [(self._storm_words(r), r.case.storm.mark)
                  for r in results.all_of(view.condition, view.point, view.event)]  # fmt: skip
        self._fill(self.storm, [(told, None), *storms], view.storm)

    def _storm_words(self, result: CaseResult) -> str:
        study, storm = self._desk.study, result.case.storm
        words = show_duration(storm.duration)
        several = storm.searches(study) and sum(f.counted for f in study.families.values()) > 1
        return f"{storm.maker(study)}, {words}" if several or result.standing != "counted" else words

    @staticmethod
    def _fill(box: QComboBox, entries: Sequence[tuple[str, object]], present: object) -> None:
        box.blockSignals(True)
        if [(box.itemText(i), box.itemData(i)) for i in range(box.count())] != list(entries):
            box.clear()
            for text, data in entries:
                box.addItem(text, data)
        box.setCurrentIndex(next((i for i, (_, d) in enumerate(entries) if d == present), 0))
        box.blockSignals(False)

    def _look(self) -> None:
        view = self._desk.view
        if view is not None:
            self._desk.look_at(
                View(self.condition.currentData(), view.point, self.events.currentData(), self.storm.currentData())
            )
