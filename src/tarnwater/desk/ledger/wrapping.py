"""A label that can break anywhere, so that no equation is cut in a narrow column."""

from __future__ import annotations

from PyQt6.QtWidgets import QSizePolicy

from tarnwater.desk.widgets.labels import Words


class Wrapped(Words):
    """A label as high as its wrapped text needs at the width it has."""

    def __init__(self, text: str, *, quiet: bool = False, size: float = 9.0, role: str = "") -> None:
        super().__init__(text, quiet=quiet, size=size, role=role)
        self.setWordWrap(True)
        policy = QSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)
