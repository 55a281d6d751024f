"""A form for the values of a channel or a culvert, made from the descriptions of its parameters."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QGridLayout, QScrollArea, QWidget

from tarnwater import units
from tarnwater.desk.widgets.labels import Words, as_hint
from tarnwater.desk.widgets.quantity_field import QuantityField
from tarnwater.errors import TarnwaterError
from tarnwater.methods import Method, kind_of
from tarnwater.parameters import Description, Model, Setting
from tarnwater.study.document.fields import options_in, quantities_in

#: Sets the value at a path; returns the error text, empty where it is taken.
Write = Callable[[str, Any], str]


@dataclass(frozen=True)
class Choice:
    """A further choice of a form: what is written under ``path``, its words by value, and the value that is chosen."""

    path: str
    label: str
    choices: Mapping[str, str]
    chosen: str


class WorksForm(QScrollArea):
    """Fields of one model: choices of words and of forms, and quantities with their units."""

    def __init__(self, write: Write, tell: Callable[[str], None]) -> None:
        super().__init__()
        self._write, self._tell = write, tell
        self._rows: dict[str, QWidget] = {}
        self._shape: tuple[Any, ...] = ()
        self.setWidgetResizable(True)
        self.setFrameShape(QScrollArea.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)

    def show_model(
        self, model: Model | None, system: units.System, carries: Mapping[str, str], further: Sequence[Choice] = ()
    ) -> None:
        """Show a model; ``carries`` are the elements, by key, whose flow it may carry; ``further`` choices follow."""
        if model is None:
            self._shape = ()
            self.takeWidget()
            return
        quantities = [
            (path, described, held)
            for path, described, held in quantities_in(model)
            if isinstance(held, Setting | int | float)
        ]
        words = [(path, one) for path, one in options_in(model) if path.rsplit("/", 1)[-1] != "name"]
        methods = self._methods(model)
        shape = (
            type(model), tuple(path for path, *_ in quantities), tuple(path for path, _ in words),
            tuple(carries.items()), tuple((name, type(value)) for name, value, _ in methods), system,
            tuple((one.path, *one.choices.items()) for one in further),
        )  # fmt: skip
        if shape != self._shape:
            self._shape = shape
            self._build(quantities, words, methods, carries, further)
        for path, described, held in quantities:
            self._show_quantity(path, described, held, system)
        for path, _one in words:
            self._show_choice(path, self._value(model, path))
        for name, value, _ in methods:
            self._show_choice(name, type(value))
        for choice in further:
            self._show_choice(choice.path, choice.chosen)

    @staticmethod
    def _methods(model: Model) -> list[tuple[str, Method, type[Method]]]:
        """Fields that hold a form, with it and the kind of the forms."""
        found = []
        for name, field in type(model).model_fields.items():
            kind, value = kind_of(field), getattr(model, name)
            if kind is not None and isinstance(value, Method):
                found.append((name, value, kind))
        return found

    @staticmethod
    def _value(model: Model, path: str) -> Any:
        from tarnwater.study.document.fields import value_at

        return value_at(model, path)

    def _build(
        self, quantities: list[Any], words: list[Any], methods: list[Any], carries: Mapping[str, str],
        further: Sequence[Choice],
    ) -> None:  # fmt: skip
        body, self._rows = QWidget(), {}
        grid = QGridLayout(body)
        grid.setContentsMargins(0, 0, 8, 0)
        grid.setVerticalSpacing(3)
        row = 0
        for path, one in words:
            name = path.rsplit("/", 1)[-1]
            among = one.among() if name != "element" else ()
            choices = {"": "a typed flow", **carries} if name == "element" else {word: word or "none" for word in among}
            if path.startswith(("barrel/inside", "barrel/leads_to", "barrel/state")):
                continue
            box = self._box(one.label, choices, partial(self._taken, path))
            row = self._add(grid, row, path, one.label, box, "")
        for choice in further:
            box = self._box(choice.label, choice.choices, partial(self._taken, choice.path))
            row = self._add(grid, row, choice.path, choice.label, box, "")
        for name, _value, kind in methods:
            choices = {model_type: model_type.title for model_type in kind.choices()}
            label = "shape" if name == "section" else name
            box = self._box(label, choices, partial(self._take_form, name))
            row = self._add(grid, row, name, label, box, "")
        for path, described, _held in quantities:
            label = described.label or described.name
            field = QuantityField("", partial(self._read, path, described), self._tell, label)
            field.setFixedWidth(92)
            field.setToolTip(as_hint(described.meaning))
            row = self._add(grid, row, path, label, field, "unit")
        grid.setRowStretch(row, 1)
        grid.setColumnStretch(0, 1)
        old = self.takeWidget()
        self.setWidget(body)
        if old is not None:
            old.deleteLater()

    def _add(self, grid: QGridLayout, row: int, path: str, label: str, widget: QWidget, unit: str) -> int:
        words = Words(label, quiet=True)
        words.setWordWrap(True)
        grid.addWidget(words, row, 0)
        grid.addWidget(widget, row, 1, 1, 1 if unit else 3)
        if unit:
            told = Words("", quiet=True, size=8)
            grid.addWidget(told, row, 2)
            self._rows[f"{path} unit"] = told
            mark = Words("", quiet=True, size=8)
            mark.setFixedWidth(12)
            grid.addWidget(mark, row, 3)
            self._rows[f"{path} mark"] = mark
        self._rows[path] = widget
        return row + 1

    @staticmethod
    def _box(label: str, choices: Mapping[Any, str], take: Callable[[Any], None]) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(label)
        box.setMaximumWidth(190)
        for value, words in choices.items():
            box.addItem(words, value)
        box.activated.connect(lambda _: take(box.currentData()))
        return box

    def _show_quantity(self, path: str, described: Description, held: Any, system: units.System) -> None:
        value = held.value if isinstance(held, Setting) else held
        field, told = self._rows.get(path), self._rows.get(f"{path} unit")
        if not isinstance(field, QuantityField) or not isinstance(told, Words):
            return
        unit = units.display_unit(described.kind, value or 0.0, system) if described.kind != "count" else ""
        if value is None:
            field.show_value("")
        elif described.kind == "count":
            field.show_value(f"{value:g}")
        else:
            field.show_value(f"{units.to_unit(float(value), unit, described.kind):.6g}")
        told.setText(unit)
        mark = self._rows.get(f"{path} mark")
        if isinstance(mark, Words) and isinstance(held, Setting):
            # the marks of the ledger: typed, derived
            mark.setText("■" if held.typed is not None else "○" if held.derived is not None else "")
            mark.setToolTip(as_hint("typed" if held.typed is not None else described.source or ""))

    def _show_choice(self, path: str, value: Any) -> None:
        box = self._rows.get(path)
        if isinstance(box, QComboBox):
            at = next((n for n in range(box.count()) if box.itemData(n) == value), 0)
            box.setCurrentIndex(at)

    def _read(self, path: str, described: Description, text: str) -> str:
        told = self._rows.get(f"{path} unit")
        unit = told.text() if isinstance(told, Words) else ""
        try:
            if not text.strip():
                return self._write(path, None)
            if described.kind == "count":
                number = float(text)
                return self._write(path, int(number)) if number == int(number) else "a whole number is needed."
            return self._write(path, units.parse(text, described.kind, default=unit or None))
        except TarnwaterError as error:
            return str(error)
        except ValueError:
            return f"{text}: it is no number."

    def _taken(self, path: str, value: Any) -> None:
        self._tell(self._write(path, value))

    def _take_form(self, path: str, model: type[Method]) -> None:
        """Another form in the place of the present one, with the values that both have."""
        self._tell(self._write(path, model))
