"""The ledger: values of the selected element, each with its unit, its mark and its reckoning one key away."""

from __future__ import annotations

from functools import partial
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from tarnwater import units
from tarnwater.desk.desk import Desk
from tarnwater.desk.widgets.labels import Figure, Words, rule
from tarnwater.desk.widgets.quantity_field import QuantityField
from tarnwater.errors import TarnwaterError
from tarnwater.parameters import Setting
from tarnwater.study import edits
from tarnwater.study.explain import explain, explain_setting
from tarnwater.study.fields import description_at, quantities_in, value_at
from tarnwater.study.figures import case_title

MARKS = {"typed": "■", "derived": "○", "set": "–", "missing": "!"}
MEANINGS = {
    "typed": "typed by a person; it stays",
    "derived": "derived; it follows its sources",
    "set": "set in the study",
    "missing": "missing",
}

#: Figures of the case in view that stand below the settings: a peak never stands alone.
CASE_FIGURES = (
    "peak",
    "time of peak",
    "limit",
    "peak per area",
    "volume",
    "rain depth",
    "runoff depth",
    "share of rain",
)


class Ledger(QWidget):
    """Editors made from the descriptions of the parameters; a click on a mark (or F1) opens the reckoning."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.setAccessibleName("Ledger")
        self.setFixedWidth(332)
        self._desk = desk
        self._asked = ""
        self._body = QWidget()
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setWidget(self._body)
        self._message = Words("", role="stop")
        self._message.setWordWrap(True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 10, 6, 6)
        layout.addWidget(self._message)
        layout.addWidget(scroll, 1)
        self._message.hide()
        self._scroll = scroll
        desk.selection_changed.connect(self._forget_asked)
        desk.selection_changed.connect(self.refresh)
        desk.study_changed.connect(self.refresh)
        desk.view_changed.connect(self.refresh)
        desk.results_changed.connect(self.refresh)
        self.refresh()

    def tell(self, message: str) -> None:
        """Say what was wrong with what was typed, beside the values."""
        self._message.setText(message)
        self._message.setVisible(bool(message))

    def refresh(self) -> None:
        """Show the selected element anew."""
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(4)
        element = self._desk.study.elements.get(self._desk.selection)
        if element is None:
            column.addWidget(Words("Nothing is selected.", quiet=True))
        else:
            self._fill(column, element)
        column.addStretch(1)
        # the field that was just left may still be at work in the old body
        old = self._scroll.takeWidget()
        self._scroll.setWidget(body)
        if old is not None:
            old.deleteLater()

    def _fill(self, column: QVBoxLayout, element: Any) -> None:
        study = self._desk.study
        down = [study.name_of(link.down) for link in study.links.values() if link.up == self._desk.selection]
        column.addWidget(Words(element.name, bold=True, size=12))
        column.addWidget(Words(f"{element.kind}{f' · drains to {down[0]}' if down else ''}", quiet=True))
        column.addWidget(Words("edits change all conditions", role="water", size=8.5))
        grid = QGridLayout()
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(3)
        column.addLayout(grid)
        self._figures(grid)
        heading = None
        for path, _, _ in quantities_in(element):
            group = path.rsplit("/", 1)[0] if "/" in path else element.kind
            if group != heading:
                heading = group
                row = grid.rowCount()
                grid.addWidget(Words(_heading(group, element), quiet=True, size=8), row, 0, 1, 4)
                grid.addWidget(rule(), row + 1, 0, 1, 4)
            self._row(grid, element, path)

    def _figures(self, grid: QGridLayout) -> None:
        """Figures of the element in the case in view, each with its reckoning one key away."""
        desk, key = self._desk, self._desk.selection
        results, case = desk.results, desk.case_in_view()
        if results is None or case is None or key not in case.network.elements:
            return
        row = grid.rowCount()
        heading = Words(f"in {case_title(results, case)}", quiet=True, size=8)
        heading.setWordWrap(True)
        grid.addWidget(heading, row, 0, 1, 4)
        grid.addWidget(rule(), row + 1, 0, 1, 4)
        for name in CASE_FIGURES:
            if name == "limit" and results.limit(key, case.case.storm.return_period, case.case.condition) is None:
                continue
            node = explain(desk.study, case, key, name, results=results)
            row = grid.rowCount()
            grid.addWidget(Words(name), row, 0)
            grid.addWidget(Figure(node.shown(desk.study.units), bold=name == "peak"), row, 1, 1, 2)
            grid.addWidget(self._mark("derived", name, name), row, 3)
            if self._asked == name:
                self._tell_lines(grid, list(node.lines(desk.study.units, depth=2)))

    def _mark(self, state: str, name: str, asked: str) -> QPushButton:
        mark = QPushButton(MARKS[state])
        mark.setFixedWidth(24)
        mark.setProperty("flat", True)
        mark.setToolTip(f"{MEANINGS[state]} (click: how it was worked out)")
        mark.setAccessibleName(f"reckoning of {name}")
        mark.clicked.connect(lambda _=False: self._ask(asked))
        return mark

    def _row(self, grid: QGridLayout, element: Any, path: str) -> None:
        value, description = value_at(element, path), description_at(element, path)
        assert description is not None
        known = value.value if isinstance(value, Setting) else value
        if not (known is None or isinstance(known, int | float)):
            return
        state = _state(value)
        system = self._desk.study.units
        unit = units.display_unit(description.kind, known or 0.0, system)
        shown = "" if known is None else units.show(known, description.kind, unit=unit).removesuffix(unit).strip()
        name = path.rsplit("/", 1)[-1].replace("_", " ")
        row = grid.rowCount()
        label = Words(name)
        label.setToolTip(f"{description.meaning}\n{description.source}".strip())
        field = QuantityField(shown, partial(self._typed, path, unit), self.tell, f"{name} of {element.name}")
        field.setFixedWidth(92)
        mark = self._mark(state, name, path)
        for position, widget in enumerate((label, field, Words(unit, quiet=True, size=8), mark)):
            grid.addWidget(widget, row, position)
        grid.setColumnStretch(0, 1)
        if isinstance(value, Setting) and value.typed is not None:
            self._typed_row(grid, value, description.kind, unit, path)
        if path == self._asked:
            self._reckoning(grid, path)

    def _typed_row(self, grid: QGridLayout, value: Setting[Any], kind: str, unit: str, path: str) -> None:
        """Below a typed value: who, when and why, and the derived one with the difference and the way back."""
        typed = value.typed
        assert typed is not None
        who = " · ".join(t for t in (typed.by, typed.at[:10], typed.note) if t)
        if who:
            words = Words(who, quiet=True, size=8)
            words.setWordWrap(True)
            grid.addWidget(words, grid.rowCount(), 0, 1, 4)
        if value.derived is None:
            return
        row = grid.rowCount()
        apart = typed.value - value.derived
        sign = "+" if apart >= 0 else "−"
        text = f"derived {units.show(value.derived, kind, unit=unit)} ({sign}{units.show(abs(apart), kind, unit=unit)})"
        grid.addWidget(Words(text, quiet=True, size=8), row, 0, 1, 2)
        back = QPushButton("give back")
        back.setAccessibleName(f"give back {path.rsplit('/', 1)[-1].replace('_', ' ')}")
        back.clicked.connect(lambda: self._desk.do(edits.give_back, self._desk.selection, path))
        grid.addWidget(back, row, 2, 1, 2)

    def _reckoning(self, grid: QGridLayout, path: str) -> None:
        try:
            condition = next(iter(self._desk.study.conditions))
            node = explain_setting(self._desk.study, condition, self._desk.selection, path)
        except TarnwaterError as error:
            self._tell_lines(grid, [str(error)])
        else:
            self._tell_lines(grid, list(node.lines(self._desk.study.units, depth=2)))

    def _tell_lines(self, grid: QGridLayout, lines: list[str]) -> None:
        words = Words("\n".join(lines), size=8, role="water")
        words.setWordWrap(True)
        words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        grid.addWidget(words, grid.rowCount(), 0, 1, 4)

    def _ask(self, path: str) -> None:
        self._asked = "" if self._asked == path else path
        self.refresh()

    def _forget_asked(self) -> None:
        self._asked = ""
        self.tell("")

    def _typed(self, path: str, unit: str, text: str) -> str:
        """Take a typed text, in the unit shown where it names none; answers what is wrong, or nothing."""
        desk = self._desk
        try:
            number = edits.read_value(desk.study.elements[desk.selection], path, text, unit)
        except TarnwaterError as error:
            return str(error)
        return (
            "" if desk.do(edits.type_value, desk.selection, path, number, **desk.stamp()) else "the edit was refused."
        )


def _state(value: Any) -> str:
    if not isinstance(value, Setting):
        return "set"
    if value.typed is not None:
        return "typed"
    return "missing" if value.value is None else "derived"


def _heading(group: str, element: Any) -> str:
    parts = group.split("/")
    if parts[0] == "surfaces" and len(parts) > 1:
        name = element.surfaces[int(parts[1])].name
        return f"surface {name}{': losses' if len(parts) > 2 else ''}".upper()
    return parts[-1].upper()
