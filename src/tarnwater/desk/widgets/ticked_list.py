"""A list whose rows can be ticked."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QListWidget


class TickedList(QListWidget):
    """A list whose rows Ctrl+A ticks, or clears where all are ticked."""

    def keyPressEvent(self, event: Any) -> None:  # noqa: N802
        """Tick or clear all."""
        control = event.modifiers() == Qt.KeyboardModifier.ControlModifier
        if event.key() != Qt.Key.Key_A or not control:
            super().keyPressEvent(event)
            return
        items = [item for row in range(self.count()) if (item := self.item(row)) is not None]
        whole = all(item.checkState() == Qt.CheckState.Checked for item in items)
        for item in items:
            item.setCheckState(Qt.CheckState.Unchecked if whole else Qt.CheckState.Checked)
