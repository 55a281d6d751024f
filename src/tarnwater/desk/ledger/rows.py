"""Rows of the ledger: figures, settings and choices."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from tarnwater import units
from tarnwater.desk.desk import Desk
from tarnwater.desk.ledger.contents import hint_of
from tarnwater.desk.ledger.marks import MARKS, MEANINGS, Origin, State, origin_of, otherwise
from tarnwater.desk.ledger.wrapping import Wrapped
from tarnwater.desk.theme import desk_font
from tarnwater.desk.widgets.labels import Figure, Words, as_hint
from tarnwater.desk.widgets.quantity_field import QuantityField
from tarnwater.desk.widgets.unit_button import UnitButton
from tarnwater.errors import TarnwaterError
from tarnwater.parameters import Setting
from tarnwater.study import edits
from tarnwater.study.document.entry_units import entry_unit
from tarnwater.study.document.fields import description_at, value_at

#: Width of a field at least, in pixels; names get the rest, and wrap.
FIELD_WIDTH = 100


class Row(QWidget):
    """One row, with room below it for its reckoning. ``asked`` is the target of F1."""

    def __init__(self, asked: str, ask: Callable[[str], None]) -> None:
        super().__init__()
        self.asked = asked
        self._ask = ask
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(1)
        self._line = QHBoxLayout()
        self._line.setSpacing(5)
        column.addLayout(self._line)
        self._below = column
        self._answer: QWidget | None = None

    def show_answer(self, answer: QWidget | None) -> None:
        """Show a reckoning below the row, or none."""
        if self._answer is not None:
            self._answer.deleteLater()
        self._answer = answer
        if answer is not None:
            self._below.addWidget(answer)

    @property
    def answer(self) -> QWidget | None:
        """The reckoning that is shown."""
        return self._answer

    def _mark(self, name: str) -> QPushButton:
        mark = QPushButton()
        mark.setFixedWidth(22)
        mark.setProperty("flat", True)
        mark.setAccessibleName(f"reckoning of {name}")
        mark.clicked.connect(lambda: self._ask(self.asked))
        return mark

    def refresh(self) -> None:
        """Show the present value."""


def _show_state(mark: QPushButton, state: State, extra: str = "") -> None:
    mark.setText(MARKS[state])
    mark.setToolTip(as_hint(f"{MEANINGS[state]}{extra}\nclick, or F1 in the field: how it was worked out"))


class FigureRow(Row):
    """A figure of the case in view."""

    def __init__(self, name: str, read: Callable[[], str], ask: Callable[[str], None], asked: str = "") -> None:
        super().__init__(asked or name, ask)
        self._read = read
        self._figure = Figure("", bold=name == "peak")
        self._figure.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._figure.setAccessibleName(name)
        mark = self._mark(name)
        _show_state(mark, "derived")
        self._line.addWidget(Words(name), 1)
        self._line.addWidget(self._figure)
        self._line.addWidget(mark)

    def refresh(self) -> None:
        """Show the present figure."""
        self._figure.setText(self._read())


class SettingRow(Row):
    """A quantity of the selected element: its field, unit and mark; below it the author and the derived value."""

    def __init__(
        self,
        desk: Desk,
        element: str,
        path: str,
        ask: Callable[[str], None],
        refused: Callable[[str], None],
    ) -> None:
        super().__init__(path, ask)
        self.desk, self.element, self.path = desk, element, path
        owner = desk.elements[element]
        described = description_at(owner, path)
        assert described is not None
        self._described = described
        self._made_of: tuple[Any, ...] = ()
        name = path.rsplit("/", 1)[-1].replace("_", " ")
        label = Words(described.name)
        label.setWordWrap(True)
        label.setToolTip(as_hint(hint_of(owner, path, described, entry_unit(desk.study, path, described.kind))))
        self.field = QuantityField("", self._typed, refused, f"{name} of {owner.name}")
        self.field.setMinimumWidth(FIELD_WIDTH)
        self.field.setMaximumWidth(2 * FIELD_WIDTH)
        self._unit = UnitButton(desk, path, described.kind, name)
        self.mark = self._mark(name)
        self._line.addWidget(label, 1)
        for widget in (self.field, self._unit, self.mark):
            self._line.addWidget(widget)
        self._typed_part = _TypedPart(desk, element, path, name)
        self._below.addWidget(self._typed_part)
        self._elsewhere = Wrapped("", quiet=True, size=8)
        self._below.addWidget(self._elsewhere)

    def refresh(self) -> None:
        """Show the present value in the unit that suits it."""
        desk = self.desk
        value = value_at(desk.elements[self.element], self.path)
        known = value.value if isinstance(value, Setting) else value
        kind = self._described.kind
        unit = entry_unit(desk.study, self.path, kind)
        origin = origin_of(desk, self.element, self.path, value)
        other = otherwise(desk, self.element, self.path)
        made_of = value, unit, origin, other, desk.scope_of(self.element)
        if made_of == self._made_of and not self.field.has_draft and not self.field.property("wrong"):
            return
        self._made_of = made_of
        shown = "" if known is None else units.show(known, kind, unit=unit).removesuffix(unit).strip()
        self.field.show_value(shown)
        self.field.make_room()
        self._unit.show_unit(unit)
        _show_state(self.mark, origin.state, f": {origin.condition}" if origin.condition else "")
        self._typed_part.show_setting(value, origin, kind, unit)
        told = isinstance(other, int | float)
        self._elsewhere.setVisible(told)
        if told:
            self._elsewhere.setText(f"without this condition: {units.show(other, kind, unit=unit)}")

    def choose_unit(self) -> None:
        """Open the units of the quantity."""
        self._unit.click()

    def _typed(self, text: str) -> str:
        """Accept a typed text, in the unit shown if it has none; returns the error text, empty if there is none."""
        desk = self.desk
        try:
            number = edits.read_value(desk.elements[self.element], self.path, text, self._unit.unit)
        except TarnwaterError as error:
            return str(error)
        taken = desk.type_values([(self.element, self.path, number)], texts={self.path: text})
        return "" if taken else "the edit was refused."


class _TypedPart(QWidget):
    """Below a typed value: author, time and note; the derived value, the difference, and a button to clear."""

    def __init__(self, desk: Desk, element: str, path: str, name: str) -> None:
        super().__init__()
        self._desk, self._element, self._path = desk, element, path
        self._value: Any = None
        self._note_shown = ""
        self._who = Words("", quiet=True, size=8)
        self.note = QLineEdit()
        self.note.setPlaceholderText("note or source")
        self.note.setFont(desk_font(8))
        self.note.setFrame(False)
        self.note.setAccessibleName(f"note on {name}")
        self.note.editingFinished.connect(self._note_typed)
        self._derived = Words("", quiet=True, size=8)
        self.back = QPushButton("clear")
        self.back.setProperty("flat", True)
        self.back.setProperty("small", True)
        self.back.setAccessibleName(f"clear {name}")
        self.back.clicked.connect(lambda: desk.give_back([(element, path)]))
        grid = QGridLayout(self)
        grid.setContentsMargins(8, 0, 22, 2)
        grid.setSpacing(2)
        grid.addWidget(self._who, 0, 0)
        grid.addWidget(self.note, 0, 1)
        grid.addWidget(self._derived, 1, 0, 1, 2)
        grid.addWidget(self.back, 1, 2)
        grid.setColumnStretch(1, 1)
        self.hide()

    def show_setting(self, value: Any, origin: Origin, kind: str, unit: str) -> None:
        """Show the details of a typed value; hide them for any other."""
        typed = value.typed if isinstance(value, Setting) else None
        self.setVisible(typed is not None)
        if typed is None:
            return
        self._value = typed.value
        self._who.setText(" · ".join(t for t in (typed.by, typed.at[:10]) if t))
        if not self.note.hasFocus():
            self._note_shown = typed.note
            self.note.setText(typed.note)
            self.note.setCursorPosition(0)
            self.note.setToolTip(as_hint(typed.note))
        scope = self._desk.scope_of(self._element)
        may = origin.state == ("here" if scope else "typed")
        self.note.setReadOnly(not may)
        self.back.setVisible(may and (value.derived is not None or bool(scope)))
        told = ""
        if value.derived is not None:
            apart = typed.value - value.derived
            sign = "+" if apart >= 0 else "−"
            difference = f"{sign}{units.show(abs(apart), kind, unit=unit).removesuffix(unit).strip()}"
            told = f"derived {units.show(value.derived, kind, unit=unit)} ({difference})"
        self._derived.setText(told)
        self._derived.setVisible(bool(told))

    def _note_typed(self) -> None:
        if self.note.text() != self._note_shown and self._value is not None:
            self._note_shown = self.note.text()
            self._desk.type_values([(self._element, self._path, self._value)], note=self.note.text())


class ChoiceRow(Row):
    """A choice among a few: a method, a cover, a soil group."""

    def __init__(
        self,
        name: str,
        owner: str,
        options: Sequence[tuple[str, Any]],
        present: Callable[[], Any],
        choose: Callable[[Any], object],
    ) -> None:
        super().__init__("", lambda _: None)
        self._options, self._present = list(options), present
        self.box = QComboBox()
        self.box.setAccessibleName(f"{name} of {owner}")
        self.box.setFont(desk_font(8.5))
        self.box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.box.setMinimumContentsLength(12)
        for words, data in self._options:
            self.box.addItem(words, data)
        self.box.activated.connect(lambda number: choose(self._options[number][1]))
        self.setAccessibleName(f"{name} of {owner}")
        self._line.addWidget(Words(name))
        self._line.addWidget(self.box, 1)

    def meaning(self) -> str:
        """The equation and the source of the present choice, if it has them."""
        present = self._present()
        parts = (self.box.currentText(), getattr(present, "equation", ""), getattr(present, "source", ""))
        return " · ".join(part for part in parts if part)

    def refresh(self) -> None:
        """Show the present choice."""
        present = self._present()
        number = next((i for i, (_, data) in enumerate(self._options) if data == present), -1)
        self.box.setCurrentIndex(number)
        self.box.setToolTip(as_hint(self.box.currentText()))


class TableRow(Row):
    """A table of the selected element: its columns, the number of its rows, and a button that opens it."""

    def __init__(self, name: str, owner: str, count: Callable[[], int], show: Callable[[], object]) -> None:
        super().__init__("", lambda _: None)
        self._count = count
        label = Words(name)
        label.setWordWrap(True)
        self.button = QPushButton()
        self.button.setProperty("small", True)
        self.button.setAccessibleName(f"table of {name} of {owner}")
        self.button.clicked.connect(lambda: show())
        self._line.addWidget(label, 1)
        self._line.addWidget(self.button)

    def refresh(self) -> None:
        """Show the number of rows."""
        count = self._count()
        self.button.setText(f"{count} rows …" if count else "type …")


class TextRow(Row):
    """A text of the selected element, such as a formula; Enter takes it, and one that is refused stays."""

    def __init__(
        self,
        name: str,
        owner: str,
        present: Callable[[], str],
        commit: Callable[[str], str],
        refused: Callable[[str], None],
    ) -> None:
        super().__init__("", lambda _: None)
        self._present = present
        self.field = QuantityField("", commit, refused, f"{name} of {owner}")
        self.field.setAlignment(Qt.AlignmentFlag.AlignLeft)
        self._line.addWidget(Words(name))
        self._line.addWidget(self.field, 1)

    def refresh(self) -> None:
        """Show the present text."""
        self.field.show_value(self._present())
        self.field.setToolTip(as_hint(self._present()))
