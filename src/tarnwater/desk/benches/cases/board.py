"""The case board: conditions down, return periods and given storms across, each cell the governing case."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QPoint, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QHelpEvent, QKeyEvent, QKeySequence, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QToolTip, QWidget

from tarnwater.desk.desk import Desk, View
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.desk.widgets.grid_view import put_on_clipboard
from tarnwater.desk.widgets.labels import as_hint
from tarnwater.study.answers import Answer
from tarnwater.study.answers.figures import difference
from tarnwater.study.answers.storms import Event, event_title, in_order, storm_title
from tarnwater.units import display_unit, rounded, show_duration, to_unit

HEAD, ROW, NAMES = 26, 50, 150

#: Marks of the state of a limit.
VERDICTS = {"kept": "✓", "exceeded": "▲", "unknown": "?"}

#: A cell is never narrower than its figures, because a clipped figure reads as another one.
NARROWEST = 138


def duration_words(answer: Answer) -> str:
    """The governing duration, with a star at an end of those tried, and the number computed if some are missing."""
    told = show_duration(answer.result.case.storm.duration) + ("" if answer.bracketed else " *")
    return told if answer.whole else f"{told} · {answer.computed} of {answer.tried}"


def _period(event: Event) -> str:
    return "" if isinstance(event, str) else f"{event:g}"


class Board(QWidget):
    """Arrows move between the cells, Enter or a second click opens one to its durations; the one in view is framed.

    A limit exceeded has a mark beside its colour. Ctrl+C copies the board.
    """

    opened = pyqtSignal()

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.setAccessibleName("Case board")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.desk = desk
        self.theme = theme
        self.unit = ""
        self.events: list[Event] = []
        self.conditions: list[str] = []
        self._answers: dict[tuple[str, Event], Answer] = {}
        self._withheld: dict[tuple[str, Event], str] = {}

    def refresh(self) -> None:
        """Read the answers at the design point in view."""
        results, view = self.desk.results, self.desk.view
        self._answers, self._withheld = {}, {}
        if results is not None and view is not None:
            for answer in results.answers():
                case = answer.result.case
                if case.point == view.point:
                    self._answers[case.condition, case.event] = answer
            for one in results.withheld:
                if one.case.point == view.point:
                    self._withheld.setdefault((one.case.condition, one.case.event), one.reason)
        told = {**self._withheld, **self._answers}
        self.events = in_order(self.desk.study, [event for _, event in told])
        self.conditions = [c for c in self.desk.study.conditions if any(c == k for k, _ in told)]
        peaks = [a.figures.peak.ordinate for a in self._answers.values()]
        self.unit = display_unit("flow", peaks, self.desk.study.units)
        self.setFixedHeight(HEAD + ROW * max(len(self.conditions), 1) + 4)
        self.setMinimumWidth(NAMES + NARROWEST * len(self.events))
        self.update()

    def sizeHint(self) -> QSize:  # noqa: N802
        """Room for all cells."""
        return QSize(NAMES + NARROWEST * max(len(self.events), 1), self.height())

    @property
    def cell_in_view(self) -> QRectF | None:
        """Where the case in view is drawn, None where it is not on the board."""
        view = self.desk.view
        if view is None or view.condition not in self.conditions or view.event not in self.events:
            return None
        return self.cell(self.conditions.index(view.condition), self.events.index(view.event))

    def cell(self, row: int, column: int) -> QRectF:
        """Rectangle of a cell."""
        width = (self.width() - NAMES) / max(len(self.events), 1)
        return QRectF(NAMES + column * width, HEAD + row * ROW, width, ROW)

    def paintEvent(self, event: QPaintEvent | None) -> None:  # noqa: N802
        """Draw heads, cells, differences and marks."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        for column, heading in enumerate(self.events):
            box = self.cell(0, column)
            painter.setPen(QColor(self.theme.quiet))
            painter.setFont(desk_font(8.5, bold=True))
            title = event_title(self.desk.study, heading)
            shown = painter.fontMetrics().elidedText(title, Qt.TextElideMode.ElideMiddle, int(box.width()) - 40)
            painter.drawText(QRectF(box.x(), 0, box.width() - 34, HEAD), right, shown)
        for row, condition in enumerate(self.conditions):
            first = self.cell(row, 0)
            painter.setPen(QPen(QColor(self.theme.rule), 1))
            painter.drawLine(0, int(first.bottom()), self.width(), int(first.bottom()))
            painter.setPen(QColor(self.theme.ink))
            painter.setFont(desk_font(9.5, bold=True))
            name = self.desk.study.conditions[condition].name
            shown = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, NAMES - 6)
            painter.drawText(QRectF(2, first.y(), NAMES - 6, ROW), Qt.AlignmentFlag.AlignVCenter, shown)
            for column, heading in enumerate(self.events):
                self._draw_cell(painter, row, column, condition, heading)

    def _draw_cell(self, painter: QPainter, row: int, column: int, condition: str, event: Event) -> None:
        answer = self._answers.get((condition, event))
        box = self.cell(row, column)
        view = self.desk.view
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        here = view is not None and (view.condition, view.event) == (condition, event)
        if here:
            painter.fillRect(box.adjusted(3, 3, -3, -3), QColor(self.theme.chosen))
            painter.setPen(QPen(QColor(self.theme.water), 2 if self.hasFocus() else 1))
            painter.drawRect(box.adjusted(3, 3, -3, -3))
        if answer is None:
            if (condition, event) in self._withheld:
                painter.setFont(desk_font(9))
                painter.setPen(QColor(self.theme.loss))
                painter.drawText(QRectF(box.x(), box.y() + 5, box.width() - 34, 22), right, "withheld")
            return
        painter.setPen(QColor(self.theme.water if here else self.theme.ink))
        painter.setFont(desk_font(11, bold=True))
        peak = rounded(to_unit(answer.figures.peak.ordinate, self.unit, "flow"))
        painter.drawText(QRectF(box.x(), box.y() + 5, box.width() - 34, 22), right, peak)
        painter.setFont(desk_font(8))
        painter.setPen(QColor(self.theme.quiet))
        told = duration_words(answer)
        apart = difference(answer, self._answers.get((self.conditions[0], event))) if row else None
        if apart is not None:
            sign = "+" if apart >= 0 else ""
            told = f"{sign}{rounded(to_unit(apart, self.unit, 'flow'), 3)} · {told}"
        painter.drawText(QRectF(box.x(), box.y() + 26, box.width() - 34, 18), right, told)
        if answer.verdict is not None:
            painter.setPen(QColor(self.theme.limit if answer.verdict.state == "exceeded" else self.theme.water))
            painter.setFont(desk_font(9, bold=True))
            mark = QRectF(box.right() - 30, box.y() + 5, 24, 22)
            painter.drawText(mark, Qt.AlignmentFlag.AlignCenter, VERDICTS[answer.verdict.state])

    def _look(self, row: int, column: int) -> None:
        view = self.desk.view
        if view is None or not (0 <= row < len(self.conditions) and 0 <= column < len(self.events)):
            return
        if (view.condition, view.event) == (self.conditions[row], self.events[column]):
            self.opened.emit()
        else:
            self.desk.look_at(View(self.conditions[row], view.point, self.events[column], None))

    def copy(self) -> None:
        """Copy the board, exact: peaks, differences, governing durations and limits of every cell."""
        study = self.desk.study
        rows = [
            [
                "condition",
                "1 in",
                f"peak {self.unit}",
                f"difference {self.unit}",
                "duration h",
                f"limit {self.unit}",
                "storm",
            ]
        ]
        for (condition, event), answer in self._answers.items():
            apart = difference(answer, self._answers.get((self.conditions[0], event)))
            values = (answer.figures.peak.ordinate, apart, answer.limit)
            peak, more, limit = ("" if v is None else repr(to_unit(v, self.unit, "flow")) for v in values)
            hours = repr(answer.result.case.storm.duration / 3600)
            rows.append(
                [
                    study.conditions[condition].name,
                    _period(event),
                    peak,
                    more,
                    hours,
                    limit,
                    study.storms[event].name if isinstance(event, str) else "",
                ]
            )
        put_on_clipboard(rows)

    def asked(self) -> tuple[str, str] | None:
        """The target of F1: the peak of the design point in view."""
        return None if self.desk.view is None else (self.desk.view.point, "peak")

    def mousePressEvent(self, event: QMouseEvent | None) -> None:  # noqa: N802
        """Show the case under the pointer."""
        if event is None or not self.events:
            return
        place = event.position()
        width = (self.width() - NAMES) / len(self.events)
        self._look(int((place.y() - HEAD) // ROW), int((place.x() - NAMES) // width))

    def event(self, event: QEvent | None) -> bool:
        """Show a hint for the cell under the pointer."""
        if isinstance(event, QHelpEvent) and self.events:
            QToolTip.showText(event.globalPos(), as_hint(self._hint_at(event.pos())), self)
            return True
        return super().event(event)

    def _hint_at(self, at: QPoint) -> str:
        width = (self.width() - NAMES) / max(len(self.events), 1)
        row, column = int((at.y() - HEAD) // ROW), int((at.x() - NAMES) // width)
        if not 0 <= row < len(self.conditions):
            return ""
        if not 0 <= column < len(self.events):
            return self.desk.study.conditions[self.conditions[row]].name
        key = self.conditions[row], self.events[column]
        if key not in self._answers:
            return f"withheld: {self._withheld[key]}" if key in self._withheld else ""
        answer = self._answers[key]
        lines = [storm_title(self.desk.study, answer.result.case.storm)]
        if not answer.bracketed:
            lines.append("* the first or the last duration tried governs: a shorter or a longer one may give more")
        if not answer.whole:
            lines.append(f"{answer.computed} of {answer.tried} cases are computed: {self._withheld.get(key, '')}")
        if answer.verdict is not None and answer.limit is not None:
            limit = rounded(to_unit(answer.limit, self.unit, "flow"))
            lines.append(f"limit {limit} {self.unit}: {answer.verdict.state}")
        return "\n".join(lines)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:  # noqa: N802
        """Arrows move on the board."""
        steps = {
            Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1), Qt.Key.Key_Up: (-1, 0), Qt.Key.Key_Down: (1, 0),
        }  # fmt: skip
        view = self.desk.view
        if event is not None and event.matches(QKeySequence.StandardKey.Copy):
            self.copy()
            return
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.opened.emit()
            return
        if event is None or view is None or event.key() not in steps or view.condition not in self.conditions:
            super().keyPressEvent(event)
            return
        row, column = steps[Qt.Key(event.key())]
        if row or column:
            self._step(self.conditions.index(view.condition) + row, self.events.index(view.event) + column)

    def _step(self, row: int, column: int) -> None:
        if 0 <= row < len(self.conditions) and 0 <= column < len(self.events):
            self._look(row, column)
