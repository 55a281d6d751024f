"""The page of keys: every action with its key, and the keys of tables, map and plots."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtWidgets import QDialog, QTextBrowser, QVBoxLayout, QWidget

from tarnwater.desk.theme import desk_font

#: Keys of places, not of actions.
PLACES: tuple[tuple[str, tuple[tuple[str, str], ...]], ...] = (
    ("In a sheet or a table", (
        ("Enter, or a letter", "opens the cell"), ("Tab, Enter", "to the next cell, to the next row"),
        ("Ctrl+C, Ctrl+V", "copy the block, paste a block"), ("Ctrl+D", "fill down"),
        ("Ctrl+Shift+D", "set the whole column"), ("Delete", "clear typed values"),
        ("Escape", "discard what was typed and not yet accepted"),
    )),
    ("On the map", (
        ("O, L", "drop outlets, draw links"), ("D, R, S, M", "draw, reshape, split, merge catchments"),
        ("P, N", "draw the flow path; the list of outline tools"), ("Ctrl and a click", "choose one more"),
        ("C, B, W, K", "draw a culvert, burned stream, wall, kept depression"),
        ("G, Y", "the list of ground features; the layers of the map"),
        ("Space, Enter, Backspace", "add a place of a line, end it, take the last place back"),
        ("arrows", "follow the water, or move the cross of the tool"),
        ("+, −, Home", "zoom in, zoom out, the whole map"), ("Escape", "leave the tool"),
    )),
    ("On a plot", (
        ("left, right", "read values"), ("Home", "show the whole axis"), ("Ctrl+C", "copy the data"),
        ("menu key", "copy or save the plot"),
    )),
    ("On the board", (("arrows", "another case"), ("Enter", "its durations"), ("Ctrl+C", "copy the board"))),
    ("In the ledger", (
        ("F1 in a field", "how its value was worked out"), ("up, down, right, left", "move through that reckoning"),
        ("Escape", "discard what was typed and not yet accepted"),
    )),
)  # fmt: skip


#: Room for the longest key, in pixels.
KEY_WIDTH = 190.0


class Keys(QDialog):
    """The page of keys; Escape closes it."""

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
    """Lines of the page, from the menu, key and title of each action."""
    lines: list[str] = []
    for menu in dict.fromkeys(menu for menu, key, _ in actions if key):
        lines += [menu, *(f"    {key}\t{words}" for of, key, words in actions if of == menu and key), ""]
    for place, keys in PLACES:
        lines += [place, *(f"    {key}\t{words}" for key, words in keys), ""]
    return lines
