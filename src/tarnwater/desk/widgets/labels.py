"""Labels and rules."""

from __future__ import annotations

import html

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QLabel, QWidget

from tarnwater.desk.theme import desk_font


class Words(QLabel):
    """A label; ``quiet`` for explanations, ``bold`` for heads, ``role`` for its colour."""

    def __init__(
        self, text: str, *, quiet: bool = False, bold: bool = False, size: float = 9.0, role: str = ""
    ) -> None:
        super().__init__(text)
        self.setFont(desk_font(size, bold=bold))
        self.setProperty("quiet", quiet)
        self.setTextFormat(Qt.TextFormat.PlainText)
        if role:
            self.setProperty("role", role)


class Figure(Words):
    """A figure, aligned right."""

    def __init__(self, text: str, *, bold: bool = False, role: str = "") -> None:
        super().__init__(text, bold=bold, role=role)
        self.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)


def as_hint(text: str) -> str:
    """A text for a hint, with markup escaped: a name may contain some."""
    return f"<span>{html.escape(text)}</span>".replace("\n", "<br>") if text else ""


def rule(parent: QWidget | None = None, *, upright: bool = False) -> QFrame:
    """A thin line."""
    frame = QFrame(parent)
    frame.setProperty("rule", True)
    if upright:
        frame.setFixedWidth(1)
    else:
        frame.setFixedHeight(1)
    return frame
