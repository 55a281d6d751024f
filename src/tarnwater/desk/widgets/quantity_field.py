"""A field for one quantity: accepts a unit with the number, and keeps text that cannot be read."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QLineEdit

from tarnwater.desk.theme import desk_font

#: Room beside a figure for frame and margins, in pixels.
MARGINS = 18


class QuantityField(QLineEdit):
    """Calls ``commit`` with the text on Enter or when the field is left; a refused text stays and is marked.

    ``commit`` returns an empty text if it accepts the value, otherwise the error text.
    """

    def __init__(self, text: str, commit: Callable[[str], str], refused: Callable[[str], None], name: str) -> None:
        super().__init__(text)
        self.setAccessibleName(name)
        self.setFont(desk_font(9))
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self._shown = text
        self._commit = commit
        self._refused = refused
        self.editingFinished.connect(self._finish)
        self.textEdited.connect(lambda _: self._room_for_draft())

    def show_value(self, text: str) -> None:
        """Show another value, unless there is a draft."""
        if self.text() == self._shown == text and not self.property("wrong"):
            return
        if self.text() == self._shown or not self.hasFocus():
            self.setProperty("wrong", False)
            self._shown = text
            self.setText(text)
            self.setCursorPosition(0)

    @property
    def has_draft(self) -> bool:
        """Whether the text is a draft."""
        return self.text() != self._shown

    def give_up(self) -> None:
        """Discard the draft and show the value again."""
        self._mark_wrong(False)
        self.setText(self._shown)
        self._refused("")

    def sizeHint(self) -> QSize:  # noqa: N802
        """The least width, if it has one, so that the widgets beside it get the rest."""
        own = super().sizeHint()
        return QSize(self.minimumWidth(), own.height()) if self.minimumWidth() else own

    def _room_for_draft(self) -> None:
        """Grow with the typed text if the width is that of the ledger."""
        if self.minimumWidth():
            self.make_room()

    def make_room(self) -> None:
        """Grow to the whole figure, because a clipped figure reads as another one."""
        needed = self.fontMetrics().horizontalAdvance(self.text()) + MARGINS
        if needed > self.minimumWidth():
            self.setMaximumWidth(max(needed, self.maximumWidth()))
            self.setMinimumWidth(needed)

    def event(self, event: QEvent | None) -> bool:
        """Without a draft, pass undo on to the study."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and not self.has_draft:
            undo = QKeySequence.StandardKey.Undo, QKeySequence.StandardKey.Redo
            if any(event.matches(one) for one in undo):
                event.ignore()
                return False
        return super().event(event)

    def _mark_wrong(self, wrong: bool) -> None:
        self.setProperty("wrong", wrong)
        style = self.style()
        if style is not None:
            style.unpolish(self)
            style.polish(self)

    def _finish(self) -> None:
        if self.text() == self._shown:
            if self.property("wrong"):
                self.give_up()
            return
        wrong = self._commit(self.text())
        self._mark_wrong(bool(wrong))
        self._refused(wrong)
        if not wrong:
            self._shown = self.text()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:  # noqa: N802
        """Handle Escape: restore the shown value."""
        if event is not None and event.key() == Qt.Key.Key_Escape and self.has_draft:
            self.give_up()
            return
        super().keyPressEvent(event)
