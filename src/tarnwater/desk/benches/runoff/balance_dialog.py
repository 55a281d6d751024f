"""The water balance of the case in view, element by element."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QVBoxLayout, QWidget

from tarnwater.desk.desk import Desk
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.listing import Listing
from tarnwater.study.answers.balances import HEADS, balance_table
from tarnwater.study.answers.figures import case_title


class BalanceDialog(QDialog):
    """A row for each element and one for all; it follows each edit while it is open."""

    def __init__(self, parent: QWidget, desk: Desk) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._desk = desk
        self.setWindowTitle("Water balance")
        self.resize(860, 460)
        self.title = Words("", bold=True)
        self.title.setWordWrap(True)
        count = len(HEADS) + 2
        self.rows = Listing("Water balance by element", [""] * count, right=range(1, count))
        self.told = Words("What comes in is what goes out: rain, from above, let in, from ground and held before "
                          "equal left, lost and held after. Ctrl+C copies.", quiet=True, size=8.5)  # fmt: skip
        self.told.setWordWrap(True)
        layout = QVBoxLayout(self)
        layout.addWidget(self.title)
        layout.addWidget(self.rows, 1)
        layout.addWidget(self.told)
        desk.results_changed.connect(self.refresh)
        desk.view_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the case in view again."""
        desk = self._desk
        case = desk.case_showing(desk.view.point) if desk.view is not None else None
        if case is None or desk.results is None:
            self.title.setText("No case is computed.")
            self.rows.show_rows([])
            return
        self.title.setText(f"{desk.study.name_of(case.case.point)} · {case_title(desk.results, case)}")
        heads, *rows = balance_table(desk.study, case)
        self.rows.set_heads(heads)
        self.rows.show_rows(rows)
