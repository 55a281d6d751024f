"""The Works bench: ponds with their outlet works, sized live."""

from __future__ import annotations

from PyQt6.QtWidgets import QVBoxLayout

from tarnwater.desk.benches.bench import Bench
from tarnwater.desk.benches.works.ponds_page import PondsPage
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme


class WorksBench(Bench):
    """The page of ponds."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(desk, theme)
        self.ponds = PondsPage(desk, theme)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 8, 10, 4)
        layout.addWidget(self.ponds)

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self.ponds.set_theme(theme)
        super().set_theme(theme)

    def take_focus(self) -> None:
        """Work begins on the section."""
        self.ponds.section.setFocus()

    def refresh(self) -> None:
        """Show the pond again."""
        self.ponds.refresh()

    def show_selected(self) -> None:
        """Show another pond."""
        self.ponds.refresh()
