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

    def take_files(self, paths: list[Path]) -> None:
        """Import files that were dropped on the bench; a bench that accepts drops overrides this."""

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:  # noqa: N802
        """Accept a file that is dragged onto the bench."""
        if event is not None and files_in(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:  # noqa: N802
        """Import the files."""
        paths = [] if event is None else files_in(event.mimeData())
        if paths:
            self.take_files(paths)

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self.theme = theme
        self.refresh()


def files_in(data: QMimeData | None) -> list[Path]:
    """The local files that are dragged."""
    urls = [] if data is None else data.urls()
    return [Path(url.toLocalFile()) for url in urls if url.isLocalFile()]
