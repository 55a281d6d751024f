"""What the pages of channels and of culverts have in common: a table, a form, a drawing and a curve."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QInputDialog, QLineEdit, QPushButton, QSplitter, QVBoxLayout, QWidget

from tarnwater.brief.text_table import TextTable
from tarnwater.desk.benches.works.works_form import Choice, WorksForm
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme
from tarnwater.desk.widgets.drawing_view import DrawingView
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.plot_view import PlotView
from tarnwater.desk.widgets.text_grid import TextGrid
from tarnwater.errors import TarnwaterError
from tarnwater.methods import Method
from tarnwater.parameters import Model
from tarnwater.study.answers.channel_table import names_in
from tarnwater.study.document.fields import value_at
from tarnwater.study.edits.channels import Kind, add_works, remove_works, set_works


class DesignPage(QWidget):
    """Rows of works above; the form of the chosen one below, beside it to scale, and its curve."""

    kind: Kind
    word: str
    empty: str

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.desk, self.theme = desk, theme
        self.rows: list[Any] = []
        self.key = ""
        self.table = TextGrid(f"Table of {self.kind}", theme)
        self.table.row_chosen.connect(self._choose)
        self.form = WorksForm(self.write, self._tell)
        self.form.setAccessibleName(f"Values of the {self.word}")
        self.drawing = DrawingView(f"The {self.word} to scale", theme, desk.told.emit)
        self.plot = PlotView(f"Curve of the {self.word}", theme)
        self.told = Words("", role="stop", size=8.5)
        self.told.setWordWrap(True)
        self.told.hide()
        self.hint = Words(self.empty, quiet=True)
        self.hint.setWordWrap(True)
        self.heads = QHBoxLayout()
        self._button(f"add a {self.word} …", f"Add a {self.word}", self.add)
        self._button("remove", f"Remove the {self.word}", self.remove)
        self.heads.addStretch(1)
        lower = QSplitter(Qt.Orientation.Horizontal)
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 6, 0)
        column.addWidget(self.told)
        column.addWidget(self.form, 1)
        self.figures = QSplitter(Qt.Orientation.Vertical)
        self.figures.addWidget(self.drawing)
        for part in (left, self.figures, self.plot):
            lower.addWidget(part)
        lower.setSizes([300, 330, 300])
        whole = QSplitter(Qt.Orientation.Vertical)
        whole.addWidget(self.table)
        whole.addWidget(lower)
        whole.setSizes([190, 400])
        whole.setChildrenCollapsible(False)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addLayout(self.heads)
        layout.addWidget(self.hint)
        layout.addWidget(whole, 1)

    def _button(self, text: str, name: str, act: Any) -> QPushButton:
        button = QPushButton(text)
        button.setProperty("flat", True)
        button.setProperty("small", True)
        button.setAccessibleName(name)
        button.clicked.connect(lambda _=False: act())
        self.heads.addWidget(button)
        return button

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self.theme = self.table.texts.theme = self.drawing.theme = theme
        self.plot.set_theme(theme)

    # what a page of its own says

    @abstractmethod
    def find_rows(self) -> list[Any]:
        """The rows of the table."""

    @abstractmethod
    def table_of(self, rows: list[Any]) -> TextTable:
        """The rows as texts."""

    @abstractmethod
    def key_of(self, row: Any) -> str:
        """Key of the works of a row; empty for a row that is not designed here."""

    @abstractmethod
    def show_row(self, row: Any) -> None:
        """Draw what is chosen."""

    def further(self) -> Sequence[Choice]:
        """Choices of the chosen works beside those of its model; none by default."""
        return ()

    @abstractmethod
    def made(self, name: str) -> Any:
        """New works of a name, for the selected element."""

    # what is shown

    @property
    def works(self) -> Model | None:
        """The chosen works."""
        held: Any = getattr(self.desk.study, self.kind)
        found: Model | None = held.get(self.key)
        return found

    @property
    def row(self) -> Any:
        """The chosen row."""
        at = self.table.currentIndex().row()
        return self.rows[at] if 0 <= at < len(self.rows) else None

    def refresh(self) -> None:
        """Show table, form and drawing again."""
        self.rows = self.find_rows()
        self.table.show_table(self.table_of(self.rows))
        own = [self.key_of(row) for row in self.rows]
        at = (
            own.index(self.key)
            if self.key and self.key in own
            else min(max(self.table.currentIndex().row(), 0), len(own) - 1)
        )
        if self.rows:
            self.table.choose_row(at)
            self.key = own[at]
        else:
            self.key = ""
        self.hint.setVisible(not self.rows)
        self._show_chosen()

    def _choose(self, row: int) -> None:
        if 0 <= row < len(self.rows):
            self.key = self.key_of(self.rows[row])
            self._show_chosen()

    def _show_chosen(self) -> None:
        study = self.desk.study
        self.form.show_model(self.works, study.units, names_in(study), self.further())
        row = self.row
        if row is None:
            self.drawing.show_drawing(None, "nothing is chosen.")
            self.plot.show_plot(None, "")
        else:
            self.show_row(row)

    def _tell(self, words: str) -> None:
        self.told.setText(words)
        self.told.setVisible(bool(words))

    # what is done

    def write(self, path: str, value: Any) -> str:
        """Set a value of the chosen works; returns the error text, empty where it is taken."""
        works = self.works
        if works is None:
            return "nothing is chosen."
        try:
            if isinstance(value, type) and issubclass(value, Method):
                value = _as_other_form(value_at(works, path), value)
            set_works(self.desk.study, self.kind, self.key, ((path, value),))
        except TarnwaterError as error:
            error.in_units(self.desk.study.units)
            return str(error)
        done = self.desk.do(set_works, self.kind, self.key, ((path, value),), **self.desk.stamp())
        return "" if done else "the edit was refused."

    def set_values(self, values: tuple[tuple[str, Any], ...], note: str = "") -> None:
        """Set values of the chosen works as one act."""
        self.desk.do(set_works, self.kind, self.key, values, **self.desk.stamp(note))

    def add(self) -> None:
        """Ask for a name, and add works that carry the flow of the selected element."""
        held: Any = getattr(self.desk.study, self.kind)
        names = {one.name for one in held.values()}
        offered = next(f"{self.word.capitalize()} {n}" for n in range(1, len(names) + 2)
                       if f"{self.word.capitalize()} {n}" not in names)  # fmt: skip
        line = QLineEdit.EchoMode.Normal
        name, taken = QInputDialog.getText(self, f"Add a {self.word}", "Name", line, offered)
        if taken and name.strip() and self.desk.do(add_works, self.kind, self.made(name.strip())):
            self.key = next(reversed(list(getattr(self.desk.study, self.kind))))
            self.refresh()

    def remove(self) -> None:
        """Remove the chosen works."""
        if self.works is not None:
            self.desk.do(remove_works, self.kind, self.key)

    @property
    def carried(self) -> str:
        """The element that new works carry the flow of: the selected one, if cases are computed through it."""
        return self.desk.selection if self.desk.selection in self.desk.study.all_elements else ""


def _as_other_form(present: Method, model: type[Method]) -> Method:
    """Another form with the values that both have."""
    alike = {name: getattr(present, name) for name in type(present).model_fields
             if name != "method" and name in model.model_fields}  # fmt: skip
    return model(**alike)
