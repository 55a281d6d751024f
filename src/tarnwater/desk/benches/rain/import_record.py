"""Importing a record: its rows as they were understood, and every choice that was made, to be changed."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QGridLayout,
    QHeaderView,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from tarnwater import units
from tarnwater.desk.desk import Desk
from tarnwater.desk.dialogs.answers import keep_or_leave
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.desk.widgets.labels import Words
from tarnwater.errors import TableError, TarnwaterError
from tarnwater.progress import Progress
from tarnwater.rain.records.raw import FORMS, RawSeries

#: Rows of the file that are shown.
SHOWN = 200

ROLES = ("ignored", "date and time", "date", "time", "value")

DELIMITERS = ((",  comma", ","), (";  semicolon", ";"), ("tab", "\t"), ("|  bar", "|"))

DECIMALS = ((".  point", "."), (",  comma", ","))

THOUSANDS = (("none", ""), (",  comma", ","), (".  point", "."), ("space", " "), ("'  apostrophe", "'"))

#: Zones that are offered; any other can be typed.
ZONES = (
    "UTC", "UTC+01:00", "UTC+02:00", "UTC-05:00", "UTC+10:00", "Europe/London", "Europe/Berlin", "America/New_York",
    "Australia/Sydney",
)  # fmt: skip


@dataclass(frozen=True, eq=False)
class Brought:
    """What was read: series by name, places of gauges, how the file was read in words, and what is worth knowing."""

    series: dict[str, RawSeries]
    places: dict[str, tuple[float, float]]
    reading: str
    notes: tuple[str, ...]


class ImportRecord(QDialog):
    """The choices above, the rows below: each column with what it holds and its unit, each row with its fault."""

    def __init__(self, parent: QWidget, desk: Desk, theme: Theme, path: Path) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Import a record")
        self.resize(980, 660)
        self.desk, self.path, self._theme = desk, path, theme
        self.brought: Brought | None = None
        self._proposal: Any = None
        self._reading: Any = None
        self._working: Progress | None = None
        self.sheet, self.delimiter, self.order, self.zone = (QComboBox() for _ in range(4))
        self.decimal, self.thousands, self.form, self.stamp = (QComboBox() for _ in range(4))
        self.zone.setEditable(True)
        self.missing, self.trace, self.tip = QLineEdit(), QLineEdit(), QLineEdit()
        self.leave_out = QCheckBox("Leave out rows that cannot be read; their time is missing")
        self.told = Words("", size=8.5)
        self.told.setWordWrap(True)
        self.table = QTableWidget()
        self.buttons = keep_or_leave(self, "Import")
        self.take = next(b for b in self.buttons.findChildren(QPushButton) if b.text() == "Import")
        self._name_all()
        self._lay_out()
        self._propose()
        self._connect()

    def _name_all(self) -> None:
        for widget, name in (
            (self.sheet, "Sheet of the workbook"),
            (self.delimiter, "Mark between the cells"),
            (self.order, "How dates are written"),
            (self.zone, "Zone of the times"),
            (self.decimal, "Mark of decimals"),
            (self.thousands, "Mark of thousands"),
            (self.form, "What the values are"),
            (self.stamp, "Where the times stand"),
            (self.missing, "Texts of missing values"),
            (self.trace, "Depth of a trace"),
            (self.tip, "Depth of one tip"),
            (self.leave_out, "Leave out rows that cannot be read"),
            (self.table, "Rows of the file"),
        ):
            widget.setAccessibleName(name)
        for box, options in (
            (self.delimiter, DELIMITERS), (self.decimal, DECIMALS), (self.thousands, THOUSANDS),
            (self.form, [(w, f) for f, w in FORMS.items()]),
            (self.stamp, (("at the end of the interval", "end"), ("at its start", "start"))),
        ):  # fmt: skip
            for words, value in options:
                box.addItem(words, value)
        from tarnwater.formats.records.dates import ORDERS

        for order in ORDERS:
            self.order.addItem(order, order)
        self.zone.addItems(ZONES)
        self.missing.setPlaceholderText("beside blank, NA, -- and M: as -999, 9999")
        self.table.setFont(desk_font(9))
        self.table.setTabKeyNavigation(False)
        self.table.setWordWrap(False)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)

    def _lay_out(self) -> None:
        grid = QGridLayout()
        self._labels: dict[QWidget, Words] = {}
        rows: tuple[tuple[tuple[str, QWidget], ...], ...] = (
            (("Dates", self.order), ("Values are", self.form), ("Cells parted by", self.delimiter)),
            (("Times are in", self.zone), ("Times stand", self.stamp), ("Decimals", self.decimal)),
            (("Missing", self.missing), ("A trace is", self.trace), ("Thousands", self.thousands)),
            (("", QWidget()), ("One tip is", self.tip), ("Sheet", self.sheet)),
        )
        for number, cells in enumerate(rows):
            for column, (words, widget) in enumerate(cells):
                label = Words(words, quiet=True)
                self._labels[widget] = label
                grid.addWidget(label, number, 2 * column)
                grid.addWidget(widget, number, 2 * column + 1)
        for column in (1, 3, 5):
            grid.setColumnStretch(column, 1)
        layout = QVBoxLayout(self)
        layout.addWidget(Words(self.path.name, bold=True, size=11))
        layout.addLayout(grid)
        layout.addWidget(self.told)
        layout.addWidget(self.table, 1)
        layout.addWidget(self.leave_out)
        layout.addWidget(self.buttons)

    def _connect(self) -> None:
        self.sheet.activated.connect(lambda _: self._propose(sheet=self.sheet.currentText()))
        self.delimiter.activated.connect(lambda _: self._propose(delimiter=self.delimiter.currentData()))
        for box in (self.order, self.decimal, self.thousands, self.form, self.stamp):
            box.activated.connect(lambda _: self._changed())
        self.zone.textActivated.connect(lambda _: self._changed())
        for field in (self.missing, self.trace, self.tip):
            field.editingFinished.connect(self._changed)
        line = self.zone.lineEdit()
        if line is not None:
            line.editingFinished.connect(self._changed)

    # what is proposed

    @property
    def is_waterml(self) -> bool:
        """Whether the file states by itself what its series are."""
        from tarnwater.formats.waterml import is_waterml

        return is_waterml(self.path)

    def _propose(self, sheet: str = "", delimiter: str = "") -> None:
        if self.is_waterml:
            self._show_waterml()
            return
        from tarnwater.formats.records import propose

        try:
            self._proposal = propose(self.path, sheet=sheet, delimiter=delimiter)
        except TarnwaterError as error:
            self._refuse(str(error))
            return
        self._reading = self._proposal.reading
        self._show_choices()
        self._show_rows()

    def _refuse(self, words: str) -> None:
        self._reading = None
        self.told.setText(words)
        self.table.setRowCount(0)
        self.take.setEnabled(False)

    def _show_choices(self) -> None:
        reading = self._reading
        for box, value in (
            (self.delimiter, reading.delimiter), (self.order, reading.order), (self.decimal, reading.decimal),
            (self.thousands, reading.thousands), (self.form, reading.form), (self.stamp, reading.stamp),
        ):  # fmt: skip
            box.setCurrentIndex(box.findData(value))
        self.zone.setCurrentText(reading.zone)
        self.missing.setText(", ".join(reading.missing))
        system = self.desk.study.units
        self.trace.setText(units.show(reading.trace, "rain", system))
        self.tip.setText(units.show(reading.tip, "rain", system))
        self.sheet.clear()
        self.sheet.addItems(self._proposal.sheets)
        self.sheet.setCurrentText(reading.sheet)
        for widget in (self.sheet, self._labels[self.sheet]):
            widget.setVisible(bool(self._proposal.sheets))
        for widget in (self.delimiter, self._labels[self.delimiter]):
            widget.setVisible(bool(reading.delimiter))
        self._show_which_fit()

    def _show_which_fit(self) -> None:
        """Only the choices that the values have: a tip has a depth, flow has no trace and no side."""
        form = self.form.currentData()
        for widget, fits in (
            (self.tip, form == "tips"), (self.trace, form not in ("tips", "flow")),
            (self.stamp, form not in ("tips", "flow", "cumulative")),
        ):  # fmt: skip
            widget.setVisible(fits)
            self._labels[widget].setVisible(fits)

    def _changed(self) -> None:
        """Read the rows again by the choices; what cannot be read as a choice is told."""
        if self._reading is None or self.is_waterml:
            return
        form = self.form.currentData()
        try:
            fields = {
                "order": self.order.currentData(), "decimal": self.decimal.currentData(), "form": form,
                "thousands": self.thousands.currentData(), "stamp": self.stamp.currentData(),
                "zone": self.zone.currentText().strip() or "UTC",
                "missing": tuple(part.strip() for part in self.missing.text().split(",") if part.strip()),
                "trace": units.parse(self.trace.text() or "0", "rain", default="mm"),
                "tip": units.parse(self.tip.text() or "0.2", "rain", default="mm"),
            }  # fmt: skip
            columns = self._columns_for(form)
            new = type(self._reading)(**{**dict(self._reading), **fields, "columns": columns})
        except (TarnwaterError, ValueError) as error:
            self.told.setText(str(error))
            self.take.setEnabled(False)
            return
        self._reading = new
        self._show_which_fit()
        self._show_rows()

    def _columns_for(self, form: str) -> tuple[Any, ...]:
        """The columns, with units that the form has."""
        kind = {"flow": "flow", "rate": "rain rate"}.get(form, "rain")
        known = units.kind(kind).units
        return tuple(
            c if c.role != "value" or c.unit in known else c.model_copy(update={"unit": units.kind(kind).base})
            for c in self._reading.columns
        )

    # the rows

    def _show_rows(self) -> None:
        from tarnwater.formats.records import preview

        reading = self._reading
        rows = self._proposal.rows[:SHOWN]
        try:
            reading.refuse_incomplete(self.path.name)
            understood = preview(reading, rows)
        except TarnwaterError as error:
            understood = []
            self.told.setText(str(error))
        self.table.setRowCount(2 + len(rows))
        self._show_heads()
        self._show_column_choices()
        for number, row in enumerate(rows):
            known = understood[number] if understood else None
            self._show_row(2 + number, row, known)
        self._tell(understood)

    def _show_heads(self) -> None:
        names = [column.name for column in self._reading.columns]
        self.table.setColumnCount(1 + len(names))
        self.table.setHorizontalHeaderLabels(["read as", *names])
        first = self._reading.first_row + 1
        shown = len(self._proposal.rows[:SHOWN])
        self.table.setVerticalHeaderLabels(["holds", "unit", *(str(first + n) for n in range(shown))])
        head = self.table.horizontalHeader()
        if head is not None:
            head.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
            head.setStretchLastSection(True)
        self.table.setColumnWidth(0, 250)
        for number in range(len(names)):
            self.table.setColumnWidth(number + 1, 150)

    def _show_column_choices(self) -> None:
        for number, column in enumerate(self._reading.columns):
            role = QComboBox()
            role.setAccessibleName(f"What {column.name} holds")
            role.addItems(ROLES)
            role.setCurrentText(column.role)
            role.textActivated.connect(lambda text, n=number: self._set_column(n, role=text))
            self.table.setCellWidget(0, number + 1, role)
            if column.role != "value":
                self.table.removeCellWidget(1, number + 1)
                continue
            unit = QComboBox()
            unit.setAccessibleName(f"Unit of {column.name}")
            kind = {"flow": "flow", "rate": "rain rate"}.get(self._reading.form, "rain")
            unit.addItems(list(units.kind(kind).units))
            unit.setCurrentText(column.unit)
            unit.textActivated.connect(lambda text, n=number: self._set_column(n, unit=text))
            self.table.setCellWidget(1, number + 1, unit)

    def _set_column(self, number: int, **fields: str) -> None:
        columns = list(self._reading.columns)
        columns[number] = columns[number].model_copy(update=fields)
        self._reading = self._reading.model_copy(update={"columns": tuple(columns)})
        self._changed()

    def _show_row(self, at: int, row: tuple[str, ...], known: Any) -> None:
        read = "" if known is None else known.wrong or self._in_words(known)
        for column, text in enumerate((read, *row)):
            item = QTableWidgetItem(text)
            if known is not None and known.wrong:
                item.setForeground(QColor(self._theme.limit))
            elif column == 0:
                item.setForeground(QColor(self._theme.water))
            self.table.setItem(at, column, item)

    def _in_words(self, known: Any) -> str:
        kind = {"flow": "flow", "rate": "rain rate"}.get(self._reading.form, "rain")
        values = (
            "missing" if np.isnan(v) else units.show(v, kind, self.desk.study.units) for v in known.values.values()
        )
        return "  ·  ".join([known.stamp, *values])

    def _tell(self, understood: list[Any]) -> None:
        if not understood:
            self.take.setEnabled(False)
            return
        bad = sum(bool(row.wrong) for row in understood)
        words = [f"The first {len(understood)} rows are shown as they were understood."]
        words += list(self._proposal.doubts)
        if bad:
            words.append(f"{bad} of them cannot be read.")
        self.told.setText(" ".join(words))
        self.take.setEnabled(True)

    # WaterML

    def _show_waterml(self) -> None:
        from tarnwater.formats.waterml import read_waterml

        for widget, label in self._labels.items():
            widget.hide()
            label.hide()
        self.leave_out.hide()
        try:
            found = read_waterml(self.path)
        except TarnwaterError as error:
            self._refuse(str(error))
            return
        self.table.setColumnCount(4)
        self.table.setHorizontalHeaderLabels(["series", "observed", "unit", "points"])
        self.table.setRowCount(len(found.series))
        for number, (name, one) in enumerate(found.by_name.items()):
            for column, text in enumerate((name, one.observed, one.unit, f"{len(one.raw):,}")):
                self.table.setItem(number, column, QTableWidgetItem(text))
        taken = {name: one.raw for name, one in found.by_name.items()}
        self.brought = Brought(taken, found.places_in(self.desk.study.map_crs), "WaterML 2.0", found.notes)
        self.told.setText(" ".join([f"{len(taken)} series.", *found.notes]))

    # taking it in

    def keep(self) -> None:
        """Read the whole file, in a thread, and close; a file with rows that cannot be read is told."""
        if self.is_waterml:
            if self.brought is not None:
                self.accept()
            return
        if self._reading is None or self._working is not None:
            return
        reading, path, leave = self._reading, self.path, self.leave_out.isChecked()
        self.take.setEnabled(False)
        self.told.setText("reading …")

        def work(progress: Progress) -> Brought:
            from tarnwater.formats.records import read_records
            from tarnwater.formats.series import series_to_bytes
            from tarnwater.rain.records.faults import faults_of

            found = read_records(path, reading, leave_out_bad=leave, progress=progress)
            for raw in found.series.values():
                # both are kept with the series, so that the edit that takes it in has nothing long to do
                series_to_bytes(raw)
                faults_of(raw)
            return Brought(found.named(path.stem), {}, reading.words, found.notes)

        self._working = self.desk.aside.run(work, self._read, self._failed, f"Reading {path.name}", self._cancelled)

    def _read(self, brought: Brought) -> None:
        self._working = None
        self.brought = brought
        self.accept()

    def _cancelled(self) -> None:
        self._working = None
        self.told.setText("cancelled; nothing was imported.")
        self.take.setEnabled(True)

    def _failed(self, error: BaseException) -> None:
        self._working = None
        self.take.setEnabled(True)
        if not isinstance(error, TarnwaterError):
            self.desk.fault(error)
            return
        rows = [*error.rows[:5], "…"] if isinstance(error, TableError) and len(error.rows) > 5 else []
        self.told.setText("\n".join([f"{error.what} {error.remedy}", *rows]) if rows else str(error))

    def reject(self) -> None:
        """Close; a file that is being read is left."""
        if self._working is not None:
            self.desk.aside.cancel(self._working)
        super().reject()
