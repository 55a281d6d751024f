"""The base class of the benches."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QMimeData
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QWidget

from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme


class Bench(QWidget):
    """A bench: shows the study and results of the desk, and refreshes on request."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.desk = desk
        self.theme = theme

    def take_focus(self) -> None:
        """Move the keyboard focus to where work on this bench begins."""

    def show_selected(self) -> None:
        """Show another selected element."""

    def refresh(self) -> None:
        """Show the present study, results, selection and case in view."""

    def take_file(self, path: Path) -> None:
        """Import a file that was dropped on the bench; a bench that accepts drops overrides this."""

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:  # noqa: N802
        """Accept a file that is dragged onto the bench."""
        if event is not None and file_in(event.mimeData()) is not None:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:  # noqa: N802
        """Import the file."""
        path = None if event is None else file_in(event.mimeData())
        if path is not None:
            self.take_file(path)

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self.theme = theme
        self.refresh()


def file_in(data: QMimeData | None) -> Path | None:
    """The local file that is dragged, if it is one."""
    urls = [] if data is None else data.urls()
    return Path(urls[0].toLocalFile()) if urls and urls[0].isLocalFile() else None
