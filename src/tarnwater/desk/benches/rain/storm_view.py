"""A storm whose peak can be dragged."""

from __future__ import annotations

import pyqtgraph as pg
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QColor

from tarnwater.desk.theme import Theme
from tarnwater.desk.widgets.plot_view import PlotView


class StormView(PlotView):
    """The hyetograph; the line at the peak can be dragged."""

    peak_dragged = pyqtSignal(float)
    peak_dropped = pyqtSignal(float)

    def __init__(self, name: str, theme: Theme) -> None:
        self._handle = pg.InfiniteLine(angle=90, movable=True)
        super().__init__(name, theme)
        self._hours = self._first = 0.0
        self._handle.sigDragged.connect(self._dragged)
        self._handle.sigPositionChangeFinished.connect(self._dropped)

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self._handle.setPen(pg.mkPen(QColor(theme.water), width=2))
        self._handle.setHoverPen(pg.mkPen(QColor(theme.water), width=4))
        super().set_theme(theme)

    def show_peak(self, position: float | None, hours: float, first: float = 0.0) -> None:
        """Show the handle at a share of the rain, which begins at ``first`` (h); None if the peak cannot be moved."""
        self._hours, self._first = hours, first
        if self._handle.scene() is None and position is not None:
            self._area.addItem(self._handle, ignoreBounds=True)
        self._handle.setVisible(position is not None)
        if position is not None and not self._handle.moving:
            self._handle.setBounds((first, first + hours))
            self._handle.setValue(first + position * hours)

    def _rebuild(self, plot: object) -> None:
        super()._rebuild(plot)  # type: ignore[arg-type]
        self._area.addItem(self._handle, ignoreBounds=True)

    @property
    def handle_position(self) -> float:
        """Position of the handle, as a share of the duration of the rain."""
        return (float(self._handle.value()) - self._first) / self._hours if self._hours else 0.0

    def _dragged(self) -> None:
        self.peak_dragged.emit(self.handle_position)

    def _dropped(self) -> None:
        self.peak_dropped.emit(self.handle_position)
