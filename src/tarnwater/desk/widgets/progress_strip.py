"""Long work at the foot of the window: title, share done, time left, and a button to cancel it."""

from __future__ import annotations

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QHBoxLayout, QProgressBar, QPushButton, QWidget

from tarnwater.desk.aside import Aside, Task
from tarnwater.desk.widgets.labels import Words

#: Work shorter than this is not shown, s.
SHOWN_AFTER = 0.3
LOOK_EVERY = 80


class ProgressStrip(QWidget):
    """Shows the oldest work in progress."""

    def __init__(self, aside: Aside) -> None:
        super().__init__()
        self._aside = aside
        self._words = Words("", size=8.5)
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setTextVisible(False)
        self.bar.setFixedSize(180, 8)
        self.bar.setAccessibleName("Progress")
        self.cancel = QPushButton("Cancel   Esc")
        self.cancel.setAccessibleName("Cancel the work")
        self.cancel.clicked.connect(lambda: self.cancel_work())
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 2, 16, 2)
        row.addWidget(self._words)
        row.addWidget(self.bar)
        row.addWidget(self.cancel)
        row.addStretch(1)
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK_EVERY)
        self._timer.timeout.connect(self._look)
        aside.changed.connect(self._follow)
        self.hide()

    def _follow(self) -> None:
        if self._aside.tasks:
            if not self._timer.isActive():
                self._timer.start()
        else:
            self._timer.stop()
            self.hide()

    def _task(self) -> Task | None:
        return next((t for t in self._aside.tasks if t.elapsed > SHOWN_AFTER and t.title), None)

    def _look(self) -> None:
        task = self._task()
        self.setVisible(task is not None)
        if task is None:
            return
        progress, left = task.progress, task.left
        stage = f": {progress.stage}" if progress.stage and progress.stage != task.title.lower() else ""
        time = "" if left is None else f" · about {max(round(left), 1)} s left"
        self._words.setText(f"{task.title}{stage}{time}")
        self.bar.setValue(round(1000 * progress.share))

    def cancel_work(self) -> bool:
        """Cancel the work that is shown; returns whether there was any."""
        task = self._task()
        if task is None:
            return False
        self._aside.cancel(task.progress)
        return True
