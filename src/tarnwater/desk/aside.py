"""The one way to a thread: work goes aside, its result or error comes back to one callback each."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from tarnwater.errors import Cancelled
from tarnwater.progress import Progress


@dataclass(frozen=True, eq=False)
class Task:
    """Work under way: what it is, how far it is, since when (`time.monotonic`)."""

    title: str
    progress: Progress
    thread: threading.Thread
    cancelled: Callable[[], None] | None = None
    began: float = field(default_factory=time.monotonic)

    @property
    def elapsed(self) -> float:
        """Seconds since it began."""
        return time.monotonic() - self.began

    @property
    def left(self) -> float | None:
        """Seconds that it will still take, by its share so far; None before anything can be said."""
        share = self.progress.share
        return None if share < 0.02 else self.elapsed * (1 - share) / share


class Aside(QObject):
    """Runs work beside the window. Answers arrive on the window's thread; those of cancelled work do not."""

    _answered = pyqtSignal(object, object, object)
    changed = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._answered.connect(self._deliver)
        self._running: dict[int, Task] = {}

    @property
    def tasks(self) -> list[Task]:
        """What is under way and still wanted."""
        return [task for task in self._running.values() if not task.progress.flag[0]]

    def run(
        self,
        work: Callable[[Progress], Any],
        done: Callable[[Any], None],
        failed: Callable[[BaseException], None],
        title: str = "",
        cancelled: Callable[[], None] | None = None,
    ) -> Progress:
        """Start work under a title; the progress it is given cancels it, and ``cancelled`` is told of that."""
        progress = Progress()

        def body() -> None:
            try:
                self._answered.emit(progress, done, work(progress))
            except Cancelled:
                self._answered.emit(progress, None, None)
            except BaseException as error:
                self._answered.emit(progress, failed, error)

        thread = threading.Thread(target=body, daemon=True)
        self._running[id(progress)] = Task(title, progress, thread, cancelled)
        thread.start()
        self.changed.emit()
        return progress

    def cancel(self, progress: Progress) -> None:
        """Give work up; its answer will not arrive."""
        progress.cancel()
        self.changed.emit()

    def cancel_all(self) -> None:
        """Cancel all work and wait until it has ended."""
        for task in list(self._running.values()):
            task.progress.cancel()
            task.thread.join()
        self._running.clear()

    def _deliver(self, progress: Progress, callback: Callable[[Any], None] | None, answer: Any) -> None:
        task = self._running.pop(id(progress), None)
        if progress.flag[0]:
            if task is not None and task.cancelled is not None:
                task.cancelled()
        elif callback is not None:
            callback(answer)
        self.changed.emit()
