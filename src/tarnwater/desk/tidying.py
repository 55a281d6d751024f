"""Garbage is collected on the window's thread only."""

from __future__ import annotations

import gc
import time

from PyQt6.QtCore import QObject, QTimer

#: How often what is young is collected, ms, and the whole, s.
YOUNG_EVERY, WHOLE_EVERY = 1000, 10.0

#: The whole takes no more than this share of the time, however large the study.
MOST_TIME = 0.01


class Tidying(QObject):
    """Collects what objects in circles leave behind.

    Python would do so on whatever thread makes objects at the time; widgets that went with a closed window would
    be taken down beside computing, which Qt does not bear: the program would crash now and then.
    """

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        # modules stay for good: looking through them each time would take longer than all the rest
        gc.freeze()
        self._whole_from = time.monotonic() + WHOLE_EVERY
        self._timer = QTimer(self)
        self._timer.setInterval(YOUNG_EVERY)
        self._timer.timeout.connect(self.tidy)
        self._timer.start()

    def tidy(self) -> None:
        """Collect what is young, and now and then the whole."""
        began = time.monotonic()
        if began < self._whole_from:
            gc.collect(1)
            return
        gc.collect()
        ended = time.monotonic()
        self._whole_from = ended + max(WHOLE_EVERY, (ended - began) / MOST_TIME)
