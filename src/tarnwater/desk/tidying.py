"""Garbage is collected on the window's thread only."""

from __future__ import annotations

import gc
import time

from PyQt6.QtCore import QObject, Qt, QTimer
from PyQt6.QtGui import QGuiApplication

#: Intervals of collecting the young generation, ms, and all, s.
YOUNG_EVERY, WHOLE_EVERY = 1000, 10.0

#: Greatest share of the time for collecting all, even with a large study.
MOST_TIME = 0.01


class Tidying(QObject):
    """Collects garbage that reference cycles leave.

    Python would do so in any thread. Widgets of a closed window would then be destroyed outside the window's thread,
    which Qt does not allow: the program could crash.
    """

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        # modules are permanent: searching them each time would take longer than everything else; a second window would
        # keep what is left of the first one for ever
        if not gc.get_freeze_count():
            gc.freeze()
        self._whole_from = time.monotonic() + WHOLE_EVERY
        self._timer = QTimer(self)
        self._timer.setInterval(YOUNG_EVERY)
        self._timer.timeout.connect(self.tidy)
        self._timer.start()

    def tidy(self) -> None:
        """Collect the young generation, and sometimes all of them; not while something is dragged."""
        if QGuiApplication.mouseButtons() != Qt.MouseButton.NoButton:
            return
        began = time.monotonic()
        if began < self._whole_from:
            gc.collect(1)
            return
        gc.collect()
        ended = time.monotonic()
        self._whole_from = ended + max(WHOLE_EVERY, (ended - began) / MOST_TIME)
