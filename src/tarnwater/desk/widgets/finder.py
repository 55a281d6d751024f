"""The action finder: actions with their keys, elements, storms and findings, by a few letters."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from tarnwater.desk.theme import desk_font


@dataclass(frozen=True)
class Entry:
    """One entry of the finder: its words, a text beside it, and its function.

    An entry that ranks ``last`` comes after all others that fit, because it is rarely meant. One with ``by_beside`` is
    also found by the text beside it, but not by this text alone.
    """

    words: str
    beside: str
    choose: Callable[[], object]
    last: bool = False
    by_beside: bool = False


def fitting(entries: Sequence[Entry], text: str) -> list[Entry]:
    """Entries in which every word of the text begins some word, those that begin with it first."""
    wanted = text.casefold().split()

    def fits(entry: Entry) -> bool:
        words = entry.words.casefold().split()
        beside = entry.beside.casefold().split() if entry.by_beside else []
        own = [any(w.startswith(part) for w in words) for part in wanted]
        if not own:
            return not entry.by_beside
        return any(own) and all(
            found or any(w.startswith(part) for w in beside) for part, found in zip(wanted, own, strict=True)
        )

    return sorted(
        (e for e in entries if fits(e)), key=lambda e: (e.last, not e.words.casefold().startswith(text.casefold()))
    )


class Finder(QDialog):
    """The finder: type, move with the arrows, Enter runs the entry, Escape closes."""

    def __init__(self, parent: QWidget, entries: Sequence[Entry], hint: str) -> None:
        super().__init__(parent, Qt.WindowType.Dialog | Qt.WindowType.FramelessWindowHint)
        self.setAccessibleName("Find an action")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.resize(460, 360)
        self._entries = list(entries)
        self._shown: list[Entry] = []
        self.line = QLineEdit()
        self.line.setAccessibleName("What to find")
        self.line.setPlaceholderText(hint)
        self.line.setFont(desk_font(11))
        self.list = QListWidget()
        self.list.setAccessibleName("Found")
        self.list.setFont(desk_font(9))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setTextElideMode(Qt.TextElideMode.ElideRight)
        layout = QVBoxLayout(self)
        layout.addWidget(self.line)
        layout.addWidget(self.list)
        self.line.textChanged.connect(self._search)
        self.line.installEventFilter(self)
        self.list.itemActivated.connect(self._choose)
        self._search("")

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:  # noqa: N802
        """Arrows in the line move in the list."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(event.key())  # type: ignore[call-overload]
            if step is not None:
                self.list.setCurrentRow(max(0, min(self.list.currentRow() + step, self.list.count() - 1)))
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._choose()
                return True
        return super().eventFilter(watched, event)

    def _search(self, text: str) -> None:
        self._shown = fitting(self._entries, text)[:60]
        self.list.clear()
        for entry in self._shown:
            self.list.addItem(QListWidgetItem(f"{entry.words}    {entry.beside}".rstrip()))
        if not self._shown:
            nothing = QListWidgetItem(f"Nothing found for “{text.strip()}” among actions, elements, values and cases.")
            nothing.setFlags(Qt.ItemFlag.NoItemFlags)
            self.list.addItem(nothing)
        self.list.setCurrentRow(0)

    def _choose(self) -> None:
        row = self.list.currentRow()
        if 0 <= row < len(self._shown):
            entry = self._shown[row]
            self.accept()
            entry.choose()
