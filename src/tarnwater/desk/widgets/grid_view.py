"""A table with the keys of a spreadsheet."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import QModelIndex, Qt
from PyQt6.QtGui import QGuiApplication, QKeyEvent
from PyQt6.QtWidgets import QAbstractItemDelegate, QAbstractItemView, QTableView, QWidget

from tarnwater.desk.theme import desk_font
from tarnwater.formats.tables import with_points

_CONTROL = Qt.KeyboardModifier.ControlModifier
_SHIFT = Qt.KeyboardModifier.ShiftModifier


class GridView(QTableView):
    """A table in which Ctrl+C, Ctrl+V, Ctrl+D, Ctrl+Shift+D and Delete apply to the block, and Enter opens a cell."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self._began: int | None = None
        self.setAccessibleName(name)
        self.setFont(desk_font(9))
        self.setShowGrid(False)
        # Tab leaves the table; arrows move between cells
        self.setTabKeyNavigation(False)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ContiguousSelection)
        self.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)

    def begin_of_row(self, began: int) -> int:
        """Column at which the next row begins, after one that was typed from ``began`` on."""
        return began

    def copy(self) -> None:
        """Copy the block."""

    def paste(self) -> None:
        """Paste from the present cell on."""

    def fill_down(self) -> None:
        """Type the top row of the block into the rest of it."""

    def set_columns(self) -> None:
        """Type the present cell into its whole column."""

    def clear_block(self) -> None:
        """Clear the typed values of the block."""

    def block(self) -> list[QModelIndex]:
        """Cells of the block, row by row."""
        chosen = self.selectedIndexes() or [self.currentIndex()]
        return sorted((i for i in chosen if i.isValid()), key=lambda i: (i.row(), i.column()))

    def dataChanged(self, first: QModelIndex, last: QModelIndex, roles: Iterable[int] = ()) -> None:  # noqa: N802
        """Keep the text of an open cell when new data arrive."""
        viewport = self.viewport()
        if self.state() == self.State.EditingState and viewport is not None:
            viewport.update()
        else:
            super().dataChanged(first, last, roles)

    def closeEditor(self, editor: QWidget | None, hint: QAbstractItemDelegate.EndEditHint) -> None:  # noqa: N802
        """After Enter, go to the cell below, or, after a row typed with Tab, to the start of the next row."""
        hints = QAbstractItemDelegate.EndEditHint
        column = self.currentIndex().column()
        if hint == hints.EditNextItem and self._began is None:
            self._began = column
        super().closeEditor(editor, hint)
        if hint == hints.EditNextItem:
            return
        began, self._began = self._began, None
        present = self.currentIndex()
        below = present.sibling(present.row() + 1, column if began is None else self.begin_of_row(began))
        if hint == hints.SubmitModelCache and below.isValid():
            self.setCurrentIndex(below)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:  # noqa: N802
        """Handle the keys of a spreadsheet."""
        if event is None:
            return
        acts = {
            (Qt.Key.Key_C, _CONTROL): self.copy,
            (Qt.Key.Key_V, _CONTROL): self.paste,
            (Qt.Key.Key_D, _CONTROL): self.fill_down,
            (Qt.Key.Key_D, _CONTROL | _SHIFT): self.set_columns,
            (Qt.Key.Key_Delete, Qt.KeyboardModifier.NoModifier): self.clear_block,
        }
        modifiers = event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
        act = acts.get((Qt.Key(event.key()), modifiers))
        if act is not None:
            act()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.state() != self.State.EditingState:
            if self.currentIndex().flags() & Qt.ItemFlag.ItemIsEditable:
                self.edit(self.currentIndex())
        else:
            super().keyPressEvent(event)


def clipboard_rows() -> list[list[str]]:
    """Rows of the block on the clipboard, without blank ones.

    Cells are separated by tabs, or by semicolons if there are no tabs.
    """
    clipboard = QGuiApplication.clipboard()
    text = "" if clipboard is None else clipboard.text()
    part = "\t" if "\t" in text else ";"
    return with_points([line.split(part) for line in text.splitlines() if line.strip()])[0]


def put_on_clipboard(rows: Iterable[Iterable[str]]) -> None:
    """Put rows on the clipboard, tabs between the cells."""
    clipboard = QGuiApplication.clipboard()
    if clipboard is not None:
        clipboard.setText("\n".join("\t".join(cells) for cells in rows))
