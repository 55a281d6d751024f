"""The window as its commands see it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

from PyQt6.QtWidgets import QWidget

from tarnwater.desk.benches import Bench
from tarnwater.desk.desk import Desk
from tarnwater.desk.ledger import Ledger
from tarnwater.desk.theme import Theme
from tarnwater.desk.widgets.finder import Entry
from tarnwater.desk.widgets.pin_strip import PinStrip


class Room(Protocol):
    """The interface of a window for its commands."""

    desk: Desk
    ledger: Ledger
    pins: PinStrip
    theme: Theme

    @property
    def widget(self) -> QWidget:
        """The window itself, as the parent of dialogs."""

    @property
    def bench(self) -> Bench:
        """The bench at work."""

    @property
    def bench_title(self) -> str:
        """Its name."""

    def go_to(self, number: int) -> None:
        """Go to a bench by its place on the course."""

    def go_to_bench(self, title: str) -> None:
        """Go to a bench by its name."""

    def offer(self, entries: Sequence[Entry], hint: str) -> None:
        """Open the finder on entries."""

    def find_action(self) -> None:
        """Open the finder on everything."""

    def show_actions(self) -> None:
        """Update titles and availability of the actions."""

    def say(self, words: str) -> None:
        """Show a message for a while."""

    def tell(self, message: str) -> None:
        """Show an error until the next act."""

    def work(self) -> None:
        """Open the terrain if it is not open, and compute."""

    def turn_theme(self) -> None:
        """Switch between light and dark."""

    def close(self) -> bool:
        """Close the window."""
