"""A reckoning: each input can be opened, and a source leads to its place."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tarnwater.desk.ledger.wrapping import Wrapped
from tarnwater.desk.widgets.words_button import WordsButton
from tarnwater.reckoning import Reckoning
from tarnwater.units import System

#: First letter of a line that a key opens or closes.
OPENED_BY = {Qt.Key.Key_Right: "▸", Qt.Key.Key_Left: "▾"}


class ReckoningView(QWidget):
    """One node: the figure, its equation with numbers and its origin, and its inputs as buttons that open."""

    def __init__(self, node: Reckoning, system: System, lead: Callable[[str], None], *, head: bool = True) -> None:
        super().__init__()
        self.node = node
        self._system, self._lead = system, lead
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0 if head else 12, 0, 0, 2)
        self._layout.setSpacing(1)
        symbol = f" {node.symbol}" if node.symbol else ""
        if head:
            self._add(f"{node.title}{symbol} = {node.shown(system)}", role="water")
        if node.equation:
            self._add(node.equation)
        if node.substituted:
            self._add(f"= {node.substituted}")
        for words in (node.origin, node.source):
            if words:
                self._add(f"[{words}]", quiet=True)
        if node.place:
            go = WordsButton(f"→ {_where(node)}", lambda: lead(node.place), f"go to {node.title}")
            self._layout.addWidget(go)
        for part in node.inputs:
            self._add_input(part)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:  # noqa: N802
        """Up and down move between the lines that open, right opens and left closes one."""
        buttons = [b for b in self.top().findChildren(WordsButton) if b.isVisibleTo(self.top())]
        here = next((n for n, b in enumerate(buttons) if b.hasFocus()), None)
        step = None if event is None else {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
        if event is None or here is None:
            super().keyPressEvent(event)
        elif step is not None:
            buttons[max(0, min(here + step, len(buttons) - 1))].setFocus()
        elif OPENED_BY.get(Qt.Key(event.key()), "none") == buttons[here].text()[:1]:
            buttons[here].press()
        else:
            super().keyPressEvent(event)

    def top(self) -> ReckoningView:
        """The whole reckoning that this is part of."""
        above = self.parentWidget()
        while above is not None and not isinstance(above, ReckoningView):
            above = above.parentWidget()
        return self if above is None else above.top()

    def take_focus(self) -> None:
        """Move the keyboard focus to the first line that opens."""
        first = next(iter(self.findChildren(WordsButton)), None)
        if first is not None:
            first.setFocus()

    def _add(self, text: str, *, quiet: bool = False, role: str = "") -> None:
        words = Wrapped(text, size=8, quiet=quiet, role=role)
        words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._layout.addWidget(words)

    def _add_input(self, node: Reckoning) -> None:
        deeper = bool(node.equation or node.origin or node.source or node.inputs or node.place)
        symbol = f" {node.symbol}" if node.symbol else ""
        words = f"{node.title}{symbol} = {node.shown(self._system)}"
        if not deeper:
            self._add(f"    {words}", quiet=True)
            return
        place = QVBoxLayout()
        opened: list[ReckoningView] = []

        def turn() -> None:
            if opened:
                opened.pop().deleteLater()
            else:
                opened.append(ReckoningView(node, self._system, self._lead, head=False))
                place.addWidget(opened[0])
            button.setText(f"{'▾' if opened else '▸'} {words}")

        button = WordsButton(f"▸ {words}", turn, f"ask {node.title}")
        self._layout.addWidget(button)
        self._layout.addLayout(place)


def _where(node: Reckoning) -> str:
    kind = node.place.split("/")[0]
    if kind == "tables":
        return "the depth table"
    if kind == "run":
        return "the run"
    return "the map" if "terrain" in node.origin else "its place"
