"""Draws a plot description live, with a cursor that reads time and value."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QGuiApplication, QKeyEvent
from PyQt6.QtWidgets import QSizePolicy, QVBoxLayout, QWidget

from tarnwater import units
from tarnwater.desk.theme import Theme, figures_font
from tarnwater.desk.widgets.labels import Words
from tarnwater.plots import Curve, Plot

_STYLES = {
    "solid": Qt.PenStyle.SolidLine,
    "dashed": Qt.PenStyle.DashLine,
    "dashdot": Qt.PenStyle.DashDotLine,
    "dotted": Qt.PenStyle.DotLine,
}


class PlotView(QWidget):
    """One plot under its title. Ctrl+C copies what is plotted as data."""

    def __init__(self, name: str, theme: Theme) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self._theme = theme
        self._plot: Plot | None = None
        self._title = Words("", quiet=True)
        self._title.setWordWrap(True)
        self._area = pg.PlotWidget(enableMenu=False)
        self._area.setMouseEnabled(x=True, y=False)
        self._area.hideButtons()
        self._area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._area.scene().sigMouseMoved.connect(self._read_off)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        layout.addWidget(self._title)
        layout.addWidget(self._area, 1)
        self.set_theme(theme)

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self._area.setBackground(QColor(theme.paper))
        for side in ("left", "bottom"):
            axis = self._area.getAxis(side)
            axis.setPen(QColor(theme.rule))
            axis.setTextPen(QColor(theme.quiet))
            axis.setTickFont(figures_font(8))
        if self._plot is not None:
            self.show_plot(self._plot)

    @property
    def plot(self) -> Plot | None:
        """What is drawn."""
        return self._plot

    def show_plot(self, plot: Plot | None, nothing: str = "") -> None:
        """Draw a plot; without one say in words why there is nothing."""
        self._plot = plot
        self._area.clear()
        self._area.setVisible(plot is not None)
        self._title.setText(nothing if plot is None else plot.title)
        if plot is None:
            return
        self._area.getAxis("left").setLabel(plot.y.title, **{"font-size": "8pt", "color": self._theme.quiet})
        self._area.getAxis("bottom").setLabel(plot.x.title, **{"font-size": "8pt", "color": self._theme.quiet})
        self._area.getViewBox().invertY(plot.y.downward)
        for bars in plot.bars:
            brush = self._theme.colour(bars.role)
            base = np.zeros_like(bars.heights) if bars.base is None else bars.base
            self._area.addItem(
                pg.BarGraphItem(x0=bars.left, width=bars.width, y0=base, height=bars.heights, brush=brush, pen=brush)
            )
        for curve in plot.curves:
            self._draw(curve)
        for mark in plot.marks:
            colour = self._theme.colour(mark.role)
            self._area.plot(
                [mark.x], [mark.y], pen=None, symbol="o", symbolSize=6, symbolBrush=colour, symbolPen=colour
            )
        for level in plot.levels:
            pen = pg.mkPen(self._theme.colour(level.role), width=1.2, style=Qt.PenStyle.DashLine)
            line = pg.InfiniteLine(
                level.y,
                angle=0,
                pen=pen,
                label=level.text,
                labelOpts={"position": 0.85, "color": self._theme.colour(level.role)},
            )
            self._area.addItem(line)
        self._set_range(plot)
        self._caption(plot)

    def _draw(self, curve: Curve) -> None:
        colour = self._theme.colour(curve.role)
        pen = pg.mkPen(colour, width=curve.width, style=_STYLES[curve.style])
        fill = QColor(colour)
        fill.setAlpha(28)
        level = 0.0 if curve.filled else None
        self._area.plot(curve.x, curve.y, pen=pen, fillLevel=level, brush=fill if curve.filled else None)

    def _set_range(self, plot: Plot) -> None:
        tops = [float(np.max(c.y)) for c in plot.curves if len(c.y)]
        tops += [float(np.max(b.heights + (0 if b.base is None else b.base))) for b in plot.bars if len(b.heights)]
        tops += [level.y for level in plot.levels]
        ends = [float(c.x[-1]) for c in plot.curves if len(c.x)]
        ends += [float(b.left[-1] + b.width) for b in plot.bars if len(b.left)]
        low = min([0.0, *(float(np.min(c.y)) for c in plot.curves if len(c.y))])
        self._area.setXRange(0.0, plot.x.high or max(ends, default=1.0), padding=0.01)
        self._area.setYRange(low, 1.08 * max(tops, default=1.0) or 1.0, padding=0.0)

    def _caption(self, plot: Plot, reading: str = "") -> None:
        rows = [plot.title]
        for curve, mark in zip([c for c in plot.curves if c.role != "quiet"], plot.marks, strict=False):
            rows.append(f"{curve.label}: {mark.text}")
        if reading:
            rows[0] = f"{plot.title}   {reading}"
        self._title.setText("\n".join(rows))

    def _read_off(self, place: object) -> None:
        if self._plot is None or not self._plot.curves:
            return
        at = self._area.getViewBox().mapSceneToView(place)
        curve = self._plot.curves[-1]
        if not curve.x[0] <= at.x() <= curve.x[-1]:
            return
        value = float(np.interp(at.x(), curve.x, curve.y))
        when = units.show_duration(round(at.x() * 60) * 60)
        self._caption(self._plot, f"{when}: {units.figures(value)} {self._plot.y.unit}")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:  # noqa: N802
        """Copy the data on Ctrl+C."""
        if (
            event is not None
            and event.key() == Qt.Key.Key_C
            and event.modifiers() == Qt.KeyboardModifier.ControlModifier
        ):
            clipboard = QGuiApplication.clipboard()
            if self._plot is not None and clipboard is not None:
                clipboard.setText("\n".join("\t".join(row) for row in self._plot.as_table()))
            return
        super().keyPressEvent(event)
