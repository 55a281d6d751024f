"""Contours of the open terrain, traced in a thread when they are shown."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from tarnwater.desk.benches.ground.scene import ThinLines
from tarnwater.desk.desk import Desk
from tarnwater.terrain.contours import contours, usual_interval
from tarnwater.terrain.drainage import Drainage
from tarnwater.terrain.lines import Lines


class Contours(QObject):
    """The contours at one interval; others take their place when they are asked for."""

    changed = pyqtSignal()

    def __init__(self, desk: Desk, parent: QObject) -> None:
        super().__init__(parent)
        self._desk = desk
        self._of: tuple[Drainage | None, float] = None, 0.0
        self._usual: tuple[Drainage | None, float] = None, 0.0
        self._lines = ThinLines(Lines.of([]))

    def interval(self, asked: float) -> float:
        """The interval that is drawn, m: the one asked for, or the usual one of the terrain; 0 without a terrain."""
        drainage = self._desk.ground.drainage
        if asked > 0 or drainage is None:
            return asked
        if self._usual[0] is not drainage:
            self._usual = drainage, usual_interval(drainage.grid)
        return self._usual[1]

    def at(self, asked: float) -> ThinLines:
        """Contours at an interval, m; those of before until they are traced."""
        drainage = self._desk.ground.drainage
        if drainage is None:
            return ThinLines(Lines.of([]))
        wanted = drainage, self.interval(asked)
        if wanted != self._of:
            self._of = wanted
            grid, interval = drainage.grid, wanted[1]

            def done(found: Lines) -> None:
                if self._of == wanted:
                    self._lines = ThinLines(found)
                    self.changed.emit()

            self._desk.aside.run(lambda _: contours(grid, interval), done, self._failed, "Tracing contours")
        return self._lines

    def _failed(self, error: BaseException) -> None:
        self._lines = ThinLines(Lines.of([]))
        self._desk.fault(error)
        self.changed.emit()
