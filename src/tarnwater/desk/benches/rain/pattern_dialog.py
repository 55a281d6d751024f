"""Typed patterns and ensembles: pasted, opened, cut from a record, or taken from those that were kept."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from tarnwater import units
from tarnwater.desk.desk import Desk
from tarnwater.desk.dialogs.answers import keep_or_leave
from tarnwater.desk.theme import Theme
from tarnwater.desk.widgets.grid_view import clipboard_rows
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.plot_view import PlotView
from tarnwater.errors import TarnwaterError
from tarnwater.formats.patterns import curves_from_rows, read_patterns
from tarnwater.rain.patterns import Ensemble, MassCurve, Pattern, TypedCurve
from tarnwater.study.document import checked
from tarnwater.study.file.kept_rain import read_kept_rain, write_kept_rain
from tarnwater.study.pictures.rain import patterns_plot
from tarnwater.study.rain.records import record_of

TYPICAL = (("the mean of their peaks", "mean"), ("the median of their peaks", "median"))


class PatternDialog(QDialog):
    """One curve is a typed pattern; several are an ensemble, whose typical peak answers."""

    def __init__(self, parent: QWidget, desk: Desk, theme: Theme, curves: tuple[MassCurve, ...] = ()) -> None:
        super().__init__(parent)
        self.setWindowTitle("Patterns: typed, opened or cut from a record")
        self.resize(760, 560)
        self.desk = desk
        self.curves = curves
        self.pattern: Pattern | None = None
        self.kept = QComboBox()
        self.kept.setAccessibleName("Patterns that were kept")
        self.kept.activated.connect(self._take_kept)
        self.paste_button = QPushButton("Paste columns   Ctrl+V")
        self.paste_button.setAccessibleName("Paste patterns")
        self.paste_button.clicked.connect(self.paste)
        self.open_button = QPushButton("Open a file …")
        self.open_button.setAccessibleName("Open patterns")
        self.open_button.clicked.connect(lambda: self.open_file())
        self.gauge, self.count = QComboBox(), QSpinBox()
        self.gauge.setAccessibleName("Record that patterns are cut from")
        self.count.setAccessibleName("Number of patterns that are cut")
        self.count.setRange(2, 50)
        self.count.setValue(10)
        self.duration = QLineEdit("12 h")
        self.duration.setAccessibleName("Duration of the patterns that are cut")
        self.cut_button = QPushButton("Cut")
        self.cut_button.setAccessibleName("Cut patterns from the record")
        self.cut_button.clicked.connect(self._cut)
        for key, gauge in desk.study.gauges.items():
            if gauge.quantity == "rain":
                self.gauge.addItem(gauge.name, key)
        self.typical = QComboBox()
        self.typical.setAccessibleName("What is typical of an ensemble")
        for words, rule in TYPICAL:
            self.typical.addItem(words, rule)
        self.meant = QLineEdit()
        self.meant.setAccessibleName("Duration that the pattern is meant for")
        self.meant.setPlaceholderText("any")
        self.plot = PlotView("Patterns", theme)
        self.told = Words("", size=8.5)
        self.told.setWordWrap(True)
        self.keep_box = QCheckBox("Keep them for other studies, called")
        self.keep_box.setAccessibleName("Keep the patterns for other studies")
        self.name = QLineEdit()
        self.name.setAccessibleName("Name of the patterns")
        self.buttons = keep_or_leave(self, "Use them")
        self.take = next(b for b in self.buttons.findChildren(QPushButton) if b.text() == "Use them")
        self._lay_out()
        QShortcut(QKeySequence("Ctrl+V"), self, self.paste)
        self._fill_kept()
        self._show()

    def _lay_out(self) -> None:
        bring, cut, last = QHBoxLayout(), QHBoxLayout(), QHBoxLayout()
        bringing: tuple[QWidget, ...] = (
            self.paste_button, self.open_button, Words("or kept ones", quiet=True), self.kept,
        )  # fmt: skip
        cutting: tuple[QWidget, ...] = (
            Words("or the deepest", quiet=True), self.count, Words("spells of", quiet=True), self.duration,
            Words("of", quiet=True), self.gauge, self.cut_button,
        )  # fmt: skip
        self._typical_words = Words("The answer of an ensemble is", quiet=True)
        self._meant_words = Words("Meant for", quiet=True)
        using: tuple[QWidget, ...] = (self._typical_words, self.typical, self._meant_words, self.meant)
        for line, widgets in ((bring, bringing), (cut, cutting), (last, using)):
            for widget in widgets:
                line.addWidget(widget)
            line.addStretch(1)
        keep = QHBoxLayout()
        keep.addWidget(self.keep_box)
        keep.addWidget(self.name, 1)
        layout = QVBoxLayout(self)
        words = "Shares of the time in the first column, of the depth in each other one; in percent or parts of one."
        layout.addWidget(Words(words, quiet=True, size=8.5))
        layout.addLayout(bring)
        layout.addLayout(cut)
        layout.addWidget(self.plot, 1)
        layout.addWidget(self.told)
        layout.addLayout(last)
        layout.addLayout(keep)
        layout.addWidget(self.buttons)

    def _fill_kept(self) -> None:
        kept = read_kept_rain()
        self.kept.clear()
        self.kept.addItem("choose …" if kept.patterns else "none yet", None)
        for name, curves in kept.patterns.items():
            self.kept.addItem(name, curves)
        self.kept.setEnabled(bool(kept.patterns))

    def _take_kept(self, number: int) -> None:
        curves = self.kept.itemData(number)
        if curves:
            self.curves = curves
            self.name.setText(self.kept.itemText(number))
            self._show()

    def paste(self) -> None:
        """Take the columns on the clipboard."""
        try:
            self.curves = curves_from_rows(clipboard_rows())
        except TarnwaterError as error:
            self.told.setText(str(error))
        else:
            self._show()

    def open_file(self, path: Path | None = None) -> None:
        """Take the columns of a file."""
        if path is None:
            name, _ = QFileDialog.getOpenFileName(
                self, "Open patterns", "", "Tables (*.csv *.tsv *.txt);;All files (*)",
                options=QFileDialog.Option.DontUseNativeDialog,
            )  # fmt: skip
            if not name:
                return
            path = Path(name)
        try:
            self.curves = read_patterns(path)
        except TarnwaterError as error:
            self.told.setText(str(error))
        else:
            self.name.setText(path.stem)
            self._show()

    def _cut(self) -> None:
        from tarnwater.rain.records.patterns import deepest_patterns

        key = self.gauge.currentData()
        if key is None:
            self.told.setText("There is no record of rain: import one under Records.")
            return
        try:
            duration = round(units.parse(self.duration.text(), "time", default="h"))
            record = record_of(self.desk.study, self.desk.file.blobs, key)
            self.curves = tuple(deepest_patterns(record, duration, self.count.value()))
        except TarnwaterError as error:
            self.told.setText(str(error))
            return
        self.name.setText(f"{self.gauge.currentText()}, {units.show_duration(duration)}")
        self._show()

    def _show(self) -> None:
        several = len(self.curves) > 1
        shown: tuple[tuple[QWidget, bool], ...] = (
            (self._typical_words, several), (self.typical, several), (self._meant_words, len(self.curves) == 1),
            (self.meant, len(self.curves) == 1),
        )  # fmt: skip
        for widget, there in shown:
            widget.setVisible(there)
        self.take.setEnabled(bool(self.curves))
        if not self.curves:
            self.plot.show_plot(None, "Curves appear here.")
            return
        self.plot.show_plot(patterns_plot(self.curves))
        self.told.setText(f"an ensemble of {len(self.curves)} patterns" if several else f"“{self.curves[0].name}”")

    def keep(self) -> None:
        """Take the patterns, and keep them for other studies where that is asked for."""
        try:
            self.pattern = self._made()
            if self.keep_box.isChecked():
                name = self.name.text().strip() or self.curves[0].name
                write_kept_rain(read_kept_rain().with_patterns(name, self.curves))
        except TarnwaterError as error:
            self.told.setText(str(error))
            return
        self.accept()

    def _made(self) -> Pattern:
        if len(self.curves) > 1:
            rule = self.typical.currentData()
            return checked(lambda: Ensemble(curves=self.curves, typical=rule), "patterns")
        text = self.meant.text().strip()
        meant = units.parse(text, "time", default="h") if text else None
        return checked(lambda: TypedCurve(curve=self.curves[0], meant_for=meant), "pattern")
