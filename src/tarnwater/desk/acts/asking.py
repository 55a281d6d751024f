"""Commands that show where a number comes from."""

from __future__ import annotations

import contextlib

from PyQt6.QtWidgets import QApplication, QWidget

from tarnwater.desk.acts.elements import ElementActs
from tarnwater.desk.acts.room import Room
from tarnwater.desk.meanings import meaning_of


class Asking:
    """F1 at the keyboard focus, the units of a field, and the way to the source of a number."""

    def __init__(self, room: Room, elements: ElementActs) -> None:
        self._room, self._desk, self._elements = room, room.desk, elements
        self._asked_from: QWidget | None = None

    def ask(self) -> None:
        """Show where the number at the keyboard focus came from, or what the control means.

        Otherwise, show where the peak of the selected element came from.
        """
        widget: QWidget | None = QApplication.focusWidget()
        while widget is not None:
            asked = getattr(widget, "asked", None)
            if isinstance(asked, str) and asked:
                self._ask_in_ledger(asked)
                return
            if callable(asked) and (found := asked()) is not None:
                self._desk.select(found[0])
                self._ask_in_ledger(found[1])
                return
            if told := meaning_of(widget):
                self._room.say(told)
                return
            widget = widget.parentWidget()
        self._ask_in_ledger("peak")

    def _ask_in_ledger(self, asked: str) -> None:
        """Open a reckoning and move the keyboard focus to it; close it, and return the focus."""
        before: QWidget | None = QApplication.focusWidget()
        self._room.ledger.ask(asked)
        answer = self._room.ledger.answer
        if answer is not None:
            self._asked_from = before if self._asked_from is None else self._asked_from
            answer.take_focus()
        elif self._asked_from is not None:
            came, self._asked_from = self._asked_from, None
            with contextlib.suppress(RuntimeError):
                # the field may have been removed with its element
                came.setFocus()

    def choose_unit(self) -> None:
        """Open the units of the field or the column that has the keyboard focus."""
        widget: QWidget | None = QApplication.focusWidget()
        while widget is not None:
            choose = getattr(widget, "choose_unit", None)
            if callable(choose) and widget is not self._room.widget:
                choose()
                return
            widget = widget.parentWidget()
        self._room.say("Go to a field of the ledger or a column of a sheet first; its unit is then changed.")

    def lead_to(self, place: str) -> None:
        """Go to the source of a number: the table, the map or the field."""
        kind, _, rest = place.partition("/")
        if kind == "tables":
            self._room.go_to_bench("Rain")
        elif kind == "benches":
            self._room.go_to_bench(rest)
        elif kind == "run":
            self._elements.set_step()
        elif kind in self._desk.study.all_elements:
            self._desk.select(kind)
            if not self._room.ledger.go_to(rest):
                self._room.go_to_bench("Ground")
