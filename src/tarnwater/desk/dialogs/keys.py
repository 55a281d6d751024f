"""The page of keys: every action with its key, and the keys of tables, map and plots."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtWidgets import QDialog, QTextBrowser, QVBoxLayout, QWidget

from tarnwater.desk.theme import desk_font

#: Keys that belong to a place rather than to an action.
PLACES: tuple[tuple[str, tuple[tuple[str, str], ...]], ...] = (
    ("In a sheet or a table", (
        ("Enter, or a letter", "opens the cell"), ("Tab, Enter", "to the next cell, to the next row"),
        ("Ctrl+C, Ctrl+V", "copy the block, paste a block"), ("Ctrl+D", "fill down"),
        ("Ctrl+Shift+D", "set the whole column"), ("Delete", "clear typed values"),
        ("Escape", "leave what was typed and not taken"),
    )),
    ("On the map", (
        ("O, L", "drop outlets, draw links"), ("arrows", "walk the water, or move the cross of the tool"),
        ("+, −, Home", "nearer, farther, the whole map"), ("Escape", "put the tool down"),
    )),
    ("On a plot", (
        ("left, right", "read values off"), ("Home", "show the whole axis"), ("Ctrl+C", "copy the data"),
        ("menu key", "copy or save the plot"),
    )),
    ("On the board", (("arrows", "another case"), ("Enter", "its durations"), ("Ctrl+C", "copy the board"))),
    ("In the ledger", (
        ("F1 in a field", "how its value was worked out"), ("up, down, right, left", "walk that reckoning"),
        ("Escape", "leave what was typed and not taken"),
    )),
)  # fmt: skip


#: Room for the longest key, in pixels.
KEY_WIDTH = 190.0


class Keys(QDialog):
    """Read, scrolled by keys, closed by Escape."""

    def __init__(self, parent: QWidget, actions: Sequence[tuple[str, str, str]]) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys")
        self.resize(560, 600)
        self.page = QTextBrowser()
        self.page.setAccessibleName("Page of keys")
        self.page.setFont(desk_font(9))
        self.page.setTabStopDistance(KEY_WIDTH)
        self.page.setPlainText("\n".join(page_of(actions)))
        layout = QVBoxLayout(self)
        layout.addWidget(self.page)


def page_of(actions: Sequence[tuple[str, str, str]]) -> list[str]:
    """Lines of the page, from the menu, key and words of each action."""
    lines: list[str] = []
    for menu in dict.fromkeys(menu for menu, key, _ in actions if key):
        lines += [menu, *(f"    {key}\t{words}" for of, key, words in actions if of == menu and key), ""]
    for place, keys in PLACES:
        lines += [place, *(f"    {key}\t{words}" for key, words in keys), ""]
    return lines
