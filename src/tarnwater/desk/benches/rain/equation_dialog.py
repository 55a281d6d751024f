"""An equation of depth, duration and frequency: as published, typed with its units, or fitted to a table."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QKeyEvent, QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QGridLayout,
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
from tarnwater.desk.widgets.grid_view import clipboard_rows
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.listing import Listing
from tarnwater.errors import TarnwaterError
from tarnwater.rain.depth_equation import USUAL_DURATIONS, DepthEquation, fitted_to
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.equations import Equation
from tarnwater.study.document import checked

#: Rows for coefficients.
ROWS = 12

#: Share of the depth from which a residual is drawn as one to look at.
MUCH = 0.05


def _named(widget: QWidget, name: str) -> None:
    widget.setAccessibleName(name)


def _unit_boxes() -> tuple[QComboBox, QComboBox]:
    """Boxes of the units of the intensity and of the duration."""
    intensity, duration = QComboBox(), QComboBox()
    _named(intensity, "Unit of the intensity")
    _named(duration, "Unit of the duration")
    intensity.addItems(["mm/h", "in/h", "mm/min"])
    duration.addItems(["min", "h"])
    return intensity, duration


class CoefficientSheet(QTableWidget):
    """Rows of coefficients after their return periods; a block can be pasted."""

    def __init__(self) -> None:
        super().__init__(ROWS, 1)
        _named(self, "Coefficients of the equation")
        self.setFont(desk_font(9))
        self.setTabKeyNavigation(False)
        rows = self.verticalHeader()
        if rows is not None:
            rows.hide()
        # a key that closed a cell must not open it again, as it would if it came here as an event
        begin = QShortcut(QKeySequence("Return"), self, lambda: self.edit(self.currentIndex()))
        begin.setContext(Qt.ShortcutContext.WidgetShortcut)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:  # noqa: N802
        """Paste a block from the present cell on; Delete clears cells."""
        if event is None:
            return
        if event.key() == Qt.Key.Key_V and event.modifiers() == Qt.KeyboardModifier.ControlModifier:
            self.put(clipboard_rows(), self.currentRow(), self.currentColumn())
        elif event.key() == Qt.Key.Key_Delete:
            for item in self.selectedItems():
                item.setText("")
        else:
            super().keyPressEvent(event)

    def put(self, rows: Sequence[Sequence[str]], row: int = 0, column: int = 0) -> None:
        """Put texts from a cell on; rows are added as needed."""
        self.setRowCount(max(self.rowCount(), max(row, 0) + len(rows)))
        for down, cells in enumerate(rows):
            for right, text in enumerate(cells):
                if column + right < self.columnCount():
                    self.setItem(max(row, 0) + down, max(column, 0) + right, QTableWidgetItem(text.strip()))

    def texts(self) -> list[list[str]]:
        """Texts of the rows that hold any."""
        rows = [
            [(item.text().strip() if (item := self.item(r, c)) else "") for c in range(self.columnCount())]
            for r in range(self.rowCount())
        ]
        return [row for row in rows if any(row)]


class TypedEquation(QDialog):
    """A published equation: its form, its units, the coefficients of each return period; depths show at once."""

    def __init__(self, parent: QWidget, desk: Desk, held: DepthEquation | None = None) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Type a published equation")
        self.resize(660, 560)
        self.desk = desk
        self.depths: DepthEquation | None = None
        self.form = QComboBox()
        _named(self.form, "Form of the equation")
        for tag, kind in Equation.known.items():
            self.form.addItem(kind.equation, tag)
        self.intensity, self.duration = _unit_boxes()
        self.sheet = CoefficientSheet()
        self.periods, self.durations, self.source = QLineEdit(), QLineEdit(), QLineEdit()
        _named(self.periods, "Return periods of the equation")
        _named(self.durations, "Durations of the equation")
        _named(self.source, "Source of the equation")
        self.periods.setPlaceholderText("2, 10, 100")
        self.durations.setText(", ".join(units.show_duration(d) for d in USUAL_DURATIONS))
        self.told = Words("", size=8.5)
        self.told.setWordWrap(True)
        self.buttons = keep_or_leave(self, "Use it")
        self.take = next(b for b in self.buttons.findChildren(QPushButton) if b.text() == "Use it")
        self._lay_out()
        if held is not None:
            self._show_held(held)
        self._show_form()
        self.form.activated.connect(lambda _: self._show_form())
        for box in (self.intensity, self.duration):
            box.activated.connect(lambda _: self._read())
        self.sheet.itemChanged.connect(lambda _: self._read())
        for field in (self.periods, self.durations, self.source):
            field.editingFinished.connect(self._read)

    def _lay_out(self) -> None:
        grid = QGridLayout()
        rows: tuple[tuple[str, QWidget], ...] = (
            ("Form", self.form), ("Intensity i in", self.intensity), ("Duration d in", self.duration),
            ("Return periods, years", self.periods), ("Durations, from the least to the longest", self.durations),
            ("Source", self.source),
        )  # fmt: skip
        self._labels = {}
        for number, (words, widget) in enumerate(rows):
            self._labels[widget] = Words(words, quiet=True)
            grid.addWidget(self._labels[widget], number, 0)
            grid.addWidget(widget, number, 1)
        grid.setColumnStretch(1, 1)
        layout = QVBoxLayout(self)
        layout.addLayout(grid)
        hint = "Coefficients as published, with their signs; a block can be pasted."
        layout.addWidget(Words(hint, quiet=True, size=8.5))
        layout.addWidget(self.sheet, 1)
        layout.addWidget(self.told)
        layout.addWidget(self.buttons)

    def _show_held(self, held: DepthEquation) -> None:
        equation = held.equation
        self.form.setCurrentIndex(self.form.findData(equation.tag()))
        self.intensity.setCurrentText(equation.intensity_unit)
        self.duration.setCurrentText(equation.duration_unit)
        self.periods.setText(", ".join(f"{t:g}" for t in equation.return_periods))
        self.durations.setText(", ".join(units.show_duration(d) for d in held.durations))
        self.source.setText(held.source)
        self._show_form()
        heads = [] if equation.of_period else [f"{t:g}" for t in equation.return_periods]
        rows = [[*heads[n : n + 1], *(repr(v) for v in row)] for n, row in enumerate(equation.coefficients)]
        self.sheet.put(rows)

    @property
    def kind(self) -> type[Equation]:
        """The form that is chosen."""
        return Equation.of_tag(self.form.currentData())

    def _show_form(self) -> None:
        """The columns of the form; one that holds all return periods has one row, and they are listed."""
        of_period = self.kind.of_period
        heads = [*([] if of_period else ["1 in"]), *self.kind.symbols]
        self.sheet.setColumnCount(len(heads))
        self.sheet.setHorizontalHeaderLabels(heads)
        for widget in (self.periods, self._labels[self.periods]):
            widget.setVisible(of_period)
        self._read()

    def _read(self) -> None:
        self.depths = None
        try:
            self.depths = self._made()
        except TarnwaterError as error:
            self.told.setText(str(error))
        else:
            self.told.setText(self._in_words(self.depths))
        self.take.setEnabled(self.depths is not None)

    def _made(self) -> DepthEquation:
        rows = [[units.parse(text or "0", "factor") for text in row] for row in self.sheet.texts()]
        if self.kind.of_period:
            periods = tuple(units.listed(self.periods.text().replace(";", ","), "return period"))
            coefficients = tuple(tuple(row) for row in rows)
        else:
            rows.sort(key=lambda row: row[0])
            periods, coefficients = tuple(row[0] for row in rows), tuple(tuple(row[1:]) for row in rows)
        durations = tuple(units.listed(self.durations.text().replace(";", ","), "time"))
        fields = {"intensity_unit": self.intensity.currentText(), "duration_unit": self.duration.currentText()}
        equation = checked(lambda: self.kind(coefficients=coefficients, return_periods=periods, **fields), "equation")
        source = self.source.text().strip()
        return checked(lambda: DepthEquation(equation=equation, durations=durations, source=source), "equation")

    def _in_words(self, depths: DepthEquation) -> str:
        """Depths at the ends and at an hour, so that a wrong unit is seen."""
        system = self.desk.study.units
        middle = min(depths.durations, key=lambda d: abs(np.log(d / 3600)))
        told = []
        for duration in dict.fromkeys((depths.durations[0], middle, depths.durations[-1])):
            row = depths.listed[depths.durations.index(duration)]
            least, most = (units.show(v, "rain", system) for v in (row[0], row[-1]))
            told.append(f"{units.show_duration(duration)}: {least} to {most}")
        return "Depths " + ", ".join(told)

    def keep(self) -> None:
        """Take the equation."""
        self._read()
        if self.depths is not None:
            self.accept()


class FittedEquation(QDialog):
    """Every form fitted to a table, with its greatest error; the residuals of the chosen one show entry by entry."""

    def __init__(self, parent: QWidget, desk: Desk, theme: Theme, table: DepthTable) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Fit an equation to the table")
        self.resize(760, 560)
        self.desk, self.theme, self.table = desk, theme, table
        self.depths: DepthEquation | None = None
        self.found: list[DepthEquation] = []
        self.intensity, self.duration = _unit_boxes()
        heads = "form", "greatest error", "where", "mean error"
        self.forms = Listing("Forms fitted to the table", heads, right=(1, 3))
        self.residuals = QTableWidget()
        _named(self.residuals, "Residuals of the fit, %")
        self.residuals.setFont(desk_font(9))
        self.residuals.setTabKeyNavigation(False)
        self.residuals.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.told = Words("", size=8.5)
        self.told.setWordWrap(True)
        self.told.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.buttons = keep_or_leave(self, "Use it")
        grid = QGridLayout()
        grid.addWidget(Words("Intensity i in", quiet=True), 0, 0)
        grid.addWidget(self.intensity, 0, 1)
        grid.addWidget(Words("Duration d in", quiet=True), 0, 2)
        grid.addWidget(self.duration, 0, 3)
        grid.setColumnStretch(4, 1)
        layout = QVBoxLayout(self)
        layout.addLayout(grid)
        layout.addWidget(self.forms, 1)
        layout.addWidget(self.told)
        layout.addWidget(Words("Depth of the equation less that of the table, in % of the table", quiet=True, size=8.5))
        layout.addWidget(self.residuals, 2)
        layout.addWidget(self.buttons)
        for box in (self.intensity, self.duration):
            box.activated.connect(lambda _: self._fit())
        self.forms.row_chosen.connect(self._choose)
        self._fit()

    def _fit(self) -> None:
        """Fit every form; one that the table is too small for is left out, and named."""
        self.found, lacking = [], []
        for kind in Equation.known.values():
            try:
                self.found.append(
                    fitted_to(
                        kind, self.table, intensity_unit=self.intensity.currentText(),  # type: ignore[arg-type]
                        duration_unit=self.duration.currentText(),  # type: ignore[arg-type]
                    )
                )  # fmt: skip
            except (TarnwaterError, ValueError) as error:
                lacking.append(f"{kind.title}: {error}")
        self.found.sort(key=lambda one: float(np.abs(one.residuals).max()))
        rows = []
        for one in self.found:
            duration, period, worst = one.greatest_residual or (0.0, 0.0, 0.0)
            mean = float(np.abs(one.residuals).mean())
            where = f"{units.show_duration(duration)}, 1 in {period:g}"
            rows.append((one.equation.equation, f"{100 * worst:+.2f} %", where, f"{100 * mean:.2f} %"))
        self.forms.show_rows(rows, row=0)
        self._lacking = "; ".join(lacking)
        self._choose(0)

    def _choose(self, row: int) -> None:
        if not 0 <= row < len(self.found):
            self.told.setText(self._lacking)
            return
        one = self.depths = self.found[row]
        equation, periods = one.equation, self.table.return_periods
        told = []
        for n, coefficients in enumerate(equation.coefficients):
            head = "" if equation.of_period else f"1 in {equation.return_periods[n]:g}: "
            pairs = zip(equation.symbols, coefficients, strict=True)
            told.append(head + ", ".join(f"{s} = {v:.5g}" for s, v in pairs))
        self.told.setText("   ".join(told))
        self.residuals.setRowCount(len(self.table.durations))
        self.residuals.setColumnCount(len(periods))
        self.residuals.setHorizontalHeaderLabels([f"1 in {t:g}" for t in periods])
        self.residuals.setVerticalHeaderLabels([units.show_duration(d) for d in self.table.durations])
        for down, shares in enumerate(one.residuals):
            for right, share in enumerate(shares):
                item = QTableWidgetItem(f"{100 * share:+.2f}")
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                if abs(share) > MUCH:
                    item.setForeground(QColor(self.theme.loss))
                self.residuals.setItem(down, right, item)

    def keep(self) -> None:
        """Take the chosen fit."""
        if self.depths is not None:
            self.accept()
