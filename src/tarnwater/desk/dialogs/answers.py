"""The two buttons of a dialog that edits the study."""

from __future__ import annotations

from PyQt6.QtWidgets import QDialog, QDialogButtonBox


def keep_or_leave(dialog: QDialog, words: str = "Keep") -> QDialogButtonBox:
    """Buttons that accept what was typed (``dialog.keep``) or cancel."""
    buttons = QDialogButtonBox()
    buttons.addButton(words, QDialogButtonBox.ButtonRole.AcceptRole)
    buttons.addButton("Leave", QDialogButtonBox.ButtonRole.RejectRole)
    buttons.accepted.connect(dialog.keep)  # type: ignore[attr-defined]
    buttons.rejected.connect(dialog.reject)
    return buttons
