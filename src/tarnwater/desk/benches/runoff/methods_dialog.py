"""Two methods of one element compared on the storm in view, of which one is chosen."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from typing import Any, get_origin

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QComboBox, QDialog, QGridLayout, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from tarnwater import units
from tarnwater.desk.desk import Desk
from tarnwater.desk.dialogs.answers import keep_or_leave
from tarnwater.desk.ledger.contents import alternatives_at
from tarnwater.desk.theme import Theme
from tarnwater.desk.widgets.labels import Words, as_hint
from tarnwater.desk.widgets.plot_view import PlotView
from tarnwater.errors import TarnwaterError
from tarnwater.methods import Method
from tarnwater.network.elements import Element
from tarnwater.parameters import Description, Setting
from tarnwater.progress import Progress
from tarnwater.study import edits
from tarnwater.study.answers import CaseResult
from tarnwater.study.answers.again import computed_again
from tarnwater.study.document import Study, checked
from tarnwater.study.document.conditions import resolve
from tarnwater.study.document.entry_units import entry_unit
from tarnwater.study.document.fields import value_at
from tarnwater.study.edits.assignments import method_paths
from tarnwater.study.pictures.comparison import comparison_plot

#: Time after a keystroke before the other method is computed, ms.
PAUSE = 150


class MethodsDialog(QDialog):
    """What is compared, the method in its place with its values, both flows, and a button that takes it."""

    def __init__(self, parent: QWidget, desk: Desk, theme: Theme, key: str) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.desk, self.key = desk, key
        self.element = desk.elements[key]
        self.setWindowTitle(f"Compare methods of {self.element.name}")
        self.resize(860, 560)
        self.method: Method | None = None
        self._values: dict[str, tuple[Description, QLineEdit, str]] = {}
        self._work: Progress | None = None
        self.what, self.instead = QComboBox(), QComboBox()
        self.what.setAccessibleName("Method that is compared")
        self.instead.setAccessibleName("Method in its place")
        for path, _ in method_paths(self.element):
            if len(alternatives_at(self.element, path)) > 1:
                self.what.addItem(self._words_of(path), path)
        self.what.activated.connect(lambda _: self._offer())
        self.instead.activated.connect(lambda _: self._lay_fields())
        self.fields = QWidget()
        self._grid = QGridLayout(self.fields)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self.plot = PlotView("Two methods on one storm", theme)
        self.told = Words("", size=8.5)
        self.told.setWordWrap(True)
        self.buttons = keep_or_leave(self, "Use it")
        self.take = next(b for b in self.buttons.findChildren(QPushButton) if b.text() == "Use it")
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self._compute)
        self.finished.connect(lambda _: self._stop())
        top = QHBoxLayout()
        for words, box in (("Compare", self.what), ("with", self.instead)):
            top.addWidget(Words(words, quiet=True))
            top.addWidget(box)
        top.addStretch(1)
        layout = QVBoxLayout(self)
        layout.addLayout(top)
        layout.addWidget(self.fields)
        layout.addWidget(self.plot, 1)
        layout.addWidget(self.told)
        layout.addWidget(self.buttons)
        self._offer()

    @property
    def path(self) -> str:
        """Path of the method that is compared."""
        return str(self.what.currentData() or "")

    @property
    def present(self) -> Method:
        """The method that the element has there."""
        found = value_at(self.element, self.path)
        assert isinstance(found, Method)
        return found

    def _words_of(self, path: str) -> str:
        """The kind of a method and the part of the element that has it."""
        kind = dict(method_paths(self.element))[path].kind
        *holder, _ = path.split("/")
        part = value_at(self.element, "/".join(holder)) if holder else None
        name = getattr(part, "name", "")
        present = value_at(self.element, path)
        return f"{kind}{f' of {name}' if name else ''}: {present.title}" if present is not None else kind

    def _offer(self) -> None:
        """The methods that may stand in the place of the present one."""
        self.instead.clear()
        if not self.path:
            self.told.setText("This element has no method for which there is another.")
            self.take.setEnabled(False)
            return
        for model in alternatives_at(self.element, self.path):
            if model is type(self.present) or not needs_table(model):
                self.instead.addItem(model.title, model)
        others = [n for n in range(self.instead.count()) if self.instead.itemData(n) is not type(self.present)]
        # one that needs nothing typed shows at once what there is to compare
        whole = [n for n in others if (plain := self.instead.itemData(n).plain()) is not None and not plain.missing()]
        self.instead.setCurrentIndex(next(iter([*whole, *others]), 0))
        self._lay_fields()

    def _lay_fields(self) -> None:
        """A field for each quantity of the other method, with its usual value; one that it requires is empty."""
        while (item := self._grid.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        self._values = {}
        model: type[Method] = self.instead.currentData()
        begun = self.present if model is type(self.present) else model.plain()
        shown = [(n, d) for n, d in model.quantities() if not is_table(model, n)]
        for number, (name, described) in enumerate(shown):
            value = getattr(begun, name, None)
            known = value.value if isinstance(value, Setting) else value
            unit = entry_unit(self.desk.study, name, described.kind)
            field = QLineEdit("" if known is None else units.show(known, described.kind, unit=unit))
            field.setAccessibleName(f"{described.label or described.meaning} of the other method")
            field.setPlaceholderText("derived" if isinstance(value, Setting) else f"type, {unit}" if unit else "type")
            field.setToolTip(as_hint(described.meaning))
            field.setMaximumWidth(130)
            field.textChanged.connect(lambda _: self._timer.start(PAUSE))
            self._values[name] = described, field, field.text()
            self._grid.addWidget(Words(described.name, quiet=True), number // 3, 2 * (number % 3))
            self._grid.addWidget(field, number // 3, 2 * (number % 3) + 1)
        self._grid.setColumnStretch(6, 1)
        self._compute()

    def _made(self) -> Method:
        """The other method with its values as they stand; an empty one is left to be derived."""
        model: type[Method] = self.instead.currentData()
        given: dict[str, Any] = {}
        if model is type(self.present):
            given = {name: getattr(self.present, name) for name in model.model_fields}
        for name, (described, field, shown) in self._values.items():
            text = field.text().strip()
            if text == shown:
                # shown to four digits; one that is not typed over stays what it is, or is derived
                continue
            given.pop(name, None)
            if text:
                unit = entry_unit(self.desk.study, name, described.kind)
                given[name] = units.parse(text, described.kind, default=unit or None)
        return checked(lambda: model(**given), self.element.name)

    def _stop(self) -> None:
        self._timer.stop()
        if self._work is not None:
            self.desk.aside.cancel(self._work)
            self._work = None

    def _compute(self) -> None:
        """Compute the case in view with the other method, beside the window."""
        self._stop()
        self.take.setEnabled(False)
        case = self.desk.case_showing(self.key)
        try:
            self.method = self._made()
            scope = self.desk.scope_of(self.key)
            changed = edits.choose(self.desk.study, self.key, self.path, self.method, condition=scope)
        except TarnwaterError as error:
            self.method = None
            self.told.setText(str(error))
            return
        lacking = value_at(resolved_in(changed, scope)[self.key], self.path).missing()
        if lacking:
            self.told.setText(f"{lacking[0].what} {lacking[0].advice}")
            return
        self.take.setEnabled(True)
        if case is None:
            self.told.setText("Nothing is computed yet; the methods are compared when it is.")
            return
        self.told.setText("computing …")
        work = partial(computed_again, changed, case.case)
        self._work = self.desk.aside.run(work, partial(self._show, case), self._failed, "Comparing methods")

    def _show(self, case: CaseResult, other: CaseResult) -> None:
        self._work = None
        names = f"{self.present.title}", f"{self.instead.currentText()}"
        if names[0] == names[1]:
            names = names[0], f"{names[1]}, other values"
        self.plot.show_plot(comparison_plot(case, other, self.key, names, self.desk.study.units))
        self.told.setText(self.method.equation if self.method is not None else "")

    def _failed(self, error: BaseException) -> None:
        self._work = None
        if not isinstance(error, TarnwaterError):
            raise error
        self.plot.show_plot(None, "")
        self.told.setText(f"with it the case is not computed: {error}")

    def keep(self) -> None:
        """Take the other method into the study, as one act."""
        if self.method is not None and self.desk.choose(self.key, self.path, self.method):
            self.accept()


def resolved_in(study: Study, condition: str) -> Mapping[str, Element]:
    """Elements of a study, as a condition has them."""
    return resolve(study, condition).elements if condition else study.all_elements


def is_table(model: type[Method], name: str) -> bool:
    """Whether a field of a method is a column of a table, which has no field of its own here."""
    return get_origin(model.model_fields[name].annotation) is tuple


def needs_table(model: type[Method]) -> bool:
    """Whether a method cannot be made without a table."""
    return any(is_table(model, name) and field.is_required() for name, field in model.model_fields.items())
