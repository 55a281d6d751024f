"""A curve of areal reduction typed, pasted or opened, drawn as it was understood."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QDialog, QFileDialog, QHBoxLayout, QPlainTextEdit, QPushButton, QVBoxLayout, QWidget

from tarnwater.desk.desk import Desk
from tarnwater.desk.dialogs.answers import keep_or_leave
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.plot_view import PlotView
from tarnwater.errors import TarnwaterError
from tarnwater.formats.areal_curves import areal_curve_from_text, areal_curve_to_text
from tarnwater.formats.tables import text_of
from tarnwater.rain.areal import ArealCurve
from tarnwater.study.pictures.rain import areal_plot

CURVE_FILES = "Tables (*.csv *.tsv *.txt);;All files (*)"


class ArealDialog(QDialog):
    """Areas down, durations across, and the share of the point depth in each cell."""

    def __init__(self, parent: QWidget, desk: Desk, theme: Theme, curve: ArealCurve | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Type or paste a curve of areal reduction")
        self.resize(820, 460)
        self.desk = desk
        self.curve = curve
        self._unit = "km2" if desk.study.units == "SI" else "mi2"
        self.text = QPlainTextEdit()
        self.text.setFont(desk_font(9))
        self.text.setAccessibleName("Shares of the point depth")
        self.text.setPlaceholderText(
            f"area, {self._unit}\t1 h\t6 h\t24 h\n10\t0.92\t0.95\t0.97\n100\t0.80\t0.87\t0.92\n\n"
            "or two columns, of areas and shares, for all durations.\nA line that begins with # is the source."
        )
        self.text.setTabChangesFocus(True)
        self.text.setTabStopDistance(70)
        self.plot = PlotView("The curve as it was understood", theme)
        self.told = Words("", size=8.5)
        self.told.setWordWrap(True)
        self.open_button = QPushButton("Open a file …")
        self.open_button.setAccessibleName("Open a file with a curve")
        self.open_button.clicked.connect(lambda: self.open_file())
        self.buttons = keep_or_leave(self, "Use it")
        self.take = next(b for b in self.buttons.findChildren(QPushButton) if b.text() == "Use it")
        shown = QHBoxLayout()
        shown.addWidget(self.text, 2)
        shown.addWidget(self.plot, 3)
        foot = QHBoxLayout()
        foot.addWidget(self.open_button)
        foot.addWidget(self.buttons, 1)
        layout = QVBoxLayout(self)
        layout.addLayout(shown, 1)
        layout.addWidget(self.told)
        layout.addLayout(foot)
        self.text.textChanged.connect(self._read)
        QShortcut(QKeySequence("Ctrl+Return"), self, self.keep)
        if curve is not None:
            self.text.setPlainText(areal_curve_to_text(curve, self._unit))
        self._read()

    def open_file(self) -> None:
        """Take the text of a file."""
        name, _ = QFileDialog.getOpenFileName(
            self, "Open a curve", "", CURVE_FILES, options=QFileDialog.Option.DontUseNativeDialog
        )
        if not name:
            return
        try:
            self.text.setPlainText(text_of(Path(name)))
        except TarnwaterError as error:
            self.told.setText(str(error))

    def _read(self) -> None:
        self.curve = None
        if not self.text.toPlainText().strip():
            self.told.setText("")
            self.plot.show_plot(None, "The curve appears as it is typed.")
        else:
            try:
                self.curve = areal_curve_from_text(self.text.toPlainText(), area_unit=self._unit)
            except TarnwaterError as error:
                self.told.setText(str(error))
                self.plot.show_plot(None, "not understood yet")
            else:
                self.plot.show_plot(areal_plot(self.curve, self.desk.study.units))
                told = f"{len(self.curve.areas)} areas, {len(self.curve.durations) or 'all'} durations"
                self.told.setText(f"{told}; {self.curve.source}" if self.curve.source else told)
        self.take.setEnabled(self.curve is not None)

    def keep(self) -> None:
        """Take the curve."""
        self._read()
        if self.curve is not None:
            self.accept()
