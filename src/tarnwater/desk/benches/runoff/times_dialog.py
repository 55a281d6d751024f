"""Times of concentration of a catchment by every equation side by side, of which one is chosen."""

from __future__ import annotations

from PyQt6.QtWidgets import QDialog, QVBoxLayout, QWidget

from tarnwater import units
from tarnwater.brief.times import TimeRow, spread_words, time_rows
from tarnwater.desk.desk import Desk
from tarnwater.desk.dialogs.answers import keep_or_leave
from tarnwater.desk.required import ask_needed
from tarnwater.desk.theme import Theme
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.listing import Listing
from tarnwater.errors import TarnwaterError
from tarnwater.network.elements import Catchment
from tarnwater.runoff.timing import Timing
from tarnwater.study.document import checked

HEADS = ("", "equation", "Tc, min", "lag, min", "of this catchment")


class TimesDialog(QDialog):
    """Up and down choose an equation, Enter takes it; those outside their range say so."""

    def __init__(self, parent: QWidget, desk: Desk, theme: Theme, key: str) -> None:
        super().__init__(parent)
        self.desk, self.theme, self.key = desk, theme, key
        element = desk.elements[key]
        assert isinstance(element, Catchment)
        self.element = element
        self.setWindowTitle(f"Time of concentration of {element.name}")
        self.resize(860, 380)
        self.rows: list[TimeRow] = time_rows(element, desk.study.units)
        self.list = Listing("Times by equation", HEADS, right=(2, 3))
        self.list.show_rows([self._cells(row) for row in self.rows], [self._colour(row) for row in self.rows])
        self.list.row_entered.connect(lambda _: self.keep())
        self.list.row_chosen.connect(self._tell)
        self.told = Words("", size=8.5)
        self.told.setWordWrap(True)
        self.buttons = keep_or_leave(self, "Choose it")
        layout = QVBoxLayout(self)
        layout.addWidget(Words(spread_words(self.rows), quiet=True))
        layout.addWidget(self.list, 1)
        layout.addWidget(self.told)
        layout.addWidget(self.buttons)
        self._tell(0)
        self.list.setFocus()

    @staticmethod
    def _cells(row: TimeRow) -> tuple[str, ...]:
        times = ["–" if one is None else units.rounded(one / 60) for one in (row.concentration, row.lag)]
        return ("✓" if row.chosen else "", row.kind.title, *times, row.lacking or row.outside or "within its range")

    def _colour(self, row: TimeRow) -> str:
        return self.theme.quiet if row.lag is None else self.theme.loss if row.outside else ""

    def _tell(self, number: int) -> None:
        if 0 <= number < len(self.rows):
            kind = self.rows[number].kind
            typed = "A typed lag or time of concentration leads; clear it to use an equation. "
            leads = typed if self.element.lag.typed or self.element.concentration.typed else ""
            self.told.setText(f"{leads}{kind.equation} · {kind.source}")

    def keep(self) -> None:
        """Choose the equation; what it requires is asked for first."""
        number = self.list.currentRow()
        if not 0 <= number < len(self.rows):
            return
        row = self.rows[number]
        if row.chosen:
            self.accept()
            return
        method = row.method or self._made(row.kind)
        if method is not None and self.desk.choose(self.key, "timing", method):
            self.accept()

    def _made(self, kind: type[Timing]) -> Timing | None:
        name = self.element.name
        asked = ask_needed(self, self.desk.study, kind, f"{kind.title} of {name}", name, self.told.setText)
        if asked is None:
            return None
        try:
            return checked(lambda: kind(**asked), name)
        except TarnwaterError as error:
            self.told.setText(str(error))
            return None
