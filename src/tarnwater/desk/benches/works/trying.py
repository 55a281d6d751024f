"""A dialog whose finding is tried out on the whole bench before it is taken."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from PyQt6.QtWidgets import QWidget

from tarnwater.desk.desk import Desk
from tarnwater.desk.dialogs.taking import TakingDialog
from tarnwater.errors import TarnwaterError
from tarnwater.progress import Progress

T = TypeVar("T")


class TryingDialog(TakingDialog):
    """Works something out in a thread; what it shows on the bench ends with it unless it is taken."""

    def __init__(self, parent: QWidget, desk: Desk, key: str, title: str, size: tuple[int, int]) -> None:
        super().__init__(parent, desk, key, title, size)
        self._work: Progress | None = None
        self.finished.connect(lambda _: self._leave())

    def start_over(self) -> None:
        """Cancel what is being worked out, and show the study as it is."""
        if self._work is not None:
            self.desk.aside.cancel(self._work)
            self._work = None
        self.desk.end_trial()

    def _leave(self) -> None:
        if self.result() == int(self.DialogCode.Accepted):
            return
        self.start_over()

    def work_out(self, title: str, find: Callable[[Progress], T], show: Callable[[T], None]) -> None:
        """Find something in a thread and show it; a refusal is told in the dialog."""
        self.wait(f"{title} …")

        def work(progress: Progress) -> T | TarnwaterError:
            try:
                return find(progress)
            except TarnwaterError as error:
                return error

        def done(found: T | TarnwaterError) -> None:
            self._work = None
            if isinstance(found, TarnwaterError):
                self.refuse(found)
            else:
                show(found)

        self._work = self.desk.aside.run(work, done, self.desk.fault, title, lambda: self.wait("Cancelled."))
