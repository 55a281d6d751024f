"""The one way to a thread: work goes aside, its result or error comes back to one callback each."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from tarnwater.errors import Cancelled
from tarnwater.progress import Progress


class Aside(QObject):
    """Runs work beside the window. Answers arrive on the window's thread; those of cancelled work do not."""

    _answered = pyqtSignal(object, object, object)
    progressed = pyqtSignal(str, float)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._answered.connect(self._deliver)
        self._running: dict[int, tuple[threading.Thread, Progress]] = {}

    def run(
        self, work: Callable[[Progress], Any], done: Callable[[Any], None], failed: Callable[[BaseException], None]
    ) -> Progress:
        """Start work; the progress it is given cancels it."""
        progress = Progress(self.progressed.emit)

        def body() -> None:
            try:
                self._answered.emit(progress, done, work(progress))
            except Cancelled:
                self._answered.emit(progress, None, None)
            except BaseException as error:
                self._answered.emit(progress, failed, error)

        thread = threading.Thread(target=body, daemon=True)
        self._running[id(progress)] = (thread, progress)
        thread.start()
        return progress

    def stop(self) -> None:
        """Cancel all work and wait until it has ended."""
        for thread, progress in list(self._running.values()):
            progress.cancel()
            thread.join()
        self._running.clear()

    def _deliver(self, progress: Progress, callback: Callable[[Any], None] | None, answer: Any) -> None:
        self._running.pop(id(progress), None)
        if callback is not None and not progress.flag[0]:
            callback(answer)
