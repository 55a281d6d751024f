"""The Works bench: ponds with their outlet works, channels, pipes and culverts, sized live."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout

from tarnwater.desk.benches.bench import Bench
from tarnwater.desk.benches.works.channels_page import ChannelsPage
from tarnwater.desk.benches.works.culverts_page import CulvertsPage
from tarnwater.desk.benches.works.ponds_page import PondsPage
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme, desk_font

PAGES = ("Ponds", "Channels", "Pipes and culverts")


class WorksBench(Bench):
    """A page each for ponds, for channels, and for pipes and culverts."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(desk, theme)
        self.ponds = PondsPage(desk, theme)
        self.channels = ChannelsPage(desk, theme)
        self.culverts = CulvertsPage(desk, theme)
        self.pages = QStackedWidget()
        self.tabs: list[QPushButton] = []
        row = QHBoxLayout()
        row.setSpacing(14)
        for number, title in enumerate(PAGES):
            tab = QPushButton(title)
            tab.setCheckable(True)
            tab.setProperty("tab", True)
            tab.setAccessibleName(f"Page: {title}")
            tab.setFont(desk_font(10, bold=True))
            tab.clicked.connect(partial(self.show_page, number))
            self.tabs.append(tab)
            row.addWidget(tab)
        row.addStretch(1)
        for page in (self.ponds, self.channels, self.culverts):
            self.pages.addWidget(page)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 6, 10, 4)
        layout.setSpacing(2)
        layout.addLayout(row)
        layout.addWidget(self.pages, 1)
        self.show_page(0)

    def show_page(self, number: int, _checked: bool = False) -> None:
        """Turn to a page."""
        self.pages.setCurrentIndex(number)
        for other, tab in enumerate(self.tabs):
            tab.setChecked(other == number)
        self.refresh()

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        for page in (self.ponds, self.channels, self.culverts):
            page.set_theme(theme)
        super().set_theme(theme)

    def take_focus(self) -> None:
        """Work begins on the section, or in the table."""
        page = self.pages.currentWidget()
        if page is self.ponds:
            self.ponds.section.setFocus()
        elif isinstance(page, ChannelsPage | CulvertsPage):
            page.table.setFocus()

    def refresh(self) -> None:
        """Show the page again."""
        page = self.pages.currentWidget()
        if isinstance(page, PondsPage | ChannelsPage | CulvertsPage):
            page.refresh()

    def show_selected(self) -> None:
        """Show another pond."""
        self.refresh()
