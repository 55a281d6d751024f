"""Work in threads: its result or its error comes back to one callback each."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import TypeVar

from PyQt6.QtCore import QObject, pyqtSignal

from tarnwater.errors import Cancelled
from tarnwater.progress import Progress

#: What a piece of work returns.
T = TypeVar("T")


@dataclass(frozen=True, eq=False)
class Task:
    """Work in progress: its title, its share done, and when it began (`time.monotonic`)."""

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
        """Seconds that it will still take, by the share done; None while this is unknown."""
        share = self.progress.share
        return None if share < 0.02 else self.elapsed * (1 - share) / share


class Aside(QObject):
    """Runs work in threads. Answers arrive in the window's thread; those of cancelled work do not."""

    _answered = pyqtSignal(object, object, object)
    changed = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._answered.connect(self._deliver)
        self._running: dict[int, Task] = {}

    @property
    def tasks(self) -> list[Task]:
        """Work in progress that is not cancelled."""
        return [task for task in self._running.values() if not task.progress.flag[0]]

    def run(
        self,
        work: Callable[[Progress], T],
        done: Callable[[T], None],
        failed: Callable[[BaseException], None],
        title: str = "",
        cancelled: Callable[[], None] | None = None,
    ) -> Progress:
        """Start work with a title; its progress object cancels it, and ``cancelled`` is then called."""
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
        """Cancel work; its answer will not arrive."""
        progress.cancel()
        self.changed.emit()

    def cancel_all(self) -> None:
        """Cancel all work and wait until it has ended."""
        for task in list(self._running.values()):
            task.progress.cancel()
            task.thread.join()
        self._running.clear()

    def _deliver(self, progress: Progress, callback: Callable[[object], None] | None, answer: object) -> None:
        task = self._running.pop(id(progress), None)
        if progress.flag[0]:
            if task is not None and task.cancelled is not None:
                task.cancelled()
        elif callback is not None:
            callback(answer)
        self.changed.emit()
