"""A table of an element typed or pasted as columns."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QLineEdit, QPlainTextEdit, QPushButton, QWidget

from tarnwater import units
from tarnwater.desk.desk import Desk
from tarnwater.desk.dialogs.taking import TakingDialog
from tarnwater.desk.theme import desk_font
from tarnwater.errors import TarnwaterError
from tarnwater.formats.columns import columns_of_numbers
from tarnwater.routing.ponds.forms.thinning import thinned
from tarnwater.study import edits
from tarnwater.study.document.fields import columns_at, value_at


class TableDialog(TakingDialog):
    """Text with one row a line; each column has a unit, which its head may also name."""

    def __init__(self, parent: QWidget, desk: Desk, key: str, holder: str) -> None:
        owner = value_at(desk.elements[key], holder) if holder else None
        named = getattr(owner, "name", "") or getattr(owner, "title", "")
        title = f"Table of {desk.study.name_of(key)}" + (f": {named}" if named else "")
        super().__init__(parent, desk, key, title, (420, 420))
        self._holder = holder
        self._columns = columns_at(desk.elements[key], holder)
        self.text = QPlainTextEdit()
        self.text.setFont(desk_font(9))
        self.text.setTabChangesFocus(True)
        self.text.setAccessibleName("Rows of the table")
        self.text.setPlaceholderText("One row a line, its numbers parted by tabs, semicolons or spaces.")
        self.units: dict[str, QLineEdit] = {}
        for name, (described, values) in self._columns.items():
            unit = units.display_unit(described.kind, list(values) or [1.0], desk.study.units)
            field = self.units[name] = QLineEdit(unit)
            field.setAccessibleName(f"Unit of {described.label or described.meaning}")
            field.setMaximumWidth(90)
            field.textChanged.connect(self._read)
            self.ask(described.label or described.meaning, field)
        self.within = QLineEdit()
        self.within.setAccessibleName("Thin within a share of the greatest value")
        self.within.setPlaceholderText("0.5 %")
        self.within.setMaximumWidth(70)
        self.thin = QPushButton("Thin")
        self.thin.setAccessibleName("Thin the table")
        self.thin.setToolTip("leave rows out between which straight lines stay within this share of the greatest value")
        self.thin.clicked.connect(self._thin)
        if len(self._columns) == 2:
            self.ask("within", self.within)
            self.ask("", self.thin)
        self.lay_out(self.text)
        self.text.setPlainText(self._written())
        self._before = self._typed()
        self.text.textChanged.connect(self._read)
        self._read()

    def _written(self) -> str:
        """The table as it is, in the units shown and with all digits."""
        columns = []
        for name, (described, values) in self._columns.items():
            unit = self.units[name].text()
            columns.append([f"{units.to_unit(value, unit, described.kind):.15g}" for value in values])
        return "\n".join("\t".join(row) for row in zip(*columns, strict=False))

    def _typed(self) -> list[str]:
        """The text and the units as they stand."""
        return [self.text.toPlainText(), *(field.text() for field in self.units.values())]

    def _made(self) -> dict[str, list[float]]:
        kinds = {n: (d.label or d.meaning, d.kind, self.units[n].text()) for n, (d, _) in self._columns.items()}
        found = columns_of_numbers(self.text.toPlainText(), list(kinds.values()))
        return dict(zip(kinds, found, strict=True))

    def _read(self) -> None:
        try:
            made = self._made()
            # what the table will be refused for is told while it is typed
            edits.type_table(self.desk.study, self.key, self._holder, made, condition=self._scope)
        except TarnwaterError as error:
            self.refuse(error)
        else:
            self.ready(f"{len(next(iter(made.values())))} rows")

    def _thin(self) -> None:
        """Leave rows out of the text, and say how many, and how far off the others are."""
        try:
            made = self._made()
            share = units.parse(self.within.text() or "0.5 %", "share", default="%")
        except TarnwaterError as error:
            self.refuse(error)
            return
        first, second = (np.array(values) for values in made.values())
        found = thinned(first, second, share * float(np.abs(second).max(initial=0.0)))
        lines = [line for line in self.text.toPlainText().splitlines() if line.strip()]
        heads = lines[: len(lines) - len(first)]
        rows = lines[len(lines) - len(first) :]
        self.text.setPlainText("\n".join([*heads, *(rows[number] for number in found.kept)]))
        (described, _) = list(self._columns.values())[1]
        off = units.show(found.error, described.kind, self.desk.study.units, digits=3)
        self.told.setText(f"{len(found.kept)} of {len(first)} rows kept; the others lie within {off} of straight lines")

    @property
    def _scope(self) -> str:
        return self.desk.scope_of(self.key)

    def keep(self) -> None:
        """Take the table into the study."""
        if self._typed() == self._before:
            # nothing was typed, and digits that are not shown stay
            self.reject()
            return
        try:
            made = self._made()
        except TarnwaterError as error:
            self.refuse(error)
            return
        stamp = self.desk.stamp()
        if self.desk.do(edits.type_table, self.key, self._holder, made, condition=self._scope, **stamp):
            self.accept()
