"""A storm or a short record typed or pasted as a column, for all catchments or for each one, in its own step."""

from __future__ import annotations

from datetime import UTC, datetime

import numpy as np
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QGridLayout,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from tarnwater import units
from tarnwater.desk.desk import Desk
from tarnwater.desk.dialogs.answers import keep_or_leave
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.plot_view import PlotView
from tarnwater.errors import BadInput, TarnwaterError
from tarnwater.formats.columns import RainForm, columns_of_rain
from tarnwater.rain.given import GivenStorm, RecordedStorm, TypedStorm
from tarnwater.study import edits
from tarnwater.study.document import checked
from tarnwater.study.edits import slug
from tarnwater.study.pictures.rain import given_plot
from tarnwater.study.rain.catchments import rained_on

FORMS: tuple[tuple[str, RainForm], ...] = (
    ("depth in each step", "incremental"),
    ("running total", "cumulative"),
    ("rate in each step", "rate"),
)


class StormDialog(QDialog):
    """Text of one column, or of one for each catchment under its name; the storm is drawn as it was understood."""

    def __init__(self, parent: QWidget, desk: Desk, theme: Theme) -> None:
        super().__init__(parent)
        self.setWindowTitle("Type or paste a storm")
        self.resize(820, 540)
        self.desk = desk
        self.storm: GivenStorm | None = None
        self.name, self.step, self.begins = QLineEdit("Typed storm"), QLineEdit("15 min"), QLineEdit()
        self.begins.setPlaceholderText("2019-11-09 06:00 +00:00, or none")
        self.form, self.unit = QComboBox(), QComboBox()
        for words, form in FORMS:
            self.form.addItem(words, form)
        self.text = QPlainTextEdit()
        self.text.setFont(desk_font(9))
        self.text.setPlaceholderText(
            "One number a line, for all catchments alike;\nor columns under the names of catchments.\n"
            "A blank or -- is missing rain, which stops its cases."
        )
        self.text.setTabChangesFocus(True)
        self.plot = PlotView("The storm as it was understood", theme)
        self.told = Words("", size=8.5)
        self.told.setWordWrap(True)
        self.buttons = keep_or_leave(self, "Use it")
        self.take = next(b for b in self.buttons.findChildren(QPushButton) if b.text() == "Use it")
        for widget, name in (
            (self.name, "Name of the typed storm"), (self.step, "Step of the typed storm"),
            (self.begins, "Begin of the typed storm"), (self.form, "What the numbers are"),
            (self.unit, "Unit of the numbers"), (self.text, "Numbers of the storm"),
        ):  # fmt: skip
            widget.setAccessibleName(name)
        self._lay_out()
        self._show_units()
        self.form.activated.connect(lambda _: self._show_units())
        self.unit.activated.connect(lambda _: self._read())
        self.text.textChanged.connect(self._read)
        for field in (self.name, self.step, self.begins):
            field.editingFinished.connect(self._read)
        QShortcut(QKeySequence("Ctrl+Return"), self, self.keep)

    def _lay_out(self) -> None:
        grid = QGridLayout()
        rows = (
            (("Name", self.name), ("Numbers are", self.form)),
            (("Step", self.step), ("in", self.unit)),
            (("Begins", self.begins), ("", QWidget())),
        )
        for number, cells in enumerate(rows):
            for place, (words, widget) in enumerate(cells):
                grid.addWidget(Words(words, quiet=True), number, 2 * place)
                grid.addWidget(widget, number, 2 * place + 1)
        shown = QGridLayout()
        shown.addWidget(self.text, 0, 0)
        shown.addWidget(self.plot, 0, 1)
        shown.setColumnStretch(0, 2)
        shown.setColumnStretch(1, 3)
        layout = QVBoxLayout(self)
        layout.addLayout(grid)
        layout.addLayout(shown, 1)
        layout.addWidget(self.told)
        layout.addWidget(self.buttons)

    def _show_units(self) -> None:
        kind = "rain rate" if self.form.currentData() == "rate" else "rain"
        held = self.unit.currentText()
        known = ["mm/h", "in/h", "mm/min"] if kind == "rain rate" else ["mm", "in", "cm"]
        self.unit.clear()
        self.unit.addItems(known)
        first = units.units_of(kind, self.desk.study.units)[0]
        self.unit.setCurrentText(held if held in known else first)
        self._read()

    def _read(self) -> None:
        self.storm = None
        if not self.text.toPlainText().strip():
            self.told.setText("")
            self.plot.show_plot(None, "The storm appears as it is typed.")
            self.take.setEnabled(False)
            return
        try:
            self.storm = self._made()
        except TarnwaterError as error:
            self.told.setText(str(error))
        else:
            study = self.desk.study
            self.plot.show_plot(given_plot(study, self.storm, self.desk.selection))
            total = self._total(self.storm)
            self.told.setText(f"{self.storm.steps} steps of {units.show_duration(self.storm.step)}; {total}")
        self.take.setEnabled(self.storm is not None)

    def _total(self, storm: GivenStorm) -> str:
        """Depths of the storm, in words: one, or those of the catchments."""
        keys = rained_on(self.desk.study)
        shown = []
        for key in keys[:1] if storm.even else keys:
            depths = storm.depths_on(key)
            if depths is not None:
                total = float(np.nansum(np.array(depths, float)))
                where = "everywhere" if storm.even else f"on {self.desk.study.name_of(key)}"
                shown.append(f"{units.show(total, 'rain', self.desk.study.units)} {where}")
        lacking = [self.desk.study.name_of(key) for key in keys if storm.lacks(key)]
        told = ", ".join(shown[:6])
        return told + (f"; rain is missing on {', '.join(lacking[:4])}" if lacking else "")

    def _made(self) -> GivenStorm:
        step = units.parse(self.step.text(), "time", default="min")
        columns = columns_of_rain(
            self.text.toPlainText(), form=self.form.currentData(), unit=self.unit.currentText(), step=step
        )
        name = self.name.text().strip() or "Typed storm"
        if list(columns) == [""]:
            if self.begins.text().strip():
                everywhere = dict.fromkeys(rained_on(self.desk.study), columns[""])
                return checked(lambda: RecordedStorm(name=name, step=step, origin=self._begin(), rain=everywhere), name)
            return checked(lambda: TypedStorm(name=name, step=step, depths=columns[""]), name)
        rain = {self.desk.study.key_of(head): depths for head, depths in columns.items()}
        return checked(lambda: RecordedStorm(name=name, step=step, origin=self._begin(), rain=rain), name)

    def _begin(self) -> datetime:
        text = self.begins.text().strip()
        if not text:
            raise BadInput("rain of single catchments needs the date of its begin.", remedy="Type it under Begins.")
        try:
            when = datetime.fromisoformat(text.replace(" +", "+").replace(" -", "-") if text.count(":") > 1 else text)
        except ValueError as error:
            raise BadInput(f"“{text}” is no date.", remedy="Write it as 2019-11-09 06:00 +00:00.") from error
        return when if when.tzinfo is not None else when.replace(tzinfo=UTC)

    def keep(self) -> None:
        """Take the storm into the study."""
        self._read()
        if self.storm is None:
            return
        taken = {storm.name for storm in self.desk.study.storms.values()}
        if self.storm.name in taken:
            self.told.setText(f"there is a storm “{self.storm.name}”; choose another name.")
            return
        if self.desk.do(edits.set_storm, slug(self.storm.name, self.desk.study.storms), self.storm):
            self.accept()
